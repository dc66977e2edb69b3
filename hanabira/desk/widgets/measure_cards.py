"""Measures of an area on the bench card: shares, values, temperature, hidden hue, hair."""

from __future__ import annotations

import math
import random
from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from hanabira.core.area import clipping, values
from hanabira.core.colour.words import colour_name, value_step
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import LEFT, RIGHT, bed, grey, hair, height, mapped, petal, swatch, text, width
from hanabira.desk.theme import THIN, role

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

    from hanabira.core.area.measures import Measures
    from hanabira.desk.widgets.rose import Petal

ROW = 29.0


class Shares(Drawn):
    """Palette as one touching column; name and figures beside it. Pointing at a row lifts its petal."""

    pointed = pyqtSignal(int)
    shown = pyqtSignal(int)

    def __init__(self, petals: list[Petal], parent: QWidget | None = None) -> None:
        super().__init__("Colours with their shares", parent)
        self.petals = petals
        self.current_changed.connect(lambda key: self.pointed.emit(int(key.split()[1])))

    def design_size(self, width: float) -> tuple[float, float]:
        return 130, ROW * len(self.petals) + 2

    def stops(self, w: float, h: float) -> list[Stop]:
        return [
            Stop(
                f"share {k}",
                QRectF(0, k * ROW, w, ROW),
                q.words,
                f"{q.words}. Click to see it on the photo",
                lambda k=k: self.shown.emit(k),
            )
            for k, q in enumerate(self.petals)
        ]

    def mouseMoveEvent(self, event) -> None:  # noqa: ANN001
        super().mouseMoveEvent(event)
        self.pointed.emit(int(self.hovered.split()[1]) if self.hovered else -1)

    def leaveEvent(self, event) -> None:  # noqa: ANN001
        super().leaveEvent(event)
        self.pointed.emit(-1)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        n = len(self.petals)
        bed(p, QRectF(4, 4, 30, n * ROW - 8))
        for k, q in enumerate(self.petals):
            y = k * ROW
            swatch(p, QRectF(4, y if k else 4, 30, ROW - (4 if k in (0, n - 1) else 0)), mapped(q.lab))
            text(p, QRectF(44, y - 1, w - 44, 17), q.name, "small", "ink", elide=True)
            share = f"{100 * q.share:.0f}{THIN}%" if q.share >= 0.01 else f"<{THIN}1{THIN}%"
            room = w - 44 - width(share, "note") - 4
            text(p, QRectF(44, y + 14, room, 15), f"L*{THIN}{q.lab[0]:.0f}" + (" hidden" if q.hidden else ""), "note", "ink2", elide=True)
            text(p, QRectF(w - 46, y + 14, 46, 15), share, "note", "ink2", RIGHT)


class ValuePatches(Drawn):
    """Gap, general, light and highlight as touching patches, each over the neutral grey of its L*.

    A click on one asks to see on the photo where it was read.
    """

    shown = pyqtSignal(str)

    def __init__(self, m: Measures, parent: QWidget | None = None) -> None:
        self.bands = {name: m.values.band_lab[name] for name in values.BAND_PERCENTILES}
        self.unknown = m.clipping.unknown
        super().__init__("Values: " + ", ".join(f"{k} {self._figure(k)}" for k in self.bands), parent)

    def _figure(self, band: str) -> str:
        """Its value in words; what the photo lost has none."""
        lightness = self.bands[band][0]
        return "unknown" if band in self.unknown else f"L*{THIN}{lightness:.0f} · step{THIN}{value_step(lightness)}"

    def design_size(self, width: float) -> tuple[float, float]:
        return 240, 75 if width >= 300 else 140

    def stops(self, w: float, h: float) -> list[Stop]:
        return [
            Stop(
                f"value {k}",
                r,
                f"{k} {self._figure(k)}",
                f"{_BAND_HELP[k]}. Click to see them on the photo",
                lambda k=k: self.shown.emit(k),
            )
            for k, r in self._cells(w)
        ]

    def _cells(self, w: float) -> list[tuple[str, QRectF]]:
        names = list(self.bands)
        if w >= 300:
            wide = (w - 8) / 4
            return [(k, QRectF(4 + round(i * wide), 4, round((i + 1) * wide) - round(i * wide), 71)) for i, k in enumerate(names)]
        wide = (w - 8) / 2
        return [(k, QRectF(4 + (i % 2) * wide, 4 + (i // 2) * 69, wide, 66)) for i, k in enumerate(names)]

    def paint(self, p: QPainter, w: float, h: float) -> None:
        cells = self._cells(w)
        for row in {r.top() for _, r in cells}:
            bed(p, QRectF(4, row, w - 8, 33))
        for name, r in cells:
            lab = self.bands[name]
            swatch(p, QRectF(r.left(), r.top(), r.width(), 25), mapped(lab))
            swatch(p, QRectF(r.left(), r.top() + 25, r.width(), 8), grey(lab[0]))
            text(p, QRectF(r.left() + 1, r.top() + 38, r.width() - 2, 17), name, "small", "ink")
            text(
                p,
                QRectF(r.left() + 1, r.top() + 54, r.width(), 16),
                self._figure(name),
                "note",
                "ink2",
                elide=True,
            )
            if name in self.unknown:  # struck out: the patch shows what stands in the file, not what the coat is
                p.setPen(QPen(role("ink"), 1.4))
                p.drawLine(QPointF(r.left() + 2, r.top() + 31), QPointF(r.right() - 2, r.top() + 2))


class Patches(Drawn):
    """Named colours as touching patches on the bed, with value and step in text under them."""

    def __init__(self, colours: Sequence[tuple[str, Sequence[float]]], parent: QWidget | None = None) -> None:
        self.colours = list(colours)
        super().__init__("Colours: " + ", ".join(f"{k} L* {v[0]:.0f}, {colour_name(v)}" for k, v in self.colours), parent)

    def _columns(self, w: float) -> int:
        widest = max((width(k, "small") for k, _ in self.colours), default=60.0)
        return max(1, min(len(self.colours), int((w - 8) // max(78.0, widest + 6))))

    def design_size(self, width: float) -> tuple[float, float]:
        n = self._columns(max(width, 120))
        return 120, 4 + 81 * -(-len(self.colours) // n)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        n = self._columns(w)
        wide = (w - 8) / n
        for k in range(0, len(self.colours), n):
            y = 4 + 81 * (k // n)
            here = self.colours[k : k + n]
            bed(p, QRectF(4, y, wide * len(here), 26))
            for i, (name, lab) in enumerate(here):
                x = 4 + round(i * wide)
                swatch(p, QRectF(x, y, round((i + 1) * wide) - round(i * wide), 26), mapped(lab))
                text(p, QRectF(x + 1, y + 31, wide - 3, 16), name, "small", "ink", elide=True)
                text(p, QRectF(x + 1, y + 46, wide - 3, 15), f"L*{THIN}{lab[0]:.0f} · {value_step(lab[0])}", "note", "ink2", elide=True)
                text(p, QRectF(x + 1, y + 60, wide - 3, 15), colour_name(lab), "note", "ink2", elide=True)


_BAND_HELP = {
    "gap": "The darkest 12 % of the area: between hairs and clumps",
    "general": "The middle of the area, from 35 to 65 %",
    "light": "The light hairs, from 88 to 98.5 %",
    "highlight": "The lightest 1.5 % of the area",
}


class Balance(Drawn):
    """A balance beam that dips to the warm or the cool side, with the words for it."""

    def __init__(self, m: Measures, parent: QWidget | None = None) -> None:
        t = m.temperature
        self.lean = max(-1.0, min(1.0, t.lean / 22))
        side = {"warm": "Warm", "cool": "Cool", "neutral": "Neutral", "both": "Warm and cool"}[t.word]
        self.head = f"{side}, by {abs(t.lean):.0f}" if t.word in ("warm", "cool") else side
        self.body = f"{t.shade_word[:1].upper()}{t.shade_word[1:]}"
        if m.clipping.lost > clipping.GONE:
            self.lean, self.head, self.body = 0.0, "Unknown", "The photo lost the colours here"
        super().__init__(f"Temperature: {self.head}. {self.body}", parent)

    def design_size(self, width: float) -> tuple[float, float]:
        return 240, 42

    def paint(self, p: QPainter, w: float, h: float) -> None:
        c, a = QPointF(64, 18), math.radians(self.lean * 13)
        dx, dy = 30 * math.cos(a), 30 * math.sin(a)
        p.setPen(QPen(role("ink"), 1.6, cap=Qt.PenCapStyle.RoundCap))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawLine(QPointF(c.x() - dx, c.y() - dy), QPointF(c.x() + dx, c.y() + dy))
        tri = QPainterPath(c + QPointF(0, 1))
        tri.lineTo(c + QPointF(-7, 17))
        tri.lineTo(c + QPointF(7, 17))
        tri.closeSubpath()
        p.drawPath(tri)
        for s in (-1, 1):
            e = QPointF(c.x() + s * dx, c.y() + s * dy)
            pan = QPainterPath(e + QPointF(-9, 4))
            pan.quadTo(e + QPointF(0, 13), e + QPointF(9, 4))
            p.drawPath(pan)
        text(p, QRectF(0, max(0, c.y() - dy - 14), 30, 16), "cool", "note", "ink2")
        text(p, QRectF(102, max(0, min(h - 16, c.y() + dy - 14)), 36, 16), "warm", "note", "ink2")
        text(p, QRectF(146, 1, w - 146, 20), self.head, "strong", "ink", elide=True)
        text(p, QRectF(146, 21, w - 146, 18), self.body, "small", "ink2", elide=True)


class HiddenHueCard(Drawn):
    """A hidden hue on its stalk, with what to do about it."""

    def __init__(self, q: Petal, where: str, parent: QWidget | None = None) -> None:
        self.q = q
        share = f"{100 * q.share:.0f} %" if q.share >= 0.01 else "under 1 %"
        self.head = f"{q.name[:1].upper()}{q.name[1:]}, {share} of the area"
        self.body = "Lay it thin before the colours that hide it" if where == "specks" else "The tone turns there; glaze it in"
        super().__init__(f"Hidden hue: {self.head}. {self.body}", parent)

    def design_size(self, width: float) -> tuple[float, float]:
        return 200, 43

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.save()
        p.translate(3, 39)
        p.rotate(-42)
        stalk = QPainterPath(QPointF(0, 0))
        stalk.quadTo(QPointF(8, 4), QPointF(16, 0))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(role("ink"), 1.6, cap=Qt.PenCapStyle.RoundCap))
        p.drawPath(stalk)
        shape = petal(50, 12.5, 15)
        p.setPen(QPen(role("bed"), 6, join=Qt.PenJoinStyle.RoundJoin))
        p.drawPath(shape)
        p.fillPath(shape, mapped(self.q.lab))
        p.restore()
        text(p, QRectF(54, 1, w - 54, 20), self.head, "strong", "ink", elide=True)
        text(p, QRectF(54, 21, w - 54, 18), self.body, "small", "ink2", elide=True)


class HairCard(Drawn):
    """Hairs at true size in the measured direction, spread and spacing over a millimetre edge; or why there are none."""

    def __init__(self, m: Measures, px_per_mm: float, parent: QWidget | None = None) -> None:
        self.m, self.px_per_mm = m, px_per_mm
        hair_ = m.hair
        self.rows: list[tuple[str, str]] = []
        if hair_.direction_deg is None:
            name = f"Hair: no direction, {hair_.reason}"
        else:
            k = m.mm_per_px or 1.0
            self.spread = hair_.spread_deg or 0.0
            self.length_mm, self.width_mm = (hair_.length_px or 10) * k, (hair_.width_px or 1.5) * k
            run = "short" if self.length_mm < 4 else "medium" if self.length_mm < 12 else "long"
            length = (
                f"{self.length_mm:.0f} mm ({0.7 * self.length_mm:.0f}–{1.4 * self.length_mm:.0f})"
                if self.spread <= 10
                else f"{run}, they cross"
            )
            self.rows = [
                (
                    "Direction",
                    f"{hair_.direction_deg:.0f}°" if m.combed is None or m.combed.mean_deg is None else f"to {m.combed.mean_deg:.0f}°",
                ),
                ("Visible run", length),
                ("Width", f"{self.width_mm:.1f} mm"),
            ]
            clumps = f", clumps {hair_.clump_px * k:.0f} mm" if hair_.clump_px else ""
            self.rows.append((m.lie.capitalize() or "Spread", f"±{self.spread:.0f}°{clumps}"))
            name = "Hair: " + ", ".join(f"{a} {b}" for a, b in self.rows)
        super().__init__(name, parent)

    def _words(self) -> str:
        return f"No direction shown: {self.m.hair.reason}. Recipes then leave it to you."

    def design_size(self, width: float) -> tuple[float, float]:
        if not self.rows:
            return 200, height(self._words(), max(width, 150), "small") + 4
        return 240, 78 if width >= 290 else 160

    def paint(self, p: QPainter, w: float, h: float) -> None:
        if not self.rows:
            text(p, QRectF(0, 0, w, h), self._words(), "small", "ink2", wrap=True)
            return
        mm = self.px_per_mm
        n = int(min(34, (w if w < 290 else w - 200) / mm))
        box = QRectF(0, 0, n * mm, 75)
        p.fillRect(box, role("well"))
        p.save()
        p.setClipRect(box)
        rng = random.Random(3)
        colour = mapped(self.m.values.band_lab["general"])
        length, spacing = min(40.0, self.length_mm) * mm, max(self.width_mm * mm * 1.4, 3.5)
        direction = self.m.hair.direction_deg or 0.0
        y = box.top() - 8
        while y < box.bottom() + 14:
            x = box.left() - 10
            while x < box.right() + 30:
                d = direction + rng.gauss(0, self.spread * 0.7)
                n_ = length * rng.uniform(0.75, 1.15)
                u, v = x + rng.uniform(-2, 2), y + rng.uniform(-1.5, 1.5)
                hair(
                    p, u - n_ / 2 * math.cos(math.radians(d)), v + n_ / 2 * math.sin(math.radians(d)), ang=d, length=n_, c=colour,
                    w=max(1.0, self.width_mm * mm), bend=rng.gauss(0, 8), alpha=230,
                )
                x += max(9.0, spacing * 1.7)
            y += spacing
        p.restore()
        p.setPen(QPen(role("ink"), 1))
        for k in range(n + 1):
            p.drawLine(QPointF(k * mm, box.bottom()), QPointF(k * mm, box.bottom() - (7 if k % 10 == 0 else 4 if k % 5 == 0 else 2.5)))
        x, y = (box.right() + 12, 0.0) if w >= 290 else (0.0, 82.0)
        for k, (a, b) in enumerate(self.rows):
            text(p, QRectF(x, y + k * 19, 76, 18), a, "small", "ink2", LEFT)
            text(p, QRectF(x + 76, y + k * 19, w - x - 76, 20), b, "small", "ink", LEFT, elide=True)
