"""Value shapes: the squint in three to seven steps, small islands removed; one step alone."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, bytes_to_lab, lab_to_bytes
from hanabira.core.faults import Fault
from hanabira.core.study.looks import squint
from hanabira.core.study.preparation import STEPS

SIDE = 900
LEAST_SHARE = 0.0004
"""Islands smaller than this share of the picture go to their neighbours."""


def value_labels(pixels: np.ndarray, steps: int = 5) -> Array:
    """Label 0 (darkest) … steps − 1 of every pixel of a reduced copy, (h, w) uint8.

    Thresholds lie half way between even values and even shares of the picture, so that neither
    a mostly dark nor a mostly light photo loses its shapes.
    """
    steps = int(np.clip(steps, *STEPS))
    lightness = bytes_to_lab(squint(_reduced(pixels)))[..., 0]
    low, high = np.percentile(lightness, (1, 99))
    even = low + (high - low) * np.arange(1, steps) / steps
    share = np.percentile(lightness, 100 * np.arange(1, steps) / steps)
    labels = np.digitize(lightness, np.maximum.accumulate((even + share) / 2)).astype(np.uint8)
    return _without_islands(labels, steps)


def _reduced(pixels: np.ndarray) -> np.ndarray:
    k = SIDE / max(pixels.shape[:2])
    if k >= 1:
        return pixels
    return cv2.resize(pixels, (max(1, round(pixels.shape[1] * k)), max(1, round(pixels.shape[0] * k))), interpolation=cv2.INTER_AREA)


def _without_islands(labels: Array, steps: int) -> Array:
    """Give every part below the least share to the label nearest to it; again until none is left."""
    least = max(4, int(LEAST_SHARE * labels.size))
    out = labels.copy()
    for _ in range(6):
        small = np.zeros(out.shape, bool)
        for step in range(steps):
            n, parts, stats, _ = cv2.connectedComponentsWithStats((out == step).astype(np.uint8), connectivity=4)
            tiny = np.flatnonzero(stats[:, cv2.CC_STAT_AREA] < least)
            tiny = tiny[tiny > 0]
            if len(tiny):
                small |= np.isin(parts, tiny)
        if not small.any() or small.all():
            return out
        _, nearest = cv2.distanceTransformWithLabels(small.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL)
        value = np.zeros(int(nearest.max()) + 1, np.uint8)
        value[nearest[~small]] = out[~small]
        out = value[nearest]
    return out


@dataclass(frozen=True)
class ValueShape:
    """One step of the squint: its number (1 = darkest), mean L* and share of the picture."""

    step: int
    lightness: float
    share: float


def value_shapes(pixels: np.ndarray, steps: int = 5, only: int | None = None) -> tuple[np.ndarray, tuple[ValueShape, ...]]:
    """The picture in ``steps`` flat greys with their borders, (h, w, 3) uint8 of the reduced size, and what each holds.

    Each grey is the mean value of its shape. ``only`` shows one step (1 = darkest) and drains the rest.
    Raises `Fault` for a number of steps outside 3–7 or a step that is not there.
    """
    if not STEPS[0] <= steps <= STEPS[1]:
        raise Fault(f"Value shapes come in {STEPS[0]} to {STEPS[1]} steps, not {steps}.")
    if only is not None and not 1 <= only <= steps:
        raise Fault(f"There is no step {only} of {steps}.")
    small = _reduced(pixels)
    labels = value_labels(small, steps)
    lightness = bytes_to_lab(small)[..., 0]
    count = np.bincount(labels.ravel(), minlength=steps)
    mean = np.bincount(labels.ravel(), lightness.ravel(), steps) / np.maximum(count, 1)
    greys = lab_to_bytes(np.column_stack([mean, np.zeros((steps, 2))]))
    out = greys[labels]
    if only is not None:
        out = np.where((labels == only - 1)[..., None], small, np.uint8(236))
    edge = (labels != np.roll(labels, 1, 0)) | (labels != np.roll(labels, 1, 1))
    edge[0], edge[:, 0] = False, False
    out[edge] = np.where(out[edge] > 110, out[edge] // 2, out[edge] // 2 + 110)
    shapes = tuple(ValueShape(i + 1, float(mean[i]), float(count[i] / labels.size)) for i in range(steps) if count[i])
    return out, shapes
