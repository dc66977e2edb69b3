"""Hours as bars: what was taken over what was planned, area by area or day by day."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from hanabira.desk.drawn import Drawn
from hanabira.desk.paint import LEFT, RIGHT, text
from hanabira.desk.theme import role

ROW = 44.0


@dataclass(frozen=True)
class Bar:
    """Minutes taken against a planned range; ``tail`` the figures in words."""

    name: str
    taken: float
    low: float
    high: float
    tail: str


class HourBars(Drawn):
    """One row a thing: its name and figures, under them the planned range as an open frame with the taken time filled in."""

    def __init__(self, name: str, bars: Sequence[Bar]) -> None:
        super().__init__(f"{name}: " + "; ".join(f"{b.name} {b.tail}" for b in bars))
        self.bars = tuple(bars)

    def design_size(self, width: float) -> tuple[float, float]:
        return 220, ROW * len(self.bars)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        most = max((max(b.taken, b.high) for b in self.bars), default=1.0) or 1.0
        k = (w - 8) / most
        for n, b in enumerate(self.bars):
            y = n * ROW
            text(p, QRectF(0, y, w * 0.58, 20), b.name, "small", "ink", LEFT, elide=True)
            text(p, QRectF(w * 0.58, y, w * 0.42 - 4, 20), b.tail, "small", "ink2", RIGHT, elide=True)
            p.fillRect(QRectF(2, y + 25, b.taken * k, 9), role("ink"))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(role("edge"), 1.4))
            if b.high > b.low:  # from a good day to a bad one
                p.drawRect(QRectF(2 + b.low * k, y + 22, (b.high - b.low) * k, 15))
            elif b.high > 0:
                p.drawLine(QPointF(2 + b.high * k, y + 20), QPointF(2 + b.high * k, y + 39))
