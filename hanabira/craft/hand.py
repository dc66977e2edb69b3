"""Reads what a hand can lay: its sizes and its gestures."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Any

from hanabira.core.places.hand_scale import HandScale, Least
from hanabira.core.solver.gesture_words import GestureWords
from hanabira.core.solver.gestures import FormRules, Gesture
from hanabira.core.solver.palette import PaletteRules
from hanabira.core.solver.pencil_kinds import PencilKinds
from hanabira.craft.rules import allowed_of, load

if TYPE_CHECKING:
    from hanabira.core.solver.layer import Layer

PAIRS = ("pencil_l", "pencil_c", "black_values", "coat_values", "part_values", "look")


@cache
def hand_scale() -> HandScale:
    """A hand's sizes on the paper."""
    told = load("hand.toml")["scale"]
    values, least = told.pop("values"), told.pop("least")
    return HandScale(**{**told, "stroke_mm": tuple(told["stroke_mm"])}, **values, least={k: Least(*v) for k, v in least.items()})


@cache
def gestures(medium: str = "pencil") -> tuple[Gesture, ...]:
    """What a hand does with a medium in working order: translucent pencils, or sticks that cover."""
    return tuple(
        Gesture(**{
            **{k: v for k, v in told.items() if k not in ("why", "name", "aim")},
            **{k: tuple(told[k]) for k in PAIRS if k in told},
            "choices": tuple((p, n) for p, n in told["choices"]),
        })
        for told in load("hand.toml")["stick" if medium == "pastel" else "gesture"]
    )  # fmt: skip


@dataclass(frozen=True)
class Told:
    """What a gesture is called, and in one line what the hand does."""

    name: str
    aim: str


BEFORE_ALL = Told("Before all", "What must stay paper.")
OTHER = Told("By hand", "Added to the plan.")


@cache
def told_gestures() -> Mapping[str, Told]:
    """Names of the gestures of all media."""
    data = load("hand.toml")
    return {told["id"]: Told(told["name"], told["aim"]) for told in (*data["gesture"], *data["stick"])}


def stage_of(gesture: str) -> int:
    """The stage of a gesture in the order of the work; −1 for none."""
    return next((g.stage for g in (*gestures(), *gestures("pastel")) if g.id == gesture), -1)


def title_of(gesture: str) -> str:
    """What a gesture is called; empty for none."""
    return told_gestures()[gesture].name if gesture in told_gestures() else ""


def headings(layers: Sequence[Layer]) -> tuple[Told | None, ...]:
    """Before which layers a new gesture begins, and what is said there; all None in a recipe that knows no gestures."""
    if not any(q.gesture for q in layers):
        return (None,) * len(layers)
    out: list[Told | None] = []
    last = ""
    for q in layers:
        now = q.gesture or ("before" if q.role in ("reserve", "indent") else last if q.tool else "other")
        out.append(None if now == last else {"before": BEFORE_ALL, "other": OTHER}.get(now) or told_gestures().get(now))
        last = now
    return tuple(out)


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
