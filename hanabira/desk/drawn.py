"""Base class of the drawn widgets: text size, keyboard, hover, tooltips and screen readers, once.

A drawn widget paints in design units (pixels at 100 % text); the base scales painter and
pointer by the text size. Things that can be chosen in it are `Stop`s: one focus stop for
the widget, arrow keys inside it, one accessible child an item.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from hanabira.desk.paint import focus_ring, painting
from hanabira.desk.theme import scale


@dataclass(frozen=True)
class Stop:
    """Something in a drawn widget that can be pointed at and chosen. ``rect`` in design units."""

    key: str
    rect: QRectF
    name: str
    help: str = ""
    act: Callable[[], None] | None = None
    off: str = ""
    """Why it cannot be used now; empty when it can."""


_BY_KEYBOARD = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason, Qt.FocusReason.ShortcutFocusReason)


class _Item(QWidget):
    """The accessible child that stands for one stop; it paints nothing and takes no pointer."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)


class Drawn(QWidget):
    """A widget that draws itself. Subclasses give `paint`, `design_size` and, where they have any, `stops`."""

    current_changed = pyqtSignal(str)
    takes_keys = False
    """Whether it has keys of its own, also while there is nothing to choose in it."""

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setMouseTracking(True)
        self._items: list[_Item] = []
        self._stops: list[Stop] = []
        self._current = 0
        self.exposed = QRectF()
        """What must be painted, in the drawing's own units: a long list leaves out the rest."""
        self.shortened: list[tuple[QRectF, str]] = []
        """Words that had no room, whole, and where they stand in the widget: `paint.text` keeps them for the pointer."""
        self.hovered = ""
        self._ring = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    # -- for subclasses ---------------------------------------------------
    def design_size(self, width: float) -> tuple[float, float]:
        """Least width and the height in design units at a width of ``width`` design units."""
        return 40, 40

    def paint(self, p: QPainter, w: float, h: float) -> None:
        """Draw into w × h design units."""

    def stops(self, w: float, h: float) -> Sequence[Stop]:
        """What can be chosen, in reading order."""
        return ()

    # -- size ---------------------------------------------------------------
    @property
    def design_width(self) -> float:
        """Width in design units."""
        return self.width() / scale()

    def sizeHint(self) -> QSize:
        least, high = self.design_size(self.design_width)
        return QSize(round(least * scale()), round(high * scale()))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def hasHeightForWidth(self) -> bool:
        return self.sizePolicy().verticalPolicy() == QSizePolicy.Policy.Fixed

    def heightForWidth(self, width: int) -> int:
        return round(self.design_size(width / scale())[1] * scale())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """Take the stops again after the data or the size changed, and repaint."""
        s = scale()
        self._stops = list(self.stops(self.width() / s, self.height() / s))
        self._current = min(self._current, max(0, len(self._stops) - 1))
        while len(self._items) < len(self._stops):
            self._items.append(_Item(self))
        for item, stop in zip(self._items, self._stops, strict=False):
            item.setAccessibleName(stop.name)
            item.setAccessibleDescription(stop.off or stop.help)
            r = stop.rect
            item.setGeometry(round(r.x() * s), round(r.y() * s), max(1, round(r.width() * s)), max(1, round(r.height() * s)))
            item.show()
        for item in self._items[len(self._stops) :]:
            item.hide()
        wanted = self.takes_keys or any(q.act for q in self._stops)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus if wanted else Qt.FocusPolicy.NoFocus)
        self.updateGeometry()
        self.update()

    # -- painting -------------------------------------------------------------
    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as p:
            p.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
            s = scale()
            p.scale(s, s)
            shown = QRectF(self.rect() if event is None else event.rect())
            self.exposed = QRectF(shown.topLeft() / s, shown.size() / s)
            self.shortened = [q for q in self.shortened if not q[0].intersects(shown)]
            self.paint(p, self.width() / s, self.height() / s)
            if self.hasFocus() and self._ring and self._stops:
                path = QPainterPath()
                path.addRoundedRect(self._stops[self._current].rect.adjusted(-3, -3, 3, 3), 6, 6)
                focus_ring(p, path)

    # -- pointer --------------------------------------------------------------
    def at(self, pos: QPointF) -> Stop | None:
        """The stop under a widget position."""
        q = pos / scale()
        return next((stop for stop in reversed(self._stops) if stop.rect.contains(q)), None)

    def tip(self, pos: QPointF) -> str:
        """What the pointer tells at a widget position: words that had no room there, whole, and what the stop there is for."""
        stop = self.at(pos)
        words = [whole for rect, whole in self.shortened if rect.contains(pos)]
        more = (stop.off or stop.help) if stop else ""
        return "\n".join([*(q for q in dict.fromkeys(words) if q not in more), *([more] if more else [])])

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        stop = self.at(event.position())
        key = stop.key if stop else ""
        if key != self.hovered:
            self.hovered = key
            self.setCursor(Qt.CursorShape.PointingHandCursor if stop and stop.act and not stop.off else Qt.CursorShape.ArrowCursor)
            self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self.hovered = ""
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        stop = self.at(event.position())
        if stop and event.button() == Qt.MouseButton.LeftButton:
            self._current = self._stops.index(stop)
            self._do(stop)
        else:
            event.ignore()

    def _do(self, stop: Stop) -> None:
        self.current_changed.emit(stop.key)
        if stop.act and not stop.off:
            stop.act()
        self.update()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            words = self.tip(QPointF(event.pos()))
            if words:
                QToolTip.showText(event.globalPos(), words, self)
            else:
                QToolTip.hideText()
            return True
        return super().event(event)

    # -- keyboard ---------------------------------------------------------------
    def keyPressEvent(self, event: QKeyEvent) -> None:
        self._ring = True
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()), 0)
        if self._stops and step:
            self.go_to((self._current + step) % len(self._stops))
        elif self._stops and event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self.go_to(0 if event.key() == Qt.Key.Key_Home else len(self._stops) - 1)
        elif self._stops and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._do(self._stops[self._current])
        else:
            super().keyPressEvent(event)

    def go_to(self, index: int) -> None:
        """Move the keyboard's place and tell screen readers."""
        self._current = index
        self.current_changed.emit(self._stops[index].key)
        # the binding has no accessibility events of its own: a changed description is announced
        self.setAccessibleDescription(self._stops[index].name)
        self.update()

    def stop_keys(self) -> list[str]:
        """Keys of the stops, in order."""
        return [q.key for q in self._stops]

    def click_point(self, key: str) -> QPointF:
        """Middle of a stop in widget pixels, for gestures in tests and for pointing."""
        stop = next(q for q in self._stops if q.key == key)
        return stop.rect.center() * scale()

    def focusInEvent(self, event: QFocusEvent) -> None:
        # the ring is for the keyboard; a click shows by itself what it did
        self._ring = event.reason() in _BY_KEYBOARD
        self.update()

    def focusOutEvent(self, event: QEvent) -> None:
        self.update()
