"""What a printed page holds: its boxes in millimetres from the top left corner, with their colours."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pypdf

MM = 72 / 25.4
_PAINTS = (b"f", b"f*", b"S", b"s", b"B", b"B*", b"b")
Rect = tuple[float, float, float, float]


class Printed:
    """A page of a PDF: ``size`` in mm, its ``text``, and ``boxes`` (x, y, width, height in mm, fill colour of the moment) that are painted."""

    def __init__(self, page: pypdf.PageObject, origin: tuple[float, float] = (0.0, 0.0)) -> None:
        self.size = float(page.mediabox.width) / MM, float(page.mediabox.height) / MM
        self.text = page.extract_text()
        self.boxes: list[tuple[Rect, tuple[float, ...] | None]] = []
        self.images: list[Rect] = []
        """Where pictures lie, in the order in which they are painted."""
        self.shapes: list[tuple[Rect, tuple[float, ...] | None]] = []
        """Bounds of the end points of filled paths other than boxes, with their colours."""
        points: list[tuple[float, float]] = []
        matrix = [1.0, 0.0, 0.0, 1.0, 0.0, 0.0]
        fill: tuple[float, ...] | None = None
        last: Rect | None = None
        for operands, operator in pypdf.generic.ContentStream(page.get_contents(), None).operations:
            if operator in (b"rg", b"g"):
                v = [float(q) for q in operands]
                fill = tuple(v) if operator == b"rg" else (v[0],) * 3
            elif operator == b"cm":
                matrix = [float(q) for q in operands]
            elif operator == b"Do":
                w, h, x, y = (matrix[k] / MM for k in (0, 3, 4, 5))
                self.images.append((x - origin[0], self.size[1] - y - h - origin[1], w, h))
            elif operator == b"re":
                x, y, w, h = (float(q) / MM for q in operands)
                last = (x - origin[0], self.size[1] - y - h - origin[1], w, h)
            elif operator in (b"m", b"l", b"c", b"v", b"y"):
                points = ([] if operator == b"m" else points) + [(float(operands[-2]) / MM, float(operands[-1]) / MM)]
            elif operator in _PAINTS and last is not None:
                self.boxes.append((last, fill))
            elif operator in (b"f", b"f*", b"B", b"B*", b"b") and points:
                xs, ys = zip(*points, strict=True)
                self.shapes.append(((min(xs) - origin[0], self.size[1] - max(ys) - origin[1], max(xs) - min(xs), max(ys) - min(ys)), fill))
            if operator not in (b"re", b"rg", b"g"):
                last = None

    def colours_at(self, rect: Sequence[float]) -> list[tuple[float, ...] | None]:
        """Fill colours of the boxes that lie just there."""
        return [c for r, c in self.boxes if np.allclose(r, rect, atol=0.02)]

    def forms_about(self, middle: Sequence[float]) -> list[tuple[Rect, tuple[float, ...] | None]]:
        """Bounds and colours of the filled paths whose middle lies within a millimetre of a place, in the order in which they are painted."""
        return [(r, c) for r, c in self.shapes if abs(r[0] + r[2] / 2 - middle[0]) < 1 and abs(r[1] + r[3] / 2 - middle[1]) < 1]


def is_mark(page: Printed, middle: Sequence[float], side: float, holed: bool) -> bool:
    """Whether a corner mark of a side in mm is printed about a place: dark square, light disc, dark blossom, and a light hole where it is the first."""
    forms = page.forms_about(middle)
    dark = [c is not None and max(c) < 0.01 for _r, c in forms]
    square = (middle[0] - side / 2, middle[1] - side / 2, side, side)
    inside = all(max(r[2], r[3]) < 0.8 * side for r, _c in forms[1:])
    return dark == [True, False, True, False][: 4 if holed else 3] and inside and bool(np.allclose(forms[0][0], square, atol=0.02))
