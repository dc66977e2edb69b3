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
from hanabira.desk.theme import role


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

    def __init__(self, ways: Sequence[Way], looks: Sequence[tuple[str, str, str, str]], pin: Callable[[str], None], parent: QWidget | None = None) -> None:
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

    def _looks_start(self, w: float) -> tuple[float, float]:
        """Where the looks stand: beside the roll, or in a row of their own."""
        x = (self._cloth().right() + 18) if self.ways else 14
        need = 40 + sum(26 + width(n, "note") + 16 for _, n, _, _ in self.looks)
        return (x, 0.0) if x + need <= w else (14.0, 34.0)

    def design_size(self, width: float) -> tuple[float, float]:
        return 300, 58 + self._looks_start(width)[1]

    def stops(self, w: float, h: float) -> list[Stop]:
        out, x = [], self._cloth().left() + 4
        for way in self.ways:
            n = self._pocket(way)
            name = f"{way.name}, chosen" if way.id == self.chosen else way.name
            out.append(Stop(f"way {way.id}", QRectF(x, 25, n - 2, 29), name, f"{way.help} ({way.key})", lambda way=way: self.way_chosen.emit(way.id)))
            x += n
        x, dy = self._looks_start(w)
        x += 40
        for look, name, key, words in self.looks:
            n = 26 + width(name, "note")
            out.append(Stop(f"look {look}", QRectF(x - 3, 27 + dy, n + 8, 24), f"{name}: hold {key}", f"{words}. Hold {key}; a click pins it", lambda look=look: self.pin(look)))
            x += n + 16
        return out

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("window"))
        if self.ways:
            self._pockets(p)
        x, dy = self._looks_start(w)
        text(p, QRectF(x, 28 + dy, 40, 22), "Hold", "caption", "ink", LEFT)
        x += 40
        for look, name, key, _words in self.looks:
            pinned = self.pinned == look
            keycap(p, QRectF(x, 29 + dy, 20, 20), key)
            n = width(name, "note")
            text(p, QRectF(x + 26, 28 + dy, width(name, "caption") + 3, 22), name, "caption" if pinned else "note", "ink", LEFT)
            if pinned:
                p.setPen(QPen(role("plum"), 2.4, cap=Qt.PenCapStyle.RoundCap))
                p.drawLine(QPointF(x + 27, 50 + dy), QPointF(x + 26 + n, 50 + dy))
            x += 26 + n + 16

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
