"""How a colour looks against its surroundings: CIECAM16.

Source: Li, Li, Wang, Xu, Luo, Cui, Melgosa, Brill and Pointer (2017), "Comprehensive color
solutions: CAM16, CAT16 and CAM16-UCS", Color Research and Application 42(6); CIE 248:2022.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import ArrayLike

from hanabira.core.colour.spaces import WHITE, Array, lab_to_xyz

CAT16 = np.array([[0.401288, 0.650173, -0.051461], [-0.250268, 1.204414, 0.045854], [-0.002079, 0.048952, 0.953127]])
SURROUNDS = {"average": (1.0, 0.69, 1.0), "dim": (0.9, 0.59, 0.9), "dark": (0.8, 0.525, 0.8)}
STUDIO_LA = 60.0
"""Luminance of the adapting field in a studio, cd/m²: about a fifth of a white sheet under 1000 lux."""


@dataclass(frozen=True)
class Appearance:
    """Lightness J, chroma C and hue angle h of CIECAM16."""

    lightness: float
    chroma: float
    hue_deg: float


def appearance(
    xyz: ArrayLike, background_y: float, white_xyz: ArrayLike = WHITE * 100, la: float = STUDIO_LA, surround: str = "average"
) -> Appearance:
    """Appearance of a colour. XYZ on the scale where white has Y = 100; ``background_y`` likewise (20 is a mid grey).

    >>> a = appearance([19.01, 20.00, 21.78], 20.0, [95.05, 100.0, 108.88], 318.31)
    >>> round(a.lightness, 3), round(a.chroma, 3), round(a.hue_deg, 2)
    (41.731, 0.103, 217.07)
    """
    f, c, nc = SURROUNDS[surround]
    xyz_, white = np.asarray(xyz, float), np.asarray(white_xyz, float)
    d = float(np.clip(f * (1 - np.exp((-la - 42) / 92) / 3.6), 0, 1))
    rgb_w = CAT16 @ white
    gain = d * white[1] / rgb_w + 1 - d
    k = 1 / (5 * la + 1)
    fl = 0.2 * k**4 * 5 * la + 0.1 * (1 - k**4) ** 2 * (5 * la) ** (1 / 3)
    n = max(background_y, 1e-3) / white[1]
    nbb = 0.725 * n**-0.2
    z = 1.48 + np.sqrt(n)

    def compress(v: Array) -> Array:
        p = (fl * np.abs(v) / 100) ** 0.42
        return np.sign(v) * 400 * p / (p + 27.13) + 0.1

    r, g, b = compress((CAT16 @ xyz_) * gain)
    rw, gw, bw = compress(rgb_w * gain)
    a1 = r - 12 * g / 11 + b / 11
    b1 = (r + g - 2 * b) / 9
    h = float(np.degrees(np.arctan2(b1, a1)) % 360)
    et = 0.25 * (np.cos(np.radians(h) + 2) + 3.8)
    achromatic = (2 * r + g + b / 20 - 0.305) * nbb
    achromatic_w = (2 * rw + gw + bw / 20 - 0.305) * nbb
    j = 100 * max(achromatic / achromatic_w, 0.0) ** (c * z)
    t = (50000 / 13 * nc * nbb * et * np.hypot(a1, b1)) / (r + g + 21 * b / 20)
    chroma = t**0.9 * np.sqrt(j / 100) * (1.64 - 0.29**n) ** 0.73
    return Appearance(float(j), float(chroma), h)


def seen_step(lab: ArrayLike, background_lab: ArrayLike) -> float:
    """Value step 1–10 that a colour seems to have against a background: CIECAM16 lightness, matched to the steps.

    A grey against the mid grey L* 50 keeps its own step; against a dark backdrop it reads lighter,
    against white paper darker.
    """
    y = float(lab_to_xyz(np.asarray(lab, float))[1]) * 100
    yb = max(0.3, float(lab_to_xyz(np.asarray(background_lab, float))[1]) * 100)
    grid, js = _on_mid_grey()
    lightness = float(np.interp(appearance(WHITE * y, yb).lightness, js, grid))
    return float(np.clip(lightness / 10 + 1, 1, 10.99))


@cache
def _on_mid_grey() -> tuple[Array, Array]:
    """L* 0–100 and the lightness J that greys of it have against the mid grey L* 50."""
    grid = np.linspace(0, 100, 201)
    y = lab_to_xyz(np.stack([grid, 0 * grid, 0 * grid], 1))[:, 1] * 100
    return grid, np.array([appearance(WHITE * v, float(y[100])).lightness for v in y])
