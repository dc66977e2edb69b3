"""One palette over the animal: the pencils that bring all its areas nearest, chosen one after the other.

A layer is looked at as a density (−ln of its reflectance over the paper's, after one middle pass), so that every place is a non-negative mixture of
densities (Lawson and Hanson 1974). Pencils are added where they lower the sum over the places most (orthogonal matching pursuit over all at once,
Tropp 2006; looked at again only where it could matter, Minoux 1978). It ranks only: what a further pencil gains is solved with the real films (docs/methods/gestures.md).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import scipy

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array, lab_to_xyz
from hanabira.core.optics.bands import colour_to_reflectance, reflectance_to_lab
from hanabira.core.solver.path import Field
from hanabira.core.solver.technique import LayerPlan
from hanabira.core.token import SILENT, Token


@dataclass(frozen=True)
class PaletteRules:
    """How many pencils a portrait has, and which of them it needs; the craft data says why."""

    least: int
    most: int
    worth: float
    few: int
    darker_l: float
    half_l: float
    own_de: float
    blender: tuple[float, float]
    dark_l: float
    deep_l: float
    black_under_l: float
    passes: float
    far_de: float
    gains_de: float
    tried: int
    full: int


@dataclass(frozen=True)
class Palette:
    """A portrait's pencils in the order in which they were taken, and the mean distance (about ΔE00) of its places after each."""

    codes: tuple[str, ...]
    left: tuple[float, ...]


STEP_DE = 18.0
"""ΔE76 from which a pencil is a step of its own beside another."""
MIDDLE = (3, 1)
"""The pass by which densities are compared."""
FAR_DE, FAR_COST = 3.0, 0.06
"""Places that end farther off than this weigh more, by this times the square."""
HALF_WEIGHT, MOST_WEIGHT = 0.4, 2.0
GOAL_L = (12.0, 94.0)
DEEP_GOAL_L, PALE_GOAL_L, PALE_HUE = 22.0, 88.0, 0.4
"""What a coloured dark and a blender are compared with: such L*, the blender with such a share of the animal's chroma."""
KEPT_L = 15.0
"""A kept light no darker than this under the paper wants no pencil of its own; a duller one does."""
DIM_L, NEAR_DARK_L = 50.0, 8.0
FAINT = 0.02
"""Weight that keeps mixtures small (ridge)."""


class _Mixtures:
    """All places of all areas as goals, and how far each stays off with some pencils."""

    def __init__(self, fields: Sequence[Field], rules: PaletteRules) -> None:
        f = self.field = fields[0]
        self.rules, every = rules, np.arange(len(f.kit))
        laid = f.film(f.start((len(every),)), every, np.array(MIDDLE[0]), np.array(MIDDLE[1]))
        self.ground = f.mixed(f.bare.zones)
        self.density = np.maximum(-np.log(np.maximum(f.mixed(laid.zones), 1e-4) / self.ground), 0)
        goals, weights, may = [], [], []
        for g in fields:
            for k, p in enumerate(g.places):
                if p.reserved and p.target[0] > f.paper_lab[0] - KEPT_L:
                    continue  # the paper itself
                half = -rules.half_l if k % 2 else rules.half_l
                for shift, w in ((0.0, 1.0), (half, HALF_WEIGHT)):
                    goal = np.array([np.clip(p.target[0] + shift, *GOAL_L), *p.target[1:]])
                    goals.append(goal)
                    weights.append(w * min(float(g.weight[k]), MOST_WEIGHT))
                    light = (g.lightness > goal[0] - rules.darker_l) & (~g.is_black | (goal[0] < rules.black_under_l))
                    may.append(g.allowed & (g.forbidden[:, k] < 1) & light)
        self.target, self.weight, self.ok = np.array(goals), np.array(weights) / np.sum(weights), np.array(may)
        smooth = np.array([colour_to_reflectance(lab_to_xyz(t))[0] for t in self.target])
        self.wanted = np.maximum(-np.log(np.maximum(smooth, 1e-3) / self.ground), 0)
        self._known: dict[tuple[int, tuple[int, ...]], float] = {}
        self._rest: dict[tuple[int, tuple[int, ...]], Array] = {}

    def missed(self, mine: Sequence[int]) -> float:
        """Weighted mean distance of the places, mixed of some pencils."""
        out = np.array([self._missed(k, tuple(i for i in mine if self.ok[k, i])) for k in range(len(self.target))])
        return float(self.weight @ (out + FAR_COST * np.maximum(0, out - FAR_DE) ** 2))

    def _missed(self, k: int, use: tuple[int, ...]) -> float:
        if (k, use) not in self._known:
            self._known[k, use] = self._known[k, use[:-1]] if self._helps_not(k, use) else self._off(k, list(use))
        return self._known[k, use]

    def _helps_not(self, k: int, use: tuple[int, ...]) -> bool:
        """Whether the best mixture of the others holds nothing of the last: where adding it raises the squared error, it is 0 in the new best one, too."""
        before = use[:-1]
        if not before or (k, before) not in self._known:
            return False
        if (k, before) not in self._rest:
            d = self.density[list(before)]
            self._rest[k, before] = self.wanted[k] - self._mixture(k, list(before)) @ d
        return float(self.density[use[-1]] @ self._rest[k, before]) <= 0.0

    def _off(self, k: int, use: list[int]) -> float:
        if not use:
            return float(delta_e00(reflectance_to_lab(self.ground), self.target[k]))
        amounts = self._mixture(k, use)
        if (amounts > 0).sum() > self.rules.few:
            top = np.argsort(-amounts * self.density[use].sum(1))[: self.rules.few]
            few = np.zeros(len(use))
            few[top] = self._mixture(k, [use[int(i)] for i in top])
            amounts = few
        amounts = amounts * min(1.0, self.rules.passes / max(float(amounts.sum()), 1e-9))
        return float(delta_e00(reflectance_to_lab(self.ground * np.exp(-(amounts @ self.density[use]))), self.target[k]))

    def _mixture(self, k: int, use: list[int]) -> Array:
        d = self.density[use]
        return np.asarray(scipy.optimize.nnls(np.vstack([d.T, np.full(len(use), FAINT)]), np.append(self.wanted[k], 0.0))[0])


def choose(fields: Sequence[Field], rules: PaletteRules, fixed: Sequence[str] = (), token: Token = SILENT) -> Palette:
    """The pencils for all areas of a portrait (one kit, one paper); ``fixed`` ones are taken before all others. Deterministic."""
    if not fields:
        return Palette((), ())
    kit, m = fields[0].kit, _Mixtures(fields, rules)
    mine = [kit.index[c] for c in fixed if c in kit.index]
    away = np.linalg.norm(kit.masstone_lab[:, None] - m.target[None], axis=2).min(1)
    near = 1 / (1 + (away / rules.own_de) ** 2)
    now, left = m.missed(mine), []
    gains = {i: np.inf for i in np.flatnonzero(m.ok.any(0)).tolist() if i not in mine}  # a pencil rarely gains more later than it did before
    while len(mine) < rules.most and gains:
        token.report(min(0.95, len(mine) / rules.most), "Choosing the pencils")
        seen: set[int] = set()
        best = max(gains, key=lambda j: (gains[j], -j))
        while best not in seen:
            gains[best] = (now - m.missed([*mine, best])) * near[best]
            seen.add(best)
            best = max(gains, key=lambda j: (gains[j], -j))
        if gains[best] < rules.worth:
            if len(mine) >= rules.least:
                break
            # mixtures see no more to gain; a hand still wants the steps between, in the animal's own colours
            apart = np.linalg.norm(kit.masstone_lab[:, None] - kit.masstone_lab[None, mine], axis=2).min(1) if mine else np.full(len(kit), STEP_DE)
            best = max(gains, key=lambda j: (near[j] * min(float(apart[j]), STEP_DE), -j))
            gains[best] = (now - m.missed([*mine, best])) * near[best]
        mine.append(best)
        now -= gains.pop(best) / near[best]
        left.append(now)
    mine += _needed(m, mine)
    return Palette(tuple(kit.pencils[i].code for i in mine), tuple(left))


def further(
    found: Palette, areas: int, plan: Callable[[int, frozenset[str]], LayerPlan], rules: PaletteRules, token: Token = SILENT,
    plan_all: Callable[[frozenset[str]], list[LayerPlan]] | None = None,
) -> Palette:  # fmt: skip
    """The palette with pencils that recipes solved by it still want: what a further pencil gains is solved, not guessed.

    ``plan`` solves one of the areas with some pencils (none: any). Where a place ends farther off than ``far_de``, the area is solved with the pencils that a
    free recipe would lay there; those that lie there then are taken, the one that is laid most alone where it comes as near, if they gain ``gains_de``. Where
    the palette is full they come in place of the pencils that are used least. ``plan_all`` solves all areas with some pencils, side by side where that is faster.
    """
    codes = list(found.codes)
    token.report(0.1, "Solving with the palette")
    plans = [plan(n, frozenset(codes)) for n in range(areas)] if plan_all is None else plan_all(frozenset(codes))
    open_ = set(range(areas))
    for k in range(rules.tried):
        token.report(0.6 + 0.4 * k / rules.tried, "Looking for a pencil that is missing")
        n = max(open_, key=lambda n: (_worst(plans[n])[1], -n), default=-1)
        if n < 0 or _worst(plans[n])[1] <= rules.far_de:
            break
        place, off = _worst(plans[n])
        free = plan(n, frozenset())
        missing = dict.fromkeys(q.code for q in free.layers if q.code and place in q.on and q.code not in codes)
        best = plan(n, frozenset([*codes, *missing])) if missing else plans[n]
        if best.prediction.bands[place].delta_e00 > off - rules.gains_de:
            open_.discard(n)  # no pencil helps it enough
            continue
        passes = {c: sum(q.passes for q in best.layers if q.code == c and place in q.on) for c in missing}
        new = [c for c in sorted(passes, key=lambda c: -passes[c]) if passes[c]]
        if len(new) > 1:
            alone = plan(n, frozenset([*codes, new[0]]))
            if alone.prediction.bands[place].delta_e00 < min(off, best.prediction.bands[place].delta_e00 + rules.gains_de):
                best, new = alone, new[:1]
        if not new:  # its other layers changed, and no pencil was missing
            open_.discard(n)
            continue
        used = [q.code for p in plans for q in p.layers]
        for _ in range(len(codes) + len(new) - rules.full):
            codes.remove(min(codes, key=lambda c: (used.count(c), -codes.index(c))))
        codes += new
        plans[n] = best
    return Palette(tuple(codes), found.left)


def _worst(plan: LayerPlan) -> tuple[str, float]:
    """The place that ends farthest off, and its ΔE00."""
    place, state = max(plan.prediction.bands.items(), key=lambda q: q[1].delta_e00)
    return place, state.delta_e00


def _needed(m: _Mixtures, mine: Sequence[int]) -> list[int]:
    """A blender, a coloured dark and a dark for the accents, where the animal asks for them and has none."""
    f, rules, lab = m.field, m.rules, m.field.kit.masstone_lab
    serves = m.ok.any(0)
    out: list[int] = []
    general = np.median(m.target, 0)
    dim = m.target[m.target[:, 0] < DIM_L]
    deepest = m.target[np.argmin(m.target[:, 0])]
    wanted = [
        (serves & (f.lightness <= rules.deep_l) & ~f.is_black, np.array([DEEP_GOAL_L, *np.median(dim, 0)[1:]]) if len(dim) else None),
        (serves & (f.lightness >= rules.blender[0]) & (f.strength <= rules.blender[1]), np.array([PALE_GOAL_L, *(PALE_HUE * general[1:])])),
        (serves & (f.lightness <= rules.dark_l), deepest if deepest[0] < rules.dark_l + NEAR_DARK_L else None),
    ]
    for kind, goal in wanted:
        if goal is not None and kind.any() and not kind[[*mine, *out]].any():
            out.append(int(np.argmin(np.where(kind, np.linalg.norm(lab - goal, axis=1), np.inf))))
    return out
