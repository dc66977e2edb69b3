"""Steps as leaves on an upright stem, in working order; each says when, what with, how long and why. A step can be dragged."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy

from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import LEFT, RIGHT, bed, mapped, petal, swatch, text
from hanabira.desk.theme import role, scale

if TYPE_CHECKING:
    from hanabira.core.colour.spaces import Array

ROW = 62.0
NARROW = 330.0
"""Under so many units a row says its hours in its second line."""


@dataclass(frozen=True)
class StepRow:
    """One step as it is drawn; ``state`` done, skipped, next, waits or open."""

    key: str
    number: int
    title: str
    what: str
    lab: Array | None
    minutes: str
    start: str
    reason: str
    state: str


class StepList(Drawn):
    """The stem with its leaves. Alt with the arrow keys moves the chosen step, as a drag does."""

    chosen_step = pyqtSignal(str)
    move_wanted = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__("Steps in working order")
        self.rows: list[StepRow] = []
        self.chosen = ""
        self._down: tuple[str, QPointF] | None = None
        self._at: QPointF | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)

    def set(self, rows: list[StepRow], chosen: str) -> None:
        """Show other steps."""
        self.rows, self.chosen = rows, chosen
        self.refresh()

    def design_size(self, width: float) -> tuple[float, float]:
        return 220, 10 + ROW * max(1, len(self.rows))

    def stops(self, w: float, h: float) -> list[Stop]:
        return [
            Stop(
                q.key, QRectF(8, 6 + k * ROW, w - 16, ROW - 4), f"Step {q.number}, {q.title}, {q.what}, {q.minutes}, {q.start}, {q.state}. {q.reason}", f"{q.start}. {q.reason}",
                lambda key=q.key: self.chosen_step.emit(key),
            )
            for k, q in enumerate(self.rows)
        ]  # fmt: skip

    def mousePressEvent(self, event: QMouseEvent) -> None:
        stop = self.at(event.position())
        super().mousePressEvent(event)
        if stop is not None and event.button() == Qt.MouseButton.LeftButton:
            self._down = (stop.key, event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._down is not None and (event.position() - self._down[1]).manhattanLength() > 10:
            self._at = event.position()
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            self.update()
            return
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        down, self._down = self._down, None
        if down is not None and self._at is not None:
            self._at = None
            self.setCursor(Qt.CursorShape.ArrowCursor)
            k = int((event.position().y() / scale() - 6) // ROW + 0.5)
            self._drop(down[0], k)
            self.update()

    def _drop(self, key: str, k: int) -> None:
        """Let a step go before row ``k``."""
        others = [q.key for q in self.rows]
        k = max(0, min(len(others), k))
        behind = others[k - 1] if k else ""
        at = others.index(key)
        if behind != key and k != at:
            self.move_wanted.emit(key, behind)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 2}.get(Qt.Key(event.key()))
        if step and event.modifiers() & Qt.KeyboardModifier.AltModifier and self.chosen:
            keys = [q.key for q in self.rows]
            self._drop(self.chosen, keys.index(self.chosen) + step)
            return
        super().keyPressEvent(event)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("window"))
        p.setPen(QPen(role("ink2"), 1.6))
        p.drawLine(QPointF(34, 6), QPointF(34, 6 + ROW * len(self.rows)))
        for k, q in enumerate(self.rows):
            r = QRectF(8, 6 + k * ROW, w - 16, ROW - 4)
            if r.adjusted(0, -ROW, 0, ROW).intersects(self.exposed):  # of five hundred steps ten show
                self._row(p, q, r)
        if self._at is not None:
            y = 6 + ROW * max(0, min(len(self.rows), int((self._at.y() / scale() - 6) // ROW + 0.5)))
            p.setPen(QPen(role("plum"), 3))
            p.drawLine(QPointF(12, y - 1), QPointF(w - 12, y - 1))

    def _row(self, p: QPainter, q: StepRow, r: QRectF) -> None:
        if q.key == self.chosen:
            p.fillRect(r, role("card"))
            p.setPen(QPen(role("ink"), 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(r)
        elif self.hovered == q.key:
            p.fillRect(r, role("plum_wash"))
        p.save()
        p.translate(34, r.center().y())
        p.rotate(-24 if q.number % 2 else 204)
        leaf = petal(24, 7.5)
        p.fillPath(leaf, role("ink") if q.state == "done" else role("card"))
        pen = QPen(role("ink"), 1.4)
        if q.state in ("waits", "skipped"):
            pen.setStyle(Qt.PenStyle.DashLine)
        p.setPen(pen)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(leaf)
        p.restore()
        x = r.left() + 58
        if q.lab is not None:
            bed(p, QRectF(x, r.top() + 15, 28, 28))
            swatch(p, QRectF(x, r.top() + 15, 28, 28), mapped(q.lab))
        x += 42
        if r.width() < NARROW:  # when it starts is in the tooltip
            text(p, QRectF(x, r.top() + 3, r.right() - x - 6, 21), f"{q.number}  {q.title}", "strong", "ink", LEFT, elide=True)
            text(p, QRectF(x, r.top() + 22, r.right() - x - 6, 18), f"{q.minutes} · {q.what}", "small", "ink", LEFT, elide=True)
            text(p, QRectF(x, r.top() + 39, r.right() - x - 6, 18), q.reason, "aside", "ink2", LEFT, elide=True)
            return
        right = 150.0
        text(p, QRectF(x, r.top() + 3, r.right() - x - right, 21), f"{q.number}  {q.title}", "strong", "ink", LEFT, elide=True)
        text(p, QRectF(x, r.top() + 22, r.right() - x - right, 18), q.what, "small", "ink", LEFT, elide=True)
        text(p, QRectF(x, r.top() + 39, r.right() - x - 8, 18), q.reason, "aside", "ink2", LEFT, elide=True)
        text(p, QRectF(r.right() - right, r.top() + 3, right - 8, 20), q.minutes, "strong", "ink", RIGHT, elide=True)
        words = q.start if q.state in ("open", "next") else q.state
        text(p, QRectF(r.right() - right, r.top() + 22, right - 8, 18), words, "small", "ink2", RIGHT, elide=True)
