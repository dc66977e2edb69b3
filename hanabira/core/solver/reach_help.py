"""What would bring an unreachable colour within reach: a pencil to buy, or another paper."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array, chroma, hue_deg, lab_hex, lab_to_srgb, lab_to_xyz, lch_to_lab, srgb_to_lab
from hanabira.core.colour.words import colour_name
from hanabira.core.optics import batch as many
from hanabira.core.optics.bands import colour_to_reflectance
from hanabira.core.optics.film import Film, film_of, scattering_of
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.stack import bare
from hanabira.core.sentences import say

_DARKER = (0.0, 8.0, 16.0, 26.0)
_STRONGER = (1.0, 1.3, 1.7)


@dataclass(frozen=True)
class Missing:
    """A pencil worth buying: its masstone (Lab) and the ΔE00 that one to three passes of it alone leave."""

    lab: Array
    delta_e00: float

    @property
    def words(self) -> str:
        """Hue and value to look for in the shop."""
        return say("reach.pencil", hex=lab_hex(self.lab), colour=colour_name(self.lab), hue=float(hue_deg(self.lab)), lightness=self.lab[0])


def missing_pencil(paper: Paper, kit: Kit, target: Array) -> Missing:
    """The masstone that, laid alone on this paper, comes nearest to a colour.

    Tried are masstones of the target's hue, darker and stronger than it, since a film on paper
    is paler than its masstone.
    """
    hue, c = float(hue_deg(target)), float(chroma(target))
    dark = -1 if float(bare(paper).lab[0]) < 45 else 1
    labs = np.array([lch_to_lab(float(np.clip(target[0] - dark * d, 6, 97)), c * s, hue) for d in _DARKER for s in _STRONGER])
    labs = srgb_to_lab(np.clip(lab_to_srgb(labs), 0, 1))  # what is told as a hex colour must be the one that was tried
    bands = colour_to_reflectance(lab_to_xyz(labs))
    opacity = 0.95 if dark < 0 or kit.medium == "pastel" else 0.45
    film = film_of(bands, np.full(len(labs), scattering_of(opacity, "pastel" if kit.medium == "pastel" else "oil")))
    n = len(labs)
    k, s = np.tile(film.absorption, (3, 1)), np.tile(film.scattering, (3, 1))
    how = np.repeat([1, 3, 5], n)
    state, best = many.start(bare(paper), 3 * n), None
    for _ in range(3):
        state, _d = many.lay(paper, state, Film(k, s), how, kit.hand)
        de = np.asarray(delta_e00(state.lab, target))
        i = int(de.argmin())
        if best is None or de[i] < best.delta_e00:
            best = Missing(labs[i % n], float(de[i]))
    assert best is not None
    return best


def other_paper(paper: Paper, papers: Sequence[Paper], most_tooth: float, too_light: bool) -> str:
    """A paper that would help, in words; empty when none would.

    More room helps where the tooth is full or the dark is not dark enough.
    """
    if most_tooth < 0.8 and not too_light:
        return ""
    light = float(bare(paper).lab[0]) > 60
    roomier = [p for p in papers if p.cap > 1.15 * paper.cap and (float(bare(p).lab[0]) > 60) == light]
    if not roomier:
        return ""
    p = min(roomier, key=lambda q: q.cap)
    return say("reach.paper", paper=p.name, times=p.cap / paper.cap)
