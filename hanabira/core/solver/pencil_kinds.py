"""Which pencils do what in an animal: neutralisers, greens, tints of kept lights, what whites and pale places bear. The figures are craft data."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from hanabira.core.colour.spaces import Array
from hanabira.core.solver.allowed import Allowed, allowed


@dataclass(frozen=True)
class PencilKinds:
    """Limits of kinds of pencils in L*, C* and degrees of hue; the craft data says why each is as it is.

    ``neutralisers`` dull any hue; a pencil is ``green`` from ``green_c`` on in ``green_h``, a state in ``green_state_h``, an iris in ``green_iris_h`` from ``green_iris_c``. A kept light bears ``tint_l`` and
    lighter up to ``tint_c``, a dull one greys from ``grey_l`` up to ``grey_c``. White places bear ``white_c`` at most and nothing darker than ``white_l`` or
    ``white_under`` below them. A pencil under ``dark_l`` dirties places over ``dark_place_l``; one as dark as ``bears_l`` bears any.
    """

    neutralisers: tuple[Allowed, ...]
    green_c: float
    green_h: tuple[float, float]
    green_state_h: tuple[float, float]
    green_iris_h: tuple[float, float]
    green_iris_c: float
    tint_l: float
    tint_c: float
    grey_l: float
    grey_c: float
    white_c: float
    white_l: float
    white_under: float
    dark_l: float
    dark_place_l: float
    bears_l: float

    def neutral(self, labs: Array) -> np.ndarray:
        """Pencils (n, 3) Lab that dull any hue, as (n,) bool."""
        return allowed(self.neutralisers, labs, np.zeros(3))

    def green(self, strength: Array, hue: Array) -> np.ndarray:
        """Pencils (n,) that are green."""
        return np.asarray(within(hue, *self.green_h) & (strength > self.green_c))

    def tints(self, lightness: Array, strength: Array, dull: bool) -> np.ndarray:
        """Pencils (n,) that a kept light bears; a ``dull`` one may be greyed down to its own value."""
        pale = (lightness >= self.tint_l) & (strength <= self.tint_c)
        return np.asarray(pale | (strength <= self.grey_c) & (lightness > self.grey_l) if dull else pale)

    def dirties_white(self, lightness: Array, strength: Array, value: float) -> np.ndarray:
        """Pencils (n,) that dirty a white of this L*."""
        return np.asarray((strength > self.white_c) | (lightness < min(self.white_l, value - self.white_under)))


def turn(a: ArrayLike, b: ArrayLike) -> Array:
    """Degrees between two hues, 0–180."""
    return np.abs((np.asarray(a, float) - np.asarray(b, float) + 180) % 360 - 180)


def within(hue: ArrayLike, low: float, high: float) -> Array:
    """Whether a hue lies on the arc from ``low`` up to ``high``."""
    turned: Array = np.asarray(hue, float) - low
    return np.asarray(np.mod(turned, 360.0) <= (high - low) % 360)
