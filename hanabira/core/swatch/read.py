"""Reading a filled swatch sheet from a photo or scan.

The corner marks are found as forms that lie in each other, the perspective is taken out, the light is
flattened from the bare paper between the cells (log-quadratic surface a channel), which
removes exposure and cast as well; the grey wedges then straighten the camera's tone. Each
cell gives the median of its inner part in Lab, its spread, and a flag where it is stained or
half filled.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, lab_to_xyz, srgb_to_linear, srgb_to_xyz, xyz_to_lab
from hanabira.core.faults import PhotoFault
from hanabira.core.optics.kit import Kit
from hanabira.core.swatch.layout import MARK_MM, Cell, SheetPage
from hanabira.core.swatch.marks import Mark, nested_marks
from hanabira.core.token import SILENT, Token

PX_PER_MM = 6.0
STAINED_SD = 7.0
"""Spread of a cell's L* above which it counts as stained or badly filled."""
_INNER = 0.22
PAPER_LAB = (95.8, -0.4, 2.0)
"""Colour of the bare paper that sheets are anchored to where none is said."""


@dataclass(frozen=True)
class CellReading:
    """A measured cell: Lab, spread (sd of L*), and a flag, empty when all is well."""

    cell: Cell
    lab: Array
    spread: float
    flag: str


@dataclass(frozen=True)
class SheetReading:
    """A page read from a photo. ``to_photo`` (3, 3) maps mm of the page to photo pixels."""

    page: SheetPage
    cells: tuple[CellReading, ...]
    to_photo: Array
    grey_error: float
    power: Array | None = None
    """Exponent a channel that undoes the camera's tone, (3,)."""


def find_marks(photo: np.ndarray) -> Array:
    """Middles of the four marks in photo pixels, clockwise from the sheet's top left, (4, 2).

    Raises `PhotoFault` when they are not all there.
    """
    k = min(1.0, 2200 / max(photo.shape[:2]))
    small = cv2.resize(photo, None, fx=k, fy=k, interpolation=cv2.INTER_AREA) if k < 1 else photo
    grey = cv2.cvtColor(small, cv2.COLOR_RGB2GRAY)
    best: list[Mark] = []
    for block in (51, 101, 25):
        dark = cv2.adaptiveThreshold(cv2.GaussianBlur(grey, (0, 0), 0.8), 255, cv2.ADAPTIVE_THRESH_MEAN_C, cv2.THRESH_BINARY_INV, block, 12)
        marks = nested_marks(dark)
        holed = [m for m in marks if m.holed]
        if len(marks) >= 4 and holed:
            found = _quadrilateral(marks, holed)
            if found is not None:
                return found / k
        best = max(best, marks, key=len)
    raise PhotoFault(
        f"The sheet’s corner marks were not found ({len(best)} of 4).",
        do="Photograph the whole sheet, flat, with all four marks in the picture.",
    )


def _quadrilateral(marks: Sequence[Mark], holed: Sequence[Mark]) -> Array | None:
    """The four marks of like size that span the largest figure, in order from the holed one."""
    from itertools import combinations

    best, best_area = None, 0.0
    for first in holed:
        others = [m for m in marks if m is not first and not m.holed and 0.45 < m.size / first.size < 2.2]
        for three in combinations(sorted(others, key=lambda m: -m.size)[:12], 3):
            points = np.array([first.centre, *(m.centre for m in three)], np.float32)
            hull = cv2.convexHull(points)
            if len(hull) != 4:
                continue
            area = float(cv2.contourArea(hull))
            if area > best_area:
                c = points.mean(0)
                # clockwise on screen, where y runs down
                order = np.argsort(np.arctan2(points[:, 1] - c[1], points[:, 0] - c[0]))
                ring = points[order]
                start = int(np.where(order == 0)[0][0])
                best, best_area = np.roll(ring, -start, 0).astype(float), area
    return best


def rectify(photo: np.ndarray, marks: Array, page: SheetPage) -> tuple[Array, Array]:
    """The sheet seen straight on, as linear light (h, w, 3) float32, and the map from mm to photo pixels."""
    to_photo = cv2.getPerspectiveTransform(page.marks.astype(np.float32), marks.astype(np.float32))
    w, h = (round(v * PX_PER_MM) for v in page.size)
    scale = np.diag([1 / PX_PER_MM, 1 / PX_PER_MM, 1.0])
    flat = cv2.warpPerspective(
        photo, to_photo @ scale, (w, h), flags=cv2.INTER_AREA | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
    )
    linear = cv2.LUT(flat, srgb_to_linear(np.arange(256) / 255).astype(np.float32))
    return linear, to_photo


def _patch(image: Array, rect: tuple[float, float, float, float], inner: float = _INNER) -> Array:
    x, y, w, h = rect
    x0, x1 = (x + w * inner) * PX_PER_MM, (x + w * (1 - inner)) * PX_PER_MM
    y0, y1 = (y + h * inner) * PX_PER_MM, (y + h * (1 - inner)) * PX_PER_MM
    return image[round(y0) : max(round(y0) + 1, round(y1)), round(x0) : max(round(x0) + 1, round(x1))]


def page_number(linear: Array, page: SheetPage) -> int:
    """The number in the page code."""
    values = [float(_patch(linear, rect).mean()) for rect, _ in page.code]
    white = float(np.percentile(linear[: int(40 * PX_PER_MM)], 90))
    return sum(1 << k for k, v in enumerate(values) if v < 0.4 * white)


def flatten(linear: Array, page: SheetPage) -> Array:
    """Light and cast taken out: bare paper is 1 everywhere. Log-quadratic surface through the blank places."""
    h, w = linear.shape[:2]
    blank = np.ones((h, w), bool)
    for rect in [c.rect for c in page.cells] + [r for r, _ in page.greys] + [r for r, _ in page.code]:
        x, y, rw, rh = rect
        pad = 1.0
        blank[
            int((y - pad) * PX_PER_MM) : int((y + rh + pad) * PX_PER_MM) + 1,
            int((x - pad) * PX_PER_MM) : int((x + rw + pad) * PX_PER_MM) + 1,
        ] = False
    m = int(4 * PX_PER_MM)
    blank[:m], blank[-m:], blank[:, :m], blank[:, -m:] = False, False, False, False
    for mx, my in page.marks:
        r = MARK_MM / 2 + 1.5
        blank[int((my - r) * PX_PER_MM) : int((my + r) * PX_PER_MM), int((mx - r) * PX_PER_MM) : int((mx + r) * PX_PER_MM)] = False
    ys, xs = np.nonzero(blank[::5, ::5])
    x, y = xs * 5 / w * 2 - 1, ys * 5 / h * 2 - 1
    basis = np.stack([np.ones_like(x), x, y, x * y, x * x, y * y], 1)
    gy, gx = np.mgrid[-1 : 1 : h * 1j, -1 : 1 : w * 1j].astype(np.float32)
    surface = np.empty_like(linear)
    for c in range(3):
        v = np.log(np.maximum(linear[::5, ::5, c][ys, xs], 1e-4))
        keep = np.ones(len(v), bool)
        for _ in range(4):  # print, smudges and shadows fall below the paper: leave them out
            k = np.linalg.lstsq(basis[keep], v[keep], rcond=None)[0]
            off = v - basis @ k
            sd = 1.48 * np.median(np.abs(off[keep])) + 1e-3
            keep = (off > -2.0 * sd) & (off < 3.0 * sd)
        surface[..., c] = np.exp(k[0] + k[1] * gx + k[2] * gy + k[3] * gx * gy + k[4] * gx * gx + k[5] * gy * gy)
    return linear / surface


def tone_curve(flat: Array, page: SheetPage, white_lab: Array) -> tuple[Array, float]:
    """Exponent a channel that brings the grey steps to their nominal values, and the error left in L*.

    Bare paper is 1 and stays 1; a camera's contrast bends what lies below as a power.
    """
    white_y = float(lab_to_xyz(white_lab)[1])
    seen = np.array([np.median(_patch(flat, rect).reshape(-1, 3), 0) for rect, _ in page.greys])
    wanted = np.array([float(lab_to_xyz(np.array([v, 0, 0]))[1]) / white_y for _, v in page.greys])
    power = np.empty(3)
    for c in range(3):
        a, b = np.log(np.clip(seen[:, c], 1e-3, 0.999)), np.log(wanted)
        power[c] = np.clip((a @ b) / (a @ a), 0.6, 1.6)
    got = (np.clip(seen, 1e-4, None) ** power).mean(1) * white_y
    left = xyz_to_lab(np.stack([got * 0.95047, got, got * 1.08883], 1))[:, 0] - np.array([v for _, v in page.greys])
    return power, float(np.abs(left).mean())


@dataclass(frozen=True)
class Straightened:
    """A printed page in a photo, seen straight on: linear light (h, w, 3) at `PX_PER_MM`, the map from mm to photo pixels, and the page's printed number."""

    linear: Array
    to_photo: Array
    number: int

    def evened(self, page: SheetPage, white: Array, token: Token = SILENT) -> tuple[Array, Array, float]:
        """Light and the camera's tone taken out, so that bare paper is 1 everywhere; the exponents that undid the tone, and the greys' error in L*."""
        token.report(0.55, "Taking out the light")
        flat = flatten(self.linear, page)
        power, error = tone_curve(flat, page, white)
        return np.clip(flat, 1e-4, 1.6) ** power.astype(np.float32), power, error


def straightened(photo: np.ndarray, page: SheetPage, token: Token = SILENT) -> Straightened:
    """Find a page by its marks and take the perspective out; all pages of a sheet have their marks and code alike. Raises `PhotoFault`."""
    token.report(0.05, "Looking for the corner marks")
    marks = find_marks(photo)
    token.report(0.35, "Straightening the sheet")
    linear, to_photo = rectify(photo, marks, page)
    return Straightened(linear, to_photo, page_number(linear, page))


def lab_of(flat: Array, white: Array) -> Array:
    """Lab (…, 3) of evened light (…, 3) in which paper of this colour is 1."""
    return np.asarray(xyz_to_lab(flat * (lab_to_xyz(white) @ _XYZ_TO_LINEAR) @ _LINEAR_TO_XYZ))


def read_sheet(
    photo: np.ndarray,
    pages: Sequence[SheetPage],
    white_lab: Sequence[float] = PAPER_LAB,
    number: int | None = None,
    kit: Kit | None = None,
    token: Token = SILENT,
) -> SheetReading:
    """Read one page of a sheet from a photo (h, w, 3) uint8 sRGB.

    ``white_lab`` is the bare paper's colour, which the flattened photo is anchored to. The page is
    told by its printed code, or by ``number``. A ``kit`` tells which cells are pale by nature. Raises `PhotoFault` when marks or code are not found.
    """
    straight = straightened(photo, pages[0], token)
    told = straight.number if number is None else number
    page = next((p for p in pages if p.number == told), None)
    if page is None:
        raise PhotoFault(
            f"The page’s code says {told}, but the sheet has the pages 1–{len(pages)}.", do="Choose the kit this sheet was printed for."
        )
    white = np.asarray(white_lab, float)
    flat, power, grey_error = straight.evened(page, white, token)
    to_photo = straight.to_photo
    token.report(0.8, "Measuring the cells")
    out = []
    for cell in page.cells:
        lab = lab_of(_patch(flat, cell.rect).reshape(-1, 3), white)
        middle = np.median(lab, 0)
        spread = float(1.48 * np.median(np.abs(lab[:, 0] - middle[0])))
        out.append(CellReading(cell, middle, spread, _flag(lab, middle, spread, cell, white, kit)))
    token.report(1.0, "Read")
    return SheetReading(page, tuple(out), to_photo, grey_error, power)


def _flag(lab: Array, middle: Array, spread: float, cell: Cell, white: Array, kit: Kit | None) -> str:
    pale = kit is not None and all(p.code in kit.index and np.linalg.norm(kit.get(p.code).lab - white) < 30 for p in cell.layers)
    bare_here = np.abs(lab - white).max(1) < 5
    if pale:  # a pale pencil cannot be told from bare paper
        bare_here[:] = False
    if cell.ground == "white" and float(bare_here.mean()) > 0.9:
        return "empty"
    if cell.ground == "white" and float(bare_here.mean()) > 0.3:
        return "half filled"
    if spread > STAINED_SD:
        return "uneven"
    far = np.abs(lab[:, 0] - middle[0]) > max(12.0, 4 * spread)
    return "stained" if float(far.mean()) > 0.08 else ""


_LINEAR_TO_XYZ = np.stack([srgb_to_xyz(np.eye(3)[i]) for i in range(3)])
_XYZ_TO_LINEAR = np.linalg.inv(_LINEAR_TO_XYZ)
