"""Two nostrils that mirror each other, or none: a wrong pair would straighten a nose that is straight.

Dark hollows at two sizes (black-hat, so that a dark nose as a whole is none), each pair judged by darkness, place, spacing, likeness about its own
axis and the lighter leather between. Method and limits: docs/methods/eyes_and_noses.md. Side views stay silent.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.area.shape import Point
from hanabira.core.colour.spaces import Array, bytes_to_lab

SIDE = 120
SIZES, LEVELS = (0.22, 0.34), (0.4, 0.55, 0.7)
"""Widths of the hollows looked for, as shares of the nose, and thresholds as shares of the deepest."""
SHARE = (0.006, 0.12)
LEAST_L = 4.0
SPEAK, AHEAD = 0.62, 0.08
"""Score from which a pair is given, and by how much it must lead any pair elsewhere."""
HEIGHT = (0.12, 0.78)
"""Where nostrils lie in the height of a nose: what is deeper is the shade under it."""
ONE_RIM, ONE_DARK, ONE_DEPTH, ONE_SHARE, ONE_AHEAD = 0.03, 0.55, 12.0, 0.008, 0.8
"""A single nostril (seen from the side) touches no rim, is so dark between the nose's general and darkest value, so deep (L*) and large, and no other is nearly so."""
APART, TILT_DEG, ALIKE = (0.2, 0.75), 28.0, 0.3


@dataclass(frozen=True)
class Hollow:
    """A dark hollow: middle, share of the nose, mean L*, depth, and how much of it touches the rim."""

    x: float
    y: float
    share: float
    lightness: float
    depth: float
    rim: float


def nostrils_in(pixels: np.ndarray, mask: np.ndarray) -> tuple[Point, ...]:
    """Middles of the nostrils in pixels of the region (h, w, 3), the left one first: a pair, else the only one that is seen, else none."""
    look = _Look.at(pixels, mask)
    if look is None:
        return ()
    pair, _score = _pair_of(look)
    return pair if pair is not None else _only_one(look)


def nostril_pair(pixels: np.ndarray, mask: np.ndarray) -> tuple[tuple[Point, Point] | None, float]:
    """Middles of the left and the right nostril in pixels of the region (h, w, 3), with the score; None where it is not sure."""
    look = _Look.at(pixels, mask)
    return _pair_of(look) if look is not None else (None, 0.0)


@dataclass(frozen=True)
class _Look:
    """A nose at the size at which it is looked at: L*, its mask, the hollows, its general value, how far its darkest lies under that, and its scale."""

    lightness: Array
    mask: np.ndarray
    hollows: list[Hollow]
    middle: float
    span: float
    k: float

    @staticmethod
    def at(pixels: np.ndarray, mask: np.ndarray) -> _Look | None:
        """None for a nose too small or too even to have hollows."""
        k = SIDE / max(pixels.shape[:2])
        small = cv2.resize(pixels, None, fx=k, fy=k, interpolation=cv2.INTER_AREA if k < 1 else cv2.INTER_CUBIC)
        m = cv2.resize(mask.astype(np.uint8), small.shape[1::-1], interpolation=cv2.INTER_NEAREST) > 0
        lightness = bytes_to_lab(small)[..., 0].astype(np.float32)
        soft = cv2.GaussianBlur(lightness, (0, 0), 2.0)
        inner = cv2.erode(m.astype(np.uint8), np.ones((5, 5), np.uint8), borderValue=0) > 0
        if inner.sum() < 100:
            return None
        middle, span = float(np.median(lightness[inner])), float(np.median(lightness[inner]) - np.percentile(soft[inner], 2))
        if span < LEAST_L:
            return None
        ys = np.nonzero(m)[0]
        low, high = ys.min() + HEIGHT[0] * np.ptp(ys), ys.min() + HEIGHT[1] * np.ptp(ys)
        return _Look(lightness, m, [q for q in _hollows(soft, inner) if low <= q.y <= high], middle, span, k)


def _only_one(look: _Look) -> tuple[Point, ...]:
    """The one hollow that is a nostril beyond doubt, or nothing."""
    found = []
    for q in look.hollows:
        dark = (look.middle - q.lightness) / look.span
        if q.rim <= ONE_RIM and dark >= ONE_DARK and q.depth >= ONE_DEPTH and q.share >= ONE_SHARE:
            found.append((dark * q.depth, q))
    if not found:
        return ()
    best, a = max(found, key=lambda v: v[0])
    others = [s for s, q in found if np.hypot(q.x - a.x, q.y - a.y) > 0.12 * look.mask.shape[1]]
    return ((a.x / look.k, a.y / look.k),) if max(others, default=0.0) < ONE_AHEAD * best else ()


def _pair_of(look: _Look) -> tuple[tuple[Point, Point] | None, float]:
    blur, out = cv2.GaussianBlur(look.lightness, (0, 0), 3.0), []
    for a in look.hollows:
        for b in look.hollows:
            score = _score(a, b, blur, look.mask, look.middle, look.span)
            if score is not None:
                out.append((score, a, b))
    if not out:
        return None, 0.0
    out.sort(key=lambda q: -q[0])
    best, a, b = out[0]
    wide, k = look.mask.shape[1], look.k
    others = [q for q, c, d in out[1:] if np.hypot(c.x - a.x, c.y - a.y) > 0.12 * wide or np.hypot(d.x - b.x, d.y - b.y) > 0.12 * wide]
    if best < SPEAK or best - (others[0] if others else 0.0) < AHEAD:
        return None, best
    return ((a.x / k, a.y / k), (b.x / k, b.y / k)), best


def _hollows(soft: Array, inner: np.ndarray) -> list[Hollow]:
    wide, whole, out = soft.shape[1], int(inner.sum()), []
    for size in SIZES:
        side = int(wide * size) | 1
        hat = cv2.morphologyEx(soft, cv2.MORPH_CLOSE, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))) - soft
        hat = np.where(inner, hat, 0)
        for level in LEVELS:
            limit = level * float(np.percentile(hat[inner], 99.5))
            if limit < 3:
                continue
            n, parts, stats, middles = cv2.connectedComponentsWithStats((hat > limit).astype(np.uint8))
            for i in range(1, n):
                share = stats[i, cv2.CC_STAT_AREA] / whole
                if SHARE[0] <= share <= SHARE[1]:
                    where = parts == i
                    edge = (cv2.dilate(where.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0) & ~inner
                    rim = float(edge.sum() / max(1, stats[i, cv2.CC_STAT_AREA]))
                    out.append(
                        Hollow(float(middles[i][0]), float(middles[i][1]), share, float(soft[where].mean()), float(hat[where].mean()), rim)
                    )
    return out


def _score(a: Hollow, b: Hollow, blur: Array, mask: np.ndarray, middle: float, span: float) -> float | None:
    """How much a pair, left and right, looks like nostrils; None for one that cannot be."""
    h, w = blur.shape
    dx, dy = b.x - a.x, b.y - a.y
    tilt = float(np.degrees(np.arctan2(dy, dx)))
    alike = min(a.share, b.share) / max(a.share, b.share)
    if not APART[0] * w <= dx <= APART[1] * w or abs(tilt) > TILT_DEG or alike < ALIKE:
        return None
    cx, cy = (a.x + b.x) / 2, (a.y + b.y) / 2
    ys, xs = np.nonzero(mask)
    dark = float(np.clip((middle - max(a.lightness, b.lightness)) / span, 0, 1))
    contrast = float(np.clip(min(a.depth, b.depth) / 10, 0, 1))
    place = float(np.exp(-((abs(cx - xs.mean()) / w / 0.13) ** 2) - ((cy - ys.mean()) / h / 0.24) ** 2))
    spacing = float(np.exp(-(((np.hypot(dx, dy) / w - 0.45) / 0.18) ** 2)))
    turn = cv2.getRotationMatrix2D((cx, cy), tilt, 1.0)
    turn[:, 2] += (w / 2 - cx, h / 2 - cy)
    level = cv2.warpAffine(blur, turn, (w, h), borderMode=cv2.BORDER_REPLICATE)
    there = cv2.warpAffine(mask.astype(np.uint8), turn, (w, h)) > 0
    both, detail = there & there[:, ::-1], level - cv2.GaussianBlur(level, (0, 0), 0.2 * w)
    mirror = float(np.corrcoef(detail[both], detail[:, ::-1][both])[0, 1]) if both.sum() > 100 else 0.0
    strip = blur[
        int(np.clip(cy - 2, 0, h - 1)) : int(np.clip(cy + 3, 1, h)),
        int(np.clip(cx - 0.06 * w, 0, w - 1)) : int(np.clip(cx + 0.06 * w, 1, w)),
    ]
    between = float(np.clip((np.percentile(strip, 75) - max(a.lightness, b.lightness)) / span, 0, 1)) if strip.size else 0.0
    return (
        0.22 * dark + 0.14 * contrast + 0.18 * place + 0.10 * spacing + 0.2 * max(mirror, 0.0) + 0.08 * alike + 0.08 * between - 0.25 * min(1.0, a.rim + b.rim)
    )  # fmt: skip
