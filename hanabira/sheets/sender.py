"""Who a sheet is from, at its foot."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from hanabira.sheets.pictures import reader

MARK_HIGH, MARK_WIDE = 9 * mm, 32 * mm
"""A mark is made as large as fits into these."""


@dataclass(frozen=True)
class Sender:
    """Name of the studio or the artist, and a mark (H, W, 3) uint8; either may be missing."""

    name: str = ""
    mark: np.ndarray | None = None

    def draw(self, canvas: Canvas, x: float, baseline: float, font: str = "lato", size: float = 8) -> None:
        """Mark and name beside it, in points of the page; the ink is the one that is set."""
        if self.mark is not None:
            h, w = self.mark.shape[:2]
            k = min(MARK_HIGH / h, MARK_WIDE / w)
            middle = baseline + 0.35 * size
            canvas.drawImage(reader(self.mark), x, middle - k * h / 2, k * w, k * h)
            x += k * w + 2.5 * mm
        canvas.setFont(font, size)
        canvas.drawString(x, baseline, self.name)


NOBODY = Sender()
"""No name and no mark."""
