"""All layers of a recipe by places, from the paper upward: pencil, role, places, pressure, and a small map of where each goes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import RIGHT, hatch, mapped, swatch, text
from hanabira.desk.theme import role, scale
from hanabira.desk.widgets.layer_card import pressure_mark

if TYPE_CHECKING:
    from hanabira.core.colour.spaces import Array
    from hanabira.core.places.place import Places

ROW = 44.0
HEAD = 26.0
"""Height of a line that names the gesture of what follows."""
SIGN = 34


@dataclass(frozen=True)
class LayerRow:
    """One layer, or several of one pencil in a row: ``at`` its number among the layers, ``words`` role and places."""

    at: int
    name: str
    words: str
    masstone: Array | None
    pressure: int
    passes: int
    on: tuple[str, ...]
    here: bool
    locked: bool = False
    head: str = ""
    """The gesture that begins with it, where one does."""


def place_sign(places: Places, on: tuple[str, ...], side: int = 2 * SIGN) -> np.ndarray:
    """Coverage (side, side) uint8 of some places and, in half strength, of the whole area: 255 covered, 70 the rest, 0 outside."""
    h, w = places.labels.shape
    rows, columns = np.nonzero(places.labels)
    if not len(rows):
        return np.zeros((side, side), np.uint8)
    top, left, bottom, right = rows.min(), columns.min(), rows.max() + 1, columns.max() + 1
    cut = places.labels[top:bottom, left:right]
    numbers = [n for n, p in enumerate(places, 1) if p.id in on]
    value = np.where(np.isin(cut, numbers), 255.0, np.where(cut > 0, 56.0, 0.0)).astype(np.float32)
    k = side / max(value.shape)
    size = max(1, round(value.shape[1] * k)), max(1, round(value.shape[0] * k))
    small = cv2.resize(value, size, interpolation=cv2.INTER_AREA)
    out = np.zeros((side, side), np.uint8)
    y, x = (side - size[1]) // 2, (side - size[0]) // 2
    out[y : y + size[1], x : x + size[0]] = np.clip(small, 0, 255).astype(np.uint8)
    return out


class LayerList(Drawn):
    """Rows from the paper upward; those that cover the shown place lie on a darker ground. Enter or a double click opens a layer."""

    chosen_layer = pyqtSignal(int)
    opened = pyqtSignal(int)

    def __init__(self, rows: tuple[LayerRow, ...], places: Places, chosen: int, parent: QWidget | None = None) -> None:
        super().__init__("Layers, from the paper upward", parent)
        self.rows, self.places, self.chosen = rows, places, chosen
        self._signs = {row.on: place_sign(places, row.on) for row in rows}
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._tops: list[float] = []
        self._high = 2.0
        for row in rows:
            self._high += HEAD if row.head else 0.0
            self._tops.append(self._high)
            self._high += ROW
        self._current = next((k for k, row in enumerate(rows) if row.at == chosen), 0)

    def design_size(self, width: float) -> tuple[float, float]:
        return 220, self._high + 2

    def stops(self, w: float, h: float) -> list[Stop]:
        out = []
        for k, row in enumerate(self.rows):
            press = f", pressure {row.pressure}" + (f", {row.passes} passes" if row.passes > 1 else "") if row.masstone is not None else ""
            words = f"{row.head}. " if row.head else ""
            words += f"{row.at + 1}: {row.name}, {row.words}{press}" + (", on the shown place" if row.here else "")
            out.append(Stop(f"layer {row.at}", QRectF(0, self._tops[k], w, ROW), words, words, self._chooser(row.at)))
        return out

    def _chooser(self, at: int):  # type: ignore[no-untyped-def]
        return lambda: self.chosen_layer.emit(at)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.rows:
            self.opened.emit(self.rows[self._current].at)
            return
        super().keyPressEvent(event)
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.rows:
            self.chosen_layer.emit(self.rows[self._current].at)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        stop = self.at(event.position())
        if stop is not None:
            self.opened.emit(int(stop.key.split()[1]))

    def paint(self, p: QPainter, w: float, h: float) -> None:
        number = 0
        for k, row in enumerate(self.rows):
            r = QRectF(0, self._tops[k], w, ROW)
            if row.head:
                text(p, QRectF(24, r.top() - HEAD + 4, w - 24, HEAD - 4), row.head, "name", "ink", elide=True)
            body = QRectF(24, r.top() + 1, w - 24, ROW - 2)
            if self.hovered == f"layer {row.at}":
                p.fillRect(body, role("plum_wash"))
            elif row.here:
                p.fillRect(body, role("well"))
            patch = QRectF(24, r.top(), 34, ROW)
            if row.masstone is not None:
                number += 1
                text(p, QRectF(0, r.top(), 18, ROW), str(row.at + 1), "small", "ink2", RIGHT)
                swatch(p, patch.adjusted(2, 1, -2, -1), mapped(row.masstone))
            else:
                hatch(p, patch.adjusted(2, 3, -2, -3), "bed_ink", 5, 1.2)
            if row.at == self.chosen:
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.setPen(QPen(role("ink"), 2))
                p.drawRect(patch.adjusted(1, 1, -1, -1))
            ink = "ink" if row.here else "ink2"
            right = 48.0 + (74 if row.masstone is not None else 0)
            text(p, QRectF(66, r.top() + 4, w - 66 - right, 20), row.name, "strong", ink, elide=True)
            text(p, QRectF(66, r.top() + 22, w - 66 - 48, 18), row.words, "small", "ink2", elide=True)
            if row.masstone is not None:
                pressure_mark(p, QRectF(w - 118, r.top() + 5, 62, 14), row.pressure)
            self._sign(p, QRectF(w - 42, r.top() + 5, SIGN, SIGN), row.on)

    def _sign(self, p: QPainter, r: QRectF, on: tuple[str, ...]) -> None:
        """The area as a sign: the places a layer covers are filled."""
        alpha = self._signs[on]
        ink = role("ink")
        side = alpha.shape[0]
        picture = np.empty((side, side, 4), np.uint8)
        picture[..., 0], picture[..., 1], picture[..., 2], picture[..., 3] = ink.red(), ink.green(), ink.blue(), alpha
        picture = np.ascontiguousarray(picture)
        image = QImage(picture.data, side, side, 4 * side, QImage.Format.Format_RGBA8888)
        p.save()
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, scale() != 2)
        p.drawImage(r, image)
        p.restore()
