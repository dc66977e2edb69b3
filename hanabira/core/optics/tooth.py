"""Paper as tooth: how much pigment it holds, how far a pencil reaches into it.

Figures: docs/methods/stacks.md; three zones of equal area
stand for the peaks, slopes and valleys of the tooth.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.faults import KitFault
from hanabira.core.optics.paper import YULE_NIELSEN, Paper

DEPTHS = np.array([1 / 6, 1 / 2, 5 / 6])
"""Depth of the three zones, 0 peak to 1 valley."""
SETTLE = 0.2
"""How much a filled zone rises toward the pencil, as a share of its depth."""


@dataclass(frozen=True)
class Pressures:
    """What a hand does at the five pressures 1 (light) to 5 (heavy): arrays of five."""

    deposit: Array
    reach: Array
    full: Array
    crush: Array

    @staticmethod
    def standard() -> Pressures:
        """Light, medium and heavy as measured; 2 and 4 lie half way between."""

        def five(light: float, medium: float, heavy: float) -> Array:
            return np.interp([1, 2, 3, 4, 5], [1, 3, 5], [light, medium, heavy])

        return Pressures(five(0.22, 0.40, 0.72), five(0.42, 0.66, 0.98), five(0.80, 0.92, 1.0), five(0, 0.015, 0.06))


STANDARD_PRESSURES = Pressures.standard()
PRESSURES = (1, 2, 3, 4, 5)


@dataclass(frozen=True)
class Tooth:
    """State of the tooth: pigment in each zone (3,) and how far the paper is crushed."""

    fill: Array
    crush: float = 0.0

    @staticmethod
    def fresh() -> Tooth:
        """Untouched paper."""
        return Tooth(np.zeros(3), 0.0)


def room(paper: Paper, crush: float = 0.0) -> Array:
    """Room for pigment in the three zones."""
    return paper.cap * (0.6 + 0.8 * DEPTHS) * (1 - crush)


def tooth_used(paper: Paper, tooth: Tooth) -> float:
    """Share of the tooth that is filled, 0–1."""
    return float(np.clip(tooth.fill / room(paper, tooth.crush), 0, 1).mean())


def lay_pass(
    paper: Paper, tooth: Tooth, pressure: int, hand: Pressures = STANDARD_PRESSURES, thickness: float = 1.0, reach: float = 0.0, crush: float = 1.0
) -> tuple[Array, Array, Tooth]:
    """One pass: contact (3,), deposited thickness (3,) and the tooth after it.

    ``thickness`` multiplies the deposit, ``crush`` what is pressed down, and ``reach`` shifts the reach: a hand is never the same twice.
    Raises `KitFault` for a pressure outside 1–5.
    """
    if pressure not in PRESSURES:
        raise KitFault(f"Pressure {pressure} is not one of 1, 2, 3, 4, 5.")
    i = pressure - 1
    c_room = room(paper, tooth.crush)
    depth = DEPTHS * (1 - SETTLE * tooth.fill / c_room)
    contact = 1 / (1 + np.exp(-(hand.reach[i] + reach + paper.off - depth) / paper.soft))
    left = np.maximum(0, 1 - tooth.fill / (c_room * hand.full[i]))
    t = hand.deposit[i] * thickness * paper.grip * left * np.sqrt(contact)
    fill = tooth.fill + contact * t
    return contact, t, Tooth(fill, tooth.crush + crush * hand.crush[i] * (1 - tooth.crush))


def passes_held(paper: Paper, pressure: int, hand: Pressures = STANDARD_PRESSURES, share: float = 0.2, most: int = 40) -> int:
    """Passes of one pressure until a further one leaves less than a share of the first: how many layers a paper takes.

    >>> passes_held(Paper("x", "Hot-press", 1.42, .20, .18, 1.0), 5)
    2
    """
    tooth, first = Tooth.fresh(), 0.0
    for n in range(most):
        contact, t, tooth = lay_pass(paper, tooth, pressure, hand)
        amount = float((contact * t).mean())
        first = first or amount
        if amount < share * first:
            return n
    return most


def see(zones: Array, n: float = YULE_NIELSEN) -> Array:
    """What the eye sees of zone reflectances (…, 3, 8): (mean of R^(1/n))^n, to (…, 8).

    Source: Yule and Nielsen (1951), the penetration of light into paper.
    """
    return (np.maximum(zones, 0) ** (1 / n)).mean(-2) ** n
