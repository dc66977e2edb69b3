"""Value rule: one long ruler of lightness with ten steps and the marks of the work."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QLinearGradient, QMouseEvent, QPainter, QPainterPath, QPen

from hanabira.core.colour.words import temperature, value_step
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import CENTRE, LEFT, grey, hatch, ink_on, text, width
from hanabira.desk.theme import THIN, role, scale

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

MARKS = ("gap", "general", "light", "highlight")


class ValueRule(Drawn):
    """Bottom strip, 62 units: names (17), ten flat steps (18) over a smooth ramp (7), ticks (18). ``folded``, in a low window, steps and ramp only."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("Value rule", parent)
        self.values: dict[str, float] = {}
        self.aims: dict[str, float] = {}
        self.darkest, self.lightest = 0.0, 100.0
        self.pairs: dict[str, tuple[float, float, bool]] = {}
        self.pair_words = ("found", "wanted")
        self.guess: float | None = None
        self.caret: float | None = None
        self.caret_words = ""
        self.folded = False

    def fold(self, folded: bool) -> None:
        """Give room to the picture of a low window, or take it back."""
        if folded != self.folded:
            self.folded = folded
            self.refresh()

    @property
    def _rows(self) -> tuple[float, float, float]:
        """Top of the steps, of the ramp, and the ramp's foot."""
        return (3.0, 21.0, 27.0) if self.folded else (19.0, 37.0, 44.0)

    def set(self, values: dict[str, float], darkest: float, lightest: float, aims: dict[str, float] | None = None) -> None:
        """Mark an area's values, what kit and paper reach, and targets that the artist moved by choice."""
        self.pairs = {}
        self.values, self.darkest, self.lightest, self.aims = values, darkest, lightest, dict(aims or {})
        marks = ", ".join(f"{k} L* {v:.0f}" + (f", by choice {self.aims[k]:.0f}" if k in self.aims else "") for k, v in values.items())
        self.setAccessibleDescription(f"kit’s darkest L* {darkest:.0f}, paper L* {lightest:.0f}" + (f", {marks}" if marks else ""))
        self.refresh()

    pressed = pyqtSignal(float)
    """The L* where the ruler was pressed."""

    def guess_at(self, value: float | None) -> None:
        """A flag for an answer that is being given."""
        self.guess = value
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        x, w = event.position().x() / scale(), self.width() / scale()
        value = (x - 24) / max(1.0, w - 48) * 100
        if event.button() == Qt.MouseButton.LeftButton and 0 <= value <= 100:
            self.pressed.emit(value)
        super().mousePressEvent(event)

    def compare(self, pairs: dict[str, tuple[float, float, bool]], words: tuple[str, str] = ("found", "wanted")) -> None:
        """Mark places by (found, wanted, whether the difference is told): found full, wanted dashed, a bracket between them where it is told."""
        self.pairs, self.pair_words = pairs, words
        told = ", ".join(f"{k} {words[0]} L* {a:.0f}, {words[1]} {b:.0f}".strip() for k, (a, b, _t) in pairs.items())
        self.setAccessibleDescription(f"{self.accessibleDescription()}, {told}" if told else self.accessibleDescription())
        self.refresh()

    def point_at(self, lab: Sequence[float] | None) -> None:
        """Let the caret follow a colour under the pointer."""
        self.caret = None if lab is None else float(lab[0])
        if lab is not None:
            self.caret_words = f"under the pointer {lab[0]:.0f} · step {value_step(lab[0])} · {temperature(lab)}"
        self.update()

    def design_size(self, width: float) -> tuple[float, float]:
        return 320, 30 if self.folded else 62

    def x(self, w: float, lightness: float) -> float:
        """Place of a lightness; 24 units of margin either side."""
        return 24 + (w - 48) * lightness / 100

    def stops(self, w: float, h: float) -> list[Stop]:
        return [
            Stop(
                name,
                QRectF(self.x(w, v) - 6, self._rows[0] - 1, 12, 26),
                f"{name} L* {v:.0f}, step {value_step(v)}",
                f"{name}: L* {v:.0f}, step {value_step(v)}",
            )
            for name, v in self.values.items()
        ]

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("rule"))
        top, mid, low = self._rows
        for k in range(10):
            p.fillRect(QRectF(self.x(w, k * 10), top, self.x(w, 10) - self.x(w, 0) + 0.5, mid - top), grey(k * 10 + 5))
        ramp = QLinearGradient(self.x(w, 0), 0, self.x(w, 100), 0)
        for v in range(0, 101, 4):
            ramp.setColorAt(v / 100, grey(v))
        p.fillRect(QRectF(self.x(w, 0), mid, self.x(w, 100) - self.x(w, 0), low - mid), ramp)
        if self.darkest > 0 or self.lightest < 100:  # without a kit there are no ends
            self._ends(p, w, top, low)
        self._steps(p, w, top, mid)
        if not self.folded:
            self._ticks(p, w, low)
        right = -1.0
        limit = self.x(w, self.lightest) - width(f"paper {self.lightest:.0f}", "note") - 12
        for name in MARKS if set(self.values) <= set(MARKS) else sorted(self.values, key=lambda k: self.values[k]):
            if name in self.values:
                right = self._mark(p, w, name, self.values[name], top, mid, right, limit)
        for name, wanted in self.aims.items():
            self._aim(p, w, self.values.get(name), wanted, mid)
        for name, pair in self.pairs.items():
            self._pair(p, w, name, pair, top, mid)
        if self.guess is not None:
            self._flag(p, w, self.guess, f"your answer {self.guess:.0f}", top, low)
        if self.caret is not None:
            self._caret(p, w, self.caret, top, low)

    def _aim(self, p: QPainter, w: float, measured: float | None, wanted: float, mid: float) -> None:
        """A target moved by choice: a dotted ring, bound to the measured value by a line under it."""
        x = self.x(w, wanted)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(role("ink"), 1.6, Qt.PenStyle.DotLine))
        p.drawEllipse(QPointF(x, mid - 9), 5, 5)
        if measured is not None:
            p.setPen(QPen(role("ink"), 1.6))
            p.drawLine(QPointF(self.x(w, measured), mid + 9), QPointF(x, mid + 9))

    def _pair(self, p: QPainter, w: float, name: str, pair: tuple[float, float, bool], top: float, mid: float) -> None:
        """Wanted as a dashed outline and found as a full mark, on the steps; a bracket binds them where the difference is told."""
        found, wanted, told = pair
        a, b = self.x(w, found), self.x(w, wanted)
        for x, v, full in ((b, wanted, False), (a, found, True)):
            ink = ink_on(grey(v))
            path = QPainterPath(QPointF(x - 6, top + 1))
            path.lineTo(x, top + 13)
            path.lineTo(x + 6, top + 1)
            path.closeSubpath()
            if full:
                p.fillPath(path, ink)
            else:
                pen = QPen(ink, 1.4)
                pen.setDashPattern([2.4, 1.8])
                p.setPen(pen)
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawPath(path)
        if told and abs(a - b) > 3:
            ink = ink_on(grey(wanted))
            p.setPen(QPen(ink, 2.0, cap=Qt.PenCapStyle.RoundCap))
            p.drawLine(QPointF(a, mid - 3), QPointF(b, mid - 3))
            for x in (a, b):
                p.drawLine(QPointF(x, mid - 6), QPointF(x, mid - 3))
        if self.folded:
            return
        one, two = f"{self.pair_words[0]} {found:.0f}", f"{self.pair_words[1]} {wanted:.0f}"
        left, right = (two, one) if b <= a else (one, two)
        words = f"{name}: " if name else ""
        lx, rx = min(a, b), max(a, b)
        n = width(words + left, "note")
        if lx - n - 6 > self.x(w, self.darkest) + 4:
            text(p, QRectF(lx - n - 6, 1, n + 2, 17), words + left, "note", "ink")
            text(p, QRectF(rx + 6, 1, width(right, "note") + 4, 17), right, "note", "ink")
        else:  # near the dark end both stand at the right
            both = f"{words}{left}, {right}"
            start = max(rx + 6, self.x(w, self.darkest) + 12)
            text(p, QRectF(start, 1, width(both, "note") + 4, 17), both, "note", "ink")

    def _ends(self, p: QPainter, w: float, top: float, low: float) -> None:
        """Hatch what neither kit nor paper can reach, with a bracket and its name."""
        for a, b, ink in ((0, self.darkest, "#c8c8c8"), (self.lightest, 100, "#3a3a3a")):
            hatch(p, QRectF(self.x(w, a), top, self.x(w, b) - self.x(w, a), low - top), QColor(ink), 7)
        if self.folded:
            return
        words = f"kit’s darkest {self.darkest:.0f}"
        n = width(words, "note")
        beside = n > self.x(w, self.darkest) - self.x(w, 0) - 10
        left = self.x(w, self.darkest) + 5 if beside else self.x(w, 0)
        self._words_from = left + n if beside else self.x(w, self.darkest)
        text(p, QRectF(left, 1, n + 2, 17), words, "note", "ink")
        s = f"paper {self.lightest:.0f}"
        n = width(s, "note")
        text(p, QRectF(self.x(w, self.lightest) - n - 7, 1, n + 2, 17), s, "note", "ink")
        p.setPen(QPen(role("ink"), 1.6))
        for v, d in ((self.darkest, -6), (self.lightest, 6)):
            x = self.x(w, v)
            p.drawLine(QPointF(x, 4), QPointF(x, low + 2))
            p.drawLine(QPointF(x, 4), QPointF(x + d, 4))

    def _steps(self, p: QPainter, w: float, top: float, mid: float) -> None:
        """Number of each step at its left end, or in its middle when a mark stands at the left."""
        for k in range(10):
            c = grey(k * 10 + 5)
            near = any(-0.6 <= v - k * 10 < 2.4 for v in self.values.values())
            x = self.x(w, k * 10 + 5) - 9 if near else self.x(w, k * 10) + 5
            if k * 10 < self.darkest:
                p.fillRect(QRectF(x - 2, top + 1, 20, mid - top - 2), c)
            text(p, QRectF(x, top, 18, mid - top), str(k + 1), "note", ink_on(c), CENTRE if near else LEFT)

    def _ticks(self, p: QPainter, w: float, y: float) -> None:
        for v in range(101):
            n = 7 if v % 10 == 0 else 5 if v % 5 == 0 else 3
            p.setPen(QPen(role("ink"), 1 if v % 10 else 1.4))
            p.drawLine(QPointF(self.x(w, v), y), QPointF(self.x(w, v), y + n))
            if v % 10 == 0 and v:
                s = f"L*{THIN}{v}" if v == 100 else str(v)
                wide = width(s, "note")
                text(p, QRectF(self.x(w, v) - (wide if v == 100 else wide / 2), y + 4, wide + 2, 15), s, "note", "ink")

    def _mark(self, p: QPainter, w: float, name: str, v: float, top: float, mid: float, right: float, limit: float) -> float:
        """Gap a notch, general a full petal, light a flick, highlight a ring: shape first. Returns where its words end."""
        x = self.x(w, v)
        c = QColor("#101010" if v > 52 else "#f4f4f4")
        # words go where there is room: full, then short, then only in the tooltip
        said = False
        beyond = min((self.x(w, q) for q in self.values.values() if q > v), default=w) - 5  # the next mark's line
        for s in (f"{name} {v:.0f} · step {value_step(v)}", f"{name} {v:.0f}"):
            n = width(s, "note")
            left = max(x + 6, right + 10)
            if not self.folded and left + n <= min(limit, beyond) and left - x < 46 and left > self._words_from + 6:
                text(p, QRectF(left, 1, n + 2, 17), s, "note", "ink", LEFT)
                right, said = left + n, True
                break
        p.setPen(QPen(role("ink"), 1))
        p.drawLine(QPointF(x, 7 if said else top - 2), QPointF(x, top))
        p.setPen(QPen(c, 1.6, cap=Qt.PenCapStyle.RoundCap))
        p.setBrush(Qt.BrushStyle.NoBrush)
        m = QPainterPath()
        if name == "gap":
            m.moveTo(x - 5, top + 1)
            m.lineTo(x, mid - 5)
            m.lineTo(x + 5, top + 1)
            m.closeSubpath()
            p.fillPath(m, c)
        elif name == "general":
            m.moveTo(x, top)
            m.cubicTo(x - 8, top + 6, x - 7, mid - 5, x, mid - 2)
            m.cubicTo(x + 7, mid - 5, x + 8, top + 6, x, top)
            p.fillPath(m, c)
        elif name == "light":
            m.moveTo(x - 3, mid - 3)
            m.quadTo(x - 3, top + 6, x + 3, top + 1)
            p.drawPath(m)
        else:
            p.drawEllipse(QPointF(x, top + 8), 4.2, 4.2)
        return right

    def _flag(self, p: QPainter, w: float, v: float, words: str, top: float, low: float) -> None:
        x = self.x(w, v)
        p.setPen(QPen(role("ink"), 2))
        p.drawLine(QPointF(x, 1), QPointF(x, low))
        n = width(words, "note") + 12
        r = QRectF(min(max(2.0, x - n / 2), w - n - 2), top if self.folded else 1, n, 17)
        p.fillRect(r, role("ink"))
        text(p, r.adjusted(6, 0, 0, 0), words, "note", role("card"))

    def _caret(self, p: QPainter, w: float, v: float, top: float, low: float) -> None:
        """The value under the pointer: a plumb line with its figure in a small flag."""
        x = self.x(w, v)
        p.setPen(QPen(role("ink"), 2))
        p.drawLine(QPointF(x, top - 3), QPointF(x, self.height() / scale() - 1))
        n = width(self.caret_words, "note") + 12
        left = x + 1 if x + 1 + n < w else x - 1 - n
        r = QRectF(left, top if self.folded else low + 1, n, 17)
        p.fillRect(r, role("ink"))
        text(p, r.adjusted(6, 0, 0, 0), self.caret_words, "note", role("card"))
