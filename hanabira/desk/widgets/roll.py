"""Pencil roll: ways to work on the picture as pencils in stitched pockets, and the keys to hold."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QWidget

from hanabira.desk import icon as icons
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import LEFT, keycap, text, width
from hanabira.desk.theme import role, scale

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

    def _pocket(self, way: Way) -> float:
        return width(way.name, "caption") + 40

    def _cloth(self) -> QRectF:
        return QRectF(12, 25, sum(self._pocket(q) for q in self.ways) + 8, 29)

    def _look_places(self, w: float) -> list[QRectF]:
        """Places of the word Hold and of the looks: beside the roll, or in rows of their own.

        In a low window they are left out; their keys and the menu remain.
        """
        if self.window().height() / scale() < LOW and self.ways:
            return []
        wide = [40.0] + [26 + width(n, "note") for _, n, _, _ in self.looks]
        x0 = (self._cloth().right() + 18) if self.ways else 14.0
        beside = x0 + sum(wide) + 16 * len(self.looks) <= w
        out: list[QRectF] = []
        x, y = (x0, 28.0) if beside or not self.ways else (14.0, 62.0)
        for n in wide:
            if out and x + n > w - 4:
                x, y = 54.0, y + 27
            out.append(QRectF(x, y, n, 22))
            x += n + (16 if len(out) > 1 else 0)
        return out

    def design_size(self, width: float) -> tuple[float, float]:
        places = self._look_places(width)
        low = max((r.bottom() for r in places), default=50.0)
        return max(170.0, self._cloth().right() if self.ways else 0.0), max(
            58.0 if self.ways else 34.0, low + 8
        ) if places or self.ways else 0.0

    def stops(self, w: float, h: float) -> list[Stop]:
        out, x = [], self._cloth().left() + 4
        for way in self.ways:
            n = self._pocket(way)
            name = f"{way.name}, chosen" if way.id == self.chosen else way.name
            out.append(
                Stop(
                    f"way {way.id}", QRectF(x, 25, n - 2, 29), name, f"{way.help} ({way.key})", lambda way=way: self.way_chosen.emit(way.id)
                )
            )
            x += n
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
            self._pockets(p)
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

    def _pockets(self, p: QPainter) -> None:
        cloth = self._cloth()
        x = cloth.left() + 4
        places = []
        for way in self.ways:
            n = self._pocket(way)
            places.append((way, QRectF(x, 25, n - 4, 29)))
            x += n
        for way, r in places:
            up = way.id == self.chosen
            self._pencil(p, r.center().x(), 2 if up else 12, up)
        path = QPainterPath()
        path.addRoundedRect(cloth, 5, 5)
        p.fillPath(path, role("card"))
        p.setPen(QPen(role("edge"), 1))
        p.drawPath(path)
        for k, (way, r) in enumerate(places):
            if k:
                p.setPen(QPen(role("edge"), 1.2, Qt.PenStyle.DashLine))
                p.drawLine(QPointF(r.left() - 2, 29), QPointF(r.left() - 2, 51))
            if self.hovered == f"way {way.id}":
                p.fillRect(r.adjusted(0, 2, 0, -2), role("plum_wash"))
            up = way.id == self.chosen
            icons.draw(p, way.icon, QRectF(r.left() + 4, 29.5, 20, 20), "plum" if up else "ink")
            text(p, QRectF(r.left() + 28, 25, r.width() - 28, 29), way.name, "caption" if up else "note", "ink", LEFT)

    def _pencil(self, p: QPainter, x: float, top: float, up: bool) -> None:
        """A sharpened end standing in its pocket: lead, cut wood, barrel."""
        w, cut = 8.0, 9.0
        body = QPainterPath(QPointF(x, top))
        for q in ((x + w, top + cut), (x + w, 34), (x - w, 34), (x - w, top + cut)):
            body.lineTo(*q)
        body.closeSubpath()
        p.fillPath(body, role("raised"))
        barrel = QPainterPath(QPointF(x - w, top + cut))
        for k in range(4):
            barrel.quadTo(x - w + (k + 0.5) * w / 2, top + cut - 3, x - w + (k + 1) * w / 2, top + cut)
        barrel.lineTo(x + w, 34)
        barrel.lineTo(x - w, 34)
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
