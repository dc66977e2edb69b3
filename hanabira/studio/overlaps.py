"""Which areas lie over which: ranks and boxes of all areas of a photo, worked out once for each state of them."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING

import numpy as np
import shapely

from hanabira.core.area.shape import Point, RingAndCurve, ring_area, smooth_ring

if TYPE_CHECKING:
    from shapely import Polygon

    from hanabira.studio.records import Area


Ring = tuple[Point, ...]
IN_THE_WAY = "in-the-way"
"""Surface of what is not drawn: the areas under it go on below."""


@lru_cache(maxsize=4096)
def box_of(ring: Ring, smooth: bool) -> tuple[float, float, float, float]:
    """Left, top, right, bottom of an outline as it is drawn, in photo pixels."""
    shape = curve_of(ring, smooth)
    if shape.is_empty:  # a line folded onto itself
        p = np.asarray(ring, float)
        return float(p[:, 0].min()), float(p[:, 1].min()), float(p[:, 0].max()), float(p[:, 1].max())
    return shape.bounds


@lru_cache(maxsize=4096)
def size_of(ring: Ring) -> float:
    """Area inside an outline in square photo pixels."""
    return abs(ring_area(ring))


@lru_cache(maxsize=4096)
def polygon_of(ring: Ring, holes: tuple[Ring, ...] = ()) -> Polygon:
    """A valid polygon of an outline and its holes, in photo pixels; do not change it."""
    shape = shapely.Polygon(ring, [h for h in holes if len(h) > 2])
    return shape if shape.is_valid else shape.buffer(0)


@lru_cache(maxsize=4096)
def drawn(ring: Ring, smooth: bool) -> np.ndarray:
    """Points (n, 2) of an outline as it is drawn, in photo pixels; not to be written to."""
    points = smooth_ring(ring) if smooth and len(ring) > 2 else np.asarray(ring, float)
    points.flags.writeable = False
    return points


@lru_cache(maxsize=4096)
def curve_of(ring: Ring, smooth: bool, holes: tuple[Ring, ...] = ()) -> Polygon:
    """A polygon of the outlines as they are drawn, to ask about points; do not change it."""
    inner = [shapely.linearrings(drawn(h, smooth)) for h in holes if len(h) > 2]
    return shapely.polygons(drawn(ring, smooth), holes=inner or None)


class Overlaps:
    """Order of areas where they overlap: higher levels first, then smaller areas."""

    def __init__(self, areas: Sequence[Area]) -> None:
        self.areas = areas
        self._at = {a.id: k for k, a in enumerate(areas)}
        self._over: dict[str, tuple[Area, ...]] = {}

    @cached_property
    def _ranks(self) -> np.ndarray:
        order = sorted(range(len(self.areas)), key=lambda k: (self.areas[k].level, -size_of(self.areas[k].ring)))
        ranks, rank = np.zeros(len(order), int), -1
        before: tuple[int, float] | None = None
        for k in order:  # alike in both: neither lies over the other
            now = (self.areas[k].level, -size_of(self.areas[k].ring))
            rank += now != before
            ranks[k], before = rank, now
        return ranks

    @cached_property
    def _boxes(self) -> np.ndarray:
        return np.array([box_of(a.ring, a.smooth) for a in self.areas]).reshape(-1, 4)

    def over(self, area: Area) -> tuple[Area, ...]:
        """The areas that lie over one where their boxes meet; in the order in which the areas come."""
        known = self._over.get(area.id)
        k = self._at.get(area.id)
        if k is not None and self.areas[k] is area and known is not None:
            return known
        rank: float
        if k is not None and self.areas[k] is area:
            rank, (left, top, right, bottom) = float(self._ranks[k]), self._boxes[k]
        else:  # an area as it would be
            lower = [
                r for a, r in zip(self.areas, self._ranks, strict=True) if (a.level, -size_of(a.ring)) <= (area.level, -size_of(area.ring))
            ]
            rank, (left, top, right, bottom) = float(max(lower, default=-1)), box_of(area.ring, area.smooth)
        b = self._boxes
        if not len(b):
            return ()
        meet = (b[:, 0] <= right) & (b[:, 2] >= left) & (b[:, 1] <= bottom) & (b[:, 3] >= top) & (self._ranks > rank)
        found = tuple(self.areas[i] for i in np.flatnonzero(meet).tolist() if self.areas[i].id != area.id)
        if k is not None and self.areas[k] is area:
            self._over[area.id] = found
        return found

    def outlines_over(self, area: Area) -> tuple[RingAndCurve, ...]:
        """Their outlines, as the measures take them; of what is in the way nothing is cut out."""
        return tuple((a.ring, a.smooth) for a in self.over(area) if a.surface_id != IN_THE_WAY)

    def in_the_way(self, area: Area) -> tuple[RingAndCurve, ...]:
        """Outlines of what the artist says is in the way of an area."""
        return tuple((a.ring, a.smooth) for a in self.over(area) if a.surface_id == IN_THE_WAY)

    def upward(self) -> list[Area]:
        """All areas, the lowest first."""
        return [self.areas[k] for k in np.argsort(self._ranks, kind="stable")]
