"""Values of an area: its gap, general, light and highlight."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.ranks import by_lightness, median
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
    order = by_lightness(lab[:, 0])
    n = len(order)
    bands, limits = {}, {}
    for name, (low, high) in BAND_PERCENTILES.items():
        # by rank and not by threshold, so that many pixels of one value do not spill over
        inside = order[int(n * low / 100) : max(int(n * low / 100) + 1, round(n * high / 100))]
        bands[name] = median(lab[inside]).astype(float)
        limits[name] = (lab[inside[0], 0], lab[inside[-1], 0])
    at = np.percentile(lab[:, 0], [2, 98])
    four = {name: float(bands[name][0]) for name in BAND_PERCENTILES}
    return Values(
        **four, p02=float(at[0]), p98=float(at[1]), band_lab=bands, limits={k: (float(a), float(b)) for k, (a, b) in limits.items()}
    )


def band_mask(lab: Array, mask: Array, limits: tuple[float, float]) -> Array:
    """Pixels of one band, (h, w) bool. ``lab`` (h, w, 3), ``mask`` (h, w)."""
    return mask & (lab[..., 0] >= limits[0]) & (lab[..., 0] <= limits[1])
