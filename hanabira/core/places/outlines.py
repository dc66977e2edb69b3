"""Outlines of places for drawing: calm rings and a point well inside each."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.area.shape import Point
from hanabira.core.places.place import Places

LEAST_RING = 0.02
"""A ring with less than this share of its place is a crumb and is not drawn."""


@dataclass(frozen=True)
class PlaceOutline:
    """Rings of a place in photo pixels, and the middle of its widest part."""

    rings: tuple[tuple[Point, ...], ...]
    middle: Point


def outlines(places: Places) -> Mapping[str, PlaceOutline]:
    """The outline of every place by its id."""
    out = {}
    left, top = places.origin
    for n, p in enumerate(places, 1):
        mask = (places.labels == n).astype(np.uint8)
        calm = cv2.medianBlur(mask, 5)
        mask = calm if calm.sum() > 0.5 * mask.sum() else mask
        found, _ = cv2.findContours(mask, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
        least = max(12.0, LEAST_RING * float(mask.sum()))
        kept = [_calm(q[:, 0].astype(float)) for q in found if cv2.contourArea(q) > least or len(found) == 1]
        rings = tuple(tuple((left + (x + 0.5) * places.scale, top + (y + 0.5) * places.scale) for x, y in ring) for ring in kept)
        depth = cv2.distanceTransform(np.pad(mask, 1), cv2.DIST_L2, 3)[1:-1, 1:-1]
        i, j = np.unravel_index(int(depth.argmax()), depth.shape)
        out[p.id] = PlaceOutline(rings, (float(left + (j + 0.5) * places.scale), float(top + (i + 0.5) * places.scale)))
    return out


def _calm(ring: np.ndarray) -> np.ndarray:
    """A ring without the steps of the map's pixels: a running mean along it (5 points), every other point left out."""
    if len(ring) < 8:
        return ring
    closed = np.concatenate([ring[-2:], ring, ring[:2]])
    calm = sum(closed[k : k + len(ring)] for k in range(5)) / 5
    return np.asarray(calm)[::2]
