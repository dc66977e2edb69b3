"""Weeks of practice as leaves on a stem; while a drill runs, its questions as petals: up is too light, down too dark."""

from __future__ import annotations

import datetime
import math
from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import CENTRE, RIGHT, petal, text
from hanabira.desk.theme import role

HIGH = 118.0
APART = 26.0
"""Units from leaf to leaf: each one can be pointed at."""
WEEKS = 8


@dataclass(frozen=True)
class Leaf:
    """A round: its day, drill's name, how many were right."""

    at: datetime.date
    name: str
    words: str


class PracticeStem(Drawn):
    """Weeks, or the run of today's questions."""

    def __init__(self, today: datetime.date, parent: QWidget | None = None) -> None:
        super().__init__("The last eight weeks", parent)
        self.leaves: tuple[Leaf, ...] = ()
        self.run: tuple[float | bool, ...] = ()
        self.of = 0
        self.today = today
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def set(self, leaves: Sequence[Leaf], run: Sequence[float | bool], of: int, today: datetime.date) -> None:
        """Show weeks, or with ``of`` above 0 a run of so many questions: signed errors in steps, or right and wrong."""
        self.leaves, self.run, self.of, self.today = tuple(leaves), tuple(run), of, today
        self.setAccessibleName("Today’s questions" if of else "The last eight weeks")
        self.refresh()

    def design_size(self, width: float) -> tuple[float, float]:
        return 240, HIGH

    def _count(self, w: float) -> int:
        return WEEKS if w > 8 * 62 else 4

    def _weeks(self, w: float) -> list[tuple[datetime.date, list[Leaf]]]:
        monday = self.today - datetime.timedelta(days=self.today.weekday())
        out = []
        for k in range(self._count(w) - 1, -1, -1):
            first = monday - datetime.timedelta(weeks=k)
            out.append((first, [q for q in self.leaves if first <= q.at < first + datetime.timedelta(days=7)]))
        return out

    def stops(self, w: float, h: float) -> list[Stop]:
        if self.of:
            return []
        out = []
        for x, q in self._leaf_places(w):
            out.append(
                Stop(
                    f"{q.at} {q.name} {x:.0f}",
                    QRectF(x - 10, h - 60, 25, 34),
                    f"{q.at:%d %B}: {q.name}, {q.words}",
                    f"{q.name}, {q.words}",
                    lambda: None,
                )
            )
        return out

    def _leaf_places(self, w: float) -> list[tuple[float, Leaf]]:
        one = (w - 48) / self._count(w)
        return [
            (36 + k * one + APART * n, q)
            for k, (_first, some) in enumerate(self._weeks(w))
            for n, q in enumerate(some[-max(1, int((one - 6) / APART)) :])
        ]

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("card"))
        p.setPen(QPen(role("line"), 1))
        p.drawLine(QPointF(0, 0.5), QPointF(w, 0.5))
        if self.of:
            self._run(p, w, h)
            return
        text(p, QRectF(24, 6, w / 2, 20), "The last weeks", "caption")
        text(p, QRectF(w / 2, 6, w / 2 - 24, 20), f"{len(self.leaves)} round{'' if len(self.leaves) == 1 else 's'}", "note", "ink2", RIGHT)
        base = h - 28
        self._stem(p, 24, w - 24, base)
        for x, _q in self._leaf_places(w):
            p.save()
            p.translate(x, base)
            p.rotate(-66)
            p.fillPath(petal(22, 6.5), role("ink"))
            p.restore()
        one = (w - 48) / self._count(w)
        for k, (first, some) in enumerate(self._weeks(w)):
            words = "this week" if k == self._count(w) - 1 else f"{first.day} {first:%b}"
            text(
                p,
                QRectF(24 + k * one, base + 6, one, 18),
                words,
                "caption" if k == self._count(w) - 1 else "note",
                "ink" if some else "ink2",
            )

    def _stem(self, p: QPainter, left: float, right: float, base: float) -> None:
        path = QPainterPath(QPointF(left, base))
        for x in range(int(left), int(right), 6):
            path.lineTo(x, base + 1.4 * math.sin(x / 40))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(role("ink"), 1.4))
        p.drawPath(path)

    def _run(self, p: QPainter, w: float, h: float) -> None:
        values = any(not isinstance(v, bool) for v in self.run)
        text(p, QRectF(24, 4, w - 48, 20), "Today’s spots, error in steps" if values else "Today’s questions, full is right", "caption")
        base = h - 44
        p.setPen(QPen(role("ink"), 1.2))
        p.drawLine(QPointF(60, base), QPointF(w - 24, base))
        one = (w - 110) / max(1, self.of)
        for k in range(self.of):
            x = 84 + k * one
            text(p, QRectF(x - 14, h - 20, 28, 17), str(k + 1), "caption" if k == len(self.run) - 1 else "note", "ink", CENTRE)
            p.save()
            p.translate(x, base)
            p.setPen(QPen(role("ink2"), 1.2, Qt.PenStyle.DashLine))
            p.setBrush(Qt.BrushStyle.NoBrush)
            if k >= len(self.run):
                p.drawEllipse(QPointF(0, -4), 3.5, 4.5)
            elif isinstance(self.run[k], bool):
                p.rotate(-90)
                if self.run[k]:
                    p.fillPath(petal(24, 7), role("ink"))
                else:
                    p.setPen(QPen(role("ink"), 1.3))
                    p.drawPath(petal(24, 7))
            else:
                e = float(self.run[k])
                p.rotate(-90 if e >= 0 else 90)
                p.fillPath(petal(8 + 18 * min(2.0, abs(e)), 4.5 + 2 * min(2.0, abs(e))), role("ink"))
            p.restore()
            if k < len(self.run) and not isinstance(self.run[k], bool):
                e = float(self.run[k])
                words = f"{e:+.1f}".replace("-", "−")
                if one > 44:
                    text(p, QRectF(x + 8, base - 18 if e >= 0 else base + 2, 40, 17), words, "note", "ink")
