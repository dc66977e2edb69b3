"""Whether an area shows hair that can be followed, or an eye, a nose or bare leather that only looks like it: three small nets over 29 numbers.

Numbers, weights and figures: docs/methods/hair.md. On drawn material the gate is perfect, which says little; on photographs kept aside it claimed
hair on none of 36 eyes and 3 of 21 noses, and declined 5 of 55 clear furs.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.area.hair import HairField, axial_mean, direction_field, texture_of
from hanabira.core.colour.spaces import Array

SIDE = 150
CLAIM, LEAST_SURE, LEAST_COHERENCE = 0.6, 0.12, 0.24
"""Probability, share of sure cells and mean coherence from which a direction is claimed."""
READ_SIDE, MOST_GROWN = 72, 6.0
"""An area narrower than this (pixels) is enlarged to it, so many times at most: the nets and the direction field look for hairs a few pixels wide."""
LEAST_RESULTANT = 0.6
"""How much of one mind (0–1) the directions of an enlarged area must be. Of 46 boxes with hair on real photographs, half of them narrower than 40 pixels, 45 are
within 10° beyond their labeller's doubt then; of 28 eyes none and of 12 noses none is claimed."""
CLIP = 3.0


RESULTANT = 3
"""Where the resultant stands among the 29 numbers."""


@dataclass(frozen=True)
class HairGate:
    """Weights of three nets: ``m0_`` … ``m2_`` with mu, sd, W1, b1, w2, b2."""

    weights: Mapping[str, np.ndarray]

    def probability(self, x: Array) -> float:
        """How likely it is hair that can be followed, 0–1."""
        out = 0.0
        for n in range(3):
            w = {k: self.weights[f"m{n}_{k}"] for k in ("mu", "sd", "W1", "b1", "w2", "b2")}
            z = np.clip((x - w["mu"]) / w["sd"], -CLIP, CLIP)
            out += float(1 / (1 + np.exp(-(np.tanh(z @ w["W1"] + w["b1"]) @ w["w2"] + w["b2"])))) / 3
        return out


@dataclass(frozen=True)
class HairVerdict:
    """Whether hair is claimed, with what the answer rests on."""

    claimed: bool
    probability: float
    sure: float
    coherence: float
    resultant: float = 1.0
    """How much the sure directions are of one mind, 0–1."""


def judge(gate: HairGate, lightness: Array, mask: np.ndarray) -> HairVerdict:
    """The verdict on a region's L* (h, w)."""
    x, field = gate_features(lightness, mask)
    p, sure, coherence = gate.probability(x), float(field.sure.mean()), float(field.coherence.mean())
    return HairVerdict(p > CLAIM and sure >= LEAST_SURE and coherence >= LEAST_COHERENCE, p, sure, coherence, float(x[RESULTANT]))


def enlarged(lightness: Array, mask: np.ndarray) -> tuple[Array, np.ndarray, float]:
    """L* and mask at a size at which hair can be read, and how many times they were enlarged."""
    k = min(MOST_GROWN, READ_SIDE / min(mask.shape))
    if k <= 1:
        return lightness, mask, 1.0
    size = round(mask.shape[1] * k), round(mask.shape[0] * k)
    return (
        cv2.resize(lightness.astype(np.float32), size, interpolation=cv2.INTER_CUBIC),
        cv2.resize(mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0,
        k,
    )


def gate_features(lightness: Array, mask: np.ndarray) -> tuple[Array, HairField]:
    """The 29 numbers of a region and the direction field they rest on."""
    k = min(1.0, SIDE / max(mask.shape))
    lightness = lightness.astype(np.float32)
    if k < 1:
        lightness = cv2.resize(lightness, None, fx=k, fy=k, interpolation=cv2.INTER_AREA)
        mask = cv2.resize(mask.astype(np.uint8), lightness.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0
    if not mask.any():
        mask = np.ones_like(mask)
    h, w = lightness.shape
    field, g = direction_field(lightness, mask), lightness / 100
    texture, coherence, sure = texture_of(lightness, mask), field.coherence, field.sure
    direction, resultant = axial_mean(field.direction_deg, np.where(sure, coherence, 0) + 1e-6)
    b1, b2, b4, b8 = (cv2.GaussianBlur(g, (0, 0), q) for q in (1, 2, 4, 8))
    whole = float(g[mask].var()) + 1e-5
    scales = [float((a - b)[mask].var()) for a, b in ((b1, b2), (b2, b4), (b4, b8))]
    tiles = _tiles(b1, mask)
    rows, columns = coherence.shape
    yy, xx = np.mgrid[0:rows, 0:columns]
    round_ = np.degrees(np.arctan2(-(yy - (rows - 1) / 2) / max(rows, 1), (xx - (columns - 1) / 2) / max(columns, 1))) + 90
    tangential = float((np.cos(2 * np.radians(field.direction_deg - round_)) * coherence).sum() / (coherence.sum() + 1e-9))
    y, x = np.mgrid[0:h, 0:w]
    rho = np.hypot((y - h / 2) / (h / 2), (x - w / 2) / (w / 2))
    centre, rim = mask & (rho < 0.45), mask & (rho > 0.85)
    middle = float((np.median(lightness[centre]) - np.median(lightness[rim])) / 30) if centre.any() and rim.any() else 0.0
    turn = cv2.getRotationMatrix2D((w / 2, h / 2), -direction, 1.0)
    along = cv2.warpAffine(b1 - b4, turn, (w, h), borderMode=cv2.BORDER_REFLECT)
    along = along[h // 6 : -(h // 6) or None, w // 6 : -(w // 6) or None]
    sign = np.sign(along)
    zx, zy = (float(np.mean(np.abs(np.diff(sign, axis=a)) > 0)) for a in (1, 0))
    dark = float((lightness[mask] < 18).mean())
    light = float(((lightness - np.median(lightness[mask]))[mask] > 35).mean())
    numbers = [
        float(sure.mean()), float(coherence.mean()), float(np.percentile(coherence, 20)), resultant, texture.middle, texture.share,
        np.log(texture.peaked + 1), *(np.log(v / whole + 1e-4) for v in scales), np.log(whole), *tiles, tangential, middle, abs(middle), zx, zy,
        np.log((zy + 0.01) / (zx + 0.01)), _lag(along, 4, 12), _lag(along, 8, 18), dark, light, np.log(min(h, w) / 60),
    ]  # fmt: skip
    return np.array(numbers, np.float32), field


def _tiles(soft: Array, mask: np.ndarray) -> list[float]:
    """Anisotropy of tiles a fifth of the area wide, weighted by energy and by pixels, how well they agree, and how energy is spread."""
    h, w = soft.shape
    gx, gy = cv2.Scharr(soft, cv2.CV_32F, 1, 0), cv2.Scharr(soft, cv2.CV_32F, 0, 1)
    real, imaginary, energy = gx * gx - gy * gy, 2 * gx * gy, gx * gx + gy * gy
    side = max(8, min(h, w) // 5)
    size = max(2, w // side), max(2, h // side)

    def pooled(a: Array) -> Array:
        return np.asarray(cv2.resize(cv2.blur(a, (side, side)), size, interpolation=cv2.INTER_AREA))

    r, i, e = pooled(real), pooled(imaginary), pooled(energy)
    by_energy, spread = np.hypot(r, i) / (e + 1e-9), e / (e.mean() + 1e-9)
    vote = energy + 0.5 * np.median(energy[mask]) + 1e-9
    r1, i1 = pooled(real / vote), pooled(imaginary / vote)
    by_pixel, z = np.hypot(r1, i1), r1 + 1j * i1
    agree = float(abs(z.mean()) / (np.abs(z).mean() + 1e-9))
    return [
        float(by_energy.mean()), float(np.percentile(by_energy, 25)), float(by_pixel.mean()), float(np.percentile(by_pixel, 25)), agree,
        float(spread.std()), float(np.percentile(spread, 20)),
    ]  # fmt: skip


def _lag(detail: Array, lag: int, least: int) -> float:
    """Autocorrelation along less that across, at a lag in pixels; 0 where the detail is too small."""
    if min(detail.shape) <= least:
        return 0.0
    across, along = detail[lag:] * detail[:-lag], detail[:, lag:] * detail[:, :-lag]
    return float((along.mean() - across.mean()) / (detail.var() + 1e-9))
