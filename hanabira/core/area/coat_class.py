"""Which coat an area shows: the shares of nine coats, by three small nets over 32 numbers that do not move with exposure, and by counting pixels.

Numbers, weights and figures: docs/methods/coats.md. Exposure scales L* + 16, a* and b* by one factor, so the strength of a
colour is taken as s = C*/(L* + 16). The nets were trained on rendered fur alone, with the share of each coat as the target; what they know of real
photographs is the weight they have beside the count.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, bytes_to_lab

SIDE = 80
"""Longer side in pixels at which a coat is judged."""
BANDS = ((0.0, 0.12), (0.12, 0.35), (0.35, 0.65), (0.65, 0.88), (0.88, 0.985))
SURE = 0.45
"""Share of the first coat from which it is taken without asking: right on 13 of 13 whole animals of 34 real photographs, on 17 of 21 below."""
COUNTED = 0.4
"""Weight of the count beside the nets; found on those photographs, flat from .3 to .5."""
FLECKED = 0.4
"""The nets were shown much flecked fur; on photographs a sharpened plain coat looks so to them, so it counts for so much."""
COUNT_SIDE = 40
BLACK_L, FAWN_L, WHITE_L, CREAM_L = 26.0, 46.0, 68.0, 70.0
BLACK_S, WEAK_S, WEAK_COOL_S, CREAM_S, GINGER_S = 0.22, 0.14, 0.2, 0.36, 0.42
"""Limits of lightness and strength between the families that are counted; those of the numbers below."""
WARM = (25.0, 108.0)
CLIP = 4.0
LEAST_PX = 16


@dataclass(frozen=True)
class CoatModel:
    """Weights of three nets (``m0_`` … ``m2_`` with mu, sd, W1, b1, W2, b2) and the names of their outputs."""

    weights: Mapping[str, np.ndarray]
    classes: tuple[str, ...]

    def shares(self, x: Array) -> dict[str, float]:
        """Share of every coat for 32 numbers, the largest first; they add up to one."""
        out = np.zeros(len(self.classes))
        for n in range(3):
            w = {k: self.weights[f"m{n}_{k}"] for k in ("mu", "sd", "W1", "b1", "W2", "b2")}
            z = np.clip((x - w["mu"]) / w["sd"], -CLIP, CLIP)
            q = np.tanh(z @ w["W1"] + w["b1"]) @ w["W2"] + w["b2"]
            e = np.exp(q - q.max())
            out += e / e.sum() / 3
        return {self.classes[i]: float(out[i]) for i in np.argsort(-out, kind="stable")}


def coat_features(pixels: np.ndarray, mask: np.ndarray, lost: np.ndarray | None = None) -> Array:
    """The 32 numbers of the masked part of ``pixels`` (h, w, 3) uint8; ``lost`` pixels (clipped) take no part while enough others are left."""
    use = mask & ~lost if lost is not None and (mask & ~lost).sum() > 0.2 * mask.sum() else mask
    k = min(1.0, SIDE / max(mask.shape))
    size = max(4, round(mask.shape[1] * k)), max(4, round(mask.shape[0] * k))
    small = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    m = cv2.resize(use.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.6
    if m.sum() < LEAST_PX:
        m = np.ones_like(m)
    lab = bytes_to_lab(small).astype(np.float32)
    x = lab[m]
    lightness = x[:, 0]
    per = x[:, 1:] / (lightness[:, None] + 16)
    s = np.hypot(per[:, 0], per[:, 1])
    order, out = np.argsort(lightness, kind="stable"), []
    n = len(order)
    for low, high in BANDS:
        middle = np.median(x[order[int(n * low) : max(int(n * low) + 1, int(n * high))]], 0)
        out += [middle[0] / 50 - 1, 4 * middle[1] / (middle[0] + 16), 4 * middle[2] / (middle[0] + 16)]
    out += list(3 * np.percentile(s, [15, 50, 85]))
    hue = np.degrees(np.arctan2(x[:, 2], x[:, 1])) % 360
    warm, weak = (hue > WARM[0]) & (hue < WARM[1]), s < 0.14
    light = lightness
    for share in (
        weak & (light < 26), weak & (light >= 26) & (light < 64), weak & (light >= 64), warm & ~weak & (s < 0.42) & (light < 46),
        warm & ~weak & (s < 0.42) & (light >= 46) & (light < 68), warm & (s >= 0.12) & (s < 0.42) & (light >= 68), warm & (s >= 0.42), ~warm & (s >= 0.2),
    ):  # fmt: skip
        out.append(float(share.mean()))
    slow = cv2.GaussianBlur(lab[..., 0], (0, 0), 3.5)
    fine = lab[..., 0] - slow
    spread = float(fine[m].std())
    out += [
        spread / 10,
        float(slow[m].std()) / 10,
        float(np.percentile(light, 98) - np.percentile(light, 2)) / 50,
        float(np.abs(fine[m]).mean() / (spread + 1e-3)),
    ]
    pale, dark = m & (fine > 0.7 * spread), m & (fine < -0.7 * spread)
    for c in (1, 2):
        both = pale.sum() > 5 and dark.sum() > 5
        a, b = (float(np.median(lab[q][:, c]) / (np.median(lab[q][:, 0]) + 16)) if both else 0.0 for q in (pale, dark))
        out.append(4 * (a - b))
    return np.array(out, np.float32)


def counted_shares(lab: Array) -> dict[str, float]:
    """Shares of the coats among single pixels (n, 3): each belongs to one by its lightness, strength and hue.

    >>> counted_shares(np.array([[15.0, 0, 0], [80.0, 1, 2]])) == {"black": 0.5, "white": 0.5}
    True
    """
    lightness, hue = lab[:, 0], np.degrees(np.arctan2(lab[:, 2], lab[:, 1])) % 360
    s = np.hypot(lab[:, 1], lab[:, 2]) / (lightness + 16)
    warm = (hue > WARM[0]) & (hue < WARM[1])
    black = (lightness < BLACK_L) & (s < BLACK_S)
    weak = ~black & np.where(warm, s < WEAK_S, s < WEAK_COOL_S)
    coloured = ~black & ~weak & ~warm
    fur = ~black & ~weak & warm
    cream = fur & (lightness >= CREAM_L) & (s < CREAM_S)
    found = {
        "black": black, "grey": weak & (lightness < WHITE_L), "white": weak & (lightness >= WHITE_L), "cream": cream,
        "ginger": fur & ~cream & (s >= GINGER_S), "brown": fur & ~cream & (s < GINGER_S) & (lightness < FAWN_L),
        "fawn": fur & ~cream & (s < GINGER_S) & (lightness >= FAWN_L), "coloured": coloured,
    }  # fmt: skip
    return {k: float(v.mean()) for k, v in found.items() if v.any()}


def coat_shares(model: CoatModel, pixels: np.ndarray, mask: np.ndarray, lost: np.ndarray | None = None) -> dict[str, float]:
    """Share of every coat in the masked part of ``pixels`` (h, w, 3) uint8, the largest first; ``lost`` pixels are clipped ones."""
    said = model.shares(coat_features(pixels, mask, lost))
    if "flecked" in said:
        said["flecked"] *= FLECKED
    whole = sum(said.values())
    k = min(1.0, COUNT_SIDE / max(mask.shape))
    size = max(4, round(mask.shape[1] * k)), max(4, round(mask.shape[0] * k))
    inside = cv2.resize(mask.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.6
    small = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    counted = counted_shares(bytes_to_lab(small)[inside]) if inside.sum() >= LEAST_PX else said
    out = {c: (1 - COUNTED) * said.get(c, 0.0) / whole + COUNTED * counted.get(c, 0.0) for c in {**said, **counted}}
    return dict(sorted(out.items(), key=lambda q: -q[1]))
