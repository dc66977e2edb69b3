"""Ways to look at a photo: squint, shadow lift, grey, mirror. Arrays (h, w, 3) uint8 sRGB in and out."""

from __future__ import annotations

import cv2
import numpy as np

from hanabira.core.colour.spaces import linear_to_srgb, srgb_to_linear

_SQUINT_SIDE = 900
_LIFT_TO = 0.18
_LIFT_CAP = 10.0


def squint(pixels: np.ndarray) -> np.ndarray:
    """What half-closed eyes see: small detail gone, big edges kept.

    Median of 1.2 % of the side and a bilateral filter (Tomasi and Manduchi 1998) at 900 px.
    """
    h, w = pixels.shape[:2]
    k = min(1.0, _SQUINT_SIDE / max(h, w))
    small = cv2.resize(pixels, (max(1, round(w * k)), max(1, round(h * k))), interpolation=cv2.INTER_AREA)
    size = max(3, int(0.012 * max(small.shape[:2])) | 1)
    small = cv2.medianBlur(small, size)
    small = cv2.bilateralFilter(small, 9, 28, 9)
    return cv2.resize(small, (w, h), interpolation=cv2.INTER_LINEAR)


def grey(pixels: np.ndarray) -> np.ndarray:
    """The photo's values alone, by luminance, so that L* stays what it was."""
    linear = srgb_to_linear(np.arange(256, dtype=np.float64) / 255).astype(np.float32)[pixels]
    y = linear @ np.array([0.2126729, 0.7151522, 0.0721750], np.float32)
    value = np.round(linear_to_srgb(y) * 255).astype(np.uint8)
    return np.repeat(value[..., None], 3, 2)


def mirror(pixels: np.ndarray) -> np.ndarray:
    """The photo the other way round."""
    return np.ascontiguousarray(pixels[:, ::-1])


def lift_shadows(pixels: np.ndarray) -> np.ndarray:
    """Lift the darks so that the form of a nearly black coat shows, with its hue unchanged.

    One gain a pixel on linear light, from a guided base of log luminance (He, Sun and Tang
    2013, written as box filters); the detail over the base is strengthened 1.6 times.
    """
    linear = srgb_to_linear(np.arange(256, dtype=np.float64) / 255).astype(np.float32)[pixels]
    y = linear @ np.array([0.2126729, 0.7151522, 0.0721750], np.float32)
    log = np.log(y + 0.002)
    radius = max(4, max(pixels.shape[:2]) // 60)
    base = _guided(log, radius, 0.3)
    lifted = np.where(base < np.log(_LIFT_TO), base + 0.55 * (np.log(_LIFT_TO) - base), base)
    gain = np.exp(np.clip(lifted + 1.6 * (log - base) - log, 0, np.log(_LIFT_CAP)))
    out = linear * gain[..., None]
    # a channel over 1 would turn the hue: scale the pixel back
    out /= np.maximum(out.max(2, keepdims=True), 1)
    return np.round(linear_to_srgb(out) * 255).astype(np.uint8)


def _guided(image: np.ndarray, radius: int, epsilon: float) -> np.ndarray:
    size = (2 * radius + 1, 2 * radius + 1)
    mean = cv2.blur(image, size)
    variance = np.maximum(cv2.blur(image * image, size) - mean * mean, 0)
    a = variance / (variance + epsilon)
    b = mean * (1 - a)
    return cv2.blur(a, size) * image + cv2.blur(b, size)
