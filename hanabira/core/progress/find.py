"""Finding the sheet in a photo of the work, or saying plainly why it cannot be found and what helps."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.faults import PhotoFault
from hanabira.core.progress.sheet_map import SheetMap, by_corners, fit_map, inward
from hanabira.core.progress.strip import SIZE_MM, FoundStrip, find_strip
from hanabira.core.sentences import say
from hanabira.core.token import SILENT, Token

MOST_RESIDUAL_MM, MOST_STRIP_MM = 0.8, 1.5
LEAST_PX_MM = 3.6
"""Photo pixels a millimetre below which hair and eyes cannot be judged."""
MOST_EDGE_MM = 0.6
LEAST_LIKENESS = 0.35
"""Correlation with the picture wanted below which it is another picture."""
_LONG = 900
_STEP = 4.0
"""Least colour step (Lab) of the weakest side of what may be a sheet."""


class Refused(PhotoFault):
    """A photo of the work that must not be judged: ``what`` is wrong, what to ``do``; ``corners`` are asked for where they would help."""

    def __init__(self, key: str, corners: bool = False, **figures: object) -> None:
        super().__init__(say(f"check.refused_{key}", **figures), say("check.kept"), say(f"check.cure_{key}", **figures))
        self.key, self.corners = key, corners


Likeness = Callable[[Array], float]
"""How much a straightened photo (h, w, 3) looks like the picture wanted, −1 to 1; NaN while nothing is drawn that could tell."""


def find_sheet(
    photo: np.ndarray, size: tuple[float, float], likeness: Likeness | None = None, strip: FoundStrip | None = None, token: Token = SILENT
) -> SheetMap:
    """The map from the sheet's millimetres (``size`` width and height) to the photo (h, w, 3) uint8. Raises `Refused`.

    A photo taken upside down or sideways is turned by its ``likeness``.
    """
    _looks_at_something(photo)
    best: SheetMap | None = None
    quads = candidates(photo, strip, size)[:6]
    if quads and _fits(quads[0], strip, size) > 0.85:
        px = by_corners(photo, size, quads[0]).px_per_mm
        if px < 0.8 * LEAST_PX_MM:  # its edges are too few pixels apart to be drawn on
            raise Refused("small", px=px)
    for n, quad in enumerate(quads):
        token.report(0.1 * n, "Finding the sheet")
        for corners in _upright(photo, quad, size, likeness):
            found = fit_map(photo, corners, strip, size)
            if found is not None and found.residual_mm < MOST_RESIDUAL_MM and found.strip_miss_mm < MOST_STRIP_MM:
                best = found
                break
        if best is not None:
            break
    if best is None:
        raise Refused("no_sheet", corners=True)
    return accepted(photo, best, likeness)


def from_corners(photo: np.ndarray, size: tuple[float, float], corners: Array, likeness: Likeness | None = None) -> SheetMap:
    """The map of four corners set by hand, drawn to the paper's edge where one is near. Raises `Refused`."""
    _looks_at_something(photo)
    corners = np.asarray(corners, float)
    if (
        not cv2.isContourConvex(corners.astype(np.float32))
        or cv2.contourArea(corners.astype(np.float32)) < 0.02 * photo.shape[0] * photo.shape[1]
    ):
        raise Refused("corners", corners=True)
    plain = by_corners(photo, size, corners)
    fine = fit_map(photo, corners, None, size)
    if fine is not None and fine.residual_mm < MOST_RESIDUAL_MM:
        moved = np.hypot(*(fine.to_photo(np.array([[0, 0], [size[0], 0], size, [0, size[1]]], float)) - corners).T).max()
        if moved < 2.5 * plain.px_per_mm:
            plain = replace(fine, found_by="corners")
    return accepted(photo, plain, likeness)


def accepted(photo: np.ndarray, found: SheetMap, likeness: Likeness | None) -> SheetMap:
    """The map when the photo is fine and sharp enough and shows this portrait. Raises `Refused`."""
    if found.px_per_mm < LEAST_PX_MM:
        raise Refused("small", px=found.px_per_mm)
    like = likeness(found.flat(photo, 1.0)) if likeness is not None else np.nan
    if found.edge_mm > MOST_EDGE_MM and found.found_by != "corners":
        if sharpest_px(photo) > MOST_EDGE_MM * found.px_per_mm:
            # soft sides of something unlike the portrait may be no sheet's: corners that are set by hand would tell
            raise Refused("blurred", corners=like < LEAST_LIKENESS, mm=found.edge_mm)
        if not like >= LEAST_LIKENESS:  # a sharp photo with soft sides: what was found is no sheet
            raise Refused("no_sheet", corners=True)
    if like < LEAST_LIKENESS:
        raise Refused("other", corners=found.found_by != "corners")
    return found


def sharpest_px(photo: np.ndarray) -> float:
    """Width in pixels of the sharpest strong edges in a photo (h, w, 3) uint8, as their step over their steepest slope; infinite without any."""
    grey = cv2.GaussianBlur(cv2.cvtColor(photo, cv2.COLOR_RGB2GRAY), (0, 0), 0.7).astype(np.float32)
    slope = np.hypot(cv2.Sobel(grey, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(grey, cv2.CV_32F, 0, 1, scale=1 / 8))
    window = np.ones((15, 15), np.uint8)
    step = cv2.dilate(grey, window) - cv2.erode(grey, window)
    crest = (step > 40) & (slope > 1) & (slope >= cv2.dilate(slope, np.ones((5, 5), np.uint8)))
    return float(np.percentile(step[crest] / slope[crest], 10)) if crest.sum() > 50 else float("inf")


def _looks_at_something(photo: np.ndarray) -> None:
    if min(photo.shape[:2]) < 300:
        raise Refused("small", px=min(photo.shape[:2]) / 300)
    some = photo[:: max(1, photo.shape[0] // 400), :: max(1, photo.shape[1] // 400)].astype(float)
    low, high = np.percentile(some, [1, 99])
    if high < 40:
        raise Refused("dark")
    if low > 235:
        raise Refused("burnt")
    if high - low < 12:
        raise Refused("no_sheet", corners=True)


def _upright(photo: np.ndarray, quad: Array, size: tuple[float, float], likeness: Likeness | None) -> list[Array]:
    """The corners (4, 2) clockwise, the picture's top left first: the ways round whose sides fit the sheet, the likeliest first."""
    ways = []
    for turn in range(4):
        q = np.roll(quad, -turn, 0)
        w, h = np.hypot(*(q[1] - q[0])) + np.hypot(*(q[2] - q[3])), np.hypot(*(q[2] - q[1])) + np.hypot(*(q[3] - q[0]))
        if abs(np.log(w / h / (size[0] / size[1]))) > 0.45:
            continue
        like = likeness(by_corners(photo, size, q).flat(photo, 1.0)) if likeness is not None else np.nan
        upright = -float(np.hypot(*q[0])) / max(photo.shape[:2])
        ways.append((like if np.isfinite(like) else upright, turn, q))
    ways.sort(key=lambda v: (-v[0], v[1]))
    return [q for _like, _turn, q in ways]


def candidates(photo: np.ndarray, strip: FoundStrip | None, size: tuple[float, float]) -> list[Array]:
    """Quadrilaterals (4, 2) that may be the sheet, the likeliest first: light or dark parts and what edges enclose, hulled to four corners, ranked
    by the colour step of their weakest side and by how well their sides fit the sheet (in mm by the strip, else by proportion).
    """
    if strip is not None:
        photo = _without_strip(photo, strip)
    k = _LONG / max(photo.shape[:2])
    small = cv2.resize(photo, None, fx=k, fy=k, interpolation=cv2.INTER_AREA)
    lab = cv2.cvtColor(cv2.GaussianBlur(small, (0, 0), 1.2).astype(np.float32) / 255, cv2.COLOR_RGB2Lab)
    soft = cv2.GaussianBlur(small, (0, 0), 1)
    out: list[tuple[float, Array]] = []
    for channel in (lab[..., 0], lab[..., 1], lab[..., 2], soft[..., 0].astype(np.float32), soft[..., 2].astype(np.float32)):
        low, high = np.percentile(channel, [1, 99])
        u = np.clip((channel - low) / (high - low + 1e-6) * 255, 0, 255).astype(np.uint8)
        middle, _ = cv2.threshold(u, 0, 255, cv2.THRESH_OTSU)
        masks = [(u > min(250, middle * f)).astype(np.uint8) for f in (0.6, 0.8, 1, 1.2, 1.4)]
        masks += [1 - m for m in masks]
        masks += [1 - (cv2.dilate(cv2.Canny(u, a, b), np.ones((3, 3))) > 0).astype(np.uint8) for a, b in ((20, 60), (8, 24))]
        for mask in masks:
            for quad in _quads(mask):
                step = _weakest_side(lab, quad)
                if step > _STEP:
                    out.append((step * _fits(quad / k, strip, size), quad / k))
    out.sort(key=lambda v: -v[0])
    kept: list[Array] = []
    for _score, quad in out:
        if all(np.hypot(*(quad - q).T).max() > 0.01 * max(photo.shape[:2]) for q in kept):
            kept.append(quad)
    return kept


def _without_strip(photo: np.ndarray, strip: FoundStrip) -> np.ndarray:
    """The strip painted over with the board beside it: else its outline joins the sheet's."""
    w, h = SIZE_MM
    ring = np.array([[x, h + 4] for x in np.linspace(0, w, 40)] + [[x, h / 2] for x in (-5, -7, w + 5, w + 7)])
    at = strip.at(ring).round().astype(int)
    ok = (at >= 0).all(1) & (at[:, 0] < photo.shape[1]) & (at[:, 1] < photo.shape[0])
    if ok.sum() <= 3:
        return photo
    board = np.median(photo[at[ok, 1], at[ok, 0]], 0)
    poly = strip.at(np.array([[-2.0, -2], [w + 2, -2], [w + 2, h + 2], [-2, h + 2]]))
    return cv2.fillPoly(photo.copy(), [poly.round().astype(np.int32)], tuple(float(v) for v in board))


def _quads(mask: np.ndarray) -> list[Array]:
    opened = cv2.morphologyEx(mask, cv2.MORPH_OPEN, np.ones((5, 5)))
    contours, _ = cv2.findContours(opened, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    out = []
    for c in sorted(contours, key=cv2.contourArea)[-3:]:
        if cv2.contourArea(c) < 0.12 * mask.size:
            continue
        hull = cv2.convexHull(c)
        for share in (0.01, 0.02, 0.035):
            q = cv2.approxPolyDP(hull, share * cv2.arcLength(hull, True), True)
            if len(q) == 4:
                p = q.reshape(4, 2).astype(float)
                o = np.argsort(np.arctan2(*(p - p.mean(0)).T[::-1]))
                out.append(p[o])
                break
    return out


def _weakest_side(lab: Array, quad: Array) -> float:
    """Colour step across the weakest of four sides."""
    out, middle = [], quad.mean(0)
    h, w = lab.shape[:2]
    for i in range(4):
        a, b = quad[i], quad[(i + 1) % 4]
        p = a + (b - a) * np.linspace(0.06, 0.94, 40)[:, None]
        normal = inward(a, b, middle)

        def at(off: float, p: Array = p, normal: Array = normal) -> Array:
            r = np.clip(np.round(p + normal * off).astype(int), 0, [w - 1, h - 1])
            return np.asarray(lab[r[:, 1], r[:, 0]])

        out.append(float(np.percentile(np.linalg.norm((at(5) + at(8) - at(-5) - at(-8)) / 2, axis=1), 30)))
    return min(out)


def _fits(quad: Array, strip: FoundStrip | None, size: tuple[float, float]) -> float:
    """How well a quadrilateral's sides fit the sheet, 0–1, whichever way round it lies."""
    mm = quad if strip is None else cv2.perspectiveTransform(quad[None], np.linalg.inv(strip.to_photo))[0]
    a = (np.hypot(*(mm[1] - mm[0])) + np.hypot(*(mm[2] - mm[3]))) / 2
    b = (np.hypot(*(mm[2] - mm[1])) + np.hypot(*(mm[3] - mm[0]))) / 2
    best = 0.0
    for w, h in (size, size[::-1]):
        miss = (np.log(a / b / (w / h)) / 0.25) ** 2 if strip is None else (np.log(a / w) / 0.12) ** 2 + (np.log(b / h) / 0.12) ** 2
        best = max(best, float(np.exp(-miss / 2)))
    return best


def strip_in(photo: np.ndarray, wanted: bool = True) -> FoundStrip | None:
    """The strip in a photo, unless it is not asked for."""
    return find_strip(photo) if wanted else None
