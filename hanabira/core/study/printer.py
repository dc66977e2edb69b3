"""The tone of the artist's own printer, from three looks at a printed grey wedge, and its correction.

The wedge prints steps of sent L* and three patches of fine stripes. Seen from two metres the stripes mix to a
reflectance that the paper's white and the printer's black fix by area (Murray and Davies 1936), whatever the
printer does to greys: the step that looks like them has just that lightness on paper.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from hanabira.core.colour.spaces import Array
from hanabira.core.faults import Fault

WEDGE = tuple(range(0, 101, 5))
"""Sent L* of the printed steps; step numbers start at 1."""
STRIPES = (0.75, 0.5, 0.25)
"""Shares of black in the stripe patches A, B and C."""
BLACK_L, PAPER_L = 16.0, 95.0
"""What an office printer's full black and its paper usually measure."""


@dataclass(frozen=True)
class WedgeReading:
    """What the artist saw. Steps count from 1 (black) to 21 (paper) and may be halves.

    ``darkest`` is the first step that differs from the one before it, ``matches`` the steps that look like the
    stripes A, B, C, ``lightest`` the last step that differs from the bare paper.
    """

    darkest: float
    matches: tuple[float, float, float]
    lightest: float


def stripe_lightness(share: float) -> float:
    """L* that stripes with a share of black mix to, by area of reflectance."""
    y = share * _y(BLACK_L) + (1 - share) * _y(PAPER_L)
    return float(116 * np.cbrt(y) - 16)


def _y(lightness: float) -> float:
    return float(((lightness + 16) / 116) ** 3)


def sent(step: float) -> float:
    """Sent L* of a step number."""
    return (step - 1) * 5.0


def tone(reading: WedgeReading) -> Array:
    """What the printer makes of sent L* 0, 1 … 100: the printed L*, (101,), never falling.

    Raises `Fault` when the reading cannot be: steps out of order.
    """
    steps = (reading.darkest, *reading.matches, reading.lightest)
    if not all(1 <= s <= len(WEDGE) for s in steps) or not all(b - a > 0.4 for a, b in zip(steps, steps[1:], strict=False)):
        raise Fault(
            "These steps cannot be: each must be lighter than the one before it.",
            "The correction stays as it was.",
            "Look again from two metres, with the sheet in even light.",
        )
    # the first step that differs is one step above black; before it the printer shows black alone
    points = [(max(0.0, sent(reading.darkest) - 5), BLACK_L), (sent(reading.darkest), BLACK_L + 2.5)]
    points += [(sent(s), stripe_lightness(share)) for s, share in zip(reading.matches, STRIPES, strict=True)]
    points += [(sent(reading.lightest), PAPER_L - 2.0), (min(100.0, sent(reading.lightest) + 5), PAPER_L)]
    x, y = (np.asarray(v, float) for v in zip(*points, strict=True))
    keep = np.concatenate([[True], np.diff(x) > 1e-6])
    curve = scipy.interpolate.PchipInterpolator(x[keep], np.maximum.accumulate(y[keep]))
    at = np.arange(101.0)
    return np.clip(curve(np.clip(at, x[0], x[-1])), BLACK_L, PAPER_L)


def correction(printed: Array) -> Array:
    """L* to send for a wanted L* 0, 1 … 100, (101,): even steps from the printer's black to its paper."""
    wanted = BLACK_L + (PAPER_L - BLACK_L) * np.arange(101.0) / 100
    rising = np.maximum.accumulate(np.asarray(printed, float)) + np.arange(101) * 1e-6
    return np.interp(wanted, rising, np.arange(101.0))


def correct(lab: Array, table: Array) -> Array:
    """Lab pixels (…, 3) with their L* sent through a correction table; colours fade with the paper's range no further."""
    out = np.asarray(lab, np.float32).copy()
    out[..., 0] = np.interp(out[..., 0], np.arange(101.0), table)
    return out
