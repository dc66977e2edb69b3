"""The portrait after some of its layers: the photo's own drawing in the colours that lie on the paper.

Every pixel of an area keeps its place between the area's measured bands (gap, general, light, highlight) and takes the colour that the
layers give there. How much of the photo's fine detail shows follows from the contrast that the layers have built so far: a ground that is
the same in every band hides it, a finished recipe shows it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.spaces import Array

LEAST_STEP_L = 0.5
"""Bands nearer than this in value are kept this far apart, so that none has two colours."""


@dataclass(frozen=True)
class Laid:
    """An area as it stands. ``inside`` (H, W) bool; both band maps hold Lab (3,) of the photo and of the paper after the layers done."""

    inside: np.ndarray
    photo_bands: Mapping[str, Array]
    paper_bands: Mapping[str, Array]


def lay_bands(lab: Array, photo_bands: Mapping[str, Array], paper_bands: Mapping[str, Array]) -> Array:
    """Photo pixels (n, 3) in Lab as they look with other colours in their bands.

    Piecewise linear between the bands over L*, detail scaled by the contrast on paper over that in the photo, at most 1.

    >>> grey = {"gap": np.array([20.0, 0, 0]), "light": np.array([80.0, 0, 0])}
    >>> lay_bands(np.array([[50.0, 0, 0]]), grey, {"gap": np.array([40.0, 0, 0]), "light": np.array([90.0, 0, 0])})
    array([[65.,  0.,  0.]])
    """
    names = sorted(photo_bands, key=lambda b: float(photo_bands[b][0]))
    photo = np.array([photo_bands[b] for b in names], float)
    paper = np.array([paper_bands[b] for b in names], float)
    at = photo[:, 0].copy()
    for k in range(1, len(at)):
        at[k] = max(at[k], at[k - 1] + LEAST_STEP_L)
    level = np.clip(lab[:, 0], at[0], at[-1])
    base = np.stack([np.interp(level, at, photo[:, c]) for c in range(3)], -1)
    out = np.stack([np.interp(level, at, paper[:, c]) for c in range(3)], -1)
    span = float(np.ptp(photo[:, 0]))
    shows = min(1.0, float(np.ptp(paper[:, 0])) / span) if span > LEAST_STEP_L else 0.0
    return out + shows * (np.asarray(lab, float) - base)


def portrait(lab: Array, paper_lab: Array, areas: Sequence[Laid]) -> Array:
    """The picture (H, W, 3) in Lab with these areas laid and bare paper elsewhere; later areas lie over earlier ones."""
    out = np.broadcast_to(np.asarray(paper_lab, float), lab.shape).copy()
    for a in areas:
        if a.inside.any():
            out[a.inside] = lay_bands(lab[a.inside], a.photo_bands, a.paper_bands)
    out[..., 0] = np.clip(out[..., 0], 0, 100)
    return out
