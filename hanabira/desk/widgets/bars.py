"""Hours as bars: what was taken over what was planned, area by area or day by day."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from hanabira.desk.drawn import Drawn
from hanabira.desk.paint import LEFT, RIGHT, text
from hanabira.desk.theme import role

ROW, AXIS = 44.0, 24.0
STEPS_MIN = (15.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1200.0, 3000.0)
"""Distances of the axis's marks in minutes."""


@dataclass(frozen=True)
class Bar:
    """Minutes taken against a planned range; ``tail`` the figures in words."""

    name: str
    taken: float
    low: float
    high: float
    tail: str


def hour_ticks(most: float) -> tuple[float, ...]:
    """Minutes at which an axis up to ``most`` minutes has a mark: whole steps of a quarter of an hour and more, at most five of them.

    >>> hour_ticks(70), hour_ticks(400)
    ((15.0, 30.0, 45.0, 60.0), (120.0, 240.0, 360.0))
    """
    step = next((q for q in STEPS_MIN if most / q <= 5), STEPS_MIN[-1])
    return tuple(n * step for n in range(1, int(most / step) + 1)) or (step,)


class HourBars(Drawn):
    """One row a thing: its name and figures, under them the planned range as an open frame with the taken time filled in."""

    def __init__(self, name: str, bars: Sequence[Bar]) -> None:
        super().__init__(f"{name}: " + "; ".join(f"{b.name} {b.tail}" for b in bars))
        self.bars = tuple(bars)

    def design_size(self, width: float) -> tuple[float, float]:
        return 220, ROW * len(self.bars) + AXIS

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
        foot = ROW * len(self.bars)
        p.setPen(QPen(role("edge"), 1.0))
        p.drawLine(QPointF(2, foot + 2), QPointF(w - 6, foot + 2))
        for minutes in hour_ticks(most):
            x = 2 + minutes * k
            p.setPen(QPen(role("edge"), 1.0))
            p.drawLine(QPointF(x, foot), QPointF(x, foot + 5))
            label = f"{minutes / 60:g}\u2009h" if minutes >= 60 else f"{minutes:g}\u2009min"
            text(p, QRectF(x - 48, foot + 5, 50, 14), label, "small", "ink2", RIGHT)
