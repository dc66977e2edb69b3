"""Dapples: soft rounds in a net, that have no edge to trace. Their middles and sizes are measured instead of an outline.

Blobs are extremes of the Laplacian over place and scale (Lindeberg 1998, Feature detection with automatic scale selection); the rounds of one coat
are of one kind, so that only scales about the dominant one count. The size is where a round's own profile has fallen half way to its net.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
import scipy

from hanabira.core.area.marking import MISREAD, SMALLEST_SIDE_PX, Marking, MarkingModel, as_spots, measure_marking
from hanabira.core.area.pattern import calm_tone
from hanabira.core.area.shape import Point, Region, at_size
from hanabira.core.colour.spaces import Array

SIDE = 320
LEAST_SIGMA, MOST_SHARE, PER_OCTAVE = 3.0, 0.16, 4
"""Smallest scale in pixels of the reduced copy, largest as a share of its shorter side, scales an octave."""
ALIKE = 2.2
"""Rounds of one coat lie within this factor of the dominant scale."""
LEAST_RESPONSE = 0.30
"""Share of the strong responses (their 90th percentile) from which a blob counts."""
ROUNDNESS = 0.3
"""Least ratio of the smaller to the larger bend of a round."""
HAIR = 1.4
"""A dominant scale under this many of the smallest is the hair's own grain."""
LEAST_EXPLAINED, FALLS = 0.36, 2.4
"""Share of the variance that rounds must explain (plain fur reached .32, drawn dapples .45 and more); how steeply a round's profile falls."""
APART = 0.75
"""Two rounds whose middles lie nearer than this times the sum of their radii are one."""
SOFT = 0.25
"""An outline's edge is soft from this share of its parts' size on: then rounds are looked for."""
LEAST_CONTRAST, LEAST_COUNT = 3.0, 4
"""Units of tone (about L*) between a round and its net, and rounds, below which no dapples are claimed."""


@dataclass(frozen=True)
class Dapple:
    """One round: its middle in photo pixels and the radius at half of its height."""

    centre: Point
    radius_px: float


@dataclass(frozen=True)
class Dapples:
    """Rounds of a coat, ``lighter`` or darker than the net between them. ``contrast`` in units of tone (about L*); lengths in photo pixels."""

    found: tuple[Dapple, ...]
    lighter: bool
    contrast: float
    size_px: float
    spacing_px: float | None

    @property
    def rings(self) -> tuple[tuple[Point, ...], ...]:
        """A circle a round, as a ring to draw: a place and a size, no edge."""
        turn = np.linspace(0, 2 * np.pi, 24, endpoint=False)
        return tuple(
            tuple((d.centre[0] + d.radius_px * float(np.cos(t)), d.centre[1] + d.radius_px * float(np.sin(t))) for t in turn)
            for d in self.found
        )


def find_dapples(region: Region, said: bool = False) -> Dapples | None:
    """The rounds of a region; None where too few stand out, or where they explain too little of what is seen to be more than grain.

    ``said`` tells that the artist calls it dappled: then the best rounds are given whatever they explain.
    """
    small = at_size(region, SIDE)
    pixels, mask = small.pixels, small.mask
    size = mask.shape[1], mask.shape[0]
    if mask.sum() < 400:
        return None
    tone = calm_tone(pixels, mask, 1.2)
    sigmas = _scales(min(size))
    stack = np.stack([_laplacian(tone, mask, s) for s in sigmas])
    bends = [_round(tone, mask, s) for s in sigmas]
    best: tuple[float, bool, list[tuple[float, float, float]]] | None = None
    for lighter in (True, False):
        rounds = _rounds(-stack if lighter else stack, bends, sigmas, mask, tone, lighter)
        # a round is closed on all sides, a gap of the net between rounds is not: the stronger responses are the rounds'
        strength = float(np.median([v for *_q, v in rounds])) if rounds else 0.0
        if rounds and (best is None or strength > best[0]):
            best = strength, lighter, [(x, y, r) for x, y, r, _c, _v in rounds]
            contrast = float(np.median([c for _x, _y, _r, c, _v in rounds]))
    if best is None or len(best[2]) < LEAST_COUNT or contrast < LEAST_CONTRAST:
        return None
    if not said and _explains(best[2], best[1], tone, mask) < LEAST_EXPLAINED:
        return None
    fx, fy = region.mask.shape[1] / size[0], region.mask.shape[0] / size[1]
    found = tuple(Dapple((region.left + (x + 0.5) * fx, region.top + (y + 0.5) * fy), r * (fx + fy) / 2) for x, y, r in best[2])
    middles = np.array([d.centre for d in found])
    near = scipy.spatial.cKDTree(middles).query(middles, k=2)[0][:, 1]
    return Dapples(found, best[1], contrast, 2 * float(np.median([d.radius_px for d in found])), float(np.median(near)))


def classed(model: MarkingModel, region: Region) -> tuple[Marking, Dapples | None]:
    """The class of a region's marking, read at one size whatever the photo's, and its rounds where those told it: the features take soft spots for ticking, a gradient or nothing."""
    k = SIDE / max(region.mask.shape)
    small = region if min(region.mask.shape) < SMALLEST_SIDE_PX else at_size(region, SIDE)  # what is too small to tell is not blown up
    found = measure_marking(model, small.pixels, small.mask)
    if small is not region and found.edge_px is not None:
        found = replace(found, edge_px=found.edge_px / k)
    rounds = find_dapples(region) if found.kind in MISREAD else None
    return (as_spots(found), rounds) if rounds is not None else (found, None)


def _explains(rounds: Sequence[tuple[float, float, float]], lighter: bool, tone: Array, mask: Array) -> float:
    """Share (r²) of the tone's variance, without its slow slopes, that soft rounds at these places explain."""
    yy, xx = np.mgrid[: tone.shape[0], : tone.shape[1]].astype(np.float32)
    model = np.zeros_like(tone)
    for x, y, r in rounds:
        reach = int(2.2 * r) + 2
        box = np.s_[max(0, int(y) - reach) : int(y) + reach + 1, max(0, int(x) - reach) : int(x) + reach + 1]
        model[box] = np.maximum(model[box], 0.5 ** ((np.hypot(xx[box] - x, yy[box] - y) / r) ** FALLS))
    flat = tone - _blur(tone, mask.astype(np.float32), 3 * float(np.median([r for *_q, r in rounds])))
    a, b = model[mask] - model[mask].mean(), flat[mask] - flat[mask].mean()
    covariance = float(a @ b) * (1 if lighter else -1)
    return max(0.0, covariance) ** 2 / max(float(a @ a) * float(b @ b), 1e-9)


def _scales(side: int) -> list[float]:
    most = MOST_SHARE * side
    n = max(3, int(np.ceil(np.log2(max(2.0, most / LEAST_SIGMA)) * PER_OCTAVE)) + 1)
    return [LEAST_SIGMA * 2 ** (k / PER_OCTAVE) for k in range(n)]


def _blur(a: Array, weight: Array, sigma: float) -> Array:
    if weight.min() == 1:
        return cv2.GaussianBlur(a, (0, 0), sigma) / np.float32(1.001)
    return cv2.GaussianBlur(a * weight, (0, 0), sigma) / (cv2.GaussianBlur(weight, (0, 0), sigma) + 1e-3)


def _laplacian(tone: Array, mask: Array, sigma: float) -> Array:
    """Scale-normalised Laplacian as a difference of Gaussians that take nothing from outside."""
    w = mask.astype(np.float32)
    return np.asarray((_blur(tone, w, sigma * 1.25) - _blur(tone, w, sigma / 1.25)) / np.log(1.25) / 2)


def _round(tone: Array, mask: Array, sigma: float) -> Array:
    """Where the surface bends alike in all ways, by the eigenvalues of its Hessian: rounds and no hairs."""
    soft = _blur(tone, mask.astype(np.float32), sigma)
    gx, gy = cv2.Sobel(soft, cv2.CV_32F, 1, 0), cv2.Sobel(soft, cv2.CV_32F, 0, 1)
    xx, xy, yy = cv2.Sobel(gx, cv2.CV_32F, 1, 0), cv2.Sobel(gx, cv2.CV_32F, 0, 1), cv2.Sobel(gy, cv2.CV_32F, 0, 1)
    mean, spread = (xx + yy) / 2, np.sqrt(((xx - yy) / 2) ** 2 + xy**2)
    return np.asarray(np.abs(mean) - spread > ROUNDNESS * (np.abs(mean) + spread))


def _rounds(
    stack: Array, bends: Sequence[Array], sigmas: Sequence[float], mask: Array, tone: Array, lighter: bool
) -> list[tuple[float, float, float, float, float]]:
    """Rounds as (x, y, radius, contrast, response) in pixels of the copy, the strongest first."""
    peaks = []
    for k, s in enumerate(sigmas):
        here = stack[k]
        high = (here >= cv2.dilate(here, np.ones((3, 3), np.uint8))) & mask & (here > 0) & bends[k]
        for y, x in zip(*np.nonzero(high), strict=True):
            peaks.append((float(here[y, x]), k, int(x), int(y), s))
    if not peaks:
        return []
    # of every column of scales the strongest alone, within its own size
    peaks.sort(reverse=True)
    across, down, sizes = (np.array([p[k] for p in peaks], float) for k in (2, 3, 4))
    free, kept = np.ones(len(peaks), bool), []
    for k, p in enumerate(peaks):
        if not free[k]:
            continue
        kept.append(p)
        free &= np.hypot(across - across[k], down - down[k]) > 1.1 * np.maximum(sizes, sizes[k])
        if len(kept) > 400:
            break
    strong = float(np.percentile([p[0] for p in kept], 90))
    kept = [p for p in kept if p[0] > LEAST_RESPONSE * strong]
    logs, weights = np.log([p[4] for p in kept]), np.array([p[0] * p[4] ** 2 for p in kept])
    grid = np.log(sigmas)
    votes = (weights * np.exp(-0.5 * ((grid[:, None] - logs) / 0.25) ** 2)).sum(1)
    mode = float(np.exp(grid[int(votes.argmax())]))
    if mode < HAIR * LEAST_SIGMA:
        return []
    out: list[tuple[float, float, float, float, float]] = []
    for v, _k, x, y, s in kept:
        if not mode / ALIKE <= s <= mode * ALIKE:
            continue
        found = _profile(tone, mask, x, y, s, lighter)
        if found is None:
            continue
        r, c = found
        if all(np.hypot(x - u, y - w) > APART * (r + q) for u, w, q, _c, _v in out):
            out.append((float(x), float(y), r, c, v))
    if out:
        usual = float(np.median([q[3] for q in out]))
        out = [q for q in out if q[3] > 0.35 * usual]
    return out


def _profile(tone: Array, mask: Array, x: int, y: int, sigma: float, lighter: bool) -> tuple[float, float] | None:
    """Radius at half height and contrast to the net round it; None where nothing falls off."""
    reach = int(np.ceil(3.2 * sigma)) + 2
    y0, y1, x0, x1 = max(0, y - reach), min(tone.shape[0], y + reach + 1), max(0, x - reach), min(tone.shape[1], x + reach + 1)
    part, inside = tone[y0:y1, x0:x1], mask[y0:y1, x0:x1]
    yy, xx = np.mgrid[y0:y1, x0:x1]
    rings = np.hypot(xx - x, yy - y).astype(int)
    count = np.bincount(rings[inside], minlength=reach + 2)[: reach + 1]
    total = np.bincount(rings[inside], weights=part[inside], minlength=reach + 2)[: reach + 1]
    if (count[: max(2, int(sigma))] == 0).any():
        return None
    mean = np.where(count > 0, total / np.maximum(count, 1), np.nan)
    profile = mean if lighter else -mean
    top = float(np.nanmean(profile[: max(1, round(0.5 * sigma)) + 1]))
    far = profile[: int(2.8 * sigma) + 1]
    foot = int(np.nanargmin(far))
    low = float(far[foot])
    if foot == 0 or not np.isfinite(low):
        return None
    half = (top + low) / 2
    for r in range(1, foot + 1):
        if np.isfinite(profile[r]) and profile[r] <= half:
            before = profile[r - 1]
            share = (before - half) / max(before - profile[r], 1e-6) if np.isfinite(before) else 0.5
            return r - 0.5 + float(np.clip(share, 0, 1)), top - low
    return None
