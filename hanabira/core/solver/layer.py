"""A layer of a recipe, where it goes and what it is for.

A recipe by places names in each layer the places it covers. One by values, as they were planned before, names bands of value in words.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from hanabira.core.faults import RecipeFault
from hanabira.core.optics.passes import Pass

BANDS = ("gap", "general", "light", "highlight")
WHERE: Mapping[str, tuple[str, ...]] = {
    "everywhere": BANDS,
    "all but the highlights": ("gap", "general", "light"),
    "all but the lights": ("gap", "general"),
    "gaps": ("gap",),
    "all but the gaps": ("general", "light", "highlight"),
    "lights": ("light", "highlight"),
    "highlights": ("highlight",),
}
"""Where a layer goes: the bands of value it covers."""
ROLES = (
    "reserve", "indent", "ground", "outline", "undertone", "general", "deepen", "texture", "gap", "blend", "lift", "scrape", "light hair", "glaze", "accent", "highlight",
    "correct",
)  # fmt: skip
CORRECT = "correct"
"""Role of a step that mends what a photo of the work has shown. It answers the paper, not the model: a forecast leaves it out."""


@dataclass(frozen=True)
class Layer:
    """One layer of a recipe from the paper upward. ``stroke_mm`` is 0 where a length means nothing."""

    role: str
    code: str
    pressure: int
    passes: int
    where: str
    stroke: str = "flick"
    stroke_mm: float = 0.0
    tool: str = ""
    why: str = ""
    locked: bool = False
    """A locked layer stays as it is when the area is solved anew."""
    id: str = ""
    """Names the layer for as long as it lives, wherever it is moved; empty until a recipe holds it."""
    on: tuple[str, ...] = ()
    """Ids of the places it covers, the one it is laid for first; empty in a recipe by values, where ``where`` names bands."""

    def __post_init__(self) -> None:
        if not self.on and self.where not in WHERE:
            raise RecipeFault(f"A layer cannot go “{self.where}”.")
        if not self.tool and not (1 <= self.pressure <= 5 and 1 <= self.passes <= 9):
            raise RecipeFault("A layer has a pressure of 1–5 and 1–9 passes.")

    @property
    def as_pass(self) -> Pass:
        """What the optics need of it."""
        return Pass(self.code, self.pressure, self.passes, self.tool)


def goes_over(layer: Layer, place: str, aliases: Mapping[str, str] | None = None) -> bool:
    """Whether a layer covers a place, or the place that stands for a band of that name."""
    if not layer.on:
        return place in WHERE[layer.where]
    return place in layer.on or (aliases or {}).get(place, place) in layer.on
