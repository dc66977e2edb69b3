"""A drawing grid in millimetres of paper, the same on the sheet, on the photo and on the print."""

from __future__ import annotations

import math
from dataclasses import dataclass

SPACING = (5.0, 100.0)
"""Least and greatest width of a cell in millimetres."""

GridLine = tuple[float, float, float, float]


@dataclass(frozen=True)
class Grid:
    """Cells of ``spacing_mm`` counted from the picture's top left corner, with ``diagonals`` and numbers when asked."""

    spacing_mm: float = 20.0
    diagonals: bool = False
    numbered: bool = True

    def lines(self, width_mm: float, height_mm: float) -> tuple[GridLine, ...]:
        """Straight lines x0, y0, x1, y1 in mm of the picture; the outer frame is not among them.

        >>> Grid(50.0).lines(100.0, 60.0)
        ((50.0, 0.0, 50.0, 60.0), (0.0, 50.0, 100.0, 50.0))
        """
        s = self.spacing_mm
        upright = [(k * s, 0.0, k * s, height_mm) for k in range(1, math.ceil(width_mm / s - 1e-9))]
        level = [(0.0, k * s, width_mm, k * s) for k in range(1, math.ceil(height_mm / s - 1e-9))]
        return tuple(upright + level)

    def slants(self, width_mm: float, height_mm: float) -> tuple[GridLine, ...]:
        """Both diagonals of every cell as long lines across the picture; none unless asked for."""
        if not self.diagonals:
            return ()
        s, out = self.spacing_mm, []
        for k in range(-math.ceil(height_mm / s), math.ceil(width_mm / s) + 1):
            out.append(_clip(k * s, 0.0, 1.0, width_mm, height_mm))
        for k in range(math.ceil(width_mm / s) + math.ceil(height_mm / s) + 1):
            out.append(_clip(k * s, 0.0, -1.0, width_mm, height_mm))
        return tuple(q for q in out if q is not None)

    def numbers(self, width_mm: float, height_mm: float) -> tuple[tuple[float, float, str], ...]:
        """Where the cells' numbers stand, x, y in mm of the picture: columns 1, 2, 3 … above, rows a, b, c … at the left.

        >>> Grid(50).numbers(100, 60)
        ((25.0, 0.0, '1'), (75.0, 0.0, '2'), (0.0, 25.0, 'a'), (0.0, 55.0, 'b'))
        """
        if not self.numbered:
            return ()
        s, out = self.spacing_mm, []
        for k in range(math.ceil(width_mm / s - 1e-9)):
            out.append(((k * s + min((k + 1) * s, width_mm)) / 2, 0.0, str(k + 1)))
        for k in range(math.ceil(height_mm / s - 1e-9)):
            out.append((0.0, (k * s + min((k + 1) * s, height_mm)) / 2, row_name(k)))
        return tuple(out)


def row_name(k: int) -> str:
    """Letters of a row counted from 0.

    >>> row_name(0), row_name(25), row_name(26)
    ('a', 'z', 'aa')
    """
    name = ""
    k += 1
    while k:
        k, rest = divmod(k - 1, 26)
        name = chr(97 + rest) + name
    return name


def _clip(x: float, y: float, slope: float, w: float, h: float) -> GridLine | None:
    """The part inside w × h of the line through (x, y) going down at ±45°."""
    low, high = -math.inf, math.inf
    for start, step, most in ((x, slope, w), (y, 1.0, h)):
        a, b = (0 - start) / step, (most - start) / step
        low, high = max(low, min(a, b)), min(high, max(a, b))
    if high - low < 1e-6:
        return None
    return x + slope * low, y + low, x + slope * high, y + high
