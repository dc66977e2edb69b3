"""What a kit can and cannot do: neighbours of a pencil, holes in the set, mixing strips."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array, chroma, hue_deg, lch_to_lab
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import predict
from hanabira.core.sentences import say

HOLE_DE = 15.0
"""A place of the hue–value field farther than this from every owned pencil is a hole."""
_VALUES = {"dark": (24.0, 22.0), "middle": (50.0, 32.0), "pale": (77.0, 22.0)}
_HUES = {"rose": 5.0, "red": 28.0, "orange": 58.0, "yellow": 88.0, "green": 138.0, "teal": 195.0, "blue": 262.0, "violet": 308.0}


@dataclass(frozen=True)
class Neighbour:
    """A pencil near another: its difference, and how much lighter (+) and stronger (+) it is."""

    code: str
    delta_e00: float
    lighter: float
    stronger: float


@dataclass(frozen=True)
class Hole:
    """A place where the kit has no pencil: name, its Lab, the nearest owned pencil and how far it is."""

    name: str
    lab: Array
    nearest: str
    delta_e00: float


def neighbours(kit: Kit, code: str, most: int = 3) -> tuple[Neighbour, ...]:
    """The pencils nearest to one, by ΔE00 of their masstones."""
    lab, at = kit.masstone_lab, kit.index[kit.get(code).code]
    de = np.asarray(delta_e00(lab, lab[at]))
    order = [int(i) for i in np.argsort(de) if i != at][:most]
    return tuple(
        Neighbour(kit.pencils[i].code, float(de[i]), float(lab[i, 0] - lab[at, 0]), float(chroma(lab[i]) - chroma(lab[at]))) for i in order
    )


def holes(kit: Kit, most: int = 4) -> tuple[Hole, ...]:
    """Places of hue and value without an owned pencil, the widest first.

    The field is eight hues at three values with a chroma that pencils of that place usually have.
    """
    own = [i for i, p in enumerate(kit.pencils) if p.owned] or list(range(len(kit)))
    lab = kit.masstone_lab[own]
    out = []
    for hue_name, hue in _HUES.items():
        for value_name, (value, c) in _VALUES.items():
            wanted = lch_to_lab(value, c, hue)
            # what counts is hue and value: measure to the pencils of about this hue, whatever their strength
            turn = np.abs((np.asarray(hue_deg(lab)) - hue + 180) % 360 - 180)
            near = (turn < 24) & (np.asarray(chroma(lab)) > 8) & (np.abs(lab[:, 0] - value) < 15)
            if near.any():
                continue
            de = np.asarray(delta_e00(lab, wanted))
            i = int(de.argmin())
            if de[i] > 8:
                word = "" if value_name == "middle" else f"{value_name} "
                out.append(Hole(f"no {word}{hue_name}", wanted, kit.pencils[own[i]].code, float(de[i])))
    return tuple(sorted(out, key=lambda q: -q.delta_e00)[:most])


def pressures(paper: Paper, kit: Kit, code: str) -> tuple[Array, ...]:
    """Predicted Lab of one pass at the five pressures."""
    return tuple(predict(paper, kit, [Pass(code, p)])[-1].lab for p in range(1, 6))


STRIP: tuple[tuple[int, int], ...] = ((5, 0), (5, 1), (4, 2), (3, 3), (2, 4), (1, 5), (0, 5))
"""Pressures of the lower and the upper pencil along a mixing strip; 0 leaves the pencil out."""


def mixing_strip(paper: Paper, kit: Kit, lower: str, upper: str) -> tuple[Array, ...]:
    """Predicted Lab of the seven steps from one pencil to another, the second laid over the first."""
    out = []
    for a, b in STRIP:
        layers = [Pass(code, p) for code, p in ((lower, a), (upper, b)) if p]
        out.append(predict(paper, kit, layers)[-1].lab)
    return tuple(out)


def on_other_paper(kit: Kit, paper: Paper, names: Mapping[str, str]) -> str:
    """What to say when a kit's figures come from another paper than the one it is used on; empty when they do not. ``names`` are papers by id."""
    fit = kit.fit
    if fit is None or not fit.paper_id or fit.paper_id == paper.id:
        return ""
    return say("kit.other-paper", fitted=names.get(fit.paper_id, fit.paper_id), used=names.get(paper.id, paper.name))


def lines(kit: Kit) -> Sequence[str]:
    """Binders that occur, in the kit's order."""
    return tuple(dict.fromkeys(p.binder for p in kit))
