"""Corner marks as a printer puts them on a simulated sheet."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.swatch.marks import mark_shapes

_FINER = 4
"""The edges are drawn this much finer and averaged, as a sensor does."""


def print_mark(image: Array, middle: Sequence[float], side: float, ink: Array, white: Array, holed: bool) -> None:
    """Print a mark of ``side`` pixels about a place (x, y) into an image of linear light (h, w, 3), in place."""
    x, y = (int(np.floor(v - side / 2)) - 1 for v in middle)
    n = int(np.ceil(side)) + 3
    for points, dark in mark_shapes(holed):
        fine = np.zeros((n * _FINER, n * _FINER), np.float32)
        corners = (points * side + (middle[0] - x, middle[1] - y)) * _FINER - 0.5
        cv2.fillPoly(fine, [np.round(corners * 16).astype(np.int32)], 1.0, shift=4)
        share = cv2.resize(fine, (n, n), interpolation=cv2.INTER_AREA)[..., None]
        part = image[y : y + n, x : x + n]
        part[...] = part * (1 - share) + (ink if dark else white) * share
