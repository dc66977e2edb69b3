"""Eye-shine of a flash, and sky mirrored in a dark eye: two things that an eye's colours must not be taken from.

Method and limits: docs/methods/eyes_and_noses.md. A disc that shines back is even, brighter than the ring round it in every direction, and
holds no darker core; a bright disc with a darker core is an iris.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.area.shape import Point
from hanabira.core.colour.spaces import Array, bytes_to_lab

SIDE, WIDE = 96, 1.25
"""The eye is looked at on so many pixels, out to so many radii."""
RADII, SHIFTS = (0.30, 0.38, 0.46, 0.54), ((0.0, 0.0), (0.12, 0.0), (-0.12, 0.0), (0.0, 0.12), (0.0, -0.12))
SHINE_SCORE, SHINE_RISE, LEAST_RADIUS = 1.75, 9.0, 10.0
"""Score and L* above the ring from which it shines; below the last radius in photo pixels nothing is said."""
SKY_HUES, SKY_C = (190.0, 310.0), 4.0
SKY_RISE, SKY_TURN = 6.0, 8.0
"""L* and b* by which the upper half of an iris must be lighter and bluer than the lower one when a sky is mirrored in a brown eye."""
IRIS_C, IRIS_L, IRIS_OVER_PUPIL = 8.0, 24.0, 7.0
"""A blue iris is blue in its lower half too: so strong, so light, and so much lighter than the pupil."""


@dataclass(frozen=True)
class Reflection:
    """``shine`` whether the pupil shines back a flash, with the ``score`` it got; ``sky`` whether blue above is the sky's; ``blue`` whether the
    iris is blue itself.
    """

    shine: bool
    score: float
    sky: bool
    blue: bool


def reflections(pixels: np.ndarray, centre: Point, radius: float) -> Reflection:
    """What the eye round ``centre`` with an iris of ``radius`` photo pixels throws back."""
    lab, rho, dx, dy = _frame(pixels, centre, radius)
    lightness = lab[..., 0]
    glints = _glints(lightness, rho)
    best: tuple[float, float] | None = None
    for r in RADII:
        for ox, oy in SHIFTS:
            found = _disc(lab, np.hypot(dx - ox, dy - oy), np.degrees(np.arctan2(dy - oy, dx - ox)) % 360, dy, glints, r)
            if found is not None and (best is None or found[0] > best[0]):
                best = found
    score, rise = best if best is not None else (-9.0, 0.0)
    iris = (rho > 0.35) & (rho < 0.85) & ~glints

    def middle(where: np.ndarray) -> Array:
        return np.median(lab[where if where.sum() > 10 else iris], 0)

    whole, upper, lower, pupil = middle(iris), middle(iris & (dy < -0.1)), middle(iris & (dy > 0.2)), middle((rho < 0.3) & ~glints)
    blue = _bluish(lower) and float(np.hypot(*lower[1:])) > IRIS_C and lower[0] > IRIS_L and lower[0] - pupil[0] > IRIS_OVER_PUPIL
    # a lid shades the upper half; where it is lighter and bluer than the lower one instead, something is mirrored there
    mirrored = upper[0] - lower[0] > SKY_RISE and lower[2] - upper[2] > SKY_TURN
    sky = (_bluish(whole) or _bluish(upper) or mirrored) and not blue
    return Reflection(score > SHINE_SCORE and rise > SHINE_RISE and radius >= LEAST_RADIUS, score, bool(sky), bool(blue))


def _frame(pixels: np.ndarray, centre: Point, radius: float) -> tuple[Array, Array, Array, Array]:
    """Lab of the eye on a fixed square, distance from its middle in radii, and the way right and down."""
    reach = int(radius * WIDE) + 2
    padded = cv2.copyMakeBorder(pixels, 2 * reach, 2 * reach, 2 * reach, 2 * reach, cv2.BORDER_REPLICATE)
    x, y = round(centre[0]) + reach, round(centre[1]) + reach
    cut = padded[y : y + 2 * reach + 1, x : x + 2 * reach + 1]
    square = cv2.resize(cut, (SIDE, SIDE), interpolation=cv2.INTER_AREA if cut.shape[0] > SIDE else cv2.INTER_CUBIC)
    yy, xx = np.mgrid[0:SIDE, 0:SIDE]
    unit = SIDE / 2 / WIDE
    dx, dy = (xx - SIDE / 2 + 0.5) / unit, (yy - SIDE / 2 + 0.5) / unit
    return bytes_to_lab(square).astype(np.float32), np.hypot(dx, dy), dx, dy


def _glints(lightness: Array, rho: Array) -> np.ndarray:
    """Small bright lights, with a pixel round them."""
    inside = rho < 0.92
    high = inside & (lightness > max(60.0, float(np.median(lightness[inside])) + 30))
    n, parts, stats, _ = cv2.connectedComponentsWithStats(high.astype(np.uint8))
    small = np.isin(parts, [i for i in range(1, n) if stats[i, cv2.CC_STAT_AREA] < 0.09 * inside.sum()])
    return cv2.dilate(small.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0


def _disc(lab: Array, d: Array, angle: Array, dy: Array, glints: np.ndarray, r: float) -> tuple[float, float] | None:
    """Score of a disc as eye-shine, and by how much it is lighter than its ring."""
    inside = (d < 0.9 * r) & ~glints
    ring = (d > 1.15 * r) & (d < min(1.15 * r + 0.28, 0.98)) & ~glints & (dy > -0.55)
    if inside.sum() < 20 or ring.sum() < 20:
        return None
    lightness, core = lab[..., 0], (d < 0.5 * r) & ~glints
    dark_core = float(np.percentile(lightness[core], 15)) if core.sum() > 6 else 99.0
    a, b = np.median(lab[inside], 0), np.median(lab[ring], 0)
    rise = float(a[0] - b[0])
    even = float(np.mean(np.abs(lightness[inside] - a[0]) < 14))
    darker = float(np.mean(lightness[ring] < a[0] - 0.4 * max(rise, 1.0)))
    hue_step = float(np.hypot(*(a[1:] - b[1:])))
    sectors = []
    for start in range(0, 360, 45):
        here = (angle >= start) & (angle < start + 45)
        p, q = (d < 0.9 * r) & here & ~glints, ring & here
        if p.sum() >= 4 and q.sum() >= 4:
            sectors.append(np.median(lightness[p]) - np.median(lightness[q]) > max(0.4 * rise, 4.0))
    all_round = float(np.mean(sectors)) if len(sectors) >= 4 else 0.0
    score = rise / 12 + (hue_step / 30 if rise > 3 else 0.0) + 1.2 * (even - 0.6) + 1.5 * (darker - 0.75) + 3 * (all_round - 1)
    return float(score - max(0.0, a[0] - dark_core - 6) / 6), rise


def _bluish(lab: Array) -> bool:
    return bool(np.hypot(lab[1], lab[2]) > SKY_C and SKY_HUES[0] < np.degrees(np.arctan2(lab[2], lab[1])) % 360 < SKY_HUES[1])
