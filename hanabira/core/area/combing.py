"""Combing: the artist's strokes give the hair its way from root to tip and correct the measured direction.

The photo shows an axis, not which end is the root. One stroke tells it at one place; it is carried over the field
along the surest links between neighbours, a maximum spanning tree whose link weight is |cos Δθ|·min(1, c/.5).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import scipy

from hanabira.core.area.hair import HairField
from hanabira.core.area.shape import Point
from hanabira.core.colour.spaces import Array

_WRONG_DEG = 22.0
"""A stroke that lies farther from the measured axis corrects it."""
REACH = 2.2
"""How far round itself a stroke corrects the field, in strokes' lengths, at most."""


@dataclass(frozen=True)
class Combed:
    """``direction_deg`` (r, c) of the hair from root to tip, 0–360, NaN where unknown; ``trust`` (r, c) 0–1 is the weakest link
    between a cell and its stroke. ``corrected`` (r, c) marks cells whose axis came from a stroke.
    """

    direction_deg: Array
    trust: Array
    corrected: Array

    @property
    def mean_deg(self) -> float | None:
        """Mean way of the hair, root to tip, weighted by trust; None without any."""
        known = np.isfinite(self.direction_deg) & (self.trust > 0)
        if not known.any():
            return None
        z = (np.exp(1j * np.radians(self.direction_deg[known])) * self.trust[known]).sum()
        return float(np.degrees(np.angle(z)) % 360)


def correct_axes(field: HairField, strokes: Sequence[Sequence[Point]], origin: tuple[float, float]) -> tuple[HairField, Array]:
    """The field with axes bent to the strokes (photo pixels) where they disagree or nothing was measured, and the cells touched.

    Close to a stroke its own axis counts whole, fading with distance (a Gaussian); where it agrees with what
    was measured nothing changes.
    """
    rows, columns = field.sure.shape
    z = np.exp(2j * np.radians(field.direction_deg))
    sure = field.sure.copy()
    touched = np.zeros(sure.shape, bool)
    yy, xx = np.mgrid[0:rows, 0:columns]
    pull = np.zeros(sure.shape)
    axis = np.zeros(sure.shape, complex)
    # where nothing at all was measured, a stroke speaks for the whole area
    blind = not sure.any()
    for line in strokes:
        p = (np.asarray(line, float) - origin) / field.step_px - 0.5
        if len(p) < 2:
            continue
        length = float(np.hypot(*np.diff(p, axis=0).T).sum())
        sigma = max(1.5, 0.35 * length) if not blind else max(rows, columns)
        for a, b in zip(p[:-1], p[1:], strict=True):
            d = b - a
            if np.hypot(*d) < 1e-6:
                continue
            t = np.clip(((xx - a[0]) * d[0] + (yy - a[1]) * d[1]) / (d @ d), 0, 1)
            far = np.hypot(xx - a[0] - t * d[0], yy - a[1] - t * d[1])
            own = np.exp(2j * np.arctan2(-d[1], d[0]))
            weight = np.exp(-0.5 * (far / sigma) ** 2) * np.hypot(*d)
            axis += weight * own
            pull = np.maximum(pull, np.exp(-0.5 * (far / sigma) ** 2))
    if not pull.any():
        return field, touched
    unit = axis / (np.abs(axis) + 1e-12)
    off = np.degrees(np.abs(np.angle(unit * np.conj(z)))) / 2
    near = pull > 0.32
    touched = near & ((off > _WRONG_DEG) | ~sure)
    share = np.where(touched, np.clip((pull - 0.32) / 0.4, 0, 1), 0)
    share = np.where(touched & ~sure, 1.0, share)
    mixed = (1 - share) * z + share * unit
    direction = np.where(touched, np.degrees(np.angle(mixed)) / 2 % 180, field.direction_deg)
    coherence = np.where(touched, np.maximum(field.coherence, 0.6), field.coherence)
    return HairField(direction, coherence, sure | touched, field.step_px), touched


def comb(field: HairField, strokes: Sequence[Sequence[Point]], origin: tuple[float, float], inside: Array | None = None) -> Combed | None:
    """Root-to-tip directions over a field from strokes drawn root to tip; None without a stroke.

    ``origin`` is the field's corner in photo pixels, ``inside`` (r, c) the cells of the area.
    """
    strokes = [s for s in strokes if len(s) > 1]
    if not strokes:
        return None
    axes, touched = correct_axes(field, strokes, origin)
    sure = axes.sure if inside is None else axes.sure & inside
    rows, columns = sure.shape
    index = -np.ones(sure.shape, int)
    ys, xs = np.nonzero(sure)
    index[ys, xs] = np.arange(len(ys))
    direction = np.full(sure.shape, np.nan)
    trust = np.zeros(sure.shape)
    if not len(ys):
        return Combed(direction, trust, touched)
    theta = np.radians(axes.direction_deg)
    links_a, links_b, weights = [], [], []
    for dy, dx in ((0, 1), (1, 0), (1, 1), (1, -1)):
        # neighbours one and, over small gaps, two cells away
        for step in (1, 2):
            a = index[: rows - dy * step, max(0, -dx * step) : columns - max(0, dx * step)]
            b = index[dy * step :, max(0, dx * step) : columns - max(0, -dx * step)]
            both = (a >= 0) & (b >= 0)
            i, j = a[both], b[both]
            cos = np.abs(np.cos(theta[ys[i], xs[i]] - theta[ys[j], xs[j]]))
            c = np.minimum(axes.coherence[ys[i], xs[i]], axes.coherence[ys[j], xs[j]])
            links_a.append(i)
            links_b.append(j)
            weights.append(cos * np.minimum(1, c / 0.5) * (1.0 if step == 1 else 0.7))
    i, j, w = (np.concatenate(v) for v in (links_a, links_b, weights))
    n = len(ys)
    # the strokes' cells hang on one more node, n, so that several strokes share one tree
    seeds = _seeds(strokes, axes, origin, index)
    if not seeds:
        return Combed(direction, trust, touched)
    si = np.array([s for s, _, _ in seeds])
    i, j = np.concatenate([i, np.full(len(si), n)]), np.concatenate([j, si])
    w = np.concatenate([w, np.full(len(si), 1.0)])
    cost = 2.0 - w  # all positive: the least cost tree is the one of greatest weight
    graph = scipy.sparse.coo_matrix((cost, (i, j)), shape=(n + 1, n + 1)).tocsr()
    tree = scipy.sparse.csgraph.minimum_spanning_tree(graph)
    order, parent = scipy.sparse.csgraph.breadth_first_order(tree, n, directed=False, return_predecessors=True)
    both_ways = tree + tree.T
    sign = np.zeros(n + 1)
    weakest = np.zeros(n + 1)
    weakest[n] = 1.0
    seed_sign = {s: v for s, v, _ in seeds}
    flat = theta[ys, xs]
    for q in order[1:]:
        up = parent[q]
        if up == n:
            sign[q], weakest[q] = seed_sign[q], 1.0
            continue
        sign[q] = sign[up] * (1.0 if np.cos(flat[q] - flat[up]) >= 0 else -1.0)
        weakest[q] = min(weakest[up], 2.0 - both_ways[q, up])
    reached = np.zeros(n, bool)
    reached[order[order < n]] = True
    degrees = (np.degrees(flat) + np.where(sign[:n] < 0, 180, 0)) % 360
    direction[ys[reached], xs[reached]] = degrees[reached]
    trust[ys[reached], xs[reached]] = weakest[:n][reached]
    return Combed(direction, trust, touched)


def _seeds(
    strokes: Sequence[Sequence[Point]], axes: HairField, origin: tuple[float, float], index: Array
) -> list[tuple[int, float, float]]:
    """Cells under the strokes with the sign of their axis; a cell under two strokes follows the nearer one."""
    found: dict[int, tuple[float, float]] = {}
    rows, columns = index.shape
    nearest: list[tuple[float, int, float]] = []
    for line in strokes:
        p = (np.asarray(line, float) - origin) / axes.step_px
        for a, b in zip(p[:-1], p[1:], strict=True):
            d = b - a
            n = max(2, int(np.hypot(*d) * 2))
            for t in np.linspace(0, 1, n):
                x, y = a + d * t
                v, u = int(y), int(x)
                way = np.arctan2(-d[1], d[0])
                if 0 <= v < rows and 0 <= u < columns and index[v, u] >= 0:
                    fit = float(np.cos(way - np.radians(axes.direction_deg[v, u])))
                    if abs(fit) > abs(found.get(int(index[v, u]), (0.0, 0.0))[0]):
                        found[int(index[v, u])] = (fit, 1.0 if fit >= 0 else -1.0)
        if not found:
            middle = p.mean(0)
            ys, xs = np.nonzero(index >= 0)
            if len(ys):
                k = int(np.argmin(np.hypot(xs + 0.5 - middle[0], ys + 0.5 - middle[1])))
                d = p[-1] - p[0]
                fit = float(np.cos(np.arctan2(-d[1], d[0]) - np.radians(axes.direction_deg[ys[k], xs[k]])))
                nearest.append((0.0, int(index[ys[k], xs[k]]), 1.0 if fit >= 0 else -1.0))
    # along the stroke's own axis the sign is sure, across it it is not
    out = [(k, sign, abs(fit)) for k, (fit, sign) in found.items() if abs(fit) > 0.4]
    return out or [(k, sign, 0.5) for _, k, sign in nearest]


def curvature(field: HairField) -> Array:
    """Bend of the hair per pixel (r, c), in radians; positive turns counter-clockwise along the axis as given.

    ½·Im(z̄*(d·∇)z̄)/|z̄|² with the doubled-angle field z̄; exact for circles up to the grid's step.
    """
    z = np.exp(2j * np.radians(field.direction_deg)) * field.coherence
    smooth = cv2.GaussianBlur(z.real.astype(np.float32), (0, 0), 1.5) + 1j * cv2.GaussianBlur(z.imag.astype(np.float32), (0, 0), 1.5)
    gy, gx = np.gradient(smooth)
    t = np.radians(field.direction_deg)
    along = np.cos(t) * gx - np.sin(t) * gy
    return 0.5 * np.imag(np.conj(smooth) * along) / (np.abs(smooth) ** 2 + 1e-9) / field.step_px


def lie(field: HairField, length_px: float | None) -> tuple[float | None, str]:
    """Typical radius of bend in pixels (None when straight) and the word: straight, wavy or curly.

    A bend of less than a fifth of a radian over one visible run is straight; one whose sign keeps changing from
    place to place is a wave; more than one radian over the run is a curl.
    """
    bend = curvature(field)[field.sure & (field.coherence > 0.3)]
    if len(bend) < 12:
        return None, ""
    typical = float(np.percentile(np.abs(bend), 60))
    run = length_px or 12.0
    turn = typical * run
    radius = None if typical < 1e-5 else 1 / typical
    if turn < 0.2:
        return radius, "straight"
    lean = abs(float(np.median(bend))) / (float(np.median(np.abs(bend))) + 1e-9)
    if turn > 0.9:
        return radius, "curly"
    return radius, "wavy" if lean < 0.6 else "bent one way"
