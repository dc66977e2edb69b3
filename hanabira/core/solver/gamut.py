"""From the photo's colours to the paper's: lightness compressed between what kit and paper reach, hue and strength kept where they can be.

A table holds the most chroma that one to three passes of every pencil and all pairs reach, by hue and lightness. Source of the way of
compressing: docs/methods/stacks.md; knees keep the middle values as they are.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from hanabira.core.colour.spaces import Array, chroma, hue_deg
from hanabira.core.optics import batch as many
from hanabira.core.optics.film import Film
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.stack import bare

HUES, VALUES = 24, 20
KNEE_L = 10.0
"""L* from each end of the reach within which values are compressed; between the knees they stay."""
MARGIN = 0.97
"""Share of the table's chroma that is aimed at: its outermost colours need the one right pressure."""
MOST_RISE, DARK_L, SPARED_C = 8.0, 50.0, 2.0
"""A dark strong colour may rise by so many L* rather than lose its strength; below this L*; losses under this C* are borne."""
STRENGTH_WEIGHT = 0.5
"""How much a unit of lost chroma weighs against a unit of L* risen."""


@dataclass(frozen=True)
class Gamut:
    """What a kit reaches on a paper: L* of the darkest and the lightest colour, and the most C* (24 hues, 20 lightnesses)."""

    darkest_l: float
    lightest_l: float
    table: Array
    paper_lab: Array

    def most_chroma(self, lightness: float, hue: float) -> float:
        """The strongest colour of a lightness and hue, bilinear in the table."""
        hb, vb = hue / (360 / HUES) - 0.5, float(np.clip(lightness / (100 / VALUES) - 0.5, 0, VALUES - 1))
        i, j = int(np.floor(hb)), int(np.floor(vb))
        u, v, k = hb - i, vb - j, min(j + 1, VALUES - 1)
        a, b = self.table[i % HUES], self.table[(i + 1) % HUES]
        return float(max(MARGIN * ((1 - u) * ((1 - v) * a[j] + v * a[k]) + u * ((1 - v) * b[j] + v * b[k])), 1.5))

    def paper_target(self, photo_lab: ArrayLike) -> Array:
        """Lab on the paper that stands for Lab in the photo, (3,)."""
        v = np.asarray(photo_lab, float)
        lightness, c, hue = self.compressed(float(v[0])), float(chroma(v)), float(hue_deg(v)) % 360
        if c > self.most_chroma(lightness, hue) + SPARED_C and lightness < DARK_L:
            rises = np.arange(0, MOST_RISE + 0.1, 0.5)
            costs = [r**2 + (STRENGTH_WEIGHT * max(0.0, c - self.most_chroma(lightness + r, hue))) ** 2 for r in rises]
            lightness += float(rises[int(np.argmin(costs))])
        c = min(c, self.most_chroma(lightness, hue))
        ab = c * np.array([np.cos(np.radians(hue)), np.sin(np.radians(hue))])
        # the paper's own tint stands in the lightest lights
        near = float(np.clip((lightness - (self.lightest_l - 8)) / 8, 0, 1))
        if c < 8:
            ab = (1 - near) * ab + near * (0.5 * ab + 0.5 * self.paper_lab[1:])
        return np.array([lightness, *ab])

    def holds(self, lab: ArrayLike) -> bool:
        """Whether kit and paper give a colour when it is laid alone: between the ends of lightness, and no stronger than the table knows."""
        v = np.asarray(lab, float)
        inside = self.darkest_l - 2 <= float(v[0]) <= self.lightest_l + 2
        return inside and float(chroma(v)) <= self.most_chroma(float(v[0]), float(hue_deg(v)) % 360) + 3

    def compressed(self, lightness: float) -> float:
        """L* between the ends of the reach: monotonic, 0 becomes the darkest, 100 the lightest, the middle is kept."""
        low, high = self.darkest_l, self.lightest_l
        knee = min(KNEE_L, (high - low) / 4)
        a, b = low + knee, high - knee
        if lightness < a:
            return low + knee * float(np.clip(lightness / a, 0, 1)) ** (a / knee)
        if lightness > b:
            return high - knee * float(np.clip((100 - lightness) / (100 - b), 0, 1)) ** ((100 - b) / knee)
        return lightness


def gamut(kit: Kit, paper: Paper) -> Gamut:
    """Lay every pencil one to three times and every pair, and note the strongest colours."""
    n, spot = len(kit), bare(paper)
    film = Film(kit.film.absorption, kit.film.scattering)
    labs, firsts = [spot.lab[None]], []
    for pressure in (1, 3, 5):
        state = many.start(spot, n)
        for k in range(3):
            state, _ = many.lay(paper, state, film, np.full(n, pressure), kit.hand)
            labs.append(state.lab)
            if pressure > 1 and k < 2:
                firsts.append(state)
    below, above = np.divmod(np.arange(n * n), n)
    over = Film(kit.film.absorption[above], kit.film.scattering[above])
    for first in firsts:
        for pressure in (1, 3, 5):
            labs.append(many.lay(paper, first.take(below), over, np.full(n * n, pressure), kit.hand)[0].lab)
    lab = np.concatenate(labs)
    table = np.zeros((HUES, VALUES))
    at_hue = (np.asarray(hue_deg(lab)) % 360 / (360 / HUES)).astype(int) % HUES
    at_value = np.clip((lab[:, 0] / (100 / VALUES)).astype(int), 0, VALUES - 1)
    np.maximum.at(table, (at_hue, at_value), np.asarray(chroma(lab)))
    # a hole between two lightnesses is reached by what lies beside it
    between = np.minimum(table[:, :-2], table[:, 2:])
    table[:, 1:-1] = np.maximum(table[:, 1:-1], between)
    return Gamut(float(lab[:, 0].min()), float(lab[:, 0].max()), table, spot.lab)
