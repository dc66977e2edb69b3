"""Pencils that a coat allows, told by lightness, strength and hue."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from hanabira.core.colour import spaces

if TYPE_CHECKING:
    from hanabira.core.colour.spaces import Array

LEAN_B = 0.5
"""b* within which a grey leans to neither side."""


@dataclass(frozen=True)
class Allowed:
    """One kind of pencil that a coat allows: ranges of L*, C* and hue (degrees, upward through 0), ``own`` degrees from the coat's own hue,
    ``lean``: as warm or cool as the coat's grey.
    """

    lightness: tuple[float, float] = (0.0, 100.0)
    strength: tuple[float, float] = (0.0, 200.0)
    hue: tuple[float, float] | None = None
    own: float | None = None
    lean: bool = False

    def holds(self, labs: Array, coat: Array) -> np.ndarray:
        """Which of some pencils (n, 3) it means in a coat of a general colour (3,)."""
        c, h = np.asarray(spaces.chroma(labs)), np.asarray(spaces.hue_deg(labs)) % 360
        ok = (labs[:, 0] >= self.lightness[0]) & (labs[:, 0] <= self.lightness[1]) & (c >= self.strength[0]) & (c <= self.strength[1])
        if self.hue is not None:
            ok = ok & ((h - self.hue[0]) % 360 <= (self.hue[1] - self.hue[0]) % 360)
        if self.own is not None:
            ok = ok & (np.abs((h - float(spaces.hue_deg(coat)) + 180) % 360 - 180) <= self.own)
        if self.lean and abs(float(coat[2])) > LEAN_B:
            ok = ok & ((labs[:, 2] > -LEAN_B) if coat[2] > 0 else (labs[:, 2] < LEAN_B))
        out: np.ndarray = ok
        return out


def allowed(rules: Sequence[Allowed], labs: Array, coat: Array) -> np.ndarray:
    """Pencils (n, 3) that any of some rules means; without rules all."""
    if not rules:
        return np.ones(len(labs), bool)
    return np.any([q.holds(labs, coat) for q in rules], 0)
