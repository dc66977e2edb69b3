"""Whether an eye, a nose or a beak stands as large and as straight as the wanted picture has it, whatever its colours."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.progress.on_sheet import AreaOnSheet
from hanabira.core.progress.sheet_map import GRID

LEAST_ECC, SURE_ECC, MOST_SHEAR, MOST_TURN = 0.88, 0.965, 1.08, 15.0
"""Likeness under which a form is not told, and from which on it is sure; between them it must be off by more. A forecast of a kit that was never
fitted looks less like the sheet and has the same form."""
SIZE_OFF, TURN_OFF = 0.045, 2.5
"""From what on a part is larger or smaller (share), or turned (degrees). Correct ones read .992 ± .009 and ± .1°."""
SIZE_SD, TURN_SD = 0.010, 0.6
_SIDE, _FILTER = 110, 5


@dataclass(frozen=True)
class Form:
    """How a part is drawn against what is wanted: times its size, degrees turned (counter-clockwise), mm moved, and its width in mm as wanted."""

    times: float
    turned_deg: float
    moved_mm: tuple[float, float]
    width_mm: float
    likeness: float


def form_of(area: AreaOnSheet, found: Array, wanted: Array) -> Form | None:
    """The affine way from the wanted part to the found one (enhanced correlation, four starts); None where it cannot be told for sure.

    Source: Evangelidis and Psarakis (2008), "Parametric image alignment using enhanced correlation coefficient maximization", PAMI 30(10).
    ``found`` and ``wanted`` are L* pictures (h, w) of the sheet.
    """
    ys, xs = np.nonzero(area.core)
    if len(ys) < 100:
        return None
    pad = int(max(np.ptp(xs), np.ptp(ys)) * 0.18 + 4 * GRID)
    box = np.s_[max(0, ys.min() - pad) : ys.max() + pad, max(0, xs.min() - pad) : xs.max() + pad]
    up = max(1.0, _SIDE / max(found[box].shape))
    large = lambda a, how=cv2.INTER_CUBIC: cv2.resize(a.astype(np.float32), None, fx=up, fy=up, interpolation=how)  # noqa: E731
    want, seen = large(wanted[box]), large(found[box])
    mask = large(area.core[box], cv2.INTER_NEAREST).astype(np.uint8)
    wide = int(np.sqrt(mask.sum()) * 0.12) | 1
    mask = cv2.dilate(mask, np.ones((2 * wide + 1,) * 2))
    if float(np.std(want[mask > 0])) < 4.0:  # a flat pale part has nothing to hold on to
        return None
    best: tuple[float, Array] | None = None
    middle = np.array([want.shape[1] / 2, want.shape[0] / 2])
    for turn, times in ((0, 1.0), (0, 1.08), (5, 1.0), (-5, 1.0)):
        c, s = np.cos(np.radians(turn)) * times, np.sin(np.radians(turn)) * times
        a = np.array([[c, -s], [s, c]])
        start = np.hstack([a, (middle - a @ middle)[:, None]]).astype(np.float32)
        try:
            like, way = cv2.findTransformECC(want, seen, start, cv2.MOTION_AFFINE, (3, 60, 1e-5), mask, _FILTER)
        except cv2.error:
            continue
        if best is None or like > best[0]:
            best = (float(like), way)
    if best is None or best[0] < LEAST_ECC:
        return None
    like, way = best
    a = way[:, :2].astype(float)
    u, d, vt = np.linalg.svd(a)
    turn = u @ vt
    times, deg = float(np.sqrt(max(1e-6, np.linalg.det(a)))), float(np.degrees(np.arctan2(turn[1, 0], turn[0, 0])))
    if not 0.8 < times < 1.25 or abs(deg) > MOST_TURN or d[0] / d[1] > MOST_SHEAR:
        return None
    centre = np.array([np.mean(xs) - box[1].start, np.mean(ys) - box[0].start]) * up
    moved = (a @ centre + way[:, 2] - centre) / up / GRID
    return Form(times, -deg, (float(moved[0]), float(moved[1])), float(np.ptp(xs) + 1) / GRID, like)


WINDOW_PX, STRIDE_PX, LEAST_WINDOWS = 32, 16, 3


@dataclass(frozen=True)
class HairRun:
    """How hair runs in an area: mean direction in degrees counter-clockwise from the right (0–180), how much it keeps to it (0–1), how strong it
    shows, and how regular it is: the share of its fine structure that is one wave, as a comb leaves it (0–1); NaN where the area is too narrow.
    """

    direction_deg: float
    order: float
    strength: float
    regular: float


def hair_of(lab_l: Array, mask: np.ndarray) -> HairRun:
    """Direction of the lines in a part of an L* picture (h, w), by the structure tensor, and their regularity, by windows of the power spectrum.

    Source: Bigün and Granlund (1987), "Optimal orientation detection of linear symmetry".
    """
    ys, xs = np.nonzero(mask)
    box = np.s_[ys.min() : ys.max() + 1, xs.min() : xs.max() + 1]
    part, inside = lab_l[box].astype(np.float32), mask[box]
    fine = cv2.GaussianBlur(part, (0, 0), 0.25 * GRID) - cv2.GaussianBlur(part, (0, 0), 1.2 * GRID)
    gx, gy = cv2.Sobel(fine, cv2.CV_32F, 1, 0), cv2.Sobel(fine, cv2.CV_32F, 0, 1)
    soft = lambda a: cv2.GaussianBlur(a, (0, 0), 1.0 * GRID)  # noqa: E731
    xx, yy, xy = soft(gx * gx), soft(gy * gy), soft(gx * gy)
    double = (xx - yy + 2j * xy)[inside]  # the gradient's angle, doubled
    mean = double.sum() / max(1e-9, float(np.abs(double).sum()))
    across = np.degrees(np.angle(mean)) / 2
    return HairRun(
        float((90 - across) % 180), float(abs(mean)), float(np.sqrt(np.median((xx + yy)[inside]))), _regular(part - soft(part), inside)
    )


def _regular(fine: Array, inside: np.ndarray) -> float:
    """Median over windows of the share of power that lies in one wave between .8 and 4 mm."""
    hann = np.outer(np.hanning(WINDOW_PX), np.hanning(WINDOW_PX)).astype(np.float32)
    f = np.fft.fftfreq(WINDOW_PX) * GRID  # cycles a millimetre
    radius = np.hypot(f[:, None], f[None])
    band = (radius > 1 / 4.0) & (radius < 1 / 0.8)
    shares = []
    for y in range(0, fine.shape[0] - WINDOW_PX + 1, STRIDE_PX):
        for x in range(0, fine.shape[1] - WINDOW_PX + 1, STRIDE_PX):
            if inside[y : y + WINDOW_PX, x : x + WINDOW_PX].mean() < 0.9:
                continue
            power = np.abs(np.fft.fft2(fine[y : y + WINDOW_PX, x : x + WINDOW_PX] * hann)) ** 2 * band
            j, i = np.unravel_index(int(np.argmax(power)), power.shape)
            near = [(j + dy, i + dx) for dy in (-1, 0, 1) for dx in (-1, 0, 1)]
            one = sum(float(power[a % WINDOW_PX, b % WINDOW_PX]) for a, b in near)
            shares.append(2 * one / max(1e-9, float(power.sum())))
    return float(np.median(shares)) if len(shares) >= LEAST_WINDOWS else float("nan")
