"""Warm and cool against the subject's own neutral, as a map over the picture."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, bytes_to_lab, lab_to_bytes
from hanabira.core.sentences import say

SIDE = 900
_AXIS = np.array([np.cos(np.radians(60)), np.sin(np.radians(60))], np.float32)
_GAIN, _MOST = 2.2, 44.0
LEAST_LEAN = 1.5
"""Lab units of lean below which a place counts as neither warm nor cool."""


@dataclass(frozen=True)
class Warmth:
    """What the map shows: the subject's neutral (a*, b*), shares of it warmer and cooler, and the lean of its lights and darks."""

    neutral: tuple[float, float]
    warm_share: float
    cool_share: float
    light_lean: float
    dark_lean: float

    @property
    def words(self) -> str:
        """The rule of light and shade, said of this photo."""
        d = self.light_lean - self.dark_lean
        if d > 1.5:
            return say("warmth.warm-light")
        if d < -1.5:
            return say("warmth.cool-light")
        return say("warmth.alike")


def lean_of(lab: Array, neutral: tuple[float, float]) -> Array:
    """Signed lean of Lab colours (…, 3) toward warm (+) or cool (−) of a neutral: the projection on hue 60°."""
    return (lab[..., 1] - neutral[0]) * _AXIS[0] + (lab[..., 2] - neutral[1]) * _AXIS[1]


def warmth_map(pixels: np.ndarray, alpha: Array | None = None) -> tuple[np.ndarray, Warmth]:
    """A picture (h, w, 3) uint8 of at most `SIDE` pixels: values kept, orange where warmer, blue where cooler; and its figures.

    The neutral is the median a*, b* of the animal (``alpha`` above a half) or of the whole picture.
    Fine grain is smoothed first, so that single noisy pixels paint nothing.
    """
    k = min(1.0, SIDE / max(pixels.shape[:2]))
    size = max(1, round(pixels.shape[1] * k)), max(1, round(pixels.shape[0] * k))
    small = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA) if k < 1 else pixels
    lab = bytes_to_lab(small).astype(np.float32)
    calm = cv2.GaussianBlur(lab[..., 1:], (0, 0), max(0.8, 0.003 * max(size)))
    inside = np.ones(small.shape[:2], bool)
    if alpha is not None:
        cover = cv2.resize(np.asarray(alpha, np.float32), size, interpolation=cv2.INTER_AREA) > 0.5
        inside = cover if cover.sum() > 50 else inside
    a, b = (float(v) for v in np.median(calm[inside], 0))
    lean = (calm[..., 0] - a) * _AXIS[0] + (calm[..., 1] - b) * _AXIS[1]
    strength = np.clip(lean * _GAIN, -_MOST, _MOST)
    # the display range ends where paint would leave the screen's gamut in lights and darks
    room = np.clip(np.minimum(lab[..., 0], 100 - lab[..., 0]) / 30, 0.25, 1)
    out = np.dstack([lab[..., 0], strength * room * _AXIS[0], strength * room * _AXIS[1]])
    if not inside.all():
        out[~inside, 1:] = 0
    picture = lab_to_bytes(out)
    values, leans = lab[..., 0][inside], lean[inside]
    low, high = np.percentile(values, (30, 70))
    return picture, Warmth(
        (a, b), float((leans > LEAST_LEAN).mean()), float((leans < -LEAST_LEAN).mean()),
        float(np.median(leans[values >= high])), float(np.median(leans[values <= low])),
    )  # fmt: skip
