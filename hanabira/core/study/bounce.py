"""Light that the old surroundings threw into the animal's rim: green of a lawn, blue of a wall, in its white, grey and black fur."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, bytes_to_lab, chroma
from hanabira.core.colour.words import hue_name

SIDE = 400
RIM, INNER = 0.05, 0.12
"""Depth of the rim, and depth from which fur is inner fur, as shares of the animal's side."""
WEAK_C, STRONG_C = 14.0, 8.0
"""Fur weaker than the first C* shows what falls on it; surroundings stronger than the second throw a colour."""
LEAST = 2.0
"""a*b* along the surroundings' hue by which the rim must lean more than the inner fur."""
LEAST_PX = 150
TAKES, SHADE_L = 0.08, 15.0
"""Share of its surroundings' colour that weakly coloured fur takes on where it turns away from the light: a rim leans by about two units beside a lawn of
C* 25 (`LEAST`); and by so many L* under its area's middle it lies fully in the shade. Estimates, not measured."""


@dataclass(frozen=True)
class Bounce:
    """By how much (a*b* units) the rim leans to the old surroundings' hue, and that hue in a word; ``share`` of the rim that can show it."""

    units: float
    hue: str
    share: float

    @property
    def matters(self) -> bool:
        """Whether it is worth a word."""
        return self.units >= LEAST


def bounce(pixels: np.ndarray, alpha: Array) -> Bounce | None:
    """Reflected light in the rim of the animal. ``pixels`` (h, w, 3) uint8 in its own surroundings, ``alpha`` (h, w) 0–1 its coverage.

    None where the surroundings have no colour, or too little weakly coloured fur is there to show it. Values are compared at like L*, since
    shade leans by itself.
    """
    k = min(1.0, SIDE / max(pixels.shape[:2]))
    size = max(8, round(pixels.shape[1] * k)), max(8, round(pixels.shape[0] * k))
    lab = bytes_to_lab(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)).astype(np.float32)
    cover = cv2.resize(np.asarray(alpha, np.float32), size, interpolation=cv2.INTER_AREA)
    animal = cv2.erode((cover > 0.95).astype(np.uint8), np.ones((3, 3), np.uint8), borderValue=1)
    side = float(np.sqrt(max(1, animal.sum())))
    depth = cv2.distanceTransform(np.pad(animal, 1, mode="edge"), cv2.DIST_L2, 5)[1:-1, 1:-1]
    away = cv2.distanceTransform((cover > 0.05).astype(np.uint8) ^ 1, cv2.DIST_L2, 5)
    around = (cover < 0.05) & (away < 0.25 * side)
    if around.sum() < LEAST_PX:
        return None
    ground = np.median(lab[around], 0)
    if float(chroma(ground)) < STRONG_C:
        return None
    way = ground[1:] / float(np.hypot(*ground[1:]))
    weak = (animal > 0) & (np.hypot(lab[..., 1], lab[..., 2]) < WEAK_C)
    rim, inner = weak & (depth < RIM * side), weak & (depth > INNER * side)
    if rim.sum() < LEAST_PX or inner.sum() < LEAST_PX:
        return None
    leans = []
    edges = np.percentile(lab[..., 0][inner], [0, 25, 50, 75, 100])
    for low, high in zip(edges, edges[1:], strict=False):
        value = (lab[..., 0] >= low) & (lab[..., 0] <= high)
        a, b = rim & value, inner & value
        if min(a.sum(), b.sum()) >= LEAST_PX // 4:
            leans.append(float((np.median(lab[a][:, 1:], 0) - np.median(lab[b][:, 1:], 0)) @ way))
    if not leans:
        return None
    share = float(rim.sum() / max(1, ((animal > 0) & (depth < RIM * side)).sum()))
    return Bounce(float(np.median(leans)), hue_name(np.array([50.0, *(30 * way)])), share)


def takes_on(lab: Sequence[float], middle_l: float, ground: Sequence[float] | Array, before: Sequence[float] | Array | None = None) -> tuple[float, float]:
    """By how much (a*, b*) a colour of the coat moves when the animal stands on another ground: the new ground's colour is thrown into it, the old one's is not.

    ``lab`` is the colour in the photo, ``middle_l`` its area's middle L*; ``ground`` the new ground's Lab, ``before`` that of the old surroundings, None where
    nobody knows it. What is in the light, and what has a strong colour of its own, takes on nothing.

    >>> takes_on((30.0, 0.0, 0.0), 50.0, (40.0, 0.0, 25.0))
    (0.0, 2.0)
    >>> takes_on((70.0, 0.0, 0.0), 50.0, (40.0, 0.0, 25.0))
    (0.0, 0.0)
    """
    strength = float(np.hypot(lab[1], lab[2]))
    weak = float(np.clip(2 - strength / WEAK_C, 0, 1))
    shade = float(np.clip((middle_l - lab[0]) / SHADE_L, 0, 1))
    old = (0.0, 0.0, 0.0) if before is None else before
    return round(TAKES * weak * shade * (ground[1] - old[1]), 3), round(TAKES * weak * shade * (ground[2] - old[2]), 3)


def surroundings(pixels: np.ndarray, alpha: Array) -> Array | None:
    """Middle Lab (3,) of what lies round an animal: pixels (h, w, 3) uint8 in its own surroundings, its coverage (h, w) 0–1. None where too little is seen."""
    k = min(1.0, SIDE / max(pixels.shape[:2]))
    size = max(8, round(pixels.shape[1] * k)), max(8, round(pixels.shape[0] * k))
    around = cv2.resize(np.asarray(alpha, np.float32), size, interpolation=cv2.INTER_AREA) < 0.05
    if around.sum() < LEAST_PX:
        return None
    return np.asarray(np.median(bytes_to_lab(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA))[around], 0))
