"""A row of widgets that goes on below where the width does not hold it: small windows and large type must lose no control."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem, QSizePolicy, QSpacerItem, QWidget


@dataclass
class _Line:
    """Items of one line with their least and their wished widths."""

    items: list[QLayoutItem]
    least: list[int]
    wished: list[int]


class Row(QLayout):
    """Side by side while all fit, squeezed to their least sizes if they must be; else in as many lines as it takes.

    A spring takes what is left of its line; without one, widgets that want to grow do.
    """

    def __init__(self, spacing: int) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self._gap = spacing
        self.setContentsMargins(0, 0, 0, 0)

    # -- what a layout has to answer ------------------------------------------
    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self._items.append(item)

    def add_spring(self) -> None:
        """What is left of the line goes here."""
        self.addItem(QSpacerItem(0, 0, QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum))

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation.Horizontal

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        m = self.contentsMargins()
        return self._lay(QRect(0, 0, width - m.left() - m.right(), 0), False) + m.top() + m.bottom()

    def sizeHint(self) -> QSize:
        shown = self._shown()
        wide = sum(self._widths(q)[1] for q in shown) + self._gap * max(0, len(shown) - 1)
        m = self.contentsMargins()
        wide += m.left() + m.right()
        return QSize(wide, self.heightForWidth(max(wide, 1)))

    def minimumSize(self) -> QSize:
        """The widest item alone: everything else can go below it."""
        shown = self._shown()
        m = self.contentsMargins()
        return QSize(
            max((self._widths(q)[0] for q in shown), default=0) + m.left() + m.right(),
            max((q.minimumSize().height() for q in shown), default=0) + m.top() + m.bottom(),
        )

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay(self.contentsRect(), True)

    # -- lines ------------------------------------------------------------------
    def _shown(self) -> list[QLayoutItem]:
        return [q for q in self._items if not q.isEmpty() and q.spacerItem() is None]

    def _widths(self, item: QLayoutItem) -> tuple[int, int]:
        least = item.minimumSize().width()
        return least, max(least, min(item.sizeHint().width(), item.maximumSize().width()))

    def _lines(self, width: int) -> list[_Line]:
        here = [q for q in self._items if q.spacerItem() is not None or not q.isEmpty()]

        def line_of(items: list[QLayoutItem]) -> _Line:
            sizes = [(0, 0) if q.spacerItem() is not None else self._widths(q) for q in items]
            return _Line(items, [s[0] for s in sizes], [s[1] for s in sizes])

        def wide(line: _Line) -> int:
            return sum(line.least) + self._gap * max(0, sum(w > 0 for w in line.wished) - 1)

        whole = line_of(here)
        if wide(whole) <= width:
            return [whole]
        out: list[_Line] = []
        now: list[QLayoutItem] = []
        used = 0
        for q in here:
            # two to a line where they can be squeezed so: long lists of fields are not spread over the window's height
            n = 0 if q.spacerItem() is not None else max(self._widths(q)[0], min(self._widths(q)[1], (width - self._gap) // 2))
            if now and n and used + self._gap + n > width:
                out.append(line_of(now))
                now, used = [], 0
            used += n + (self._gap if used and n else 0)
            now.append(q)
        return [*out, line_of(now)] if now else out

    def _lay(self, rect: QRect, place: bool) -> int:
        """Height that the width needs; with ``place`` the items are put there."""
        y = rect.y()
        for line in self._lines(rect.width()):
            given = self._given(line, rect.width())
            heights = [self._height(q, w) for q, w in zip(line.items, given, strict=True)]
            high = max((h for q, h in zip(line.items, heights, strict=True) if q.spacerItem() is None), default=0)
            if place:
                x = rect.x()
                for q, w, h in zip(line.items, given, heights, strict=True):
                    if q.spacerItem() is None:
                        tall = high if _grows(q.widget(), Qt.Orientation.Vertical) else h
                        q.setGeometry(QRect(x, y + (high - tall) // 2, w, tall))
                        x += w + self._gap
                    else:
                        x += w
            y += high + self._gap
        return max(0, y - rect.y() - self._gap)

    @staticmethod
    def _height(item: QLayoutItem, width: int) -> int:
        if item.spacerItem() is not None:
            return 0
        return item.heightForWidth(width) if item.hasHeightForWidth() else min(item.sizeHint().height(), item.maximumSize().height())

    def _given(self, line: _Line, width: int) -> list[int]:
        """The width of each item of a line."""
        room = width - self._gap * max(0, sum(w > 0 for w in line.wished) - 1)
        spare = room - sum(line.wished)
        given = list(line.wished)
        if spare < 0:
            give = [w - n for w, n in zip(line.wished, line.least, strict=True)]
            total = sum(give)
            short = min(-spare, total)
            taken = 0
            for k in range(len(give)):  # to the pixel: what rounding leaves would stand out at the right
                upto = round(short * sum(give[: k + 1]) / total) if total else 0
                given[k] = line.wished[k] - (upto - taken)
                taken = upto
            return [min(w, max(room, 1)) for w in given]
        springs = [k for k, q in enumerate(line.items) if q.spacerItem() is not None]
        takers = springs or [k for k, q in enumerate(line.items) if _grows(q.widget(), Qt.Orientation.Horizontal)]
        for k in takers:
            most = line.items[k].maximumSize().width() if k not in springs else spare
            given[k] = min(given[k] + spare // len(takers), max(most, given[k]))
        return given


def _grows(q: QWidget | None, way: Qt.Orientation) -> bool:
    if q is None:
        return False
    policy = q.sizePolicy().horizontalPolicy() if way == Qt.Orientation.Horizontal else q.sizePolicy().verticalPolicy()
    return policy in (QSizePolicy.Policy.Expanding, QSizePolicy.Policy.MinimumExpanding)
