"""The verdict on a photo: one sentence, and under it the one thing to do; a bar while it is being read."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QWidget

from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import RIGHT, height, text, width
from hanabira.desk.theme import role

PAD = 20.0


class VerdictStrip(Drawn):
    """Sentence, remedy, which fault of how many, and a way to how it is judged."""

    def __init__(self, explain: Callable[[], object], parent: QWidget | None = None) -> None:
        super().__init__("Verdict", parent)
        self.explain = explain
        self.sentence, self.remedy, self.count = "", "", ""
        self.working = False

    def set(self, sentence: str, remedy: str = "", count: str = "", working: bool = False) -> None:
        """Say something else."""
        self.sentence, self.remedy, self.count, self.working = sentence, remedy, count, working
        self.setAccessibleName(f"Verdict. {sentence} {remedy}")
        self.refresh()

    def _room(self, w: float) -> float:
        return max(120.0, w - 2 * PAD)

    def _side(self) -> float:
        return max(width("how judged", "small"), width(self.count, "small")) + 18

    def design_size(self, width: float) -> tuple[float, float]:
        room = self._room(width)
        return 220, 20 + height(self.sentence or " ", room, "name") + height(self.remedy or " ", max(90.0, room - self._side()), "body")

    def stops(self, w: float, h: float) -> list[Stop]:
        n = width("how judged", "small")
        return [Stop("how", QRectF(w - PAD - n, h - 29, n + 2, 26), "How a photo is judged", "Show how a photo is judged", self.explain)]

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("card"))
        room = self._room(w)
        high = height(self.sentence or " ", room, "name")
        text(p, QRectF(PAD, 8, room, high + 2), self.sentence, "name", "ink", wrap=True)
        side = self._side()
        text(p, QRectF(PAD, 12 + high, max(90.0, room - side), h - high - 14), self.remedy, "body", "ink2", wrap=True)
        n = width("how judged", "small")
        if self.count:
            x = w - PAD - n - 14 - width(self.count, "small") if room > 460 else w - PAD - width(self.count, "small")
            y = h - 28 if room > 460 else h - 48
            text(p, QRectF(x, y, width(self.count, "small") + 2, 22), self.count, "small", "ink2", RIGHT)
        r = QRectF(w - PAD - n, h - 28, n + 1, 22)
        text(p, r, "how judged", "small", "plum" if self.hovered == "how" else "ink2", RIGHT)
        p.setPen(QPen(role("ink2"), 1))
        p.drawLine(r.bottomLeft(), r.bottomRight())
        p.setPen(QPen(role("line"), 1))
        p.drawLine(QRectF(0, h - 0.5, w, 0).topLeft(), QRectF(0, h - 0.5, w, 0).topRight())
