"""Ways of laying that the search does not choose by itself: a ground that is rubbed in, and lights that are covered before all colour.

Each is tried on the finished layers, which are fitted to it; what it costs the worst place decides whether it is taken (docs/methods/stacks.md).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from hanabira.core.solver.hand_moves import seen, told_once
from hanabira.core.solver.joint import Lays, Search, in_order
from hanabira.core.solver.layer import Layer

MASKS = ("tape", "wax")
"""Tools that cover a light before all colour."""
GROUNDS = {"powder": "powder", "sponge": "sponge", "wax-first": ""}
"""Choices of the school for the first layer, and how each brings its colour on (`optics.tools.LAYINGS`)."""
LIKE, FITTED = 8, 2
"""So many grounds are looked at, of those that come nearest to the wash they stand for; the area is solved anew over those that cost least as they are."""


def grounded(search: Search, layers: Lays, laid: str, pencils: np.ndarray) -> tuple[float, int, Lays] | None:
    """The layers over a ground that is brought on another way, with what the worst place loses by it (ΔE00) and which that is.

    ``laid`` is the way; the ground takes one of the ``pencils`` (n,) that serve a first layer. What is rubbed in goes over everything but the kept places;
    a stroke only where the first layer lay. None where nothing is washed, or no such pencil serves.
    """
    area = search.area
    old = [q for q in layers if (g := area.gesture(q.gesture)) is not None and g.stage == 0 and q.source < 0]
    if not old:
        return None
    first = max(old, key=lambda q: sum(q.on))
    number = next(k for k, g in enumerate(area.gestures) if g.id == first.gesture)
    which = area.candidates.at(np.flatnonzero((area.candidates.gesture == number) & pencils[area.candidates.pencil]))
    rest = [q for q in layers if q is not first]
    free = tuple(bool(v) for v in ~area.reserved)
    wash = search.snapshots((first,))[-1].lab[np.array(first.on)]
    tries: list[tuple[float, Lays]] = []
    for pencil in dict.fromkeys(which.pencil.tolist()):
        for press, passes in area.gestures[number].choices:
            ground = replace(first, pencil=pencil, pressure=press, passes=passes, on=free if laid else first.on, fixed=True, laid=laid)
            far = float(np.linalg.norm(search.snapshots((ground,))[-1].lab[np.array(first.on)] - wash, axis=-1).mean())
            tries.append((far, in_order((*rest, ground))))
    like = [tried for _far, tried in sorted(tries, key=lambda q: q[0])[:LIKE]]
    best: tuple[float, int, Lays] | None = None
    before = search.place_costs(layers)[1]
    for tried in sorted(like, key=search.total)[:FITTED]:
        ground = next(q for q in tried if q.fixed and q.key == first.key and q.laid == laid)
        start = in_order((ground, *[q for q in rest if q.source >= 0 or q.fixed]))
        fitted = seen(search, told_once(search, search.merged(search.solve(start))))
        lost = search.place_costs(fitted)[1] - before
        if best is None or lost.max() < best[0]:
            best = float(lost.max()), int(np.argmax(lost)), fitted
    return best


def untinted(search: Search, layers: Lays) -> tuple[Lays, float]:
    """The layers without anything over the kept places, and what the worst of those loses by it (ΔE00): no colour takes on clear wax."""
    kept = search.area.reserved
    bare = tuple(q if q.source >= 0 else replace(q, on=tuple(v and not k for v, k in zip(q.on, kept, strict=True))) for q in layers)
    bare = tuple(q for q in bare if any(q.on))
    lost = (search.place_costs(bare)[1] - search.place_costs(layers)[1])[kept]
    return bare, float(lost.max(initial=0.0))


def peeled(layers: Sequence[Layer], on: Sequence[str], peel: Layer) -> tuple[Layer, ...]:
    """The layers with the step that lifts a mask off its places, before the first that goes over one of them; last where none does."""
    at = next((k for k, q in enumerate(layers) if q.code and set(q.on) & set(on)), len(layers))
    return (*layers[:at], peel, *layers[at:])


