"""Search for stacks that give a colour, judged by an unsteady hand."""

from __future__ import annotations

import time
from collections.abc import Sequence
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
from hanabira.core.optics.stack import PaperState, bare, predict
from hanabira.core.optics.tooth import lay_pass, tooth_used
from hanabira.core.solver.library import LEAST_DEPOSIT, LEVELS, MOST_TOOTH, SMALL_KIT, Library, opaque_order, order_allows

PASS_COST = 0.10
"""ΔE a further pass must earn: work and tooth are not free."""
FAR_COST = 0.06
"""Cost per unit of mean distance between the pencils and the target: near pencils forgive."""


@dataclass(frozen=True)
class SolvedStack:
    """A solved stack. ``expected_de00`` is the mean over six hands and ``spread_de00`` their standard deviation."""

    layers: tuple[Pass, ...]
    lab: Array
    target: Array
    delta_e00: float
    expected_de00: float
    spread_de00: float
    tooth: float
    score: float

    @property
    def codes(self) -> tuple[str, ...]:
        """Codes of its pencils from the paper upward, each once."""
        return tuple(dict.fromkeys(p.code for p in self.layers))


@dataclass(frozen=True)
class Solution:
    """Ranked stacks for one target, the best first, and the milliseconds it took."""

    stacks: tuple[SolvedStack, ...]
    ms: float

    @property
    def best(self) -> SolvedStack:
        """The best stack."""
        return self.stacks[0]


def solve(
    kit: Kit,
    paper: Paper,
    library: Library,
    target: ArrayLike,
    max_passes: int = 3,
    alternatives: int = 3,
    order: str = "any",
) -> Solution:
    """Best stacks on the bare paper for a paper target (Lab, (3,)).

    The nearest stacks of the library are scored under six hands; kits of a dozen or fewer are
    searched in any order and up to five passes. With an ``order`` of ``light-to-dark`` or ``dark-to-light``
    every pencil is at least as dark, or as light, as the one under it. Source of the score: docs/methods/stacks.md.
    """
    t0 = time.perf_counter()
    wanted = np.asarray(target, float)
    spot = bare(paper)
    small = len(kit) <= SMALL_KIT and max_passes >= 3
    deepest = library.pencils.shape[1] if small else max_passes
    candidates = _from_library(library, wanted, deepest, 200 if order == "any" else 4000)
    if max_passes > library.pencils.shape[1]:
        candidates = _join(candidates, _beam(kit, paper, spot, wanted, max_passes, MOST_TOOTH))
    if len(kit) > len(np.unique(library.pencils)) or len(kit) > 80:
        candidates = _with_neighbours(kit, candidates, spot, paper, wanted)
    candidates = _refine(kit, paper, spot, wanted, *_in_order(kit, candidates, order))
    stacks = _rank(kit, paper, spot, wanted, *_in_order(kit, candidates, order), alternatives=alternatives)
    now = float(delta_e00(spot.lab, wanted))
    if now < stacks[0].score:  # the bare paper is nearest: nothing to lay
        stacks = (SolvedStack(
            (), spot.lab, wanted, delta_e00=now, expected_de00=now, spread_de00=0.0, tooth=0.0, score=now,
        ), *stacks[: alternatives - 1])
    return Solution(stacks, (time.perf_counter() - t0) * 1000)


def _in_order(kit: Kit, candidates: tuple[Array, Array], order: str) -> tuple[Array, Array]:
    """The stacks whose pencils run from light to dark, or the other way round; one pencil alone always does."""
    if order == "any":
        return candidates
    pencils, pressures = candidates
    value = kit.masstone_lab[np.maximum(pencils, 0), 0]
    step = np.diff(value, axis=1) * (-1 if order == "light-to-dark" else 1)
    fits = ((step >= -1e-9) | (pencils[:, 1:] < 0)).all(1)
    return pencils[fits], pressures[fits]


def _from_library(library: Library, wanted: Array, max_passes: int, nearest: int = 200) -> tuple[Array, Array]:
    """The nearest stacks, and the nearest 40 pairs and 6 singles, which forgive more."""
    count = min(nearest if max_passes >= 3 else 3000, len(library))
    near = np.atleast_1d(library.tree.query(wanted, count)[1])
    near = near[library.passes[near] <= max_passes]
    picked = [near]
    for passes, most in ((2, 40), (1, 6)):
        if passes <= max_passes:
            these = np.flatnonzero(library.passes == passes)
            if len(these):
                d = ((library.lab[these] - wanted) ** 2).sum(1)
                picked.append(these[np.argpartition(d, min(most, len(d)) - 1)[:most]])
    index = np.unique(np.concatenate(picked))
    return library.pencils[index].astype(int), library.pressures[index].astype(int)


def _join(a: tuple[Array, Array], b: tuple[Array, Array]) -> tuple[Array, Array]:
    wide = max(a[0].shape[1], b[0].shape[1])
    pad = lambda x, v: np.pad(x, ((0, 0), (0, wide - x.shape[1])), constant_values=v)  # noqa: E731
    return np.concatenate([pad(a[0], -1), pad(b[0], -1)]), np.concatenate([pad(a[1], 0), pad(b[1], 0)])


def _beam(
    kit: Kit,
    paper: Paper,
    spot: PaperState,
    wanted: Array,
    depth: int,
    most_tooth: float,
    width: int = 160,
    keep: int = 60,
) -> tuple[Array, Array]:
    """Grow stacks pass by pass from a spot, keeping those that are near or could become so.

    Half of the beam is kept by distance to the target, half by distance to the target seen
    through one more pass: the state must lie on the far side of the last pencil.
    """
    n, opaque = len(kit), opaque_order(kit, paper)
    lightness = kit.masstone_lab[:, 0]
    who = np.repeat(np.arange(n), len(LEVELS))
    how = np.tile(np.array(LEVELS), n)
    film = Film(kit.film.absorption[who], kit.film.scattering[who])
    state = many.start(spot)
    pencils, pressures = np.full((1, depth), -1), np.zeros((1, depth), int)
    found_p: list[Array] = []
    found_q: list[Array] = []
    rng = np.random.default_rng(5)
    for k in range(depth):
        m = len(pencils)
        legal = np.ones((m, len(who)), bool)
        if k:
            last, press = pencils[:, k - 1], pressures[:, k - 1]
            legal &= how[None, :] >= press[:, None]
            legal &= order_allows(lightness[last][:, None], lightness[who][None, :], opaque)
        rows, cols = np.nonzero(legal)
        if len(rows) > 40_000:
            pick = rng.permutation(len(rows))[:40_000]
            rows, cols = rows[pick], cols[pick]
        after, deposit = many.lay(paper, state.take(rows), Film(film.absorption[cols], film.scattering[cols]), how[cols], kit.hand)
        ok = (many.used(paper, after) <= most_tooth) & (deposit >= LEAST_DEPOSIT)
        rows, cols, after = rows[ok], cols[ok], after.take(ok)
        if not len(rows):
            break
        p, q = pencils[rows].copy(), pressures[rows].copy()
        p[:, k], q[:, k] = who[cols], how[cols]
        lab = after.lab
        d = np.sqrt(((lab - wanted) ** 2).sum(1))
        best = np.argsort(d)[:keep]
        found_p.append(p[best])
        found_q.append(q[best])
        near = np.argsort(d)[: width // 2]
        # states from which the target can still be reached: lighter than it (pencil) or darker (opaque)
        ahead = (lab[:, 0] - wanted[0]) * (-1 if opaque else 1)
        could = np.where(ahead > -2, np.hypot(lab[:, 1] - wanted[1], lab[:, 2] - wanted[2]) + 0.25 * np.abs(ahead), 1e9)
        side = np.argsort(could)[: width // 2]
        grow = np.unique(np.concatenate([near, side]))
        state, pencils, pressures = after.take(grow), p[grow], q[grow]
    if not found_p:
        return np.empty((0, depth), int), np.empty((0, depth), int)
    return np.concatenate(found_p), np.concatenate(found_q)


def _refine(
    kit: Kit, paper: Paper, spot: PaperState, wanted: Array, pencils: Array, pressures: Array, keep: int = 40, parents: int = 6
) -> tuple[Array, Array]:
    """Improve the best stacks by the steps the table lacks: pressures between its levels, and near pencils.

    Returns the best ``keep`` of the candidates and their variations; the table has three levels
    of pressure, a hand has five.
    """
    de = np.asarray(delta_e00(many.under_hands(paper, spot, kit, pencils, pressures), wanted)).mean(1)
    on = pencils >= 0
    order = np.argsort(de + PASS_COST * on.sum(1))
    best = order[:parents]
    lab = kit.masstone_lab
    near = np.argsort(((lab[:, None] - lab[None]) ** 2).sum(2), 1)[:, 1:6]
    new_p, new_q = [], []
    for i in best:
        for k in range(int(on[i].sum())):
            for step in (-1, 1):
                q = pressures[i].copy()
                q[k] += step
                if 1 <= q[k] <= 5:
                    new_p.append(pencils[i])
                    new_q.append(q)
            for j in near[pencils[i, k]]:
                p = pencils[i].copy()
                p[k] = j
                new_p.append(p)
                new_q.append(pressures[i])
    if not new_p:
        return pencils[order[:keep]], pressures[order[:keep]]
    p, q = np.array(new_p), np.array(new_q)
    fits = _within_tooth(kit, paper, spot, p, q)
    kept = order[:keep]
    return np.concatenate([pencils[kept], p[fits]]), np.concatenate([pressures[kept], q[fits]])


def _within_tooth(kit: Kit, paper: Paper, spot: PaperState, pencils: Array, pressures: Array) -> Array:
    """Which stacks stay within the tooth; it depends on the pressures alone."""
    out = np.zeros(len(pencils), bool)
    for combo in {tuple(q) for q in pressures.tolist()}:
        tooth, fits = spot.tooth, True
        for pressure in combo:
            if pressure > 0:
                contact, t, tooth = lay_pass(paper, tooth, pressure, kit.hand)
                fits &= float((contact * t).mean()) >= LEAST_DEPOSIT
        out |= (pressures == combo).all(1) & fits & (tooth_used(paper, tooth) <= MOST_TOOTH)
    return out


def _with_neighbours(kit: Kit, candidates: tuple[Array, Array], spot: PaperState, paper: Paper, wanted: Array) -> tuple[Array, Array]:
    """Swap each pencil of the best stacks for its four nearest in the full kit."""
    pencils, pressures = candidates
    d = delta_e00(many.under_hands(paper, spot, kit, pencils, pressures).mean(1), wanted)
    best = np.argsort(d)[:40]
    lab = kit.masstone_lab
    new_p, new_q = [pencils], [pressures]
    for k in range(pencils.shape[1]):
        rows = best[pencils[best, k] >= 0]
        if not len(rows):
            continue
        distance = ((lab[pencils[rows, k]][:, None] - lab[None]) ** 2).sum(2)
        near = np.argsort(distance, 1)[:, 1:5]
        for j in range(near.shape[1]):
            p = pencils[rows].copy()
            p[:, k] = near[:, j]
            new_p.append(p)
            new_q.append(pressures[rows])
    return np.concatenate(new_p), np.concatenate(new_q)


def _rank(
    kit: Kit,
    paper: Paper,
    spot: PaperState,
    wanted: Array,
    pencils: Array,
    pressures: Array,
    alternatives: int,
) -> tuple[SolvedStack, ...]:
    """Score candidates under the six hands and give the best ones with different pencils."""
    both = np.unique(np.concatenate([pencils, pressures], 1), axis=0)
    pencils, pressures = both[:, : pencils.shape[1]], both[:, pencils.shape[1] :]
    de = delta_e00(many.under_hands(paper, spot, kit, pencils, pressures), wanted)
    on = pencils >= 0
    far = np.sqrt(((kit.masstone_lab[np.maximum(pencils, 0)] - wanted) ** 2).sum(2))
    score = de.mean(1) + PASS_COST * on.sum(1) + FAR_COST * (far * on).sum(1) / np.maximum(on.sum(1), 1)
    out: list[SolvedStack] = []
    seen: set[frozenset[int]] = set()
    for i in np.argsort(score, kind="stable"):
        mix = frozenset(pencils[i][on[i]].tolist())
        if mix in seen:
            continue
        seen.add(mix)
        layers = merge([Pass(kit.pencils[p].code, int(q)) for p, q in zip(pencils[i][on[i]], pressures[i][on[i]], strict=True)])
        end = predict(paper, kit, layers, spot)[-1]
        out.append(
            SolvedStack(
                layers, end.lab, wanted, delta_e00=float(delta_e00(end.lab, wanted)), expected_de00=float(de[i].mean()),
                spread_de00=float(de[i].std()), tooth=end.used, score=float(score[i]),
            )
        )
        if len(out) >= alternatives:
            break
    return tuple(out)


def merge(passes: Sequence[Pass]) -> tuple[Pass, ...]:
    """Neighbouring passes of one pencil at one pressure become one layer with more passes.

    >>> merge([Pass("1", 3), Pass("1", 3), Pass("2", 5)])
    (Pass(code='1', pressure=3, passes=2, tool='', coverage=1.0, laid=''), Pass(code='2', pressure=5, passes=1, tool='', coverage=1.0, laid=''))
    """
    out: list[Pass] = []
    for p in passes:
        last = out[-1] if out else None
        if last and not p.tool and (last.code, last.pressure, last.tool) == (p.code, p.pressure, p.tool):
            out[-1] = Pass(p.code, p.pressure, last.passes + p.passes)
        else:
            out.append(p)
    return tuple(out)
