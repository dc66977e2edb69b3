"""What a hand draws in a drill: a line round a shape, or a stroke at each ring; by pointer, or by keys alone."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import cv2
import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath

from hanabira.desk.gestures.outlines import knob
from hanabira.desk.paint import two_tone

if TYPE_CHECKING:
    from hanabira.core.practice.question import AskedSpot, Question

PIN_STEP, FINE_STEP, TURN_DEG = 0.02, 0.005, 5.0
NEAR_PX, LENGTH = 60.0, 46.0
"""How near a press must be to a ring to be a stroke at it, and how long strokes are shown, in design units."""
_MOVES = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}


class DrillHand:
    """``ring`` in shares of the shown part, with a ``pin`` that keys move; ``strokes`` in degrees counter-clockwise from the right, None while not drawn."""

    def __init__(self) -> None:
        self.set(None)

    def set(self, q: Question | None) -> None:
        """Begin with an empty hand."""
        self.kind = q.kind if q is not None else ""
        self.ring: list[AskedSpot] = []
        self.pin: AskedSpot = (0.5, 0.5)
        self.by_keys = False
        self.strokes: list[float | None] = [None] * (len(q.spots) if q is not None and q.kind == "strokes" else 0)
        self.at = 0
        self._from: QPointF | None = None
        self._drawing = False

    @property
    def ready(self) -> bool:
        """Whether it is an answer."""
        if self.kind == "shape":
            return len(self.ring) > 2
        return self.kind == "strokes" and all(s is not None for s in self.strokes)

    @property
    def answer(self) -> tuple[AskedSpot, ...] | tuple[float, ...]:
        """The ring, or the strokes."""
        if self.kind == "shape":
            return tuple(self.ring)
        return tuple(float(s) for s in self.strokes if s is not None)

    def key(self, key: Qt.Key, mods: Qt.KeyboardModifier) -> bool:
        """A key of the hand; whether it was one."""
        if self.kind == "shape":
            if key in _MOVES:
                step = FINE_STEP if mods & Qt.KeyboardModifier.ShiftModifier else PIN_STEP
                dx, dy = _MOVES[key]
                self.pin = (min(1.0, max(0.0, self.pin[0] + dx * step)), min(1.0, max(0.0, self.pin[1] + dy * step)))
                self.by_keys = True
            elif key == Qt.Key.Key_Space:
                self.ring.append(self.pin)
                self.by_keys = True
            elif key == Qt.Key.Key_Backspace:
                self.ring = self.ring[:-1]
            else:
                return False
            return True
        if self.kind == "strokes":
            if Qt.Key.Key_1 <= key < Qt.Key.Key_1 + len(self.strokes):
                self.at = key - Qt.Key.Key_1
            elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
                now = self.strokes[self.at]
                self.strokes[self.at] = ((90.0 if now is None else now) + (TURN_DEG if key == Qt.Key.Key_Left else -TURN_DEG)) % 180
            else:
                return False
            return True
        return False

    # -- the pointer -------------------------------------------------------------------
    def press(self, at: QPointF, frame: QRectF, spots: Sequence[QPointF]) -> bool:
        """The pointer is set down; whether something begins there."""
        if self.kind == "shape" and frame.contains(at):
            self.ring.append(_share(at, frame))
            self._drawing, self.by_keys = True, False
            return True
        if self.kind == "strokes" and spots:
            near = min(range(len(spots)), key=lambda k: math.hypot(at.x() - spots[k].x(), at.y() - spots[k].y()))
            if math.hypot(at.x() - spots[near].x(), at.y() - spots[near].y()) < NEAR_PX:
                self.at, self._from = near, at
                return True
        return False

    def move(self, at: QPointF, frame: QRectF) -> bool:
        """The pointer goes on; whether anything changed."""
        if self._drawing:
            x, y = _share(at, frame)
            if not self.ring or math.hypot(x - self.ring[-1][0], y - self.ring[-1][1]) > 0.004:
                self.ring.append((x, y))
            return True
        if self._from is not None:
            dx, dy = at.x() - self._from.x(), self._from.y() - at.y()
            if math.hypot(dx, dy) > 6:
                self.strokes[self.at] = math.degrees(math.atan2(dy, dx)) % 180
            return True
        return False

    def release(self) -> None:
        """The pointer is lifted."""
        self._drawing, self._from = False, None

    # -- painting -------------------------------------------------------------------------
    def paint(self, p: QPainter, frame: QRectF, spots: Sequence[QPointF], q: Question, answered: bool) -> None:
        """What was drawn, dashed once the measure stands beside it."""
        if self.kind == "shape":
            if answered and q.extra is not None:
                two_tone(p, _outline(q.extra, frame), 2.0)
            path = _path([_point(s, frame) for s in self.ring])
            if answered or self.ready:
                path.closeSubpath()
            two_tone(p, path, 1.6, [5, 4] if answered else None)
            if self.by_keys and not answered:
                for s in self.ring:
                    knob(p, _point(s, frame), False)
                knob(p, _point(self.pin, frame), True)
        if self.kind == "strokes":
            for k, c in enumerate(spots):
                if answered:
                    two_tone(p, _needle(c, float(q.truth[k])), 2.4)  # type: ignore[index]
                mine = self.strokes[k]
                if mine is not None:
                    two_tone(p, _needle(c, mine), 1.8, [5, 4] if answered else None)
                if k == self.at and not answered:
                    knob(p, QPointF(c.x(), c.y() - 26), True)


def _share(at: QPointF, frame: QRectF) -> AskedSpot:
    x, y = (at.x() - frame.left()) / frame.width(), (at.y() - frame.top()) / frame.height()
    return min(1.0, max(0.0, x)), min(1.0, max(0.0, y))


def _point(s: AskedSpot, frame: QRectF) -> QPointF:
    return QPointF(frame.left() + s[0] * frame.width(), frame.top() + s[1] * frame.height())


def _path(points: Sequence[QPointF]) -> QPainterPath:
    path = QPainterPath()
    for k, q in enumerate(points):
        path.lineTo(q) if k else path.moveTo(q)
    return path


def _needle(c: QPointF, deg: float) -> QPainterPath:
    u = QPointF(math.cos(math.radians(deg)), -math.sin(math.radians(deg))) * LENGTH
    path = QPainterPath(c - u)
    path.lineTo(c + u)
    return path


def _outline(mask: np.ndarray, frame: QRectF) -> QPainterPath:
    """The mask's outline over the frame."""
    h, w = mask.shape
    path = QPainterPath()
    contours, _ = cv2.findContours(mask.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    for c in contours:
        path.addPath(_path([_point((float(x) / w, float(y) / h), frame) for x, y in c[:, 0]]))
        path.closeSubpath()
    return path
