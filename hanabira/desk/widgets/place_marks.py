"""Outlines and names of an area's places on the mat: the anatomical map of a recipe."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from hanabira.core.places import outlines as place_outlines
from hanabira.desk.paint import CENTRE, hatch, text, two_tone, width

if TYPE_CHECKING:
    from hanabira.core.places.place import Places
    from hanabira.desk.widgets.mat import Mat

MOST_NAMED = 10
"""More names than this would cover the picture."""
NAME_H, LEADER, BELOW = 34.0, 14.0, 92.0
"""Height of a name, of the straight end of its leader, and of what the small picture in the corner takes."""


@dataclass(frozen=True)
class Named:
    """A place as it is marked: its id, name, the note under it, and whether its paper is kept."""

    id: str
    name: str
    note: str
    kept: bool


class PlaceMarks:
    """Draws all places dashed and the chosen one solid; names stand above and below on leaders."""

    def __init__(self, asked: Callable[[], tuple[Places, tuple[Named, ...], str] | None]) -> None:
        self.asked = asked
        self._kept: tuple[object, Mapping[str, place_outlines.PlaceOutline]] | None = None

    def _shapes(self, places: Places) -> Mapping[str, place_outlines.PlaceOutline]:
        if self._kept is None or self._kept[0] is not places.labels:
            self._kept = places.labels, place_outlines.outlines(places)
        return self._kept[1]

    def __call__(self, p: QPainter, mat: Mat) -> None:
        """Paint them."""
        asked = self.asked()
        if asked is None:
            return
        places, named, chosen = asked
        shapes = self._shapes(places)
        for q in named:
            path = QPainterPath()
            for ring in shapes[q.id].rings if q.id in shapes else ():
                points = [mat.photo_px(*v) for v in ring]
                path.moveTo(points[0])
                for v in points[1:]:
                    path.lineTo(v)
                path.closeSubpath()
            if q.kept:
                p.save()
                p.setClipPath(path)
                hatch(p, path.boundingRect(), QColor(255, 255, 255), 6, 1.2)
                p.restore()
            two_tone(p, path, 2.4 if q.id == chosen else 1.0, None if q.id == chosen else [4, 3])
        self._names(p, mat, named, {k: v.middle for k, v in shapes.items()}, chosen)

    def _names(self, p: QPainter, mat: Mat, named: tuple[Named, ...], middles: dict[str, tuple[float, float]], chosen: str) -> None:
        """Names in two rows, each under or over its place as near as the room allows."""
        room = mat.inner.adjusted(0, 0, 0, -BELOW if mat.inset else 0)
        at = {q.id: mat.photo_px(*middles[q.id]) for q in named if q.id in middles}
        shown = [q for q in named if q.id in at and room.contains(at[q.id])]
        if len(shown) > MOST_NAMED or room.width() < 300:
            shown = [q for q in shown if q.id == chosen]
        middle = float(np.median([at[q.id].y() for q in shown])) if shown else 0.0
        rows = ([q for q in shown if at[q.id].y() <= middle], [q for q in shown if at[q.id].y() > middle])
        if len(rows[0]) - len(rows[1]) > 1:  # many at one height: the lowest go below
            upper = sorted(rows[0], key=lambda q: at[q.id].y())
            half = (len(shown) + 1) // 2
            rows = upper[:half], [*upper[half:], *rows[1]]
        for below, row in enumerate(rows):
            row = sorted(row, key=lambda q: at[q.id].x())
            wide = [max(width(q.name, "strong"), width(q.note, "note")) + 12 for q in row]
            if not row:
                continue
            while sum(wide) > room.width() - 12 and len(row) > 1:  # what does not fit gives way, never the chosen one
                k = max((k for k, q in enumerate(row) if q.id != chosen), key=lambda k: wide[k])
                row, wide = row[:k] + row[k + 1 :], wide[:k] + wide[k + 1 :]
            free = (room.width() - 12 - sum(wide)) / max(1, len(row))
            x = room.left() + 6 + free / 2
            y = room.bottom() - NAME_H - 10 if below else room.top() + 8
            for q, w in zip(row, wide, strict=True):
                box = QRectF(x, y, w, NAME_H)
                p.fillRect(box, QColor(240, 240, 240, 225))
                text(p, QRectF(x, y + 1, w, 18), q.name, "strong", QColor("#101010"), CENTRE)
                text(p, QRectF(x, y + 17, w, 16), q.note, "note", QColor("#404040"), CENTRE)
                if q.id == chosen:
                    p.setPen(QPen(QColor("#101010"), 2.4, cap=Qt.PenCapStyle.RoundCap))
                    p.drawLine(QPointF(x + 6, box.bottom()), QPointF(x + w - 6, box.bottom()))
                start = QPointF(box.center().x(), box.top() - 1 if below else box.bottom() + 1)
                knee = QPointF(start.x(), start.y() + (-LEADER if below else LEADER))
                path = QPainterPath(start)
                path.lineTo(knee)
                path.lineTo(at[q.id])
                two_tone(p, path, 1.0)
                dot = QPainterPath()
                dot.addEllipse(at[q.id], 2.6, 2.6)
                p.fillPath(dot, QColor(255, 255, 255))
                x += w + free
