"""Outlines of areas: from points on the photo to a mask of its pixels."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import cv2
import numpy as np

from hanabira.core.faults import AreaFault

if TYPE_CHECKING:
    from hanabira.core.colour.spaces import Array

Point = tuple[float, float]
EDGES = ("lost", "soft", "firm")
"""How soft an edge between two areas is."""
SMALLEST_PX = 64
"""An area of fewer pixels cannot be measured."""
WHOLLY, RIM_PX = 0.92, 2
"""Coverage from which a pixel is animal and nothing else; so many pixels beside the rest are left out as well."""


@dataclass(frozen=True)
class Region:
    """A rectangular cut of a photo with the area's mask. ``pixels`` (h, w, 3) uint8 sRGB, ``mask`` (h, w) bool.

    ``outside`` is the share of the outline that was left out because it is not animal.
    """

    pixels: np.ndarray
    mask: np.ndarray
    left: int
    top: int
    outside: float = 0.0


def at_size(region: Region, side: int) -> Region:
    """A region with a longer side of so many pixels, made smaller or larger: what depends on the animal must not depend on the photo's size."""
    return resized(region, side / max(region.mask.shape))


def resized(region: Region, k: float) -> Region:
    """A region whose pixels are made so many times as many along each side; where it lies is still told in photo pixels."""
    size = max(8, round(region.mask.shape[1] * k)), max(8, round(region.mask.shape[0] * k))
    return replace(
        region,
        pixels=cv2.resize(region.pixels, size, interpolation=cv2.INTER_AREA if k < 1 else cv2.INTER_CUBIC),
        mask=cv2.resize(region.mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0,
    )


def ring_area(points: Sequence[Point]) -> float:
    """Signed area of a ring of points (shoelace), in square pixels.

    >>> ring_area([(0, 0), (4, 0), (4, 3), (0, 3)])
    12.0
    """
    p = np.asarray(points, float)
    if len(p) < 3:
        return 0.0
    q = np.roll(p, -1, 0)
    return float((p[:, 0] * q[:, 1] - q[:, 0] * p[:, 1]).sum() / 2)


def rectangle(x: float, y: float, w: float, h: float) -> tuple[Point, ...]:
    """Corners of a rectangle."""
    return ((x, y), (x + w, y), (x + w, y + h), (x, y + h))


def smooth_ring(points: Sequence[Point] | Array, per_edge: int = 6) -> Array:
    """The closed Catmull–Rom curve through the points, sampled, (n·per_edge, 2).

    Source: Catmull and Rom (1974), uniform parametrisation.
    """
    p = np.asarray(points, float)
    if len(p) < 3:
        return p
    round_ = np.concatenate([p[-1:], p, p[:2]])[:, None]
    a, b, c, d = round_[:-3], round_[1:-2], round_[2:-1], round_[3:]
    t = (np.arange(per_edge) / per_edge)[None, :, None]
    curve = 0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2 + (3 * b - a - 3 * c + d) * t**3)
    return curve.reshape(-1, 2)


def simplify_ring(points: Sequence[Point], tolerance: float) -> tuple[Point, ...]:
    """A drawn ring with fewer points, none farther than ``tolerance`` pixels from it (Douglas and Peucker 1973)."""
    p = np.asarray(points, np.float32)
    if len(p) < 4:
        return tuple((float(x), float(y)) for x, y in p)
    kept = cv2.approxPolyDP(p[:, None], float(tolerance), True)[:, 0]
    if len(kept) < 3:
        kept = p[:: max(1, len(p) // 3)][:3]
    return tuple((float(x), float(y)) for x, y in kept)


def fill_ring(points: Array, rows: int, columns: int) -> Array:
    """Pixels whose centre lies inside a ring by the even-odd rule, (rows, columns) bool.

    >>> int(fill_ring(np.array([(1, 1), (5, 1), (5, 4), (1, 4)]), 8, 8).sum())
    12
    """
    a, b = np.asarray(points, float), np.roll(np.asarray(points, float), -1, 0)
    toggles = np.zeros((rows, columns + 1), np.uint8)  # only whether a count is odd matters, so it may run over
    centre = np.arange(rows) + 0.5
    low, high = np.minimum(a[:, 1], b[:, 1]), np.maximum(a[:, 1], b[:, 1])
    row, edge = np.nonzero((centre[:, None] >= low) & (centre[:, None] < high))
    x = a[edge, 0] + (centre[row] - a[edge, 1]) * (b[edge, 0] - a[edge, 0]) / (b[edge, 1] - a[edge, 1])
    np.add.at(toggles, (row, np.clip(np.ceil(x - 0.5), 0, columns).astype(int)), 1)
    return (np.cumsum(toggles, 1, dtype=np.uint8)[:, :columns] & 1).view(bool)


RingAndCurve = tuple[Sequence[Point], bool]
"""A ring and whether it is drawn smooth."""


def cut(
    photo: np.ndarray, ring: Sequence[Point], smooth: bool = False, holes: Sequence[Sequence[Point]] = (), over: Sequence[RingAndCurve] = (),
    coverage: np.ndarray | None = None,
) -> Region:  # fmt: skip
    """Cut the region of a ring out of a photo (h, w, 3) uint8, without its holes and without what lies over it.

    ``holes`` are rings drawn like the outline, ``over`` the outlines of areas on top. ``coverage`` (any size, 0–1 or 0–255) says how much of each
    pixel is animal once it is cut out: a pixel that is not wholly animal holds backdrop, and is left out. Raises `AreaFault` when the ring has no inside, lies outside the picture or is too small.
    """
    if photo.ndim != 3 or photo.shape[2] != 3 or photo.dtype != np.uint8:
        raise ValueError("a photo is (rows, columns, 3) of uint8")
    points = np.asarray(ring, float)
    if points.ndim != 2 or points.shape[1:] != (2,) or len(points) < 3 or not np.isfinite(points).all():
        raise AreaFault("An area needs at least three corners.", do="Draw its outline again.")
    if smooth:
        points = smooth_ring(points)
    h, w = photo.shape[:2]
    low, high = np.floor(points.min(0)).astype(int), np.ceil(points.max(0)).astype(int)
    x0, y0, x1, y1 = max(0, low[0]), max(0, low[1]), min(w, high[0] + 1), min(h, high[1] + 1)
    if x1 <= x0 or y1 <= y0:
        raise AreaFault("The area lies outside the photo.", do=f"The photo is {w} × {h} pixels.")
    inside = fill_ring(points - (x0, y0), y1 - y0, x1 - x0)
    for other, soft in (*((q, smooth) for q in holes), *over):
        q = smooth_ring(other) if soft else np.asarray(other, float)
        if len(q) > 2 and (q.max(0) > (x0, y0)).all() and (q.min(0) < (x1, y1)).all():
            inside &= ~fill_ring(q - (x0, y0), y1 - y0, x1 - x0)
    outside = 0.0
    if coverage is not None and inside.any():
        animal = inside & _animal(coverage, (h, w), (x0, y0, x1, y1))
        outside = 1 - float(animal.sum() / inside.sum())
        if animal.sum() < SMALLEST_PX:
            raise AreaFault(
                "The area lies beside the animal that was cut out.", do="Draw it on the animal, or set the cut-out right in Study."
            )
        inside = animal
    if inside.sum() < SMALLEST_PX:
        raise AreaFault(
            f"The area holds only {int(inside.sum())} pixels; {SMALLEST_PX} are needed.", do="Draw it larger, or use a larger photo."
        )
    return Region(photo[y0:y1, x0:x1], inside, int(x0), int(y0), outside)


def _animal(coverage: np.ndarray, size: tuple[int, int], box: tuple[int, int, int, int]) -> np.ndarray:
    """Pixels of a box (left, top, right, bottom) of a photo of ``size`` (h, w) that are wholly animal; their rim is left out too."""
    full = 255.0 if coverage.dtype == np.uint8 else 1.0
    ky, kx = coverage.shape[0] / size[0], coverage.shape[1] / size[1]
    x = np.clip(((np.arange(box[0], box[2]) + 0.5) * kx).astype(int), 0, coverage.shape[1] - 1)
    y = np.clip(((np.arange(box[1], box[3]) + 0.5) * ky).astype(int), 0, coverage.shape[0] - 1)
    found = (coverage[np.ix_(y, x)] >= WHOLLY * full).astype(np.uint8)
    return cv2.erode(found, np.ones((2 * RIM_PX + 1, 2 * RIM_PX + 1), np.uint8), borderValue=1) > 0
