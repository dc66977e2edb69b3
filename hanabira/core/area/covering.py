"""How much of the animal a plan speaks of: areas with layers, and the share of the animal that lies under them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.area.outline import Outline
from hanabira.core.sentences import say

SIDE = 500
"""Longer side in pixels at which shares are counted."""
WHOLE = 0.97
"""Share from which the animal counts as covered: outlines never meet to the pixel."""
LEAST_GAP = 0.01
"""Parts of the animal smaller than this are the seams between areas."""


@dataclass(frozen=True)
class Covering:
    """``areas`` were drawn, ``solved`` have layers; ``covered`` is the share (0–1) of the animal under those with layers, ``drawn`` under any, None
    while nobody knows what is animal. ``gaps`` outline what lies under none, in photo pixels.
    """

    areas: int
    solved: int
    covered: float | None = None
    drawn: float | None = None
    gaps: tuple[tuple[tuple[float, float], ...], ...] = ()

    @property
    def whole(self) -> bool:
        """Whether hours, price and dates speak of everything."""
        return self.solved == self.areas and (self.covered is None or self.covered >= WHOLE)

    @property
    def words(self) -> str:
        """What must stand beside hours, price and dates; empty when they speak of everything that is known, and all of it rests on recipes."""
        areas = say("cover.areas" if self.solved == self.areas else "cover.estimated", solved=self.solved, areas=self.areas)
        if self.drawn is None:
            return say("cover.unknown", areas=areas)
        if self.drawn >= WHOLE:
            return "" if self.whole else say("cover.all-drawn", areas=areas)
        return say("cover.share", areas=areas, share=self.drawn)


def covering(drawn: Sequence[tuple[Outline, bool]], animal: np.ndarray | None, size: tuple[int, int]) -> Covering:
    """Covering by outlines (each with whether it has layers) of a photo of ``size`` (w, h); ``animal`` (any size) bool is what was cut out."""
    solved = sum(q for _o, q in drawn)
    if animal is None:
        return Covering(len(drawn), solved)
    k = SIDE / max(size)
    shape = max(1, round(size[1] * k)), max(1, round(size[0] * k))
    mask = cv2.resize(animal.astype(np.uint8), shape[::-1], interpolation=cv2.INTER_NEAREST) > 0
    whole = max(1, int(mask.sum()))
    under, with_layers = np.zeros(shape, bool), np.zeros(shape, bool)
    for outline, has in drawn:
        inside = outline.mask((0, 0, size[0], size[1]), k)
        inside = inside[: shape[0], : shape[1]]
        under[: inside.shape[0], : inside.shape[1]] |= inside
        if has:
            with_layers[: inside.shape[0], : inside.shape[1]] |= inside
    left = cv2.morphologyEx((mask & ~under).astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    found, _ = cv2.findContours(left, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    rings = [cv2.approxPolyDP(q, 1.0, True)[:, 0] for q in found if cv2.contourArea(q) >= LEAST_GAP * whole]
    gaps = tuple(tuple((float((x + 0.5) / k), float((y + 0.5) / k)) for x, y in ring) for ring in rings if len(ring) > 2)
    return Covering(len(drawn), solved, float((mask & with_layers).sum() / whole), float((mask & under).sum() / whole), gaps)
