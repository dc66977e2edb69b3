"""A pencil film as a turbid layer (Kubelka–Munk).

Source: Kubelka (1948), "New contributions to the optics of intensely light-scattering
materials I", JOSA 38. Written in the exponential form, which stays stable from a bare
trace of pigment to an endless thickness.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from hanabira.core.colour.spaces import Array

MASSTONE_RANGE = (0.001, 0.995)
OPACITY_SCATTERING = (0.28, 1.1)
"""Scattering of the clearest and the most covering oil or wax pencil."""
PASTEL_FACTOR = 4.0
"""Pastel scatters this many times more than oil or wax of the same opacity."""


@dataclass(frozen=True)
class Film:
    """Absorption and scattering per unit thickness, each (…, 8)."""

    absorption: Array
    scattering: Array


def film_of(masstone: ArrayLike, scattering: ArrayLike) -> Film:
    """Film of a masstone reflectance (…, 8) and a scattering strength (…) or (…, 8), per unit thickness.

    K = S(1 − R∞)² / (2 R∞), the Kubelka–Munk function turned round.
    """
    r = np.clip(np.asarray(masstone, float), *MASSTONE_RANGE)
    s = np.asarray(scattering, float)
    s = s[..., None] if s.ndim < r.ndim else s
    s = np.broadcast_to(s, r.shape)
    k = np.maximum(s * (1 - r) ** 2 / (2 * r), 1e-6 * s)
    return Film(k, s)


def scattering_of(opacity: float, binder: str) -> float:
    """Scattering of an opacity 0–1: linear from 0.28 to 1.1, four times that for pastel."""
    low, high = OPACITY_SCATTERING
    s = low + (high - low) * float(np.clip(opacity, 0, 1))
    return s * PASTEL_FACTOR if binder == "pastel" else s


def reflect_transmit(film: Film, thickness: ArrayLike) -> tuple[Array, Array]:
    """Reflectance over black R₀ and squared transmittance T² of a film, broadcast to (…, 8).

    ``thickness`` broadcasts against the film's leading shape (give it a trailing axis of 1).
    """
    k, s = film.absorption, film.scattering
    t = np.asarray(thickness)
    g = np.sqrt(k * (k + 2 * s))
    e = np.exp(-2 * np.minimum(g * t, 40))
    d = g * (1 + e) + (k + s) * (1 - e)
    return s * (1 - e) / d, 4 * g * g * e / (d * d)


def over(r0: Array, t2: Array, ground: Array) -> Array:
    """Reflectance of a film (R₀, T²) over a ground of reflectance ``ground``, all (…, 8)."""
    return r0 + t2 * ground / (1 - r0 * ground)
