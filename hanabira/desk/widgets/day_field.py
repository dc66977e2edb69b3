"""A field for a day: typed in any usual form, moved by the arrow keys, or taken from a month. What is understood stands under it."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QSizePolicy, QVBoxLayout, QWidget

from hanabira.core.faults import Fault
from hanabira.desk.controls import PetalButton, Words
from hanabira.desk.theme import u
from hanabira.desk.widgets.month_sheet import MonthSheet
from hanabira.session import dates

if TYPE_CHECKING:
    from hanabira.session.session import Session

Orders = Mapping[datetime.date, tuple[str, ...]]
HINT = "20 Dec, 20.12. or in 3 weeks"


def due_field(session: Session, keep: Callable[[datetime.date | None], object]) -> DayField:
    """The field of the open commission's due date; ``keep`` stores another day."""
    q = day_field(session, "Due date", keep)
    c = session.commission
    q.set_day(datetime.date.fromisoformat(c.due) if c is not None and c.due else None)
    return q


def day_field(session: Session, name: str, keep: Callable[[datetime.date | None], object], may_be_none: bool = True) -> DayField:
    """A field that knows the artist's days off and the other orders."""

    def works(day: datetime.date) -> bool:
        return session.commission is None or dates.works_on(session.commission, day)

    q = DayField(name, session.clock.today, works, lambda: dates.orders_due(session), may_be_none)
    q.changed.connect(keep)
    return q


class DayField(QWidget):
    """A day or none. ``changed`` tells a day, or None, once it is settled by Enter, by leaving the field or by the month; half a word changes nothing."""

    changed = pyqtSignal(object)

    def __init__(
        self, name: str, today: Callable[[], datetime.date], works: Callable[[datetime.date], bool], orders: Callable[[], Orders], may_be_none: bool = True
    ) -> None:  # fmt: skip
        super().__init__()
        self._today, self._works, self._orders, self._may_be_none = today, works, orders, may_be_none
        self.day: datetime.date | None = None
        self.line = QLineEdit()
        self.line.setAccessibleName(name)
        self.line.setPlaceholderText(HINT)
        self.line.setMaxLength(40)
        self.line.installEventFilter(self)
        self.line.textEdited.connect(self._typed)
        self.line.editingFinished.connect(self.settle)
        self.open = PetalButton("Open the month", "day", tip=f"{name}: choose from the month (Alt+Down)")
        self.open.signs_only = True
        self.open.setAccessibleName(f"{name}: open the month")
        self.open.clicked.connect(self.open_month)
        self.told = Words("", "small", "ink2")
        self.month: QFrame | None = None
        line = QHBoxLayout()
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(u(2))
        line.addWidget(self.line, 1)
        line.addWidget(self.open)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addLayout(line)
        box.addWidget(self.told)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setFocusProxy(self.line)
        self.set_day(None)

    # -- what it holds -----------------------------------------------------------
    def set_day(self, day: datetime.date | None) -> None:
        """Show a day that is kept. While somebody types, the words stay."""
        if day == self.day and (self.line.hasFocus() and self.line.isModified()):
            return
        self.day = day
        self.line.setText(f"{day.day} {day:%B %Y}" if day is not None else "")
        self.line.setModified(False)
        self._tell()

    def _tell(self, words: str = "") -> None:
        if not words:
            words = "No date is set." if self.day is None else dates.told_day(self.day, self._today())
            others = [] if self.day is None else [f"{name} is due then, too" for name in self._orders().get(self.day, ())]
            rest = [] if self.day is None or self._works(self.day) else ["a day off"]
            words = "; ".join([words, *rest, *others])
        self.told.set(words)

    def _read(self) -> datetime.date | None:
        """The day that is typed. Raises `Fault`."""
        found = dates.parse_day(self.line.text(), self._today())
        if found is None and not self._may_be_none:
            raise Fault("This date has to be there.")
        return found

    def _typed(self, words: str) -> None:
        try:
            found = self._read()
        except Fault as fault:
            self._tell(f"{fault.what} {fault.do}".strip())
            return
        self._tell("" if found == self.day else "No date." if found is None else f"{dates.told_day(found, self._today())}. Enter keeps it.")

    def settle(self) -> None:
        """Keep what is typed; what is no date stays in the field with its cure under it, and nothing is kept."""
        if not self.line.isModified():
            return
        try:
            found = self._read()
        except Fault as fault:
            self._tell(f"{fault.what} {fault.kept} {fault.do}".strip())
            return
        self.line.setModified(False)
        self.take(found)

    def take(self, day: datetime.date | None) -> None:
        """Keep a day, and tell it."""
        moved = day != self.day
        self.line.setModified(False)
        self.set_day(day)
        if moved:
            self.changed.emit(day)

    # -- keys -------------------------------------------------------------------------
    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if watched is self.line and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_PageUp: 7, Qt.Key.Key_PageDown: -7}.get(Qt.Key(event.key()))
            if event.key() == Qt.Key.Key_Down and event.modifiers() & Qt.KeyboardModifier.AltModifier:
                self.open_month()
                return True
            if step is not None and not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
                self.take(self.day + datetime.timedelta(days=step) if self.day is not None else self._today())
                return True
            if event.key() == Qt.Key.Key_Escape and self.line.isModified():
                self.line.setModified(False)
                self.set_day(self.day)
                return True
        return super().eventFilter(watched, event)

    # -- the month ----------------------------------------------------------------------
    def open_month(self) -> None:
        """Open the month of the day, or of today, under the field."""
        self.settle()
        card = QFrame(self, Qt.WindowType.Popup)
        card.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        card.setAccessibleName(f"{self.line.accessibleName()}: month")
        box = QVBoxLayout(card)
        box.setContentsMargins(0, 0, 0, 0)
        sheet = MonthSheet(self._today(), self.day, self._works, self._orders())
        box.addWidget(sheet)
        sheet.taken.connect(lambda day: (card.close(), self.take(day)))
        card.destroyed.connect(lambda: setattr(self, "month", None))
        card.adjustSize()
        card.move(self._place(card))
        self.month, self.sheet = card, sheet
        card.show()
        sheet.setFocus(Qt.FocusReason.TabFocusReason)

    def _place(self, card: QWidget) -> QPoint:
        """Under the field, or over it, inside the window."""
        window = self.window()
        assert window is not None
        below, above = self.mapToGlobal(QPoint(0, self.height() + u(2))), self.mapToGlobal(QPoint(0, -u(2)))
        corner = window.mapToGlobal(QPoint(window.width(), window.height()))
        left, top = window.mapToGlobal(QPoint(0, 0)).x(), window.mapToGlobal(QPoint(0, 0)).y()
        y = below.y() if below.y() + card.height() <= corner.y() else max(top, above.y() - card.height())
        return QPoint(max(left, min(below.x(), corner.x() - card.width() - u(4))), y)
