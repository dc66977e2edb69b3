"""A month as a sheet: days off are quiet, other orders hang as petals on the day they are due, today is ringed."""

from __future__ import annotations

import calendar
import datetime
from collections.abc import Callable, Mapping

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.desk import icon as icons
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import CENTRE, petal, text
from hanabira.desk.theme import role

CELL_W, CELL_H, HEAD, EDGE = 44.0, 38.0, 70.0, 12.0
FOOT = 46.0
ROWS = 6


class MonthSheet(Drawn):
    """One month; a click, or Enter on a day, takes it. The foot says what falls on the day that is looked at."""

    taken = pyqtSignal(object)

    def __init__(
        self, today: datetime.date, chosen: datetime.date | None, works: Callable[[datetime.date], bool], orders: Mapping[datetime.date, tuple[str, ...]],
        parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        super().__init__("Month", parent)
        self.today, self.chosen, self.works, self.orders = today, chosen, works, orders
        self.on = chosen or today
        """The day the keyboard is on; its month is shown."""
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.go(self.on)

    def design_size(self, width: float) -> tuple[float, float]:
        return 2 * EDGE + 7 * CELL_W, HEAD + ROWS * CELL_H + FOOT

    # -- going about -----------------------------------------------------------
    def go(self, day: datetime.date) -> None:
        """Look at a day, and turn to its month."""
        self.on = day
        self.setAccessibleName(f"{day:%B %Y}")
        self.refresh()
        keys = self.stop_keys()
        if day.isoformat() in keys:
            self._current = keys.index(day.isoformat())
            self.setAccessibleDescription(self._stops[self._current].name)

    def turn(self, months: int) -> None:
        """Turn to another month, to the same day of it where it has one."""
        whole = self.on.year * 12 + self.on.month - 1 + months
        year, month = divmod(whole, 12)
        if datetime.MINYEAR <= year <= datetime.MAXYEAR:
            self.go(datetime.date(year, month + 1, min(self.on.day, calendar.monthrange(year, month + 1)[1])))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -7, Qt.Key.Key_Down: 7}.get(Qt.Key(event.key()))
        if step is not None:
            self._ring = True
            self.go(self.on + datetime.timedelta(days=step))
        elif event.key() in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self._ring = True
            self.turn(-1 if event.key() == Qt.Key.Key_PageUp else 1)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.taken.emit(self.on)
        elif event.key() == Qt.Key.Key_Escape:
            event.ignore()
        else:
            super().keyPressEvent(event)

    # -- what there is ------------------------------------------------------------
    def days(self) -> list[datetime.date]:
        """The days of six weeks, from the Monday on or before the first of the month."""
        first = self.on.replace(day=1)
        monday = first - datetime.timedelta(days=first.weekday())
        return [monday + datetime.timedelta(days=n) for n in range(7 * ROWS)]

    def cell(self, k: int) -> QRectF:
        """Where the k-th of the days stands."""
        return QRectF(EDGE + k % 7 * CELL_W, HEAD + k // 7 * CELL_H, CELL_W, CELL_H)

    def words(self, day: datetime.date) -> str:
        """What falls on a day."""
        facts = [
            *(["today"] if day == self.today else []),
            *(["chosen"] if day == self.chosen else []),
            *(f"{name} is due" for name in self.orders.get(day, ())),
            *([] if self.works(day) else ["a day off"]),
        ]
        return f"{day:%A} {day.day} {day:%B}" + (f": {', '.join(facts)}" if facts else "")

    def stops(self, w: float, h: float) -> list[Stop]:
        out = [
            Stop("earlier", QRectF(EDGE, 8, 34, 30), "Month before", "The month before (Page up)", lambda: self.turn(-1)),
            Stop("later", QRectF(w - EDGE - 34, 8, 34, 30), "Month after", "The month after (Page down)", lambda: self.turn(1)),
        ]
        for k, day in enumerate(self.days()):
            if day.month == self.on.month:
                out.append(Stop(day.isoformat(), self.cell(k), self.words(day), self.words(day), lambda day=day: self.taken.emit(day)))
        return out

    # -- painting --------------------------------------------------------------------
    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("card"))
        p.setPen(QPen(role("edge"), 1))
        p.drawRect(QRectF(0.5, 0.5, w - 1, h - 1))
        text(p, QRectF(EDGE + 36, 6, w - 2 * EDGE - 72, 32), f"{self.on:%B %Y}", "name", "ink", CENTRE)
        for name, x, way in (("earlier", EDGE + 17, 90), ("later", w - EDGE - 17, -90)):
            p.save()
            p.translate(x, 23)
            p.rotate(way)
            icons.draw(p, "down", QRectF(-9, -9, 18, 18), "plum" if self.hovered == name else "ink")
            p.restore()
        for k, name in enumerate(calendar.day_abbr):
            text(p, QRectF(EDGE + k * CELL_W, 44, CELL_W, 18), name, "note", "ink2", CENTRE)
        for k, day in enumerate(self.days()):
            if day.month == self.on.month:
                self._day(p, day, self.cell(k))
        looked_at = next((d for d in self.days() if d.isoformat() == self.hovered), self.on)
        text(p, QRectF(EDGE, h - FOOT + 4, w - 2 * EDGE, FOOT - 8), self.words(looked_at), "small", "ink", wrap=True)

    def _day(self, p: QPainter, day: datetime.date, r: QRectF) -> None:
        inner = r.adjusted(2, 2, -2, -2)
        if not self.works(day):
            p.fillRect(inner, role("well"))
        if self.hovered == day.isoformat():
            p.fillRect(inner, role("plum_wash"))
        if day == self.chosen:
            p.fillRect(inner, role("plum_fill"))
        ink = "on_plum" if day == self.chosen else "ink" if day >= self.today else "ink2"
        text(p, QRectF(r.left() + 4, r.top() + 6, r.width() - 8, 24), str(day.day), "strong" if day in (self.today, self.chosen) else "body", ink, CENTRE)
        if day == self.today:
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(role("on_plum" if day == self.chosen else "ink"), 1.6))
            p.drawEllipse(QPointF(r.center().x(), r.top() + 18), 14, 14)
        for n, _name in enumerate(self.orders.get(day, ())[:2]):
            p.save()
            p.translate(r.right() - 8 - 9 * n, r.top() + 3)
            p.rotate(90)
            p.fillPath(petal(11, 3.4), role(ink))
            p.restore()
