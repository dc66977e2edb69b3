"""A flap over the picture: where a narrow window has no room for two views side by side, it turns from one to the other."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.desk import icon as icons
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import LEFT, text, width
from hanabira.desk.theme import role

HIGH = 30.0


class Flap(Drawn):
    """A strip with one word; a click or Enter turns it."""

    def __init__(self, turned: Callable[[], object], parent: QWidget | None = None) -> None:
        super().__init__("Flap", parent)
        self.words, self.icon_name, self._turned = "", "", turned
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def set(self, words: str, icon: str, help_: str) -> None:
        """What a turn leads to."""
        self.words, self.icon_name = words, icon
        self.setAccessibleName(words)
        self.setToolTip(help_)
        self.refresh()

    def design_size(self, _width: float) -> tuple[float, float]:
        return width(self.words, "strong") + 60, HIGH

    def stops(self, w: float, h: float) -> list[Stop]:
        return [Stop("turn", QRectF(3, 3, w - 6, h - 6), self.words, self.toolTip(), lambda: self._turned())]

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("plum_wash" if self.hovered else "card"))
        p.setPen(QPen(role("line"), 1))
        p.drawLine(QPointF(0, h - 0.5), QPointF(w, h - 0.5))
        icons.draw(p, self.icon_name, QRectF(16, h / 2 - 11, 22, 22), "ink")
        text(p, QRectF(46, 0, w - 90, h), self.words, "strong", "ink", LEFT, elide=True)
        icons.draw(p, "swap", QRectF(w - 36, h / 2 - 10, 20, 20), "ink")
