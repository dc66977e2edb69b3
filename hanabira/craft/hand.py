"""Reads what a hand can lay: its sizes and its gestures."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any

from hanabira.core.optics.strokes import covered
from hanabira.core.places.hand_scale import HandScale, Least
from hanabira.core.solver.gesture_words import GestureWords
from hanabira.core.solver.gestures import FormRules, Gesture
from hanabira.core.solver.palette import PaletteRules
from hanabira.core.solver.pencil_kinds import PencilKinds
from hanabira.craft.rules import allowed_of, load

PAIRS = ("pencil_l", "pencil_c", "black_values", "coat_values", "part_values", "look")


@cache
def hand_scale() -> HandScale:
    """A hand's sizes on the paper."""
    told = load("hand.toml")["scale"]
    values, least = told.pop("values"), told.pop("least")
    return HandScale(**{**told, "stroke_mm": tuple(told["stroke_mm"])}, **values, least={k: Least(*v) for k, v in least.items()})


@cache
def gestures(medium: str = "pencil") -> tuple[Gesture, ...]:
    """What a hand does with a medium in working order: translucent pencils, sticks that cover (``pastel``), or pencils on a toned card (``card``)."""
    uneven = hand_scale().uneven
    return tuple(
        Gesture(**{
            **{k: v for k, v in told.items() if k not in ("why", "name", "aim")},
            **{k: tuple(told[k]) for k in PAIRS if k in told},
            "choices": tuple((p, n) for p, n in told["choices"]),
            "coverage": round(covered(told["apart"], told.get("taper", 0.0), uneven), 3) if "apart" in told else 1.0,
        })
        for told in load("hand.toml")[{"pastel": "stick", "card": "card"}.get(medium, "gesture")]
    )  # fmt: skip


@dataclass(frozen=True)
class WhiskerStroke:
    """A whisker as it is drawn: its width in mm, and the pressure of a light and of a dark one."""

    width_mm: float
    pressure_light: int
    pressure_dark: int


@cache
def hand_whisker() -> WhiskerStroke:
    """How one whisker is drawn."""
    told = load("hand.toml")["whisker"]
    return WhiskerStroke(told["width_mm"], told["pressure_light"], told["pressure_dark"])


@cache
def gesture_words() -> GestureWords:
    """Sentences by kind of surface, gesture and turn."""
    told = load("gesture_words.toml")
    places = told.pop("places")
    return GestureWords({kind: {k: (v,) if isinstance(v, str) else tuple(v) for k, v in table.items()} for kind, table in told.items()}, places)


@cache
def form_rules() -> FormRules:
    """What is laid for the form alone."""
    told = load("hand.toml")["form"]
    return FormRules(**{**told, "blend": tuple(told["blend"])})


@cache
def pencil_kinds() -> PencilKinds:
    """Which pencils do what in an animal."""
    told = load("pencil_kinds.toml")
    limits: dict[str, Any] = {f"{kind}_{k}": tuple(v) if isinstance(v, list) else v for kind in ("green", "white", "dark") for k, v in told[kind].items()}
    tint = told["tint"]
    bears = limits.pop("dark_bears_l")
    return PencilKinds(allowed_of(told["neutraliser"]), **limits, tint_l=tint["l"], tint_c=tint["c"], grey_l=tint["grey_l"], grey_c=tint["grey_c"], bears_l=bears)


@cache
def palette_rules() -> PaletteRules:
    """How many pencils a portrait has, and which it needs."""
    told = load("hand.toml")["palette"]
    return PaletteRules(**{**told, "blender": tuple(told["blender"])})
