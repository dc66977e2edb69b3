"""Small pictures for the words of the craft: each shows one thing and nothing else."""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from hanabira.desk.drawn import Drawn
from hanabira.desk.paint import CENTRE, bed, grey, hair, hatch, mapped, pencilled, petal, swatch, text
from hanabira.desk.theme import role

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

HIGH = 96.0
_FUR = ((26.0, 8.0, 12.0), (48.0, 12.0, 22.0), (70.0, 9.0, 24.0), (91.0, 2.0, 8.0))
"""Gap, general, light and highlight of a brown coat."""
_PAPER = (96.0, 0.0, 2.0)


def _bands(p: QPainter, r: QRectF) -> None:
    """A tuft in four values with their names."""
    rng = random.Random(4)
    wide = r.width() / 4
    for k, (name, lab) in enumerate(zip(("gap", "general", "light", "highlight"), _FUR, strict=True)):
        at = QRectF(r.left() + k * wide, r.top(), wide - 6, r.height() - 22)
        bed(p, at.adjusted(4, 4, -4, -4))
        swatch(p, at.adjusted(4, 4, -4, -4), mapped(_FUR[1]))
        for _ in range(16):
            hair(
                p,
                at.left() + rng.uniform(8, at.width() - 10),
                at.bottom() - rng.uniform(8, 26),
                66 + rng.uniform(-12, 12),
                26,
                mapped(lab),
                2.4,
            )
        text(p, QRectF(at.left(), r.bottom() - 20, at.width(), 18), name, "note", "ink", CENTRE)


def _tooth_line(r: QRectF, share: float) -> QPainterPath:
    path = QPainterPath(QPointF(r.left(), r.bottom()))
    for x in range(int(r.width()) + 1):
        path.lineTo(r.left() + x, r.bottom() - 18 - 12 * math.sin(x / 9.0) * (0.6 + 0.4 * math.sin(x / 23.0)) - share)
    path.lineTo(r.right(), r.bottom())
    return path


def _tooth(p: QPainter, r: QRectF) -> None:
    """The hills and valleys of paper, a little filled at the left and full at the right."""
    ground = _tooth_line(r, 0)
    level = QPainterPath()
    level.moveTo(r.left(), r.bottom() - 8)
    for x in range(int(r.width()) + 1):
        level.lineTo(r.left() + x, r.bottom() - 10 - 28 * x / r.width())
    level.lineTo(r.right(), r.bottom())
    level.lineTo(r.left(), r.bottom())
    p.fillPath(level, mapped(_FUR[1]))
    p.fillPath(ground, mapped(_PAPER))
    p.setPen(QPen(role("ink"), 1.2))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawPath(ground)
    text(p, QRectF(r.left(), r.top(), r.width() / 2, 18), "room for layers", "note", "ink2")
    text(p, QRectF(r.center().x(), r.top(), r.width() / 2, 18), "full", "note", "ink2", Qt.AlignmentFlag.AlignRight)


def _layers(p: QPainter, r: QRectF) -> None:
    """Three layers growing on one another, each over part of the last."""
    labs = ((80.0, 4.0, 30.0), (52.0, 14.0, 26.0), (30.0, 6.0, 10.0))
    wide = r.width() / 3
    for k, lab in enumerate(labs):
        pencilled(
            p, QRectF(r.left() + k * wide * 0.72, r.top() + 4, r.width() - k * wide * 0.72 - 4, r.height() - 28), mapped(lab), 3 + k, 2
        )
    for k in range(3):
        text(p, QRectF(r.left() + k * wide * 0.72, r.bottom() - 20, wide, 18), f"layer {k + 1}", "note", "ink")


def _value(p: QPainter, r: QRectF) -> None:
    """Ten value steps."""
    wide = r.width() / 10
    for k in range(10):
        p.fillRect(QRectF(r.left() + k * wide, r.top() + 8, wide + 0.5, r.height() - 34), grey(k * 10 + 5))
        text(p, QRectF(r.left() + k * wide, r.bottom() - 20, wide, 18), str(k + 1), "note", "ink", CENTRE)


def _step(p: QPainter, r: QRectF) -> None:
    """A place on the ruler of lightness."""
    _value(p, r)
    x = r.left() + 0.43 * r.width()
    p.setPen(QPen(role("ink"), 2))
    p.drawLine(QPointF(x, r.top() + 2), QPointF(x, r.bottom() - 22))
    text(p, QRectF(x + 5, r.top() - 6, 120, 16), "L* 43 · step 5", "note", "ink")


def _pair(p: QPainter, r: QRectF) -> None:
    """Pairs of colours farther and farther apart."""
    wide = r.width() / 3
    for k, (off, words) in enumerate(((1.0, "ΔE00 1"), (4.0, "ΔE00 3"), (14.0, "ΔE00 11"))):
        at = QRectF(r.left() + k * wide + 4, r.top() + 8, wide - 12, r.height() - 36)
        bed(p, at)
        swatch(p, QRectF(at.left(), at.top(), at.width() / 2, at.height()), mapped((52, 14, 26)))
        swatch(p, QRectF(at.center().x(), at.top(), at.width() / 2, at.height()), mapped((52 + off, 14, 26)))
        text(p, QRectF(at.left(), r.bottom() - 20, at.width(), 18), words, "note", "ink", CENTRE)


def _edge(p: QPainter, r: QRectF) -> None:
    """A lost, a soft and a firm edge."""
    wide = r.width() / 3
    for k, (name, soft) in enumerate((("lost", 1.0), ("soft", 0.35), ("firm", 0.02))):
        at = QRectF(r.left() + k * wide + 4, r.top() + 6, wide - 10, r.height() - 32)
        for x in range(int(at.width())):
            t = min(1.0, max(0.0, (x / at.width() - 0.5) / soft + 0.5))
            far = 46.0 if name == "lost" else 86.0
            p.fillRect(QRectF(at.left() + x, at.top(), 1.4, at.height()), grey(38 + (far - 38) * t))
        text(p, QRectF(at.left(), r.bottom() - 20, at.width(), 18), name, "note", "ink", CENTRE)


def _eye(p: QPainter, r: QRectF) -> None:
    """An eye: iris, pupil, the catchlight that stays free."""
    c, n = r.center(), r.height() / 2 - 4
    for share, lab in ((1.0, (20, 6, 8)), (0.9, (40, 16, 34)), (0.45, (8, 0, 0))):
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(mapped(lab))
        p.drawEllipse(c, n * share, n * share)
    p.setBrush(mapped(_PAPER))
    p.drawEllipse(QPointF(c.x() - n * 0.3, c.y() - n * 0.36), n * 0.15, n * 0.15)
    text(p, QRectF(c.x() + n + 8, c.y() - 9, 120, 18), "iris, pupil, catchlight", "note", "ink2")


def _pencil(p: QPainter, r: QRectF) -> None:
    """Pencils in their grooves, one worn."""
    for k, (lab, left) in enumerate((((42.0, 40.0, 30.0), 0.95), ((60.0, 10.0, 50.0), 0.7), ((32.0, 6.0, -30.0), 0.35))):
        y, full = r.top() + 4 + 29 * k, r.width() - 30
        p.fillRect(QRectF(r.left(), y, full * left, 20), mapped(lab))
        tip = QPainterPath(QPointF(r.left() + full * left, y))
        tip.lineTo(r.left() + full * left + 24, y + 10)
        tip.lineTo(r.left() + full * left, y + 20)
        p.fillPath(tip, QColor(206, 206, 206))
        hatch(p, QRectF(r.left() + full * left + 26, y + 4, max(0.0, full * (1 - left)), 12), "ink2", 6)


def _rose(p: QPainter, r: QRectF) -> None:
    """Hues as directions, strength as length."""
    p.translate(r.center())
    for k, c in enumerate((38.0, 20.0, 30.0, 14.0, 44.0, 18.0)):
        p.save()
        p.rotate(-60 * k)
        p.fillPath(petal(12 + c * 0.8, 8, 4), mapped((58, c * math.cos(k * math.pi / 3), c * math.sin(k * math.pi / 3))))
        p.restore()
    p.translate(-r.center().x(), -r.center().y())


def _warm(p: QPainter, r: QRectF) -> None:
    """One grey, leaning warm and cool."""
    wide = r.width() / 3
    for k, (name, lab) in enumerate((("cool", (60, -2, -9)), ("neutral", (60, 0, 0)), ("warm", (60, 4, 10)))):
        at = QRectF(r.left() + k * wide + 4, r.top() + 8, wide - 12, r.height() - 36)
        bed(p, at)
        swatch(p, at, mapped(lab))
        text(p, QRectF(at.left(), r.bottom() - 20, at.width(), 18), name, "note", "ink", CENTRE)


def _strip(p: QPainter, r: QRectF) -> None:
    """The check strip beside a sheet."""
    p.fillRect(QRectF(r.left() + 30, r.top(), r.width() - 60, 52), mapped(_PAPER))
    at = QRectF(r.left() + 18, r.top() + 60, r.width() - 36, 34)
    p.fillRect(at, QColor(250, 250, 250))
    one = (at.width() - 36) / 7
    for k, v in enumerate((12, 25, 38, 51, 64, 77, 88)):
        p.fillRect(QRectF(at.left() + 18 + k * one, at.top() + 3, one - 3, 13), grey(v))
        p.fillRect(QRectF(at.left() + 18 + k * one, at.top() + 19, one - 3, 12), mapped(((12 + 11 * k), 20 - 6 * k, -20 + 9 * k)))
    for x in (at.left() + 3, at.right() - 14):
        p.fillRect(QRectF(x, at.top() + 11, 11, 11), QColor(0, 0, 0))


def _strokes(p: QPainter, r: QRectF) -> None:
    """Hairs that follow one another from root to tip."""
    rng = random.Random(7)
    for k in range(90):
        x = r.left() + rng.uniform(0, r.width() - 30)
        y = r.bottom() - 6 - rng.uniform(0, r.height() - 20)
        hair(
            p, x, y, ang=18 + 22 * (x - r.left()) / r.width() + rng.uniform(-6, 6), length=26, c=mapped(_FUR[k % 3]), w=1.8, bend=14,
        )


def _sheet(p: QPainter, r: QRectF) -> None:
    """A sheet with its border and an area."""
    at = QRectF(r.center().x() - 36, r.top() + 2, 72, r.height() - 4)
    p.fillRect(at, mapped(_PAPER))
    p.setPen(QPen(role("edge"), 1))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawRect(at)
    path = QPainterPath()
    path.addEllipse(at.adjusted(14, 18, -14, -26))
    p.fillPath(path, mapped(_FUR[1]))
    p.setPen(QPen(role("ink"), 1.2, Qt.PenStyle.DashLine))
    p.drawRect(at.adjusted(7, 7, -7, -7))


PICTURES: Mapping[str, Callable[[QPainter, QRectF], None]] = {
    "bands": _bands, "tooth": _tooth, "layers": _layers, "value": _value, "step": _step, "pair": _pair, "edge": _edge, "eye": _eye,
    "pencil": _pencil, "rose": _rose, "warm": _warm, "strip": _strip, "strokes": _strokes, "sheet": _sheet,
}  # fmt: skip


class WordPicture(Drawn):
    """One of the pictures."""

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(f"Picture: {name}", parent)
        self.name = name

    def design_size(self, width: float) -> tuple[float, float]:
        return 240, HIGH + 12

    def paint(self, p: QPainter, w: float, h: float) -> None:
        draw = PICTURES.get(self.name)
        if draw is not None:
            p.save()
            draw(p, QRectF(8, 8, min(w, 360.0) - 16, HIGH - 4))
            p.restore()
