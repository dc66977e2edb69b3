"""Whiskers as layers of a recipe: what must be done before any colour goes there, and what is drawn when everything they cross is done."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from hanabira.core.optics.kit import Kit
from hanabira.core.solver.layer import WHISKER, Layer

FIRST = ("indent", "reserve")
"""Methods that come before all colour; the others wait for it."""
TAKEN_OUT = {"scrape": "scrape", "lift": "lift"}
"""Methods that take colour away, with their tools."""
LEAST_COVERED = 0.01


@dataclass(frozen=True)
class SingleHairs:
    """Whiskers that were measured, and how they are laid: a ``method`` of the craft with its words; whether they are ``light``, their length and width on
    the paper, the share of the area that they cover, and the pressure of a stroke that is drawn.
    """

    method: str
    words: str
    light: bool
    length_mm: float
    width_mm: float
    share: float
    pressure: int


def with_single_hairs(layers: tuple[Layer, ...], hairs: SingleHairs | None, kit: Kit, on: tuple[str, ...], where: str) -> tuple[Layer, ...]:
    """The layers of a recipe with the step of its whiskers, first or last of all; unchanged where there are none or it has one already.

    ``on`` are ids of all places that they cross. A line that is drawn takes the kit's lightest or darkest pencil.
    """
    if hairs is None or not on or any(q.gesture == WHISKER for q in layers):
        return layers
    tool = hairs.method if hairs.method in FIRST else TAKEN_OUT.get(hairs.method, "")
    code = ""
    if not tool:
        lightness = kit.masstone_lab[:, 0]
        code = kit.pencils[int(np.argmax(lightness) if hairs.light else np.argmin(lightness))].code
    step = Layer(
        hairs.method if hairs.method in FIRST else "whisker", code, hairs.pressure if code else 1, 1, where, "flick", round(hairs.length_mm, 1), tool=tool,
        why=hairs.words, on=on, gesture=WHISKER, run_mm=round(hairs.width_mm, 2), coverage=max(LEAST_COVERED, round(min(1.0, hairs.share), 3)),
    )  # fmt: skip
    return (step, *layers) if hairs.method in FIRST else (*layers, step)
