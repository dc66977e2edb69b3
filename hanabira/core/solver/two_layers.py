"""The best stack of at most two layers for one colour: what a hand would try first on a scrap."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array
from hanabira.core.optics import batch as many
from hanabira.core.optics.film import Film
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import bare

PRESSURES = (1, 2, 3, 4, 5)
BELOW = (2, 4)
"""Pressures of the lower layer that are tried."""
MUCH_BETTER = 0.7
"""ΔE00 by which two layers must be nearer than one."""


@dataclass(frozen=True)
class Two:
    """Layers from the paper upward, what they give (Lab) and how far that is from what was wanted."""

    layers: tuple[Pass, ...]
    lab: Array
    delta_e00: float


def best_two(kit: Kit, paper: Paper, wanted: ArrayLike) -> Two:
    """The nearest of all single layers and all pairs; one layer when a second brings little. Pressures 1–5."""
    n, spot, goal = len(kit), bare(paper), np.asarray(wanted, float)
    film = Film(kit.film.absorption, kit.film.scattering)
    one = Two((), spot.lab, float(delta_e00(spot.lab, goal)))
    for pressure in PRESSURES:
        i, lab, de = _nearest(many.lay(paper, many.start(spot, n), film, np.full(n, pressure), kit.hand)[0].lab, goal)
        if de < one.delta_e00 - (0.0 if one.layers else MUCH_BETTER):
            one = Two((Pass(kit.pencils[i].code, pressure),), lab, de)
    below, above = np.divmod(np.arange(n * n), n)
    over = Film(kit.film.absorption[above], kit.film.scattering[above])
    pair = one
    for low in BELOW:
        first = many.lay(paper, many.start(spot, n), film, np.full(n, low), kit.hand)[0].take(below)
        for high in PRESSURES:
            i, lab, de = _nearest(many.lay(paper, first, over, np.full(n * n, high), kit.hand)[0].lab, goal)
            if de < pair.delta_e00:
                pair = Two((Pass(kit.pencils[below[i]].code, low), Pass(kit.pencils[above[i]].code, high)), lab, de)
    return pair if pair.delta_e00 < one.delta_e00 - MUCH_BETTER else one


def _nearest(labs: Array, goal: Array) -> tuple[int, Array, float]:
    de = np.asarray(delta_e00(labs, goal))
    i = int(de.argmin())
    return i, labs[i], float(de[i])
