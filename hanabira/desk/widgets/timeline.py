"""The log as a stem that runs downward: days, steps with what they took, notes, and photos of the work where they were taken."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPen, QTransform

from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import CENTRE, LEFT, bed, height, mapped, petal, swatch, text
from hanabira.desk.theme import role
from hanabira.studio.records import LogRow, Shot

if TYPE_CHECKING:
    from hanabira.core.colour.spaces import Array

STEM = 14.0
LEFT_AT = 34.0
PHOTO_HIGH = 150.0


class Timeline(Drawn):
    """Newest first. A photo can be chosen; it is shown beside the client's. A row of an ``editable`` one can be opened to set it right."""

    shot_wanted = pyqtSignal(str)
    row_wanted = pyqtSignal(str)

    def __init__(
        self,
        rows: Sequence[LogRow],
        shots: Sequence[Shot],
        colour: Callable[[str], Array | None],
        image: Callable[[Shot], QImage | None],
        chosen: str = "",
        editable: bool = False,
    ) -> None:
        super().__init__("Log, newest first")
        self.colour, self.image, self.chosen = colour, image, chosen
        self.editable = editable
        self.items: list[LogRow | Shot] = sorted([*rows, *shots], key=lambda r: (r.at, isinstance(r, Shot)), reverse=True)

    # -- words ---------------------------------------------------------------
    @staticmethod
    def _words(r: LogRow) -> tuple[str, str]:
        """Head and, where there is any, the remark of a row."""
        head = f"{r.area_name or 'The whole'}, {r.role}"
        what = f"{r.pencil}" + (f" at {r.pressure}" if r.pressure and r.pencil else "")
        took = (
            ("under 1 min" if r.minutes < 0.5 else f"{r.minutes:.0f} min")
            if r.state == "done"
            else "left out"
            if r.state == "skipped"
            else "note"
        )
        line = ", ".join(q for q in (what, took, r.differs) if q)
        return head, line + (f"\n“{r.note}”" if r.note else "")

    def _layout(self, w: float) -> list[tuple[float, float, LogRow | Shot | datetime.date]]:
        """Top, height and what stands there."""
        out: list[tuple[float, float, LogRow | Shot | datetime.date]] = []
        y, day = 0.0, None
        room = w - LEFT_AT - 34
        for r in self.items:
            d = datetime.datetime.fromisoformat(r.at).date()
            if d != day:
                out.append((y, 28.0, d))
                y, day = y + 28, d
            high = PHOTO_HIGH + 26 if isinstance(r, Shot) else 20 + height(self._words(r)[1], max(60.0, room), "small") + 7
            out.append((y, high, r))
            y += high
        return out

    def design_size(self, width: float) -> tuple[float, float]:
        rows = self._layout(width)
        return 200, rows[-1][0] + rows[-1][1] if rows else 0

    def stops(self, w: float, h: float) -> list[Stop]:
        out = []
        for y, high, r in self._layout(w):
            if isinstance(r, Shot):
                name, act = f"Photo of the work, {_when(r.at)}", lambda k=r.id: self.shot_wanted.emit(k)
                out.append(Stop(r.id, self._frame(y, w), name, "Put it beside the client’s photo", act))
            elif isinstance(r, LogRow) and self.editable:
                head, line = self._words(r)
                out.append(
                    Stop(
                        r.id,
                        QRectF(LEFT_AT - 6, y, w - LEFT_AT + 6, high - 3),
                        f"{head}, {line}",
                        "Set it right",
                        lambda k=r.id: self.row_wanted.emit(k),
                    )
                )
        return out

    @staticmethod
    def _frame(y: float, w: float) -> QRectF:
        return QRectF(LEFT_AT, y + 4, w - LEFT_AT - 6, PHOTO_HIGH)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        rows = self._layout(w)
        if rows:
            p.setPen(QPen(role("ink2"), 1.6, cap=Qt.PenCapStyle.RoundCap))
            p.drawLine(QPointF(STEM, 8), QPointF(STEM, h - 4))
        for y, high, r in rows:
            if isinstance(r, Shot):
                self._photo(p, r, self._frame(y, w), y + PHOTO_HIGH + 5)
            elif isinstance(r, LogRow):
                self._row(p, r, y, high, w)
            else:
                leaf = QTransform().translate(STEM, y + 16).rotate(-52).map(petal(16, 4.6))
                p.fillPath(leaf, role("ink"))
                text(p, QRectF(LEFT_AT, y + 4, w - LEFT_AT, 22), f"{r:%A} {r.day} {r:%B}", "strong", "ink", LEFT, elide=True)

    def _row(self, p: QPainter, r: LogRow, y: float, high: float, w: float) -> None:
        lab = self.colour(r.pencil)
        if r.id == self.chosen:
            p.fillRect(QRectF(LEFT_AT - 6, y - 2, w - LEFT_AT + 6, high - 1), role("well"))
        p.setPen(QPen(role("ink2"), 1.4))
        p.drawLine(QPointF(STEM, y + 11), QPointF(STEM + 10, y + 11))
        right = w - 34 if lab is not None else w - 4
        head, line = self._words(r)
        text(p, QRectF(LEFT_AT, y, right - LEFT_AT, 20), head, "small", "ink", LEFT, elide=True)
        text(p, QRectF(LEFT_AT, y + 19, w - LEFT_AT - 34, high - 22), line, "small", "ink2", wrap=True)
        if lab is not None:
            box = QRectF(w - 30, y + 4, 24, 24)
            bed(p, box, 3)
            swatch(p, box, mapped(lab))

    def _photo(self, p: QPainter, r: Shot, frame: QRectF, foot: float) -> None:
        image = self.image(r)
        p.fillRect(frame, role("bed"))
        if image is not None:
            k = min((frame.width() - 8) / image.width(), (frame.height() - 8) / image.height())
            size = (image.width() * k, image.height() * k)
            p.drawImage(QRectF(frame.center().x() - size[0] / 2, frame.center().y() - size[1] / 2, *size), image)
        else:
            text(p, frame, "Opening the photo", "small", "bed_ink", CENTRE)
        if r.id == self.chosen:
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(role("ink"), 2.4))
            p.drawRect(frame)
        words = f"{datetime.datetime.fromisoformat(r.at):%H:%M}, {r.original_name}" + (f", “{r.note}”" if r.note else "")
        text(p, QRectF(frame.left(), foot, frame.width(), 18), words, "small", "ink2", LEFT, elide=True)


def _when(at: str) -> str:
    t = datetime.datetime.fromisoformat(at)
    return f"{t.day} {t:%B} {t:%H:%M}"
