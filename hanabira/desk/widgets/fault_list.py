"""Faults by urgency: a hanging petal each, longer the more urgent; what is meant so stands at the foot."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import RIGHT, bed, height, mapped, petal, swatch, text, width
from hanabira.desk.theme import role

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

    from hanabira.core.colour.spaces import Array


@dataclass(frozen=True)
class FaultRow:
    """A fault as the list shows it: its key, number, area, what is wrong, the cure in a word, urgency 0–1, and whether it is meant so."""

    key: str
    number: int
    area: str
    what: str
    cure: str
    urgency: float
    meant: bool = False


def hanging_petal(p: QPainter, x: float, y: float, share: float, ink: str = "ink", open_: bool = False) -> None:
    """A petal that hangs from a little stem; longer the more urgent."""
    p.save()
    p.setPen(QPen(role(ink), 1.4))
    p.drawLine(QPointF(x, y - 11), QPointF(x, y - 7))
    p.translate(x, y - 8)
    p.rotate(90)
    path = petal(12 + 12 * share, 4.6 + 3 * share)
    if open_:
        p.setPen(QPen(role(ink), 1.4))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(path)
    else:
        p.fillPath(path, role(ink))
    p.restore()


class FaultList(Drawn):
    """Rows that can be chosen. Arrow keys go through them."""

    def __init__(self, rows: Sequence[FaultRow], chosen: str, choose: Callable[[str], object], take_back: Callable[[str], object], parent: QWidget | None = None) -> None:  # fmt: skip
        super().__init__("Faults by urgency", parent)
        self.rows, self.chosen, self.choose, self.take_back = tuple(rows), chosen, choose, take_back

    def _high(self, q: FaultRow, w: float) -> float:
        return 22 + height(q.what, max(80.0, w - 40), "small") + 5

    def design_size(self, width: float) -> tuple[float, float]:
        return 200, max(10.0, sum(self._high(q, max(width, 200.0)) for q in self.rows))

    def _rects(self, w: float) -> list[QRectF]:
        out, y = [], 0.0
        for q in self.rows:
            h = self._high(q, w)
            out.append(QRectF(0, y, w, h))
            y += h
        return out

    def stops(self, w: float, h: float) -> list[Stop]:
        return [
            Stop(
                q.key, r, f"{q.number} {q.area}: {q.what}" + (", meant so; press to say it again" if q.meant else f". {q.cure}"), q.what,
                (lambda k=q.key: self.take_back(k)) if q.meant else (lambda k=q.key: self.choose(k)),
            )
            for q, r in zip(self.rows, self._rects(w), strict=True)
        ]  # fmt: skip

    def paint(self, p: QPainter, w: float, h: float) -> None:
        for q, r in zip(self.rows, self._rects(w), strict=True):
            if q.key == self.chosen:
                p.fillRect(r.adjusted(0, 0, 0, -1), role("well"))
            elif self.hovered == q.key:
                p.fillRect(r.adjusted(0, 0, 0, -1), role("plum_wash"))
            hanging_petal(p, 14, r.top() + 14, q.urgency, "ink2" if q.meant else "ink", q.meant)
            n = min(width(q.cure, "small") + 4, 0.5 * w)
            text(p, QRectF(32, r.top() + 1, w - 40 - n, 20), f"{q.number}  {q.area}", "strong", "ink2" if q.meant else "ink", elide=True)
            text(p, QRectF(w - n - 4, r.top() + 1, n, 20), q.cure, "small", "ink", RIGHT, elide=True)
            text(p, QRectF(32, r.top() + 20, w - 40, r.height() - 20), q.what, "small", "ink2", wrap=True)


class CureCard(Drawn):
    """Found, after and wanted as patches that touch on the neutral bed, and the steps beside them."""

    def __init__(self, found: Array, after: Array | None, wanted: Array, steps: Sequence[str], parent: QWidget | None = None) -> None:
        super().__init__("The cure", parent)
        patches = [("found", found)] + ([("after", after)] if after is not None else []) + [("wanted", wanted)]
        self.patches, self.steps = patches, tuple(steps)
        told = ", ".join(f"{k} L* {v[0]:.0f}" for k, v in patches)
        self.setAccessibleDescription(f"{told}. {', then '.join(steps)}")

    def _side(self, w: float) -> bool:
        return w > 300

    def design_size(self, width: float) -> tuple[float, float]:
        w = max(width, 160.0)
        if self._side(w):
            return 160, max(94.0, self._steps_high(w - self._wide(w) - 24) + 8)
        return 160, 100 + self._steps_high(w)

    def _wide(self, w: float) -> float:
        return min(62.0 * len(self.patches), w - 20) + 8

    def _steps_high(self, w: float) -> float:
        return sum(height(s, max(60.0, w), "small") + 4 for s in self.steps)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        one = (self._wide(w) - 8) / len(self.patches)
        bed(p, QRectF(4, 6, one * len(self.patches), 44))
        for k, (name, lab) in enumerate(self.patches):
            swatch(p, QRectF(4 + k * one, 6, one + 0.5, 44), mapped(lab))
            text(p, QRectF(4 + k * one, 56, one, 17), name, "note", "ink")
            text(p, QRectF(4 + k * one, 72, one, 17), f"L* {lab[0]:.0f}", "note", "ink2")
        x, y = (self._wide(w) + 20, 4.0) if self._side(w) else (0.0, 94.0)
        for s in self.steps:
            high = height(s, max(60.0, w - x), "small") + 2
            text(p, QRectF(x, y, w - x, high), s, "small", "ink", wrap=True)
            y += high + 2
