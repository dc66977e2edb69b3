"""The light on the sheet, taken out by its bare paper with the tone curve fixed, and how sure each colour is afterwards."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import RGB_TO_XYZ, Array, xyz_to_lab
from hanabira.core.progress.find import Refused
from hanabira.core.progress.sheet_map import GRID
from hanabira.core.progress.tone import PatchSeen, ToneCurve, basis, linear_of

BURNT_PAPER = 0.985
_BLOCK_MM, _DEGREE = 3.0, 3
_POWERS = tuple((i, j) for i in range(_DEGREE + 1) for j in range(_DEGREE + 1 - i))
LOCAL_MM = 8.0
SIGMA_TIMES = 1.0
"""What the foretold spread of a colour is multiplied by (`benchmarks.checks` tells the share of readings within two of it)."""
_SELDOM = 900


def surface(u: Array, v: Array) -> Array:
    """Monomials (n, 10) up to the third degree of places −1…1 on the sheet."""
    return np.stack([u**i * v**j for i, j in _POWERS], -1)


@dataclass(frozen=True)
class Colouring:
    """What turns a straightened photo into true colours: curve, light (3, 10) over the sheet, a matrix (3, 3) near identity.

    ``covariance`` (57, 57) is of curve and light by channel; ``paper_sd`` what the bare paper still scatters (ln); ``brighter`` is by how much
    (encoded) the paper is brighter than any white of the strip, where the curve is only guessed on.
    """

    size: tuple[float, float]
    curve: ToneCurve
    light: Array
    matrix: Array
    covariance: Array
    paper_sd: float
    brighter: float = 0.0

    def linear(self, flat: Array) -> Array:
        """Linear colour (h, w, 3) of a straightened photo of encoded values."""
        h, w = flat.shape[:2]
        gx, gy = ((np.arange(0, n + 16, 16) + 0.5) / n * 2 - 1 for n in (w, h))
        uu, vv = np.meshgrid(gx, gy)
        parts = surface(uu.ravel(), vv.ravel())
        iy, ix = np.mgrid[0:h, 0:w].astype(np.float32) / 16
        e = np.linspace(0, 1, 1024)
        told = self.curve.log_linear(np.repeat(e[:, None], 3, 1))
        out = np.empty_like(flat)
        for c in range(3):
            light = (parts @ self.light[c]).reshape(uu.shape).astype(np.float32)
            out[..., c] = np.exp(np.interp(flat[..., c], e, told[:, c]) - cv2.remap(light, ix, iy, cv2.INTER_LINEAR))
        return np.clip(out @ self.matrix.T.astype(np.float32), 0, 1.3)

    def sigma(self, e: Array, mm: Array, lab: Array) -> Array:
        """Standard deviation of L*, a*, b* (3,) of a colour with the encoded value (3,) at a place (2,) of the sheet."""
        k, n = self.curve.w.shape[1], self.light.shape[1]
        parts = surface(np.array([mm[0] / self.size[0] * 2 - 1]), np.array([mm[1] / self.size[1] * 2 - 1]))[0]
        j = np.zeros((3, 3 * (k + n)))
        for c in range(3):
            o = c * (k + n)
            j[c, o : o + k] = basis(e[c : c + 1])[0]
            j[c, o + k : o + k + n] = -parts
        known = j @ self.covariance @ j.T + np.eye(3) * 0.012**2
        if self.brighter > 0:
            known += np.eye(3) * (0.25 * self.brighter) ** 2
        linear = linear_of(lab)
        d = np.stack([(_lab(linear * np.where(np.arange(3) == c, 1.01, 1.0)) - _lab(linear)) / 0.01 for c in range(3)], 1)
        strength = float(np.hypot(lab[1], lab[2]))
        own = np.array([0.35, np.hypot(0.4, 0.015 * strength), np.hypot(0.4, 0.015 * strength)])
        return np.asarray(SIGMA_TIMES * np.sqrt(np.diag(d @ known @ d.T) + own**2))


def _lab(linear: Array) -> Array:
    return np.asarray(xyz_to_lab(linear @ RGB_TO_XYZ.T))


def lab_of(linear: Array) -> Array:
    """Lab (h, w, 3) float32 of a linear picture."""
    return xyz_to_lab(np.clip(linear, 0, 1.2).astype(np.float32) @ RGB_TO_XYZ.T.astype(np.float32)).astype(np.float32)


def bare_blocks(flat: Array, bare: np.ndarray) -> tuple[Array, Array]:
    """Encoded values (n, 3) of blocks of bare paper and their places (n, 2) in mm.

    Raises `Refused` where there is too little paper, or where it is burnt out.
    """
    k = int(_BLOCK_MM * GRID)
    h, w = flat.shape[0] // k * k, flat.shape[1] // k * k
    tiles = flat[:h, :w].reshape(h // k, k, w // k, k, 3).swapaxes(1, 2).reshape(-1, k * k, 3)
    open_ = bare[:h, :w].reshape(h // k, k, w // k, k).swapaxes(1, 2).reshape(-1, k * k)
    rows, columns = np.divmod(np.arange(len(tiles)), w // k)
    use = open_.mean(1) > 0.55
    values = np.array([np.median(t[m], 0) for t, m in zip(tiles[use], open_[use], strict=True)]).reshape(-1, 3)
    places = np.stack([(columns[use] + 0.5) * k / GRID, (rows[use] + 0.5) * k / GRID], 1)
    if len(values) < 25:
        raise Refused("no_paper")
    burnt = values.max(1) >= BURNT_PAPER
    if burnt.mean() > 0.4 or (~burnt).sum() < 25:
        raise Refused("burnt")
    return values[~burnt], places[~burnt]


def fit_light(
    curve: ToneCurve, values: Array, places: Array, size: tuple[float, float], paper_lab: Array, seen: Sequence[PatchSeen] = ()
) -> Colouring:
    """The light from blocks of bare paper with the curve fixed: a log-cubic surface a channel, shadows (below it) trusted less than scatter above.

    The matrix comes from the strip's patches and the paper; without a strip it is the identity.
    """
    some = np.random.default_rng(0).permutation(len(values))[:_SELDOM]
    p, at = values[some], places[some]
    parts = surface(at[:, 0] / size[0] * 2 - 1, at[:, 1] / size[1] * 2 - 1)
    ridge = np.diag([0.6 if i + j >= 3 else 0.1 if i + j == 2 else 1e-4 for i, j in _POWERS])
    paper, told = np.log(linear_of(paper_lab)), curve.log_linear(p)
    k, n = curve.w.shape[1], len(_POWERS)
    light, covariance, scatter = np.zeros((3, n)), np.zeros((3 * (k + n), 3 * (k + n))), 0.0
    at_curve = np.concatenate([np.arange(k) + c * (k + n) for c in range(3)])
    covariance[np.ix_(at_curve, at_curve)] = curve.covariance
    for c in range(3):
        y, weight = told[:, c] - paper[c], np.ones(len(p))
        for _ in range(12):
            normal = (parts * weight[:, None]).T @ parts + ridge
            gain = np.linalg.solve(normal, (parts * weight[:, None]).T)
            light[c] = gain @ y
            miss = y - parts @ light[c]
            sd = 1.48 * float(np.median(np.abs(miss))) + 0.004
            weight = np.where(miss < 0, 1 / (1 + (miss / (1.5 * sd)) ** 2) ** 1.5, 1 / (1 + (miss / (3 * sd)) ** 2))
        # what the curve is off by, the light is off by as well, where the paper is
        carried = gain @ basis(p[:, c])
        mine, here = c * (k + n) + np.arange(k), c * (k + n) + k + np.arange(n)
        covariance[here] += carried @ covariance[mine]
        covariance[:, here] = covariance[here].T
        covariance[np.ix_(here, here)] = np.linalg.inv(normal) * sd**2 * 4 + carried @ covariance[np.ix_(mine, mine)] @ carried.T
        scatter = max(scatter, sd)
    whites = [s.white for s in seen if s.white is not None]
    brighter = max(0.0, float(np.percentile(values, 95) - np.max(whites))) if whites else 0.0
    return Colouring(size, curve, light, _matrix(curve, seen, paper_lab), covariance, scatter, brighter)


def _matrix(curve: ToneCurve, seen: Sequence[PatchSeen], paper_lab: Array) -> Array:
    """A matrix near identity whose rows sum to 1: what the camera mixes between its channels."""
    if not seen:
        return np.eye(3)
    got = [curve.of_patch(s) for s in seen] + [linear_of(paper_lab)]
    true = [linear_of(s.patch.lab) for s in seen] + [linear_of(paper_lab)]
    weight = np.array([0.7 if s.patch.printed else 1.0 for s in seen] + [5.0]) / 0.06
    size = np.array([t.mean() + 0.02 for t in true])
    g, t = np.array(got) / size[:, None], np.array(true) / size[:, None]
    out = np.zeros((3, 3))
    for c in range(3):
        others = [q for q in range(3) if q != c]
        a = np.stack([g[:, q] - g[:, c] for q in others], 1) * weight[:, None]
        y = (t[:, c] - g[:, c]) * weight
        d = np.linalg.lstsq(np.vstack([a, np.eye(2) / 0.035]), np.r_[y, 0, 0], rcond=None)[0]
        out[c, others], out[c, c] = d, 1 - d.sum()
    return out


def local_light(linear: Array, bare: np.ndarray, paper_lab: Array) -> tuple[Array, Array]:
    """What bare paper near by still shows of the light: ln (h, w, 3), and how much paper stands behind it (h, w) 0–1.

    Normalised convolution with a Gaussian: it finds the shadow of a hand beside drawn areas.
    """
    k = 6
    h, w = linear.shape[:2]
    off = np.log(np.clip(linear, 1e-3, None) / linear_of(paper_lab)).astype(np.float32)
    small = lambda a: cv2.resize(a.astype(np.float32), None, fx=1 / k, fy=1 / k, interpolation=cv2.INTER_AREA)  # noqa: E731
    sd = LOCAL_MM * GRID / k
    known = cv2.GaussianBlur(small(bare), (0, 0), sd)
    sums = cv2.GaussianBlur(small(off * bare[..., None]), (0, 0), sd)
    return cv2.resize(sums / (known + 0.05)[..., None], (w, h)), cv2.resize(known / (known + 0.05), (w, h))
