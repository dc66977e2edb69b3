"""The camera's tone curve, read from the check strip alone with a prior over curves.

ln lin = ln d(e) + w_c(e) − light, with e the encoded value 0–1, d the sRGB decoding and w_c a natural cubic spline a channel. Bare paper never
teaches the curve: fitted on all data, a lamp's fall-off or a hand's shadow is explained as a tone curve (measured: over 10 ΔE00 in a third of
photos). Each patch is taken against its own white gutters, so that the strip's light needs no model either.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
import scipy

from hanabira.core.colour.spaces import XYZ_TO_RGB, Array, chroma, lab_to_xyz, srgb_to_linear
from hanabira.core.progress.strip import SIZE_MM, WHITE_LAB, FoundStrip, Patch, gutter, patch_pixels

KNOTS = np.array([0, 0.05, 0.10, 0.17, 0.27, 0.41, 0.58, 0.78, 1.0])


@cache
def _spline() -> Any:
    return scipy.interpolate.CubicSpline(KNOTS, np.eye(len(KNOTS)), bc_type="natural")


_DARKEST = 3e-4
BURNT = 0.975
"""Encoded white above which a gutter says nothing any more."""
_STUDENT = 4.0


def basis(e: Array) -> Array:
    """Values of the spline's basis (n, 9) at encoded values (n,)."""
    return np.asarray(_spline()(np.clip(e, 0, 1)))


def log_decoded(e: Array) -> Array:
    """ln of sRGB-decoded values, kept off the bottom."""
    return np.log(np.maximum(srgb_to_linear(np.asarray(e, float)), _DARKEST))


def linear_of(lab: Array) -> Array:
    """Linear sRGB of Lab (…, 3), kept just above 0."""
    return np.clip(lab_to_xyz(lab) @ XYZ_TO_RGB.T, 1e-4, 1.2)


@cache
def _prior() -> tuple[Array, Array, Array]:
    """Mean (9,) of w at the knots, covariance shared by the channels, and covariance between them.

    1500 curves of a broad family: a power, a logistic contrast, a veil that lifts the darks, a hyperbolic shoulder.
    """
    rng = np.random.default_rng(11)
    u = np.linspace(0, 1, 2001)

    def curve(power: float, contrast: float, middle: float, veil: float, shoulder: float) -> Array:
        v = u**power
        if abs(contrast) > 0.05:
            s = lambda t: 1 / (1 + np.exp(-contrast * (t - middle)))  # noqa: E731
            v = (s(v) - s(0.0)) / (s(1.0) - s(0.0))
        v = v * (1 + shoulder) / (1 + shoulder * v)
        return np.asarray(veil + (1 - veil) * v)

    def w_of(v: Array) -> Array:
        before = np.interp(KNOTS, v, u)
        return np.log(np.maximum(srgb_to_linear(before), 1.2e-3)) - np.log(np.maximum(srgb_to_linear(KNOTS), 1.2e-3))

    shared, apart = [], []
    for _ in range(1500):
        q = np.array([
            np.exp(rng.normal(0, 0.16)), rng.choice([0, rng.uniform(0.5, 5)]), rng.uniform(0.35, 0.65), rng.choice([0, rng.uniform(0, 0.12)]),
            rng.choice([0, rng.uniform(0, 1.0)]),
        ])  # fmt: skip
        near = q * np.array([np.exp(rng.normal(0, 0.025)), 1 + rng.normal(0, 0.04), 1, 1 + rng.normal(0, 0.06), 1 + rng.normal(0, 0.05)])
        top = rng.uniform(0.95, 1)
        first = w_of(curve(*q) * top)
        shared.append(first)
        apart.append(w_of(curve(*near) * top) - first)
    more = np.diag(0.03 + 0.25 * np.exp(-KNOTS / 0.05)) ** 2
    return np.mean(shared, 0), np.cov(np.array(shared).T) + more, np.cov(np.array(apart).T) / 2 + more * 0.25


@dataclass(frozen=True)
class PatchSeen:
    """A patch in the photo: what is known of it, its encoded value (3,), that of its white (3,) or None where it is burnt out, and its place along the strip −1…1."""

    patch: Patch
    value: Array
    white: Array | None
    along: float


def patches_seen(photo: np.ndarray, strip: FoundStrip, patches: Sequence[Patch]) -> tuple[tuple[PatchSeen, ...], bool]:
    """The patches as they stand in a photo, and whether the strip's white is burnt out somewhere. A burnt patch is left out."""
    out, burnt = [], False
    for p in patches:
        value, white = np.median(patch_pixels(photo, strip, p.rect), 0), gutter(photo, strip, p.rect)
        here = float(white.max()) > BURNT
        burnt |= here
        if here and value.max() > 0.97:
            continue
        out.append(PatchSeen(p, value, None if here else white, (p.rect[0] + p.rect[2] / 2 - SIZE_MM[0] / 2) / 60))
    return tuple(out), burnt


@dataclass(frozen=True)
class ToneCurve:
    """``w`` (3, 9) at the knots, the strip's paper ``white`` (3,) as ln linear, ``light`` (3, 2) along the strip where its white is burnt, and the
    covariance (27, 27) of w."""

    w: Array
    white: Array
    light: Array
    covariance: Array
    known: bool
    """Whether a strip told it; else it is the mean of all curves with their whole spread."""

    def log_linear(self, e: Array) -> Array:
        """ln of linear light, before the light is taken out, of encoded values (n, 3)."""
        return np.stack([log_decoded(e[:, c]) + basis(e[:, c]) @ self.w[c] for c in range(3)], 1)

    def of_patch(self, s: PatchSeen) -> Array:
        """Linear colour (3,) of a patch as the curve has it."""
        here = self.log_linear(s.value[None])[0]
        if s.white is None:
            return np.asarray(np.exp(here - self.light[:, 0] - self.light[:, 1] * s.along))
        return np.asarray(np.exp(here - self.log_linear(s.white[None])[0] + self.white))


def unknown_curve() -> ToneCurve:
    """What is known of a camera without a strip: that it may be any. It is taken as it says it is, sRGB."""
    _mean, shared, apart = _prior()
    return ToneCurve(np.zeros((3, len(KNOTS))), np.log(linear_of(np.array(WHITE_LAB))), np.zeros((3, 2)), _both(shared, apart), False)


def _both(shared: Array, apart: Array) -> Array:
    return np.asarray(np.kron(np.ones((3, 3)), shared) + np.kron(np.eye(3), apart))


def fit_curve(seen: Sequence[PatchSeen]) -> ToneCurve:
    """The curve from what is seen of a strip: linear least squares with the prior, ten rounds of Student weights.

    The covariance grows with the residuals where they are larger than foretold.
    """
    mean, shared, apart = _prior()
    k = len(KNOTS)
    n = 3 * k + 9
    start, spread = np.zeros(n), np.zeros((n, n))
    start[: 3 * k], spread[: 3 * k, : 3 * k] = np.tile(mean, 3), _both(shared, apart)
    start[3 * k : 3 * k + 3] = np.log(linear_of(np.array(WHITE_LAB)))
    spread[3 * k : 3 * k + 3, 3 * k : 3 * k + 3] = 0.035**2 * np.ones((3, 3)) + 0.015**2 * np.eye(3)
    spread[3 * k + 3 :, 3 * k + 3 :] = np.diag([1.0, 1, 1, 0.15**2, 0.15**2, 0.15**2])
    rows, wanted, sds = [], [], []
    for s in seen:
        for c in range(3):
            row = np.zeros(n)
            row[c * k : (c + 1) * k] = basis(s.value[c : c + 1])[0]
            told = np.log(linear_of(s.patch.lab))[c] - log_decoded(s.value[c])
            sd = _sd(s, c)
            if s.white is None:
                row[3 * k + 3 + c], row[3 * k + 6 + c], sd = -1, -s.along, np.hypot(sd, 0.03)
            else:
                row[c * k : (c + 1) * k] -= basis(s.white[c : c + 1])[0]
                row[3 * k + c] = 1
                told += log_decoded(s.white[c])
            rows.append(row)
            wanted.append(told)
            sds.append(sd)
    a, b, sd_all = np.array(rows), np.array(wanted), np.array(sds)
    prior = np.linalg.inv(spread + 1e-8 * np.eye(n))
    weight, y = np.ones(len(b)), start
    for _ in range(10):
        normal = (a * (weight / sd_all**2)[:, None]).T @ a + prior
        y = np.linalg.solve(normal, a.T @ (weight * b / sd_all**2) + prior @ start)
        weight = (_STUDENT + 1) / (_STUDENT + ((a @ y - b) / sd_all) ** 2)
    chi = float(np.mean(weight * ((a @ y - b) / sd_all) ** 2))
    covariance = np.linalg.inv(normal) * max(1.0, chi)
    light = np.stack([y[3 * k + 3 : 3 * k + 6], y[3 * k + 6 :]], 1)
    return ToneCurve(y[: 3 * k].reshape(3, k), y[3 * k : 3 * k + 3], light, covariance[: 3 * k, : 3 * k], True)


def _sd(s: PatchSeen, c: int) -> float:
    """What ln of a patch's linear value may be off by: its colour as known, and the noise of the reading."""
    lab = s.patch.lab
    lighter = np.log(linear_of(lab + np.array([s.patch.sd_l, 0, 0])) / linear_of(lab))
    linear = linear_of(lab)
    if s.patch.printed:
        own = np.hypot(abs(lighter[c]), np.hypot(0.012, 0.01))
    else:
        own = np.hypot(abs(lighter[c]), 0.02 + 0.003 * float(chroma(lab))) + 0.03 * abs(linear.mean() - linear[c]) / linear[c]
    e = float(s.value[c])
    noise = 0.004 * abs(float(log_decoded(np.array(e + 0.002)) - log_decoded(np.array(e - 0.002)))) / 0.004
    return float(np.hypot(own, noise))
