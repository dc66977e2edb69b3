"""The mat with its areas as stops: names in its margins, and their working order."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal

from hanabira.desk.drawn import Stop
from hanabira.desk.gestures.pins import Pins
from hanabira.desk.paint import CENTRE, text, width
from hanabira.desk.theme import role, scale
from hanabira.desk.widgets.mat import Mat

if TYPE_CHECKING:
    from hanabira.desk.widgets.overlays import Outlines


class AreasMat(Mat):
    """The mat with its areas as stops: margin names are clicked, arrows step from area to area.

    A name dragged onto another one takes its place in the working order.
    """

    reordered = pyqtSignal(str, str)

    def __init__(self, outlines: Outlines, choose: Callable[[str], object]) -> None:
        super().__init__()
        self._outlines, self._choose = outlines, choose
        self._taken = ""
        self._dragged: QPointF | None = None

    def stops(self, w: float, h: float) -> list[Stop]:
        out: list[Stop] = []
        if not self.marked:
            return out
        for s in sorted(self._outlines.spots(self), key=lambda s: s.area.number):
            name = f"Area {s.area.number}, {s.area.name}, {self._outlines.note(s.area)}"
            out.append(Stop(s.area.id, s.rect, name, f"{s.area.name}: choose it", lambda key=s.area.id: self._choose(key)))
        return out

    def mousePressEvent(self, event) -> None:  # noqa: ANN001
        stop = self.at(event.position())
        if stop is not None and event.button() == Qt.MouseButton.LeftButton and not self.sheet_rect.contains(stop.rect.center()):
            self._choose(stop.key)
            self._taken = stop.key
            return
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event) -> None:  # noqa: ANN001
        if self._taken:
            self._dragged = event.position()
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            self.update()
            return
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event) -> None:  # noqa: ANN001
        taken, self._taken = self._taken, ""
        if taken:
            moved, self._dragged = self._dragged, None
            self.setCursor(Qt.CursorShape.ArrowCursor)
            onto = self.at(event.position()) if moved is not None else None
            if onto is not None and onto.key != taken:
                self.reordered.emit(taken, onto.key)
            self.update()
            return
        super().mouseReleaseEvent(event)

    def paint(self, p, w: float, h: float) -> None:  # noqa: ANN001
        super().paint(p, w, h)
        if self._taken and self._dragged is not None:
            name = next((q.name.split(", ")[1] for q in self._stops if q.key == self._taken), "")
            at = self._dragged / scale()
            r = QRectF(at.x() + 8, at.y() - 12, width(name, "name") + 16, 26)
            p.fillRect(r, role("raised"))
            text(p, r, name, "name", "ink", CENTRE)

    def keyPressEvent(self, event) -> None:  # noqa: ANN001
        step = {Qt.Key.Key_PageDown: 1, Qt.Key.Key_N: 1, Qt.Key.Key_PageUp: -1, Qt.Key.Key_P: -1}.get(Qt.Key(event.key()))
        if step and self._stops and not event.modifiers() and not isinstance(self.gesture, Pins):
            self._current = (self._current + step) % len(self._stops)
            self._choose(self._stops[self._current].key)
            return
        super().keyPressEvent(event)
