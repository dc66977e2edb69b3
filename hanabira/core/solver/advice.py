"""What an artist asks of a kit: a ladder of one hue, what dulls a pencil, two dull ones for a bright one, a substitute.

Every answer is computed on the paper with the film model, never read off a list.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array, chroma, hue_deg
from hanabira.core.optics import batch as many
from hanabira.core.optics.film import Film
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import bare, predict
from hanabira.core.sentences import say

_MUD_L = 9.0
"""A neutraliser that darkens by more than this makes mud of a middle colour."""


@dataclass(frozen=True)
class Advice:
    """Pencils with their pressures from the paper upward, the Lab they give, and a figure: what it means is said by the asker."""

    layers: tuple[Pass, ...]
    lab: Array
    figure: float

    @property
    def codes(self) -> tuple[str, ...]:
        """Codes of its pencils."""
        return tuple(q.code for q in self.layers)


def _one_over(paper: Paper, kit: Kit, below: Sequence[Pass], pressure: int) -> Array:
    """Lab (n, 3) of every pencil laid once over some layers."""
    spot = predict(paper, kit, below)[-1] if below else bare(paper)
    n = len(kit)
    film = Film(kit.film.absorption, kit.film.scattering)
    state, _d = many.lay(paper, many.start(spot, n), film, np.full(n, pressure), kit.hand)
    return state.lab


def ladder(kit: Kit, hue: float, strength: float | None = None, reach_deg: float = 28.0, most: int = 9) -> tuple[str, ...]:
    """Codes of pencils of a hue (degrees) from the lightest tint to the darkest shade, with even steps of L*.

    Of two equally light ones the nearer hue is taken, and with ``strength`` (C*) the one of like strength.
    """
    lab = kit.masstone_lab
    c, h = np.asarray(chroma(lab)), np.asarray(hue_deg(lab))
    off = np.abs((h - hue + 180) % 360 - 180)
    fits = np.flatnonzero((off <= reach_deg) & (c > 2.5))
    if not len(fits):
        return ()
    values = lab[fits, 0]
    rungs = np.linspace(values.max(), values.min(), most)
    out: list[int] = []
    for rung in rungs:
        score = np.abs(values - rung) / 4 + off[fits] / 14
        if strength is not None:
            score = score + np.abs(c[fits] - strength) / 9
        at = int(fits[np.argmin(score)])
        if at not in out:
            out.append(at)
    return tuple(kit.pencils[i].code for i in sorted(out, key=lambda i: -lab[i, 0]))


def neutralisers(paper: Paper, kit: Kit, code: str, pressure: int = 3, most: int = 3) -> tuple[Advice, ...]:
    """Pencils that dull one when laid lightly over it, without mud: chroma falls by a third or more, hue stays, value hardly moves.

    ``figure`` is the chroma that is left, as a share.
    """
    below = [Pass(code, pressure)]
    start = predict(paper, kit, below)[-1].lab
    c0, h0 = float(chroma(start)), float(hue_deg(start))
    if c0 < 6:
        return ()
    found = []
    for p in (1, 2):
        labs = _one_over(paper, kit, below, p)
        c = np.asarray(chroma(labs))
        turn = np.abs((np.asarray(hue_deg(labs)) - h0 + 180) % 360 - 180)
        share, fall = c / c0, np.abs(labs[:, 0] - start[0])
        for i in np.flatnonzero((share < 0.7) & (share > 0.15) & (turn < 30) & (fall < _MUD_L)):
            if kit.pencils[i].code != code:
                found.append(
                    (
                        abs(share[i] - 0.45) + fall[i] / 30 + turn[i] / 90,
                        Advice((*below, Pass(kit.pencils[i].code, p)), labs[i], float(share[i])),
                    )
                )
    found.sort(key=lambda q: (q[0], q[1].codes))
    return _distinct([a for _, a in found], most)


def natural_mixes(paper: Paper, kit: Kit, target: Sequence[float], most: int = 3) -> tuple[Advice, ...]:
    """Two dull pencils that together give a colour one bright pencil would shout: both no stronger than the target asks.

    ``figure`` is ΔE00 from the target.
    """
    wanted = np.asarray(target, float)
    lab = kit.masstone_lab
    # the masstone of a pencil laid thin is stronger than what it gives on paper
    dull = np.flatnonzero(np.asarray(chroma(lab)) < max(26.0, 1.1 * float(chroma(wanted)) + 8))
    near = dull[np.argsort(np.asarray(delta_e00(lab[dull], wanted)))[:18]]
    found = []
    for i in near:
        for p in (1, 2, 3):
            below = [Pass(kit.pencils[int(i)].code, p)]
            for q in (1, 2, 3):
                labs = _one_over(paper, kit, below, q)[near]
                de = np.asarray(delta_e00(labs, wanted))
                for k in np.argsort(de)[:3]:
                    other = kit.pencils[int(near[k])].code
                    if other != below[0].code:
                        found.append((float(de[k]), Advice((*below, Pass(other, q)), labs[k], float(de[k]))))
    found.sort(key=lambda f: (f[0], f[1].codes))
    return _distinct([a for _, a in found], most)


def substitutes(paper: Paper, kit: Kit, code: str, pressure: int = 3, floor: int | None = None, most: int = 3) -> tuple[Advice, ...]:
    """Nearest stacks of one or two other owned pencils for one that is missing, worn out or fugitive.

    ``floor`` is the worst lightfastness class allowed. ``figure`` is ΔE00 from the pencil itself on this paper.
    """
    target = predict(paper, kit, [Pass(code, pressure)])[-1].lab
    keep = tuple(p for p in kit if p.code != code and p.owned and (floor is None or p.lightfast <= floor))
    if not keep:
        return ()
    rest = Kit(kit.name, keep, kit.fit, kit.unsteady)
    found = []
    for p in range(1, 6):
        labs = _one_over(paper, rest, [], p)
        de = np.asarray(delta_e00(labs, target))
        found += [(float(de[i]), Advice((Pass(rest.pencils[i].code, p),), labs[i], float(de[i]))) for i in np.argsort(de)[:3]]
    found.sort(key=lambda f: f[0])
    for _, first in list(found[:6]):
        below = [first.layers[0]]
        for q in (1, 2):
            labs = _one_over(paper, rest, below, q)
            de = np.asarray(delta_e00(labs, target)) + 0.4  # a second pencil must earn its place
            found += [
                (float(de[i]), Advice((*below, Pass(rest.pencils[i].code, q)), labs[i], float(de[i] - 0.4)))
                for i in np.argsort(de)[:2]
                if rest.pencils[i].code != below[0].code
            ]
    found.sort(key=lambda f: (f[0], f[1].codes))
    return _distinct([a for _, a in found], most)


def undertones(kit: Kit, hidden: Sequence[Sequence[float]], lean_hue: float | None, most: int = 3) -> tuple[tuple[str, str], ...]:
    """Pencils to lay under a black or a white coat, each with why: of the hidden hues first, then of the coat's own lean."""
    lab = kit.masstone_lab
    c, h = np.asarray(chroma(lab)), np.asarray(hue_deg(lab))
    out: list[tuple[str, str]] = []
    for hue, why in [(float(hue_deg(v)), say("advice.hidden")) for v in hidden] + (
        [(lean_hue, say("advice.lean"))] if lean_hue is not None else []
    ):
        off = np.abs((h - hue + 180) % 360 - 180)
        score = off / 10 + np.where(c < 12, 4.0, 0) + np.abs(lab[:, 0] - 42) / 25
        for i in np.argsort(score)[:2]:
            if off[i] < 40 and kit.pencils[int(i)].code not in [code for code, _ in out]:
                out.append((kit.pencils[int(i)].code, why))
                break
    return tuple(out[:most])


def _distinct(found: Sequence[Advice], most: int) -> tuple[Advice, ...]:
    out: list[Advice] = []
    for a in found:
        if all(set(a.codes) != set(b.codes) for b in out):
            out.append(a)
        if len(out) == most:
            break
    return tuple(out)
