"""What is wrong with how a window is laid out: cut text, things that lie over each other or outside, small targets, no focus mark, no name."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QRect, Qt
from PyQt6.QtGui import QFocusEvent, QFontMetrics, QImage
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractScrollArea,
    QAbstractSpinBox,
    QApplication,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QMenuBar,
    QPlainTextEdit,
    QRadioButton,
    QScrollArea,
    QScrollBar,
    QSizeGrip,
    QSlider,
    QStackedWidget,
    QWidget,
)

from hanabira.desk import paint
from hanabira.desk.drawn import Drawn, _Item
from hanabira.desk.theme import scale
from hanabira.desk.widgets.sheet_view import SheetView

LEAST_TARGET = 24
"""Pixels in both directions that something to point at has at least (WCAG 2.2, 2.5.8)."""
_QT_PARTS = (QScrollBar, QSizeGrip, QMenuBar)
_FIELDS = (QLineEdit, QPlainTextEdit, QComboBox, QAbstractSpinBox, QSlider, QAbstractItemView)

_AIMED_AT = (QAbstractButton, QComboBox, QLineEdit, QAbstractSpinBox)


def shown(root: QWidget) -> Iterator[QWidget]:
    """Every visible widget of ours under a root; Qt's inner parts of a control belong to it."""
    for q in root.findChildren(QWidget):
        if not q.isVisibleTo(root) or isinstance(q, (*_QT_PARTS, _Item)) or q.isWindow() and q is not root:
            continue
        if _inside_control(q, root):
            continue
        yield q


def _inside_control(q: QWidget, root: QWidget) -> bool:
    up = q.parentWidget()
    while up is not None and up is not root:
        if isinstance(up, (*_FIELDS, QMenuBar)):
            return True
        up = up.parentWidget()
    return False


def cut(root: QWidget, painted: bool = False) -> list[str]:
    """Text that does not fit: painted text that says so, and labels and buttons of Qt's own. ``painted`` where the root was painted just now."""
    if not painted:
        paint.CLIPPED.clear()
        root.grab()
    out = [f"cut: {c}" for c in paint.CLIPPED]
    for q in shown(root):
        if isinstance(q, QLabel) and q.text() and not q.pixmap():
            room = q.contentsRect()
            if q.wordWrap():
                need = q.fontMetrics().boundingRect(QRect(0, 0, room.width(), 10000), int(Qt.TextFlag.TextWordWrap), q.text())
            else:
                need = QRect(0, 0, q.fontMetrics().horizontalAdvance(q.text()), 0)
            if need.width() > room.width() + 1 or need.height() > room.height() + 4:
                out.append(f"cut label: {q.text()!r} {need.width()}x{need.height()} in {room.width()}x{room.height()}")
        elif isinstance(q, QCheckBox | QRadioButton):
            if q.sizeHint().width() > q.width() + 2:
                out.append(f"cut box: {q.text()!r} {q.sizeHint().width()} in {q.width()}")
        elif isinstance(q, QComboBox):
            need = QFontMetrics(q.font()).horizontalAdvance(q.currentText()) + round(34 * scale())
            if need > q.width() + 2 and not q.toolTip():
                out.append(f"cut choice: {q.currentText()!r} {need} in {q.width()}")
        elif isinstance(q, QAbstractSpinBox):
            line = q.findChild(QLineEdit)
            if line is not None and QFontMetrics(q.font()).horizontalAdvance(q.text()) > line.width():
                out.append(f"cut figure: {q.text()!r} in {line.width()}")
    return out


def astray(root: QWidget) -> list[str]:
    """Widgets outside their parent, or over a sibling."""
    out = []
    for q in shown(root):
        parent = q.parentWidget()
        if parent is None or isinstance(parent, QStackedWidget) or _scrolled(q):
            continue
        if q.property("floats"):
            continue
        if not parent.rect().adjusted(-1, -1, 1, 1).contains(q.geometry()):
            out.append(f"outside: {_name(q)} {_box(q.geometry())} in {_name(parent)} {parent.width()}x{parent.height()}")
    for parent in [root, *shown(root)]:
        if isinstance(parent, QStackedWidget | QAbstractScrollArea):
            continue
        children = [
            c for c in parent.children()
            if isinstance(c, QWidget) and c.isVisibleTo(root) and not isinstance(c, (*_QT_PARTS, _Item)) and not c.property("floats") and not c.isWindow()
        ]  # fmt: skip
        for k, a in enumerate(children):
            for b in children[k + 1 :]:
                both = a.geometry().intersected(b.geometry())
                if both.width() > 1 and both.height() > 1:
                    out.append(f"over each other: {_name(a)} {_box(a.geometry())} and {_name(b)} {_box(b.geometry())} in {_name(parent)}")
    return out


def too_wide(root: QWidget) -> list[str]:
    """What is wider than the view that scrolls it up and down only: its right edge can never be seen."""
    out = []
    for q in shown(root):
        if isinstance(q, QScrollArea) and q.horizontalScrollBarPolicy() == Qt.ScrollBarPolicy.ScrollBarAlwaysOff and q.widget() is not None:
            room = q.viewport().width()
            if q.widget().width() > room + 1:
                wide = [c for c in shown(q.widget()) if c.minimumSizeHint().width() > room - 8 and not c.layout()]
                out.append(f"wider than its view: {q.widget().width()} in {room}: {', '.join(_name(c) for c in wide[:4])}")
    return out


def small(root: QWidget) -> list[str]:
    """Things to point at that are smaller than a fingertip's aim."""
    out = []
    for q in shown(root):
        if isinstance(q, Drawn):
            for stop in q._stops:
                w, h = stop.rect.width() * scale(), stop.rect.height() * scale()
                if isinstance(q, SheetView):
                    break  # cells are as small as their photo shows them: the arrow keys and the list reach each (2.5.8, equivalent)
                if stop.act and not stop.off and min(w, h) < LEAST_TARGET - 0.5:
                    out.append(f"small: {stop.name!r} {w:.0f}x{h:.0f} in {_name(q)}")
        elif isinstance(q, _AIMED_AT) and q.isEnabled() and min(q.width(), q.height()) < LEAST_TARGET:
            out.append(f"small: {_name(q)} {q.width()}x{q.height()}")
    return out


def nameless(root: QWidget) -> list[str]:
    """What can be reached and has no words for a screen reader."""
    out = []
    for q in shown(root):
        if q.focusPolicy() != Qt.FocusPolicy.NoFocus and not q.accessibleName() and not (isinstance(q, QAbstractButton) and q.text()):
            if isinstance(q, QLabel | QScrollArea) or _buddy(q):
                continue
            out.append(f"nameless: {_name(q)}")
        if isinstance(q, Drawn):
            out += [f"nameless stop: {s.key} in {_name(q)}" for s in q._stops if not s.name]
    return out


def _buddy(q: QWidget) -> bool:
    return any(label.buddy() is q for label in q.window().findChildren(QLabel))


def unmarked(root: QWidget) -> list[str]:
    """What can have the keyboard and does not show it."""
    out = []
    now = root.focusWidget()
    if now is not None:  # what has it from the start must be seen without it first
        without_focus(now)
    for q in shown(root):
        if not q.focusPolicy() & Qt.FocusPolicy.TabFocus or not q.isEnabled() or q.width() < 4 or q.height() < 4:
            continue
        if isinstance(q, Drawn) and (not q._stops or not _in_view(q)):
            continue
        before = _pixels(q)
        with_focus(q)
        after = _pixels(q)
        without_focus(q)
        if before.shape != after.shape or (np.abs(before - after).max(-1) > 40).sum() < 20:
            out.append(f"no focus mark: {_name(q)}")
    return out


def with_focus(q: QWidget) -> None:
    """The keyboard comes to a widget, as by Tab."""
    q.window().activateWindow()
    q.setFocus(Qt.FocusReason.TabFocusReason)
    QApplication.sendEvent(q, QFocusEvent(QEvent.Type.FocusIn, Qt.FocusReason.TabFocusReason))


def without_focus(q: QWidget) -> None:
    """It leaves again."""
    q.clearFocus()


def _in_view(q: QWidget) -> bool:
    return not q.visibleRegion().isEmpty()


def _pixels(q: QWidget) -> np.ndarray:
    image = q.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    bits = image.constBits()
    assert bits is not None
    bits.setsize(image.sizeInBytes())
    flat = np.frombuffer(bytes(bits), np.uint8).reshape(image.height(), image.bytesPerLine())
    return flat[:, : image.width() * 3].reshape(image.height(), image.width(), 3).astype(int)


def _scrolled(q: QWidget) -> bool:
    parent = q.parentWidget()
    area = parent.parentWidget() if parent is not None else None
    return isinstance(area, QAbstractScrollArea) and area.viewport() is parent


def _name(q: QWidget) -> str:
    words = q.accessibleName() or (q.text() if isinstance(q, QAbstractButton | QLabel) else "") or q.objectName()
    return f"{type(q).__name__}({words[:40]!r})"


def _box(r: QRect) -> str:
    return f"{r.width()}x{r.height()}+{r.x()}+{r.y()}"


def picture_share(root: QWidget, picture: QWidget) -> float:
    """The picture's share of the window's width."""
    left = picture.mapTo(root, QPoint(0, 0)).x()
    return min(picture.width(), root.width() - left) / root.width()
