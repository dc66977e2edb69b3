"""The prepared photo as everything reads it: pixels, one scale, what lies on the sheet, copies for the screen."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import cv2
import numpy as np

from hanabira.core.area.clipping import UNKNOWN, Levels, clipped, photo_levels
from hanabira.core.token import SILENT, Token

if TYPE_CHECKING:
    from hanabira.core.area.shape import Point

PREVIEW_SIDE = 1600
Crop = tuple[float, float, float, float]


def screen(pixels: np.ndarray) -> np.ndarray:
    """A copy of (h, w, 3) uint8 sRGB as screens take it: (h, w, 4), blue first. Made off the interface thread; a window only wraps it."""
    return cv2.cvtColor(np.ascontiguousarray(pixels), cv2.COLOR_RGB2BGRA)


@dataclass
class View:
    """A photo of ``size`` (w, h) full pixels. ``pixels`` (h, w, 3) is the largest copy, to read from; ``full`` says that it is the whole.

    ``levels`` and ``looks`` are copies for the screen (`screen`), the levels from the largest down.
    """

    size: tuple[int, int]
    pixels: np.ndarray
    levels: list[np.ndarray]
    full: bool
    remarks: tuple[str, ...] = ()
    looks: dict[str, np.ndarray] = field(default_factory=dict)
    plain: np.ndarray | None = None
    """A copy without the backdrop, when the animal is cut out."""
    coverage: np.ndarray | None = None
    """How much of each pixel is animal, (h, w) uint8, once it was cut out; only the animal is measured."""
    shows: object = None
    """Which photo in which light this is, as `Session.light_sign` says; what is measured on it holds for that only."""
    _clip_levels: Levels | None = None
    values: np.ndarray | None = None
    """L* of a preview copy (h, w), once somebody needed it."""
    _previews: dict[int, np.ndarray] = field(default_factory=dict)

    @staticmethod
    def of(pixels: np.ndarray, size: tuple[int, int], remarks: tuple[str, ...] = (), token: Token = SILENT) -> View:
        """Build the pyramid; each level is half as wide, down to about 400 px."""
        levels, small = [screen(pixels)], pixels
        while max(small.shape[:2]) > 900:
            token.check()
            small = cv2.resize(small, (max(1, small.shape[1] // 2), max(1, small.shape[0] // 2)), interpolation=cv2.INTER_AREA)
            levels.append(screen(small))
        return View(size, pixels, levels, pixels.shape[1] == size[0], remarks)

    @property
    def clip_levels(self) -> Levels:
        """Ceiling and floor of the photo in each channel; found once, on whatever thread asks first."""
        if self._clip_levels is None:
            self._clip_levels = photo_levels(self.pixels, self.coverage)
        return self._clip_levels

    def bare(self) -> View:
        """The same without its copies for the screen, to be sent to another process."""
        return replace(self, levels=[], looks={}, plain=None, values=None, _clip_levels=self.clip_levels, _previews={})

    def level_for(self, screen_px_per_photo_px: float) -> np.ndarray:
        """The smallest copy that is not coarser than the screen."""
        for image in reversed(self.levels):
            if image.shape[1] / self.size[0] >= screen_px_per_photo_px * 0.98:
                return image
        return self.levels[0]

    def preview(self, side: int = PREVIEW_SIDE) -> np.ndarray:
        """A copy of at most ``side`` px as an array, made once: nobody writes into it."""
        k = side / max(self.pixels.shape[:2])
        if k >= 1:
            return self.pixels
        if side not in self._previews:
            size = round(self.pixels.shape[1] * k), round(self.pixels.shape[0] * k)
            self._previews[side] = cv2.resize(self.pixels, size, interpolation=cv2.INTER_AREA)
        return self._previews[side]

    def levels_rgb(self) -> np.ndarray:
        """The smallest copy, (h, w, 3) uint8 sRGB."""
        return cv2.cvtColor(self.levels[-1], cv2.COLOR_BGRA2RGB)

    def at(self, x: float, y: float) -> np.ndarray | None:
        """Median colour (3,) uint8 of 9 × 9 pixels round a place in full photo pixels; None outside."""
        if not (0 <= x < self.size[0] and 0 <= y < self.size[1]):
            return None
        patch = self._spot(x, y).reshape(-1, 3)
        return np.median(patch, 0) if len(patch) else None

    def lost_at(self, x: float, y: float) -> bool:
        """Whether most of what `at` reads is burnt out in a channel or crushed."""
        high, low = clipped(self._spot(x, y), self.clip_levels)
        return bool((high.any(2) | low.all(2)).mean() > UNKNOWN)

    def _spot(self, x: float, y: float) -> np.ndarray:
        cx, cy = int(x * self.scale), int(y * self.scale)
        return self.pixels[max(0, cy - 4) : cy + 5, max(0, cx - 4) : cx + 5]

    @property
    def scale(self) -> float:
        """Pixels of this copy a full photo pixel."""
        return self.pixels.shape[1] / self.size[0]

    def small(self, line: Sequence[Point]) -> tuple[Point, ...]:
        """Points of the full photo where they lie on this copy."""
        k = self.scale
        return tuple((x * k, y * k) for x, y in line)

    def large(self, line: Sequence[Point]) -> tuple[Point, ...]:
        """Points of this copy where they lie on the full photo."""
        k = self.scale
        return tuple((x / k, y / k) for x, y in line)

    def sheet_box(self, crop: Crop) -> tuple[int, int, int, int]:
        """Left, top, right, bottom of what lies on the sheet, in whole pixels of this copy; never without an inside."""
        k, (h, w) = self.scale, self.pixels.shape[:2]
        x, y, cw, ch = crop
        left, top = min(max(0, round(x * k)), w - 1), min(max(0, round(y * k)), h - 1)
        return left, top, min(max(left + 1, round((x + cw) * k)), w), min(max(top + 1, round((y + ch) * k)), h)

    def sheet_crop(self, crop: Crop, side: int = 0) -> np.ndarray:
        """The pixels that lie on the sheet; with a ``side`` thinned out to at most that many along the longer one."""
        left, top, right, bottom = self.sheet_box(crop)
        cut = self.pixels[top:bottom, left:right]
        step = max(1, -(-max(cut.shape[:2]) // side)) if side else 1
        return np.ascontiguousarray(cut[::step, ::step])
