"""A swatch sheet that was read: the photo with its cells, each with what was measured."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy

from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import hatch, largest, mapped, text, two_tone
from hanabira.desk.theme import role

if TYPE_CHECKING:
    from hanabira.core.colour.spaces import Array

MARGIN = 0.06
"""Of the cells' longer extent, round them."""


class SheetView(Drawn):
    """Cells outlined on the photo; in the middle of each lies the colour read from it, so that a misreading shows as a square."""

    chosen_cell = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__("The sheet with its cells")
        self.image: QImage | None = None
        self.size_px = (1, 1)
        self.rects: list[Array] = []
        self.labs: list[Array] = []
        self.flags: list[str] = []
        self.names: list[str] = []
        self.chosen = -1
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def set(
        self,
        image: QImage,
        size_px: tuple[int, int],
        rects: Sequence[Array],
        labs: Sequence[Array],
        flags: Sequence[str],
        names: Sequence[str],
    ) -> None:
        """Show a sheet: its photo, and of every cell the corners in photo pixels (4, 2), Lab, flag and name."""
        self.image, self.size_px = image, size_px
        self.rects, self.labs, self.flags, self.names = list(rects), list(labs), list(flags), list(names)
        self.refresh()

    def set_empty(self) -> None:
        """Show no photo: the patches come from a file or an instrument."""
        self.image, self.chosen = None, -1
        self.rects, self.labs, self.flags, self.names = [], [], [], []
        self.refresh()

    def design_size(self, width: float) -> tuple[float, float]:
        return 200, 180

    def _fit(self, w: float, h: float) -> tuple[float, float, float]:
        """Scale, and where the photo's corner lies, so that the cells with a margin fill the view; the table round the sheet is left out."""
        left, top, right, bottom = self._framed()
        k = min((w - 24) / (right - left), (h - 24) / (bottom - top))
        return k, (w - (left + right) * k) / 2, (h - (top + bottom) * k) / 2

    def _framed(self) -> tuple[float, float, float, float]:
        wide, high = self.size_px
        if not self.rects:
            return 0.0, 0.0, float(wide), float(high)
        points = np.concatenate(self.rects)
        (left, top), (right, bottom) = points.min(0), points.max(0)
        more = MARGIN * max(right - left, bottom - top)
        return max(0.0, left - more), max(0.0, top - more), min(float(wide), right + more), min(float(high), bottom + more)

    def _corners(self, i: int, w: float, h: float) -> list[QPointF]:
        k, x, y = self._fit(w, h)
        return [QPointF(x + float(q[0]) * k, y + float(q[1]) * k) for q in self.rects[i]]

    def stops(self, w: float, h: float) -> list[Stop]:
        out = []
        for i, name in enumerate(self.names):
            points = self._corners(i, w, h)
            xs, ys = [q.x() for q in points], [q.y() for q in points]
            lab = self.labs[i]
            said = f"{name}: L* {lab[0]:.0f}, a* {lab[1]:.0f}, b* {lab[2]:.0f}" + (f", {self.flags[i]}" if self.flags[i] else "")
            out.append(Stop(f"cell {i}", QRectF(min(xs), min(ys), max(xs) - min(xs), max(ys) - min(ys)), said, said, self._chooser(i)))
        return out

    def _chooser(self, i: int) -> Callable[[], None]:
        return lambda: self.chosen_cell.emit(i)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("mat"))
        if self.image is None:
            words, room = "These patches come without a picture.", QRectF(20, 20, w - 40, h - 40)
            type_ = largest(words, room, "name", "small", "note")
            if type_:
                text(p, room, words, type_, "mat_ink", Qt.AlignmentFlag.AlignCenter, wrap=True)
            return
        k, x, y = self._fit(w, h)
        left, top, right, bottom = self._framed()
        seen = QRectF(x + left * k, y + top * k, (right - left) * k, (bottom - top) * k)
        share_x, share_y = self.image.width() / self.size_px[0], self.image.height() / self.size_px[1]
        p.drawImage(seen, self.image, QRectF(left * share_x, top * share_y, (right - left) * share_x, (bottom - top) * share_y))
        for i in range(len(self.rects)):
            points = self._corners(i, w, h)
            path = QPainterPath(points[0])
            for q in points[1:]:
                path.lineTo(q)
            path.closeSubpath()
            c = path.boundingRect().center()
            box = path.boundingRect()
            s = 0.22 * min(box.width(), box.height())
            p.fillRect(QRectF(c.x() - s, c.y() - s, 2 * s, 2 * s), mapped(self.labs[i]))
            if self.flags[i]:
                hatch(p, box, role("bed_ink"), 5, 1.2, path)
            if i == self.chosen:
                two_tone(p, path, 2.6)
            else:
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.setPen(QPen(role("bed_ink", 160), 0.8))
                p.drawPath(path)


def cell_corners(rect: tuple[float, float, float, float], to_photo: Array) -> Array:
    """Corners (4, 2) in photo pixels of a rectangle in mm of the page."""
    x, y, w, h = rect
    points = np.array([[x, y, 1], [x + w, y, 1], [x + w, y + h, 1], [x, y + h, 1]], float) @ to_photo.T
    return points[:, :2] / points[:, 2:]
