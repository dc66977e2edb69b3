"""Seams: where two areas meet, whose hairs go over whose, and how soft the edge between them is in the photo."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.area.outline import Outline
from hanabira.core.colour.spaces import Array, bytes_to_lab
from hanabira.core.sentences import say

REACH = 0.05
"""How far apart two outlines may run and still meet, as a share of the smaller area's side."""
LEAST_SHARE = 0.04
"""A seam shorter than this share of the smaller area's outline is a touch at a corner."""
CROSSES = 0.5
"""Cosine to the way across from which hairs cross a seam: within 60° of straight over it."""
LOST_DE, FIRM_WIDTH = 6.0, 0.02
"""ΔE76 across a seam under which the edge is lost; width of the step under which it is firm, as a share of the smaller side."""


@dataclass(frozen=True)
class Seam:
    """Where two areas meet: ``length_px`` in photo pixels, the middle of it, ``step_de`` ΔE76 across and ``width_px`` of the step; ``edge`` is lost,
    soft or firm. ``over`` is 1 when the first area's hairs go over the second, 2 the other way round, 0 where nobody knows root from tip or neither
    crosses.
    """

    length_px: float
    middle: tuple[float, float]
    step_de: float
    width_px: float
    edge: str
    over: int

    def words(self, first: str, second: str) -> str:
        """What a hand does there. ``first`` and ``second`` name the areas."""
        goes = (
            say("seam.over", over=first, under=second)
            if self.over == 1
            else say("seam.over", over=second, under=first)
            if self.over == 2
            else say("seam.open")
        )
        return f"{say('seam.lost' if self.edge == 'lost' else 'seam.soft' if self.edge == 'soft' else 'seam.firm')} {goes}"


def seam(pixels: np.ndarray, a: Outline, b: Outline, tip_a: float | None = None, tip_b: float | None = None) -> Seam | None:
    """The seam of two areas of a photo (h, w, 3) uint8; None where they do not meet.

    ``tip_a`` and ``tip_b`` are the ways from root to tip in degrees counter-clockwise from the right, once the artist combed.
    """
    boxes = [q.box() for q in (a, b)]
    side = min(np.sqrt((x1 - x0) * (y1 - y0)) for x0, y0, x1, y1 in boxes)
    reach = max(3, round(REACH * side))
    x0, y0 = (max(0, min(q[i] for q in boxes) - reach) for i in (0, 1))
    x1, y1 = max(q[2] for q in boxes) + reach, max(q[3] for q in boxes) + reach
    h, w = pixels.shape[:2]
    box = x0, y0, min(w, x1), min(h, y1)
    if box[2] - box[0] < 8 or box[3] - box[1] < 8:
        return None
    k = min(1.0, 500 / max(box[2] - box[0], box[3] - box[1]))
    m, n = a.mask(box, k), b.mask(box, k)
    n = n & ~m
    r = max(2, round(reach * k))
    strip = _within(m, r) & _within(n, r)
    if not strip.any():
        return None
    ys, xs = np.nonzero(strip)
    length = float(strip.sum()) / (2 * r)
    if length < LEAST_SHARE * 4 * side * k:
        return None
    lab = bytes_to_lab(
        cv2.resize(np.ascontiguousarray(pixels[box[1] : box[3], box[0] : box[2]]), m.shape[::-1], interpolation=cv2.INTER_AREA)
    )
    round_ = _within(strip, 3 * r)
    side_a, side_b = m & round_ & ~strip, n & round_ & ~strip
    if side_a.sum() < 12 or side_b.sum() < 12:
        side_a, side_b = m & round_, n & round_
    if side_a.sum() < 12 or side_b.sum() < 12:
        return None
    step = float(np.linalg.norm(np.median(lab[side_a], 0) - np.median(lab[side_b], 0)))
    way = _across(m, n, strip)
    width = _width(lab, m, n, round_, side_a, side_b) / k
    edge = "lost" if step < LOST_DE else "firm" if width < FIRM_WIDTH * side else "soft"
    over = _who(way, tip_a, tip_b)
    return Seam(length / k, (box[0] + float(np.median(xs)) / k, box[1] + float(np.median(ys)) / k), step, width, edge, over)


def _within(mask: np.ndarray, r: float) -> np.ndarray:
    """Pixels no farther than ``r`` from a mask."""
    return np.asarray(cv2.distanceTransform((~mask).astype(np.uint8), cv2.DIST_L2, 5) <= r)


def _across(m: np.ndarray, n: np.ndarray, strip: np.ndarray) -> Array:
    """Unit vector (x right, y down) from the first area to the second, over their seam."""
    away_m, away_n = (cv2.distanceTransform((~q).astype(np.uint8), cv2.DIST_L2, 5) for q in (m, n))
    field = cv2.GaussianBlur(away_m - away_n, (0, 0), 2.0)
    gx, gy = cv2.Sobel(field, cv2.CV_32F, 1, 0), cv2.Sobel(field, cv2.CV_32F, 0, 1)
    v = np.array([float(gx[strip].mean()), float(gy[strip].mean())])
    return np.asarray(v / max(float(np.hypot(*v)), 1e-6))


def _width(lab: Array, m: np.ndarray, n: np.ndarray, round_: np.ndarray, side_a: np.ndarray, side_b: np.ndarray) -> float:
    """Pixels over which the colour goes from a fifth to four fifths of its step."""
    a, b = np.median(lab[side_a], 0), np.median(lab[side_b], 0)
    d = b - a
    along = ((lab - a) @ d) / max(float(d @ d), 1e-6)
    signed = cv2.distanceTransform((~m).astype(np.uint8), cv2.DIST_L2, 5) - cv2.distanceTransform((~n).astype(np.uint8), cv2.DIST_L2, 5)
    inside = round_ & (m | n)
    bins = np.round(signed[inside] / 2).astype(int)
    values = along[inside]
    low, high = int(bins.min()), int(bins.max())
    profile = np.array([np.median(values[bins == q]) if (bins == q).sum() >= 5 else np.nan for q in range(low, high + 1)])
    profile = profile[np.isfinite(profile)]
    return float(((profile > 0.2) & (profile < 0.8)).sum())


def _who(way: Array, tip_a: float | None, tip_b: float | None) -> int:
    """Whose hairs go over: the first's when they run across toward the second, and the other way round."""
    run = lambda tip: 0.0 if tip is None else float(np.cos(np.radians(tip)) * way[0] - np.sin(np.radians(tip)) * way[1])  # noqa: E731
    first, second = run(tip_a), -run(tip_b)
    if max(first, second) < CROSSES:
        return 0
    return 1 if first >= second else 2
