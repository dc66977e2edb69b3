"""Pixels as a page takes them."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image
from reportlab.lib.utils import ImageReader

MOST_SIDE, SMALL_SIDE = 2000, 600
"""A longer side is thinned out: it would be finer than any printer. A shorter one is kept without loss."""


def encoded(pixels: np.ndarray, most_side: int = MOST_SIDE) -> io.BytesIO:
    """Pixels (H, W, 3) uint8 as a picture file in memory, every pixel of them where ``most_side`` is 0."""
    step = max(1, int(max(pixels.shape[:2]) / most_side)) if most_side else 1
    image = Image.fromarray(np.ascontiguousarray(pixels[::step, ::step]))
    out = io.BytesIO()
    if max(image.size) <= SMALL_SIDE:
        image.save(out, "PNG")
    else:
        image.save(out, "JPEG", quality=92)
    out.seek(0)
    return out


def reader(pixels: np.ndarray, most_side: int = MOST_SIDE) -> ImageReader:
    """The same for a canvas."""
    return ImageReader(encoded(pixels, most_side))
