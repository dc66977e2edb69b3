"""The ground truth of the demo photo, reduced to cells of eight pixels."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

DATA = Path(__file__).parent / "data"
PHOTO = DATA / "tansy.jpg"


@dataclass(frozen=True)
class Truth:
    """``direction_deg`` axial, NaN without hair; ``part`` see animals.engine.PARTS; ``marking`` 0 or 1; ``step_px`` pixels a cell."""

    direction_deg: np.ndarray
    part: np.ndarray
    marking: np.ndarray
    light: np.ndarray
    step_px: int


def demo_truth() -> Truth:
    """Truth of `PHOTO`: written when it was rendered (rabbit, harlequin, 2000 × 1600, seed 1)."""
    with np.load(DATA / "tansy_truth.npz", allow_pickle=False) as f:
        raw = f["direction"]
        direction = np.where(raw == 255, np.nan, raw / 254 * 180)
        return Truth(direction, f["part"], f["marking"], f["light"], int(f["step_px"]))
