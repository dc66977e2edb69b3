"""Values of an area: its gap, general, light and highlight."""
from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.spaces import Array

BAND_PERCENTILES: Mapping[str, tuple[float, float]] = {"gap": (0, 12), "general": (35, 65), "light": (88, 98.5), "highlight": (98.5, 100)}
"""Share of the area, from its darkest to its lightest pixel, that each band takes."""


@dataclass(frozen=True)
class Values:
    """L* of the four bands and of the 2nd and 98th percentile; ``band_lab`` the bands' median Lab."""

    gap: float
    general: float
    light: float
    highlight: float
    p02: float
    p98: float
    band_lab: Mapping[str, Array]
    limits: Mapping[str, tuple[float, float]]


def measure_values(lab: Array) -> Values:
    """Values of an area's pixels, Lab (n, 3).

    A band's colour is the median of its pixels: one glint or one speck does not move it, and a
    mean over light and dark would read too bright.
    """
    lightness = lab[:, 0]
    at = np.percentile(lightness, [0, 2, 12, 35, 65, 88, 98, 98.5, 100])
    limits = {"gap": (at[0], at[2]), "general": (at[3], at[4]), "light": (at[5], at[7]), "highlight": (at[7], at[8])}
    bands = {}
    for name, (low, high) in limits.items():
        inside = (lightness >= low) & (lightness <= high)
        bands[name] = np.median(lab[inside], 0).astype(float)
    return Values(*(float(bands[b][0]) for b in BAND_PERCENTILES), float(at[1]), float(at[6]), bands, {k: (float(a), float(b)) for k, (a, b) in limits.items()})


def band_mask(lab: Array, mask: Array, limits: tuple[float, float]) -> Array:
    """Pixels of one band, (h, w) bool. ``lab`` (h, w, 3), ``mask`` (h, w)."""
    return mask & (lab[..., 0] >= limits[0]) & (lab[..., 0] <= limits[1])
