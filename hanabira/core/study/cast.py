"""A cast suspected unasked: five clues to the colour of the light, weighed by a ridge regression that was trained on rendered scenes, and what they agree on.

The clues: pixels whose fine contrast is equal in the three channels (grey fur under any light), the densest cluster near the line of daylights,
unclipped highlights, the grey edge (van de Weijer et al. 2007) and shades of grey (Finlayson and Trezzi 2004). Method, weights and figures:
docs/methods/light.md.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import RGB_TO_XYZ, Array, srgb_to_linear

SIDE, SMALL = 500, 160
SUSPECT_DEG, LIKELY_DEG = 8.0, 9.0
"""Angle between the light and neutral from which a cast is told (about 9 ΔE on a white), and from which it is called likely."""
SURE_ABOVE, SURE_BELOW = 0.75, 0.65
"""How often such suspicions were right on rendered scenes: above and below the second angle."""
CLIP = 3.5
AGREED = 0.5
"""Weight of what the clues agree on beside the regression. Planted on 19 photographs without a cast, the error left fell from 7.6 to 3.7° for a strong lamp, from
6.8 to 4.7° for foliage, from 4.9 to 3.1° for a mild lamp; shade 5.3 and 5.2°, untouched 3.7 and 3.1°, suspicions of untouched ones 1 and 1."""
LEAST_QUALITY, OWN_SPREAD, ALONE = 0.05, 0.15, 0.2
"""The least that a clue counts, the spread that every clue has, and how far (log) one must lie from the others to be alone."""
DAYLIGHT = 0.62
"""log R/G falls by this for each log B/G along the line of daylights."""
CLUES = ("grey", "low", "spec", "edge", "shades")
_LINEAR = srgb_to_linear(np.arange(256) / 255).astype(np.float32)

Clue = tuple[Array, float, float]
"""log R/G and log B/G, quality, spread."""


@dataclass(frozen=True)
class CastModel:
    """Ridge regression: means and spreads of 66 inputs, weights (67, 2)."""

    mu: np.ndarray
    sd: np.ndarray
    weights: np.ndarray


@dataclass(frozen=True)
class Cast:
    """The colour of the light: angle from neutral in degrees, its XYZ (Y = 1), how often such an answer is right, and which way it leans."""

    angle_deg: float
    white: tuple[float, float, float]
    right: float
    lean: str

    @property
    def suspected(self) -> bool:
        """Whether it is worth a word."""
        return self.angle_deg >= SUSPECT_DEG


def estimate_cast(pixels: np.ndarray, model: CastModel) -> Cast | None:
    """The cast of a photo (h, w, 3) uint8; None where nothing in it tells the light."""
    clues = clues_of(pixels)
    if not clues:
        return None
    z = np.clip((_inputs(pixels, clues) - model.mu) / model.sd, -CLIP, CLIP)
    agreed = consensus(clues)
    rg, bg = (float(v) for v in (1 - AGREED) * (np.append(z, 1.0) @ model.weights) + AGREED * agreed)
    light = np.array([np.exp(rg), 1.0, np.exp(bg)])
    angle = float(np.degrees(np.arccos(np.clip(light.sum() / np.sqrt(3) / np.linalg.norm(light), -1, 1))))
    xyz = RGB_TO_XYZ @ light
    xyz = xyz / xyz[1]
    return Cast(angle, (float(xyz[0]), float(xyz[1]), float(xyz[2])), SURE_ABOVE if angle >= LIKELY_DEG else SURE_BELOW, _lean(rg, bg))


def consensus(clues: dict[str, Clue]) -> Array:
    """log R/G and log B/G that the clues agree on: their mean by quality and narrowness, of those far from it less each round (a robust M-estimate, Huber 1964)."""
    weight = np.array([max(quality, LEAST_QUALITY) / (OWN_SPREAD + spread) for _c, quality, spread in clues.values()])
    said = np.array([c for c, _quality, _spread in clues.values()])
    mean = weight @ said / weight.sum()
    for _ in range(5):
        near = weight * np.exp(-0.5 * (np.hypot(*(said - mean).T) / ALONE) ** 2) + 1e-6
        mean = near @ said / near.sum()
    return np.asarray(mean)


def _lean(rg: float, bg: float) -> str:
    """Which way a light leans: warm, cool, green or violet."""
    along, across = rg - bg, rg + bg
    if abs(across) > abs(along):
        return "violet" if across > 0 else "green"
    return "warm" if along > 0 else "cool"


def clues_of(pixels: np.ndarray) -> dict[str, Clue]:
    """Clues to the light in a photo, by name; each as (log R/G, log B/G), quality and spread."""
    k = min(1.0, SIDE / max(pixels.shape[:2]))
    q = cv2.resize(pixels, None, fx=k, fy=k, interpolation=cv2.INTER_AREA) if k < 1 else pixels
    red, green, blue = cv2.split(q)
    v, brightest = _LINEAR[q] + np.float32(1e-4), cv2.max(cv2.max(red, green), blue)
    ok = cv2.erode(((brightest < 248) & (cv2.min(cv2.min(red, green), blue) > 6)).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    if ok.sum() < 100:
        return {}
    logs = np.log(v)
    c = np.stack([logs[..., 0] - logs[..., 1], logs[..., 2] - logs[..., 1]], 2)
    strength, out = np.hypot(c[..., 0], c[..., 1]), {}
    found = _grey_contrast(logs, c, ok, strength)
    if found is not None:
        out["grey"] = found
    near = ok & (strength < 0.8) & (v.mean(2) > 0.08)
    if near.sum() > 300:
        out["low"] = _daylight_cluster(c[near])
    y = v.mean(2)
    around = cv2.medianBlur((np.clip(y, 0, 1) * 255).astype(np.uint8), 15).astype(np.float32) / 255
    lights = (brightest < 252) & (y > 4 * around + 0.08) & (y > 0.15)
    if lights.sum() >= 12:
        out["spec"] = np.median(c[lights], 0), min(1.0, float(lights.sum()) / 60), _spread(c[lights])
    soft = cv2.GaussianBlur(v, (0, 0), 1)
    edges = np.hypot(cv2.Scharr(soft, cv2.CV_32F, 1, 0), cv2.Scharr(soft, cv2.CV_32F, 0, 1))
    for name, a in (("edge", edges), ("shades", v)):
        mean = (a[ok].astype(float) ** 6).mean(0) ** (1 / 6)
        if mean.min() <= 0:  # a picture of one colour tells a colour, not a light
            return {}
        out[name] = np.log(np.array([mean[0] / mean[1], mean[2] / mean[1]])), 0.5, 0.2
    return out


def _spread(c: Array) -> float:
    return float(np.hypot(*(np.percentile(c, 75, 0) - np.percentile(c, 25, 0))))


def _grey_contrast(logs: Array, c: Array, ok: np.ndarray, strength: Array) -> Clue | None:
    """Pixels whose fine contrast is the same in the three channels."""
    detail = cv2.GaussianBlur(logs, (0, 0), 0.8) - cv2.GaussianBlur(logs, (0, 0), 2.4)
    uneven = np.sqrt(((detail - detail.mean(2, keepdims=True)) ** 2).sum(2)) / (np.sqrt((detail**2).sum(2)) + 1e-4)
    smooth = cv2.GaussianBlur(uneven, (0, 0), 2.5)
    candidates = ok & (np.abs(detail).max(2) > 0.035)
    if candidates.sum() <= 300:
        return None
    limit = float(np.quantile(smooth[candidates], 0.05))
    s = candidates & (smooth <= limit) & (strength < 0.9)
    return (np.median(c[s], 0), float(np.exp(-limit / 0.12)), _spread(c[s])) if s.sum() > 30 else None


def _daylight_cluster(c: Array) -> Clue:
    """The densest cluster of weakly coloured light pixels near the line of daylights."""
    counts, xe, ye = np.histogram2d(c[:, 0], c[:, 1], bins=64, range=[[-1, 1], [-1.2, 1.2]])
    counts = cv2.GaussianBlur(counts.astype(np.float32), (0, 0), 1.3)
    x, y = np.meshgrid((xe[1:] + xe[:-1]) / 2, (ye[1:] + ye[:-1]) / 2, indexing="ij")
    prior = np.exp(-0.5 * ((x + DAYLIGHT * y) / 0.13) ** 2 - 0.5 * (np.hypot(x, y) / 0.42) ** 2)
    weight = counts**0.7 * prior
    at = np.unravel_index(int(weight.argmax()), weight.shape)
    near = np.exp(-((x - x[at]) ** 2 + (y - y[at]) ** 2) / (2 * 0.08**2))
    weight = weight * near
    return np.array([(x * weight).sum(), (y * weight).sum()]) / weight.sum(), float((counts * near).sum() / counts.sum()), 0.1


def _inputs(pixels: np.ndarray, clues: dict[str, Clue]) -> Array:
    """The 66 numbers that the regression weighs."""
    out: list[float] = []
    for name in CLUES:
        if name in clues:
            c, quality, spread = clues[name]
            out += [c[0], c[1], c[0] * quality, c[1] * quality, 1.0, quality, spread]
        else:
            out += [0.0] * 7
    v = _LINEAR[cv2.resize(pixels, (SMALL, SMALL), interpolation=cv2.INTER_AREA)].reshape(-1, 3) + 1e-3
    v = v[(v.max(1) < 0.95) & (v.max(1) > 0.006)]
    if len(v) < 200:
        v = np.full((200, 3), 0.2, np.float32)
    logs = np.log(v)
    c2, y = np.stack([logs[:, 0] - logs[:, 1], logs[:, 2] - logs[:, 1]], 1), v.mean(1)
    for along in (c2[:, 0] - c2[:, 1], c2[:, 0] + c2[:, 1]):
        out += list(np.percentile(along, [3, 20, 50, 80, 97]))
    for low, high in ((0, 10), (45, 55), (90, 97), (97, 100)):
        a, b = np.percentile(y, [low, high])
        band = c2[(y >= a) & (y <= b)]
        weak = np.hypot(*band.T)
        out += [*np.median(band, 0), *np.median(band[weak <= np.quantile(weak, 0.2)], 0)]
    s = np.hypot(*c2.T)
    out += [*np.median(c2[s <= np.quantile(s, 0.05)], 0), *np.percentile(s, [2, 10, 50])]
    return np.array(out, np.float32)
