"""Shared drawing: text that reports when it would be clipped, swatches, hatches, strokes."""

from __future__ import annotations

import math
import random
import re
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache, lru_cache

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPaintDevice, QPainter, QPainterPath, QPen, QPolygonF, QTransform

from hanabira.core.colour.single import lab_to_srgb8
from hanabira.desk.theme import font, luminance, role

CLIPPED: list[str] = []
"""Text that did not fit when it was last painted; a test keeps it empty."""
A = Qt.AlignmentFlag
LEFT, RIGHT, CENTRE = A.AlignLeft | A.AlignVCenter, A.AlignRight | A.AlignVCenter, A.AlignCenter


@contextmanager
def painting(device: QPaintDevice) -> Iterator[QPainter]:
    """A painter that always ends, also when what it paints goes wrong: one left open ends the whole application."""
    p = QPainter(device)
    try:
        yield p
    finally:
        p.end()


def units(s: str) -> str:
    """Thin space between a figure and its unit, and after L*."""
    if " " not in s:
        return s
    s = re.sub(r"(\d) (%|mm²|mm|cm|px|min|h)(?![a-z])", "\\1\u2009\\2", s)
    return re.sub(r"L\* (\d)", "L*\u2009\\1", s)


@cache
def _metrics(type_: str) -> QFontMetricsF:
    return QFontMetricsF(font(type_))


def text(p: QPainter, rect: QRectF, s: str, type_="body", colour="ink", align=LEFT, wrap=False, elide=False) -> QRectF:
    """Draw text in a role's font. What does not fit is shortened when it may be (the pointer then tells it whole), else noted in CLIPPED."""
    s = units(s)
    f = font(type_)
    fm = _metrics(type_)
    flags = int(align) | (int(Qt.TextFlag.TextWordWrap) if wrap else 0)
    if wrap:
        flags = (flags & ~int(A.AlignVCenter)) | int(A.AlignTop)
    box = fm.boundingRect(QRectF(0, 0, rect.width(), 10000), flags & ~int(A.AlignVCenter), s)
    wide = max(box.width(), 0 if wrap else fm.horizontalAdvance(s))
    if wide > rect.width() + 0.6 or box.height() > rect.height() + (0.6 if wrap else 5):
        if elide and not wrap:
            s = shorter(p, rect, s, fm)
        else:
            CLIPPED.append(f"{s!r} {wide:.0f}x{box.height():.0f} in {rect.width():.0f}x{rect.height():.0f}")
            del CLIPPED[:-200]
    p.setFont(f)
    p.setPen(role(colour) if isinstance(colour, str) else colour)
    p.drawText(rect, flags, s)
    return box


def shorter(p: QPainter, rect: QRectF, s: str, fm: QFontMetricsF) -> str:
    """Words as far as they fit into a rect; the drawn widget remembers the whole ones for the pointer."""
    fitting = fm.elidedText(s, Qt.TextElideMode.ElideRight, rect.width())
    shortened = getattr(p.device(), "shortened", None)
    if fitting != s and shortened is not None:
        shortened.append((p.worldTransform().mapRect(rect), s))
    return fitting


def largest(s: str, room: QRectF, *types: str) -> str:
    """The first of some type roles in which a paragraph fits; empty when it fits in none."""
    for type_ in types:
        widest = max(_metrics(type_).horizontalAdvance(q) for q in units(s).split())
        if widest <= room.width() and height(s, room.width(), type_) <= room.height():
            return type_
    return ""


@lru_cache(maxsize=8192)
def width(s: str, type_="body") -> float:
    """Advance width of a string in a type role."""
    return _metrics(type_).horizontalAdvance(units(s))


@lru_cache(maxsize=4096)
def height(s: str, w: float, type_="body") -> float:
    """Height of wrapped text."""
    return _metrics(type_).boundingRect(QRectF(0, 0, w, 10000), int(Qt.TextFlag.TextWordWrap), units(s)).height()


def swatch(p: QPainter, r: QRectF, c: QColor) -> None:
    """A plain patch without outline: an outline would change the judgement."""
    p.fillRect(r, c)


def bed(p: QPainter, r: QRectF, margin=4.0) -> None:
    """The constant grey under swatches: 4 px of it on every side."""
    p.fillRect(r.adjusted(-margin, -margin, margin, margin), role("bed"))


def hatch(p: QPainter, r: QRectF, colour="ink2", gap=6.0, w=1.0, path: QPainterPath | None = None) -> None:
    """Diagonal hatch inside a rectangle or path: waiting, missing, not reachable."""
    p.save()
    if path is not None:
        p.setClipPath(path, Qt.ClipOperation.IntersectClip)
    else:
        p.setClipRect(r, Qt.ClipOperation.IntersectClip)
    p.setPen(QPen(role(colour) if isinstance(colour, str) else colour, w))
    x = r.left() - r.height()
    while x < r.right():
        p.drawLine(QPointF(x, r.bottom()), QPointF(x + r.height(), r.top()))
        x += gap
    p.restore()


def petal(length: float, half: float, base=0.0) -> QPainterPath:
    """A petal along +x from (base,0): narrow foot, fullest at 62 %, soft tip."""
    p = QPainterPath(QPointF(base, 0))
    m = base + (length - base) * 0.62
    p.cubicTo(base + (length - base) * 0.18, -half * 0.55, m - (length - base) * 0.22, -half, m, -half)
    p.cubicTo(m + (length - base) * 0.22, -half, length - (length - base) * 0.04, -half * 0.38, length, 0)
    p.cubicTo(length - (length - base) * 0.04, half * 0.38, m + (length - base) * 0.22, half, m, half)
    p.cubicTo(m - (length - base) * 0.22, half, base + (length - base) * 0.18, half * 0.55, base, 0)
    p.closeSubpath()
    return p


def focus_ring(p: QPainter, path: QPainterPath) -> None:
    """Two-pixel plum ring outside a three-pixel gap."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(role("plum"), 2))
    p.drawPath(path)


def pencilled(p: QPainter, r: QRectF, c: QColor, seed=1, passes=2, gap=2.6) -> None:
    """A patch laid by hand: slanting pencil strokes with a ragged edge."""
    rng = random.Random(seed)
    for k in range(passes):
        slope = 0.32 + 0.1 * k
        x = r.left() - r.height() * slope
        while x < r.right():
            col = QColor(c)
            col.setAlpha(rng.randint(105, 190))
            p.setPen(QPen(col, rng.uniform(1.2, 2.4), cap=Qt.PenCapStyle.RoundCap))
            y0, y1 = r.bottom() + rng.uniform(-3, 1), r.top() + rng.uniform(-1, 3)
            xa, xb = x, x + (r.height()) * slope
            xa2, xb2 = max(xa, r.left() + rng.uniform(-1, 2)), min(xb, r.right() + rng.uniform(-2, 1))
            if xb2 > xa2:
                ya = y0 + (y1 - y0) * (xa2 - xa) / (xb - xa)
                yb = y0 + (y1 - y0) * (xb2 - xa) / (xb - xa)
                p.drawLine(QPointF(xa2, ya), QPointF(xb2, yb))
            x += gap * rng.uniform(0.6, 1.4)


def hair(p: QPainter, x: float, y: float, ang: float, length: float, c: QColor, w=1.6, bend=0.0, alpha=255) -> None:
    """One flick: starts full, ends lifted. Angle in degrees, counter-clockwise from the right."""
    a, b = math.radians(ang), math.radians(ang + bend)
    dx, dy = math.cos(a), -math.sin(a)
    ex, ey = x + length * 0.5 * (dx + math.cos(b)), y + length * 0.5 * (dy - math.sin(b))
    mx, my = x + dx * length * 0.5, y + dy * length * 0.5
    nx, ny = -dy * w / 2, dx * w / 2
    path = QPainterPath(QPointF(x + nx, y + ny))
    path.quadTo(QPointF(mx + nx, my + ny), QPointF(ex, ey))
    path.quadTo(QPointF(mx - nx, my - ny), QPointF(x - nx, y - ny))
    path.closeSubpath()
    col = QColor(c)
    col.setAlpha(alpha)
    p.fillPath(path, col)


def mapped(colour) -> QColor:
    """Screen colour of a Lab triple."""
    return QColor(*_bytes(*(float(v) for v in colour)))


@lru_cache(4096)
def _bytes(lightness: float, a: float, b: float) -> tuple[int, int, int]:
    """A kit's pencils are painted again and again."""
    return lab_to_srgb8(lightness, a, b)


def grey(lightness: float) -> QColor:
    """The exactly neutral grey of an L*."""
    v = _bytes(float(lightness), 0.0, 0.0)[1]
    return QColor(v, v, v)


def ink_on(c: QColor) -> QColor:
    """Black or white, whichever reads better on a colour."""
    y = luminance(c.name())
    return QColor("#000000") if y > 0.18 else QColor("#ffffff")


def two_tone(p: QPainter, path: QPainterPath, w: float = 1.3, dash: list[float] | None = None, strength: int = 255) -> None:
    """A light line in a dark sheath: seen on any fur, without a hue of its own."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    # the many thin dashed lines of a picture have joins too small to see; rounding them costs a third
    join = Qt.PenJoinStyle.BevelJoin if dash else Qt.PenJoinStyle.RoundJoin
    cap = Qt.PenCapStyle.FlatCap if dash else Qt.PenCapStyle.RoundCap
    p.setPen(QPen(QColor(0, 0, 0, int(strength * 0.72)), w + 2.0, cap=cap, join=join))
    p.drawPath(path)
    pen = QPen(QColor(255, 255, 255, strength), w, cap=Qt.PenCapStyle.FlatCap, join=join)
    if dash:
        pen.setDashPattern(dash)
    p.setPen(pen)
    p.drawPath(path)


def disc(p: QPainter, c: QPointF, n: int | str, chosen: bool = False) -> None:
    """Number of an area: a disc, doubled and black when chosen."""
    r = 12 if chosen else 10
    p.setPen(QPen(QColor(0, 0, 0, 200), 1))
    p.setBrush(QColor(20, 20, 20) if chosen else QColor(250, 250, 250))
    p.drawEllipse(c, r, r)
    if chosen:
        p.setPen(QPen(QColor(250, 250, 250), 1.6))
        p.drawEllipse(c, r - 2.4, r - 2.4)
    text(
        p,
        QRectF(c.x() - 13, c.y() - 10, 26, 20),
        str(n),
        "caption" if chosen else "note",
        QColor("#fafafa" if chosen else "#111111"),
        CENTRE,
    )


def keycap(p: QPainter, r: QRectF, key: str, type_: str = "note") -> None:
    """A key drawn as a worn cap: its foot heavier than its head."""
    path = QPainterPath()
    path.addRoundedRect(r, 4, 4)
    p.fillPath(path, role("raised"))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(role("edge"), 1))
    p.drawPath(path)
    p.setPen(QPen(role("edge"), 2.4, cap=Qt.PenCapStyle.RoundCap))
    p.drawLine(QPointF(r.left() + 4, r.bottom()), QPointF(r.right() - 4, r.bottom()))
    text(p, r, key, type_, "ink", CENTRE)


def tape(p: QPainter, sheet: QRectF) -> None:
    """Four torn pieces of neutral tape hold the sheet."""
    corners = ((sheet.topLeft(), -45), (sheet.topRight(), 45), (sheet.bottomRight(), -45), (sheet.bottomLeft(), 45))
    for k, (corner, angle) in enumerate(corners):
        n, half, high = 6, 27, 8
        points = [QPointF(-half + (2.2 if i % 2 else 0), -high + i * 2 * high / n) for i in range(n + 1)]
        points += [QPointF(half - (2.2 if i % 2 else 0), high - i * 2 * high / n) for i in range(n + 1)]
        inward = QPointF(5 if k in (0, 3) else -5, 5 if k < 2 else -5)
        t = QTransform().translate(corner.x() + inward.x(), corner.y() + inward.y()).rotate(angle)
        path = QPainterPath()
        path.addPolygon(t.map(QPolygonF(points)))
        path.closeSubpath()
        p.fillPath(path, QColor(244, 244, 244, 168))
