"""The photo as the mat shows it: a pyramid of copies, and the looks one can hold."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import cv2
import numpy as np
from PyQt6.QtGui import QImage

from hanabira.core.study import looks
from hanabira.core.study.isolate import on_backdrop
from hanabira.core.study.shapes import value_shapes
from hanabira.core.study.warmth import warmth_map
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
    plain: np.ndarray | None = None
    """A copy without the backdrop, when the animal is cut out."""
    shows: object = None
    """Which photo in which light this is, as `Model.light_sign` says; what is measured on it holds for that only."""
    values: np.ndarray | None = None
    """L* of a preview copy (h, w), once somebody needed it."""

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


@dataclass(frozen=True)
class Seen:
    """What a look is made from: a copy (h, w, 3), the animal's coverage and the copy without backdrop where there are any."""

    pixels: np.ndarray
    alpha: np.ndarray | None = None
    plain: np.ndarray | None = None
    steps: int = 5
    only: int | None = None
    backdrop: tuple[np.ndarray, np.ndarray] | None = None


def _swapped(q: Seen) -> np.ndarray:
    """The animal on the portrait's backdrop; or, when it stands there already, in its own surroundings."""
    if q.plain is not None:
        return q.plain
    assert q.alpha is not None and q.backdrop is not None
    return on_backdrop(q.pixels, q.alpha, *q.backdrop)


LOOKS: dict[str, tuple[str, str, str, Callable[[Seen], np.ndarray] | None]] = {
    "squint": ("Squint", "S", "The few big value shapes, edges kept", lambda q: looks.squint(q.pixels)),
    "shapes": (
        "Shapes",
        "V",
        "Flat values, small islands gone: the plan of lights and darks",
        lambda q: value_shapes(q.pixels, q.steps, q.only)[0],
    ),
    "backdrop": ("Backdrop", "B", "The animal on the portrait’s backdrop instead of its own, or the other way round", _swapped),
    "lift": ("Lift darks", "L", "Shows the form in a dark coat, hue kept", lambda q: looks.lift_shadows(q.pixels)),
    "temperature": (
        "Warm or cool",
        "T",
        "Where the animal is warmer or cooler than its own middle colour",
        lambda q: warmth_map(q.pixels, q.alpha)[0],
    ),
    "hues": ("Hues", "H", "Colours that hide in fur made strong; values as they are", lambda q: looks.boost_hues(q.pixels)),
    "grey": ("Grey", "G", "Values without colour", lambda q: looks.grey(q.pixels)),
    "forecast": (
        "Forecast",
        "F",
        "How the portrait looks with its layers: in Recipe up to the chosen one, at the easel those that are done",
        None,
    ),
    "mirror": ("Mirror", "M", "The picture the other way round shows what is out of line", lambda q: looks.mirror(q.pixels)),
}
"""Ways to look while a key is held: name, key, what it is for, and the maths; without one it needs more than the photo."""
