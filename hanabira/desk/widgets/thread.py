"""Thread: the commission's name and its seven stages as petals on one drawn line; rooms at its right."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPainterPath, QPen, QTransform
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.desk import icon as icons
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import LEFT, keycap, petal, text, width
from hanabira.desk.theme import role

ROOMS = (("shelf", "Shelf", "All commissions"), ("kit", "Kit", "Pencils and papers"), ("practice", "Practice", "Exercises"))
_LINE, _FOLDED = 62.0, 42.0


class Thread(Drawn):
    """Top strip. Where the width does not hold everything, stages go to a second row; ``folded``, in a low window, only the open stage has its word."""

    stage_wanted = pyqtSignal(str)
    room_wanted = pyqtSignal(str)
    find_wanted = pyqtSignal()

    def __init__(self, stages: tuple[str, ...], share: Callable[[str], float], parent: QWidget | None = None) -> None:
        super().__init__("Thread of stages", parent)
        self.stage_names, self.share = stages, share
        self.now, self.room = stages[0], ""
        self.title, self.line = "", ""
        self.folded = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def set(self, title: str, line: str, now: str, room: str) -> None:
        """Show a commission, the open stage and the open room."""
        self.title, self.line, self.now, self.room = title, line, now, room
        self.refresh()

    def fold(self, folded: bool) -> None:
        """Give room to the picture of a low window, or take it back."""
        if folded != self.folded:
            self.folded = folded
            self.refresh()

    # -- layout --------------------------------------------------------------
    def _room_width(self, name: str) -> float:
        return 22.0 if self.folded else 28 + width(name, "strong")

    def _rooms_width(self) -> float:
        if self.folded:
            return 42.0 * len(ROOMS) + 50
        return sum(28 + width(name, "strong") + 20 for _, name, _ in ROOMS) + 64

    def _stages_width(self) -> float:
        return sum(width(n, "strong") + 46 for n in self.stage_names)

    def _two_rows(self, w: float) -> bool:
        return not self.folded and w < 226 + self._stages_width() + self._rooms_width()

    def design_size(self, width: float) -> tuple[float, float]:
        return 320, _FOLDED if self.folded else 92 if self._two_rows(width) else _LINE

    def _line_y(self, x: float, base: float) -> float:
        return base + 2.2 * math.sin(x / 47.0)

    def _stage_places(self, w: float) -> tuple[list[float], float, float, float]:
        if self.folded:
            x0, x1 = 12.0, w - self._rooms_width() - 12
            # a room has no stage, and neither has a window that is just being made
            at = self.stage_names.index(self.now) if not self.room and self.now in self.stage_names else len(self.stage_names)
            named = width(self.now, "strong") + 34 if at < len(self.stage_names) else 0.0
            pitch = (x1 - x0 - named) / len(self.stage_names)
            return [x0 + 8 + pitch * k + (named if k > at else 0.0) for k in range(len(self.stage_names))], x0, x1, 34.0
        two = self._two_rows(w)
        x0, x1 = (20.0, w - 14) if two else (236.0, w - self._rooms_width() - 18)
        base = 74.0 if two else 41.0
        pitch = (x1 - x0) / len(self.stage_names)
        return [x0 + 8 + pitch * k for k in range(len(self.stage_names))], x0, x1, base

    def stops(self, w: float, h: float) -> list[Stop]:
        places, _x0, x1, base = self._stage_places(w)
        out = []
        for k, name in enumerate(self.stage_names):
            end = places[k + 1] if k + 1 < len(places) else x1
            done = round(100 * self.share(name))
            out.append(
                Stop(
                    f"stage {name}",
                    QRectF(places[k] - 8, base - 33, end - places[k] - 2, 40),
                    f"Stage {name}, {done} % done",
                    f"{name} (Ctrl+{k + 1}), {done} % done",
                    lambda name=name: self.stage_wanted.emit(name),
                )  # fmt: skip
            )
        x = w - self._rooms_width() + 8
        for _icon, name, words in ROOMS:
            n = self._room_width(name)
            out.append(
                Stop(
                    f"room {name}",
                    QRectF(x - 4, self._top(w) - 6, n + 8, 34),
                    f"Room {name}",
                    words,
                    lambda name=name: self.room_wanted.emit(name),
                )
            )
            x += n + 20  # as they are painted
        out.append(Stop("find", QRectF(w - 60, self._top(w) - 4, 54, 30), "Find a command", "Find a command (/)", self.find_wanted.emit))
        return out

    # -- painting --------------------------------------------------------------
    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("card"))
        p.setPen(QPen(role("line"), 1))
        p.drawLine(QPointF(0, h - 0.5), QPointF(w, h - 0.5))
        room = (w - self._rooms_width() - 30) if self._two_rows(w) else 206
        if self.folded:
            pass  # the window's own title has the name
        elif self._two_rows(w):  # name and animal share a line
            n = min(room, width(self.title, "title") + 14)
            text(p, QRectF(20, 5, n, 32), self.title, "title", "plum", elide=True)
            if room - n > 60:
                text(p, QRectF(20 + n, 10, room - n, 22), self.line, "small", "ink2", elide=True)
        else:
            text(p, QRectF(20, 5, room, 32), self.title, "title", "plum", elide=True)
            text(p, QRectF(20, 35, room, 18), self.line, "small", "ink2", elide=True)
        places, x0, x1, base = self._stage_places(w)
        path = QPainterPath(QPointF(x0 - 6, self._line_y(x0 - 6, base)))
        for x in range(int(x0), int(x1), 6):
            path.lineTo(x, self._line_y(x, base))
        p.setPen(QPen(role("plum"), 1.4))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(path)
        for k, name in enumerate(self.stage_names):
            self._stage(p, places[k], base, name)
        self._rooms(p, w)

    def _stage(self, p: QPainter, x: float, base: float, name: str) -> None:
        here = name == self.now and not self.room
        size = 30 if here else 25
        turn = QTransform().translate(x, self._line_y(x, base)).rotate(-62)
        shape = turn.map(petal(size, 9 if here else 7))
        p.fillPath(shape, role("plum_wash" if self.hovered == f"stage {name}" else "card"))
        p.save()
        p.setClipPath(shape)
        fill = QPainterPath()
        fill.addRect(QRectF(-1, -20, (size + 1) * self.share(name), 40))
        p.fillPath(turn.map(fill), role("plum"))
        p.restore()
        p.setPen(QPen(role("plum"), 1.8 if here else 1.2))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(shape)
        if self.folded and not here:
            return
        type_ = "strong" if here else "body"
        tx = x + (24 if here else 18)
        text(p, QRectF(tx, base - 29, width(name, type_) + 4, 22), name, type_, "ink", LEFT)
        if here:
            p.setPen(QPen(role("plum"), 2.4, cap=Qt.PenCapStyle.RoundCap))
            p.drawLine(QPointF(tx + 1, base - 8), QPointF(tx + width(name, type_) - 1, base - 8))

    def _top(self, w: float) -> float:
        return 10.0 if self.folded or self._two_rows(w) else 20.0

    def _rooms(self, p: QPainter, w: float) -> None:
        top = self._top(w)
        x = w - self._rooms_width() + 8
        p.setPen(QPen(role("line"), 1))
        p.drawLine(QPointF(x - 14, top - 6), QPointF(x - 14, top + 28))
        for name_of_icon, name, _ in ROOMS:
            here = name == self.room
            icons.draw(p, name_of_icon, QRectF(x, top, 22, 22), "plum" if here else "ink")
            if self.folded:
                if here:
                    p.setPen(QPen(role("plum"), 2.4, cap=Qt.PenCapStyle.RoundCap))
                    p.drawLine(QPointF(x + 1, top + 26), QPointF(x + 21, top + 26))
                x += 42
                continue
            n = width(name, "strong" if here else "body")
            text(p, QRectF(x + 28, top, n + 4, 22), name, "strong" if here else "body", "ink")
            if here:
                p.setPen(QPen(role("plum"), 2.4, cap=Qt.PenCapStyle.RoundCap))
                p.drawLine(QPointF(x + 29, top + 25), QPointF(x + 27 + n, top + 25))
            x += 28 + width(name, "strong") + 20
        icons.draw(p, "find", QRectF(w - 56, top + 1, 20, 20), "ink")
        keycap(p, QRectF(w - 32, top + 1, 20, 20), "/")
