"""What a change of surroundings does to the values that are seen: the animal in its photo and on the portrait's backdrop."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import ArrayLike

from hanabira.core.colour.appearance import seen_step
from hanabira.core.colour.spaces import Array, bytes_to_lab, srgb_to_lab
from hanabira.core.faults import AreaFault

_SIDE = 400
_FIFTHS = (("darks", 10), ("middle", 50), ("lights", 90))


@dataclass(frozen=True)
class Reads:
    """How a part of the animal is seen: L*, its value step in the photo and on the backdrop (1–10.99)."""

    part: str
    lightness: float
    in_photo: float
    on_backdrop: float


def reads(pixels: np.ndarray, alpha: Array, backdrop_rgb: ArrayLike) -> tuple[Reads, ...]:
    """Darks, middle and lights of the animal against the photo's own surroundings and against a backdrop.

    ``alpha`` (h, w) in 0–1 from `isolate`; the surroundings are the median of the photo outside it.
    Raises `AreaFault` when nothing is isolated.
    """
    k = min(1.0, _SIDE / max(pixels.shape[:2]))
    size = max(1, round(pixels.shape[1] * k)), max(1, round(pixels.shape[0] * k))
    lab = bytes_to_lab(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA))
    cover = cv2.resize(np.asarray(alpha, np.float32), size, interpolation=cv2.INTER_AREA)
    animal = lab[cover > 0.9]
    around = lab[cover < 0.05]
    if len(animal) < 20:
        raise AreaFault("Nothing is isolated there.", do="Draw the outline round the animal.")
    ground = np.median(around, 0) if len(around) > 20 else np.array([50.0, 0, 0])
    backdrop = srgb_to_lab(np.asarray(backdrop_rgb, float))
    out = []
    for part, percent in _FIFTHS:
        level = float(np.percentile(animal[:, 0], percent))
        near = animal[np.abs(animal[:, 0] - level) <= 3]
        colour = np.median(near if len(near) else animal, 0)
        out.append(Reads(part, float(colour[0]), seen_step(colour, ground), seen_step(colour, backdrop)))
    return tuple(out)
