"""A hand drill's sheet: as it is printed, or as it was photographed, with what was measured on it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.desk.drawn import Drawn
from hanabira.desk.paint import text, two_tone
from hanabira.desk.theme import role

if TYPE_CHECKING:
    from hanabira.core.practice.hand import HandSheet

TOP_MM, FOOT_MM, SIDE_MM = 8.0, 10.0, 8.0
"""How much of the page is shown round its fields."""
PAPER, PALE, LINE = QColor(246, 245, 241), QColor(205, 205, 202), QColor(150, 150, 148)


def shown_mm(sheet: HandSheet) -> QRectF:
    """What of the page is shown, in mm."""
    rects = [QRectF(*c.rect) for c in sheet.page.cells]
    out = rects[0]
    for r in rects[1:]:
        out = out.united(r)
    return out.adjusted(-SIDE_MM, -TOP_MM, SIDE_MM, FOOT_MM)


class HandPage(Drawn):
    """Shows the fields of a sheet; keys go to ``key``."""

    takes_keys = True

    def __init__(self, key: Callable[[QKeyEvent], bool], parent: QWidget | None = None) -> None:
        super().__init__("The sheet of the drill", parent)
        self.take_key = key
        self.sheet: HandSheet | None = None
        self.image: QImage | None = None
        self.marks: tuple[tuple[tuple[float, float], ...], ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def set(self, sheet: HandSheet, image: QImage | None = None, marks: Sequence[Sequence[tuple[float, float]]] = ()) -> None:
        """Show a sheet; with an ``image`` of what `shown_mm` names, as it was photographed, and measured lines in mm of the page."""
        self.sheet, self.image, self.marks = sheet, image, tuple(tuple(q) for q in marks)
        self.setAccessibleDescription(f"{sheet.page.title}, " + ("as it was photographed" if image is not None else "as it is printed"))
        self.refresh()

    def design_size(self, width: float) -> tuple[float, float]:
        return 200, 180

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("mat"))
        if self.sheet is None:
            return
        part = shown_mm(self.sheet)
        k = min((w - 48) / part.width(), (h - 28) / part.height())
        frame = QRectF(0, 0, part.width() * k, part.height() * k)
        frame.moveCenter(QPointF(w / 2, h / 2))
        at = lambda x, y: QPointF(frame.left() + (x - part.left()) * k, frame.top() + (y - part.top()) * k)  # noqa: E731
        if self.image is not None:
            p.drawImage(frame, self.image)
        else:
            p.fillRect(frame, PAPER)
            self._printed(p, at, k)
        for line in self.marks:
            path = QPainterPath(at(*line[0]))
            for q in line[1:]:
                path.lineTo(at(*q))
            two_tone(p, path, 1.4)

    def _printed(self, p: QPainter, at: Callable[[float, float], QPointF], k: float) -> None:
        assert self.sheet is not None
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(PALE, 1.2))
        for line in self.sheet.guides:
            path = QPainterPath(at(*line[0]))
            for q in line[1:]:
                path.lineTo(at(*q))
            p.drawPath(path)
        for x, y, r in self.sheet.circles:
            p.drawEllipse(at(x, y), r * k, r * k)
        for cell in self.sheet.page.cells:
            x, y, w, h = cell.rect
            p.setPen(QPen(LINE, 1))
            p.drawRect(QRectF(at(x, y), at(x + w, y + h)))
            text(
                p,
                QRectF(at(x, y + h) + QPointF(0, 3), at(x + w, y + h) + QPointF(0, 22)),
                cell.label,
                "note",
                QColor(70, 70, 70),
                elide=True,
            )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.take_key(event):
            super().keyPressEvent(event)
