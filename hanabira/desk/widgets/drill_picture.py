"""What a drill asks about: a picture with its rings, or patches; after the answer, the answer lies on the picture itself."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.desk.drawn import Drawn
from hanabira.desk.paint import CENTRE, bed, grey, ink_on, mapped, swatch, text, width
from hanabira.desk.paint import height as text_height
from hanabira.desk.theme import role, scale
from hanabira.desk.widgets.drill_hand import DrillHand

if TYPE_CHECKING:
    from hanabira.core.practice.question import Question

NEAR = 0.42
"""Share of the picture's width that is shown round a single spot."""
RING = 13.0
STRIP = (520.0, 26.0)


class DrillPicture(Drawn):
    """Keys go to ``key``; a click on a ring is the same as its number."""

    takes_keys = True
    touched = pyqtSignal(int)
    drawn = pyqtSignal()

    def __init__(self, key: Callable[[QKeyEvent], bool], parent: QWidget | None = None) -> None:
        super().__init__("The picture of the drill", parent)
        self.take_key = key
        self.image: QImage | None = None
        self.question: Question | None = None
        self.answered = False
        self.chosen: tuple[int, ...] = ()
        """Spots that were named so far, in their order."""
        self.held = ""
        self.on_neutral = False
        """Whether the spot is asked for on neutral grey."""
        self.second: QImage | None = None
        """The changed picture beside the first one, where a drill compares two."""
        self.hand = DrillHand()
        self._of: Question | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def set(
        self, image: QImage | None, question: Question | None, answered: bool, chosen: tuple[int, ...] = (), second: QImage | None = None
    ) -> None:  # fmt: skip
        """Show another question, or its answer."""
        self.image, self.question, self.answered, self.chosen, self.second = image, question, answered, chosen, second
        if question is not self._of:
            self._of = question
            self.hand.set(question)
        self.setAccessibleDescription(question.prompt if question is not None else "")
        self.refresh()

    def design_size(self, width: float) -> tuple[float, float]:
        return 200, 180

    # -- where things lie ------------------------------------------------------------
    def _part(self, w: float, h: float) -> QRectF:
        """What of the picture is shown, in shares of it."""
        q, image = self.question, self.image
        assert image is not None
        if q is not None and q.part is not None:
            return QRectF(*q.part)
        if q is None or len(q.spots) != 1:
            return QRectF(0, 0, 1, 1)
        high = NEAR * image.width() / max(1.0, w) * h / image.height()
        part = QRectF(0, 0, NEAR, min(1.0, high))
        part.moveCenter(QPointF(*q.spots[0]))
        part.moveLeft(min(max(0.0, part.left()), 1 - part.width()))
        part.moveTop(min(max(0.0, part.top()), 1 - part.height()))
        return part

    def _frame(self, w: float, h: float) -> tuple[QRectF, QRectF]:
        """The shown part in shares, and where it lies in design units."""
        assert self.image is not None
        part = self._part(w - 48, h - 24)
        room = QRectF(24, 12, w - 48, h - 24)
        if self.second is not None:  # two pictures stand side by side, and what is asked is asked of the right one
            room = QRectF(w / 2 + 6, 12, w / 2 - 30, h - 24)
        pw, ph = part.width() * self.image.width(), part.height() * self.image.height()
        k = min(room.width() / pw, room.height() / ph)
        out = QRectF(0, 0, pw * k, ph * k)
        out.moveCenter(room.center())
        return part, out

    def spot_at(self, n: int) -> QPointF:
        """A spot in design units."""
        assert self.question is not None
        w, h = self.width() / scale(), self.height() / scale()
        part, frame = self._frame(w, h)
        x, y = self.question.spots[n]
        return QPointF(
            frame.left() + (x - part.left()) / part.width() * frame.width(), frame.top() + (y - part.top()) / part.height() * frame.height()
        )

    # -- painting ----------------------------------------------------------------------
    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("mat"))
        q = self.question
        if q is None:
            if self.image is not None:
                p.drawImage(self._frame(w, h)[1], self.image)
            return
        if q.drill == "foretell":
            self._patches(p, w, h)
            return
        if q.kind == "pair":
            self._drawer(p, w, h)
            return
        if q.words:
            self._lines(p, w, h)
            return
        if self.image is None:
            return
        part, frame = self._frame(w, h)
        iw, ih = self.image.width(), self.image.height()
        neutral = self.held == "neutral" or self.on_neutral
        if neutral:
            p.fillRect(frame, role("bed"))
        else:
            source = QRectF(part.left() * iw, part.top() * ih, part.width() * iw, part.height() * ih)
            if self.second is not None:
                p.drawImage(frame.translated(-(w / 2 - 9), 0), self.image, source)
            p.drawImage(frame, self.second or self.image, source)
        single = len(q.spots) == 1
        if self.answered and single and self.held != "hide":
            self._strip(p, frame)
        if neutral:
            for n in range(len(q.spots)):
                c = self.spot_at(n)
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(mapped(q.labs[n]))
                p.drawEllipse(c, RING, RING)
        for n in range(len(q.spots)):
            told = self.answered and q.drill == "find-fault" and n == q.truth
            self._circle(p, self.spot_at(n), "" if single else str(n + 1), n in self.chosen or told)
        self.hand.paint(p, frame, [self.spot_at(n) for n in range(len(q.spots))], q, self.answered)
        if self.answered and single and q.kind == "value" and self.held != "hide":
            self._on_neutral(p, frame)

    def _circle(self, p: QPainter, c: QPointF, number: str, chosen: bool) -> None:
        """A white ring in a black sheath with four short ticks that point at it; numbered where there are several."""
        for w, ink in ((4.0, QColor(0, 0, 0, 190)), (2.6 if chosen else 1.8, QColor(255, 255, 255))):
            p.setPen(QPen(ink, w, cap=Qt.PenCapStyle.RoundCap))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawEllipse(c, RING, RING)
            for a in (35, 125, 215, 305):
                u = QPointF(math.cos(math.radians(a)), math.sin(math.radians(a)))
                p.drawLine(c + u * (RING + 7), c + u * (RING + 17))
        if number:
            r = QRectF(c.x() + RING + 4, c.y() - RING - 18, 20, 20)
            p.fillRect(r, QColor(20, 20, 20) if chosen else QColor(250, 250, 250))
            text(p, r, number, "caption", QColor("#fafafa") if chosen else QColor("#111111"), CENTRE)

    def _strip(self, p: QPainter, frame: QRectF) -> None:
        """A strip of the spot's own colour through its surroundings."""
        assert self.question is not None
        c = self.spot_at(0)
        strip = QRectF(0, 0, min(STRIP[0], frame.width()), STRIP[1])
        strip.moveCenter(c)
        strip.moveLeft(min(max(frame.left(), strip.left()), frame.right() - strip.width()))
        swatch(p, strip, mapped(self.question.labs[0]))
        words = "one colour all along"
        n = width(words, "small") + 16
        above = strip.top() - 34 > frame.top()
        tag = QRectF(strip.left(), strip.top() - 32 if above else strip.bottom() + 8, n, 24)
        p.fillRect(tag, role("card"))
        text(p, tag, words, "small", "ink", CENTRE)

    def _on_neutral(self, p: QPainter, frame: QRectF) -> None:
        """The spot on neutral grey between the steps next to it, in the corner farthest from it."""
        assert self.question is not None
        q, c = self.question, self.spot_at(0)
        w, h = 300.0, 112.0
        if frame.width() < 2 * w or frame.height() < 2.2 * h:
            return
        x = frame.right() - w - 12 if c.x() < frame.center().x() else frame.left() + 12
        y = frame.bottom() - h - 12 if c.y() < frame.center().y() else frame.top() + 12
        p.fillRect(QRectF(x, y, w, h), role("bed"))
        text(p, QRectF(x + 12, y + 4, w - 24, 20), "On neutral, between the steps", "small", QColor("#101010"))
        middle = min(8, max(3, 1 + int(float(q.labs[0][0]) // 10)))
        one = (w - 24) / 5
        for k, step in enumerate(range(middle - 2, middle + 3)):
            r = QRectF(x + 12 + k * one, y + 26, one + 0.5, 24)
            p.fillRect(r, grey(step * 10 - 5))
            text(p, r, str(step), "note", ink_on(grey(step * 10 - 5)), CENTRE)
        swatch(p, QRectF(x + 12, y + 50, w - 24, 34), mapped(q.labs[0]))
        step = 1 + min(9, int(float(q.labs[0][0]) // 10))
        text(p, QRectF(x + 12, y + 86, w - 24, 22), f"the spot, L* {q.labs[0][0]:.0f}: step {step}", "small", QColor("#101010"))

    def _patches(self, p: QPainter, w: float, h: float) -> None:
        """Two pencils and what they come to, which shows with the answer."""
        assert self.question is not None
        q = self.question
        side = min(180.0, (w - 120) / 3, h - 90)
        x, y = (w - 3 * side - 60) / 2, (h - side) / 2 - 10
        bed(p, QRectF(x, y, 3 * side + 60, side), 14)
        for k, words in enumerate(("first", "then", "together")):
            r = QRectF(x + k * (side + 30), y, side, side)
            if k < 2 or self.answered:
                swatch(p, r, mapped(q.labs[k]))
            else:
                pen = QPen(QColor("#101010"), 1.4)
                pen.setDashPattern([4, 4])
                p.setPen(pen)
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRect(r)
                text(p, r, "?", "title", QColor("#101010"), CENTRE)
            text(p, QRectF(r.left() - 14, r.bottom() + 18, side + 28, 22), words, "small", "mat_ink", CENTRE)

    def _pencil(self, n: int, w: float, h: float) -> QRectF:
        """Where a pencil of nine lies."""
        side = min((h - 170) / 1.95, (w - 90) / 5.4, 150.0)
        left, top = w / 2 - 0.8 * side, (h - 1.95 * side - 150) / 2
        return QRectF(left + n % 3 * (side * 1.14), top + n // 3 * (side * 0.65 + 50), side, side * 0.65)

    def _drawer(self, p: QPainter, w: float, h: float) -> None:
        """The colour that is asked for, and nine pencils."""
        q = self.question
        assert q is not None
        first = self._pencil(0, w, h)
        target = QRectF(first.left() - first.width() * 1.75, first.top(), first.width() * 1.5, first.height() * 2 + 50)
        bed(p, target, 14)
        swatch(p, target, mapped(q.labs[-1]))
        wide = max(target.width(), width("this colour", "small") + 8)
        text(p, QRectF(target.center().x() - wide / 2, target.bottom() + 18, wide, 24), "this colour", "small", "mat_ink", CENTRE)
        for n in range(len(q.choices)):
            r = self._pencil(n, w, h)
            bed(p, r, 5)
            swatch(p, r, mapped(q.labs[n]))
            order = " ".join(("below", "over")[k] for k, m in enumerate(self.chosen) if m == n)
            right = self.answered and n in q.truth  # type: ignore[operator]
            code, _space, name = q.choices[n].partition(" ")
            words = f"{n + 1}  {code}" + (f" · {order}" if order else "") + (" · it is" if right and not order else "")
            bold = "caption" if order or right else "note"
            text(p, QRectF(r.left() - 4, r.bottom() + 6, r.width() + 12, 19), words, bold, "mat_ink", elide=True)
            text(p, QRectF(r.left() - 4, r.bottom() + 23, r.width() * 1.14, 19), name, "note", "mat_ink", elide=True)

    def _lines(self, p: QPainter, w: float, h: float) -> None:
        """What stands done, and steps to choose from."""
        q = self.question
        assert q is not None
        room = min(w - 64, 640.0)
        x, y = (w - room) / 2, max(16.0, h / 2 - 110)
        high = text_height(q.words[0], room, "small")
        text(p, QRectF(x, y, room, high + 4), q.words[0], "small", "mat_ink", wrap=True)
        y += high + 18
        for n, words in enumerate(q.words[1:]):
            r = QRectF(x, y, room, max(44.0, text_height(words, room - 40, "name") + 16))
            p.fillRect(r, role("card"))
            if self.answered and n == q.truth:
                p.setPen(QPen(role("ink"), 2))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRect(r)
            text(p, r.adjusted(14, 6, -14, -6), words, "name", "ink", wrap=True)
            y += r.height() + 8

    # -- hands ---------------------------------------------------------------------------
    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        q = self.question
        if q is not None and not self.answered and q.kind == "pair":
            w, h, at = self.width() / scale(), self.height() / scale(), event.position() / scale()
            for n in range(len(q.choices)):
                if self._pencil(n, w, h).contains(at):
                    self.touched.emit(n)
            return
        if q is not None and not self.answered and q.kind in ("shape", "strokes") and self.image is not None:
            if self.hand.press(event.position() / scale(), self._frame(self.width() / scale(), self.height() / scale())[1], self._spots()):
                self.drawn.emit()
                self.update()
            return
        if q is None or self.answered or len(q.spots) < 2 or (self.image is None and q.drill != "foretell") or q.drill == "foretell":
            return
        at = event.position() / scale()
        for n in range(len(q.spots)):
            c = self.spot_at(n)
            if math.hypot(at.x() - c.x(), at.y() - c.y()) < 2 * RING:
                self.touched.emit(n)
                return

    def _spots(self) -> list[QPointF]:
        return [self.spot_at(n) for n in range(len(self.question.spots))] if self.question is not None else []

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        q = self.question
        if q is None or self.answered or self.image is None or q.kind not in ("shape", "strokes"):
            return
        if self.hand.move(event.position() / scale(), self._frame(self.width() / scale(), self.height() / scale())[1]):
            self.drawn.emit()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.hand.release()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.take_key(event):
            super().keyPressEvent(event)
