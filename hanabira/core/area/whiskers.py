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

_SIDE, _LARGE, MOST_ENLARGED = 240, 600, 3.0
"""Working pixels of the longer side of a region that is enlarged (so many times at most) or reduced: a whisker is then one to three pixels wide."""
REACH, BACK = 1.4, 0.6
"""How far round the region whiskers are looked for, and how far behind its visible root one must come into the region, in sides of it."""
LOCAL, LOCAL_PX, FLOOR_L = 1.2, 45, 0.35
"""Noise is this many times the mean answer within so many pixels, and never less than the last (L*)."""
LOW, HIGH = 1.3, 2.4
"""Answers over noise that a run may have, and that it must have."""
LEAST_SHARE, LEAST_COUNT = 0.25, 2
"""A whisker is at least this part of the region's side long; so many there must be."""
SHOWS_L = 12.0
"""A light line is seen on a ground darker by so much (L*)."""
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
    own_l: float = 50.0
    """L* along it."""


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
    def lost(self) -> float:
        """Share of the light ones' length that runs over what is about as light as they are, where they cannot show."""
        light = [w for w in self.found if w.light]
        total = sum(w.length_px for w in light)
        return sum(w.length_px for w in light if w.own_l - w.over_l < SHOWS_L) / total if total else 0.0

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
        over = say("whiskers.on-dark" if self.lost < 0.3 else "whiskers.on-light" if self.lost > 0.7 else "whiskers.cross") if light else say("whiskers.drawn")
        return say("whiskers.found", count=self.count, length=length, kind=say(kind, light=light, dark=self.count - light), over=over)


def measure_whiskers(photo: np.ndarray, region: Region) -> Whiskers:
    """Find the whiskers of a region of a photo (h, w, 3) uint8: long thin lines, lighter or darker than both their sides, that come out of the region.

    They are looked for in the region and as far again round it, for most of a whisker lies beside the muzzle. A bank of narrow oriented line filters (Gabor
    1946, as differences of Gaussians stretched over 31 pixels), the best angle at each pixel, judged by what the filters answer to the fur close by
    (a limit from the whole picture's noise is fur's own); thinning, and runs that bend gently are kept as one. A run counts where it is long, and where it
    leads back into the region; one alone is no whisker but a hair.
    """
    window = _Window.round(photo, region)
    inner = cv2.erode(window.mask.astype(np.uint8), np.ones((5, 5), np.uint8), borderValue=0) > 0
    if inner.sum() < 400:
        return Whiskers((), 0.0)
    lightness = window.lightness
    response, angle = _lines(lightness)
    noise = LOCAL * cv2.blur(np.abs(response), (LOCAL_PX, LOCAL_PX)) + FLOOR_L
    wide = cv2.GaussianBlur(lightness, (0, 0), 7)
    field = direction_field(lightness, np.ones(lightness.shape, bool))
    found: list[Whisker] = []
    for sign in (1, -1):
        # beside a strong line the filter answers with the other sign: that is its echo, not a line
        echo = cv2.dilate(np.maximum(-sign * response, 0), np.ones((9, 9), np.uint8))
        strength = (np.where(sign * response > echo, sign * response, 0) / noise).astype(np.float32)
        thin = skimage.morphology.skeletonize(strength > LOW)
        runs = [window.outward(run) for run in _runs(thin, strength, angle, HIGH)]
        found += [_named(run, sign > 0, window, wide) for run in runs if _length(run) >= window.least and window.roots(run) and _crosses(run, field)]
    if len(found) < LEAST_COUNT:
        return Whiskers((), 0.0)
    total = sum(w.length_px for w in found)
    over = sum(w.length_px for w in found if w.over_l > 60) / total
    return Whiskers(tuple(sorted(found, key=lambda w: -w.length_px)), float(over))


@dataclass(frozen=True)
class _Window:
    """A region's surroundings at working size: L* (h, w), the region in it, its first photo pixel and scale, and the region's side in working pixels."""

    lightness: Array
    mask: np.ndarray
    left: int
    top: int
    k: float
    side: float

    @staticmethod
    def round(photo: np.ndarray, region: Region) -> _Window:
        ys, xs = np.nonzero(region.mask)
        side = max(int(np.ptp(xs)), int(np.ptp(ys))) + 1
        far = round(REACH * side)
        x0, y0 = max(0, region.left + int(xs.min()) - far), max(0, region.top + int(ys.min()) - far)
        x1, y1 = min(photo.shape[1], region.left + int(xs.max()) + far + 1), min(photo.shape[0], region.top + int(ys.max()) + far + 1)
        k = min(MOST_ENLARGED, _SIDE / side) if side < _SIDE else min(1.0, _LARGE / side)
        size = max(16, round((x1 - x0) * k)), max(16, round((y1 - y0) * k))
        pixels = cv2.resize(photo[y0:y1, x0:x1], size, interpolation=cv2.INTER_AREA if k < 1 else cv2.INTER_CUBIC)
        mask = np.zeros((y1 - y0, x1 - x0), np.uint8)
        mask[region.top + ys - y0, region.left + xs - x0] = 1
        small = cv2.resize(mask, size, interpolation=cv2.INTER_NEAREST) > 0
        return _Window(bytes_to_lab(pixels)[..., 0].astype(np.float32), small, x0, y0, k, side * k)

    @property
    def least(self) -> float:
        """Working pixels of the shortest whisker."""
        return max(_LEAST_RUN, LEAST_SHARE * self.side)

    def outward(self, run: Array) -> Array:
        """The run with its root first: the end nearer the region's middle."""
        middle = np.argwhere(self.mask).mean(0)[::-1]
        return run if np.hypot(*(run[0] - middle)) <= np.hypot(*(run[-1] - middle)) else run[::-1]

    def roots(self, run: Array) -> bool:
        """Whether a run that is prolonged behind its root comes into the region soon."""
        back = (run[0] - run[-1]) / (_length(run) + 1e-6)
        path = run[0] + back * np.linspace(0, BACK * self.side, 40)[:, None]
        x, y = np.round(path).astype(int).T
        inside = (x >= 0) & (y >= 0) & (x < self.mask.shape[1]) & (y < self.mask.shape[0])
        return bool(self.mask[y[inside], x[inside]].any())

    def photo_point(self, p: Array) -> Point:
        """A working pixel in photo pixels."""
        return (self.left + (float(p[0]) + 0.5) / self.k, self.top + (float(p[1]) + 0.5) / self.k)


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


def _named(p: Array, light: bool, window: _Window, wide: Array) -> Whisker:
    steps = np.hypot(*np.diff(p[:: max(1, len(p) // 12)], axis=0).T).sum()
    y, x = p[:, 1].astype(int), p[:, 0].astype(int)
    over = float(np.median(wide[y, x]))
    # the thinned line may run a pixel beside its middle
    near = [window.lightness[np.clip(y + dy, 0, wide.shape[0] - 1), np.clip(x + dx, 0, wide.shape[1] - 1)] for dx in (-1, 0, 1) for dy in (-1, 0, 1)]
    own = np.max(near, 0) if light else np.min(near, 0)
    return Whisker(window.photo_point(p[0]), window.photo_point(p[-1]), max(float(steps), _length(p)) / window.k, light, over, float(np.median(own)))
