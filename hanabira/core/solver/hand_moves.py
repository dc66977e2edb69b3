"""Moves of the search that think of the hand: the other side of a pair, a pencil taken up once, covers that no eye sees."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.solver.joint import Lays, Search, in_order

ONCE = 0.3
"""ΔE00 that taking a pencil up only once for a gesture may cost."""
SEEN_DE00 = 0.62
"""ΔE00 under which no eye sees a layer."""
ROUNDS = 6


def same_again(search: Search, start: Lays, other: Lays) -> Lays:
    """Layers of the other side fitted to this one: the same pencils in the same order, only pressures, passes and places are free."""
    wanted = in_order((*start, *other))
    layers = wanted
    for _ in range(2):
        layers = search.improved(search.switched(layers), 1, own=True)
    here = {(q.pencil, q.gesture) for q in layers}
    return in_order((*layers, *[q for q in wanted if (q.pencil, q.gesture) not in here]))  # what the other side has is not left out here


def told_once(search: Search, layers: Lays) -> Lays:
    """A pencil taken up twice for one gesture becomes one layer over both runs, where no place pays much for it."""
    for _ in range(ROUNDS):
        now, best = search.total(layers), None
        for a, x in enumerate(layers):
            for b, y in enumerate(layers[a + 1 :], a + 1):
                if x.tool or y.tool or x.fixed and y.fixed or max(x.source, y.source) >= 0 or (x.pencil, x.gesture) != (y.pencil, y.gesture):
                    continue
                on = tuple(u or v for u, v in zip(x.on, y.on, strict=True))
                g = search.area.gesture(x.gesture)
                if not search.area.fits(x.gesture, on):
                    continue
                choices = {*(g.choices if g is not None else ((x.pressure, x.passes), (y.pressure, y.passes)))}
                choices.add((max(x.pressure, y.pressure), min(3, x.passes + y.passes)))
                rest = [q for k, q in enumerate(layers) if k not in (a, b)]
                stays = y if y.fixed else x
                for press, passes in sorted(choices):
                    tried = in_order((*rest, replace(stays, pressure=press, passes=passes, on=on)))
                    cost = search.total(tried)
                    if cost < now + ONCE and (best is None or cost < best[0]):
                        best = cost, tried
        if best is None:
            break
        layers = search.improved(best[1], 1, own=True)
    return layers


def seen(search: Search, layers: Lays) -> Lays:
    """Without covers that no eye sees, one after the other (what lies above changes with each), and without layers that are left with nothing."""
    for _ in range(4 * ROUNDS):
        states = search.snapshots(layers)
        least: tuple[float, int, int] | None = None
        for c, q in enumerate(layers):
            if q.tool or q.source >= 0:
                continue
            de = np.asarray(delta_e00(states[c].lab, states[c + 1].lab))
            for k in np.flatnonzero(np.array(q.on) & (de < SEEN_DE00) & (states[c].depth > 0)):
                if least is None or de[k] < least[0]:
                    least = float(de[k]), c, int(k)
        if least is None:
            break
        _de, at, place = least
        layers = tuple(replace(q, on=tuple(v and j != place for j, v in enumerate(q.on))) if n == at else q for n, q in enumerate(layers))
        layers = tuple(q for q in layers if any(q.on))
    return layers
