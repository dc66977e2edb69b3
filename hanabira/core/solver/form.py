"""Layers that are laid for the form, which colour alone never asks for: the first washes, shadow shapes, a pale blend, a glaze that ties a hue together
(docs/methods/gestures.md).
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array, chroma, hue_deg
from hanabira.core.solver.gestures import STAGE, FormRules
from hanabira.core.solver.joint import Lay, Lays, Search, in_order
from hanabira.core.solver.pencil_kinds import turn

NEARER_DE, OVER_L, STRANGE = 0.3, 0.5, 0.6
"""A first layer goes over what it brings at least so much nearer (ΔE00), darkens no place more than so much beyond its goal (L*), and makes no state that
costs more than the last on its way."""
FAR_DE, WIDE = 14.0, 3.0
"""A place counts as far as the first figure (ΔE00), and a layer over everything earns the second."""
TYING = ("glaze", "veil", "build", "middle", "card-colour", "locks", "lights", "card-light")
"""Gestures by which a neighbour's pencil may come back, the widest first: of pencils and of sticks."""
TRIED = 8
"""Pencils that are tried for a blend or a glaze, of those that would help most."""


def first_layers(search: Search, shares: Sequence[float], groups: Sequence[str], rules: FormRules) -> Lays:
    """What is laid before anything is built, each fixed: the washes, and the shadow shapes of a coat that has a form.

    ``shares`` are the places' parts of the area, ``groups`` what they belong to.
    """
    out = _washes(search, np.asarray(shares, float), np.array([g == "marking" for g in groups]), rules)
    area = search.area
    chain = np.array([p.chain for p in area.places])
    values = area.targets[chain, 0]
    if len(values) >= rules.values and np.median(values) - values.min() >= rules.step_l:
        shapes = _best(search, out, "shadow", np.asarray(shares, float), chain)
        out = in_order((*out, *shapes))
    return out


def _washes(search: Search, shares: Array, marking: np.ndarray, rules: FormRules) -> Lays:
    """One wash over everything; where a marking lies on a ground that is most of the area, one for each if the marking gains by it."""
    every = np.ones(search.n, bool)
    one = _best(search, (), "wash", shares, every)
    if not one or not marking.any() or float(shares[~marking].sum()) < rules.own_wash * float(shares.sum()):
        return one
    two = in_order((*_best(search, (), "wash", shares, ~marking), *_best(search, (), "wash", shares, marking)))
    if len({q.pencil for q in two}) < 2 or _off(search, two, shares) >= _off(search, one, shares):
        return one
    wide = next(q for q in two if not any(np.array(q.on) & marking))
    return tuple(_at(q, -STAGE if q is wide else -STAGE + 1) for q in two) if two[0] is not two[1] else one


def _at(q: Lay, key: float) -> Lay:
    return Lay(q.pencil, q.pressure, q.passes, q.on, key, fixed=True, gesture=q.gesture, coverage=q.coverage, laid=q.laid)


def _off(search: Search, layers: Lays, shares: Array) -> float:
    """How far the places are off after some layers, by their size."""
    end = search.snapshots(layers)[-1].lab
    return float(shares @ np.minimum(np.asarray(delta_e00(end, search.area.targets)), FAR_DE))


def _best(search: Search, start: Lays, gesture: str, shares: Array, where: np.ndarray) -> Lays:
    """The one layer of a gesture that helps some places most after ``start``, over all that it brings nearer; empty where it helps none."""
    area, n = search.area, search.n
    number = next((k for k, g in enumerate(area.gestures) if g.id == gesture), None)
    if number is None:
        return ()
    which = area.candidates.at(np.flatnonzero(area.candidates.gesture == number))
    if not len(which):
        return ()
    before, goal = search.snapshots(start)[-1], area.targets
    far = np.asarray(delta_e00(before.lab, goal))
    weight = shares**0.5 * np.minimum(area.weight, 1.5)
    key, closes = -STAGE if not area.gestures[number].stage else None, area.coverage(area.gestures[number])
    best: tuple[float, Lay] | None = None
    least = max((q.pressure for q in start), default=1)  # a hand does not go back to less weight over what it has just laid
    for press, passes in [c for c in area.gestures[number].choices if c[0] >= least]:
        s = before.at((slice(None), None)).copy()
        s = area.lay(s, which.pencil[None, :], np.array(press), np.array(passes), np.arange(n)[:, None], coverage=closes)
        lab, cost = np.moveaxis(s.lab, 0, 1), np.moveaxis(s.cost - before.cost[:, None], 0, 1)
        now = np.asarray(delta_e00(lab, np.broadcast_to(goal, lab.shape)))
        on = where & ~area.reserved & which.may & (lab[..., 0] > goal[:, 0] - OVER_L) & (now < far - NEARER_DE) & (cost < STRANGE)
        gain = (np.minimum(far - now, FAR_DE) * weight * on).sum(1) - STRANGE * cost.sum(1) / n + WIDE * (on * weight).sum(1) / weight.sum()
        k = int(np.argmax(np.where(on.any(1), gain, -np.inf)))
        if on[k].any() and (best is None or gain[k] > best[0]):
            pencil = int(which.pencil[k])
            at = key if key is not None else area.key_of(pencil, area.gestures[number])
            best = float(gain[k]), Lay(pencil, press, passes, tuple(map(bool, on[k])), at, fixed=True, gesture=gesture, coverage=closes)
    return (best[1],) if best is not None else ()


def tied(search: Search, layers: Lays, blend: str, rules: FormRules) -> Lays:
    """The same with a glaze where one hue spans several places, and a pale blend where the surface's grain would show, as far as no place pays much for it.

    ``blend`` says how the surface is evened.
    """
    c, hue = np.asarray(chroma(search.area.targets)), np.asarray(hue_deg(search.area.targets))
    free = ~search.area.reserved
    one_hue = np.zeros(search.n, bool)
    for k in np.flatnonzero(free & (c >= rules.hue_c)):
        mine = free & (c >= rules.hue_c) & (turn(hue, hue[k]) <= rules.hue_turn)
        one_hue = mine if mine.sum() > one_hue.sum() else one_hue
    if one_hue.sum() >= rules.hue_places:
        layers = _with(search, layers, "glaze", one_hue, rules.may_cost)
    if blend in rules.blend:
        layers = _with(search, layers, "blend", free, rules.may_cost)
    return layers


@dataclass(frozen=True)
class Tie:
    """What lies beside an area and is solved: one of its pencils comes back in the area.

    ``kind`` is ``eye`` (its coloured pencils come back anywhere round it) or ``border`` (a pencil of the colour that meets ours there). ``marks`` are
    the other area's places: their colour in the photo (Lab) and the codes of the pencils that lie there.
    """

    kind: str
    marks: tuple[tuple[tuple[float, float, float], frozenset[str]], ...]


def bound(search: Search, layers: Lays, ties: Sequence[Tie], photo: Array, rules: FormRules) -> Lays:
    """The layers with a pencil of what lies beside, for each tie that none of them holds yet, as far as no place pays much for it.

    ``photo`` (n, 3) are the places' own colours. Round an eye its colour comes back as a veil; over a border that is hardly one in colour (`rules.border_de`)
    both sides have one pencil in common where they meet.
    """
    area = search.area
    free = ~area.reserved
    index = area.kit.index
    for tie in ties:
        codes, where = frozenset().union(*(c for _lab, c in tie.marks)), free
        if tie.kind == "border":
            far = np.linalg.norm(photo[:, None] - np.array([lab for lab, _c in tie.marks])[None], axis=-1) + np.where(free, 0, np.inf)[:, None]
            mine, theirs = np.unravel_index(int(far.argmin()), far.shape)
            if far[mine, theirs] > rules.border_de:
                continue
            codes, where = tie.marks[int(theirs)][1], np.arange(search.n) == mine
        pencils = {index[c] for c in codes if c in index}
        if not pencils or any(q.pencil in pencils and (np.array(q.on) & where).any() for q in layers if not q.tool):
            continue
        for gesture in TYING:
            tied_ = _with(search, layers, gesture, where, rules.may_cost, pencils, f"echo-{tie.kind}")
            if tied_ is not layers:
                layers = tied_
                break
    return layers


def _with(
    search: Search, layers: Lays, gesture: str, where: np.ndarray, may_cost: float, only: Collection[int] = (), role: str = ""
) -> Lays:
    """The layers with one more of a gesture over some places, the others fitted around it; as they were where it is there or costs too much.

    With ``only`` some pencils it is one of theirs, beside others of the gesture, and has its ``role``.
    """
    area = search.area
    number = next((k for k, g in enumerate(area.gestures) if g.id == gesture), None)
    if number is None or not only and any(q.gesture == gesture for q in layers):
        return layers
    if sum(q.gesture == gesture for q in layers) >= area.gestures[number].times:
        return layers
    which = area.candidates.at(np.flatnonzero(area.candidates.gesture == number))
    if only:
        which = which.of(list(only))
    start_de = search.place_costs(layers)[1]
    tries: list[tuple[float, Lays]] = []
    one_by_one = np.eye(search.n, dtype=bool) if only else np.zeros((0, search.n), bool)
    choices = area.gestures[number].choices[:2]
    would = search.costs_with(layers, choices, which, which.may & where)
    now = search.place_costs(layers)[0]
    for c, (pencil, may) in enumerate(zip(which.pencil, which.may, strict=True)):
        for on in dict.fromkeys(tuple(map(bool, may & where & part)) for part in (where, *one_by_one)):
            if not any(on) or not area.fits(gesture, on):
                continue
            for r, (press, passes) in enumerate(choices):
                more = Lay(int(pencil), press, passes, on, area.key_of(int(pencil), area.gestures[number]), fixed=True, gesture=gesture, role=role, coverage=area.coverage(area.gestures[number]))
                tried = in_order((*layers, more))
                tries.append((float(np.where(on, would[r, c], now).sum()) + search.layer_costs(tried), tried))
    for _cost, tried in sorted(tries, key=lambda q: q[0])[:TRIED]:
        fitted = search.pruned(search.improved(search.switched(tried), 1, own=True))
        if float((search.place_costs(fitted)[1] - start_de).max()) <= may_cost:
            return fitted
    return layers
