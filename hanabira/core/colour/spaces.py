"""Colour spaces: sRGB, linear light, XYZ and CIELAB, all under D65 and the 2° observer.

Arrays have the channel last and any shape before it. sRGB values are 0–1 and
encoded unless a name says ``linear``; XYZ has Y = 1 for white; Lab has L* 0–100.
Sources: IEC 61966-2-1 (sRGB), CIE 15:2018 (CIELAB).
"""

from __future__ import annotations

import re
from typing import Any

import cv2
import numpy as np
from numpy.typing import ArrayLike, NDArray

from hanabira.core.colour.single import D65, RGB_XYZ
from hanabira.core.faults import Fault

Array = NDArray[Any]

WHITE = np.array(D65)
"""XYZ of the D65 white with Y = 1."""

RGB_TO_XYZ = np.array(RGB_XYZ)
XYZ_TO_RGB = np.linalg.inv(RGB_TO_XYZ)
_EPSILON, _KAPPA = 216 / 24389, 24389 / 27


def srgb_to_linear(srgb: ArrayLike) -> Array:
    """Linear light of encoded sRGB, both (…, 3) in 0–1.

    >>> round(float(srgb_to_linear([.5, .5, .5])[0]), 4)
    0.214
    """
    v = np.asarray(srgb)
    v = v if np.issubdtype(v.dtype, np.floating) else v.astype(float)
    return np.where(v <= 0.04045, v / 12.92, ((np.maximum(v, 0) + 0.055) / 1.055) ** 2.4).astype(v.dtype)


def linear_to_srgb(linear: ArrayLike) -> Array:
    """Encoded sRGB of linear light, (…, 3); values outside 0–1 are clipped."""
    v = np.clip(np.asarray(linear), 0, 1)
    v = v if np.issubdtype(v.dtype, np.floating) else v.astype(float)
    return np.where(v <= 0.0031308, v * 12.92, 1.055 * v ** (1 / 2.4) - 0.055).astype(v.dtype)


def srgb_to_xyz(srgb: ArrayLike) -> Array:
    """XYZ (Y of white = 1) of encoded sRGB, (…, 3)."""
    linear = srgb_to_linear(srgb)
    return linear @ RGB_TO_XYZ.T.astype(linear.dtype)


def xyz_to_srgb(xyz: ArrayLike) -> Array:
    """Encoded sRGB of XYZ, (…, 3), clipped to the gamut."""
    return linear_to_srgb(np.asarray(xyz) @ XYZ_TO_RGB.T)


def xyz_to_lab(xyz: ArrayLike) -> Array:
    """CIELAB (D65) of XYZ, (…, 3). Source: CIE 15:2018, section 8.2.1.

    >>> [round(float(v), 2) for v in xyz_to_lab([.95047, 1, 1.08883])]
    [100.0, 0.0, 0.0]
    """
    v = np.asarray(xyz)
    v = v if np.issubdtype(v.dtype, np.floating) else v.astype(float)
    t = v / WHITE.astype(v.dtype)
    f = np.where(t > _EPSILON, np.cbrt(np.maximum(t, 0)), (_KAPPA * t + 16) / 116)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1)


def lab_to_xyz(lab: ArrayLike) -> Array:
    """XYZ of CIELAB (D65), (…, 3)."""
    v = np.asarray(lab, float)
    fy = (v[..., 0] + 16) / 116
    f = np.stack([fy + v[..., 1] / 500, fy, fy - v[..., 2] / 200], -1)
    t = np.where(f**3 > _EPSILON, f**3, (116 * f - 16) / _KAPPA)
    return t * WHITE


def srgb_to_lab(srgb: ArrayLike) -> Array:
    """CIELAB (D65) of encoded sRGB, (…, 3).

    >>> [round(float(v), 1) for v in srgb_to_lab([1.0, 0, 0])]
    [53.2, 80.1, 67.2]
    """
    return xyz_to_lab(srgb_to_xyz(srgb))


def lab_to_srgb(lab: ArrayLike) -> Array:
    """Encoded sRGB of CIELAB, (…, 3), clipped to the gamut."""
    return xyz_to_srgb(lab_to_xyz(lab))


def bytes_to_lab(pixels: NDArray[np.uint8]) -> NDArray[np.float32]:
    """CIELAB of 8-bit sRGB pixels, (rows, columns, 3) uint8 to float32; within 0.5 of `srgb_to_lab` and quick enough for pictures."""
    return cv2.cvtColor(pixels.astype(np.float32) / 255, cv2.COLOR_RGB2Lab)


def lab_to_bytes(lab: ArrayLike) -> NDArray[np.uint8]:
    """8-bit sRGB of CIELAB, (…, 3) to uint8, rounded and clipped to the gamut: a picture to be shown. In a picture (h, w, 3) one level
    may differ from `lab_to_srgb` where it lies between two, which is a tenth of the time.

    >>> lab_to_bytes([53.585, 0.0, 0.0]).tolist()
    [128, 128, 128]
    """
    if np.ndim(lab) == 3:
        rgb = cv2.cvtColor(np.asarray(lab, np.float32), cv2.COLOR_Lab2RGB)
        return (np.clip(rgb, 0, 1) * 255 + np.float32(0.5)).astype(np.uint8)
    return np.round(np.clip(lab_to_srgb(lab), 0, 1) * 255).astype(np.uint8)


def chroma(lab: ArrayLike) -> Array:
    """Chroma C* of Lab, (…, 3) to (…)."""
    v = np.asarray(lab, float)
    return np.hypot(v[..., 1], v[..., 2])


def hue_deg(lab: ArrayLike) -> Array:
    """Hue angle of Lab in degrees 0–360, (…, 3) to (…)."""
    v = np.asarray(lab, float)
    return np.degrees(np.arctan2(v[..., 2], v[..., 1])) % 360


def lch_to_lab(lightness: float, c: float, hue: float) -> Array:
    """Lab of lightness, chroma and hue in degrees."""
    return np.array([lightness, c * np.cos(np.radians(hue)), c * np.sin(np.radians(hue))])


_HEX = re.compile(r"#?([0-9a-fA-F]{6})")


def parse_hex(text: str) -> Array:
    """Encoded sRGB, (3,) in 0–1, of ``#rrggbb``; a `Fault` when it is not one.

    >>> [float(v) for v in parse_hex("#ff0000")]
    [1.0, 0.0, 0.0]
    """
    match = _HEX.fullmatch(str(text).strip())
    if not match:
        raise Fault(f"“{text}” is not a colour.", do="Write it as # and six hexadecimal digits, for example #8c5a2f.")
    digits = match.group(1)
    return np.array([int(digits[i : i + 2], 16) / 255 for i in (0, 2, 4)])


def to_hex(srgb: ArrayLike) -> str:
    """``#rrggbb`` of encoded sRGB, (3,) in 0–1, rounded to 8 bits.

    >>> to_hex([1, .5, 0])
    '#ff8000'
    """
    r, g, b = (int(round(float(np.clip(v, 0, 1)) * 255)) for v in np.asarray(srgb))
    return f"#{r:02x}{g:02x}{b:02x}"


def lab_hex(lab: ArrayLike) -> str:
    """``#rrggbb`` of Lab, (3,), clipped to the gamut."""
    return to_hex(lab_to_srgb(lab))
