"""The easel's keys: a cap with its word under it, large enough to be hit and read from the chair."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import CENTRE
from hanabira.desk.theme import font, role, scale

MOST, LEAST = 22, 12
"""Type of the words: as large as fits, in design pixels, but never under so many pixels of the screen."""


@dataclass(frozen=True)
class Key:
    """A key, its word, what it does; the ``main`` one stands last, filled. ``spare`` ones give way where the strip is narrow."""

    cap: str
    words: str
    act: Callable[[], object]
    main: bool = False
    spare: bool = False


def _font(size: int) -> QFont:
    f = QFont(font("strong"))
    f.setPixelSize(size)
    return f


@lru_cache(maxsize=1024)
def _least_width(cap: str, words: str, size: int) -> float:
    """Width in design pixels under which a key's cap or word is cut; kept, since a strip asks for it hundreds of times a layout."""
    fm = QFontMetricsF(_font(size))
    return max(fm.horizontalAdvance(words) + 0.8 * size, fm.horizontalAdvance(cap) + 1.8 * size)


class KeyStrip(Drawn):
    """A row of keys across the window's foot."""

    def __init__(self, keys: Sequence[Key], parent: QWidget | None = None) -> None:
        super().__init__("Keys of the easel", parent)
        self.keys = tuple(keys)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def set_keys(self, keys: Sequence[Key]) -> None:
        """Show other words on the keys."""
        if [(k.cap, k.words, k.main) for k in keys] != [(k.cap, k.words, k.main) for k in self.keys]:
            self.keys = tuple(keys)
            self.refresh()

    def design_size(self, width: float) -> tuple[float, float]:
        return 200, 20 + 3 * self._size(max(width, 200.0))

    def shown(self, w: float) -> tuple[Key, ...]:
        """The keys that find room in the least type; the others are still keys, and commands of the menu."""
        least = max(1, math.ceil(LEAST / scale()))
        fits = sum(self._wide(k, least) for k in self.keys) <= w - 16
        return self.keys if fits else tuple(k for k in self.keys if not k.spare)

    def _size(self, w: float) -> int:
        """Type size at which all words fit the width."""
        size = MOST
        while size > LEAST / scale() and sum(self._wide(k, size) for k in self.shown(w)) > w - 16:
            size -= 1
        return size

    def _wide(self, key: Key, size: int) -> float:
        return _least_width(key.cap, key.words, size)

    def _rects(self, w: float, h: float) -> list[QRectF]:
        size = self._size(w)
        wide = [self._wide(k, size) for k in self.shown(w)]
        free = max(0.0, w - 16 - sum(wide))
        gap = min(5.0 * size, free / max(1, len(wide)))
        out, x = [], 8.0
        for k, n in enumerate(wide):
            if k == len(wide) - 1:  # the next act stands at the right, as everywhere
                x = w - 8 - n - gap
            out.append(QRectF(x, 4, n + gap, h - 8))
            x += n + gap
        return out

    def stops(self, w: float, h: float) -> list[Stop]:
        return [Stop(k.words, r, f"{k.words}, key {k.cap}", k.words, k.act) for k, r in zip(self.shown(w), self._rects(w, h), strict=True)]

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("window"))
        size = self._size(w)
        fm = QFontMetricsF(_font(size))
        for k, r in zip(self.shown(w), self._rects(w, h), strict=True):
            if k.main:
                path = QPainterPath()
                path.addRoundedRect(r.adjusted(4, 2, -4, -2), 8, 8)
                p.fillPath(path, role("plum_fill"))
            elif self.hovered == k.words:
                p.fillRect(r, role("plum_wash"))
            wide = max(1.7 * size, fm.horizontalAdvance(k.cap) + 0.9 * size)
            cap = QRectF(r.center().x() - wide / 2, r.top() + 0.3 * size, wide, 1.5 * size)
            ink = role("on_plum" if k.main else "ink")
            path = QPainterPath()
            path.addRoundedRect(cap, 5, 5)
            if not k.main:
                p.fillPath(path, role("raised"))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(ink if k.main else role("edge"), 1.2))
            p.drawPath(path)
            p.setPen(QPen(ink if k.main else role("edge"), 2.6, cap=Qt.PenCapStyle.RoundCap))
            p.drawLine(QPointF(cap.left() + 5, cap.bottom()), QPointF(cap.right() - 5, cap.bottom()))
            p.setPen(ink)
            p.setFont(_font(round(0.86 * size)))
            p.drawText(cap, int(CENTRE), k.cap)
            p.setFont(_font(size))
            p.drawText(QRectF(r.left(), cap.bottom() + 4, r.width(), r.bottom() - cap.bottom() - 6), int(CENTRE), k.words)
