"""The portrait after some of its layers: the photo's own drawing in the colours that lie on the paper.

Every pixel of an area keeps its place between the area's measured bands (gap, general, light, highlight) and takes the colour that the
layers give there; over each place the mean is the forecast of its stack. How much of the photo's fine detail shows follows from the contrast that the layers have built so far: a ground that is
the same in every band hides it, a finished recipe shows it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.places.place import Places, labels_at

LEAST_STEP_L = 0.5
"""Bands nearer than this in value are kept this far apart, so that none has two colours."""


@dataclass(frozen=True)
class PhotoLab:
    """What the photo shows of an area: Lab (3,) by band or place, and for places where they lie.

    ``labels`` (H, W) uint8 are numbers from 1 into ``ids``; None for bands, whose pixels follow from their value. Places of one ``groups`` entry
    that is in ``chains`` are values of one coat, between which colours run on.
    """

    photo: Mapping[str, Array]
    labels: np.ndarray | None = None
    ids: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    chains: frozenset[str] = frozenset()


@dataclass(frozen=True)
class LaidArea:
    """An area as it stands. ``inside`` (H, W) bool; ``paper`` holds Lab (3,) of the paper by band or place after the layers done."""

    inside: np.ndarray
    drawn: PhotoLab
    paper: Mapping[str, Array]


CHAINS = frozenset({"coat", "ground", "marking"})
"""Groups whose places are values of one coat."""


def drawn_places(places: Places, shape: tuple[int, int], corner: tuple[float, float], k: float) -> PhotoLab:
    """The places of an area on a raster, see `labels_at`."""
    photo = {p.id: np.asarray(p.photo_lab, float) for p in places}
    groups = tuple(p.group for p in places)
    return PhotoLab(photo, labels_at(places, shape, corner, k), places.ids, groups, CHAINS & set(groups))


def lay_bands(lab: Array, photo_bands: Mapping[str, Array], paper_bands: Mapping[str, Array]) -> Array:
    """Photo pixels (n, 3) in Lab as they look with other colours in their bands.

    Piecewise linear between the bands over L*. Of the photo only its lightness detail is added, scaled by the contrast on paper over that in the
    photo, at most 1: its hue would hide what the layers do.

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
    out = np.stack([np.interp(level, at, paper[:, c]) for c in range(3)], -1)
    out[:, 0] += _shows(photo, paper) * (np.asarray(lab, float)[:, 0] - np.interp(level, at, photo[:, 0]))
    return out


def _shows(photo: Array, paper: Array) -> float:
    """How much of the photo's detail shows: the contrast that the layers have built over the photo's own, at most 1."""
    span = float(np.ptp(photo[:, 0]))
    return min(1.0, float(np.ptp(paper[:, 0])) / span) if span > LEAST_STEP_L else 0.0


def lay_places(lab: Array, labels: np.ndarray, drawn: PhotoLab, paper: Mapping[str, Array]) -> Array:
    """Photo pixels (n, 3) in Lab with the labels (n,) of their places, in the colours that lie on the paper there."""
    out = np.asarray(lab, float).copy()
    shows = _shows(np.array([drawn.photo[k] for k in drawn.ids], float), np.array([paper[k] for k in drawn.ids], float))
    for group in dict.fromkeys(drawn.groups):
        mine = [n for n, g in enumerate(drawn.groups, 1) if g == group]
        # a second hue at one value lies apart from the run of values
        run = [n for n in mine if group in drawn.chains and " " not in drawn.ids[n - 1].removeprefix("marking ")]
        here = np.isin(labels, run)
        if len(run) > 1 and here.any():
            keys = [drawn.ids[n - 1] for n in run]
            out[here] = _anchored(out[here], labels[here], run, {k: drawn.photo[k] for k in keys}, {k: paper[k] for k in keys})
            mine = [n for n in mine if n not in run]
        for n in mine:
            at, key = labels == n, drawn.ids[n - 1]
            if at.any():
                detail = out[at][:, 0] - float(drawn.photo[key][0])
                out[at] = np.asarray(paper[key], float)
                out[at, 0] += shows * (detail - float(detail.mean()))
    return out


ROUNDS = 4
"""Rounds after which the means of places lie within a tenth of their forecasts, where their colours can be had at all."""


def _anchored(lab: Array, labels: np.ndarray, run: Sequence[int], photo: Mapping[str, Array], paper: Mapping[str, Array]) -> Array:
    """`lay_bands` whose means over the places are what the layers give there: colours still run on between values, and a place is on the whole what it is.

    The colours between which is interpolated are moved by what the means miss (fixed-point iteration); the run of values is never turned round by it.
    """
    nodes = {k: np.asarray(v, float) for k, v in paper.items()}
    out = lay_bands(lab, photo, nodes)
    for _ in range(ROUNDS):
        for n, key in zip(run, photo, strict=True):
            at = labels == n
            if at.any():
                nodes[key] = nodes[key] + np.asarray(paper[key], float) - out[at].mean(0)
        out = lay_bands(lab, photo, nodes)
    for n, key in zip(run, photo, strict=True):
        at = labels == n
        if at.any():
            out[at] += np.asarray(paper[key], float) - out[at].mean(0)
    return out


def portrait(lab: Array, paper_lab: Array, areas: Sequence[LaidArea]) -> Array:
    """The picture (H, W, 3) in Lab with these areas laid and bare paper elsewhere; later areas lie over earlier ones."""
    out = np.broadcast_to(np.asarray(paper_lab, float), lab.shape).copy()
    for a in areas:
        if a.inside.any():
            if a.drawn.labels is None:
                out[a.inside] = lay_bands(lab[a.inside], a.drawn.photo, a.paper)
            else:
                out[a.inside] = lay_places(lab[a.inside], a.drawn.labels[a.inside], a.drawn, a.paper)
    out[..., 0] = np.clip(out[..., 0], 0, 100)
    return out
