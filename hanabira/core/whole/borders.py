"""Borders of areas drawn where the photo has an edge, smoothed together, each area in one piece."""

from __future__ import annotations

import cv2
import numpy as np
import skimage

from hanabira.core.whole.ground import Ground, within
from hanabira.core.whole.pieces import filled, one_piece

REACH_MM, SMOOTH_MM = 2.2, 2.2
"""How far a border may move to find an edge, and over how much it is smoothed."""
CORE = 0.35
"""So much of its depth an area keeps at least as its core."""


def drawn(labels: np.ndarray, g: Ground) -> np.ndarray:
    """Labels (h, w) whose borders follow edges: a watershed (Meyer 1991) from shrunken areas, then the largest of the blurred masks at each pixel."""
    reach = max(3, round(REACH_MM * g.px_per_mm))
    n = int(labels.max())
    core = np.zeros_like(labels)
    for i in range(1, n + 1):
        one = (labels == i).astype(np.uint8)
        least = min(reach, max(1, int(CORE * cv2.distanceTransform(np.pad(one, 1), cv2.DIST_L2, 5).max())))
        depth = cv2.distanceTransform(np.where(labels > 0, one, 1).astype(np.uint8), cv2.DIST_L2, 5)
        core[(one > 0) & (depth > least)] = i
    snapped = filled(skimage.segmentation.watershed(g.edges, core, mask=g.mask), g.mask)
    soft = [within((snapped == i).astype(np.float32), g.mask, max(2.5, SMOOTH_MM * g.px_per_mm)) for i in range(1, n + 1)]
    return one_piece(np.where(g.mask, 1 + np.argmax(soft, axis=0), 0).astype(np.int32), g.mask)
