"""Pixels as a page takes them."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image
from reportlab.lib.utils import ImageReader

MOST_SIDE = 2000


def reader(pixels: np.ndarray) -> ImageReader:
    """Pixels (H, W, 3) uint8, thinned out where they are finer than any printer; as JPEG, small drawings as PNG."""
    step = max(1, int(max(pixels.shape[:2]) / MOST_SIDE))
    out = io.BytesIO()
    image = Image.fromarray(np.ascontiguousarray(pixels[::step, ::step]))
    if max(image.size) <= 600:
        image.save(out, "PNG")
    else:
        image.save(out, "JPEG", quality=90)
    out.seek(0)
    return ImageReader(out)
