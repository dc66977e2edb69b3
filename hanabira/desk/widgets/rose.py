"""Petal rose: the colours of an area as petals on a hue circle."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen, QTransform
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.core.colour import spaces
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import CENTRE, mapped, petal, text
from hanabira.desk.theme import role

if TYPE_CHECKING:
    from hanabira.core.area.measures import Measures

CHROMA_MAX = 60.0
SIZE = 174.0


@dataclass(frozen=True)
class Petal:
    """One colour of the rose."""

    lab: spaces.Array
    share: float
    name: str
    hidden: bool = False

    @property
    def words(self) -> str:
        """What the petal says."""
        return f"{self.name}, L* {self.lab[0]:.0f}, {100 * self.share:.0f} %" + (", hidden" if self.hidden else "")


def petals_of(m: Measures) -> list[Petal]:
    """Petals of an area's palette and hidden hues."""
    return [Petal(c.lab, c.share, c.name) for c in m.palette] + [Petal(h.lab, h.share, h.name, True) for h in m.hidden]


class PetalRose(Drawn):
    """Direction = hue, length = square root of chroma, width = share, fill = the colour.

    A hidden hue stands on a stalk; warm and cool halves are parted across hue 150° and 330°.
    """

    def __init__(self, petals: list[Petal], parent: QWidget | None = None) -> None:
        super().__init__("Petal rose: " + "; ".join(q.words for q in petals), parent)
        self.petals = petals
        self.lifted = -1
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def design_size(self, width: float) -> tuple[float, float]:
        return SIZE, SIZE

    def lift(self, index: int) -> None:
        """Bring one petal to the front; the column beside the rose asks for it."""
        self.lifted = index
        self.update()

    def radius(self, c: float) -> float:
        """Distance from the middle for a chroma."""
        inner, outer = 11.0, SIZE / 2 - 20
        return inner + (outer - inner) * math.sqrt(min(c, CHROMA_MAX) / CHROMA_MAX)

    def stops(self, w: float, h: float) -> list[Stop]:
        out = []
        for k, q in enumerate(self.petals):
            a, r = math.radians(float(spaces.hue_deg(q.lab))), self.radius(float(spaces.chroma(q.lab))) * 0.75
            c = QPointF(SIZE / 2 + r * math.cos(a), SIZE / 2 - r * math.sin(a))
            out.append(Stop(f"petal {k}", QRectF(c.x() - 8, c.y() - 8, 16, 16), q.words, q.words))
        return out

    def paint(self, p: QPainter, w: float, h: float) -> None:
        c = QPointF(SIZE / 2, SIZE / 2)
        rim = SIZE / 2 - 20
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(role("bed"))
        p.drawEllipse(c, rim + 3, rim + 3)
        p.setBrush(Qt.BrushStyle.NoBrush)
        for ring in (5, 20, 40, 60):
            p.setPen(QPen(role("bed_ink", 60), 1))
            p.drawEllipse(c, self.radius(ring), self.radius(ring))
        self._halves(p, c, rim)
        order = sorted(
            range(len(self.petals)), key=lambda k: (k == self.lifted, self.petals[k].hidden, -float(spaces.chroma(self.petals[k].lab)))
        )
        for k in order:
            self._petal(p, c, rim, self.petals[k], k == self.lifted)
        p.setPen(QPen(role("bed_ink"), 1))
        p.setBrush(role("bed"))
        p.drawEllipse(c, 4, 4)

    def _petal(self, p: QPainter, c: QPointF, rim: float, q: Petal, lifted: bool) -> None:
        colour = mapped(q.lab)
        t = QTransform().translate(c.x(), c.y()).rotate(-float(spaces.hue_deg(q.lab)))
        end = self.radius(float(spaces.chroma(q.lab)))
        p.setBrush(Qt.BrushStyle.NoBrush)
        if q.hidden:
            start, end = end, min(rim + 2, end + 34)
            start = min(start, end - 18)
            p.setPen(QPen(role("bed_ink"), 1.6, cap=Qt.PenCapStyle.RoundCap))
            stalk = QPainterPath(QPointF(12, 0))
            stalk.quadTo(QPointF(start * 0.6, 5), QPointF(start, 0))
            p.drawPath(t.map(stalk))
            shape = t.map(petal(end, 9, start - 2))
            p.fillPath(shape, colour)
            p.setPen(QPen(role("bed_ink"), 2.2 if lifted else 1.2))
            p.drawPath(shape)
            return
        half = 3.0 + 11.5 * math.sqrt(q.share / 0.40)
        shape = t.map(petal(end, half, 3))
        p.fillPath(shape, colour)
        p.setPen(QPen(role("bed_ink" if lifted else "bed"), 2.0 if lifted else 1.2))
        p.drawPath(shape)
        rib = QPainterPath(QPointF(8, 0))
        rib.quadTo(QPointF(end * 0.5, half * 0.12), QPointF(end * 0.8, 0))
        p.setPen(QPen(colour.darker(118) if q.lab[0] > 35 else colour.lighter(135), 1))
        p.drawPath(t.map(rib))

    def _halves(self, p: QPainter, c: QPointF, rim: float) -> None:
        """Warm from 330° over 60° to 150° with a solid rim, cool opposite with a dotted one."""
        p.setPen(QPen(role("bed_ink", 150), 1, Qt.PenStyle.DashLine))
        for angle in (150, 330):
            a = math.radians(angle)
            p.drawLine(c, QPointF(c.x() + rim * math.cos(a), c.y() - rim * math.sin(a)))
        r = QRectF(c.x() - rim - 3, c.y() - rim - 3, 2 * rim + 6, 2 * rim + 6)
        p.setPen(QPen(role("edge"), 1.6))
        p.drawArc(r, -27 * 16, 174 * 16)
        p.setPen(QPen(role("edge"), 1.6, Qt.PenStyle.DotLine))
        p.drawArc(r, 153 * 16, 174 * 16)
        for angle, s in ((60, "warm"), (240, "cool")):
            p.save()
            a = math.radians(angle)
            p.translate(c.x() + (rim + 12) * math.cos(a), c.y() - (rim + 12) * math.sin(a))
            p.rotate(90 - angle if angle < 180 else 270 - angle)
            text(p, QRectF(-24, -9, 48, 18), s, "note", "ink", CENTRE)
            p.restore()
        for angle in (0, 90, 180, 270):
            a = math.radians(angle)
            p.setPen(QPen(role("edge"), 1.4))
            p.drawLine(
                QPointF(c.x() + (rim + 3) * math.cos(a), c.y() - (rim + 3) * math.sin(a)),
                QPointF(c.x() + (rim + 7) * math.cos(a), c.y() - (rim + 7) * math.sin(a)),
            )
