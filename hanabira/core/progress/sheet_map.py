"""Where each millimetre of the sheet lies in a photo: tilt, the lens's bend, and what the paper's sides still bend."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import scipy

from hanabira.core.colour.spaces import Array
from hanabira.core.progress.strip import FoundStrip

GRID = 3.0
"""Pixels a millimetre at which colour is judged: finer holds nothing but grain."""


@dataclass(frozen=True)
class SheetMap:
    """``size`` is the sheet's width and height in mm, ``photo_size`` the photo's in pixels. ``tilt`` (3, 3) leads from mm to photo coordinates
    with the middle 0 and half the diagonal 1, ``lens`` is the radial coefficient there, ``sides`` (4, 4) cubics in mm (top, right, foot, left).

    ``residual_mm`` is what the border's points miss by, ``strip_miss_mm`` what the strip's marks do (0 without one); ``found_by`` says how.
    """

    size: tuple[float, float]
    photo_size: tuple[int, int]
    tilt: Array
    lens: float
    sides: Array
    residual_mm: float
    strip_miss_mm: float = 0.0
    found_by: str = "border"
    edge_mm: float = 0.0
    """Width of the sharpest known edge, from 10 to 90 % of its step."""

    @property
    def _half(self) -> float:
        return float(np.hypot(*self.photo_size)) / 2

    def to_photo(self, mm: Array) -> Array:
        """Photo pixels (n, 2) of points (n, 2) in mm of the sheet."""
        mm = np.asarray(mm, float)
        w, h = self.size
        u, v = np.clip(mm[:, 0] / w, -0.05, 1.05), np.clip(mm[:, 1] / h, -0.05, 1.05)
        top, right, foot, left = self.sides
        bend = np.stack(
            [(1 - u) * np.polyval(left, v) + u * np.polyval(right, v), (1 - v) * np.polyval(top, u) + v * np.polyval(foot, u)], 1
        )
        near = (mm[:, 0] > -5) & (mm[:, 0] < w + 5) & (mm[:, 1] > -5) & (mm[:, 1] < h + 5)
        straight = _through(self.tilt, mm + bend * near[:, None])
        seen = straight
        for _ in range(6):  # the lens is given the other way round: from seen to straight
            seen = straight / (1 + self.lens * (seen**2).sum(1, keepdims=True))
        return seen * self._half + np.array(self.photo_size) / 2

    @property
    def px_per_mm(self) -> float:
        """Photo pixels a millimetre in the middle of the sheet, along the shorter direction."""
        c = np.array(self.size) / 2
        p = self.to_photo(np.array([c - (5, 0), c + (5, 0), c - (0, 5), c + (0, 5)]))
        return float(min(np.hypot(*(p[1] - p[0])), np.hypot(*(p[3] - p[2]))) / 10)

    @property
    def bend_mm(self) -> float:
        """How far the paper's sides bend at most."""
        t = np.linspace(0, 1, 21)
        return float(max(np.abs(np.polyval(c, t)).max() for c in self.sides))

    def _pixels(self, grid: float) -> tuple[Array, Array]:
        """Photo coordinates (h, w) each of the sheet's raster of ``grid`` pixels a millimetre."""
        nx, ny = int(self.size[0] * grid), int(self.size[1] * grid)
        cx, cy = np.arange(0, nx + 16, 16), np.arange(0, ny + 16, 16)
        points = np.stack(np.meshgrid((cx + 0.5) / grid, (cy + 0.5) / grid), -1)
        coarse = self.to_photo(points.reshape(-1, 2)).reshape(len(cy), len(cx), 2).astype(np.float32)
        iy, ix = np.mgrid[0:ny, 0:nx].astype(np.float32) / 16
        mx, my = (cv2.remap(np.ascontiguousarray(coarse[..., k]), ix, iy, cv2.INTER_LINEAR) for k in (0, 1))
        return mx, my

    def shown(self, grid: float = GRID) -> np.ndarray:
        """Which of the sheet's raster (h, w) the photo shows."""
        mx, my = self._pixels(grid)
        return np.asarray((mx >= 0) & (my >= 0) & (mx <= self.photo_size[0] - 1) & (my <= self.photo_size[1] - 1))

    def flat(self, photo: np.ndarray, grid: float = GRID) -> Array:
        """The sheet seen straight on: encoded values (h, w, 3) float32 in 0–1, ``grid`` pixels a millimetre; 0 where the photo ends."""
        mx, my = self._pixels(grid)
        soft = cv2.GaussianBlur(photo, (0, 0), max(0.8, 0.3 * self.px_per_mm / grid))
        return cv2.remap(soft, mx, my, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=(0, 0, 0)).astype(np.float32) / 255


def _through(tilt: Array, p: Array) -> Array:
    d = p @ tilt[2, :2] + tilt[2, 2]
    return np.asarray((p @ tilt[:2, :2].T + tilt[:2, 2]) / d[:, None])


def by_corners(photo: np.ndarray, size: tuple[float, float], corners: Array) -> SheetMap:
    """The map of four corners (4, 2) in photo pixels, clockwise from the picture's top left: tilt only."""
    h, w = photo.shape[:2]
    return SheetMap(size, (w, h), _tilt_of(corners, size, (w, h)), 0.0, np.zeros((4, 4)), 0.0, found_by="corners")


def _tilt_of(corners: Array, size: tuple[float, float], photo_size: tuple[int, int]) -> Array:
    w, h = size
    half = np.hypot(*photo_size) / 2
    norm = (np.asarray(corners, float) - np.array(photo_size) / 2) / half
    tilt = cv2.getPerspectiveTransform(np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float32), norm.astype(np.float32)).astype(float)
    return np.asarray(tilt / tilt[2, 2])


@dataclass(frozen=True)
class Side:
    """Points of the paper's edge along one side (n, 2) in photo pixels, where along it (n,) 0–1, and the edge's width in pixels."""

    points: Array
    along: Array
    width_px: float


EDGE_POINTS, LEAST_POINTS = 70, 10
_SMOOTH = np.exp(-0.5 * (np.arange(-4, 5) / 2.0) ** 2)


def edge_points(photo: Array, corners: Array, half: float, bends: Sequence[Array] | None = None) -> list[Side]:
    """The paper's edge along each side of a quadrilateral (4, 2): profiles across it, projected on the colour step from outside to inside,
    the steepest place to parts of a pixel, outliers from a cubic left out. ``photo`` (h, w, 3) float32, ``half`` the profiles' half length.
    """
    middle, out = corners.mean(0), []
    for i in range(4):
        a, b = corners[i], corners[(i + 1) % 4]
        t = np.linspace(0.03, 0.97, EDGE_POINTS)
        normal = inward(a, b, middle)
        p = a + (b - a) * t[:, None]
        if bends is not None:
            p = p + normal * np.polyval(bends[i], t)[:, None]
        o = np.arange(-half, half + 0.01, 0.5)
        at = (p[:, None] + normal * o[None, :, None]).astype(np.float32)
        profiles = cv2.remap(photo, at[..., 0], at[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=(-1, -1, -1))
        out.append(_edge_of(profiles, p, normal, t, o, half))
    return out


def inward(a: Array, b: Array, middle: Array) -> Array:
    """Unit normal of a side from a to b that points to the middle."""
    d = b - a
    n = np.array([d[1], -d[0]]) / np.hypot(*d)
    return -n if np.dot(n, middle - (a + b) / 2) < 0 else n


def _edge_of(profiles: Array, p: Array, normal: Array, t: Array, o: Array, half: float) -> Side:
    whole = profiles.min((1, 2)) >= 0
    nothing = Side(np.zeros((0, 2)), np.zeros(0), np.inf)
    if whole.sum() < LEAST_POINTS:
        return nothing
    inside = np.median(profiles[whole][:, o > half * 0.4].reshape(-1, 3), 0)
    outside = np.median(profiles[whole][:, o < -half * 0.4].reshape(-1, 3), 0)
    step = float(np.linalg.norm(inside - outside)) + 1e-6
    seen = profiles @ ((inside - outside) / step)
    soft = cv2.sepFilter2D(seen.astype(np.float32), -1, (_SMOOTH / _SMOOTH.sum()).astype(np.float32), np.ones(1, np.float32))
    slope = np.gradient(soft, axis=1)
    slope[:, :5] = slope[:, -5:] = 0
    j = np.clip(np.argmax(slope, 1), 1, len(o) - 2)
    r = np.arange(len(j))
    y0, y1, y2 = slope[r, j - 1], slope[r, j], slope[r, j + 1]
    bow = y0 - 2 * y1 + y2
    fine = np.where(np.abs(bow) > 1e-9, 0.5 * (y0 - y2) / np.where(np.abs(bow) > 1e-9, bow, 1), 0)
    off = o[j] + np.clip(fine, -1, 1) * 0.5
    good = whole & (y1 > 0.15 * np.median(y1[whole])) & (y1 > 0.4)
    if good.sum() < LEAST_POINTS:
        return nothing
    weight = good.astype(float)
    for _ in range(6):
        cubic = np.polyfit(t, off, 3, w=weight + 1e-9)
        miss = off - np.polyval(cubic, t)
        sd = 1.48 * float(np.median(np.abs(miss[good]))) + 0.05
        weight = good / (1 + (miss / (2.5 * sd)) ** 2)
    keep = good & (np.abs(miss) < 3.5 * sd)
    # the steepest slope of a step blurred by a Gaussian is step / (sd √2π); our own smoothing (sd 2 samples) comes off again
    sd_samples = np.sqrt(np.maximum((step / (2.5066 * np.maximum(y1[keep], 1e-3))) ** 2 - 4.0, 0.0))
    return Side(p[keep] + normal * off[keep, None], t[keep], float(np.median(2.563 * sd_samples / 2)) if keep.any() else np.inf)


def fit_map(photo: np.ndarray, corners: Array, strip: FoundStrip | None, size: tuple[float, float]) -> SheetMap | None:
    """Refine four rough corners (4, 2) to a map by the paper's edges, and by the strip's marks where there is one; None without four edges.

    One least-squares fit of tilt, lens and the strip's place on the table (soft L1), then a cubic a side for what still bends.
    """
    h, w = photo.shape[:2]
    exact = photo.astype(np.float32)
    quad, bends = np.asarray(corners, float), None
    for half in (26.0, 12.0):
        sides = edge_points(exact, quad, half, bends)
        lines = [_line(s.points) for s in sides if len(s.points) >= LEAST_POINTS]
        if len(lines) < 4:
            return None
        quad = np.array([_crossing(lines[i - 1], lines[i]) for i in range(4)])
        if not np.isfinite(quad).all():
            return None
        bends = [_bend(s, quad, i) for i, s in enumerate(sides)]
    sides = edge_points(exact, quad, 9.0, bends)
    if min(len(s.points) for s in sides) < LEAST_POINTS:
        return None
    return _fitted(sides, quad, strip, size, (w, h))


def _line(points: Array) -> tuple[Array, Array]:
    vx, vy, x, y = (float(v) for v in cv2.fitLine(points.astype(np.float32), cv2.DIST_HUBER, 0, 0.01, 0.01).ravel())
    return np.array([x, y]), np.array([vx, vy])


def _crossing(a: tuple[Array, Array], b: tuple[Array, Array]) -> Array:
    m = np.stack([a[1], -b[1]], 1)
    if abs(np.linalg.det(m)) < 1e-6:
        return np.full(2, np.nan)
    return np.asarray(a[0] + a[1] * np.linalg.solve(m, b[0] - a[0])[0])


def _bend(side: Side, quad: Array, i: int) -> Array:
    a, b = quad[i], quad[(i + 1) % 4]
    normal, d = inward(a, b, quad.mean(0)), b - a
    if len(side.points) < LEAST_POINTS:
        return np.zeros(3)
    t = ((side.points - a) @ d) / (d @ d)
    return np.polyfit(t, (side.points - a) @ normal, 2) if np.ptp(t) > 0.5 else np.zeros(3)


def _misses(sides: Sequence[Side], mm_of: Sequence[Array], size: tuple[float, float]) -> list[Array]:
    """How far each side's points, in mm, lie from where the side should be."""
    w, h = size
    return [(m[:, 1], m[:, 0] - w, m[:, 1] - h, m[:, 0])[i] for i, m in enumerate(mm_of)]


def _fitted(sides: list[Side], quad: Array, strip: FoundStrip | None, size: tuple[float, float], photo_size: tuple[int, int]) -> SheetMap:
    half, centre = float(np.hypot(*photo_size)) / 2, np.array(photo_size) / 2
    norm = lambda p: (np.asarray(p, float) - centre) / half  # noqa: E731
    points = [norm(s.points) for s in sides]
    marks = norm(strip.points) if strip is not None else np.zeros((0, 2))
    home = strip.mm - strip.mm.mean(0) if strip is not None else np.zeros((0, 2))

    def tilt(q: Array) -> Array:
        return np.append(q[:8], 1).reshape(3, 3)

    def to_mm(q: Array, p: Array) -> Array:
        return _through(np.linalg.inv(tilt(q)), p * (1 + q[8] * (p**2).sum(1, keepdims=True)))

    start = np.r_[_tilt_of(quad, size, photo_size).ravel()[:8], 0.0]
    if strip is not None:
        lies = to_mm(start, marks)
        u, _s, vt = np.linalg.svd(home.T @ (lies - lies.mean(0)))
        turn = (u @ np.diag([1, np.sign(np.linalg.det(u @ vt))]) @ vt).T
        start = np.r_[start, np.arctan2(turn[1, 0], turn[0, 0]), lies.mean(0) / 100]

    def strip_at(q: Array) -> Array:
        c, s = np.cos(q[9]), np.sin(q[9])
        return home @ np.array([[c, s], [-s, c]]) + q[10:12] * 100

    def residuals(q: Array) -> Array:
        out = [0.5 * m for m in _misses(sides, [to_mm(q, p) for p in points], size)]
        if strip is not None:
            out.append(((to_mm(q, marks) - strip_at(q)) * 2.0).ravel())
        return np.concatenate([*out, [q[8] / 0.03]])

    q = scipy.optimize.least_squares(residuals, start, loss="soft_l1", f_scale=0.3, x_scale="jac", max_nfev=60).x
    mm = [to_mm(q, p) for p in points]
    cubics, left = np.zeros((4, 4)), []
    for i, miss in enumerate(_misses(sides, mm, size)):
        along = mm[i][:, 0] / size[0] if i in (0, 2) else mm[i][:, 1] / size[1]
        if np.ptp(along) > 0.8:
            cubics[i] = np.polyfit(along, miss, 3)
        left.append(miss - np.polyval(cubics[i], along))
    strip_miss = float(np.abs(to_mm(q, marks) - strip_at(q)).max()) if strip is not None else 0.0
    out = SheetMap(size, photo_size, tilt(q), float(q[8]), cubics, float(np.sqrt(np.mean(np.concatenate(left) ** 2))), strip_miss)
    width = min(s.width_px for s in sides) / out.px_per_mm
    return SheetMap(
        size, photo_size, out.tilt, lens=out.lens, sides=cubics, residual_mm=out.residual_mm, strip_miss_mm=strip_miss,
        found_by="strip" if strip is not None else "border", edge_mm=width,
    )
