"""Open strokes: how much of the paper a layer of single strokes closes. A film is its limit.

Strokes of one layer lie side by side, as evenly as a hand lays them, and each is narrower toward its lifted end. Across them the paper is a
renewal process (Cox 1962, "Renewal Theory", ch. 7): the gaps between neighbouring strokes are gamma distributed around their mean, and a stroke
closes what it reaches of the gap beside it.
"""

from __future__ import annotations

import math

import numpy as np

ALONG = 64
"""So many places along a stroke are looked at for its taper."""
STEPS = 4001
"""So finely the gaps are summed up."""
RULED = 0.02
"""Gaps that spread by less are even, and a stroke that narrows over less of its length is a bar."""


def covered(apart: float, taper: float = 0.0, uneven: float = 0.0) -> float:
    """Share of the paper (0–1) under strokes that lie ``apart`` of their full width from one another (> 0; under 1 they overlap).

    ``taper`` is the share of its length over which a stroke narrows evenly to nothing (0: a bar, 1: a wedge). ``uneven`` is the spread of the gaps as a
    share of their mean: 0 as a machine rules them, 1 as if thrown.

    E[min(w, X)] / E[X] for gaps X of the gamma distribution with shape 1 / uneven², averaged along the stroke. Thrown bars give 1 − exp(−w/s),
    ruled ones min(1, w/s).

    >>> round(covered(2.0), 3), round(covered(2.0, uneven=1.0), 3), round(covered(2.0, taper=1.0), 3)
    (0.5, 0.393, 0.25)
    """
    along = (np.arange(ALONG) + 0.5) / ALONG
    width = np.minimum(1.0, along / taper) if taper > RULED else np.ones(ALONG)
    if uneven <= RULED:
        return float(np.minimum(1.0, width / apart).mean())
    shape = 1 / uneven**2
    x = np.linspace(1e-9, shape / apart, STEPS)  # gaps up to the full width, in units of the distribution's scale
    step = x[1] - x[0]
    density = np.exp((shape - 1) * np.log(x) - x - math.lgamma(shape))
    longer = 1 - _running(density, step)
    closed = _running(longer, step) / shape
    return float(np.interp(width * shape / apart, x, closed).mean())


def _running(values: np.ndarray, step: float) -> np.ndarray:
    """Integral up to each of the evenly spaced values (trapezoidal rule)."""
    return np.concatenate([[0.0], np.cumsum((values[1:] + values[:-1]) / 2) * step])
