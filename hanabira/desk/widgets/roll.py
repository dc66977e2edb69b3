"""Pencil roll: ways to work on the picture as pencils in stitched pockets, and the keys to hold."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from hanabira.desk import icon as icons
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import LEFT, keycap, text, width
from hanabira.desk.theme import role, scale

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

ROW = 52.0
LOW = 520
"""Design height of a window under which the looks are left to keys and menu."""


@dataclass(frozen=True)
class Way:
    """A way to use the pointer: id, icon, name, key, what it does."""

    id: str
    icon: str
    name: str
    key: str
    help: str


class Roll(Drawn):
    """58 units under the mat. The chosen way is drawn half out of its pocket, with a plum end."""

    way_chosen = pyqtSignal(str)

    def __init__(
        self, ways: Sequence[Way], looks: Sequence[tuple[str, str, str, str]], pin: Callable[[str], None], parent: QWidget | None = None
    ) -> None:
        super().__init__("Ways to work on the picture, and keys to hold", parent)
        self.ways, self.looks, self.pin = list(ways), list(looks), pin
        self.chosen = self.ways[0].id if self.ways else ""
        self.pinned = ""

    def choose(self, way: str) -> None:
        """Take a pencil out of its pocket."""
        self.chosen = way
        self.refresh()

    def _pocket(self, way: Way, named: bool) -> float:
        return width(way.name, "caption") + 40 if named or way.id == self.chosen else 36.0

    def _named(self, w: float) -> bool:
        """Whether every pencil has its word; where one row does not hold them, only the chosen one has."""
        return sum(width(q.name, "caption") + 40 for q in self.ways) + 24 <= w

    def _places(self, w: float) -> list[QRectF]:
        """The pockets, in as many rows as the width takes."""
        named, x, y = self._named(w), 16.0, 25.0
        out: list[QRectF] = []
        for way in self.ways:
            n = self._pocket(way, named)
            if out and x + n > w - 8:
                x, y = 16.0, y + ROW
            out.append(QRectF(x, y, n - 4, 29))
            x += n
        return out

    def _cloths(self, w: float) -> list[QRectF]:
        """The cloth of each row."""
        out: dict[float, QRectF] = {}
        for r in self._places(w):
            out[r.top()] = out.get(r.top(), r).united(r)
        return [r.adjusted(-4, 0, 6, 0) for r in out.values()]

    def _look_places(self, w: float) -> list[QRectF]:
        """Places of the word Hold and of the looks: beside the roll, or in rows of their own.

        In a low window they are left out; their keys and the menu remain.
        """
        if self.window().height() / scale() < LOW:
            return []
        wide = [40.0] + [26 + width(n, "note") for _, n, _, _ in self.looks]
        cloths = self._cloths(w)
        x0 = (cloths[-1].right() + 18) if self.ways else 14.0
        beside = x0 + sum(wide) + 16 * len(self.looks) <= w
        out: list[QRectF] = []
        under = cloths[-1].top() if self.ways else 25.0
        x, y = (x0, under + 3) if beside or not self.ways else (14.0, under + 37)
        for n in wide:
            if out and x + n > w - 4:
                x, y = 54.0, y + 27
            out.append(QRectF(x, y, n, 22))
            x += n + (16 if len(out) > 1 else 0)
        return out

    def design_size(self, width: float) -> tuple[float, float]:
        places = self._look_places(width)
        low = max([r.bottom() for r in (*places, *self._cloths(width))], default=0.0)
        return 170.0, low + (4 if not places else 8) if places or self.ways else 0.0

    def stops(self, w: float, h: float) -> list[Stop]:
        out = []
        for way, r in zip(self.ways, self._places(w), strict=True):
            name = f"{way.name}, chosen" if way.id == self.chosen else way.name
            words = f"{way.name}: {way.help[:1].lower()}{way.help[1:]} ({way.key})"
            out.append(Stop(f"way {way.id}", r.adjusted(0, 0, 2, 0), name, words, lambda way=way: self.way_chosen.emit(way.id)))
        for (look, name, key, words), r in zip(self.looks, self._look_places(w)[1:], strict=False):
            out.append(
                Stop(
                    f"look {look}",
                    r.adjusted(-3, -1, 5, 1),
                    f"{name}: hold {key}",
                    f"{words}. Hold {key}; a click pins it",
                    lambda look=look: self.pin(look),
                )
            )
        return out

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("window"))
        if self.ways:
            self._pockets(p, w)
        places = self._look_places(w)
        if places:
            text(p, places[0], "Hold", "caption", "ink", LEFT)
        for (look, name, key, _words), r in zip(self.looks, places[1:], strict=False):
            pinned = self.pinned == look
            keycap(p, QRectF(r.left(), r.top() + 1, 20, 20), key)
            text(p, QRectF(r.left() + 26, r.top(), width(name, "caption") + 3, 22), name, "caption" if pinned else "note", "ink", LEFT)
            if pinned:
                p.setPen(QPen(role("plum"), 2.4, cap=Qt.PenCapStyle.RoundCap))
                p.drawLine(QPointF(r.left() + 27, r.bottom()), QPointF(r.right(), r.bottom()))

    def _pockets(self, p: QPainter, w: float) -> None:
        named, places = self._named(w), self._places(w)
        for way, r in zip(self.ways, places, strict=True):
            up = way.id == self.chosen
            self._pencil(p, r.center().x(), r.top() - (23 if up else 13), up)
        for cloth in self._cloths(w):
            path = QPainterPath()
            path.addRoundedRect(cloth, 5, 5)
            p.fillPath(path, role("card"))
            p.setPen(QPen(role("edge"), 1))
            p.drawPath(path)
        for k, (way, r) in enumerate(zip(self.ways, places, strict=True)):
            if k and places[k - 1].top() == r.top():
                p.setPen(QPen(role("edge"), 1.2, Qt.PenStyle.DashLine))
                p.drawLine(QPointF(r.left() - 2, r.top() + 4), QPointF(r.left() - 2, r.top() + 26))
            if self.hovered == f"way {way.id}":
                p.fillRect(r.adjusted(0, 2, 0, -2), role("plum_wash"))
            up = way.id == self.chosen
            icons.draw(p, way.icon, QRectF(r.left() + (4 if named or up else 6), r.top() + 4.5, 20, 20), "plum" if up else "ink")
            if named or up:
                text(p, QRectF(r.left() + 28, r.top(), r.width() - 28, 29), way.name, "caption" if up else "note", "ink", LEFT)

    def _pencil(self, p: QPainter, x: float, top: float, up: bool) -> None:
        """A sharpened end standing in its pocket: lead, cut wood, barrel."""
        w, cut = 8.0, 9.0
        body = QPainterPath(QPointF(x, top))
        foot = top + (32 if up else 22)  # in its pocket
        for q in ((x + w, top + cut), (x + w, foot), (x - w, foot), (x - w, top + cut)):
            body.lineTo(*q)
        body.closeSubpath()
        p.fillPath(body, role("raised"))
        barrel = QPainterPath(QPointF(x - w, top + cut))
        for k in range(4):
            barrel.quadTo(x - w + (k + 0.5) * w / 2, top + cut - 3, x - w + (k + 1) * w / 2, top + cut)
        barrel.lineTo(x + w, foot)
        barrel.lineTo(x - w, foot)
        barrel.closeSubpath()
        p.fillPath(barrel, role("plum_fill" if up else "edge"))
        lead = QPainterPath(QPointF(x, top))
        lead.lineTo(x + 3, top + 3.4)
        lead.lineTo(x - 3, top + 3.4)
        lead.closeSubpath()
        p.fillPath(lead, role("plum_fill" if up else "ink"))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(role("plum" if up else "edge"), 1))
        p.drawPath(body)
