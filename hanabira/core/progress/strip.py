"""The check strip: a printed strip that lies beside the sheet and tells size, light and tone of a photo.

Two nested marks at its ends (the left one with a hole), a row of seven printed greys, a row of seven boxes that are rubbed in with pencils of
the kit, white gutters above, between and below them. All in millimetres from the strip's top left corner.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from hanabira.core.colour.spaces import (
    RGB_TO_XYZ,
    XYZ_TO_RGB,
    Array,
    chroma,
    hue_deg,
    lab_to_xyz,
    srgb_to_lab,
    srgb_to_linear,
    xyz_to_lab,
)
from hanabira.core.faults import PhotoFault
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import predict
from hanabira.core.swatch.marks import Mark, nested_marks

SIZE_MM = (170.0, 26.0)
MARK_MM = 11.0
MARKS_MM = ((MARK_MM / 2 + 2, SIZE_MM[1] / 2), (SIZE_MM[0] - MARK_MM / 2 - 2, SIZE_MM[1] / 2))
"""Middles of the two marks; the first one has a hole."""
GREYS = (12.0, 25.0, 38.0, 51.0, 64.0, 77.0, 88.0)
"""L* of the printed greys, as ordered from the printer."""
PATCH_MM, PITCH_MM, FIRST_MM = (16.0, 10.0), 17.2, 25.0
ROWS_MM = (2.0, 14.0)
RUBBED = Pass("", 5, 2)
"""How the boxes of the second row are rubbed in: as dark as the pencil goes, twice."""
PRINT_SD_L, SEEN_SD_L, FITTED_SD_L = 1.0, 0.4, 2.5
"""How far a printed grey may be off its L*, what one read from a scan may be off, and a box of a kit that was fitted but whose strip was never read."""
WHITE_LAB = (95.0, 0.0, -1.0)
"""Paper of a printer."""
_HUES = ((265.0, 30.0), (150.0, 40.0), (80.0, 75.0), (25.0, 40.0), (55.0, 25.0))


@dataclass(frozen=True)
class Patch:
    """A patch of known colour: ``rect`` x, y, width, height in mm, Lab (3,), what L* may be off by, and whether it was printed or rubbed in."""

    rect: tuple[float, float, float, float]
    lab: Array
    sd_l: float
    printed: bool


def rects() -> tuple[tuple[float, float, float, float], ...]:
    """All fourteen patches, the greys first."""
    w, h = PATCH_MM
    return tuple((FIRST_MM + k * PITCH_MM, y, w, h) for y in ROWS_MM for k in range(7))


def gutters_y(rect: tuple[float, float, float, float]) -> tuple[float, float]:
    """Middles of the white gutters above and below a patch."""
    return rect[1] - 1.0, rect[1] + rect[3] + 1.0


def chosen(kit: Kit) -> tuple[str, ...]:
    """Codes of the pencils for the second row: the blackest, the lightest, and five spread in hue (blue, green, yellow, red, brown).

    Fewer where a small kit has no more.
    """
    lab = np.array([p.lab for p in kit], float)
    strength, hue = chroma(lab), hue_deg(lab)
    out = [int(np.argmin(lab[:, 0])), int(np.argmax(lab[:, 0] - 0.3 * strength))]
    for wanted, value in _HUES:
        miss = np.abs((hue - wanted + 180) % 360 - 180) / 20 + np.abs(lab[:, 0] - value) / 15 - np.minimum(strength, 45) / 25
        miss[out] = np.inf
        if np.isfinite(miss).any():
            out.append(int(np.argmin(miss)))
    return tuple(kit.pencils[k].code for k in dict.fromkeys(out))


def patches(kit: Kit, paper: Paper, read: Mapping[str, Sequence[float]] | None = None) -> tuple[Patch, ...]:
    """What is known of the strip: greys as printed or as they were ``read`` once (Lab by ``grey 12`` … and by pencil code), and the rubbed boxes.

    A box counts only when it was read, or when the kit was fitted to its own swatches: a shipped kit does not know its pencils well enough.
    """
    known = {k: np.asarray(v, float) for k, v in (read or {}).items()}
    out = []
    places = rects()
    for rect, value in zip(places[:7], GREYS, strict=True):
        seen = known.get(f"grey {value:.0f}")
        out.append(Patch(rect, np.array([value, 0.0, 0.0]) if seen is None else seen, PRINT_SD_L if seen is None else SEEN_SD_L, True))
    for rect, code in zip(places[7:], chosen(kit), strict=False):
        seen = known.get(code)
        if seen is None and kit.fit:
            white = np.asarray(predict(paper, kit, [Pass(code, RUBBED.pressure, RUBBED.passes)])[-1].lab)
            out.append(Patch(rect, white, FITTED_SD_L, False))
        elif seen is not None:
            out.append(Patch(rect, seen, 1.3, False))
    return tuple(out)


@dataclass(frozen=True)
class FoundStrip:
    """A strip in a photo: points of its marks in photo pixels (n, 2) and in mm, ``to_photo`` (3, 3) from mm, and the worst miss in pixels."""

    points: Array
    mm: Array
    to_photo: Array
    miss_px: float
    lens: float = 0.0
    photo_size: tuple[int, int] = (1, 1)
    """Radial bend and size of the photo it was found in; with a bend, ``to_photo`` leads to pixels as they would be without."""

    def at(self, mm: Array) -> Array:
        """Photo pixels (n, 2) of points (n, 2) in mm of the strip."""
        straight = np.asarray(cv2.perspectiveTransform(np.asarray(mm, float)[None], self.to_photo)[0])
        if not self.lens:
            return straight
        half, middle = float(np.hypot(*self.photo_size)) / 2, np.array(self.photo_size) / 2
        u = (straight - middle) / half
        seen = u
        for _ in range(6):
            seen = u / (1 + self.lens * (seen**2).sum(1, keepdims=True))
        return seen * half + middle

    def with_lens(self, lens: float, photo_size: tuple[int, int]) -> FoundStrip:
        """The same strip seen through a lens of this bend, as the sheet beside it has told: its marks lie far apart, and its narrow white lines
        between them are missed by half their width where the bend is left out.
        """
        half, middle = float(np.hypot(*photo_size)) / 2, np.array(photo_size) / 2
        n = (self.points - middle) / half
        straight = n * (1 + lens * (n**2).sum(1, keepdims=True)) * half + middle
        to_photo, _inliers = cv2.findHomography(self.mm, straight, cv2.RANSAC, 2.5)
        if to_photo is None:
            return self
        return replace(self, to_photo=to_photo, lens=lens, photo_size=photo_size)

    @property
    def px_per_mm(self) -> float:
        """Photo pixels a millimetre along it."""
        a, b = self.at(np.array(MARKS_MM))
        return float(np.hypot(*(b - a)) / (MARKS_MM[1][0] - MARKS_MM[0][0]))


_CORNERS = ((-1, -1), (1, -1), (1, 1), (-1, 1))


def find_strip(photo: np.ndarray) -> FoundStrip | None:
    """The strip in a photo (h, w, 3) uint8, or None.

    The marks' size is taken from their distance, since a blob grows and shrinks with the exposure; all eight outer corners are refined to
    parts of a pixel, foretold from the robust majority and refined again.
    """
    k = min(1.0, 2200 / max(photo.shape[:2]))
    grey = cv2.cvtColor(photo, cv2.COLOR_RGB2GRAY)
    small = cv2.resize(grey, None, fx=k, fy=k, interpolation=cv2.INTER_AREA) if k < 1 else grey
    pair = None
    for block, c in ((51, 10), (101, 10), (25, 8), (51, 5)):
        dark = cv2.adaptiveThreshold(cv2.GaussianBlur(small, (0, 0), 0.8), 255, cv2.ADAPTIVE_THRESH_MEAN_C, cv2.THRESH_BINARY_INV, block, c)
        pair = _pair(nested_marks(dark))
        if pair is not None:
            break
    return None if pair is None else _refined(grey, pair[0] / k, pair[1] / k)


def _pair(marks: Sequence[Mark]) -> tuple[Array, Array] | None:
    """Middles of the holed and the plain mark whose distance fits their size best."""
    best = None
    for h in (m for m in marks if m.holed):
        for p in (m for m in marks if not m.holed):
            apart, side = float(np.hypot(*(np.array(h.centre) - p.centre))), (h.size + p.size) / 2
            ratio = apart / side / ((MARKS_MM[1][0] - MARKS_MM[0][0]) / MARK_MM)
            if 0.75 < ratio < 1.3 and 0.6 < h.size / p.size < 1.6 and (best is None or abs(np.log(ratio)) < best[0]):
                best = (abs(np.log(ratio)), np.array(h.centre), np.array(p.centre))
    return None if best is None else (best[1], best[2])


def _refined(grey: np.ndarray, first: Array, last: Array) -> FoundStrip | None:
    apart = float(np.hypot(*(last - first)))
    side = apart * MARK_MM / (MARKS_MM[1][0] - MARKS_MM[0][0])
    along = (last - first) / apart
    across = np.array([-along[1], along[0]])
    mm = np.array(
        [(mx, my) for mx, my in MARKS_MM] + [(mx + sx * MARK_MM / 2, my + sy * MARK_MM / 2) for mx, my in MARKS_MM for sx, sy in _CORNERS]
    )
    corners = np.array([c + side / 2 * (sx * along + sy * across) for c in (first, last) for sx, sy in _CORNERS])
    points = np.vstack([first, last, _corners(grey, corners, max(3, int(side * 0.16)))])
    for _ in range(2):
        to_photo, _inliers = cv2.findHomography(mm, points, cv2.RANSAC, 2.5)
        if to_photo is None:
            return None
        foretold = cv2.perspectiveTransform(mm[None], to_photo)[0]
        points[2:] = _corners(grey, foretold[2:], max(3, int(side * 0.10)))
    to_photo, inliers = cv2.findHomography(mm, points, cv2.RANSAC, 2.5)
    if to_photo is None or int(inliers.sum()) < 7:
        return None
    kept = inliers.ravel().astype(bool)
    miss = np.hypot(*(cv2.perspectiveTransform(mm[kept][None], to_photo)[0] - points[kept]).T)
    return FoundStrip(points[kept], mm[kept], to_photo, float(miss.max()))


def _corners(grey: np.ndarray, at: Array, window: int) -> Array:
    h, w = grey.shape
    start = np.clip(at, 0, [w - 1, h - 1]).astype(np.float32).reshape(-1, 1, 2).copy()
    return cv2.cornerSubPix(grey, start, (window, window), (-1, -1), (3, 60, 0.01)).reshape(-1, 2).astype(float)


def patch_pixels(photo: np.ndarray, strip: FoundStrip, rect: tuple[float, float, float, float], inner: float = 0.22) -> Array:
    """Encoded values (n, 3) in 0–1 from the inner part of a rectangle of the strip."""
    x, y, w, h = rect
    xs = np.linspace(x + w * inner, x + w * (1 - inner), 24)
    ys = np.linspace(y + h * inner, y + h * (1 - inner), 18)
    q = strip.at(np.stack(np.meshgrid(xs, ys), -1).reshape(-1, 2)).astype(np.float32)
    return cv2.remap(photo, q[:, 0], q[:, 1], cv2.INTER_LINEAR).reshape(-1, 3).astype(float) / 255


def read_strip(scan: np.ndarray, kit: Kit) -> dict[str, tuple[float, float, float]]:
    """Lab of the strip's own greys and boxes from a scan (h, w, 3) uint8 sRGB, by ``grey 12`` … and by pencil code.

    A scanner's light is even and its tone is that of sRGB: each patch is taken against the white above and below it, nothing else is changed.
    An empty box is left out. Raises `PhotoFault` when no strip is there, or when its white is burnt out.
    """
    strip = find_strip(scan)
    if strip is None:
        raise PhotoFault(
            "There is no check strip in this picture.", do="Scan the strip whole, with both square marks, at 200 dots an inch or more."
        )
    names = [f"grey {v:.0f}" for v in GREYS] + list(chosen(kit))
    out: dict[str, tuple[float, float, float]] = {}
    for name, rect in zip(names, rects(), strict=False):
        seen = np.median(patch_pixels(scan, strip, rect), 0)
        if gutter(scan, strip, rect).max() > 0.995:
            raise PhotoFault(
                "The strip’s white is burnt out in this scan.", do="Scan it a little darker, with every automatic correction off."
            )
        lab = srgb_to_lab(seen)
        if name.startswith("grey") or float(np.linalg.norm(lab - srgb_to_lab(gutter(scan, strip, rect)))) > 6:
            out[name] = (round(float(lab[0]), 2), round(float(lab[1]), 2), round(float(lab[2]), 2))
    return out


def read_beside(photo: np.ndarray, kit: Kit, power: Array) -> dict[str, tuple[float, float, float]]:
    """The same of a strip that lies beside a swatch sheet which was read from this photo: ``power`` (3,) is what undid the camera's tone there.

    Each patch is taken against the white above and below it. Empty where no strip is in the photo, or its white is burnt out.
    """
    strip = find_strip(photo)
    out: dict[str, tuple[float, float, float]] = {}
    if strip is None:
        return out
    white = lab_to_xyz(np.array(WHITE_LAB))
    for name, rect in zip([f"grey {v:.0f}" for v in GREYS] + list(chosen(kit)), rects(), strict=False):
        seen, beside = np.median(patch_pixels(photo, strip, rect), 0), gutter(photo, strip, rect)
        if beside.max() > 0.99:
            return {}
        share = (srgb_to_linear(seen) / np.maximum(srgb_to_linear(beside), 1e-4)) ** power
        lab = xyz_to_lab((share * (white @ XYZ_TO_RGB.T)) @ RGB_TO_XYZ.T)
        if name.startswith("grey") or float(np.linalg.norm(lab - np.array(WHITE_LAB))) > 6:
            out[name] = (round(float(lab[0]), 2), round(float(lab[1]), 2), round(float(lab[2]), 2))
    return out


def gutter(photo: np.ndarray, strip: FoundStrip, rect: tuple[float, float, float, float]) -> Array:
    """Encoded value (3,) of the white above and below a patch."""
    x, _y, w, _h = rect
    return np.mean([np.median(patch_pixels(photo, strip, (x + 1, y - 0.35, w - 2, 0.7), 0.0), 0) for y in gutters_y(rect)], 0)
