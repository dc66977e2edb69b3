"""Dappled coats drawn with known rounds: soft discs in a jittered net, hair over them, a slope of light, JPEG."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, lab_to_srgb
from tests.fur import jpeg


@dataclass(frozen=True)
class Drawn:
    """A patch (h, w, 3) uint8 and its truth: middles (n, 2) and radii at half height (n,) of whole rounds, and of all that show."""

    pixels: np.ndarray
    middles: Array
    radii: Array
    every_middle: Array
    every_radius: Array


def dappled(seed: int, lighter: bool = True, side: int = 260) -> Drawn:
    """A patch of a dappled coat."""
    r = np.random.default_rng(seed)
    apart = side / np.sqrt(r.integers(12, 60))
    middles = np.array(
        [
            ((i + 0.5 * (j % 2) + r.normal(0, 0.12)) * apart, (0.87 * j + r.normal(0, 0.12)) * apart)
            for j in range(-1, int(side / apart / 0.87) + 3)
            for i in range(-1, int(side / apart) + 3)
            if r.random() < 0.85
        ]
    )
    spread = apart * r.uniform(0.26, 0.4) * np.exp(r.normal(0, 0.18, len(middles)))
    half = spread * np.log(2) ** (1 / 2.4)
    y, x = np.mgrid[:side, :side].astype(float)
    rounds = np.zeros((side, side))
    for (u, v), s in zip(middles, spread, strict=True):
        rounds = np.maximum(rounds, np.exp(-((np.hypot(x - u, y - v) / s) ** 2.4)))
    way = r.uniform(0, np.pi)
    hair = cv2.GaussianBlur(r.normal(size=(2 * side, 2 * side)), (0, 0), sigmaX=5, sigmaY=0.7)
    hair = cv2.warpAffine(hair, cv2.getRotationMatrix2D((side, side), np.degrees(way), 1), (2 * side, 2 * side))
    hair = hair[side // 2 : side // 2 + side, side // 2 : side // 2 + side]
    slope = (x * np.cos(2 * way) + y * np.sin(2 * way)) / side
    lightness = (
        r.uniform(30, 60)
        + r.uniform(10, 28) * (1 if lighter else -1) * (rounds - 0.3)
        + r.uniform(2.5, 5) * hair / hair.std()
        + r.uniform(-14, 14) * slope
    )
    lab = np.stack([np.clip(lightness, 3, 96), np.full_like(lightness, r.normal(0, 2)), np.full_like(lightness, 3 + r.normal(0, 2))], -1)
    pixels = np.clip(lab_to_srgb(lab) * 255 + 0.5, 0, 255).astype(np.uint8)
    whole = ((middles > half[:, None]) & (middles < side - half[:, None])).all(1)
    return Drawn(jpeg(pixels, int(r.integers(70, 92))), middles[whole], half[whole], middles, half)


def met(drawn: Drawn, found: Array, radii: Array) -> tuple[int, int, int]:
    """Of the whole rounds how many have a found middle inside them, how many of those within × 1.5 of their size; and false ones."""
    here = right = 0
    for middle, radius in zip(drawn.middles, drawn.radii, strict=True):
        away = np.hypot(*(found - middle).T) if len(found) else np.array([np.inf])
        at = int(away.argmin())
        if away[at] < radius:
            here += 1
            right += 1 / 1.5 <= radii[at] / radius <= 1.5
    false = sum(bool((np.hypot(*(drawn.every_middle - p).T) > drawn.every_radius).all()) for p in found)
    return here, right, false
