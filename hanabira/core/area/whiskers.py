"""Whiskers and single light hairs: how many, how long, and what they run over."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import skimage

from hanabira.core.area.hair import HairField, axial_difference, direction_field
from hanabira.core.area.shape import Point, Region
from hanabira.core.colour.spaces import Array, bytes_to_lab
from hanabira.core.sentences import say

_SIDE = 900
_ANGLES = 24
_LEAST_RUN = 34
_FIT = 2.2
_MOST_PIECES = 140
_LONG = 110
"""A run this long in working pixels is no hair of the coat, whichever way it lies."""


@dataclass(frozen=True)
class Whisker:
    """One whisker: its ends in photo pixels, its length in pixels, whether it is light, and the L* it runs over."""

    root: Point
    tip: Point
    length_px: float
    light: bool
    over_l: float


@dataclass(frozen=True)
class Whiskers:
    """What was found. ``over_light`` is the share of their length that runs over L* above 60."""

    found: tuple[Whisker, ...]
    over_light: float

    @property
    def count(self) -> int:
        """How many."""
        return len(self.found)

    @property
    def length_px(self) -> float:
        """Median length in photo pixels; 0 without any."""
        return float(np.median([w.length_px for w in self.found])) if self.found else 0.0

    def words(self, mm_per_px: float | None) -> str:
        """What the artist needs to know of them."""
        if not self.found:
            return say("whiskers.none")
        length = say("whiskers.length", mm=self.length_px * mm_per_px) if mm_per_px else ""
        light = sum(w.light for w in self.found)
        kind = "whiskers.all-light" if light == self.count else "whiskers.all-dark" if not light else "whiskers.mixed"
        over = say("whiskers.on-dark" if self.over_light < 0.3 else "whiskers.on-light" if self.over_light > 0.7 else "whiskers.cross")
        return say("whiskers.found", count=self.count, length=length, kind=say(kind, light=light, dark=self.count - light), over=over)


def measure_whiskers(region: Region) -> Whiskers:
    """Find whiskers in a region: long thin lines, lighter or darker than both their sides, over fur that runs another way.

    A bank of narrow oriented line filters (Gabor 1946, as differences of Gaussians stretched over 31 pixels), the best
    angle at each pixel, a limit from the filter's own noise, thinning, and runs that bend gently are kept as one.
    """
    k = min(1.0, _SIDE / max(region.mask.shape))
    size = max(16, round(region.mask.shape[1] * k)), max(16, round(region.mask.shape[0] * k))
    pixels = cv2.resize(region.pixels, size, interpolation=cv2.INTER_AREA)
    mask = cv2.resize(region.mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    lightness = bytes_to_lab(pixels)[..., 0].astype(np.float32)
    inner = cv2.erode(mask.astype(np.uint8), np.ones((5, 5), np.uint8), borderValue=0) > 0
    if inner.sum() < 400:
        return Whiskers((), 0.0)
    found: list[Whisker] = []
    response, angle = _lines(lightness)
    wide = cv2.GaussianBlur(lightness, (0, 0), 7)
    field = direction_field(lightness, mask)
    for sign in (1, -1):
        # beside a strong line the filter answers with the other sign: that is its echo, not a line
        echo = cv2.dilate(np.maximum(-sign * response, 0), np.ones((9, 9), np.uint8))
        strength = np.where(inner & (sign * response > echo), sign * response, 0)
        typical = 1.4826 * float(np.median(np.abs(response[inner]))) + 1e-6
        low, high = max(2.4 * typical, 1.8), max(5.0 * typical, 4.5)
        thin = skimage.morphology.skeletonize(strength > low)
        found += [_named(run, sign > 0, k, region, wide) for run in _runs(thin, strength, angle, high) if _crosses(run, field)]
    found = [w for w in found if w.length_px * k >= _LEAST_RUN]
    total = sum(w.length_px for w in found)
    over = sum(w.length_px for w in found if w.over_l > 60) / total if total else 0.0
    return Whiskers(tuple(sorted(found, key=lambda w: -w.length_px)), float(over))


def _lines(lightness: Array) -> tuple[Array, Array]:
    """Signed response of the strongest line filter (+ light line) and its angle in degrees, at every pixel."""
    n = 31
    y, x = np.mgrid[-(n // 2) : n // 2 + 1, -(n // 2) : n // 2 + 1].astype(np.float32)
    best = np.zeros(lightness.shape, np.float32)
    at = np.zeros(lightness.shape, np.float32)
    for k in range(_ANGLES):
        t = np.pi * k / _ANGLES
        along, across = x * np.cos(t) - y * np.sin(t), x * np.sin(t) + y * np.cos(t)
        core = np.exp(-(across**2) / (2 * 0.9**2)) / 0.9 - np.exp(-(across**2) / (2 * 2.7**2)) / 2.7
        kernel = core * np.exp(-(along**2) / (2 * 7.0**2))
        kernel -= kernel.mean()
        kernel /= np.abs(kernel).sum() / 2
        r = cv2.filter2D(lightness, cv2.CV_32F, kernel, borderType=cv2.BORDER_REFLECT)
        stronger = np.abs(r) > np.abs(best)
        best, at = np.where(stronger, r, best), np.where(stronger, np.float32(180.0 * k / _ANGLES), at)
    return best, at


def _runs(thin: Array, strength: Array, angle: Array, high: float) -> list[Array]:
    """Runs (n, 2) of x, y that follow one line: pixels linked when they touch and their angles differ little; then joined over gaps."""
    ys, xs = np.nonzero(thin)
    index = -np.ones(thin.shape, int)
    index[ys, xs] = np.arange(len(ys))
    label = np.zeros(thin.shape, np.int32)
    count = 0
    pieces: list[Array] = []
    for y0, x0 in zip(ys, xs, strict=True):
        if label[y0, x0]:
            continue
        count += 1
        stack, part = [(y0, x0)], []
        label[y0, x0] = count
        while stack:
            y, x = stack.pop()
            part.append((x, y))
            for dy in (-1, 0, 1):
                for dx in (-1, 0, 1):
                    v, u = y + dy, x + dx
                    if (
                        0 <= v < thin.shape[0] and 0 <= u < thin.shape[1] and thin[v, u] and not label[v, u]
                        and abs((angle[v, u] - angle[y, x] + 90) % 180 - 90) <= 16
                    ):  # fmt: skip
                        label[v, u] = count
                        stack.append((v, u))
        p = np.asarray(part, float)
        if len(p) >= 10:
            peak = strength[p[:, 1].astype(int), p[:, 0].astype(int)]
            if np.percentile(peak, 60) >= 0.62 * high:
                pieces.append(_ordered(p))
    joined = _joined(sorted(pieces, key=_length, reverse=True)[:_MOST_PIECES])
    return [p for p in joined if _length(p) >= _LEAST_RUN and _strong(p, strength, high)]


def _crosses(p: Array, field: HairField) -> bool:
    """Whether a run lies across the coat, or is longer than any of its hairs, or runs where the coat shows no direction."""
    if _length(p) >= _LONG:
        return True
    a = p[-1] - p[0]
    own = np.degrees(np.arctan2(-a[1], a[0])) % 180
    i = np.clip((p[:, 1] / field.step_px).astype(int), 0, field.sure.shape[0] - 1)
    j = np.clip((p[:, 0] / field.step_px).astype(int), 0, field.sure.shape[1] - 1)
    sure = field.sure[i, j]
    if sure.mean() < 0.3:
        return True
    return bool(np.median(axial_difference(field.direction_deg[i, j][sure], own)) > 24)


def _ordered(p: Array) -> Array:
    """Points along the piece's main axis."""
    q = p - p.mean(0)
    axis = np.linalg.svd(q, full_matrices=False)[2][0]
    return p[np.argsort(q @ axis)]


def _strong(p: Array, strength: Array, high: float) -> bool:
    v = strength[p[:, 1].astype(int), p[:, 0].astype(int)]
    # and it is one bent line, not a tangle: a parabola over its chord explains it
    a = p[-1] - p[0]
    chord = float(np.hypot(*a)) + 1e-6
    along, off = (p - p[0]) @ a / chord, (p - p[0]) @ np.array([-a[1], a[0]]) / chord
    fit = np.polyfit(along, off, 2) if len(p) > 5 else np.zeros(3)
    return bool(np.median(v) >= high * 0.8 and np.sqrt(np.mean((off - np.polyval(fit, along)) ** 2)) < _FIT)


def _length(p: Array) -> float:
    return float(np.hypot(*(p[-1] - p[0])))


def _joined(pieces: list[Array]) -> list[Array]:
    """Pieces whose ends face each other within a short gap and in line become one."""
    changed = True
    while changed:
        changed = False
        for i in range(len(pieces)):
            for j in range(i + 1, len(pieces)):
                got = _join(pieces[i], pieces[j])
                if got is not None:
                    pieces[i] = got
                    del pieces[j]
                    changed = True
                    break
            if changed:
                break
    return pieces


def _join(a: Array, b: Array) -> Array | None:
    for p in (a, a[::-1]):
        for q in (b, b[::-1]):
            gap = q[0] - p[-1]
            d = float(np.hypot(*gap))
            if d > 26:
                continue
            u, v = p[-1] - p[max(0, len(p) - 14)], q[min(len(q) - 1, 13)] - q[0]
            u, v = u / (np.hypot(*u) + 1e-6), v / (np.hypot(*v) + 1e-6)
            if u @ v > 0.93 and (d < 3 or u @ (gap / d) > 0.93):
                return np.vstack([p, q])
    return None


def _named(p: Array, light: bool, k: float, region: Region, wide: Array) -> Whisker:
    steps = np.hypot(*np.diff(p[:: max(1, len(p) // 12)], axis=0).T).sum()
    over = float(np.median(wide[p[:, 1].astype(int), p[:, 0].astype(int)]))
    ends = [(region.left + float(x) / k, region.top + float(y) / k) for x, y in (p[0], p[-1])]
    return Whisker(ends[0], ends[1], max(float(steps), _length(p)) / k, light, over)
