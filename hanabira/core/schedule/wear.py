"""How much of a pencil a layer wears away, in millimetres of barrel.

A balance of volumes: the film on the paper against the core in the barrel. The film's thickness follows the deposit of the five
pressures that the optics use; its scale and the share that the sharpener takes are estimates, so that a result is good to a factor
of about one and a half.
"""

from __future__ import annotations

import math

from hanabira.core.optics.tools import laying_of
from hanabira.core.optics.tooth import STANDARD_PRESSURES
from hanabira.core.schedule.work import BAND_SHARE

BARREL_MM = 175.0
"""Length of a new pencil."""
STUB_MM = 45.0
"""What is too short to hold."""
FILM_MM_A_DEPOSIT = 0.015
"""Thickness of a deposit of 1, closed and without air."""
_CORE_MM = {"pastel": 4.3}
_USUAL_CORE_MM = 3.8
_ON_PAPER = 0.45
"""Share of the core that reaches the paper; the rest is sharpened away."""
_LOOSE = {"pastel": 1.8}
"""Pastel lies thicker than wax or oil."""


def worn_mm(mm2: float, where: str, pressure: int, passes: int, binder: str = "oil", share: float | None = None, laid: str = "") -> float:
    """Millimetres of barrel that a layer takes. ``mm2`` of the whole area, of which it covers a ``share``; without one ``where`` says how much,
    as in `BAND_SHARE`. Pressure 1–5; ``laid`` is how the colour is brought on (`optics.tools`).

    >>> round(worn_mm(900, "everywhere", 3, 1), 2)
    1.06
    """
    deposit = float(STANDARD_PRESSURES.deposit[max(1, min(5, pressure)) - 1])
    volume = (
        max(0.0, mm2)
        * (BAND_SHARE.get(where, 1.0) if share is None else share)
        * passes
        * deposit
        * FILM_MM_A_DEPOSIT
        * _LOOSE.get(binder, 1.0)
        * laying_of(laid).worn
    )
    core = _CORE_MM.get(binder, _USUAL_CORE_MM)
    return volume / (math.pi / 4 * core * core * _ON_PAPER)
