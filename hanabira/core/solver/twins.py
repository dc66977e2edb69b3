"""The second of two sides: the same again, where that comes as near as its own recipe would."""

from __future__ import annotations

from collections.abc import Callable

from hanabira.core.solver.layer import Layer
from hanabira.core.solver.place_plan import PlacePlan

TWIN_MISS = 4.0
"""ΔE00 of the worst place within which the same again is taken without a look at anything else."""
TWIN_COST = 2.5
"""ΔE00 by which a recipe of its own must be nearer in some place to be taken instead."""


def other_side(plan: Callable[[tuple[Layer, ...]], PlacePlan], twin: tuple[Layer, ...]) -> PlacePlan:
    """The plan of a side whose other side has the layers ``twin``; ``plan`` solves it as that, or freely when it is given no layers."""
    if not twin:
        return plan(())
    same = plan(twin)
    if max((s.delta_e00 for s in same.prediction.bands.values()), default=0.0) <= TWIN_MISS and any(q.code for q in same.layers):
        return same
    free = plan(())
    worst = max(same.prediction.bands[k].delta_e00 - free.prediction.bands[k].delta_e00 for k in free.prediction.bands)
    return same if worst <= TWIN_COST else free
