"""How a photo may lie on a sheet: where the animal seems to be, the frame that keeps it, and three shapes of sheet.

Where an animal is cannot be told from a photo by itself: what is found here is where the picture differs from its own rim and is sharp. It
may only keep a frame from cutting there, and is always said to be a guess; a cut-out that the artist made is exact. How often it keeps the
animal is measured by ``python -m benchmarks.framing``.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, bytes_to_lab

SIDE = 192
"""Longer side at which a photo is looked at."""
RIM, GROUNDS = 0.06, 4
"""The rim as a share of the shorter side, and how many colours its ground may have."""
PAD = 0.12
"""A guess is widened by this share of the photo at each side: on thirteen photographs the bare one left a fifth of the animal outside."""
HOLDS = 0.98
"""Share of the place, by area, that a frame must hold so that it counts as whole."""
LEAST_SHARE, LEAST_PX_MM = 0.01, 0.5
"""Less of a photo, or fewer of its pixels a millimetre, shows nothing of a hide."""
STEP_MM = 5.0
"""Sheets are cut to so many millimetres."""

Crop = tuple[float, float, float, float]


class Box(NamedTuple):
    """Where something lies in a photo: left, top, right, bottom as shares of its width and height."""

    left: float
    top: float
    right: float
    bottom: float

    def in_pixels(self, size: tuple[int, int]) -> Crop:
        """x, y, width, height in a photo of that size."""
        w, h = size
        return self.left * w, self.top * h, (self.right - self.left) * w, (self.bottom - self.top) * h


def seems(pixels: np.ndarray) -> Box:
    """Where the animal seems to be in a photo, uint8 (H, W, 3); the whole of one that is alike everywhere."""
    k = SIDE / max(pixels.shape[:2])
    small = cv2.resize(pixels, None, fx=k, fy=k, interpolation=cv2.INTER_AREA if k < 1 else cv2.INTER_LINEAR)
    lab = cv2.GaussianBlur(bytes_to_lab(np.ascontiguousarray(small)).astype(np.float32), (0, 0), 2)
    h, w = lab.shape[:2]
    y, x = np.mgrid[0:h, 0:w]
    middle = np.exp(-(((x / w - 0.5) / 0.42) ** 2 + ((y / h - 0.5) / 0.42) ** 2) / 2)
    interest = (0.5 * _share(_off_ground(lab)) + 0.5 * _share(_sharpness(small))) * middle
    smooth = cv2.GaussianBlur(interest.astype(np.float32), (0, 0), 3)
    if float(smooth.max() - smooth.min()) < 1e-3:
        return Box(0.0, 0.0, 1.0, 1.0)
    grey = (255 * smooth / smooth.max()).astype(np.uint8)
    limit, _ = cv2.threshold(grey, 0, 255, cv2.THRESH_OTSU)
    count, parts = cv2.connectedComponents((grey >= 0.9 * limit).astype(np.uint8))
    best = max(range(1, count), key=lambda n: float(smooth[parts == n].sum()), default=0)
    if not best:
        return Box(0.0, 0.0, 1.0, 1.0)
    rows, columns = np.nonzero(parts == best)
    left, right = np.quantile(columns, (0.02, 0.98)) / w
    top, bottom = np.quantile(rows, (0.02, 0.98)) / h
    return Box(max(0.0, left - PAD), max(0.0, top - PAD), min(1.0, right + 1 / w + PAD), min(1.0, bottom + 1 / h + PAD))


def _off_ground(lab: Array) -> Array:
    """ΔE76 of every pixel from the nearest colour of the photo's rim."""
    h, w = lab.shape[:2]
    n = max(2, round(RIM * min(h, w)))
    rim = np.ones((h, w), bool)
    rim[n:-n, n:-n] = False
    cv2.setRNGSeed(1)
    stop = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 20, 0.5)
    found = np.ascontiguousarray(lab[rim])
    _fit, _labels, grounds = cv2.kmeans(found, min(GROUNDS, len(found)), None, stop, 2, cv2.KMEANS_PP_CENTERS)
    return np.linalg.norm(lab[:, :, None] - grounds[None, None], axis=-1).min(-1)


def _sharpness(pixels: np.ndarray) -> Array:
    grey = cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY).astype(np.float32)
    return cv2.GaussianBlur(np.abs(grey - cv2.GaussianBlur(grey, (0, 0), 1.0)), (0, 0), 3)


def _share(values: Array) -> Array:
    return np.clip(values / (float(np.percentile(values, 95)) + 1e-6), 0, 1)


def outlined(ring: Array, size: tuple[int, int]) -> Box:
    """Where a cut-out animal lies, from its outline in pixels (n, 2)."""
    points = np.asarray(ring, float).reshape(-1, 2) / np.array(size, float)
    (left, top), (right, bottom) = np.clip(points.min(0), 0, 1), np.clip(points.max(0), 0, 1)
    return Box(float(left), float(top), float(right), float(bottom))


def framed(size: tuple[int, int], aspect: float, box: Box) -> Crop:
    """The largest crop with proportions ``aspect`` = width / height that lies as well over the place as the photo allows.

    >>> framed((200, 100), 1.0, Box(0.6, 0.0, 1.0, 1.0))
    (100.0, 0.0, 100.0, 100.0)
    """
    w, h = size
    cw, ch = (h * aspect, float(h)) if w / h > aspect else (float(w), w / aspect)
    x, y, bw, bh = box.in_pixels(size)
    return min(max(0.0, x + bw / 2 - cw / 2), w - cw), min(max(0.0, y + bh / 2 - ch / 2), h - ch), cw, ch


def held(crop: Crop, size: tuple[int, int], box: Box) -> float:
    """Share of the place that lies in a crop, by area, 0–1."""
    x, y, w, h = box.in_pixels(size)
    wide = min(x + w, crop[0] + crop[2]) - max(x, crop[0])
    high = min(y + h, crop[1] + crop[3]) - max(y, crop[1])
    return max(0.0, wide) * max(0.0, high) / max(1e-9, w * h)


def cut_sides(crop: Crop, size: tuple[int, int], box: Box, slack: float = 0.01) -> tuple[str, ...]:
    """At which sides a crop cuts the place, in reading order; ``slack`` of the photo does not count."""
    x, y, w, h = box.in_pixels(size)
    sx, sy = slack * size[0], slack * size[1]
    sides = {
        "left": crop[0] - x > sx, "top": crop[1] - y > sy,
        "right": x + w - crop[0] - crop[2] > sx, "bottom": y + h - crop[1] - crop[3] > sy,
    }  # fmt: skip
    return tuple(k for k, cut in sides.items() if cut)


@dataclass(frozen=True)
class SheetShape:
    """A way for a photo to lie on a sheet: ``key`` is ordered, turned or photo; the sheet in mm, the crop in pixels, the share of the animal's place
    that it holds, and of the photo that it leaves off.
    """

    key: str
    width_mm: float
    height_mm: float
    crop: Crop
    holds: float
    off: float

    @property
    def whole(self) -> bool:
        """Whether the place lies on the sheet."""
        return self.holds >= HOLDS


def sheet_shapes(size: tuple[int, int], sheet_mm: tuple[float, float], border_mm: float, box: Box) -> tuple[SheetShape, ...]:
    """The sheet as ordered, turned, and one of the same area in the photo's own proportions; those that are alike once."""
    w_mm, h_mm = sheet_mm
    pw, ph = w_mm - 2 * border_mm, h_mm - 2 * border_mm
    k = (pw * ph / (size[0] * size[1])) ** 0.5
    own = tuple(max(STEP_MM, round((k * v + 2 * border_mm) / STEP_MM) * STEP_MM) for v in size)
    out: list[SheetShape] = []
    for key, (w, h) in (("ordered", (w_mm, h_mm)), ("turned", (h_mm, w_mm)), ("photo", own)):
        if w <= 2 * border_mm or h <= 2 * border_mm or any(abs(q.width_mm - w) < STEP_MM and abs(q.height_mm - h) < STEP_MM for q in out):
            continue
        crop = framed(size, (w - 2 * border_mm) / (h - 2 * border_mm), box)
        out.append(SheetShape(key, w, h, crop, held(crop, size, box), 1 - crop[2] * crop[3] / (size[0] * size[1])))
    return tuple(out)


def proposed(shapes: tuple[SheetShape, ...]) -> SheetShape:
    """The sheet as ordered where it holds the place; else turned, where that holds it, or clearly more of it; else as ordered."""
    named = {q.key: q for q in shapes}
    ordered, turned = named["ordered"], named.get("turned")
    if ordered.whole or turned is None:
        return ordered
    return turned if turned.whole or turned.holds > ordered.holds + 0.05 else ordered


def least_width(size: tuple[int, int], picture_mm: tuple[float, float]) -> float:
    """The narrowest crop of a photo that still makes a portrait, in pixels; never wider than the widest that there is."""
    aspect = picture_mm[0] / picture_mm[1]
    widest = min(size[0], size[1] * aspect)
    return min(widest, max(LEAST_PX_MM * picture_mm[0], (LEAST_SHARE * size[0] * size[1] * aspect) ** 0.5))
