"""Synthetic fur with known direction, length, colours and marks: the independent truth of the measures."""

from __future__ import annotations

import cv2
import numpy as np

from hanabira.core.colour.spaces import lab_to_srgb


def fur(
    h: int,
    w: int,
    direction_deg: float,
    seed: int,
    length: float = 26,
    spread_deg: float = 5,
    ground=(45, 14, 28),
    contrast: float = 16,
    bend_deg: float = 0.0,
) -> np.ndarray:
    """Hairs drawn one by one over a ground colour (Lab); direction counter-clockwise from the right. (h, w, 3) uint8."""
    rng = np.random.default_rng(seed)
    k = 2
    value = np.zeros((h * k, w * k), np.float32)
    n = int(h * w / (length * 0.55))
    for x, y, t, s, l in zip(
        rng.uniform(-20, w + 20, n),
        rng.uniform(-20, h + 20, n),
        rng.normal(0, spread_deg, n),
        rng.normal(0, 1, n),
        rng.uniform(0.7, 1.3, n),
        strict=True,
    ):
        a = np.radians(direction_deg + t + bend_deg * (x / w - 0.5))
        dx, dy = np.cos(a) * length * l / 2, -np.sin(a) * length * l / 2
        p, q = ((int(v * k * 16) for v in pt) for pt in ((x - dx, y - dy), (x + dx, y + dy)))
        cv2.line(value, tuple(p), tuple(q), float(s), 3, cv2.LINE_AA, 4)
    value = cv2.resize(value, (w, h), interpolation=cv2.INTER_AREA)
    value = (value - value.mean()) / (value.std() + 1e-6)
    lab = np.empty((h, w, 3))
    lab[..., 0] = np.clip(ground[0] + contrast * 0.6 * value, 2, 98)
    lab[..., 1:] = np.array(ground[1:]) * (lab[..., :1] / ground[0]) ** 0.4
    rgb = lab_to_srgb(lab) + rng.normal(0, 0.012, lab.shape)
    return jpeg(np.clip(rgb * 255, 0, 255).astype(np.uint8), 85)


def jpeg(pixels: np.ndarray, quality: int) -> np.ndarray:
    """What a camera file leaves of a picture."""
    _, data = cv2.imencode(".jpg", pixels[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])
    return np.ascontiguousarray(cv2.imdecode(data, cv2.IMREAD_COLOR)[..., ::-1])


def striped(pixels: np.ndarray, angle_deg: float, period: float, depth: float = 0.35) -> np.ndarray:
    """Dark stripes at an angle laid over fur."""
    h, w = pixels.shape[:2]
    y, x = np.mgrid[0:h, 0:w]
    a = np.radians(angle_deg)
    phase = (x * np.sin(a) + y * np.cos(a)) / period * 2 * np.pi
    gain = 1 - (1 - depth) * (1 / (1 + np.exp(-6 * np.sin(phase))))
    return np.clip(pixels * gain[..., None], 0, 255).astype(np.uint8)
