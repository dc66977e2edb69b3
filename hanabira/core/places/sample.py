"""An area made small for finding its places, what finders hand over, and the map that is made of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from hanabira.core.area.shape import Region, at_size
from hanabira.core.colour.spaces import Array, bytes_to_lab
from hanabira.core.places.hand_scale import Hand, at_hand
from hanabira.core.places.place import Place, Places

LEAST_PX = 12
"""A place of fewer pixels is a speck."""


@dataclass(frozen=True)
class Sample:
    """A region at a hand's pitch: ``lab`` (h, w, 3), ``mask`` (h, w) bool, the bytes it was made from, photo pixels and mm of the drawing a pixel."""

    lab: Array
    mask: np.ndarray
    pixels: np.ndarray
    origin: tuple[float, float]
    scale: float
    mm: float


def sample(region: Region, side: int) -> Sample:
    """A region at no more than ``side`` pixels; nothing is said of its size on paper."""
    return _sample(region, at_size(region, side) if max(region.mask.shape) > side else region)


def sample_at(region: Region, hand: Hand) -> Sample:
    """A region at a hand's pitch."""
    small, mm = at_hand(region, hand)
    return _sample(region, small, mm)


def _sample(region: Region, small: Region, mm: float = 0.0) -> Sample:
    pixels, scale = np.ascontiguousarray(small.pixels), region.mask.shape[1] / small.mask.shape[1]
    return Sample(bytes_to_lab(pixels).astype(np.float32), small.mask, pixels, (float(region.left), float(region.top)), scale, mm)


@dataclass(frozen=True)
class FoundPlace:
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
    found: Sequence[FoundPlace],
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
        out.append(Place(
            f.id, f.name, f.kind, group=f.group, photo_lab=(float(v[0]), float(v[1]), float(v[2])), share=len(ys) / whole, box=box,
            reserved=f.reserved,
        ))
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
