"""The ways to look at a photo while a key is held."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from hanabira.core.study import isolate, looks, shapes, warmth

if TYPE_CHECKING:
    import numpy as np


@dataclass(frozen=True)
class LookSource:
    """What a look is made from: a copy (h, w, 3), the animal's coverage and the copy without backdrop where there are any."""

    pixels: np.ndarray
    alpha: np.ndarray | None = None
    plain: np.ndarray | None = None
    steps: int = 5
    only: int | None = None
    backdrop: tuple[np.ndarray, np.ndarray] | None = None


def _swapped(q: LookSource) -> np.ndarray:
    """The animal on the portrait's backdrop; or, when it stands there already, in its own surroundings."""
    if q.plain is not None:
        return q.plain
    assert q.alpha is not None and q.backdrop is not None
    return isolate.on_backdrop(q.pixels, q.alpha, *q.backdrop)


LOOKS: dict[str, tuple[str, str, str, Callable[[LookSource], np.ndarray] | None]] = {
    "squint": ("Squint", "S", "The few big value shapes, edges kept", lambda q: looks.squint(q.pixels)),
    "shapes": (
        "Shapes",
        "V",
        "Flat values, small islands gone: the plan of lights and darks",
        lambda q: shapes.value_shapes(q.pixels, q.steps, q.only)[0],
    ),
    "backdrop": ("Backdrop", "B", "The animal on the portrait’s backdrop instead of its own, or the other way round", _swapped),
    "lift": ("Lift darks", "L", "Shows the form in a dark coat, hue kept", lambda q: looks.lift_shadows(q.pixels)),
    "temperature": (
        "Warm or cool",
        "T",
        "Where the animal is warmer or cooler than its own middle colour",
        lambda q: warmth.warmth_map(q.pixels, q.alpha)[0],
    ),
    "hues": ("Hues", "H", "Colours that hide in fur made strong; values as they are", lambda q: looks.boost_hues(q.pixels)),
    "grey": ("Grey", "G", "Values without colour", lambda q: looks.grey(q.pixels)),
    "forecast": (
        "Forecast",
        "F",
        "How the portrait looks with its layers: in Recipe up to the chosen one, at the easel those that are done",
        None,
    ),
    "mirror": ("Mirror", "M", "The picture the other way round shows what is out of line", lambda q: looks.mirror(q.pixels)),
}
"""Ways to look while a key is held: name, key, what it is for, and the maths; without one it needs more than the photo."""
