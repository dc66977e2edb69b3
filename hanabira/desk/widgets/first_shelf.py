"""The empty shelf: what the application does, in three real results taped to the wall, and a demo to look round in."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cache
from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.desk.controls import PetalButton
from hanabira.desk.drawn import Drawn
from hanabira.desk.paint import height as text_height
from hanabira.desk.paint import petal, tape, text
from hanabira.desk.theme import role, scale, u

PICTURES = Path(__file__).parent.parent / "first"
SHEETS = (
    ("measure", "Measure the photo", "Values, hidden hues, hair and eyes of every area, in millimetres of your sheet."),
    ("lay", "Lay what you own", "Layers for your own pencils and paper, with the colour after each one."),
    ("near", "See how near you are", "The sheet foretold beside the photo; later a photo of the work, and the one thing to do next."),
)
TITLE = "From a photo to a portrait in your own pencils"
UNDER = "Three things happen here. Each is yours to change, and nothing is lost."
SHAPE = 484 / 616
WIDE = 620.0
"""Design units from which there is room for words under the pictures."""
PAPER = QColor("#f4f3ef")


@cache
def picture(name: str) -> QImage:
    """One of the three results."""
    return QImage(str(PICTURES / f"{name}.jpg"))


class FirstShelf(Drawn):
    """Shown where the studio holds no commission; ``demo`` opens the demo studio."""

    def __init__(self, demo: Callable[[], object], parent: QWidget | None = None) -> None:
        super().__init__(TITLE, parent)
        self.setAccessibleDescription(" ".join(f"{k}. {name}: {words}" for k, (_p, name, words) in enumerate(SHEETS, 1)))
        self.button = PetalButton(
            "Look round the demo studio", "shelf", tip="Three made-up commissions in a studio of their own; yours stays empty"
        )
        self.button.setParent(self)
        self.button.clicked.connect(lambda _=False: demo())
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def design_size(self, width: float) -> tuple[float, float]:
        return 220, 320

    def resizeEvent(self, event) -> None:  # noqa: ANN001
        super().resizeEvent(event)
        self._place()

    def _place(self) -> None:
        size = self.button.sizeHint()
        wide = min(size.width(), self.width() - u(24))  # its words take two lines where one has no room
        self.button.setGeometry(
            max(u(12), self.width() - wide - u(20)), self.height() - u(self._strip()) + (u(self._strip()) - size.height()) // 2, wide, size.height()
        )

    def _strip(self) -> float:
        """Height of the demo's strip."""
        return 84.0

    def paint(self, p: QPainter, w: float, h: float) -> None:
        self._place()
        p.fillRect(QRectF(0, 0, w, h), role("mat"))
        y = 14.0
        wide = w > WIDE
        title_high = text_height(TITLE, w - 48, "title" if wide else "name")
        text(p, QRectF(24, y, w - 48, title_high + 2), TITLE, "title" if wide else "name", "mat_ink", wrap=True)
        y += title_high + 4
        if wide:
            text(p, QRectF(24, y, w - 48, 22), UNDER, "body", "mat_ink", elide=True)
            y += 26
        strip = self._strip()
        one = (w - 48) / 3
        # in a narrow window the pictures keep their room and the words are told to screen readers alone
        words_high = max(text_height(words, one - 20, "small") for _p, _n, words in SHEETS) + 36 if wide else 16.0
        room = QRectF(24, y + 18, w - 48, h - strip - words_high - y - 44)
        high = max(40.0, min(room.height(), (one - 26) / SHAPE))
        line = room.top() + high + 26
        self._thread(p, w, line)
        for k, (name, title, words) in enumerate(SHEETS):
            x = room.left() + k * one
            sheet = QRectF(x, room.top(), high * SHAPE, high)
            p.fillRect(sheet, PAPER)
            image = picture(name)
            if not image.isNull():
                p.drawImage(sheet.adjusted(8, 8, -8, -8), image)
            tape(p, sheet)
            p.save()
            p.translate(x + 8, line)
            p.rotate(-66)
            p.fillPath(petal(22, 6.5), role("mat_ink"))
            p.restore()
            if not wide:
                continue
            text(p, QRectF(x + 26, line - 24, one - 30, 24), title, "name", "mat_ink", elide=True)
            text(p, QRectF(x, line + 8, one - 20, words_high - 20), words, "small", "mat_ink", wrap=True)
        foot = QRectF(0, h - strip, w, strip)
        p.fillRect(foot, role("card"))
        room_left = self.button.x() / scale() - 44
        if room_left < 300:
            return
        text(p, QRectF(24, foot.top() + 10, room_left, 24), "Three animals to try it on", "name", "ink", elide=True)
        text(
            p,
            QRectF(24, foot.top() + 36, room_left, 40),
            "An owl delivered, a pony half done, a rabbit just planned. Made up, and yours to spoil.",
            "small",
            "ink2",
            wrap=True,
        )

    @staticmethod
    def _thread(p: QPainter, w: float, y: float) -> None:
        path = QPainterPath(QPointF(0, y))
        for x in range(0, int(w) + 6, 6):
            path.lineTo(x, y + 2 * math.sin(x / 70))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(role("mat_ink"), 1.4))
        p.drawPath(path)
