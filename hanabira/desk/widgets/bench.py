"""Bench card: the right-hand card that knows the chosen thing and holds the next action."""

from __future__ import annotations

import random

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QFrame,
    QHBoxLayout,
    QLayout,
    QLineEdit,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from hanabira.desk.controls import PetalButton
from hanabira.desk.drawn import Drawn
from hanabira.desk.paint import CENTRE, height, painting, text
from hanabira.desk.theme import role, scale, u

WIDTH = 380


class Head(Drawn):
    """Number, name and one line about the chosen thing."""

    def __init__(self, number: str = "", name: str = "", line: str = "", parent: QWidget | None = None) -> None:
        super().__init__(name, parent)
        self.number, self.name, self.line = number, name, line
        self.folded = False

    def fold(self, folded: bool) -> None:
        """In a low window the name keeps to one line and its second line goes to the tooltip."""
        self.folded = folded
        self.setToolTip(f"{self.name}\n{self.line}" if folded else "")
        self.refresh()

    def set(self, number: str, name: str, line: str) -> None:
        """Show another thing."""
        self.number, self.name, self.line = number, name, line
        self.setAccessibleName(f"{name}. {line}")
        self.fold(self.folded)

    def _left(self) -> float:
        return (34.0 if self.folded else 42.0) if self.number else 0.0

    def design_size(self, width: float) -> tuple[float, float]:
        if self.folded:
            return 140, 32
        room = max(120.0, width - self._left())
        return 140, max(35, height(self.name or " ", room, "title")) + max(20, height(self.line or " ", room, "small")) + 4

    def paint(self, p: QPainter, w: float, h: float) -> None:
        x = self._left()
        if self.number:
            r = 13 if self.folded else 15
            c = QPointF(r + 1, 16 if self.folded else 18)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(role("ink"))
            p.drawEllipse(c, r, r)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(role("card"), 1.6))
            p.drawEllipse(c, r - 3, r - 3)
            text(p, QRectF(c.x() - 15, c.y() - 15, 30, 30), self.number, "strong", role("card"), CENTRE)
        if self.folded:
            text(p, QRectF(x, 0, w - x, h), self.name, "name", "ink", elide=True)
            return
        high = max(35, height(self.name or " ", w - x, "title"))
        text(p, QRectF(x, 0, w - x, high), self.name, "title", "ink", wrap=True)
        text(p, QRectF(x, high, w - x, h - high), self.line, "small", "ink2", wrap=True)


class Bench(QWidget):
    """Card beside the mat: head, parts that scroll when the window is low, and a foot that stays.

    The foot holds *Take back* at the left and the one next thing at the right.
    """

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Bench card")
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        outer = QVBoxLayout(self)
        outer.setSpacing(0)
        self._outer = outer
        self.head = Head()
        outer.addWidget(self.head)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.viewport().setAutoFillBackground(False)
        outer.addWidget(self.area, 1)
        foot = QHBoxLayout()
        foot.setContentsMargins(0, 0, 0, 0)
        foot.setSpacing(4)
        self.back = PetalButton("Take back", "back", tip="Take back the last change (Ctrl+Z)")
        self.next = PetalButton("", None, main=True)
        foot.addWidget(self.back)
        foot.addStretch(1)
        foot.addWidget(self.next)
        outer.addLayout(foot)
        self._fill(QWidget())

    def _fill(self, content: QWidget) -> None:
        content.setAutoFillBackground(False)
        heir = self._heir(content)
        old = self.area.takeWidget()
        if old is not None:  # it may be the sender of the signal that led here
            old.hide()
            old.deleteLater()
        self.area.setWidget(content)
        if heir is not None:
            heir.setFocus(Qt.FocusReason.OtherFocusReason)

    def _heir(self, content: QWidget) -> QWidget | None:
        """Where the keyboard goes when the card is replaced under the artist's hands: to the same thing on the new card."""
        old, focused = self.area.widget(), QApplication.focusWidget()
        if old is None or focused is None or not old.isAncestorOf(focused):
            return None

        def known_by(q: QWidget) -> tuple[str, object]:
            return q.accessibleName() or (q.text() if isinstance(q, QAbstractButton) else ""), q.property("area")

        heir = next((q for q in content.findChildren(type(focused)) if known_by(q) == known_by(focused)), None)
        if isinstance(heir, QLineEdit) and isinstance(focused, QLineEdit) and heir.text() == focused.text():
            # nothing is finished: the old field's going must not end the edit
            focused.blockSignals(True)
            if focused.hasSelectedText():
                heir.setSelection(focused.selectionStart(), len(focused.selectedText()))
            else:
                heir.setCursorPosition(focused.cursorPosition())
        return heir

    def fold(self, folded: bool) -> None:
        """In a low window the head takes one line and *Take back* is its sign alone."""
        self.head.fold(folded)
        self.back.signs_only = folded
        self.back.updateGeometry()

    def resize_to(self, window_width: int) -> None:
        """Width for the text size, at most 54 % of the window: the picture keeps 45."""
        low = self.head.folded
        self._outer.setContentsMargins(u(14 if low else 24), u(4 if low else 12), u(4 if low else 12), u(0 if low else 4))
        self.setFixedWidth(min(u(WIDTH), max(WIDTH, int(0.54 * window_width))))

    def set_parts(self, parts: list[QWidget | QLayout | int]) -> None:
        """Replace everything between head and foot."""
        content = QWidget()
        box = QVBoxLayout(content)
        box.setContentsMargins(0, 0, u(4), 0)
        box.setSpacing(u(3))
        for part in parts:
            if isinstance(part, int):
                box.addSpacing(u(part))
            elif isinstance(part, QLayout):
                box.addLayout(part)
            else:
                box.addWidget(part)
        box.addStretch(1)
        at = self.area.verticalScrollBar().value()
        self._fill(content)
        self.area.verticalScrollBar().setValue(at)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """The card; its left edge is a quiet deckle so that it reads as paper."""
        with painting(self) as p:
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            rng = random.Random(4)
            path = QPainterPath(QPointF(6, 0))
            y = 0.0
            while y < self.height():
                y += rng.uniform(5, 13)
                path.lineTo(5 + rng.uniform(-1.8, 1.8), min(y, self.height()))
            path.lineTo(self.width(), self.height())
            path.lineTo(self.width(), 0)
            path.closeSubpath()
            p.fillRect(self.rect(), role("mat"))
            p.fillPath(path, role("card"))
            p.setPen(QPen(role("line"), 1))
            y = self.height() - round(60 * scale())
            p.drawLine(QPointF(u(24), y), QPointF(self.width() - u(16), y))
