"""What the craft asks of an area's layers, the plan that answers it, and the same plan with fewer pencils."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.solver.area import Layer, Prediction, follow, without_layer


@dataclass(frozen=True)
class Craft:
    """What the craft says of one area, chosen from the technique data.

    ``school`` maps switches to choices. ``finish`` 1 (loose) to 5 (every hair). ``blend`` says whether a blend serves (none, light, soft) and
    ``light`` what the last lights are. ``why`` gives a sentence a role. ``keeps_off`` says
    of places what must not cover them.
    """

    stroke: str = "flick"
    base_stroke: str = "side"
    stroke_mm: float = 0.0
    blend: str = "none"
    light: str = "hairs"
    coat: str = "coloured"
    school: Mapping[str, str] = field(default_factory=dict)
    finish: int = 3
    why: Mapping[str, str] = field(default_factory=dict)
    keeps_off: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


@dataclass(frozen=True)
class Plan:
    """Layers in order, what they give, and ``left_out``: rules that were not followed, each with its reason."""

    layers: tuple[Layer, ...]
    prediction: Prediction
    left_out: tuple[str, ...]


def fewest(kit: Kit, paper: Paper, layers: Sequence[Layer], targets: Mapping[str, Array], most_cost: float = 1.0) -> tuple[Layer, ...]:
    """The recipe without the layers whose loss costs the mean of the places least, as long as it stays within ``most_cost`` ΔE00."""
    kept = tuple(layers)
    limit = _closeness(follow(paper, kit, kept, targets, expected=False)) + most_cost
    while len(kept) > 1:
        options = [
            (_closeness(follow(paper, kit, without_layer(kept, i), targets, expected=False)), i) for i, q in enumerate(kept) if not q.locked
        ]
        if not options or min(options)[0] > limit:
            return kept
        kept = without_layer(kept, min(options)[1])
    return kept


def _closeness(told: Prediction) -> float:
    return float(np.mean([q.delta_e00 for q in told.bands.values()]))
