"""The animal cut from its surroundings, soft at the fur, and another backdrop behind it."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import ArrayLike

from hanabira.core.area.shape import Point, fill_ring
from hanabira.core.colour.spaces import Array
from hanabira.core.faults import AreaFault
from hanabira.core.token import SILENT, Token

WORK_SIDE = 360
_ROUNDS = 3
_BAND = 0.012


def isolate(
    pixels: np.ndarray,
    outline: Sequence[Point],
    keep: Sequence[Sequence[Point]] = (),
    drop: Sequence[Sequence[Point]] = (),
    token: Token = SILENT,
) -> Array:
    """Coverage (h, w) float32 in 0–1 of the animal inside a rough outline (points in pixels).

    GrabCut (Rother, Kolmogorov and Blake 2004) on a copy of 360 px, the largest parts, closed and
    without holes; then a guided filter (He, Sun and Tang 2013) at full size in the border band
    alone. ``keep`` and ``drop`` are strokes that correct it. Raises `AreaFault` for an outline
    without inside.
    """
    h, w = pixels.shape[:2]
    k = min(1.0, WORK_SIDE / max(h, w))
    sw, sh = max(16, round(w * k)), max(16, round(h * k))
    small = cv2.resize(pixels, (sw, sh), interpolation=cv2.INTER_AREA)
    inside = fill_ring(np.asarray(outline, float) * (sw / w, sh / h), sh, sw)
    if inside.sum() < 40:
        raise AreaFault("The outline holds nothing to isolate.", do="Draw it round the animal.")
    token.report(0.1, "Looking for the animal’s edge")
    mask = np.where(inside, cv2.GC_PR_FGD, cv2.GC_BGD).astype(np.uint8)
    core = cv2.erode(inside.astype(np.uint8), np.ones((3, 3), np.uint8), iterations=max(1, int(0.16 * np.sqrt(inside.sum()))))
    mask[core > 0] = cv2.GC_FGD if core.sum() > 20 else cv2.GC_PR_FGD
    thick = max(2, round(0.012 * max(sw, sh)))
    for strokes, value in ((keep, cv2.GC_FGD), (drop, cv2.GC_BGD)):
        for stroke in strokes:
            p = np.round(np.asarray(stroke, float) * (sw / w, sh / h)).astype(np.int32)
            cv2.polylines(mask, [p], False, int(value), thick)
    outside = mask == cv2.GC_BGD
    if not outside.any():
        mask[:2], mask[-2:], mask[:, :2], mask[:, -2:] = (cv2.GC_BGD,) * 4
    models = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.setRNGSeed(7)
    for n in range(_ROUNDS):
        cv2.grabCut(small, mask, None, *models, 1, cv2.GC_INIT_WITH_MASK if n == 0 else cv2.GC_EVAL)
        token.report(0.1 + 0.5 * (n + 1) / _ROUNDS, "Looking for the animal’s edge")
    found = np.isin(mask, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.uint8)
    found = _whole(found, keep=mask == cv2.GC_FGD, drop=mask == cv2.GC_BGD)
    token.report(0.7, "Softening the fur’s edge")
    return _soften(pixels, found)


def _whole(found: Array, keep: Array, drop: Array) -> Array:
    """The largest parts and those kept, closed, without holes other than those dropped."""
    found = cv2.morphologyEx(found, cv2.MORPH_CLOSE, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (7, 7)))
    found[drop] = 0
    n, parts, stats, _ = cv2.connectedComponentsWithStats(found, connectivity=8)
    if n < 2:
        return found
    areas = stats[1:, cv2.CC_STAT_AREA]
    good = [i + 1 for i in range(n - 1) if areas[i] >= 0.12 * areas.max() or (keep & (parts == i + 1)).any()]
    out = np.isin(parts, good).astype(np.uint8)
    n, holes, stats, _ = cv2.connectedComponentsWithStats(1 - out, connectivity=4)
    edge = set(np.unique(np.concatenate([holes[0], holes[-1], holes[:, 0], holes[:, -1]])))
    for i in range(1, n):
        if i not in edge and stats[i, cv2.CC_STAT_AREA] < 0.03 * out.size and not (drop & (holes == i)).any():
            out[holes == i] = 1
    return out


def _soften(pixels: np.ndarray, found: Array) -> Array:
    """Coverage at full size: the mask, and in its border band a guided filter on the grey photo."""
    h, w = pixels.shape[:2]
    alpha = cv2.resize(found.astype(np.float32), (w, h), interpolation=cv2.INTER_CUBIC)
    r = max(3, int(_BAND * max(h, w)))
    size = (2 * r + 1, 2 * r + 1)
    grey = cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255
    hard = np.clip(alpha, 0, 1)
    mean_i, mean_a = cv2.blur(grey, size), cv2.blur(hard, size)
    a = (cv2.blur(grey * hard, size) - mean_i * mean_a) / (cv2.blur(grey * grey, size) - mean_i**2 + 2e-4)
    soft = cv2.blur(a, size) * grey + cv2.blur(mean_a - a * mean_i, size)
    band = (mean_a > 0.02) & (mean_a < 0.98)
    return np.clip(np.where(band, soft, hard > 0.5), 0, 1).astype(np.float32)


def on_backdrop(pixels: np.ndarray, alpha: Array, top_rgb: ArrayLike, foot_rgb: ArrayLike | None = None) -> np.ndarray:
    """The isolated animal on one colour, or on a gradient from top to foot (encoded sRGB, 0–1)."""
    h = len(pixels)
    t = np.linspace(0, 1, h, dtype=np.float32)[:, None, None]
    top, foot = np.asarray(top_rgb, np.float32), np.asarray(foot_rgb if foot_rgb is not None else top_rgb, np.float32)
    ground = (top * (1 - t) + foot * t) * 255
    a = alpha[..., None]
    # fur at the edge carries light of the old surroundings: pull it toward the animal's own colour just inside
    solid = (alpha > 0.95).astype(np.float32)
    soft = cv2.GaussianBlur(solid, (0, 0), max(2.0, 0.006 * max(pixels.shape[:2]))) + 1e-4
    own = cv2.GaussianBlur(pixels.astype(np.float32) * solid[..., None], (0, 0), max(2.0, 0.006 * max(pixels.shape[:2]))) / soft[..., None]
    edge = ((alpha > 0.02) & (alpha < 0.95) & (soft > 0.02))[..., None]
    colour = np.where(edge, 0.5 * pixels + 0.5 * own, pixels)
    return np.clip(colour * a + ground * (1 - a) + 0.5, 0, 255).astype(np.uint8)
