"""What gestures are called and in which order they come: all that lists, plans and records need of them, without the mathematics of a hand."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING

from hanabira.craft.rules import load

if TYPE_CHECKING:
    from hanabira.core.solver.layer import Layer


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
    return {told["id"]: Told(told["name"], told["aim"]) for told in (*data["gesture"], *data["stick"], *data["card"], data["whisker"])}


@cache
def stage_of(gesture: str) -> int:
    """The stage of a gesture in the order of the work; −1 for none."""
    data = load("hand.toml")
    return next((told["stage"] for told in (*data["gesture"], *data["stick"], *data["card"], data["whisker"]) if told["id"] == gesture), -1)


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
