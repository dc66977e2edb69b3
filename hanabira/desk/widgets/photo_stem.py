"""Photos of the work on a stem, a petal each at its day; over it, how far each area stood from the plan at that time."""

from __future__ import annotations

import datetime
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import CENTRE, RIGHT, bed, petal, text
from hanabira.desk.theme import role

HIGH, FOLDED = 112.0, 44.0
TOP_DE = 10.0
MOST_CURVES = 4


@dataclass(frozen=True)
class StemCurve:
    """An area's ΔE00 from the plan: its short name and (index of the photo, ΔE00, sure)."""

    key: str
    name: str
    points: tuple[tuple[int, float, bool], ...]


@dataclass(frozen=True)
class StemPhoto:
    """A photo: its id, when it was taken, whether it was judged or refused."""

    key: str
    at: datetime.datetime
    state: str = ""


class PhotoStem(Drawn):
    """Choose a petal to see its photo; the chosen area's curve is the strong one."""

    def __init__(self, choose: Callable[[str], object], parent: QWidget | None = None) -> None:
        super().__init__("Photos of the work", parent)
        self.choose = choose
        self.photos: tuple[StemPhoto, ...] = ()
        self.curves: tuple[StemCurve, ...] = ()
        self.chosen, self.area = "", ""
        self.thumb: QImage | None = None
        self.folded = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def set(self, photos: Sequence[StemPhoto], curves: Mapping[str, StemCurve], chosen: str, area: str, thumb: QImage | None) -> None:
        """Show other photos."""
        self.photos, self.chosen, self.area, self.thumb = tuple(photos), chosen, area, thumb
        worst = sorted(curves.values(), key=lambda c: (c.key != area, -c.points[-1][1]))[:MOST_CURVES]
        self.curves = tuple(worst)
        told = ", ".join(f"{c.name} {c.points[-1][1]:.1f}" for c in self.curves)
        self.setAccessibleDescription(f"{len(self.photos)} photos; ΔE00 from the plan at the last one: {told or 'not measured'}")
        self.refresh()

    def design_size(self, width: float) -> tuple[float, float]:
        return 220, FOLDED if self.folded else HIGH

    def _span(self, w: float) -> tuple[float, float]:
        left = 176.0 if w > 560 and not self.folded else 34.0
        right = w - (186.0 if not self.folded else 30.0)
        return left, max(left + 60, right)

    def _x(self, w: float) -> list[float]:
        """Where each photo stands: by its time, but never nearer than 26 to the one before."""
        left, right = self._span(w)
        if not self.photos:
            return []
        first, last = self.photos[0].at, self.photos[-1].at
        whole = max(1.0, (last - first).total_seconds())
        out: list[float] = []
        for q in self.photos:
            x = left + 20 + (q.at - first).total_seconds() / whole * (right - left - 40) if len(self.photos) > 1 else (left + right) / 2
            out.append(max(x, out[-1] + 26) if out else x)
        over = out[-1] - (right - 10)
        if over > 0:
            k = (right - 10 - left - 10) / max(1.0, out[-1] - left - 10)
            out = [left + 10 + (x - left - 10) * k for x in out]
        return out

    def stops(self, w: float, h: float) -> list[Stop]:
        base = h - 22
        return [
            Stop(q.key, QRectF(x - 12, base - 26, 24, 46), f"Photo of {q.at:%d %B %H:%M}, {q.state or 'not judged yet'}", f"{q.at:%d %B %H:%M}", lambda k=q.key: self.choose(k))
            for q, x in zip(self.photos, self._x(w), strict=True)
        ]  # fmt: skip

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("card"))
        p.setPen(QPen(role("line"), 1))
        p.drawLine(QPointF(0, 0.5), QPointF(w, 0.5))
        base, (left, right) = h - 22, self._span(w)
        if left > 100:
            text(p, QRectF(20, 6, 130, 20), "Photos of the work", "caption")
            text(p, QRectF(20, 26, 120, 52), "how far from the plan at that time, ΔE00", "note", "ink2", wrap=True)
        if not self.folded:
            self._curves(p, w, base, left, right)
        self._stem(p, w, base, left, right)
        if self.thumb is not None and not self.folded:
            self._thumb(p, w, h)

    def _y(self, base: float, de: float) -> float:
        return base - 26 - min(1.0, de / TOP_DE) * (base - 26 - 12)

    def _curves(self, p: QPainter, w: float, base: float, left: float, right: float) -> None:
        for de in (0, 3, 10):
            y = self._y(base, de)
            p.setPen(QPen(role("line"), 1))
            p.drawLine(QPointF(left, y), QPointF(right, y))
            text(p, QRectF(left - 28, y - 9, 24, 18), f"{de}", "note", "ink2", RIGHT)
        at = self._x(w)
        ends: list[tuple[float, str, bool]] = []
        for c in self.curves:
            strong = c.key == self.area
            points = [QPointF(at[k], self._y(base, de)) for k, de, _sure in c.points]
            pen = QPen(role("ink"), 2.6 if strong else 1.0)
            if not all(sure for _k, _de, sure in c.points):
                pen.setDashPattern([5, 3])
            path = QPainterPath(points[0])
            for q in points[1:]:
                path.lineTo(q)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(pen)
            p.drawPath(path)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(role("ink"))
            for q in points:
                p.drawEllipse(q, 3.4 if strong else 1.8, 3.4 if strong else 1.8)
            ends.append((points[-1].y(), f"{c.name} {c.points[-1][1]:.1f}", strong))
        ends.sort()
        rows: list[float] = []
        for y, _words, _strong in ends:
            rows.append(max(y, rows[-1] + 16) if rows else y)
        low = base - 18
        for n in reversed(range(len(rows))):
            rows[n] = min(rows[n], low)
            low = rows[n] - 16
        room = w - right - (84 if self.thumb is not None else 8)
        for y, (_end, words, strong) in zip(rows, ends, strict=True):
            text(p, QRectF(right + 6, y - 9, room, 18), words, "caption" if strong else "note", "ink", elide=True)

    def _stem(self, p: QPainter, w: float, base: float, left: float, right: float) -> None:
        path = QPainterPath(QPointF(left - 20, base))
        for step in range(int(left) - 20, int(right) + 8, 6):
            path.lineTo(step, base + 1.6 * math.sin(step / 40))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(role("ink"), 1.4))
        p.drawPath(path)
        if not self.photos:
            text(p, QRectF(left, base - 22, right - left, 18), "no photo of the work yet", "note", "ink2")
        said, last = "", -99.0
        for q, x in zip(self.photos, self._x(w), strict=True):
            here = q.key == self.chosen
            p.save()
            p.translate(x, base)
            p.rotate(-62)
            shape = petal(18 if here else 14, 5.6 if here else 4.4)
            if q.state in ("", "refused"):
                pen = QPen(role("ink"), 1.3)
                if q.state == "refused":
                    pen.setDashPattern([2.4, 1.8])
                p.setPen(pen)
                p.setBrush(role("card"))
                p.drawPath(shape)
            else:
                p.fillPath(shape, role("ink"))
            p.restore()
            words = f"{q.at.day} {q.at:%b}" if here or f"{q.at:%b}" not in said else f"{q.at.day}"
            if (x - last > 34 or here) and not (words == said and not here):
                text(p, QRectF(x - 28, base + 3, 56, 17), words, "caption" if here else "note", "ink", CENTRE)
                said, last = words, x

    def _thumb(self, p: QPainter, w: float, h: float) -> None:
        assert self.thumb is not None
        k = min(74 / self.thumb.width(), 88 / self.thumb.height())
        r = QRectF(0, 0, self.thumb.width() * k, self.thumb.height() * k)
        r.moveCenter(QPointF(w - 46, h / 2))
        bed(p, r, 3)
        p.drawImage(r, self.thumb)
