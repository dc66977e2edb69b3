"""The circle of an iris near two clicks: first by what its colours are, then by its rim.

A photo's iris rarely ends in one step all round: lids cut it, lashes shade it, a catchlight lies on its rim. So each pixel is first weighed by how much likelier
its colour is inside the eye than round it (histograms of both, as in region competition, Zhu and Yuille 1996), and the circle that gathers most of this weight is
taken; the steepest mean step across it (Daugman 1993) only sets it right by a little. Figures: docs/methods/eyes_and_noses.md.
"""

from __future__ import annotations

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array

BINS, SOFT, FLOOR = 14, (0.25, 0.5, 0.25), 2e-5
"""Steps of each axis of Lab in the histograms, how a step shares with its neighbours, and what an unseen colour counts."""
INSIDE, ROUND = 0.75, (1.15, 1.6)
"""What is surely eye ends about here, and what surely lies round it begins and ends so (radii)."""
MOST_SAID = 1.0
"""No pixel weighs more than this (natural logarithm)."""
AGAIN = 4
"""Rounds: a better circle gives better histograms."""
STEP = 3
"""Every so many pixels of the frame are weighed."""
RADII, SHIFT = (0.76, 1.26), 0.24
"""How far (radii) the circle may be from the clicked one."""
SLIP, SCATTER, TRUST = 0.14, 0.13, 0.2
"""A hand's slip of the middle and of the rim (radii, standard deviations), and what a click counts beside the colours."""
FINE, FINE_RADIUS, FINE_SLIP, FINE_SCATTER = 0.06, 0.10, 0.06, 0.08
"""The same for setting it right by its rim."""
LID = 0.35
"""Lids hide the top, so that its arc counts a third."""


def fit_circle(lab: Array, half: int, radius: float) -> tuple[float, float, float]:
    """Middle and radius (pixels) of the iris in a frame (n, n, 3) of Lab; it was clicked in the middle of the frame with this radius."""
    cx, cy, r = float(half), float(half), float(radius)
    for _ in range(AGAIN):
        cx, cy, r = _gathered(_said(lab, cx, cy, r), half, radius)
    return _at_the_rim(np.ascontiguousarray(lab[..., 0]), cx, cy, r, radius)


def _said(lab: Array, cx: float, cy: float, r: float) -> Array:
    """How much likelier each pixel is eye than surroundings (log ratio), by the histograms of what both surely are."""
    yy, xx = np.mgrid[: lab.shape[0], : lab.shape[1]].astype(np.float32)
    rho = np.hypot(xx - cx, yy - cy) / r
    cell = np.clip(np.stack([lab[..., 0] / 100, (lab[..., 1] + 40) / 80, (lab[..., 2] + 40) / 80], -1) * BINS, 0, BINS - 1).astype(int)
    flat = (cell[..., 0] * BINS + cell[..., 1]) * BINS + cell[..., 2]
    inner, outer = np.exp(-((rho / INSIDE) ** 4)), ((rho > ROUND[0]) & (rho < ROUND[1])).astype(float)
    ratio = _log_share(flat, inner) - _log_share(flat, outer)
    return cv2.GaussianBlur(np.clip(ratio, -MOST_SAID, MOST_SAID).astype(np.float32), (0, 0), 2.0)


def _log_share(flat: np.ndarray, weight: Array) -> Array:
    h = np.bincount(flat.ravel(), weight.ravel(), BINS**3).reshape(BINS, BINS, BINS)
    for axis in range(3):
        h = np.sum([np.roll(h, s, axis) * g for s, g in zip((-1, 0, 1), SOFT, strict=True)], 0)
    return np.asarray(np.log(h / h.sum() + FLOOR).ravel()[flat])


def _gathered(said: Array, half: int, radius: float) -> tuple[float, float, float]:
    """The circle over which the pixels say most, with the clicks' own weight."""
    small = np.ascontiguousarray(said[::STEP, ::STEP])
    reach, middle = round(SHIFT * radius / STEP), half / STEP
    at = round(middle)
    shifts = (np.arange(-reach, reach + 1) + at - middle) * STEP / radius
    slip = (shifts[None] ** 2 + shifts[:, None] ** 2) / SLIP**2
    best = (-np.inf, float(half), float(half), radius)
    for k in np.arange(RADII[0], RADII[1] + 1e-6, 0.04):
        r = k * radius / STEP
        n = int(np.ceil(r))
        y, x = np.mgrid[-n : n + 1, -n : n + 1]
        disc = (x * x + y * y < r * r).astype(np.float32)
        whole = cv2.filter2D(small, cv2.CV_32F, disc, borderType=cv2.BORDER_REPLICATE)[at - reach : at + reach + 1, at - reach : at + reach + 1]
        score = whole / (np.pi * (radius / STEP) ** 2) - TRUST * 0.5 * (slip + ((k - 1) / SCATTER) ** 2)
        j, i = np.unravel_index(int(score.argmax()), score.shape)
        if score[j, i] > best[0]:
            best = (float(score[j, i]), half + shifts[i] * radius, half + shifts[j] * radius, float(k * radius))
    return best[1], best[2], best[3]


def _at_the_rim(lightness: Array, cx: float, cy: float, r: float, radius: float) -> tuple[float, float, float]:
    """The same circle set right by the steepest step of mean L* across it."""
    theta = np.radians(np.arange(0, 360, 3))
    weight = np.where((np.degrees(theta) > 50) & (np.degrees(theta) < 130), LID, 1.0)
    radii = r * np.arange(1 - FINE_RADIUS - 0.02, 1 + FINE_RADIUS + 0.021, 0.02)
    prior = np.exp(-0.5 * ((radii[1:-1] / r - 1) / FINE_SCATTER) ** 2)
    best = (-1.0, cx, cy, r)
    for dx in np.linspace(-FINE, FINE, 7) * radius:
        for dy in np.linspace(-FINE, FINE, 7) * radius:
            x = (cx + dx + np.outer(radii, np.cos(theta))).astype(np.float32)
            y = (cy + dy - np.outer(radii, np.sin(theta))).astype(np.float32)
            ring = cv2.remap(lightness, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
            # a step must run one way round most of the rim: the mean of steps, not of their sizes
            step = np.abs(((ring[2:] - ring[:-2]) * weight).sum(1) / weight.sum()) * prior
            k = int(step.argmax())
            got = float(step[k]) * float(np.exp(-0.5 * (np.hypot(dx, dy) / (FINE_SLIP * radius)) ** 2))
            if got > best[0]:
                best = (got, float(cx + dx), float(cy + dy), float(radii[1 + k]))
    return best[1], best[2], best[3]
