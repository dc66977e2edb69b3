"""Day strip: sessions hang from a drawn line; days off are folded narrow, waiting is hatched, slack is open, the due date is a pennant."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen

from hanabira.desk import icon as icons
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import CENTRE, LEFT, grey, hatch, ink_on, petal, text, width
from hanabira.desk.theme import THIN, role, scale

NATURAL = {"work": 79.0, "off": 24.0, "slack": 29.0, "due": 38.0}
LEAST_PX, TURN, MOST_STRETCH = 24.0, 30.0, 2.2
"""Least width of a day in pixels of the screen; room for a sign that leads to more days; how far a wide view stretches them."""
HOUR, LINE = 40.0, 82.0
POLE, BESIDE, DUE_WORD = 8.0, 4.0, "due"
"""Where the pennant's pole stands in its day, how far the word stands from it, and the word."""


@dataclass(frozen=True)
class Block:
    """A stretch of work on one area: hours into the day, hours long, its number, name and grey."""

    begin_h: float
    hours: float
    number: int
    name: str
    lightness: float
    other: bool = False
    """Whether it belongs to another commission, which comes first."""


@dataclass(frozen=True)
class Day:
    """One day: ``kind`` work, off, slack or due; ``wait_h`` a drying gap that begins and how long, or None."""

    date: datetime.date
    kind: str
    blocks: tuple[Block, ...] = ()
    waits: tuple[tuple[float, float], ...] = ()


class DayStrip(Drawn):
    """The days of a plan from its first session to the due date; a click chooses a day."""

    day_chosen = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__("Day strip")
        self.title, self.line, self.days, self.hours = "", "", [], 3.0  # type: str, str, list[Day], float
        self.today: datetime.date | None = None
        self.first = 0
        """The first day shown where not all have room."""

    def set(self, title: str, line: str, days: list[Day], hours: float, today: datetime.date) -> None:
        """Show another plan, as it is seen ``today``."""
        if [d.date for d in days] != [d.date for d in self.days]:
            self.first = 0
        self.title, self.line, self.days, self.hours, self.today = title, line, days, hours, today
        self.setAccessibleName(f"Day strip, {title}. {line}")
        self.refresh()

    def design_size(self, width: float) -> tuple[float, float]:
        return 220, LINE + 18 + HOUR * min(6.0, max(2.0, self.hours))

    def _room(self, w: float) -> float:
        return max(w - 60, 1.0)

    def _fits(self, w: float) -> int:
        """How many days find room, none narrower than can be pointed at."""
        room = self._room(w)
        needed = sum(self._least(d) for d in self.days)
        if needed <= room:
            return len(self.days)
        least = LEAST_PX / scale()
        return max(3, int((room - 2 * TURN - (needed - least * len(self.days))) / least))

    @staticmethod
    def _least(d: Day) -> float:
        """Each day can be pointed at; the due date holds its word, however large the type is."""
        least = LEAST_PX / scale()
        return max(least, POLE + BESIDE + width(DUE_WORD, "note") + 2) if d.kind == "due" else least

    def _shown(self, w: float) -> list[Day]:
        n = self._fits(w)
        first = max(0, min(self.first, len(self.days) - n))
        return self.days[first : first + n]

    def _widths(self, w: float) -> list[float]:
        """Each kind has its width; in a narrow view the wide ones give way first, and a wide view is used."""
        days = self._shown(w)
        natural = [(self._least(d), NATURAL[d.kind]) for d in days]
        room = self._room(w) - (2 * TURN if len(days) < len(self.days) else 0)
        low, high = 0.0, MOST_STRETCH
        for _ in range(30):
            middle = (low + high) / 2
            low, high = (middle, high) if sum(max(least, n * middle) for least, n in natural) <= room else (low, middle)
        return [max(least, n * low) for least, n in natural]

    def _cells(self, w: float, h: float) -> list[QRectF]:
        paged = self._fits(w) < len(self.days)
        x, out = 46.0 + (TURN if paged else 0.0), []
        for n in self._widths(w):
            out.append(QRectF(x, LINE, n, h - LINE - 8))
            x += n
        return out

    def _turn(self, days: int) -> None:
        n = self._fits(self.design_width)
        self.first = max(0, min(self.first + days, len(self.days) - n))
        self.refresh()

    def stops(self, w: float, h: float) -> list[Stop]:
        out = []
        n, cells = self._fits(w), self._cells(w, h)
        paged = n < len(self.days)
        if paged:
            off = "" if self.first > 0 else "These are the first days"
            out.append(
                Stop("earlier", QRectF(46, LINE + 4, TURN - 4, 40), "Earlier days", "Earlier days", lambda: self._turn(-(n - 1)), off)
            )
        for d, r in zip(self._shown(w), cells, strict=True):
            what = ", ".join(dict.fromkeys(b.name for b in d.blocks)) or {"off": "day off", "slack": "free", "due": "due"}.get(
                d.kind, "free"
            )
            out.append(
                Stop(d.date.isoformat(), r, f"{d.date:%A} {d.date.day} {d.date:%B}: {what}", what, lambda d=d.date: self.day_chosen.emit(d))
            )
        if paged:
            off = "" if self.first + n < len(self.days) else "These are the last days"
            at = QRectF(cells[-1].right() + 4, LINE + 4, TURN - 4, 40)
            out.append(Stop("later", at, "Later days", "Later days", lambda: self._turn(n - 1), off))
        return out

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("card"))
        # where both have no room beside each other the title stays; the line is said by the strip's name
        beside = w - 40 - width(self.line, "small") - 18
        type_ = next((t for t in ("title", "name") if width(self.title, t) <= beside), "")
        alone = next((t for t in ("title", "name") if width(self.title, t) <= w - 40), "strong")
        text(p, QRectF(20, 6, beside if type_ else w - 40, 34), self.title, type_ or alone, "ink", elide=True)
        if type_:
            text(p, QRectF(20, 10, w - 40, 28), self.line, "small", "ink2", Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        cells = self._cells(w, h)
        end = cells[-1].right() if cells else 46.0
        for n in range(1, int(self.hours) + 1):
            y = LINE + 6 + n * HOUR
            if y < h - 6:
                p.setPen(QPen(role("line"), 1))
                p.drawLine(QPointF(46, y), QPointF(end, y))
                text(p, QRectF(12, y - 9, 32, 18), f"{n}{THIN}h", "note", "ink2", LEFT)
        p.setPen(QPen(role("ink"), 1.4))
        p.drawLine(QPointF(40, LINE), QPointF(end + 4, LINE))
        today = self.today
        written = -1e9
        for stop in self._stops:
            if stop.key in ("earlier", "later"):
                p.save()
                p.translate(stop.rect.center())
                p.rotate(90 if stop.key == "earlier" else -90)
                icons.draw(p, "down", QRectF(-9, -9, 18, 18), "ink2" if stop.off else "ink")
                p.restore()
        for d, r in zip(self._shown(w), cells, strict=True):
            if r.width() > 30:
                text(p, QRectF(r.left(), LINE - 38, r.width(), 16), f"{d.date:%a}", "note", "ink2", CENTRE)
            if r.width() > 13 and r.center().x() - written >= 22 and d.kind != "off":
                written = r.center().x()
                text(
                    p,
                    QRectF(r.left() - 6, LINE - 22, r.width() + 12, 20),
                    str(d.date.day),
                    "strong" if d.date == today else "small",
                    "ink",
                    CENTRE,
                )
            if d.kind == "work":
                self._work(p, d, r, d.date == today)
            elif d.kind == "off":
                p.fillRect(r.adjusted(2, 6, -2, 0), role("well"))
            elif d.kind == "slack":
                p.setPen(QPen(role("edge"), 1, Qt.PenStyle.DotLine))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRect(r.adjusted(3, 8, -3, -4))
            else:
                self._due(p, r)

    def _work(self, p: QPainter, d: Day, r: QRectF, today: bool) -> None:
        for begin, hours in d.waits:
            lane = QRectF(r.right() - 12, LINE + 6 + begin * HOUR, 9, hours * HOUR).intersected(r)
            if not lane.isEmpty():
                hatch(p, lane, "ink2", 5)
        for b in d.blocks:
            q = QRectF(r.left() + 3, LINE + 6 + b.begin_h * HOUR, r.width() - (16 if d.waits else 6), b.hours * HOUR - 1).intersected(r)
            if q.height() < 1:
                continue
            if b.other:
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.setPen(QPen(role("edge"), 1, Qt.PenStyle.DashLine))
                p.drawRect(q.adjusted(0.5, 0.5, -0.5, -0.5))
                if q.width() > 60 and q.height() >= 15:
                    text(p, q.adjusted(3, 0, -1, 0), b.name, "note", "ink2", LEFT, elide=True)
                elif q.width() > 14 and q.height() > 44:  # a narrow day is read from its foot
                    p.save()
                    p.translate(q.center().x(), q.bottom() - 4)
                    p.rotate(-90)
                    text(p, QRectF(0, -9, q.height() - 6, 18), b.name, "note", "ink2", LEFT, elide=True)
                    p.restore()
                continue
            colour = grey(b.lightness)
            p.fillRect(q, colour)
            if q.height() >= 15 and q.width() > 24:
                ink = ink_on(colour)
                text(
                    p,
                    q.adjusted(4, 0, -2, 0),
                    f"{b.number or ''} {b.name}".strip() if q.width() > 60 else str(b.number or ""),
                    "note",
                    ink,
                    LEFT,
                    elide=True,
                )
        if today:
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(role("ink"), 2))
            p.drawRect(r.adjusted(1, 2, -1, 0))

    def _due(self, p: QPainter, r: QRectF) -> None:
        x = r.left() + POLE
        p.setPen(QPen(role("ink"), 3))
        p.drawLine(QPointF(x, LINE - 4), QPointF(x, r.bottom()))
        p.save()
        p.translate(x, LINE + 22)
        p.fillPath(petal(26, 8), QColor(role("ink")))
        p.restore()
        text(p, QRectF(x + BESIDE, LINE + 34, r.right() - x - BESIDE, 16), DUE_WORD, "note", "ink", LEFT)
