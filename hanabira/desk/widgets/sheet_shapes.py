"""Three sheets at one scale with the photo on each: as ordered, turned, in the photo's own proportions. A thread goes round where the animal seems to be."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen

from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import CENTRE, text, two_tone
from hanabira.desk.theme import role

if TYPE_CHECKING:
    from hanabira.core.study.framing import Box, SheetShape

NAMES = {"ordered": "As it is", "turned": "Turned", "photo": "Like the photo"}
HIGH, FOOT, GAP = 128.0, 98.0, 12.0


class SheetShapes(Drawn):
    """A click, or Enter, takes another sheet."""

    def __init__(
        self, shapes: Sequence[SheetShape], box: Box, sure: bool, image: QImage, photo: tuple[int, int], border_mm: float, ground: str,
        take: Callable[[SheetShape], object], hours: Sequence[tuple[str, str]] = (),
    ) -> None:  # fmt: skip
        """``hours`` are for each sheet its hours and the day it is finished, in words."""
        super().__init__("Shapes of the sheet")
        self.hours = tuple(hours) or (("", ""),) * len(shapes)
        self.shapes, self.box, self.sure, self.image, self.photo = tuple(shapes), box, sure, image, photo
        self.border_mm, self.ground, self._take = border_mm, QColor(ground), take

    def design_size(self, width: float) -> tuple[float, float]:
        return 200, HIGH + FOOT

    def _cell(self, k: int, w: float) -> QRectF:
        one = (w - GAP * (len(self.shapes) - 1)) / max(1, len(self.shapes))
        return QRectF(k * (one + GAP), 0, one, HIGH + FOOT)

    def sheet(self, k: int, w: float) -> QRectF:
        """Where the k-th sheet is drawn: all at one scale, on one line."""
        cell = self._cell(k, w)
        scale = min((cell.width() - 4) / max(s.width_mm for s in self.shapes), (HIGH - 6) / max(s.height_mm for s in self.shapes))
        wide, high = self.shapes[k].width_mm * scale, self.shapes[k].height_mm * scale
        return QRectF(cell.center().x() - wide / 2, HIGH - high, wide, high)

    def words(self, shape: SheetShape) -> str:
        """What a sheet does to the animal."""
        if shape.whole:
            return "the animal whole" if self.sure else "whole, as it seems"
        return f"{100 * (1 - shape.holds):.0f} % cut" + ("" if self.sure else ", it seems")

    def stops(self, w: float, h: float) -> list[Stop]:
        out = []
        for k, s in enumerate(self.shapes):
            size = f"{s.width_mm:.0f} × {s.height_mm:.0f} mm"
            name = f"{NAMES[s.key]}, {size}: {self.words(s)}" + (f"; {', '.join(q for q in self.hours[k] if q)}" if any(self.hours[k]) else "")
            out.append(Stop(s.key, self._cell(k, w), name, name, (lambda s=s: self._take(s)) if s.key != "ordered" else None, ""))
        return out

    def paint(self, p: QPainter, w: float, h: float) -> None:
        for k, s in enumerate(self.shapes):
            r = self.sheet(k, w)
            now = s.key == "ordered"
            p.fillRect(r, self.ground)
            mm = r.width() / s.width_mm
            inner = r.adjusted(self.border_mm * mm, self.border_mm * mm, -self.border_mm * mm, -self.border_mm * mm)
            k_x, k_y = self.image.width() / self.photo[0], self.image.height() / self.photo[1]
            x, y, cw, ch = s.crop
            p.drawImage(inner, self.image, QRectF(x * k_x, y * k_y, cw * k_x, ch * k_y))
            self._thread(p, inner, s)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(role("ink" if now or self.hovered == s.key else "edge"), 2.2 if now else 1))
            p.drawRect(r)
            cell = self._cell(k, w)
            text(p, QRectF(cell.left(), HIGH + 2, cell.width(), 20), NAMES[s.key], "strong" if now else "small", "ink", CENTRE, elide=True)
            text(p, QRectF(cell.left(), HIGH + 21, cell.width(), 18), f"{s.width_mm:.0f} × {s.height_mm:.0f} mm", "note", "ink2", CENTRE, elide=True)
            text(p, QRectF(cell.left(), HIGH + 39, cell.width(), 18), self.words(s), "note", "ink2", CENTRE, elide=True)
            for line, words in enumerate(self.hours[k]):
                text(p, QRectF(cell.left(), HIGH + 58 + 18 * line, cell.width(), 18), words, "strong" if not line else "note", "ink" if not line else "ink2", CENTRE, elide=True)

    def _thread(self, p: QPainter, inner: QRectF, s: SheetShape) -> None:
        """A basted thread where the animal seems to be, as far as it lies on the sheet; a cut-out is sure and has a whole line."""
        x, y, cw, ch = s.crop
        left, top, wide, high = self.box.in_pixels(self.photo)
        k = inner.width() / cw
        around = QRectF(inner.left() + (left - x) * k, inner.top() + (top - y) * k, wide * k, high * k)
        path = QPainterPath(QPointF(around.left(), around.top()))
        path.addRoundedRect(around, 5, 5)
        p.save()
        p.setClipRect(inner, Qt.ClipOperation.IntersectClip)
        two_tone(p, path, 1.0, None if self.sure else [4.0, 3.0], 220)
        p.restore()
