"""What the craft asks of an area's layers, and the plan that answers it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from hanabira.core.colour.spaces import Array, chroma, hue_deg
from hanabira.core.solver.area import Prediction
from hanabira.core.solver.layer import Layer

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
        c, h = np.asarray(chroma(labs)), np.asarray(hue_deg(labs)) % 360
        ok = (labs[:, 0] >= self.lightness[0]) & (labs[:, 0] <= self.lightness[1]) & (c >= self.strength[0]) & (c <= self.strength[1])
        if self.hue is not None:
            ok = ok & ((h - self.hue[0]) % 360 <= (self.hue[1] - self.hue[0]) % 360)
        if self.own is not None:
            ok = ok & (np.abs((h - float(hue_deg(coat)) + 180) % 360 - 180) <= self.own)
        if self.lean and abs(float(coat[2])) > LEAN_B:
            ok = ok & ((labs[:, 2] > -LEAN_B) if coat[2] > 0 else (labs[:, 2] < LEAN_B))
        out: np.ndarray = ok
        return out


def allowed(rules: Sequence[Allowed], labs: Array, coat: Array) -> np.ndarray:
    """Pencils (n, 3) that any of some rules means; without rules all."""
    if not rules:
        return np.ones(len(labs), bool)
    return np.any([q.holds(labs, coat) for q in rules], 0)


@dataclass(frozen=True)
class Craft:
    """What the craft says of one area, chosen from the technique data.

    ``school`` maps switches to choices. ``finish`` 1 (loose) to 5 (every hair). ``blend`` says whether a blend serves (none, light, soft) and
    ``light`` what the last lights are. ``why`` gives a sentence a role. ``keeps_off`` says
    of places what must not cover them. ``darks`` and ``lights`` are the pencils that the coat allows there (empty: any); with
    ``hidden_undertone`` a hue that hides in the coat is welcome under its darks.
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
    darks: tuple[Allowed, ...] = ()
    lights: tuple[Allowed, ...] = ()
    hidden_undertone: bool = False


@dataclass(frozen=True)
class Plan:
    """Layers in order, what they give, and ``left_out``: rules that were not followed, each with its reason."""

    layers: tuple[Layer, ...]
    prediction: Prediction
    left_out: tuple[str, ...]
