"""Feathers: the way their rows run, how far rows lie apart, the barbs' angle to the shaft, and the spacing of bars.

Axial angles in degrees counter-clockwise from the right, lengths in photo pixels.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.area.hair import HairField, axial_mean
from hanabira.core.area.shape import Point, Region
from hanabira.core.colour.spaces import Array, bytes_to_lab
from hanabira.core.sentences import say

_SIDE = 420
_LEAST_PEAK = 0.45


@dataclass(frozen=True)
class Feathers:
    """What repeats. ``row_px`` and ``shaft_deg`` are None where no rows stand out: the shaft's way is that in which rows follow each other.

    ``barb_angle_deg`` is the barbs' mean angle to the shaft (0–90), ``bar_px`` the spacing of dark bars along the
    shaft when the marking repeats faster than the rows. ``clear`` (0–1) is the height of the repeat's peak.
    """

    shaft_deg: float | None
    row_px: float | None
    barb_angle_deg: float | None
    bar_px: float | None
    clear: float
    reason: str = ""
    said: bool = False
    """Whether the rows are those that the artist set."""


def measure_feathers(region: Region, field: HairField | None, said: Sequence[Point] = ()) -> Feathers:
    """Rows of feathers by the autocorrelation of the region's values, normalised for the mask; barbs from the hair field.

    ``said`` are two places in photo pixels, the rims of one row and of the next: then rows are as the artist set them.
    """
    if len(said) == 2:
        dx, dy = said[1][0] - said[0][0], said[0][1] - said[1][1]
        shaft = float(np.degrees(np.arctan2(dy, dx)) % 180)
        return Feathers(shaft, float(np.hypot(dx, dy)), _barbs(field, shaft), None, 1.0, said=True)
    k = min(1.0, _SIDE / max(region.mask.shape))
    size = max(16, round(region.mask.shape[1] * k)), max(16, round(region.mask.shape[0] * k))
    mask = cv2.resize(region.mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    lab = bytes_to_lab(cv2.resize(region.pixels, size, interpolation=cv2.INTER_AREA)).astype(np.float32)
    side = float(np.sqrt(mask.sum()))
    if side < 40:
        return Feathers(None, None, None, None, 0.0, say("feathers.small"))
    about = None
    if field is not None and field.sure.sum() >= 12:
        about, together = axial_mean(field.direction_deg[field.sure], field.coherence[field.sure])
        about = about if together > 0.5 else None
    found = _repeat(lab[..., 0], mask, side, about)
    if found is None:
        return Feathers(None, None, None, None, 0.0, say("feathers.none"))
    lag, shaft, height, second = found
    return Feathers(shaft, lag / k, _barbs(field, shaft), None if second is None else second / k, float(min(1.0, height / 1.5)))


def _barbs(field: HairField | None, shaft: float) -> float | None:
    """Mean angle between barbs and shaft: both vanes lie mirrored about it, so each side counts by its size."""
    if field is None or field.sure.sum() < 12:
        return None
    off = np.abs((field.direction_deg[field.sure] - shaft + 90) % 180 - 90)
    return float(axial_mean(off, field.coherence[field.sure])[0])


def _repeat(lightness: Array, mask: Array, side: float, about: float | None) -> tuple[float, float, float, float | None] | None:
    """Lag in pixels, its axis, its height, and a faster repeat along it; None when none stands above the noise.

    Barbs lie within some 35° of the shaft, so only axes that near to ``about`` are asked when it is known. Along each
    axis the first rise after the first dip is the repeat: later ones are its multiples or the area's own shading.
    """
    cover = mask.astype(np.float32)
    grey = np.where(mask, lightness, float(lightness[mask].mean())).astype(np.float32)
    best = None
    for wide in (0.035, 0.06, 0.11):
        detail = _rims(grey, cover, wide * side)
        r = _autocorrelation(detail, cover)
        lags = np.arange(0, 5.5 * wide * side, 0.5)
        for axis in np.arange(0, 180, 5.0):
            if about is not None and abs((axis - about + 90) % 180 - 90) > 35:
                continue
            line = _profile(r, axis, lags, side)
            if line is None:
                continue
            hit = _first_rise(line)
            if hit is None or lags[hit[0]] < 5 or not _repeats(line, hit[0]):
                continue
            if best is None or hit[1] > best[2]:
                faster = _first_rise(line[: max(3, int(0.62 * hit[0]))])
                best = (float(lags[hit[0]]), float(axis), hit[1], None if faster is None or lags[faster[0]] < 4 else float(lags[faster[0]]))
    if best is None or best[2] < _LEAST_PEAK:
        return None
    return best[:4] if _in_every_half(grey, cover, side, best[0], best[1]) else None


def _rims(grey: Array, cover: Array, wide: float) -> Array:
    """The shade under each feather's rim: it repeats, while the tone of single feathers does not."""
    n = max(3, round(0.5 * wide) | 1)
    fine = cv2.GaussianBlur(grey, (0, 0), max(0.9, 0.1 * wide))
    rim = cv2.morphologyEx(fine, cv2.MORPH_BLACKHAT, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (n, n)))
    base = cv2.GaussianBlur(rim * cover, (0, 0), 1.6 * wide) / (cv2.GaussianBlur(cover, (0, 0), 1.6 * wide) + 1e-3)
    detail = (rim - base) * cover
    spread = float(np.std(detail[cover > 0])) + 1e-6
    # strong single marks must not outvote the repeat
    return np.clip(detail, -2.2 * spread, 2.2 * spread) * cover


def _profile(r: Array, axis: float, lags: Array, side: float) -> Array | None:
    """Autocorrelation along an axis, averaged across it: rows are long across the shaft and set off by half against their
    neighbours, so that averaged each is one step. 1 at lag 0; None when nothing is left there.
    """
    cy, cx = r.shape[0] // 2, r.shape[1] // 2
    t = np.radians(axis)
    across = np.linspace(-0.22, 0.22, 23) * side
    x = (cx + np.cos(t) * lags[None] + np.sin(t) * across[:, None]).astype(np.float32)
    y = (cy - np.sin(t) * lags[None] + np.cos(t) * across[:, None]).astype(np.float32)
    weight = np.exp(-0.5 * (across / (0.11 * side)) ** 2)
    line = (cv2.remap(r, x, y, cv2.INTER_LINEAR) * weight[:, None]).sum(0) / weight.sum()
    return None if line[0] < 0.02 else line / line[0]


def _in_every_half(grey: Array, cover: Array, side: float, lag: float, axis: float) -> bool:
    """Whether the same repeat shows in each half of the area, cut level and upright.

    Shading and single marks do not repeat so; a grain of one size does, so this is asked of feathers only.
    """
    ys, xs = np.nonzero(cover)
    lags = np.arange(0, 2.6 * lag, 0.5)
    near = max(1, round(0.14 * 2 * lag))
    at = round(2 * lag)
    rises = []
    wide = 1.1 * lag
    detail = _rims(grey, cover, wide)

    def rise(cut: Array, along: float) -> float:
        line = _profile(_autocorrelation(detail * cut, cut), along, lags, side)
        if line is None or at + near >= len(line):
            return 0.0
        return float(line[at - near : at + near + 1].max() - line[round(0.35 * at) : round(0.7 * at)].min())

    for axis_of_cut, middle in ((0, float(np.median(ys))), (1, float(np.median(xs)))):
        for low in (True, False):
            place = np.arange(cover.shape[axis_of_cut])
            part = place < middle if low else place >= middle
            rises.append(rise(cover * (part[:, None] if axis_of_cut == 0 else part[None]), axis))
    return min(rises) > 0.18 and float(np.mean(rises)) > 0.42


def _autocorrelation(detail: Array, cover: Array) -> Array:
    """Normalised two-dimensional autocorrelation of masked values, lag 0 in the middle; by FFT (Wiener and Khinchin)."""
    shape = [int(2 ** np.ceil(np.log2(2 * s))) for s in cover.shape]
    power = np.fft.irfft2(np.abs(np.fft.rfft2(detail, shape)) ** 2, shape)
    pairs = np.fft.irfft2(np.abs(np.fft.rfft2(cover, shape)) ** 2, shape)
    r = np.fft.fftshift(np.where(pairs > 0.12 * cover.sum(), power / np.maximum(pairs, 1), 0))
    return (r / max(float(r[shape[0] // 2, shape[1] // 2]), 1e-9)).astype(np.float32)


def _repeats(line: Array, at: int) -> bool:
    """Whether the rise comes again at twice the lag: rows follow each other, a single shade does not."""
    again, between = 2 * at, round(1.5 * at)
    if again + 2 >= len(line):
        return False
    near = slice(max(0, again - max(1, at // 6)), again + max(1, at // 6) + 1)
    return bool(float(line[near].max()) - float(line[between - 1 : between + 2].min()) > 0.2)


def _first_rise(line: Array) -> tuple[int, float] | None:
    """Index of the first maximum after the first minimum, and how far it rises above it."""
    down = np.flatnonzero((line[1:-1] <= line[:-2]) & (line[1:-1] < line[2:])) + 1
    if not len(down):
        return None
    low = int(down[0])
    up = np.flatnonzero((line[low + 1 : -1] >= line[low:-2]) & (line[low + 1 : -1] > line[low + 2 :])) + low + 1
    if not len(up):
        return None
    top = int(up[0])
    return top, float(line[top] - line[low])
