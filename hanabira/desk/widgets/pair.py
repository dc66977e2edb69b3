"""Two views of one place of the sheet at one scale, touching at a seam: as it is, and as the plan wants it now."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.desk.drawn import Drawn
from hanabira.desk.paint import CENTRE, text, two_tone, width
from hanabira.desk.theme import role

if TYPE_CHECKING:
    from hanabira.core.area.shape import Point

AROUND = 0.16
"""What is shown round the place, as a share of its longer side."""
LEAST_MM = 24.0


class SheetPair(Drawn):
    """``first`` and ``second`` are pictures of the whole sheet of ``sheet_mm``; ``box`` and ``ring`` are in mm of it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("The place on your sheet and as wanted", parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.first: QImage | None = None
        self.second: QImage | None = None
        self.words = ("on your sheet", "as the plan wants it now")
        self.sheet_mm = (240.0, 300.0)
        self.box = QRectF(0, 0, 100, 100)
        self.ring: Sequence[Point] = ()
        self.mirrored = False

    def show_place(self, box: QRectF, ring: Sequence[Point]) -> None:
        """Show another place."""
        self.box, self.ring = box, ring
        self.setAccessibleDescription(f"{self.words[0]}; {self.words[1]}")
        self.update()

    def design_size(self, width: float) -> tuple[float, float]:
        return 160, 160

    @property
    def beside(self) -> bool:
        """Whether a tall place puts the two side by side."""
        return self.box.height() > 1.15 * self.box.width()

    def frames(self, w: float, h: float) -> tuple[QRectF, QRectF]:
        """Where the two views lie, in design units."""
        inner = QRectF(8, 10, w - 16, h - 18)
        if self.beside:
            half = inner.width() / 2
            return QRectF(inner.left(), inner.top(), half, inner.height()), QRectF(inner.left() + half, inner.top(), half, inner.height())
        half = inner.height() / 2
        return QRectF(inner.left(), inner.top(), inner.width(), half), QRectF(inner.left(), inner.top() + half, inner.width(), half)

    def shown_mm(self, frame: QRectF) -> QRectF:
        """What of the sheet a frame shows: the place with some of its surroundings, in the frame's proportions, kept on the sheet."""
        more = AROUND * max(self.box.width(), self.box.height())
        r = self.box.adjusted(-more, -more, more, more)
        k = max(r.width() / frame.width(), r.height() / frame.height(), LEAST_MM / frame.width())
        out = QRectF(0, 0, min(frame.width() * k, self.sheet_mm[0]), min(frame.height() * k, self.sheet_mm[1]))
        out.moveCenter(r.center())
        out.moveLeft(min(max(0.0, out.left()), self.sheet_mm[0] - out.width()))
        out.moveTop(min(max(0.0, out.top()), self.sheet_mm[1] - out.height()))
        return out

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("mat"))
        if self.first is None:
            return
        frames = self.frames(w, h)
        for frame, image, words in zip(frames, (self.first, self.second), self.words, strict=True):
            self._view(p, frame, image, words)
        a, b = frames
        p.setPen(QPen(QColor(0, 0, 0), 1))
        if self.beside:
            p.drawLine(b.topLeft(), b.bottomLeft())
        else:
            p.drawLine(b.topLeft(), b.topRight())
        self._scale_bar(p, b)

    def _view(self, p: QPainter, frame: QRectF, image: QImage | None, words: str) -> None:
        shown = self.shown_mm(frame)
        k = min(frame.width() / shown.width(), frame.height() / shown.height())
        where = QRectF(0, 0, shown.width() * k, shown.height() * k)
        where.moveCenter(frame.center())
        p.save()
        p.setClipRect(frame)
        if self.mirrored:
            p.translate(2 * frame.center().x(), 0)
            p.scale(-1, 1)
        if image is not None:
            g = image.width() / self.sheet_mm[0]
            p.drawImage(where, image, QRectF(shown.x() * g, shown.y() * g, shown.width() * g, shown.height() * g))
        if len(self.ring) > 2:
            path = QPainterPath()
            points = [QPointF(where.left() + (x - shown.x()) * k, where.top() + (y - shown.y()) * k) for x, y in self.ring]
            path.addPolygon(QPolygonF(points))
            path.closeSubpath()
            two_tone(p, path, 1.1, [5, 3], 200)
        p.restore()
        n = min(width(words, "small") + 16, frame.width())
        tag = QRectF(frame.right() - n, frame.bottom() - 24, n, 24)
        p.fillRect(tag, role("card"))
        text(p, tag.adjusted(8, 0, -4, 0), words, "small", "ink", elide=True)

    def _scale_bar(self, p: QPainter, frame: QRectF) -> None:
        shown = self.shown_mm(frame)
        k = min(frame.width() / shown.width(), frame.height() / shown.height())
        mm = next((n for n in (50, 20, 10, 5) if n * k < 0.25 * frame.width()), 2)
        x, y = frame.left() + 12, frame.bottom() - (12 if not self.beside else 36)
        for w, ink in ((3.4, QColor(0, 0, 0, 190)), (1.4, QColor(255, 255, 255))):
            p.setPen(QPen(ink, w))
            p.drawLine(QPointF(x, y), QPointF(x + mm * k, y))
            for end in (0.0, mm * k):
                p.drawLine(QPointF(x + end, y - 5), QPointF(x + end, y + 0.5))
        words = f"{mm} mm"
        tag = QRectF(x + mm * k + 8, y - 14, width(words, "note") + 12, 20)
        p.fillRect(tag, role("card"))
        text(p, tag, words, "note", "ink", CENTRE)
