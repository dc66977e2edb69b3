"""The coats of an animal read together: an area that meets others of like colour is likely of their coat (docs/methods/coats.md)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

SHARED, LIKE_DE = 0.3, 12.0
"""Weight of the neighbours beside an area's own reading, and how near in colour (ΔE76, one standard deviation) a neighbour is to count. On 105 areas that were
drawn on twelve real photographs the first coat was one of those seen in the picture in 88 without and 90 with them, one of the first two in 103 either way; a
weight of .5 gave 91 and 102."""
LEAST = 0.3
"""Neighbours that together count for less than this say nothing."""

Lab = tuple[float, float, float]


@dataclass(frozen=True)
class Read:
    """What one area reads as: its general colour (Lab) and its coats with their shares."""

    lab: Lab
    coats: tuple[tuple[str, float], ...]


def together(own: Read, near: Sequence[Read]) -> tuple[tuple[str, float], ...]:
    """An area's coats with their shares, the first ones first, beside its neighbours of like colour.

    >>> grey, brown = Read((50.0, 0.0, 2.0), (("grey", 0.5), ("brown", 0.45))), Read((50.0, 2.0, 6.0), (("brown", 0.9), ("grey", 0.1)))
    >>> together(grey, [brown])[0][0], together(grey, [])[0][0]
    ('brown', 'grey')
    """
    weight = [float(np.exp(-0.5 * (np.linalg.norm(np.subtract(own.lab, q.lab)) / LIKE_DE) ** 2)) for q in near]
    total = sum(weight)
    if not own.coats or total < LEAST:
        return own.coats
    shares: dict[str, float] = {k: (1 - SHARED) * v for k, v in own.coats}
    for w, q in zip(weight, near, strict=True):
        theirs: Mapping[str, float] = dict(q.coats)
        for k, v in theirs.items():
            shares[k] = shares.get(k, 0.0) + SHARED * w / total * v
    return tuple(sorted(shares.items(), key=lambda q: -q[1]))
