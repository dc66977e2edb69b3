"""One quiet line of keys: those to hold, then those to press, as caps with their words; it wraps where it must."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPen

from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import keycap, text, width
from hanabira.desk.theme import role

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

ROW = 34.0


@dataclass(frozen=True)
class LineKey:
    """A key, its word, and what it does; without an act it is one to hold."""

    cap: str
    words: str
    act: Callable[[], object] | None = None


class KeyLine(Drawn):
    """Keys under a picture."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("Keys", parent)
        self.lead = ""
        self.keys: tuple[LineKey, ...] = ()
        self.note = ""

    def set(self, lead: str, held: Sequence[tuple[str, str]], acts: Sequence[LineKey], note: str = "") -> None:
        """Show other keys."""
        now = (*(LineKey(cap, words) for cap, words in held), *acts)
        if [(k.cap, k.words) for k in now] != [(k.cap, k.words) for k in self.keys] or lead != self.lead or note != self.note:
            self.lead, self.keys, self.note = lead if held else "", now, note
            self.refresh()

    def _cap(self, k: LineKey) -> float:
        return max(24.0, width(k.cap, "note") + 12)

    def _rects(self, w: float) -> list[QRectF]:
        x = 14.0 + (width(self.lead, "strong") + 12 if self.lead else 0.0)
        y = 0.0
        out: list[QRectF] = []
        for k in self.keys:
            n = self._cap(k) + 7 + width(k.words, "small") + 12
            if out and x + n > w - 8:
                x, y = 14.0, y + ROW
            out.append(QRectF(x, y, n, ROW))
            x += n
        return out

    def design_size(self, width: float) -> tuple[float, float]:
        rects = self._rects(max(width, 200.0))
        return 160, rects[-1].bottom() if rects else ROW

    def stops(self, w: float, h: float) -> list[Stop]:
        return [
            Stop(k.words, r, f"{k.words}, key {k.cap}" if k.act else f"{k.words} while {k.cap} is held", k.words, (lambda k=k: k.act()) if k.act else None)
            for k, r in zip(self.keys, self._rects(w), strict=True)
        ]  # fmt: skip

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("window"))
        if self.lead:
            text(p, QRectF(14, 0, width(self.lead, "strong") + 2, ROW), self.lead, "strong")
        rects = self._rects(w)
        for k, r in zip(self.keys, rects, strict=True):
            n = self._cap(k)
            keycap(p, QRectF(r.left(), r.top() + 6, n, 22), k.cap)
            text(
                p,
                QRectF(r.left() + n + 7, r.top(), r.width() - n - 7, ROW),
                k.words,
                "small",
                "plum" if self.hovered == k.words and k.act else "ink",
            )
        if self.note:
            left = rects[-1].right() if rects else 14.0
            room = w - left - 20
            if width(self.note, "small") <= room:
                text(p, QRectF(left, h - ROW, room + 6, ROW), self.note, "small", "ink2", elide=True)
        p.setPen(QPen(role("line"), 1))
        p.drawLine(QRectF(0, 0.5, w, 0).topLeft(), QRectF(0, 0.5, w, 0).topRight())
