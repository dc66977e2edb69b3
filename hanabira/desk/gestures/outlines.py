"""Gestures on the picture: loop, corners, reshape, frame. Points are photo pixels."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from hanabira.core.area.shape import Point, ring_area, simplify_ring, smooth_ring
from hanabira.desk.paint import two_tone

if TYPE_CHECKING:
    from hanabira.desk.widgets.mat import Mat
    from hanabira.studio.records import Area

GRAB_PX = 9.0
"""How near the pointer must come to a corner or an edge, in design pixels."""
_TINY_PX = 6.0

ShownRing = tuple[Point, ...]


@lru_cache(maxsize=1024)
def _photo_path(ring: ShownRing, smooth: bool) -> QPainterPath:
    points = smooth_ring(ring) if smooth and len(ring) > 2 else ring
    path = QPainterPath()
    path.addPolygon(QPolygonF([QPointF(float(x), float(y)) for x, y in points]))
    path.closeSubpath()
    return path


def photo_path(ring: Sequence[Point], smooth: bool) -> QPainterPath:
    """Outline of a ring in photo pixels. Many windows draw the same ring again and again, so it is kept; do not change it."""
    return _photo_path(tuple((float(x), float(y)) for x, y in ring), smooth)


def lies_inside(area: Area, at: QPointF) -> bool:
    """Whether a photo pixel lies inside an area."""
    return photo_path(area.ring, area.smooth).contains(at)


def ring_path(ring: Sequence[Point], mat: Mat, smooth: bool) -> QPainterPath:
    """Outline of a ring on the mat."""
    return mat.from_photo.map(photo_path(ring, smooth))


class Gesture:
    """What the pointer does on the mat. Methods answer whether they took the event."""

    cursor = Qt.CursorShape.ArrowCursor
    hint = ""
    """What the keys do while it is in hand; shown on the mat once the keyboard is used."""

    def press(self, mat: Mat, at: QPointF, mods: Qt.KeyboardModifier) -> bool:
        """The left button went down."""
        return False

    def move(self, mat: Mat, at: QPointF, buttons: Qt.MouseButton) -> None:
        """The pointer moved."""

    def release(self, mat: Mat, at: QPointF) -> None:
        """The left button went up."""

    def double(self, mat: Mat, at: QPointF) -> bool:
        """A double click."""
        return False

    def wheel(self, mat: Mat, at: QPointF, steps: float) -> bool:
        """The wheel turned."""
        return False

    def key(self, mat: Mat, key: Qt.Key, mods: Qt.KeyboardModifier) -> bool:
        """A key went down."""
        return False

    def paint(self, p: QPainter, mat: Mat) -> None:
        """Draw what is under way."""

    def cancel(self) -> None:
        """Drop what is under way."""


class Choose(Gesture):
    """A click chooses the area under it; a drag moves the view."""

    def __init__(self, clicked: Callable[[QPointF], bool]) -> None:
        self.clicked = clicked

    def press(self, mat: Mat, at: QPointF, mods: Qt.KeyboardModifier) -> bool:
        self.clicked(mat.photo_at(at))
        return False


class Hand(Gesture):
    """Base of drawing gestures: a cross that the arrow keys move, for drawing without a pointer."""

    cursor = Qt.CursorShape.CrossCursor

    def __init__(self) -> None:
        self.hand: QPointF | None = None

    def key(self, mat: Mat, key: Qt.Key, mods: Qt.KeyboardModifier) -> bool:
        step = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}.get(key)
        if step is None:
            return False
        mm = 0.5 if mods & Qt.KeyboardModifier.ShiftModifier else 4.0
        if self.hand is None:
            self.hand = mat.photo_at(mat.picture_rect.center())
        self.hand += QPointF(*step) * (mm / mat.mm_per_px)
        return True

    def paint(self, p: QPainter, mat: Mat) -> None:
        if self.hand is not None:
            c = mat.photo_px(self.hand.x(), self.hand.y())
            cross = QPainterPath()
            for dx, dy in ((9, 0), (0, 9)):
                cross.moveTo(c - QPointF(dx, dy))
                cross.lineTo(c + QPointF(dx, dy))
            two_tone(p, cross, 1.4)


class Loop(Hand):
    """Draw round an area in one stroke; a click without a stroke chooses."""

    hint = "Arrows move the cross, with Shift a little · Enter begins the line and closes it · Esc lets it go"

    def __init__(self, drawn: Callable[[ShownRing, bool], None], clicked: Callable[[QPointF], bool]) -> None:
        super().__init__()
        self.drawn, self.clicked = drawn, clicked
        self.points: list[Point] = []
        self.down: QPointF | None = None

    def press(self, mat: Mat, at: QPointF, mods: Qt.KeyboardModifier) -> bool:
        self.down, self.hand = at, None
        q = mat.photo_at(at)
        self.points = [(q.x(), q.y())]
        return True

    def move(self, mat: Mat, at: QPointF, buttons: Qt.MouseButton) -> None:
        if self.down is None:
            return
        q = mat.photo_at(at)
        last = mat.photo_px(*self.points[-1])
        if math.hypot(at.x() - last.x(), at.y() - last.y()) >= 2:
            self.points.append((q.x(), q.y()))

    def release(self, mat: Mat, at: QPointF) -> None:
        if self.down is None:
            return
        self.move(mat, at, Qt.MouseButton.LeftButton)
        start, points = self.down, self.points
        self.cancel()
        pixel = 1 / (mat.zoom * mat.mm_per_px)
        if len(points) < 4 or abs(ring_area(points)) < (_TINY_PX * pixel) ** 2:
            self.clicked(mat.photo_at(start))
            return
        self.drawn(simplify_ring(points, 1.6 * pixel), True)

    def key(self, mat: Mat, key: Qt.Key, mods: Qt.KeyboardModifier) -> bool:
        if key == Qt.Key.Key_Escape and self.down is not None:
            self.cancel()
            return True
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.hand is not None:
            if not self.points:
                self.points = [(self.hand.x(), self.hand.y())]
            elif len(self.points) > 3:
                ring = tuple(self.points)
                self.cancel()
                self.drawn(ring, True)
            return True
        if super().key(mat, key, mods):
            if self.points and self.hand is not None:
                self.points.append((self.hand.x(), self.hand.y()))
            return True
        return False

    def paint(self, p: QPainter, mat: Mat) -> None:
        if len(self.points) > 1:
            path = QPainterPath(mat.photo_px(*self.points[0]))
            for q in self.points[1:]:
                path.lineTo(mat.photo_px(*q))
            two_tone(p, path, 1.8)
        super().paint(p, mat)

    def cancel(self) -> None:
        self.points, self.down, self.hand = [], None, None


class OpLoop(Loop):
    """A loop that joins the chosen area while Shift was held at its start, and is cut away from it while Alt was."""

    def __init__(
        self, drawn: Callable[[ShownRing, bool], None], clicked: Callable[[QPointF], bool], operate: Callable[[ShownRing, bool, str], None]
    ) -> None:
        super().__init__(self._done, clicked)
        self._plain, self.operate, self._op = drawn, operate, ""

    def press(self, mat: Mat, at: QPointF, mods: Qt.KeyboardModifier) -> bool:
        self._op = "join" if mods & Qt.KeyboardModifier.ShiftModifier else "cut" if mods & Qt.KeyboardModifier.AltModifier else ""
        return super().press(mat, at, mods)

    def _done(self, ring: ShownRing, smooth: bool) -> None:
        op, self._op = self._op, ""
        if op:
            self.operate(ring, smooth, op)
        else:
            self._plain(ring, smooth)


class Corners(Hand):
    """Set corner after corner; the first corner, a double click or Enter closes."""

    hint = "Arrows move the cross, with Shift a little · Enter sets a corner, twice in one place closes · Backspace takes one back"

    def __init__(self, drawn: Callable[[ShownRing, bool], None], clicked: Callable[[QPointF], bool]) -> None:
        super().__init__()
        self.drawn, self.clicked = drawn, clicked
        self.points: list[Point] = []
        self.at: QPointF | None = None

    def press(self, mat: Mat, at: QPointF, mods: Qt.KeyboardModifier) -> bool:
        self.hand = None
        q = mat.photo_at(at)
        if self.points:
            first = mat.photo_px(*self.points[0])
            if len(self.points) > 2 and math.hypot(at.x() - first.x(), at.y() - first.y()) < GRAB_PX:
                self._close()
                return True
        elif not mods & Qt.KeyboardModifier.ShiftModifier and self.clicked(q):
            # a first click inside an area chooses it; with Shift it starts a corner there
            return True
        self.points.append((q.x(), q.y()))
        return True

    def move(self, mat: Mat, at: QPointF, buttons: Qt.MouseButton) -> None:
        self.at = at

    def double(self, mat: Mat, at: QPointF) -> bool:
        if len(self.points) > 2:
            self._close()
            return True
        return False

    def key(self, mat: Mat, key: Qt.Key, mods: Qt.KeyboardModifier) -> bool:
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self.hand is not None:
                here = (self.hand.x(), self.hand.y())
                if self.points and math.dist(here, self.points[-1]) < 1e-6:
                    self._close()
                else:
                    self.points.append(here)
                return True
            if self.points:
                self._close()
                return True
            return False
        if key == Qt.Key.Key_Backspace and self.points:
            self.points.pop()
            return True
        if key == Qt.Key.Key_Escape and self.points:
            self.cancel()
            return True
        return super().key(mat, key, mods)

    def _close(self) -> None:
        ring = tuple(self.points)
        self.cancel()
        if len(ring) >= 3 and abs(ring_area(ring)) > 16:
            self.drawn(ring, False)

    def paint(self, p: QPainter, mat: Mat) -> None:
        if self.points:
            path = QPainterPath(mat.photo_px(*self.points[0]))
            for q in self.points[1:]:
                path.lineTo(mat.photo_px(*q))
            if self.at is not None and self.hand is None:
                path.lineTo(self.at)
            two_tone(p, path, 1.8)
            for k, q in enumerate(self.points):
                knob(p, mat.photo_px(*q), k == 0)
        super().paint(p, mat)

    def cancel(self) -> None:
        self.points, self.hand = [], None


def knob(p: QPainter, c: QPointF, strong: bool = False) -> None:
    """A corner one can take hold of."""
    r = 5.0 if strong else 3.6
    p.setPen(QPen(QColor(0, 0, 0, 210), 1.4))
    p.setBrush(QColor(20, 20, 20) if strong else QColor(250, 250, 250))
    p.drawEllipse(c, r, r)


class Reshape(Gesture):
    """Drag a corner, drag the inside to move, double-click the edge for a new corner, Delete takes one away.

    ``ring`` gives the outline as it stands; ``changed`` gets the new one, words and a gesture number.
    """

    def __init__(
        self, ring: Callable[[], tuple[ShownRing, bool] | None], changed: Callable[[ShownRing, str, int], None], clicked: Callable[[QPointF], bool]
    ) -> None:
        self.ring, self.changed, self.clicked = ring, changed, clicked
        self.corner = -1
        self._grab: QPointF | None = None
        self._start: ShownRing = ()
        self._live: ShownRing = ()
        self._moving = False
        self._count = 0

    def _now(self) -> tuple[ShownRing, bool]:
        return self.ring() or ((), False)

    def _near_corner(self, mat: Mat, at: QPointF) -> int:
        ring, _ = self._now()
        distance = [math.hypot(*(lambda q: (q.x() - at.x(), q.y() - at.y()))(mat.photo_px(*c))) for c in ring]
        best = min(range(len(ring)), key=distance.__getitem__, default=-1)
        return best if best >= 0 and distance[best] <= GRAB_PX else -1

    def press(self, mat: Mat, at: QPointF, mods: Qt.KeyboardModifier) -> bool:
        ring, smooth = self._now()
        self.corner = self._near_corner(mat, at)
        if self.corner < 0 and not (ring and ring_path(ring, mat, smooth).contains(at)):
            return self.clicked(mat.photo_at(at))
        self._grab, self._start, self._live, self._moving = at, ring, ring, False
        return True

    def move(self, mat: Mat, at: QPointF, buttons: Qt.MouseButton) -> None:
        if self._grab is None:
            self.cursor = Qt.CursorShape.SizeAllCursor if self._near_corner(mat, at) >= 0 else Qt.CursorShape.ArrowCursor
            return
        a, b = mat.photo_at(self._grab), mat.photo_at(at)
        dx, dy = b.x() - a.x(), b.y() - a.y()
        if not self._moving and math.hypot(at.x() - self._grab.x(), at.y() - self._grab.y()) < 3:
            return
        self._moving = True
        self._live = tuple((x + dx, y + dy) if self.corner in (-1, i) else (x, y) for i, (x, y) in enumerate(self._start))

    def release(self, mat: Mat, at: QPointF) -> None:
        if self._grab is None:
            return
        self.move(mat, at, Qt.MouseButton.LeftButton)
        moved, self._grab = self._moving, None
        if moved:
            self.changed(self._live, "edge" if self.corner >= 0 else "move", 0)
        elif self.corner < 0:
            self.clicked(mat.photo_at(at))

    def double(self, mat: Mat, at: QPointF) -> bool:
        ring, _ = self._now()
        if len(ring) < 3:
            return False
        q = mat.photo_at(at)
        here = (q.x(), q.y())
        best = min(range(len(ring)), key=lambda i: _to_segment(here, ring[i], ring[(i + 1) % len(ring)]))
        if _to_segment(here, ring[best], ring[(best + 1) % len(ring)]) * mat.mm_per_px * mat.zoom > 2 * GRAB_PX:
            return False
        self.changed((*ring[: best + 1], here, *ring[best + 1 :]), "corner", 0)
        self.corner = best + 1
        return True

    def key(self, mat: Mat, key: Qt.Key, mods: Qt.KeyboardModifier) -> bool:
        ring, _ = self._now()
        if not ring:
            return False
        if key in (Qt.Key.Key_Comma, Qt.Key.Key_Period):
            self.corner = (self.corner + (1 if key == Qt.Key.Key_Period else -1)) % len(ring)
            self._count += 1
            return True
        if key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and 0 <= self.corner < len(ring) and len(ring) > 3:
            self.changed(tuple(q for i, q in enumerate(ring) if i != self.corner), "corner", 0)
            self.corner = -1
            return True
        step = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}.get(key)
        if step and (self.corner >= 0 or mods & Qt.KeyboardModifier.AltModifier):
            k = (0.2 if mods & Qt.KeyboardModifier.ShiftModifier else 1.0) / mat.mm_per_px
            which = self.corner
            moved = tuple((x + step[0] * k, y + step[1] * k) if which in (-1, i) else (x, y) for i, (x, y) in enumerate(ring))
            self.changed(moved, "edge" if which >= 0 else "move", self._count + 1)
            return True
        if key == Qt.Key.Key_Escape and self.corner >= 0:
            self.corner = -1
            return True
        return False

    def paint(self, p: QPainter, mat: Mat) -> None:
        ring, smooth = self._now()
        if self._grab is not None and self._moving:
            two_tone(p, ring_path(self._live, mat, smooth), 2.4)
            ring = self._live
        for i, q in enumerate(ring):
            knob(p, mat.photo_px(*q), i == self.corner)

    def cancel(self) -> None:
        self._grab, self.corner = None, -1


def _to_segment(q: Point, a: Point, b: Point) -> float:
    """Distance of a point from a segment."""
    dx, dy = b[0] - a[0], b[1] - a[1]
    t = max(0.0, min(1.0, ((q[0] - a[0]) * dx + (q[1] - a[1]) * dy) / max(dx * dx + dy * dy, 1e-12)))
    return math.hypot(q[0] - a[0] - t * dx, q[1] - a[1] - t * dy)


class Frame(Gesture):
    """Move the photo under the sheet by dragging, scale it with the wheel; one drag is one edit."""

    cursor = Qt.CursorShape.SizeAllCursor

    def __init__(
        self, changed: Callable[[tuple[float, float, float, float], int], None], limits: Callable[[], tuple[int, int]], least: Callable[[], float],
        refused: Callable[[], None] = lambda: None,
    ) -> None:  # fmt: skip
        self.changed, self.limits, self.least, self.refused = changed, limits, least, refused
        self._grab: QPointF | None = None
        self._crop = (0.0, 0.0, 1.0, 1.0)
        self._count = 0

    def press(self, mat: Mat, at: QPointF, mods: Qt.KeyboardModifier) -> bool:
        if mat.photo is None or not mat.picture_rect.contains(at):
            return False
        self._grab, self._crop = at, mat.crop
        self._count += 1
        return True

    def _moved(self, mat: Mat, dx: float, dy: float) -> tuple[float, float, float, float]:
        w, h = self.limits()
        x, y, cw, ch = self._crop
        return (min(max(0.0, x + dx), w - cw), min(max(0.0, y + dy), h - ch), cw, ch)

    def move(self, mat: Mat, at: QPointF, buttons: Qt.MouseButton) -> None:
        if self._grab is not None:
            k = 1 / (mat.zoom * mat.mm_per_px)
            mat.crop = self._moved(mat, (self._grab.x() - at.x()) * k, (self._grab.y() - at.y()) * k)

    def release(self, mat: Mat, at: QPointF) -> None:
        if self._grab is not None:
            self.move(mat, at, Qt.MouseButton.LeftButton)
            self._grab = None
            if mat.crop != self._crop:
                self.changed(mat.crop, self._count)

    def wheel(self, mat: Mat, at: QPointF, steps: float) -> bool:
        if mat.photo is None or not mat.picture_rect.contains(at):
            return False
        self._count += 0 if self._grab else 1
        self.scale(mat, 0.94**steps, mat.photo_at(at))
        return True

    def scale(self, mat: Mat, factor: float, about: QPointF) -> None:
        """Show more or less of the photo, with one place held still."""
        w, h = self.limits()
        x, y, cw, ch = mat.crop
        closest = min(1.0, self.least() / cw)
        if factor < 1 and closest > 0.999:
            self.refused()
            return
        factor = max(closest, min(factor, w / cw, h / ch))
        nx, ny = about.x() - (about.x() - x) * factor, about.y() - (about.y() - y) * factor
        cw, ch = cw * factor, ch * factor
        self.changed((min(max(0.0, nx), w - cw), min(max(0.0, ny), h - ch), cw, ch), 10_000)

    def key(self, mat: Mat, key: Qt.Key, mods: Qt.KeyboardModifier) -> bool:
        step = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}.get(key)
        if step is None or mat.photo is None:
            return False
        k = (1.0 if mods & Qt.KeyboardModifier.ShiftModifier else 5.0) / mat.mm_per_px
        self._crop = mat.crop
        self.changed(self._moved(mat, -step[0] * k, -step[1] * k), 20_000)
        return True

    def paint(self, p: QPainter, mat: Mat) -> None:
        r = mat.picture_rect
        path = QPainterPath()
        for k in (1, 2):
            path.moveTo(r.left() + r.width() * k / 3, r.top())
            path.lineTo(r.left() + r.width() * k / 3, r.bottom())
            path.moveTo(r.left(), r.top() + r.height() * k / 3)
            path.lineTo(r.right(), r.top() + r.height() * k / 3)
        two_tone(p, path, 0.8, None, 120)
        two_tone(p, _box(r), 1.6)


def _box(r: QRectF) -> QPainterPath:
    path = QPainterPath()
    path.addRect(r)
    return path
