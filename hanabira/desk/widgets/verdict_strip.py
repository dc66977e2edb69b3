"""The verdict on a photo: one sentence, and under it the one thing to do; a bar while it is being read."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPen

from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import RIGHT, height, text, width
from hanabira.desk.theme import role

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

PAD = 20.0
LEAST, NARROW = 120.0, 460.0
"""Units that words need beside others; and under which what stands at the right goes one under the other."""


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

    def _beside(self, room: float) -> float:
        """What the remedy has beside how it is judged and, in a narrow strip over that, the count; 0 where those go under it."""
        wide = room - self._side()
        return wide if wide >= LEAST else 0.0

    def design_size(self, width: float) -> tuple[float, float]:
        room = self._room(width)
        wide = self._beside(room)
        words, side = height(self.remedy or " ", wide or room, "body"), 40.0 if self.count and room <= NARROW else 20.0
        return 220, 20 + height(self.sentence or " ", room, "name") + (max(words, side) if wide else words + side)

    def stops(self, w: float, h: float) -> list[Stop]:
        n = width("how judged", "small")
        return [Stop("how", QRectF(w - PAD - n, h - 29, n + 2, 26), "How a photo is judged", "Show how a photo is judged", self.explain)]

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("card"))
        room = self._room(w)
        high = height(self.sentence or " ", room, "name")
        text(p, QRectF(PAD, 8, room, high + 2), self.sentence, "name", "ink", wrap=True)
        text(p, QRectF(PAD, 12 + high, self._beside(room) or room, h - high - 14), self.remedy, "body", "ink2", wrap=True)
        n = width("how judged", "small")
        if self.count:
            x = w - PAD - n - 14 - width(self.count, "small") if room > NARROW else w - PAD - width(self.count, "small")
            y = h - 28 if room > NARROW else h - 48
            text(p, QRectF(x, y, width(self.count, "small") + 2, 22), self.count, "small", "ink2", RIGHT)
        r = QRectF(w - PAD - n, h - 28, n + 1, 22)
        text(p, r, "how judged", "small", "plum" if self.hovered == "how" else "ink2", RIGHT)
        p.setPen(QPen(role("ink2"), 1))
        p.drawLine(r.bottomLeft(), r.bottomRight())
        p.setPen(QPen(role("line"), 1))
        p.drawLine(QRectF(0, h - 0.5, w, 0).topLeft(), QRectF(0, h - 0.5, w, 0).topRight())
