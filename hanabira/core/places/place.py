"""A place of an area: what it is called, where it lies, what colour it has; and the map of all of them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from hanabira.core.area.shape import Region
from hanabira.core.colour.spaces import Array, bytes_to_lab

SIDE = 320
"""Longer side in pixels at which places are looked for: a swatch of fur shows its values there, and nothing finer is planned."""
LEAST_PX = 12
"""A place of fewer pixels is a speck."""
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


@dataclass(frozen=True)
class Sample:
    """A region made small: ``lab`` (h, w, 3), ``mask`` (h, w) bool, the bytes it was made from, and photo pixels a pixel."""

    lab: Array
    mask: np.ndarray
    pixels: np.ndarray
    origin: tuple[float, float]
    scale: float


def sample(region: Region, side: int = SIDE) -> Sample:
    """A region at no more than ``side`` pixels."""
    k = min(1.0, side / max(region.mask.shape))
    size = max(8, round(region.mask.shape[1] * k)), max(8, round(region.mask.shape[0] * k))
    pixels = cv2.resize(region.pixels, size, interpolation=cv2.INTER_AREA) if k < 1 else np.ascontiguousarray(region.pixels)
    mask = cv2.resize(region.mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0 if k < 1 else region.mask
    return Sample(
        bytes_to_lab(pixels).astype(np.float32), mask, pixels, (float(region.left), float(region.top)), region.mask.shape[1] / size[0]
    )


@dataclass(frozen=True)
class Found:
    """A place as a finder hands it over: its core is measured, the map gives it the pixels that are nearest to it."""

    id: str
    name: str
    kind: str
    group: str
    core: np.ndarray
    reserved: bool = False
    own_lab: tuple[float, float, float] | None = None

    def lab(self, lab: Array) -> Array:
        """Its colour: said, or the median of its core."""
        return np.asarray(self.own_lab, float) if self.own_lab is not None else np.median(lab[self.core], 0).astype(float)


def described(
    found: Sequence[Found],
    labels: np.ndarray,
    lab: Array,
    inside: np.ndarray,
    origin: tuple[float, float],
    scale: float,
    notes: Sequence[str] = (),
) -> Places:
    """Places from what was found and the map of their pixels; those without pixels are left out."""
    out, numbers = [], np.zeros(len(found) + 1, np.uint8)
    whole = max(1, int(inside.sum()))
    for n, f in enumerate(found, 1):
        ys, xs = np.nonzero(labels == n)
        if len(ys) < 1:
            continue
        v = f.lab(lab)
        box = (
            int(origin[0] + xs.min() * scale),
            int(origin[1] + ys.min() * scale),
            max(1, round((np.ptp(xs) + 1) * scale)),
            max(1, round((np.ptp(ys) + 1) * scale)),
        )
        out.append(Place(f.id, f.name, f.kind, f.group, (float(v[0]), float(v[1]), float(v[2])), len(ys) / whole, box, f.reserved))
        numbers[n] = len(out)
    return Places(tuple(out), numbers[labels], origin, scale, tuple(notes))


def two_clusters(colours: Array, rounds: int = 12) -> tuple[np.ndarray, float, float]:
    """Two means of colours (n, d): which belongs to the second, the distance of their medians, and the smaller one's share.

    Started along the principal axis, so that the answer is the same each time (Lloyd 1982).
    """
    q = colours - colours.mean(0)
    axis = np.linalg.eigh(q.T @ q)[1][:, -1]
    second = (q @ axis) > 0
    for _ in range(rounds):
        if second.all() or not second.any():
            return second, 0.0, 0.0
        a, b = colours[~second].mean(0), colours[second].mean(0)
        now = ((colours - b) ** 2).sum(1) < ((colours - a) ** 2).sum(1)
        if (now == second).all():
            break
        second = now
    if second.all() or not second.any():
        return second, 0.0, 0.0
    gap = float(np.linalg.norm(np.median(colours[second], 0) - np.median(colours[~second], 0)))
    return second, gap, float(min(second.mean(), 1 - second.mean()))
