"""Mat: the mid-grey bed with millimetre rulers, the taped sheet and the photo on it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPen,
    QPolygonF,
    QResizeEvent,
    QTransform,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.core.colour import spaces
from hanabira.desk.drawn import Drawn
from hanabira.desk.images import wrap
from hanabira.desk.paint import CENTRE, height, ink_on, largest, tape, text, width
from hanabira.desk.theme import role, scale

if TYPE_CHECKING:
    from hanabira.desk.gestures.outlines import Gesture
    from hanabira.session.view import View

RULER = 24
ZOOM_RANGE = (0.15, 120.0)
"""Least and most design pixels a millimetre."""

Overlay = Callable[[QPainter, "Mat"], None]


class Mat(Drawn):
    """Shows the sheet at its proportions with rulers; wheel zooms at the pointer, dragging moves.

    Positions: `px` maps millimetres of the sheet to design pixels, `photo_px` photo pixels.
    ``overlays`` are drawn over the picture; ``gesture`` gets the pointer first.
    """

    takes_keys = True
    value_under = pyqtSignal(object)
    view_moved = pyqtSignal()
    spot_touched = pyqtSignal(float, float)
    """A place of the photo that the right button pressed, in photo pixels, whatever else is being drawn."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("Mat with the sheet", parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.sheet_mm = (240.0, 300.0)
        self.border_mm = 10.0
        self.paper = QColor("#f4f3ef")
        self.photo: View | None = None
        self.crop = (0.0, 0.0, 1.0, 1.0)
        self.look: QImage | None = None
        self.mirrored = False
        self.patch: tuple[QImage, QRectF] | None = None
        """An image drawn over a rectangle of the photo (full photo pixels)."""
        self.overlays: list[Overlay] = []
        self.marked = True
        """Whether they are drawn; not before what they are worked out with is loaded."""
        self.gesture: Gesture | None = None
        self.margins = (18.0, 18.0)
        self.empty_words = ""
        self._by_keys = False
        self.inset = False
        self.fitted: QRectF | None = None
        self.turnable = False
        """Whether the wheel turns the sheet while Shift is held."""
        self.turn_deg = 0.0
        """How far the sheet is turned on the easel, counter-clockwise; positions are those of the sheet not turned."""
        self.zoom, self.origin = 1.0, QPointF()
        self._fit_on = True
        self.roomy = True
        self.ruled = True
        """Whether what lies here has a size on paper: without one there are no millimetres and no tape."""
        self._drag: QPointF | None = None
        self._hand_open = False

    def design_size(self, width: float) -> tuple[float, float]:
        return 90, 80

    # -- geometry ----------------------------------------------------------
    def show_sheet(self, sheet_mm: tuple[float, float], border_mm: float, paper: QColor, crop: tuple[float, float, float, float]) -> None:
        """Set the sheet and what of the photo lies on it."""
        if sheet_mm != self.sheet_mm:
            self._fit_on = True
        self.sheet_mm, self.border_mm, self.paper, self.crop = sheet_mm, border_mm, paper, crop
        self._place()
        self.refresh()

    @property
    def inner(self) -> QRectF:
        """The mat without its rulers, in design pixels."""
        s = scale()
        return QRectF(RULER, RULER, self.width() / s - RULER, self.height() / s - RULER)

    def fit(self, rect_mm: QRectF | None = None) -> None:
        """Show the whole sheet, or a part of it, as large as fits."""
        self._fit_on, self.fitted = True, rect_mm
        self._place()
        self.view_moved.emit()
        self.refresh()

    def _place(self) -> None:
        if not self._fit_on or self.width() < 10:
            return
        r, (mx, my) = self.inner, self.margins
        part = self.fitted or QRectF(0, 0, *self.sheet_mm)
        # names in the margin must not make the picture small
        self.roomy = r.width() - 2 * mx >= 0.4 * r.width() and r.height() > 260
        if not self.roomy:
            mx = my = 14.0
        if self.fitted is not None:
            mx, my = 14.0, 14.0
        across = QTransform().rotate(self.turn_deg).mapRect(part)
        self.zoom = max(ZOOM_RANGE[0], min((r.width() - 2 * mx) / across.width(), (r.height() - 2 * my) / across.height()))
        c = r.center()
        self.origin = QPointF(c.x() - part.center().x() * self.zoom, c.y() - part.center().y() * self.zoom)

    def turn(self, degrees: float) -> None:
        """Turn the sheet to an angle, counter-clockwise, as the artist turns the paper."""
        self.turn_deg = (degrees + 180.0) % 360.0 - 180.0
        self._place()
        self.refresh()

    def _turned(self) -> QTransform:
        """From the sheet not turned to what is seen, both in design pixels."""
        c = self.inner.center()
        return QTransform().translate(c.x(), c.y()).rotate(-self.turn_deg).translate(-c.x(), -c.y())

    def _flat(self, seen: QPointF) -> QPointF:
        """A seen design pixel on the sheet not turned."""
        return self._turned().inverted()[0].map(seen) if self.turn_deg else seen

    def in_sight(self, rect: QRectF) -> bool:
        """Whether the whole of a part of the sheet not turned, in design pixels, can be seen."""
        return self.inner.contains(self._turned().mapRect(rect))

    @property
    def seen(self) -> QRectF:
        """What can be seen, on the sheet not turned."""
        return self._turned().inverted()[0].mapRect(self.inner) if self.turn_deg else self.inner

    def zoom_at(self, at: QPointF, factor: float) -> None:
        """Zoom with the place under ``at`` (design pixels) held still."""
        new = min(ZOOM_RANGE[1], max(ZOOM_RANGE[0], self.zoom * factor))
        k = new / self.zoom
        self.origin = at - (at - self.origin) * k
        self.zoom, self._fit_on = new, False
        self.view_moved.emit()
        self.refresh()

    def true_size(self, px_per_mm: float) -> None:
        """One millimetre of paper is one millimetre of the screen; the middle stays."""
        self.zoom_at(self.inner.center(), px_per_mm / scale() / self.zoom)

    def view_state(self) -> list[float]:
        """Where the view stands, to keep; empty while fitted."""
        if self._fit_on:
            return []
        c = self.mm(self.inner.center())
        return [self.zoom, c.x(), c.y()]

    def restore_view(self, state: list[float]) -> None:
        """Put the view back; an empty state fits."""
        if len(state) != 3:
            self.fit()
            return
        self.zoom, self._fit_on = float(np.clip(state[0], *ZOOM_RANGE)), False
        c = self.inner.center()
        self.origin = QPointF(c.x() - state[1] * self.zoom, c.y() - state[2] * self.zoom)
        self.refresh()

    def px(self, x: float, y: float) -> QPointF:
        """Design pixel of a sheet position in mm."""
        return QPointF(self.origin.x() + x * self.zoom, self.origin.y() + y * self.zoom)

    def mm(self, at: QPointF) -> QPointF:
        """Sheet position in mm of a design pixel."""
        return QPointF((at.x() - self.origin.x()) / self.zoom, (at.y() - self.origin.y()) / self.zoom)

    @property
    def mm_per_px(self) -> float:
        """Millimetres of paper a photo pixel covers."""
        return (self.sheet_mm[0] - 2 * self.border_mm) / self.crop[2]

    def photo_px(self, x: float, y: float) -> QPointF:
        """Design pixel of a photo pixel."""
        k = self.mm_per_px
        xmm = self.border_mm + (x - self.crop[0]) * k
        if self.mirrored:
            xmm = self.sheet_mm[0] - xmm
        return self.px(xmm, self.border_mm + (y - self.crop[1]) * k)

    @property
    def from_photo(self) -> QTransform:
        """The same as `photo_px` for whole paths."""
        o, k = self.photo_px(0.0, 0.0), self.mm_per_px * self.zoom
        return QTransform(-k if self.mirrored else k, 0, 0, k, o.x(), o.y())

    def photo_at(self, at: QPointF) -> QPointF:
        """Photo pixel under a design pixel."""
        q, k = self.mm(at), self.mm_per_px
        xmm = self.sheet_mm[0] - q.x() if self.mirrored else q.x()
        return QPointF((xmm - self.border_mm) / k + self.crop[0], (q.y() - self.border_mm) / k + self.crop[1])

    @property
    def sheet_rect(self) -> QRectF:
        """The sheet in design pixels."""
        return QRectF(self.px(0, 0), self.px(*self.sheet_mm))

    @property
    def picture_rect(self) -> QRectF:
        """The painted part of the sheet in design pixels."""
        b = self.border_mm
        return QRectF(self.px(b, b), self.px(self.sheet_mm[0] - b, self.sheet_mm[1] - b))

    def widget_point(self, x: float, y: float) -> QPointF:
        """Widget pixel of a photo pixel, for pointing at it."""
        return self._turned().map(self.photo_px(x, y)) * scale()

    # -- painting -------------------------------------------------------------
    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("mat"))
        p.save()
        p.setClipRect(self.inner)
        p.setTransform(self._turned(), True)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        sheet = self.sheet_rect
        p.fillRect(sheet, self.paper)
        picture = self.picture_rect
        if self.photo is not None:
            self._draw_photo(p, picture)
        elif self.empty_words:
            room = picture.adjusted(8, 8, -8, -8)
            type_ = largest(self.empty_words, room, "name", "small", "note")
            if type_:  # on a sheet too small for any the stage's own sentence says it
                text(p, room, self.empty_words, type_, ink_on(self.paper), CENTRE, wrap=True)
        if self.ruled and self.inner.contains(self._turned().mapRect(sheet).adjusted(2, 2, -2, -2)):
            tape(p, sheet)
        p.restore()
        p.save()
        p.setClipRect(self.inner)
        p.setTransform(self._turned(), True)
        for overlay in self.overlays if self.marked else ():
            p.save()
            overlay(p, self)
            p.restore()
        if self.gesture is not None:
            self.gesture.paint(p, self)
        p.restore()
        self._rulers(p, w, h)
        if self._by_keys and self.hasFocus() and self.gesture is not None and self.gesture.hint:
            self._hint(p, self.gesture.hint)
        if (
            self.inset
            and self.photo is not None
            and self.inner.width() > 330
            and self.inner.height() > 240
            and not self.inner.contains(self._turned().mapRect(sheet))
        ):
            self._inset(p)

    def _hint(self, p: QPainter, words: str) -> None:
        """What the keys do, in a line over the picture's head: told where the eye is, to who works by keys."""
        room = self.inner.width() - 16
        high = height(words, room - 16, "small") + 8
        box = QRectF(self.inner.left() + 8, self.inner.top() + 8, min(room, width(words, "small") + 18), high)
        p.fillRect(box, role("card"))
        text(p, box.adjusted(8, 4, -8, -4), words, "small", "ink", wrap=True)

    def _draw_photo(self, p: QPainter, picture: QRectF) -> None:
        assert self.photo is not None
        p.save()
        p.setClipRect(picture, Qt.ClipOperation.IntersectClip)
        if self.mirrored:
            c = picture.center().x()
            p.translate(2 * c, 0)
            p.scale(-1, 1)
        visible = picture.intersected(self.seen)
        self._blit(
            p, self.look or wrap(self.photo.level_for(self.zoom * self.mm_per_px * scale())), QRectF(0, 0, *self.photo.size), visible
        )
        if self.patch is not None:
            image, where = self.patch
            self._blit(p, image, where, visible)
        p.restore()

    def _blit(self, p: QPainter, image: QImage, where: QRectF, visible: QRectF) -> None:
        """Draw what can be seen of an image that covers ``where`` in photo pixels."""
        k, z = self.mm_per_px, self.zoom
        left = self.origin.x() + (self.border_mm + (where.x() - self.crop[0]) * k) * z
        top = self.origin.y() + (self.border_mm + (where.y() - self.crop[1]) * k) * z
        target = QRectF(left, top, where.width() * k * z, where.height() * k * z)
        shown = target.intersected(visible.adjusted(-2, -2, 2, 2))
        if shown.isEmpty():
            return
        fx, fy = image.width() / target.width(), image.height() / target.height()
        source = QRectF((shown.x() - target.x()) * fx, (shown.y() - target.y()) * fy, shown.width() * fx, shown.height() * fy)
        p.drawImage(shown, image, source)

    def _rulers(self, p: QPainter, w: float, h: float) -> None:
        """Strips along top and left, counted from the sheet's corner; the stretch over the sheet is lighter."""
        sheet = self.sheet_rect
        p.fillRect(QRectF(0, 0, w, RULER), role("rule"))
        p.fillRect(QRectF(0, 0, RULER, h), role("rule"))
        if not self.ruled:
            return
        if self.turn_deg:  # millimetres along the window's edges mean nothing then
            way = "left" if self.turn_deg > 0 else "right"
            text(p, QRectF(RULER + 8, 0, w - RULER - 8, RULER), f"turned {abs(self.turn_deg):.0f}° to the {way}", "note", "ink", elide=True)
            return
        p.fillRect(QRectF(sheet.left(), 0, sheet.width(), RULER).intersected(QRectF(RULER, 0, w, RULER)), role("card"))
        p.fillRect(QRectF(0, sheet.top(), RULER, sheet.height()).intersected(QRectF(0, RULER, RULER, h)), role("card"))
        fine = next((f for f in (1, 2, 5, 10, 50) if f * self.zoom >= 3), 100)
        numbers = next((n for n in (10, 20, 50, 100, 200, 500) if n * self.zoom >= 38), 1000)
        for axis in (0, 1):
            low = self.mm(QPointF(RULER, RULER))
            high = self.mm(QPointF(w, h))
            a = max(0, int((low.x(), low.y())[axis]))
            b = min(int(self.sheet_mm[axis]), int((high.x(), high.y())[axis]) + 1)
            p.setPen(QPen(role("ink"), 1))
            for mm in range(a - a % fine, b + 1, fine):
                n = 9 if mm % numbers == 0 else 6 if mm % 10 == 0 else 3.5
                q = self.px(mm, mm)
                if axis == 0 and q.x() >= RULER:
                    p.drawLine(QPointF(q.x(), RULER), QPointF(q.x(), RULER - n))
                elif axis == 1 and q.y() >= RULER:
                    p.drawLine(QPointF(RULER, q.y()), QPointF(RULER - n, q.y()))
            for mm in range(a - a % numbers, b + 1, numbers):
                q = self.px(mm, mm)
                if axis == 0 and RULER <= q.x() <= w - 30:
                    text(p, QRectF(q.x() + 3, 0, 40, 15), str(mm), "note", "ink")
                elif axis == 1 and RULER <= q.y() <= h - 30:
                    p.save()
                    p.translate(1, q.y() + 3)
                    p.rotate(90)
                    text(p, QRectF(0, -15, 40, 15), str(mm), "note", "ink")
                    p.restore()
        p.fillRect(QRectF(0, 0, RULER, RULER), role("rule"))
        text(p, QRectF(0, 0, RULER, RULER), "mm", "note", "ink2", CENTRE)

    def _inset(self, p: QPainter) -> None:
        """Where the view sits on the whole sheet."""
        assert self.photo is not None
        high = 86.0
        k = high / self.sheet_mm[1]
        wide = self.sheet_mm[0] * k
        area = self.inner
        r = QRectF(area.right() - wide - 12, area.bottom() - high - 12, wide, high)
        p.fillRect(r.adjusted(-3, -3, 3, 3), role("card"))
        p.fillRect(r, self.paper)
        b = self.border_mm * k
        small = wrap(self.photo.levels[-1])
        p.drawImage(r.adjusted(b, b, -b, -b), small, self._crop_of(small))
        corners = [self.mm(self._flat(q)) for q in (area.topLeft(), area.topRight(), area.bottomRight(), area.bottomLeft())]
        frame = QPolygonF([QPointF(r.left() + q.x() * k, r.top() + q.y() * k) for q in corners])
        path = QPainterPath()
        path.addPolygon(frame.intersected(QPolygonF(r)))
        path.closeSubpath()
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(QColor(0, 0, 0), 3))
        p.drawPath(path)
        p.setPen(QPen(QColor(255, 255, 255), 1.4))
        p.drawPath(path)

    def _crop_of(self, image: QImage) -> QRectF:
        assert self.photo is not None
        f = image.width() / self.photo.size[0]
        return QRectF(*(v * f for v in self.crop))

    # -- pointer and keys --------------------------------------------------------
    def resizeEvent(self, event: QResizeEvent) -> None:
        self._place()
        super().resizeEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        at = self._flat(event.position() / scale())
        if self.turnable and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            notches = (event.angleDelta().y() or event.angleDelta().x()) / 120
            self.turn(self.turn_deg + 3.0 * notches)
            return
        if self.gesture is not None and self.gesture.wheel(self, at, event.angleDelta().y() / 120):
            return
        self.zoom_at(at, 1.0015 ** event.angleDelta().y())

    def touch_middle(self) -> None:
        """Read the spot under the keyboard's hand, or in the middle of what is seen."""
        hand = getattr(self.gesture, "hand", None)
        spot = hand if hand is not None else self.photo_at(self._flat(QPointF(self.width() / 2, self.height() / 2) / scale()))
        self.spot_touched.emit(spot.x(), spot.y())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._by_keys = False
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        at = self._flat(event.position() / scale())
        if event.button() == Qt.MouseButton.RightButton:
            spot = self.photo_at(at)
            self.spot_touched.emit(spot.x(), spot.y())
            return
        if (
            event.button() == Qt.MouseButton.LeftButton
            and self.gesture is not None
            and not self._hand_open
            and self.gesture.press(self, at, event.modifiers())
        ):
            self.update()
            return
        if event.button() in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
            self._drag = at
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = self._flat(event.position() / scale())
        self._tell_value(at)
        if self._drag is not None:
            self.origin += at - self._drag
            self._drag, self._fit_on = at, False
            self.refresh()
        elif self.gesture is not None:
            self.gesture.move(self, at, event.buttons())
            self.setCursor(self.gesture.cursor)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        at = self._flat(event.position() / scale())
        if self._drag is not None:
            self._drag = None
            self.setCursor(self.gesture.cursor if self.gesture else Qt.CursorShape.ArrowCursor)
            self.view_moved.emit()
        elif self.gesture is not None:
            self.gesture.release(self, at)
            self.refresh()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        at = self._flat(event.position() / scale())
        if self.gesture is None or not self.gesture.double(self, at):
            self.mousePressEvent(event)
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self.value_under.emit(None)
        super().leaveEvent(event)

    def _tell_value(self, at: QPointF) -> None:
        if self.photo is None or not self.picture_rect.contains(at):
            self.value_under.emit(None)
            return
        q = self.photo_at(at)
        colour = self.photo.at(q.x(), q.y())
        self.value_under.emit(None if colour is None else spaces.srgb_to_lab(np.asarray(colour) / 255.0))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        self._by_keys = True
        if key == Qt.Key.Key_Space and not event.isAutoRepeat():
            self._hand_open = True
            self.setCursor(Qt.CursorShape.OpenHandCursor)
            return
        if self.gesture is not None and self.gesture.key(self, key, event.modifiers()):
            self.refresh()
            return
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom_at(self.inner.center(), 1.25)
        elif key == Qt.Key.Key_Minus:
            self.zoom_at(self.inner.center(), 0.8)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self._hand_open = False
            self.setCursor(self.gesture.cursor if self.gesture else Qt.CursorShape.ArrowCursor)
        else:
            super().keyReleaseEvent(event)
