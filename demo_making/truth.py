"""The demo's client photos with their ground truth, reduced to cells of eight pixels."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from hanabira.demo.pictures import PHOTOS

DATA = Path(__file__).parent / "data"


@dataclass(frozen=True)
class Truth:
    """``direction_deg`` axial, NaN without hair or barbs; ``part`` numbers as the renderer names them (0 is background).

    ``marking`` 0 or 1; ``light`` points to the light: right, up, to the viewer; ``step_px`` pixels a cell;
    ``row_px`` the spacing of feather rows, NaN for fur.
    """

    direction_deg: np.ndarray
    part: np.ndarray
    marking: np.ndarray
    light: np.ndarray
    step_px: int
    row_px: np.ndarray | None = None

    @property
    def light_deg(self) -> float:
        """Direction of the light in the picture, 0 right, counter-clockwise."""
        return float(np.degrees(np.arctan2(self.light[1], self.light[0])) % 360)


def demo_truth(kind: str = "rabbit") -> Truth:
    """Truth of one of `PHOTOS`, written when it was rendered."""
    with np.load(DATA / f"{PHOTOS[kind].stem}_truth.npz", allow_pickle=False) as f:
        raw = f["direction"]
        direction = np.where(raw == 255, np.nan, raw / 254 * 180)
        row = np.where(f["row"] == 0, np.nan, f["row"].astype(np.float32) / 4) if "row" in f else None
        return Truth(direction, f["part"], f["marking"], f["light"], int(f["step_px"]), row)


def reduced(
    direction: np.ndarray, part: np.ndarray, marking: np.ndarray, light: np.ndarray, row: np.ndarray | None = None, step: int = 8
) -> dict:
    """Truth arrays of full size as the small arrays that ship: one byte a cell, angles in 254ths of a half turn."""
    h, w = part.shape[0] // step, part.shape[1] // step
    block = lambda a: a[: h * step, : w * step].reshape(h, step, w, step)  # noqa: E731
    known = np.isfinite(direction)
    z = np.where(known, np.exp(2j * np.radians(np.nan_to_num(direction))), 0)
    mean, share = block(z).mean((1, 3)), block(known.astype(float)).mean((1, 3))
    angle = np.degrees(np.angle(mean)) / 2 % 180
    coded = np.where(share > 0.5, np.round(angle / 180 * 254) % 254, 255).astype(np.uint8)
    out = {
        "direction": coded,
        "part": part[step // 2 :: step, step // 2 :: step][:h, :w].astype(np.uint8),
        "marking": (block(marking.astype(float)).mean((1, 3)) > 0.5).astype(np.uint8),
        "light": np.asarray(light, np.float32),
        "step_px": np.int32(step),
    }
    if row is not None:
        known = np.isfinite(row)
        total, count = block(np.where(known, row, 0.0)).sum((1, 3)), block(known.astype(float)).sum((1, 3))
        out["row"] = np.clip(np.where(count > step * step / 2, total / np.maximum(count, 1) * 4, 0), 0, 255).astype(np.uint8)
    return out
