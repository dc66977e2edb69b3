"""The correcting glaze: one more thin layer that brings what is on the paper nearer to what was wanted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array, lab_to_xyz
from hanabira.core.optics import batch as many
from hanabira.core.optics.bands import colour_to_reflectance
from hanabira.core.optics.film import Film
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.stack import Pass, Spot, bare, predict
from hanabira.core.sentences import say
from hanabira.core.solver.library import LEAST_DEPOSIT

PRESSURE_COST = 0.3
"""ΔE a step of pressure must earn: a glaze should be thin."""
MOVE_COST = 0.05
"""Cost per unit of colour the glaze moves: small corrections are safer."""
LEAST_GAIN = 0.5
FULL = 0.97


@dataclass(frozen=True)
class Glaze:
    """The best glaze, or none with what to do instead in ``words``."""

    layer: Pass | None
    before_de00: float
    after_de00: float
    lab: Array
    words: str


def seen_as(paper: Paper, kit: Kit, layers: Sequence[Pass], observed: ArrayLike) -> Spot:
    """The spot of a known stack, rescaled band by band to the colour that was really seen."""
    spot = predict(paper, kit, layers)[-1] if layers else bare(paper)
    seen = colour_to_reflectance(lab_to_xyz(np.asarray(observed, float)))[0]
    scale = seen / np.maximum(spot.reflectance, 1e-4)
    return replace(spot, zones=np.clip(spot.zones * scale, 1e-4, 0.995))


def correcting_glaze(paper: Paper, kit: Kit, layers: Sequence[Pass], observed: ArrayLike, wanted: ArrayLike) -> Glaze:
    """Best single pencil and pressure over what was seen (Lab), by ΔE00 and the costs of pressing and moving.

    Without a gain of half a ΔE the answer says what to do: lift or erase where it is too dark,
    or leave it.
    """
    want, spot = np.asarray(wanted, float), seen_as(paper, kit, layers, observed)
    before = float(delta_e00(spot.lab, want))
    n = len(kit)
    who, how = np.tile(np.arange(n), 3), np.repeat([1, 3, 5], n)
    film = Film(kit.film.absorption[who], kit.film.scattering[who])
    state, deposit = many.lay(paper, many.start(spot, 3 * n), film, how, kit.hand)
    lab = state.lab
    de = np.asarray(delta_e00(lab, want))
    move = np.asarray(delta_e00(lab, spot.lab))
    owned = np.array([p.owned for p in kit])[who]
    score = de + PRESSURE_COST * (how - 1) / 2 + MOVE_COST * move
    score = np.where((many.used(paper, state) <= FULL) & (deposit >= LEAST_DEPOSIT / 3) & owned, score, np.inf)
    best = int(np.argmin(score))
    if np.isfinite(score[best]) and before - de[best] > LEAST_GAIN:
        p = kit.pencils[who[best]]
        words = say("glaze.lay", code=p.code, name=p.name, pressure=how[best], before=before, after=de[best])
        return Glaze(Pass(p.code, int(how[best])), before, float(de[best]), lab[best], words)
    if spot.used > 0.9 and before > 3:
        words = say("glaze.full")
    elif float(spot.lab[0]) < want[0] - 3:
        words = say("glaze.dark")
    else:
        words = say("glaze.leave")
    return Glaze(None, before, before, spot.lab, words)
