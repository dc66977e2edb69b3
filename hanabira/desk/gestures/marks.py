"""Gestures that give a place, a line, a stroke or a box. Points are photo pixels; arrows and Enter do the same by keyboard."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from hanabira.core.area import outline as outlines
from hanabira.desk.gestures.outlines import Hand, ShownRing, knob, ring_path
from hanabira.desk.paint import CENTRE, text, two_tone, width

if TYPE_CHECKING:
    from hanabira.core.area.shape import Point
    from hanabira.desk.widgets.mat import Mat

_ENTER = (Qt.Key.Key_Return, Qt.Key.Key_Enter)


def _pair(q: QPointF) -> Point:
    return q.x(), q.y()


class PickSpot(Hand):
    """A click gives a place."""

    hint = "Arrows move the cross, with Shift a little · Enter takes the place"

    def __init__(self, given: Callable[[Point], None]) -> None:
        super().__init__()
        self.given = given

    def press(self, mat: Mat, at: QPointF, mods: Qt.KeyboardModifier) -> bool:
        self.hand = None
        self.given(_pair(mat.photo_at(at)))
        return True

    def key(self, mat: Mat, key: Qt.Key, mods: Qt.KeyboardModifier) -> bool:
        if key in _ENTER and self.hand is not None:
            self.given(_pair(self.hand))
            return True
        return super().key(mat, key, mods)


class Spots(Hand):
    """A few clicks in a row, such as centre and rim of an eye; a press and a drag give the first two."""

    hint = "Arrows move the cross, with Shift a little · Enter sets a point · Esc lets them go"

    def __init__(self, count: int, given: Callable[[tuple[Point, ...]], None], ring: bool = False) -> None:
        super().__init__()
        self.count, self.given, self.ring = count, given, ring
        self.points: list[Point] = []
        self.at: QPointF | None = None
        self._down: QPointF | None = None

    def _add(self, point: Point) -> None:
        self.points.append(point)
        if len(self.points) == self.count:
            done = tuple(self.points)
            self.cancel()
            self.given(done)

    def press(self, mat: Mat, at: QPointF, mods: Qt.KeyboardModifier) -> bool:
        self.hand = None
        self._down = at if not self.points else None
        self._add(_pair(mat.photo_at(at)))
        return True

    def move(self, mat: Mat, at: QPointF, buttons: Qt.MouseButton) -> None:
        self.at = at

    def release(self, mat: Mat, at: QPointF) -> None:
        if self._down is not None and math.hypot(at.x() - self._down.x(), at.y() - self._down.y()) > 6:
            self._add(_pair(mat.photo_at(at)))
        self._down = None

    def key(self, mat: Mat, key: Qt.Key, mods: Qt.KeyboardModifier) -> bool:
        if key == Qt.Key.Key_Escape and self.points:
            self.cancel()
            return True
        if key in _ENTER and self.hand is not None:
            self._add(_pair(self.hand))
            return True
        return super().key(mat, key, mods)

    def paint(self, p: QPainter, mat: Mat) -> None:
        end = mat.photo_px(self.hand.x(), self.hand.y()) if self.hand is not None else self.at
        if self.points and end is not None:
            a = mat.photo_px(*self.points[0])
            path = QPainterPath()
            if self.ring:
                r = math.hypot(end.x() - a.x(), end.y() - a.y())
                path.addEllipse(a, r, r)
            else:
                path.moveTo(a)
                for q in self.points[1:]:
                    path.lineTo(mat.photo_px(*q))
                path.lineTo(end)
            two_tone(p, path, 1.8)
        for q in self.points:
            knob(p, mat.photo_px(*q), True)
        super().paint(p, mat)

    def cancel(self) -> None:
        self.points, self._down, self.hand = [], None, None


class Stroke(Hand):
    """A stroke over the picture, drawn in one go. ``arrow`` shows which way it runs."""

    hint = "Arrows move the cross, with Shift a little · Enter begins the stroke and ends it · Esc lets it go"

    def __init__(self, given: Callable[[ShownRing], None], thick: float = 1.8, arrow: bool = False) -> None:
        super().__init__()
        self.given, self.thick, self.arrow = given, thick, arrow
        self.points: list[Point] = []
        self._drawing = False

    def press(self, mat: Mat, at: QPointF, mods: Qt.KeyboardModifier) -> bool:
        self.hand, self.points, self._drawing = None, [_pair(mat.photo_at(at))], True
        return True

    def move(self, mat: Mat, at: QPointF, buttons: Qt.MouseButton) -> None:
        if self._drawing:
            last = mat.photo_px(*self.points[-1])
            if math.hypot(at.x() - last.x(), at.y() - last.y()) >= 3:
                self.points.append(_pair(mat.photo_at(at)))

    def release(self, mat: Mat, at: QPointF) -> None:
        if self._drawing:
            self.move(mat, at, Qt.MouseButton.LeftButton)
            self._give()

    def _give(self) -> None:
        done = tuple(self.points)
        self.cancel()
        if len(done) > 1:
            self.given(done)

    def key(self, mat: Mat, key: Qt.Key, mods: Qt.KeyboardModifier) -> bool:
        if key == Qt.Key.Key_Escape and self.points:
            self.cancel()
            return True
        if key in _ENTER and self.hand is not None:
            if self.points:
                self._give()
            else:
                self.points = [_pair(self.hand)]
            return True
        if super().key(mat, key, mods):
            if self.points and self.hand is not None:
                self.points.append(_pair(self.hand))
            return True
        return False

    def paint(self, p: QPainter, mat: Mat) -> None:
        if len(self.points) > 1:
            draw_stroke(p, mat, tuple(self.points), self.thick, self.arrow)
        super().paint(p, mat)

    def cancel(self) -> None:
        self.points, self._drawing, self.hand = [], False, None


def draw_stroke(p: QPainter, mat: Mat, points: ShownRing, thick: float = 1.8, arrow: bool = False, dash: list[float] | None = None) -> None:
    """A stroke over the picture; the tip of a combing stroke is a small lifted end like that of a hair."""
    q = [mat.photo_px(*c) for c in points]
    path = QPainterPath(q[0])
    for c in q[1:]:
        path.lineTo(c)
    two_tone(p, path, thick, dash)
    if arrow and len(q) > 1:
        knob(p, q[0], True)
        back = next((c for c in reversed(q[:-1]) if math.hypot(c.x() - q[-1].x(), c.y() - q[-1].y()) > 6), q[0])
        a = math.atan2(q[-1].y() - back.y(), q[-1].x() - back.x())
        tip = QPainterPath()
        for turn in (2.6, -2.6):
            tip.moveTo(q[-1])
            tip.lineTo(q[-1] + QPointF(math.cos(a + turn), math.sin(a + turn)) * 9)
        two_tone(p, tip, thick)


class Push(Hand):
    """Press beside the edge and drag: the edge gives way like soft clay; the wheel sets how wide."""

    hint = "Arrows move the cross, with Shift a little · Alt with an arrow pushes the edge"

    def __init__(self, ring: Callable[[], tuple[ShownRing, bool] | None], pushed: Callable[[Point, Point, float], None]) -> None:
        super().__init__()
        self.ring, self.pushed = ring, pushed
        self.radius_mm = 12.0
        self.at: QPointF | None = None
        self._down: QPointF | None = None

    def press(self, mat: Mat, at: QPointF, mods: Qt.KeyboardModifier) -> bool:
        if self.ring() is None:
            return False
        self._down = self.at = at
        return True

    def move(self, mat: Mat, at: QPointF, buttons: Qt.MouseButton) -> None:
        self.at = at

    def release(self, mat: Mat, at: QPointF) -> None:
        if self._down is not None:
            a, b = mat.photo_at(self._down), mat.photo_at(at)
            self._down = None
            if (a - b).manhattanLength() * mat.mm_per_px * mat.zoom > 3:
                self.pushed(_pair(a), (b.x() - a.x(), b.y() - a.y()), self.radius_mm / mat.mm_per_px)

    def wheel(self, mat: Mat, at: QPointF, steps: float) -> bool:
        self.radius_mm = min(80.0, max(2.0, self.radius_mm * 1.15**steps))
        return True

    def key(self, mat: Mat, key: Qt.Key, mods: Qt.KeyboardModifier) -> bool:
        step = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}.get(key)
        if step and mods & Qt.KeyboardModifier.AltModifier and self.hand is not None and self.ring() is not None:
            by = (step[0] / mat.mm_per_px, step[1] / mat.mm_per_px)
            self.pushed(_pair(self.hand), by, self.radius_mm / mat.mm_per_px)
            self.hand += QPointF(*by)
            return True
        return super().key(mat, key, mods)

    def paint(self, p: QPainter, mat: Mat) -> None:
        now = self.ring()
        c = mat.photo_px(self.hand.x(), self.hand.y()) if self.hand is not None else self.at
        if c is not None:
            path = QPainterPath()
            path.addEllipse(self._down or c, self.radius_mm * mat.zoom, self.radius_mm * mat.zoom)
            two_tone(p, path, 1.0, [4, 4], 190)
        if self._down is not None and self.at is not None and now is not None:
            a, b = mat.photo_at(self._down), mat.photo_at(self.at)
            live = outlines.push(now[0], _pair(a), (b.x() - a.x(), b.y() - a.y()), self.radius_mm / mat.mm_per_px)
            two_tone(p, ring_path(live, mat, now[1]), 2.4)
        super().paint(p, mat)

    def cancel(self) -> None:
        self._down = self.hand = self.at = None


class Grow(Hand):
    """Touch a place and let go, or drag outward to take more of what is alike; ``tried`` shows the outline meanwhile."""

    def __init__(self, tried: Callable[[Point, float], ShownRing | None], taken: Callable[[Point, float], None]) -> None:
        super().__init__()
        self.tried, self.taken = tried, taken
        self._down: QPointF | None = None
        self._live: ShownRing | None = None
        self._reach = 13.0

    @staticmethod
    def reach_of(pixels: float) -> float:
        """Likeness taken for a drag of so many design pixels."""
        return min(42.0, 13.0 * math.exp(pixels / 130))

    def press(self, mat: Mat, at: QPointF, mods: Qt.KeyboardModifier) -> bool:
        self._down, self._reach = at, 13.0
        self._live = self.tried(_pair(mat.photo_at(at)), self._reach)
        return True

    def move(self, mat: Mat, at: QPointF, buttons: Qt.MouseButton) -> None:
        if self._down is not None:
            reach = self.reach_of(math.hypot(at.x() - self._down.x(), at.y() - self._down.y()))
            if abs(reach - self._reach) > 0.8:
                self._reach = reach
                self._live = self.tried(_pair(mat.photo_at(self._down)), reach)

    def release(self, mat: Mat, at: QPointF) -> None:
        if self._down is not None:
            self.move(mat, at, Qt.MouseButton.LeftButton)
            seed = _pair(mat.photo_at(self._down))
            self.cancel()
            self.taken(seed, self._reach)

    def key(self, mat: Mat, key: Qt.Key, mods: Qt.KeyboardModifier) -> bool:
        if key in _ENTER and self.hand is not None:
            self.taken(_pair(self.hand), 13.0)
            return True
        return super().key(mat, key, mods)

    def paint(self, p: QPainter, mat: Mat) -> None:
        if self._live:
            two_tone(p, ring_path(self._live, mat, False), 2.0)
        super().paint(p, mat)

    def cancel(self) -> None:
        self._down, self._live, self.hand = None, None, None


class DragBox(Hand):
    """Drag a box; Enter takes the whole picture."""

    def __init__(self, given: Callable[[tuple[float, float, float, float]], None]) -> None:
        super().__init__()
        self.given = given
        self._down: QPointF | None = None
        self._at: QPointF | None = None

    def press(self, mat: Mat, at: QPointF, mods: Qt.KeyboardModifier) -> bool:
        self._down = self._at = at
        return True

    def move(self, mat: Mat, at: QPointF, buttons: Qt.MouseButton) -> None:
        self._at = at

    def release(self, mat: Mat, at: QPointF) -> None:
        if self._down is None:
            return
        a, b = mat.photo_at(self._down), mat.photo_at(at)
        self._down = None
        if abs(a.x() - b.x()) > 12 and abs(a.y() - b.y()) > 12:
            self.given((min(a.x(), b.x()), min(a.y(), b.y()), abs(a.x() - b.x()), abs(a.y() - b.y())))

    def key(self, mat: Mat, key: Qt.Key, mods: Qt.KeyboardModifier) -> bool:
        if key in _ENTER:
            x, y, w, h = mat.crop
            self.given((x + 0.08 * w, y + 0.06 * h, 0.84 * w, 0.88 * h))
            return True
        return super().key(mat, key, mods)

    def paint(self, p: QPainter, mat: Mat) -> None:
        if self._down is not None and self._at is not None:
            path = QPainterPath()
            path.addRect(QRectF(self._down, self._at).normalized())
            two_tone(p, path, 1.6, [5, 3])
        super().paint(p, mat)

    def cancel(self) -> None:
        self._down = self._at = self.hand = None


class Ruler(Spots):
    """Measures on the paper: a line of two places reads its length and angle; a third place, the angle at the middle one."""

    def __init__(self, count: int, told: Callable[[tuple[Point, ...]], None]) -> None:
        super().__init__(count, self._kept)
        self.told = told
        self.kept: tuple[Point, ...] = ()

    def _kept(self, points: tuple[Point, ...]) -> None:
        self.kept = points
        self.told(points)

    def paint(self, p: QPainter, mat: Mat) -> None:
        super().paint(p, mat)
        points = self.kept
        if self.points:
            end = self.hand if self.hand is not None else mat.photo_at(self.at) if self.at is not None else None
            points = (*self.points, _pair(end)) if end is not None else ()
        if len(points) < 2:
            return
        path = QPainterPath(mat.photo_px(*points[0]))
        for q in points[1:]:
            path.lineTo(mat.photo_px(*q))
        two_tone(p, path, 1.6)
        for q in points:
            knob(p, mat.photo_px(*q))
        words = reading(points, mat.mm_per_px)
        at = mat.photo_px(*points[-1]) + QPointF(14, -30)
        r = QRectF(at.x(), at.y(), width(words, "strong") + 16, 24)
        r.moveLeft(min(max(mat.inner.left() + 4, r.left()), mat.inner.right() - r.width() - 4))
        r.moveTop(max(mat.inner.top() + 4, r.top()))
        p.setPen(QPen(QColor(0, 0, 0, 160), 1))
        p.setBrush(QColor(241, 241, 241))
        p.drawRoundedRect(r, 4, 4)
        text(p, r, words, "strong", QColor("#1b1b1b"), CENTRE)


def reading(points: tuple[Point, ...], mm_per_px: float) -> str:
    """Length of a line in millimetres of paper and its angle from level, or the angle at the middle of three places.

    >>> reading(((0, 0), (100, 100)), .5)
    '70.7 mm · falls 45°'
    """
    (ax, ay), (bx, by) = points[0], points[1]
    if len(points) == 2:
        # read from left to right, as a line is
        rise = math.degrees(math.atan2(ay - by, bx - ax))
        rise = rise - 180 if rise > 90 else rise + 180 if rise <= -90 else rise
        way = "level" if abs(rise) < 0.5 else f"{'rises' if rise > 0 else 'falls'} {abs(rise):.0f}°"
        return f"{math.hypot(bx - ax, by - ay) * mm_per_px:.1f} mm · {way}"
    cx, cy = points[2]
    a, c = math.atan2(ay - by, ax - bx), math.atan2(cy - by, cx - bx)
    opening = abs((math.degrees(a - c) + 180) % 360 - 180)
    one, two = math.hypot(ax - bx, ay - by) * mm_per_px, math.hypot(cx - bx, cy - by) * mm_per_px
    return f"{opening:.0f}° between {one:.1f} mm and {two:.1f} mm"
