"""Tray: the pencils of this portrait in their grooves, as long as they still are; and what one pencil does."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import CENTRE, LEFT, RIGHT, hatch, height, mapped, pencilled, swatch, text
from hanabira.desk.theme import THIN, role

if TYPE_CHECKING:
    from hanabira.core.colour.spaces import Array

GROOVE = 32.0
LOW = 0.34
"""Below this length a pencil should be ordered again."""


@dataclass(frozen=True)
class Lying:
    """A pencil in the tray: how much of it is left, 0–1."""

    code: str
    name: str
    lab: Array
    left: float


class Tray(Drawn):
    """Grooves in two columns; barrel in the pencil's colour, worn length hatched."""

    chosen_pencil = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__("Tray")
        self.title, self.chosen = "", ""
        self.pencils: list[Lying] = []

    def set(self, title: str, pencils: Sequence[Lying], chosen: str) -> None:
        """Show what lies in the tray."""
        self.title, self.pencils, self.chosen = title, list(pencils), chosen
        self.refresh()

    def _columns(self, w: float) -> int:
        return 2 if w > 560 else 1

    def design_size(self, width: float) -> tuple[float, float]:
        rows = -(-max(1, len(self.pencils)) // self._columns(width))
        return 210, 38 + GROOVE * rows

    def _cells(self, w: float) -> list[QRectF]:
        n = self._columns(w)
        rows = -(-max(1, len(self.pencils)) // n)
        wide = (w - 40 - 28 * (n - 1)) / n
        return [QRectF(20 + (k // rows) * (wide + 28), 34 + (k % rows) * GROOVE, wide, 30) for k in range(len(self.pencils))]

    def stops(self, w: float, h: float) -> list[Stop]:
        return [
            Stop(q.code, r, f"{q.code} {q.name}, {100 * q.left:.0f} % left", f"{q.code} {q.name}", self._chooser(q.code))
            for q, r in zip(self.pencils, self._cells(w), strict=True)
        ]

    def _chooser(self, code: str) -> Callable[[], None]:
        return lambda: self.chosen_pencil.emit(code)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("window"))
        p.setPen(QPen(role("line"), 1))
        p.drawLine(QPointF(0, 0.5), QPointF(w, 0.5))
        text(p, QRectF(20, 6, w * 0.5 - 20, 22), self.title, "name", "ink", elide=True)
        text(p, QRectF(w * 0.5, 7, w * 0.5 - 20, 22), "hatched: worn away · order again below a third", "small", "ink2", RIGHT, elide=True)
        if not self.pencils:
            text(
                p,
                QRectF(20, 36, w - 40, 24),
                "Nothing lies in the tray. Recipes put their pencils here, or choose a pencil above and lay it in.",
                "small",
                "ink2",
                elide=True,
            )
        for q, r in zip(self.pencils, self._cells(w), strict=True):
            self._groove(p, r, q)

    def _groove(self, p: QPainter, r: QRectF, q: Lying) -> None:
        here = q.code == self.chosen
        text(p, QRectF(r.left(), r.top(), 40, r.height()), q.code, "strong", "ink", elide=True)
        named = 104.0 if r.width() > 280 else 0.0  # in a narrow tray the name is the tooltip
        if named:
            text(p, QRectF(r.left() + 42, r.top(), named - 2, r.height()), q.name, "strong" if here else "small", "ink", elide=True)
        groove = QRectF(r.left() + 42 + named, r.top() + 1, r.width() - 88 - named, 28)
        path = QPainterPath()
        path.addRoundedRect(groove, 4, 4)
        p.fillPath(path, role("bed"))
        full, tip, high = groove.width() - 8, 26.0, 24.0
        length = max(tip + 4, full * q.left)
        x, y = groove.left() + 4, groove.top() + 2
        hatch(p, QRectF(x + length, y + 3, max(0.0, full - length), high - 6), role("bed_ink", 130), 6, 1)
        colour = mapped(q.lab)
        body = QRectF(x, y, length - tip, high)
        p.fillRect(body, colour)
        p.fillRect(QRectF(body.left(), y, body.width(), high * 0.3), QColor(255, 255, 255, 46))
        p.fillRect(QRectF(body.left(), y + high * 0.7, body.width(), high * 0.3), QColor(0, 0, 0, 46))
        wood = QPainterPath(QPointF(body.right(), y))
        for k in range(3):
            y0, y1 = y + high * k / 3, y + high * (k + 1) / 3
            wood.cubicTo(body.right() + 5, y0 + high / 9, body.right() + 5, y1 - high / 9, body.right(), y1)
        wood.lineTo(body.right() + tip, y + high / 2)
        wood.closeSubpath()
        p.fillPath(wood, QColor(206, 206, 206))
        lead = QPainterPath(QPointF(body.right() + tip, y + high / 2))
        lead.lineTo(body.right() + tip * 0.62, y + high / 2 - high * 0.19)
        lead.lineTo(body.right() + tip * 0.62, y + high / 2 + high * 0.19)
        lead.closeSubpath()
        p.fillPath(lead, colour)
        if here:
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(role("ink"), 2))
            p.drawPath(path)
        text(
            p,
            QRectF(r.right() - 44, r.top(), 44, r.height()),
            f"{round(q.left * 100)}{THIN}%",
            "strong" if q.left < LOW else "small",
            "ink",
            RIGHT,
        )


class FivePressures(Drawn):
    """One pencil on this paper at its five pressures: laid by hand above, the flat prediction touching below."""

    def __init__(self, labs: Sequence[Array], paper: Array) -> None:
        super().__init__("At five pressures: " + ", ".join(f"{k + 1} L* {v[0]:.0f}" for k, v in enumerate(labs)))
        self.labs, self.paper = labs, paper

    def design_size(self, width: float) -> tuple[float, float]:
        return 200, 126

    def paint(self, p: QPainter, w: float, h: float) -> None:
        n = len(self.labs)
        wide = w / n
        p.fillRect(QRectF(0, 0, w, 60), mapped(self.paper))
        for k, lab in enumerate(self.labs):
            pencilled(p, QRectF(k * wide + 6, 7, wide - 12, 46), mapped(lab), 1 + k, 1 + (k > 1) + (k > 3), 3.4 - 0.35 * k)
            swatch(p, QRectF(round(k * wide), 60, round((k + 1) * wide) - round(k * wide), 30), mapped(lab))
            text(p, QRectF(k * wide, 91, wide, 17), f"{k + 1}", "strong", "ink", CENTRE)
            text(p, QRectF(k * wide, 107, wide, 17), f"L*{THIN}{lab[0]:.0f}", "note", "ink2", CENTRE)


class Strip(Drawn):
    """The steps between two pencils, touching."""

    def __init__(self, labs: Sequence[Array], words: str) -> None:
        super().__init__(words)
        self.labs, self.words = labs, words

    def design_size(self, width: float) -> tuple[float, float]:
        return 200, 48 + height(self.words, max(120, width), "small")

    def paint(self, p: QPainter, w: float, h: float) -> None:
        wide = w / len(self.labs)
        p.fillRect(QRectF(0, 0, w, 38), role("bed"))
        for k, lab in enumerate(self.labs):
            swatch(
                p,
                QRectF(
                    4 + round(k * (w - 8) / len(self.labs)),
                    4,
                    wide + 1 if k < len(self.labs) - 1 else w - 8 - round(k * (w - 8) / len(self.labs)),
                    30,
                ),
                mapped(lab),
            )
        text(p, QRectF(0, 42, w, h - 42), self.words, "small", "ink2", wrap=True)


class Facts(Drawn):
    """Label and figure rows."""

    def __init__(self, rows: Sequence[tuple[str, str]]) -> None:
        super().__init__("; ".join(f"{a}: {b}" for a, b in rows))
        self.rows = rows

    def design_size(self, width: float) -> tuple[float, float]:
        return 200, 23.0 * len(self.rows)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        for k, (a, b) in enumerate(self.rows):
            text(p, QRectF(0, 23 * k, 84, 22), a, "small", "ink2", LEFT)
            text(p, QRectF(86, 23 * k, w - 86, 22), b, "small", "ink", LEFT, elide=True)
