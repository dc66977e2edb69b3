"""A place of an area: what it is called, where it lies, what colour it has; and the map of all of them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

KINDS = ("band", "marking", "ground", "part")


@dataclass(frozen=True)
class Place:
    """One place. ``photo_lab`` is the median Lab of its pixels, ``share`` its part of the area (0–1), ``box`` x, y, width, height in
    photo pixels, ``group`` what it belongs to (coat, ground, marking, part, eye, skin, nose). A ``reserved`` place keeps its paper.
    """

    id: str
    name: str
    kind: str
    group: str
    photo_lab: tuple[float, float, float]
    share: float
    box: tuple[int, int, int, int]
    reserved: bool = False


@dataclass(frozen=True)
class Places:
    """All places of an area and where they lie.

    ``labels`` (h, w) uint8 holds each pixel's place by its number from 1, 0 where there is none; a pixel of it is
    ``scale`` photo pixels wide and the first one lies at ``origin``. ``notes`` are keys of sentences that the artist must be told.
    """

    all: tuple[Place, ...]
    labels: np.ndarray
    origin: tuple[float, float]
    scale: float
    notes: tuple[str, ...] = ()
    mm: float = 0.0
    """Millimetres of the drawing that a pixel of the map is wide; 0 when nobody said."""

    def __len__(self) -> int:
        return len(self.all)

    def __iter__(self) -> Iterator[Place]:
        return iter(self.all)

    @property
    def ids(self) -> tuple[str, ...]:
        """Ids in order."""
        return tuple(p.id for p in self.all)

    def get(self, key: str) -> Place | None:
        """A place by its id."""
        return next((p for p in self.all if p.id == key), None)

    def mask(self, keys: Sequence[str]) -> np.ndarray:
        """Pixels of some places on the map, (h, w) bool."""
        return np.isin(self.labels, [n for n, p in enumerate(self.all, 1) if p.id in keys])


def labels_at(places: Places, shape: tuple[int, int], corner: tuple[float, float], k: float) -> np.ndarray:
    """The map of places on another raster (rows, columns): its first pixel lies at the photo pixel ``corner``, ``k`` of its pixels are one of the photo."""
    h, w = places.labels.shape
    x = np.floor((corner[0] + (np.arange(shape[1]) + 0.5) / k - places.origin[0]) / places.scale).astype(int)
    y = np.floor((corner[1] + (np.arange(shape[0]) + 0.5) / k - places.origin[1]) / places.scale).astype(int)
    out = np.zeros(shape, np.uint8)
    ok_x, ok_y = (x >= -1) & (x <= w), (y >= -1) & (y <= h)
    out[np.ix_(ok_y, ok_x)] = places.labels[np.ix_(np.clip(y[ok_y], 0, h - 1), np.clip(x[ok_x], 0, w - 1))]
    return out


def as_planned(found: Places, planned: Sequence[Place]) -> Places:
    """The map of places found today for a recipe that was planned by others.

    Where the same places were found they are shown in today's colours; else (another light, another outline) they stay as they were planned,
    and each found place counts to the planned one of the nearest colour.
    """
    today = {p.id: p for p in found}
    numbers = np.zeros(len(found) + 1, np.uint8)
    if {p.id for p in planned} == today.keys():
        order = [p.id for p in planned]
        for n, p in enumerate(found, 1):
            numbers[n] = 1 + order.index(p.id)
        return replace(found, all=tuple(today[k] for k in order), labels=numbers[found.labels])
    colours = np.array([p.photo_lab for p in planned], float)
    for n, p in enumerate(found, 1):
        same = next((k for k, q in enumerate(planned) if q.id == p.id), None)
        numbers[n] = 1 + (int(((colours - p.photo_lab) ** 2).sum(1).argmin()) if same is None else same)
    return replace(found, all=tuple(planned), labels=numbers[found.labels])
