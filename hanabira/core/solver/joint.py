"""Layers of an area over its places, found together.

Two thoughts make it small. The order is canonical (`Field.key`), so a recipe is a set of layers and nothing can come too late or twice. The
cost is a sum over places plus a sum over layers, so the best places of a trial layer are those that it makes cheaper, found without search.
Layers are inserted greedily, their places switched, each taken out and replaced by the best, and what nobody would miss is left out; a second
start from the worst places keeps one dark from standing for all. Deterministic.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.solver.gestures import Candidates, Gesture
from hanabira.core.solver.path import Field, State
from hanabira.core.token import SILENT, Token

COARSE = 4
"""So many choices of a gesture are tried on the way down from nothing: what comes later refines them."""
SHORTLIST = 12
"""Pairs of pencil and gesture that are looked at closely after all were looked at once."""
MOST_LAYERS = 14
PART_FLOOR, CHAIN_FLOOR = 0.18, 0.10
"""What covering a part of an eye or nose, or a value of a coat, must bring, or layers creep where they are hardly needed."""
MOST_KEPT = 4000
"""States of all places after a layer that are remembered at once (about 3 kB each)."""
STARTS = ((4.0, 2),)
"""Further starts: when a place ends farther off than the first figure (ΔE00), from so many of the worst places."""
COVER_EARNS = 0.6
"""ΔE00 that covering a part of an eye or nose must bring; less, and the hand need not go there."""
SWITCH_GAIN, SWITCH_COST = 0.1, 0.04


@dataclass(frozen=True)
class Lay:
    """A layer on some places: a pencil by its number in the kit, or a ``tool`` (pencil −1). ``key`` is its place in the order."""

    pencil: int
    pressure: int
    passes: int
    on: tuple[bool, ...]
    key: float
    tool: str = ""
    fixed: bool = False
    role: str = ""
    source: int = -1
    """Number of the locked layer that it stands for."""
    gesture: str = ""
    """What the hand does (`gestures`); empty where values alone order the layers."""
    coverage: float = 1.0
    """Share of its places that its strokes close."""
    laid: str = ""
    """How its colour is brought on (`optics.tools`); empty is the usual point."""


Lays = tuple[Lay, ...]


def in_order(layers: Sequence[Lay]) -> Lays:
    """Layers in working order."""
    return tuple(sorted(layers, key=lambda q: q.key))


class Search:
    """Finds layers for a field."""

    def __init__(self, area: Field, allowed: Array | None = None, token: Token = SILENT) -> None:
        self.area, self.token = area, token
        self.n = len(area.places)
        self._only = np.ones(self.n, bool) if allowed is None else np.asarray(allowed)
        self._every = np.arange(self.n)
        self._costs: dict[Lays, tuple[Array, Array]] = {}
        self._after_layer: dict[tuple[int, Lay], tuple[int, State]] = {}
        self._numbered = 0

    # -- what a recipe costs ------------------------------------------------------------
    def snapshots(self, layers: Lays) -> list[State]:
        """The state of every place before each layer, and after the last."""
        if len(self._after_layer) > MOST_KEPT:
            self._after_layer.clear()
        area = self.area
        sums = any(q.tool for q in layers)
        s = area.start((self.n,), sums)
        out, below = [s], -2 if sums else -1
        for q in layers:
            known = self._after_layer.get((below, q))  # recipes that are compared begin alike
            if known is None:
                on = np.flatnonzero(q.on)
                s = s.copy()
                if len(on):
                    s.put(on, self._after(s.at(on), q, on))
                self._numbered += 1
                known = self._after_layer[below, q] = self._numbered, s
            below, s = known
            out.append(s)
        return out

    def _after(self, s: State, q: Lay, places: Array) -> State:
        """States after a layer or a tool."""
        area = self.area
        if q.tool:
            return area.use(s, q.tool)
        return area.lay(s, np.array(q.pencil), np.array(q.pressure), np.array(q.passes), places, np.array(area.is_free(q.gesture)), q.coverage, q.laid)

    def presses(self, layers: Lays, place: int) -> list[int]:
        """Pressures on a place in order, tools apart; 0 for gestures that may be lighter than what came before."""
        return [self._press(q) for q in layers if q.on[place] and not q.tool]

    def _press(self, q: Lay) -> int:
        return 0 if self.area.is_free(q.gesture) else q.pressure

    def place_costs(self, layers: Lays) -> tuple[Array, Array]:
        """Cost and ΔE00 of every place."""
        if layers not in self._costs:
            cost, de = self.area.ended(self.snapshots(layers)[-1], self._every)
            cost = cost + [self.area.pressure_cost(self.presses(layers, k)) for k in range(self.n)]
            if len(self._costs) > 2000:
                self._costs.clear()
            self._costs[layers] = cost, de
        return self._costs[layers]

    def layer_costs(self, layers: Lays) -> float:
        """What the layers themselves cost: work, pencils, passes."""
        area, codes, out = self.area, set(), 0.0
        for at, q in enumerate(layers):
            if q.tool:
                continue
            out += (
                area.layer_cost
                + area.pencil_cost[q.pencil]
                + area.costs.again * (q.passes - 1)
                + area.gesture_cost(q.gesture, sum(x.gesture == q.gesture for x in layers[:at]))
                + float(self._dark_on_lights(q.pencil, np.array(q.on)))
            )
            if q.pencil not in codes and not area.on_tray[q.pencil]:
                out += area.new_cost
            codes.add(q.pencil)
        return out

    def total(self, layers: Lays) -> float:
        """What a recipe costs."""
        return float(self.place_costs(layers)[0].sum()) + self.layer_costs(layers)

    def _dark_on_lights(self, pencil: Array | int, on: Array) -> Array:
        """Opaque: a dark stick that would go on finished lights alone dirties them."""
        area = self.area
        if not area.opaque:
            return np.zeros(on.shape[:-1])
        return np.where((area.lightness[pencil] < 25.5) & ~(on & ~area.lights).any(-1) & on.any(-1), area.costs.dirty, 0.0)

    # -- one more layer -------------------------------------------------------------------
    def insertion(self, layers: Lays, which: Candidates | None = None, fine: bool = True) -> tuple[float, Lay | None]:
        """The best further layer with what it gains: over all pairs of pencil and gesture in two looks, or over some."""
        if which is None:
            every = self.area.candidates
            gain, _on = self._gains(layers, every, True)
            which = every.at(np.argsort(-gain[0], kind="stable")[:SHORTLIST])
        if not len(which):
            return -1.0, None
        gain, on = self._gains(layers, which, False, fine)
        a, b = np.unravel_index(int(np.argmax(gain)), gain.shape)
        if not on[a, b].any() or gain[a, b] <= -1e8:
            return -1.0, None
        g = self.area.kinds[int(which.gesture[b])]
        q, n = self._choices(g, fine)[int(a)]
        pencil = int(which.pencil[b])
        return float(gain[a, b]), Lay(pencil, q, n, tuple(bool(v) for v in on[a, b]), self.area.key_of(pencil, g), gesture=g.id, coverage=self.area.coverage(g))

    @staticmethod
    def _choices(g: Gesture, fine: bool) -> tuple[tuple[int, int], ...]:
        return g.choices if fine else g.choices[:COARSE]

    def _gains(self, layers: Lays, which: Candidates, quick: bool, fine: bool = True) -> tuple[Array, Array]:
        """What each choice (rows) of each candidate (columns) would gain, and the places it would cover."""
        area = self.area
        current = self.place_costs(layers)[0]
        gestures = [area.kinds[int(g)] for g in which.gesture]
        own = [(g.look,) if quick else self._choices(g, fine) for g in gestures]
        rows = max(map(len, own))
        table = np.array([[c[min(r, len(c) - 1)] for c in own] for r in range(rows)])
        exists = np.arange(rows)[:, None] < np.array([len(c) for c in own])
        looked = exists[..., None] & which.may[None] & self._only
        delta = np.where(looked, current - self._costs_with(layers, table, which, gestures, looked, quick), -9.0)
        on = self._best_places(delta)
        gain = np.where(on, delta, 0).sum(-1)
        used = {q.pencil for q in layers if not q.tool}
        fresh = ~(np.isin(which.pencil, list(used)) | area.on_tray[which.pencil])
        cost = area.layer_cost + area.pencil_cost[which.pencil] + area.new_cost * fresh + area.costs.again * (table[..., 1] - 1)
        laid = [q.gesture for q in layers if not q.tool]
        cost = cost + np.array([g.cost + g.further * laid.count(g.id) for g in gestures])
        gain = gain - cost - self._dark_on_lights(np.broadcast_to(which.pencil, gain.shape), on)
        gain = np.where(area.misfits(on, np.array([g.share for g in gestures]), np.array([g.most for g in gestures])), -1e9, gain)
        often = np.array([laid.count(g.id) >= g.times for g in gestures])
        return np.where(exists & ~often, gain, -1e9), on

    def costs_with(self, layers: Lays, choices: Sequence[tuple[int, int]], which: Candidates, may: np.ndarray) -> Array:
        """Cost of every place were a layer inserted that goes over it, (choices, candidates, places); 0 where it may not, ``may`` (candidates, places)."""
        gestures = [self.area.kinds[int(g)] for g in which.gesture]
        table = np.broadcast_to(np.array(choices)[:, None], (len(choices), len(which), 2))
        return self._costs_with(layers, table, which, gestures, np.broadcast_to(may, (len(choices), *may.shape)), quick=False)

    def _costs_with(self, layers: Lays, choices: Array, which: Candidates, gestures: Sequence[Gesture], looked: Array, quick: bool) -> Array:
        """Cost of every place were a layer inserted, shape (choices, candidates, places) like ``looked``: what may be there; 0 elsewhere.

        Only what may be there is worked out, spot by spot in the order in which the new layers stand in the stack: all are laid at once, each on what
        lies under it, and every layer above goes over those that stand below it. A ``quick`` look judges no states on the way above the new layer.
        """
        area = self.area
        out = np.zeros(looked.shape)
        keys = np.array([q.key for q in layers])
        column = np.searchsorted(keys, [area.key_of(int(i), g) for i, g in zip(which.pencil, gestures, strict=True)], side="right")
        choice, new, place = np.nonzero(looked)
        if not len(place):
            return out
        order = np.argsort(column[new], kind="stable")
        choice, new, place = choice[order], new[order], place[order]
        stands, (pressure, passes) = column[new], choices[choice, new].T
        free = np.array([g.free for g in gestures])[new]
        closes = np.array([area.coverage(g) for g in gestures])[new]
        under = _stacked(self.snapshots(layers)).at((stands, place))
        state = area.lay(under, which.pencil[new], pressure, passes, place, free, closes)
        for at, q in enumerate(layers):
            rows = np.flatnonzero(np.array(q.on)[place[: np.searchsorted(stands, at, side="right")]])
            if not len(rows):
                continue
            part = state.at(rows)
            if quick and not q.tool:
                part = area.film(part, np.array(q.pencil), np.array(q.pressure), np.array(q.passes), q.coverage, q.laid)
            else:
                part = self._after(part, q, place[rows])
            state.put(rows, part)
        if quick:
            state.lab = area.see(state.zones)
        cost, _de = area.ended(state, place)
        if not area.opaque:
            cost = cost + self._pressed(layers, place, stands, np.where(free, 0, pressure))
        out[choice, new, place] = cost
        return out

    def _pressed(self, layers: Lays, place: Array, stands: Array, pressure: Array) -> Array:
        """What the order of pressures costs each spot with one more of its own ``pressure`` before the layer number ``stands``."""
        presses = [self.presses(layers, k) for k in range(self.n)]
        covers = np.array([[q.on[k] and not q.tool for q in layers] for k in range(self.n)], int).reshape(self.n, len(layers))
        rank = np.concatenate([np.zeros((self.n, 1), int), np.cumsum(covers, 1)], 1)[place, stands]
        cases, which = np.unique(np.stack([place, rank, pressure]), axis=1, return_inverse=True)
        costs = [self.area.pressure_cost([*presses[k][:r], p, *presses[k][r:]]) for k, r, p in cases.T.tolist()]
        return np.array(costs)[which.reshape(-1)]

    def _best_places(self, delta: Array) -> Array:
        """Places worth covering: in a chain of values a run of neighbours, elsewhere any. ``delta`` (…, places) is what each would gain."""
        on = np.zeros(delta.shape, bool)
        for mine, chain in self.area.chains:
            gain = np.where(self._only[mine], delta[..., mine], -9.0)
            if not chain:
                on[..., mine] = gain > PART_FLOOR
                continue
            gain = gain - CHAIN_FLOOR
            n = len(mine)
            total = np.concatenate([np.zeros((*gain.shape[:-1], 1)), np.cumsum(gain, -1)], -1)
            best, low, high = np.zeros(gain.shape[:-1]), np.zeros(gain.shape[:-1], int), np.zeros(gain.shape[:-1], int)
            for a in range(n):
                for b in range(a + 1, n + 1):
                    value = total[..., b] - total[..., a] - (self.area.costs.ragged if a > 0 and b < n else 0.0) - 0.01
                    better = value > best
                    best, low, high = np.where(better, value, best), np.where(better, a, low), np.where(better, b, high)
            at = np.arange(n)
            on[..., mine] = (at >= low[..., None]) & (at < high[..., None])
        return on

    # -- better --------------------------------------------------------------------------------
    def solve(self, start: Lays = ()) -> Lays:
        """The cheapest layers found, from nothing and, where a place is left behind, from the worst places first."""
        best = self._descend(start)
        self.token.report(0.5)
        for limit, most in STARTS:
            de = self.place_costs(best)[1]
            limit *= min(1.0, self.area.factor)  # a fine finish bears less
            bad = [int(k) for k in np.argsort(-de) if de[k] > limit and self._only[k] and not self.area.places[k].reserved][:most]
            if not bad or self.n < 2:
                break
            best = min((best, self._descend(self._alone(bad, start))), key=self.total)
            self.token.report(0.8)
        self.token.report(0.95)
        return best

    def _alone(self, bad: Sequence[int], start: Lays) -> Lays:
        """Layers that serve some places one after the other, as if the others were not there."""
        layers, keep = in_order(start), self._only
        for k in bad:
            self._only = np.arange(self.n) == k
            for _ in range(5):
                gain, layer = self.insertion(layers)
                if layer is None or gain <= 0:
                    break
                layers = in_order((*layers, layer))
        self._only = keep
        return layers

    def _descend(self, start: Lays) -> Lays:
        layers = in_order(start)
        for _ in range(MOST_LAYERS):
            gain, layer = self.insertion(layers, fine=False)
            if layer is None or gain <= 0:
                break
            layers = in_order((*layers, layer))
            self.token.report(0.02 * len(layers))
        layers = self.switched(layers)
        layers = self.improved(layers)
        layers = self.pruned(self.switched(layers))
        layers = self.improved(layers, 1, own=True)
        return self.trimmed(self.merged(self.pruned(self.trimmed(layers))))

    def improved(self, layers: Lays, sweeps: int = 1, own: bool = False) -> Lays:
        """Each layer taken out and the best put in its stead, or nothing; with ``own`` only its pressure and places are free."""
        now = self.total(layers)
        for _ in range(sweeps):
            better = False
            for q in layers:
                if q.fixed or q not in layers:
                    continue
                rest = tuple(x for x in layers if x is not q)
                gain, new = self.insertion(rest, self._same(q) if own else None)
                tried = in_order((*rest, new)) if new is not None and gain > 0 else rest
                cost = self.total(tried)
                if cost < now - 0.02:
                    layers, now, better = tried, cost, True
            if not own:
                gain, new = self.insertion(layers)
                if new is not None and gain > 0:
                    layers, better = in_order((*layers, new)), True
                    now = self.total(layers)
            if not better:
                break
            self.token.report(0.3)
        return layers

    def switched(self, layers: Lays) -> Lays:
        """For every place the best of all one- and two-layer switches on or off; places do not disturb each other."""
        for _ in range(3):
            free = [k for k, q in enumerate(layers) if not q.fixed and not q.tool]
            flips = [(), *((a,) for a in free), *((a, b) for n, a in enumerate(free) for b in free[n + 1 :])]
            cost, _de = self._flipped(layers, flips)
            cost = cost + SWITCH_COST * np.array([len(f) for f in flips])[None]
            best = cost.argmin(1)
            changed = list(layers)
            for k in range(self.n):
                if self._only[k] and cost[k, 0] - cost[k, best[k]] > SWITCH_GAIN:
                    for at in flips[best[k]]:
                        on = list(changed[at].on)
                        on[k] = not on[k]
                        q = changed[at]
                        if (not on[k] or self.area.may_go(q.pencil, q.gesture, k)) and self.area.fits(q.gesture, on):
                            changed[at] = replace(q, on=tuple(on))
            now = in_order([q for q in changed if any(q.on)])
            if now == layers:
                break
            layers = now
        return layers

    def _flipped(self, layers: Lays, flips: Sequence[tuple[int, ...]]) -> tuple[Array, Array]:
        """Cost and ΔE00 of every place under each set of switched layers: (places, flips)."""
        area, n, m = self.area, self.n, len(flips)
        on = (
            np.broadcast_to(np.array([q.on for q in layers]).T[:, None], (n, m, len(layers))).copy()
            if layers
            else np.zeros((n, m, 0), bool)
        )
        for r, f in enumerate(flips):
            on[:, r, list(f)] ^= True
        s = area.start((n, m), any(q.tool for q in layers))
        for k, q in enumerate(layers):
            rows = np.nonzero(on[..., k])
            if len(rows[0]):
                part = s.at(rows)
                s.put(rows, self._after(part, q, rows[0]))
        cost, de = area.ended(s, self._every[:, None])
        if not area.opaque:
            press = [self._press(q) for q in layers]
            real = [k for k, q in enumerate(layers) if not q.tool]
            seen: dict[tuple[int, ...], float] = {}
            for p in range(n):
                for r in range(m):
                    seq = tuple(press[k] for k in real if on[p, r, k])
                    if seq not in seen:
                        seen[seq] = area.pressure_cost(seq)
                    cost[p, r] += seen[seq]
        return cost, de

    def pruned(self, layers: Lays) -> Lays:
        """Without the layers, and the covers, that no place would miss: less than what a layer must earn, judged place by place."""
        while layers:
            free = [k for k, q in enumerate(layers) if not q.fixed and not q.tool]
            flips = [(), *((k,) for k in free)]
            cost, de = self._flipped(layers, flips)
            best = None
            for r, k in enumerate(free, 1):
                on = np.array(layers[k].on)
                if float((de[:, r] - de[:, 0])[on].max(initial=-9)) < self.area.earn:
                    loss = float((cost[:, r] - cost[:, 0])[on].sum()) - self.area.layer_cost
                    if best is None or loss < best[0]:
                        best = loss, k
            if best is None:
                break
            layers = tuple(q for at, q in enumerate(layers) if at != best[1])
        return layers

    def trimmed(self, layers: Lays) -> Lays:
        """Without covers of parts that bring their place next to nothing: nobody lays a pale grey under a pupil."""
        parts = [int(k) for mine, chain in self.area.chains if not chain for k in mine]
        for _ in range(8 if parts else 0):
            free = [k for k, q in enumerate(layers) if not q.fixed and not q.tool]
            cost, de = self._flipped(layers, [(), *((k,) for k in free)])
            changed, any_ = list(layers), False
            for p in parts:
                off = [
                    (float(cost[p, r] - cost[p, 0]), k)
                    for r, k in enumerate(free, 1)
                    if layers[k].on[p] and de[p, r] - de[p, 0] < COVER_EARNS
                ]
                if off and min(off)[0] < COVER_EARNS:
                    k = min(off)[1]
                    changed[k], any_ = replace(changed[k], on=tuple(o and j != p for j, o in enumerate(changed[k].on))), True
            layers = tuple(q for q in changed if any(q.on))
            if not any_:
                break
        return layers

    def _same(self, q: Lay) -> Candidates:
        """The pencil of a layer with its own gesture."""
        number = next((n for n, g in enumerate(self.area.kinds) if g.id == q.gesture), None)
        return self.area.candidates.of([q.pencil], number)

    def _grid(self, q: Lay) -> list[tuple[int, int]]:
        """Pressures and passes that a layer of two may have."""
        g = self.area.gesture(q.gesture)
        presses = g.pressures if g is not None else tuple(range(1, 6))
        return [(p, n) for p in presses for n in range(1, 5 if len(presses) < 4 else 4)]

    def merged(self, layers: Lays) -> Lays:
        """The same pencil twice on the same places becomes one layer with more passes, where that costs little."""
        out, k = list(in_order(layers)), 0
        while k + 1 < len(out):
            a, b = out[k], out[k + 1]
            if (
                not a.tool
                and not b.tool
                and not a.fixed
                and not b.fixed
                and a.pencil == b.pencil
                and a.on == b.on
                and a.gesture == b.gesture
                and a.passes + b.passes <= 4
            ):
                now = self.total(tuple(out))
                tries = [(*out[:k], replace(a, pressure=q, passes=n), *out[k + 2 :]) for q, n in self._grid(a)]
                best = min(tries, key=self.total)
                if self.total(best) < now + self.area.layer_cost:
                    out = list(best)
                    continue
            k += 1
        return tuple(out)


def _stacked(states: Sequence[State]) -> State:
    """States one on the other along a new first axis."""
    rows = zip(*(s.arrays() for s in states), strict=True)
    return State(*(None if v[0] is None else np.stack(v) for v in rows))  # type: ignore[arg-type]
