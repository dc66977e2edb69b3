"""What the craft asks of an area's layers, and the plan that answers it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from hanabira.core.places.hand_scale import HandScale
from hanabira.core.solver.allowed import Allowed
from hanabira.core.solver.area import Prediction
from hanabira.core.solver.gesture_words import GestureWords
from hanabira.core.solver.gestures import FormRules, Gesture
from hanabira.core.solver.layer import Layer
from hanabira.core.solver.pencil_kinds import PencilKinds


@dataclass(frozen=True)
class Craft:
    """What the craft says of one area, chosen from the technique data.

    ``pencils`` says which pencils do what. ``school`` maps switches to choices. ``finish`` 1 (loose) to 5 (every hair). ``blend`` says whether a blend
    serves (none, light, soft) and ``light`` what the last lights are. ``keeps_off`` says of places what must not cover them. ``darks`` and ``lights`` are
    the pencils that the coat allows there (empty: any); with ``hidden_undertone`` a hue that hides in the coat is welcome under its darks. ``gestures`` are
    what a hand does with a translucent pencil and ``card`` what it does on a toned card, ``form`` what it does for the form alone, ``scale`` its sizes; ``words`` are the sentences that say why, and
    ``kind`` which of them fit the surface.
    """

    pencils: PencilKinds
    stroke: str = "flick"
    base_stroke: str = "side"
    stroke_mm: float = 0.0
    blend: str = "none"
    light: str = "hairs"
    coat: str = "coloured"
    school: Mapping[str, str] = field(default_factory=dict)
    finish: int = 3
    keeps_off: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    darks: tuple[Allowed, ...] = ()
    lights: tuple[Allowed, ...] = ()
    hidden_undertone: bool = False
    gestures: tuple[Gesture, ...] = ()
    card: tuple[Gesture, ...] = ()
    form: FormRules | None = None
    scale: HandScale | None = None
    words: GestureWords | None = None
    kind: str = "any"
    tools: frozenset[str] | None = None
    """Tools that are in the drawer (ids of the craft's list); None: any."""

    def has(self, tool: str) -> bool:
        """Whether a tool is in the drawer."""
        return self.tools is None or tool in self.tools


@dataclass(frozen=True)
class LayerPlan:
    """Layers in order, what they give, and ``left_out``: rules that were not followed, each with its reason."""

    layers: tuple[Layer, ...]
    prediction: Prediction
    left_out: tuple[str, ...]
