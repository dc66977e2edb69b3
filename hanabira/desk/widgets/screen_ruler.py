"""Ask once to hold a ruler to the screen, so that true size is true."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from hanabira.desk.controls import Number, PetalButton, Words, label
from hanabira.desk.drawn import Drawn
from hanabira.desk.paint import text
from hanabira.desk.theme import role, scale

if TYPE_CHECKING:
    from hanabira.session.settings import Settings

LINE_PX = 400


class _Line(Drawn):
    def __init__(self) -> None:
        super().__init__(f"A line of {LINE_PX} screen pixels")

    def design_size(self, width: float) -> tuple[float, float]:
        return LINE_PX / scale() + 20, 46

    def paint(self, p: QPainter, w: float, h: float) -> None:
        n = LINE_PX / scale()
        p.setPen(QPen(role("ink"), 2))
        p.drawLine(QPointF(10, 30), QPointF(10 + n, 30))
        for x in (10, 10 + n):
            p.drawLine(QPointF(x, 20), QPointF(x, 40))
        text(p, QRectF(10, 0, n, 18), "measure from end to end", "small", "ink2", Qt.AlignmentFlag.AlignCenter)


class ScreenRuler(QFrame):
    """A line of known pixels; the artist types what a ruler shows."""

    def __init__(self, parent: QWidget, settings: Settings) -> None:
        super().__init__(parent, Qt.WindowType.Tool)
        self.setWindowTitle("Hold a ruler to the screen")
        self.settings = settings
        box = QVBoxLayout(self)
        box.addWidget(Words("Hold a ruler to the line and type its length. True size is then true on this screen.", "body", "ink"))
        box.addWidget(_Line())
        row = QHBoxLayout()
        self.field = Number()
        self.field.setAccessibleName("Length of the line in millimetres")
        self.field.setRange(LINE_PX / 20, LINE_PX / 2)
        self.field.setDecimals(1)
        self.field.setSuffix("\u2009mm")
        self.field.setValue(LINE_PX / settings.get("screen_px_per_mm"))
        keep = PetalButton("Keep it", main=True)
        keep.clicked.connect(self._keep)
        row.addWidget(label("The line is"))
        row.addWidget(self.field)
        row.addStretch(1)
        row.addWidget(keep)
        box.addLayout(row)

    def _keep(self) -> None:
        self.settings.set("screen_px_per_mm", LINE_PX / self.field.value())
        self.close()
