"""Pins on a photo, such as on the corners of a sheet, each under a lens while it is moved; by pointer, or by keys to the pixel."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen

from hanabira.desk.gestures.outlines import Gesture, knob
from hanabira.desk.paint import CENTRE, text, two_tone

if TYPE_CHECKING:
    from hanabira.core.area.shape import Point
    from hanabira.desk.widgets.mat import Mat

LENS, TIMES = 120.0, 4.0
GRAB = 18.0
_STEPS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}


class Pins(Gesture):
    """Points in photo pixels, corners clockwise from the picture's top left. Figures, or page up and down, choose a pin, arrows move it a pixel (ten with Shift), Enter takes them."""

    cursor = Qt.CursorShape.CrossCursor
    hint = "Figures choose a pin · Arrows move it, with Shift farther · Enter takes them"

    def __init__(self, corners: Sequence[Point], image: Callable[[], QImage | None], taken: Callable[[tuple[Point, ...]], object]) -> None:
        self.corners = [QPointF(x, y) for x, y in corners]
        self.image, self.taken = image, taken
        self.chosen, self._held = 0, False

    def press(self, mat: Mat, at: QPointF, mods: Qt.KeyboardModifier) -> bool:
        near = [(QRectF(p - QPointF(GRAB, GRAB), p + QPointF(GRAB, GRAB)).contains(at), k) for k, p in enumerate(self._seen(mat))]
        found = next((k for hit, k in near if hit), None)
        if found is None:
            return False
        self.chosen, self._held = found, True
        return True

    def move(self, mat: Mat, at: QPointF, buttons: Qt.MouseButton) -> None:
        if self._held:
            self.corners[self.chosen] = mat.photo_at(at)

    def release(self, mat: Mat, at: QPointF) -> None:
        self._held = False

    def key(self, mat: Mat, key: Qt.Key, mods: Qt.KeyboardModifier) -> bool:
        if Qt.Key.Key_1 <= key < Qt.Key.Key_1 + len(self.corners):
            self.chosen = key - Qt.Key.Key_1
            return True
        if key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            self.chosen = (self.chosen + (1 if key == Qt.Key.Key_PageDown else -1)) % len(self.corners)
            return True
        if key in _STEPS:
            n = 10 if mods & Qt.KeyboardModifier.ShiftModifier else 1
            self.corners[self.chosen] += QPointF(*_STEPS[key]) * n
            return True
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.take()
            return True
        return False

    def take(self) -> None:
        """These are the points."""
        self.taken(tuple((q.x(), q.y()) for q in self.corners))

    def _seen(self, mat: Mat) -> list[QPointF]:
        return [mat.photo_px(q.x(), q.y()) for q in self.corners]

    def paint(self, p: QPainter, mat: Mat) -> None:
        seen = self._seen(mat)
        outline = QPainterPath(seen[0])
        for q in seen[1:]:
            outline.lineTo(q)
        outline.closeSubpath()
        two_tone(p, outline, 1.2, [6, 4])
        for k, q in enumerate(seen):
            knob(p, q, k == self.chosen)
            text(p, QRectF(q.x() - 26, q.y() - 10, 20, 20), f"{k + 1}", "caption", QColor("#ffffff"), CENTRE)
        self._lens(p, mat, seen[self.chosen])

    def _lens(self, p: QPainter, mat: Mat, at: QPointF) -> None:
        """The chosen point enlarged, toward the middle so that it stays in view."""
        image, photo = self.image(), mat.photo
        if image is None or photo is None:
            return
        middle = mat.inner.center()
        x = at.x() + (30 if at.x() < middle.x() else -30 - LENS)
        y = at.y() + (30 if at.y() < middle.y() else -30 - LENS)
        frame = QRectF(x, y, LENS, LENS)
        q, k = self.corners[self.chosen], image.width() / photo.size[0]
        part = LENS / TIMES / (mat.mm_per_px * mat.zoom)
        p.fillRect(frame.adjusted(-2, -2, 2, 2), QColor(20, 20, 20))
        p.drawImage(frame, image, QRectF((q.x() - part / 2) * k, (q.y() - part / 2) * k, part * k, part * k))
        cross = QPainterPath(QPointF(frame.center().x() - 14, frame.center().y()))
        cross.lineTo(frame.center().x() + 14, frame.center().y())
        cross.moveTo(frame.center().x(), frame.center().y() - 14)
        cross.lineTo(frame.center().x(), frame.center().y() + 14)
        two_tone(p, cross, 1.0)
        p.setPen(QPen(QColor(250, 250, 250), 1))
        p.drawRect(frame)
