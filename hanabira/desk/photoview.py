"""The photo as the mat shows it: a pyramid of copies, and the looks one can hold."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import cv2
import numpy as np
from PyQt6.QtGui import QImage

from hanabira.core.study import looks
from hanabira.core.study.shapes import value_shapes
from hanabira.core.token import SILENT, Token

PREVIEW_SIDE = 1600


def to_image(pixels: np.ndarray) -> QImage:
    """QImage of (h, w, 3) uint8 sRGB."""
    h, w = pixels.shape[:2]
    # OpenCV gives the interpreter free meanwhile, so that the window answers
    four = cv2.cvtColor(np.ascontiguousarray(pixels), cv2.COLOR_RGB2BGRA)
    image = QImage(four.data, w, h, w * 4, QImage.Format.Format_RGB32)
    image.memory = four  # type: ignore[attr-defined]  # the image looks into this array and must keep it alive
    return image


@dataclass
class PhotoView:
    """A photo of ``size`` (w, h) full pixels. ``levels`` are copies from the largest down; ``full`` says the largest is the whole.

    ``pixels`` is the largest copy as an array, to read values from.
    """

    size: tuple[int, int]
    pixels: np.ndarray
    levels: list[QImage]
    full: bool
    remarks: tuple[str, ...] = ()
    looks: dict[str, QImage] = field(default_factory=dict)

    @staticmethod
    def of(pixels: np.ndarray, size: tuple[int, int], remarks: tuple[str, ...] = (), token: Token = SILENT) -> PhotoView:
        """Build the pyramid; each level is half as wide, down to about 400 px."""
        levels, small = [to_image(pixels)], pixels
        while max(small.shape[:2]) > 900:
            token.check()
            small = cv2.resize(small, (max(1, small.shape[1] // 2), max(1, small.shape[0] // 2)), interpolation=cv2.INTER_AREA)
            levels.append(to_image(small))
        return PhotoView(size, pixels, levels, pixels.shape[1] == size[0], remarks)

    def level_for(self, screen_px_per_photo_px: float) -> QImage:
        """The smallest copy that is not coarser than the screen."""
        for image in reversed(self.levels):
            if image.width() / self.size[0] >= screen_px_per_photo_px * 0.98:
                return image
        return self.levels[0]

    def preview(self, side: int = PREVIEW_SIDE) -> np.ndarray:
        """A copy of at most ``side`` px as an array."""
        k = side / max(self.pixels.shape[:2])
        if k >= 1:
            return self.pixels
        return cv2.resize(self.pixels, (round(self.pixels.shape[1] * k), round(self.pixels.shape[0] * k)), interpolation=cv2.INTER_AREA)

    def at(self, x: float, y: float) -> np.ndarray | None:
        """Median colour (3,) uint8 of 9 × 9 pixels round a place in full photo pixels; None outside."""
        if not (0 <= x < self.size[0] and 0 <= y < self.size[1]):
            return None
        k = self.pixels.shape[1] / self.size[0]
        cx, cy = int(x * k), int(y * k)
        patch = self.pixels[max(0, cy - 4) : cy + 5, max(0, cx - 4) : cx + 5].reshape(-1, 3)
        return np.median(patch, 0) if len(patch) else None


LOOKS: dict[str, tuple[str, str, str, Callable[[np.ndarray], np.ndarray]]] = {
    "squint": ("Squint", "S", "The few big value shapes, edges kept", looks.squint),
    "shapes": ("Shapes", "V", "Five flat values, small islands gone: the plan of lights and darks", lambda pixels: value_shapes(pixels)[0]),
    "lift": ("Lift darks", "L", "Shows the form in a dark coat, hue kept", looks.lift_shadows),
    "grey": ("Grey", "G", "Values without colour", looks.grey),
    "hues": ("Hues", "H", "Colours that hide in fur made strong; values as they are", looks.boost_hues),
    "mirror": ("Mirror", "M", "The picture the other way round shows what is out of line", looks.mirror),
}
"""Ways to look while a key is held: name, key, what it is for, and the maths."""
