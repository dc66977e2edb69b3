"""Colours of an area with their shares."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.colour.words import colour_name, temperature

CELL = 2.0
"""Side of a histogram cell in Lab units."""
LIGHTNESS_WEIGHT = 0.6
COUNT_POWER = 0.35
"""Weight of a cell is its count to this power: small colours get a say."""
MOST_COLOURS = 7
_MERGE = 9.0
_LEAST_SHARE = 0.01


@dataclass(frozen=True)
class PaletteColour:
    """One colour of an area: Lab, share 0–1, its plain name, warm or cool."""

    lab: Array
    share: float
    name: str
    temperature: str


def measure_palette(lab: Array, neutral: Array | None = None) -> tuple[PaletteColour, ...]:
    """Up to seven colours of an area's pixels, Lab (n, 3), the largest share first.

    Weighted k-means over a histogram of 2-unit Lab cells; a cell weighs its count to the
    power 0.35 and lightness counts 0.6, so that a small colour of its own hue is found. Centres
    nearer than 9 units become one. Deterministic: the seeds are the farthest weighted cells.
    """
    cells, counts = _histogram(lab)
    x = cells * np.array([LIGHTNESS_WEIGHT, 1, 1])
    weight = counts**COUNT_POWER
    centres = _seeds(x, weight, MOST_COLOURS)
    for _ in range(25):
        nearest = _nearest(x, centres)
        held = np.bincount(nearest, weight, len(centres))
        fresh = np.stack([np.bincount(nearest, weight * column, len(centres)) for column in x.T], 1) / np.maximum(held, 1e-12)[:, None]
        fresh[held == 0] = centres[held == 0]
        if np.abs(fresh - centres).max() < 0.05:
            break
        centres = fresh
    centres = _merge_near(centres)
    nearest = _nearest(x, centres)
    total = counts.sum()
    out = []
    for k in range(len(centres)):
        mine = nearest == k
        share = float(counts[mine].sum() / total)
        if share >= _LEAST_SHARE:
            colour = np.average(cells[mine], 0, counts[mine])
            out.append((share, colour))
    out.sort(key=lambda q: -q[0])
    scale = sum(s for s, _ in out) or 1
    return tuple(PaletteColour(c, s / scale, colour_name(c), temperature(c, neutral)) for s, c in out)


def _histogram(lab: Array) -> tuple[Array, Array]:
    keys = np.round(lab / CELL).astype(np.int64) + 200
    flat = (keys[:, 0] * 512 + keys[:, 1]) * 512 + keys[:, 2]
    cells, counts = np.unique(flat, return_counts=True)
    back = np.stack([cells // (512 * 512), cells // 512 % 512, cells % 512], 1) - 200
    keep = counts >= max(1, counts.sum() * 1e-5)
    return back[keep] * CELL, counts[keep].astype(float)


def _nearest(x: Array, centres: Array) -> Array:
    """Number of the centre (k, 3) that lies nearest to each colour (n, 3)."""
    return np.asarray(((centres * centres).sum(1) - 2 * x @ centres.T).argmin(1))


def _seeds(x: Array, weight: Array, most: int) -> Array:
    """Start at the weightiest cell, then always the cell with the most weight times squared distance."""
    chosen = [int(np.argmax(weight))]
    far = ((x - x[chosen[0]]) ** 2).sum(1)
    while len(chosen) < min(most, len(x)):
        best = int(np.argmax(far * weight))
        if far[best] < 16:
            break
        chosen.append(best)
        far = np.minimum(far, ((x - x[best]) ** 2).sum(1))
    return x[chosen].copy()


def _merge_near(centres: Array) -> Array:
    out = [c for c in centres]
    while len(out) > 1:
        d = np.array([[np.linalg.norm(a - b) if i < j else 1e9 for j, b in enumerate(out)] for i, a in enumerate(out)])
        i, j = np.unravel_index(d.argmin(), d.shape)
        if d[i, j] >= _MERGE:
            break
        out[i] = (out[i] + out[j]) / 2
        out.pop(int(j))
    return np.array(out)
