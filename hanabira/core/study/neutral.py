"""Light of a photo: a cast taken out by a grey, white or known patch, and exposure. Kept as settings, never burnt in."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from hanabira.core.colour.spaces import RGB_TO_XYZ, WHITE, XYZ_TO_RGB, Array, lab_to_xyz, linear_to_srgb, srgb_to_linear
from hanabira.core.faults import Fault
from hanabira.core.study.preparation import EXPOSURE_RANGE, Light

BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
"""Cone responses of the Bradford transform (Lam 1985; ICC.1:2010, annex E)."""
_STRIP = 256
_DARKEST = 5e-4
"""Linear light below which a channel says nothing of the colour of the light; about 2 of 255."""
_LINEAR = srgb_to_linear(np.arange(256) / 255).astype(np.float32)
_STEPS = 4095
_ENCODE = np.round(linear_to_srgb((np.arange(_STEPS + 1) / _STEPS) ** 2) * 255).astype(np.uint8)


def adaptation(white_xyz: ArrayLike) -> Array:
    """Matrix (3, 3) on XYZ that turns a light's white into D65, by Bradford."""
    rho = BRADFORD @ np.asarray(white_xyz, float)
    return np.linalg.inv(BRADFORD) @ np.diag((BRADFORD @ WHITE) / rho) @ BRADFORD


def from_pick(rgb: ArrayLike) -> tuple[float, float, float]:
    """White of the light from the colour (encoded sRGB, (3,) 0–1) of something that is really grey or white.

    Raises `Fault` where the patch is too dark or burnt out to tell.
    """
    v = np.asarray(rgb, float)
    if v.max() < 0.03:
        raise Fault("That place is too dark to tell the light.", "The photo stays as it is.", "Pick something lighter that is grey.")
    if v.min() > 0.992:
        raise Fault(
            "That place is burnt out and has no colour any more.",
            "The photo stays as it is.",
            "Pick something grey that is not pure white.",
        )
    xyz = RGB_TO_XYZ @ srgb_to_linear(v)
    return tuple(float(q) for q in xyz / xyz[1])  # type: ignore[return-value]


def from_known(rgb: ArrayLike, known_lab: ArrayLike) -> tuple[float, float, float]:
    """White of the light from a patch whose true colour (Lab) is known: “her collar is navy”.

    The patch is taken to have changed by the light alone, cone by cone (von Kries).
    """
    seen = BRADFORD @ (RGB_TO_XYZ @ srgb_to_linear(np.asarray(rgb, float)))
    if float(np.max(rgb)) < 0.03:
        raise Fault("That place is too dark to tell the light.", "The photo stays as it is.", "Pick a lighter place of the known colour.")
    true = BRADFORD @ lab_to_xyz(known_lab)
    ratio = np.maximum(seen, 1e-6) / np.maximum(true, 1e-4)
    ratio = np.clip(ratio / ratio[1], 0.4, 2.5)
    xyz = np.linalg.inv(BRADFORD) @ (ratio * (BRADFORD @ WHITE))
    return tuple(float(q) for q in xyz / xyz[1])  # type: ignore[return-value]


def automatic(pixels: np.ndarray, power: float = 6.0) -> tuple[float, float, float]:
    """White of the light guessed from the whole photo: shades of grey.

    Source: Finlayson and Trezzi (2004), the Minkowski mean with p = 6, over pixels that are
    neither black nor burnt out. A guess: one-coloured pictures mislead it. Raises `Fault` for a photo without any light.
    """
    small = pixels[:: max(1, pixels.shape[0] // 300), :: max(1, pixels.shape[1] // 300)].reshape(-1, 3)
    keep = (small.max(1) < 250) & (small.max(1) > 12)
    v = _LINEAR[small[keep] if keep.sum() > 50 else small].astype(float)
    mean = (v**power).mean(0) ** (1 / power)
    if mean.min() < _DARKEST:
        raise Fault("This photo is too dark to guess its light.", "The photo stays as it is.", "Pick a place that is really grey.")
    xyz = RGB_TO_XYZ @ mean
    return tuple(float(q) for q in xyz / xyz[1])  # type: ignore[return-value]


def apply_light(pixels: np.ndarray, light: Light) -> np.ndarray:
    """The photo (h, w, 3) uint8 under its settings, strip by strip on linear light."""
    if light.as_taken:
        return pixels
    matrix = XYZ_TO_RGB @ (adaptation(light.white) if light.white else np.eye(3)) @ RGB_TO_XYZ
    matrix = (matrix * 2.0 ** float(np.clip(light.exposure, *EXPOSURE_RANGE))).astype(np.float32)
    out = np.empty_like(pixels)
    for y in range(0, len(pixels), _STRIP):
        linear = _LINEAR[pixels[y : y + _STRIP]] @ matrix.T
        out[y : y + _STRIP] = _ENCODE[(np.sqrt(np.clip(linear, 0, 1)) * _STEPS + np.float32(0.5)).astype(np.uint16)]
    return out
