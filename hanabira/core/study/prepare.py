"""A photo as it is worked from: straightened, turned over, its light set, cut out and put on a backdrop.

Everything is a setting. The file is never changed; `prepare` makes the working copy anew.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import ArrayLike

from hanabira.core.area.shape import Point
from hanabira.core.colour.spaces import Array
from hanabira.core.study.isolate import isolate, on_backdrop
from hanabira.core.study.neutral import apply_light
from hanabira.core.study.preparation import MOST_TILT, Preparation
from hanabira.core.token import SILENT, Token


def matrix(size: tuple[int, int], tilt_deg: float, mirrored: bool) -> Array:
    """Affine matrix (2, 3) from the file's pixels to the prepared ones; ``size`` is (width, height).

    >>> (matrix((10, 6), 0, True) @ [0, 3, 1]).tolist()
    [10.0, 3.0]
    """
    w, h = size
    m = np.vstack([cv2.getRotationMatrix2D((w / 2, h / 2), float(tilt_deg), 1.0), [0, 0, 1]])
    if mirrored:
        m = np.array([[-1.0, 0, w], [0, 1, 0], [0, 0, 1]]) @ m
    return m[:2]


def move_points(points: Sequence[Point], size: tuple[int, int], old: tuple[float, bool], new: tuple[float, bool]) -> tuple[Point, ...]:
    """Points of a photo prepared with geometry ``old``, where they lie under ``new``."""
    if not points or old == new:
        return tuple(points)
    back = cv2.invertAffineTransform(matrix(size, *old))
    full = np.vstack([matrix(size, *new), [0, 0, 1]]) @ np.vstack([back, [0, 0, 1]])
    p = np.column_stack([np.asarray(points, float), np.ones(len(points))]) @ full[:2].T
    return tuple((float(x), float(y)) for x, y in p)


def turned(prep: Preparation, size: tuple[int, int], tilt_deg: float, mirrored: bool) -> Preparation:
    """The settings with another geometry; what was drawn stays with the animal."""
    tilt_deg = float(np.clip(tilt_deg, -MOST_TILT, MOST_TILT))
    old, new = prep.geometry, (tilt_deg, mirrored)
    move = lambda line: move_points(line, size, old, new)  # noqa: E731
    sun = prep.sun_deg
    if sun is not None:
        unmirrored = (180 - sun if old[1] else sun) + (tilt_deg - old[0])
        sun = (180 - unmirrored if mirrored else unmirrored) % 360
    focal = move((prep.focal,))[0] if prep.focal else None
    return replace(
        prep, tilt_deg=tilt_deg, mirrored=mirrored, outline=move(prep.outline), keep=tuple(map(move, prep.keep)),
        drop=tuple(map(move, prep.drop)), sun_deg=sun, focal=focal,
    )  # fmt: skip


def level_tilt(a: Point, b: Point) -> float:
    """Degrees to turn the picture counter-clockwise so that the line a–b becomes level or upright, whichever is nearer.

    >>> round(level_tilt((0, 0), (100, 10)), 2), round(level_tilt((0, 0), (10, 100)), 2)
    (5.71, -5.71)
    """
    angle = float(np.degrees(np.arctan2(b[1] - a[1], b[0] - a[0])))  # y runs down: positive falls to the right
    return (angle + 45) % 90 - 45


def fit_inside(crop: tuple[float, float, float, float], size: tuple[int, int], tilt_deg: float) -> tuple[float, float, float, float]:
    """A crop made smaller about its middle until no corner shows what the turned photo lacks."""
    w, h = size
    x, y, cw, ch = crop
    cx, cy = x + cw / 2, y + ch / 2
    if abs(tilt_deg) < 1e-9:
        return crop
    t = np.radians(tilt_deg)
    turn = np.array([[np.cos(t), -np.sin(t)], [np.sin(t), np.cos(t)]])

    def inside(k: float, mx: float, my: float) -> bool:
        corners = np.array([(sx * cw * k / 2 + mx - w / 2, sy * ch * k / 2 + my - h / 2) for sx in (-1, 1) for sy in (-1, 1)])
        back = corners @ turn.T
        return bool((np.abs(back[:, 0]) <= w / 2 + 1e-6).all() and (np.abs(back[:, 1]) <= h / 2 + 1e-6).all())

    def largest(mx: float, my: float) -> float:
        if inside(1.0, mx, my):
            return 1.0
        low, high = 0.0, 1.0
        for _ in range(24):
            middle = (low + high) / 2
            low, high = (middle, high) if inside(middle, mx, my) else (low, middle)
        return low

    # the middle gives way toward the photo's own middle before the crop becomes tiny
    pulls = np.linspace(0, 1, 11)
    sizes = [largest(cx + (w / 2 - cx) * p, cy + (h / 2 - cy) * p) for p in pulls]
    at = int(np.argmax(np.asarray(sizes) - 0.35 * pulls))
    k, pull = max(sizes[at], 0.05), float(pulls[at])
    mx, my = cx + (w / 2 - cx) * pull, cy + (h / 2 - cy) * pull
    return (mx - cw * k / 2, my - ch * k / 2, cw * k, ch * k)


def focal_crop(
    crop: tuple[float, float, float, float], size: tuple[int, int], focal: Point, third: tuple[int, int]
) -> tuple[float, float, float, float]:
    """The crop moved so that a place lies on a third of it: ``third`` (1 or 2, 1 or 2) counts from the left and the top."""
    x, y, w, h = crop
    nx, ny = focal[0] - w * third[0] / 3, focal[1] - h * third[1] / 3
    return (float(np.clip(nx, 0, max(0.0, size[0] - w))), float(np.clip(ny, 0, max(0.0, size[1] - h))), w, h)


def turn_pixels(pixels: np.ndarray, prep: Preparation) -> np.ndarray:
    """The photo (h, w, 3) under its geometry; corners that the turned photo lacks repeat its edge."""
    if prep.geometry == (0.0, False):
        return pixels
    h, w = pixels.shape[:2]
    if prep.tilt_deg == 0:
        return np.ascontiguousarray(pixels[:, ::-1])
    # pixel centres lie at .5
    m = matrix((w, h), *prep.geometry)
    m = m.copy()
    m[:, 2] += m[:, :2] @ [0.5, 0.5] - 0.5
    return cv2.warpAffine(pixels, m, (w, h), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)


def coverage(pixels: np.ndarray, prep: Preparation, full_width: int, token: Token = SILENT) -> Array | None:
    """Coverage (h, w) of the animal on a copy of the turned photo; None without an outline.

    ``full_width`` is the width in which the settings' points are given.
    """
    if len(prep.outline) < 3:
        return None
    k = pixels.shape[1] / full_width
    small = lambda line: tuple((x * k, y * k) for x, y in line)  # noqa: E731
    return isolate(pixels, small(prep.outline), tuple(map(small, prep.keep)), tuple(map(small, prep.drop)), token)


def prepare(
    pixels: np.ndarray,
    prep: Preparation,
    full_width: int,
    backdrop: tuple[ArrayLike, ArrayLike] | None = None,
    alpha: Array | None = None,
    token: Token = SILENT,
) -> np.ndarray:
    """The prepared copy of a photo (h, w, 3) uint8, at the size of ``pixels``.

    ``backdrop`` is the colour at the top and at the foot (encoded sRGB, 0–1), put behind when the
    settings say so; ``alpha`` spares finding the animal again.
    """
    token.report(0.1, "Straightening")
    out = turn_pixels(pixels, prep)
    if prep.cut_out and backdrop is not None and alpha is None:
        alpha = coverage(out, prep, full_width, token)
    token.report(0.6, "Setting the light")
    out = apply_light(out, prep.light)
    token.check()
    if prep.cut_out and backdrop is not None and alpha is not None:
        token.report(0.8, "Putting the backdrop behind")
        out = on_backdrop(out, alpha, *backdrop)
    return out
