"""How targets move by choice: steps of warmth, richness and value, the same for one place and for the whole animal."""

from __future__ import annotations

import math
from collections.abc import Sequence

WARM_STEP, RICH_STEP, HALF_STEP_L = 4.0, 0.15, 5.0
"""A step of warmth (a*b* units toward orange), of richness (share of the chroma), and half a value step: about two just noticeable differences each."""
ORANGE = (0.5, 0.8660254)
"""Direction of warmth in a*b*: a hue of 60°."""
LEAST_C, HUELESS_C = 4.0, 1.0
"""A colour is enriched as if it had at least the first chroma; one weaker than the second has no hue to be enriched."""


def shift_of(lab: Sequence[float], warmer: float = 0.0, richer: float = 0.0, lighter: float = 0.0) -> tuple[float, float, float]:
    """How a target moves from the colour (Lab) that was measured, by steps of warmth and richness and by half value steps.

    >>> shift_of((40.0, 0.0, 20.0), richer=1.0)
    (0.0, 0.0, 3.0)
    """
    c = math.hypot(lab[1], lab[2])
    rich = RICH_STEP * richer * max(LEAST_C, c) / c if c > HUELESS_C else 0.0
    warm = WARM_STEP * warmer
    return HALF_STEP_L * lighter, round(ORANGE[0] * warm + rich * lab[1], 3), round(ORANGE[1] * warm + rich * lab[2], 3)
