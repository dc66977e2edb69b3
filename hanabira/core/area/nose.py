"""A nose: nostrils and their axis, pebbles, wet highlights, pigment. Angles counter-clockwise from the right, −90…90."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.area.nostrils import nostrils_in
from hanabira.core.area.shape import Point, Region
from hanabira.core.colour.spaces import Array, bytes_to_lab, chroma
from hanabira.core.sentences import say

_SIDE = 420
_PINK_A = 8.0


@dataclass(frozen=True)
class Nose:
    """``nostrils`` are their middles in photo pixels, the left one first; ``axis_deg`` is None unless two are known.

    ``confirmed`` says that the artist set or accepted them: before that no verdict may rest on them.

    ``pebble_px`` is how far the leather's grains lie apart, None where none shows; ``wet_share`` and ``wet_lab``
    are the highlights; ``pigment`` is pink, brown, black, grey or mottled.
    """

    nostrils: tuple[Point, ...]
    axis_deg: float | None
    pebble_px: float | None
    wet_share: float
    wet_lab: tuple[float, float, float] | None
    pigment: str
    nostril_lab: tuple[float, float, float] | None
    confirmed: bool = False

    def against(self, eye_axis_deg: float) -> str:
        """How the nostrils stand to the eyes, said with what to do."""
        if self.axis_deg is None or not self.confirmed:
            return say("nose.one" if self.axis_deg is None else "nose.unconfirmed")
        d = (self.axis_deg - eye_axis_deg + 90) % 180 - 90
        if abs(d) < 2:
            return say("nose.parallel")
        return say("nose.up" if d > 0 else "nose.down", turn=abs(d))


def measure_nose(region: Region, said: Sequence[Point] = ()) -> Nose:
    """Measure the nose cut out as a region. ``said`` are the two nostrils as the artist set them, in photo pixels."""
    k = min(1.0, _SIDE / max(region.mask.shape))
    size = max(8, round(region.mask.shape[1] * k)), max(8, round(region.mask.shape[0] * k))
    pixels = cv2.resize(region.pixels, size, interpolation=cv2.INTER_AREA)
    mask = cv2.resize(region.mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    lab = bytes_to_lab(pixels).astype(np.float32)
    lightness = cv2.GaussianBlur(lab[..., 0], (0, 0), max(1.0, 0.012 * max(size)))
    inner = cv2.erode(mask.astype(np.uint8), np.ones((3, 3), np.uint8), borderValue=0) > 0
    if inner.sum() < 50:
        inner = mask
    _nearest, holes = nostrils_of(lightness, inner)
    if len(said) == 2:
        points = tuple(sorted((float(x), float(y)) for x, y in said))
    else:
        points = tuple((region.left + x / k, region.top + y / k) for x, y in nostrils_in(pixels, mask))
    axis = None
    if len(points) == 2:
        (ax, ay), (bx, by) = points
        axis = float(np.degrees(np.arctan2(ay - by, bx - ax)))
    leather = inner & ~holes
    wet = wet_of(lab[..., 0], leather)
    dry = leather & ~wet
    pebble = pebble_of(lab[..., 0], dry)
    wet_lab, hole_lab = _middle(lab, wet), _middle(lab, holes)
    return Nose(
        points, axis, None if pebble is None else pebble / k, wet_share=float(wet.sum() / leather.sum()), wet_lab=wet_lab,
        pigment=_pigment(lab[dry]), nostril_lab=hole_lab, confirmed=len(said) == 2,
    )


def _middle(lab: Array, where: Array) -> tuple[float, float, float] | None:
    if where.sum() <= 5:
        return None
    v = np.median(lab[where], 0)
    return float(v[0]), float(v[1]), float(v[2])


def nostrils_of(lightness: Array, inner: Array) -> tuple[list[tuple[float, float]], Array]:
    """Up to two dark hollows well below the leather, of like size, side by side."""
    none = np.zeros(inner.shape, bool)
    values = lightness[inner]
    general, low = float(np.median(values)), float(np.percentile(values, 3))
    if general - low < 5:
        return [], none
    limit = min(low + 0.35 * (general - low), general - 4)
    dark = ((lightness < limit) & inner).astype(np.uint8)
    dark = cv2.morphologyEx(dark, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    n, parts, stats, middles = cv2.connectedComponentsWithStats(dark, connectivity=8)
    area = inner.sum()
    found = sorted(
        ((int(stats[i, cv2.CC_STAT_AREA]), i) for i in range(1, n) if 0.004 * area <= stats[i, cv2.CC_STAT_AREA] <= 0.3 * area),
        reverse=True,
    )
    if not found:
        return [], none
    best: list[int] = [found[0][1]]
    wide = float(np.ptp(np.nonzero(inner)[1])) + 1
    pairs = []
    for a, i in found[:5]:
        for b, j in found[:5]:
            if i < j and max(a, b) < 5 * min(a, b):
                d = middles[j] - middles[i]
                if np.hypot(*d) > 0.16 * wide and abs(d[1]) < 0.75 * np.hypot(*d):
                    pairs.append((a + b - 0.5 * abs(a - b), (i, j)))
    if pairs:
        best = list(max(pairs)[1])
    spots = sorted((float(middles[i][0]), float(middles[i][1])) for i in best)
    return spots, np.isin(parts, best)


def wet_of(lightness: Array, leather: Array) -> Array:
    """Small bright spots that stand above the leather round them."""
    around = cv2.GaussianBlur(np.where(leather, lightness, 0).astype(np.float32), (0, 0), 0.08 * max(leather.shape))
    weight = cv2.GaussianBlur(leather.astype(np.float32), (0, 0), 0.08 * max(leather.shape)) + 1e-3
    rise = lightness - around / weight
    spread = 1.4826 * float(np.median(np.abs(rise[leather] - np.median(rise[leather])))) + 1e-3
    return leather & (rise > max(9.0, 3.2 * spread))


def pebble_of(lightness: Array, dry: Array) -> float | None:
    """Distance of the leather's grains: the first ring of the radial autocorrelation, where there is one."""
    if dry.sum() < 400:
        return None
    mean = float(lightness[dry].mean())
    calm = cv2.GaussianBlur(np.where(dry, lightness, mean), (0, 0), 0.05 * max(dry.shape))
    detail = np.where(dry, lightness - calm, 0).astype(np.float32)
    size = [int(2 ** np.ceil(np.log2(2 * s))) for s in dry.shape]
    power = np.abs(np.fft.rfft2(detail, size)) ** 2
    cover = np.abs(np.fft.rfft2(dry.astype(np.float32), size)) ** 2
    r = np.fft.irfft2(power, size) / np.maximum(np.fft.irfft2(cover, size), 20)
    y = np.minimum(np.arange(size[0]), size[0] - np.arange(size[0]))[:, None]
    x = np.minimum(np.arange(size[1]), size[1] - np.arange(size[1]))[None]
    far = np.round(np.hypot(x, y)).astype(int)
    most = int(0.3 * min(dry.shape))
    ring = np.bincount(far.ravel(), r.ravel())[: most + 1] / np.bincount(far.ravel())[: most + 1]
    ring = ring / max(ring[0], 1e-9)
    dip = next((i for i in range(2, most - 1) if ring[i] < ring[i - 1] and ring[i] <= ring[i + 1]), None)
    if dip is None:
        return None
    top = next((i for i in range(dip + 1, most) if ring[i] > ring[i - 1] and ring[i] >= ring[i + 1]), None)
    # a ring too shallow is noise, not a grain
    if top is None or ring[top] - ring[dip] < 0.03:
        return None
    return float(top)


def _pigment(lab: Array) -> str:
    if len(lab) < 20:
        return "black"
    pink = (lab[:, 1] > _PINK_A) & (lab[:, 0] > 38)
    dark = lab[:, 0] < 34
    if pink.mean() > 0.15 and dark.mean() > 0.15:
        return "mottled"
    middle = np.median(lab, 0)
    if middle[1] > _PINK_A and middle[0] > 38 and (middle[1] > 0.9 * middle[2] or middle[0] > 58):
        return "pink"
    if middle[0] < 26 and float(chroma(middle)) < 10:
        return "black"
    if float(chroma(middle)) < 8:
        return "grey" if middle[0] > 26 else "black"
    return "brown"
