"""The searchable list of every command (key /)."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt
from PyQt6.QtGui import QAction, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from hanabira.desk.theme import role, u


class CommandList(QFrame):
    """A sheet over the desk: type a few letters, Enter does the first."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAccessibleName("Find a command")
        self.setFrameShape(QFrame.Shape.StyledPanel)
        box = QVBoxLayout(self)
        self.field = QLineEdit()
        self.field.setPlaceholderText("What do you want to do")
        self.field.setAccessibleName("Search the commands")
        self.list = QListWidget()
        self.list.setAccessibleName("Commands")
        box.addWidget(self.field)
        box.addWidget(self.list)
        self._actions: list[QAction] = []
        self.field.textChanged.connect(self._fill)
        self.field.installEventFilter(self)
        self.list.itemActivated.connect(self._do)
        self.list.itemClicked.connect(self._do)

    def open_with(self, actions: Sequence[QAction], over: QWidget) -> None:
        """Show the commands that exist now."""
        self._actions = [a for a in actions if a.text() and not a.isSeparator()]
        self.field.clear()
        self._fill("")
        self.resize(u(460), u(420))
        self.move(over.mapToGlobal(QPoint((over.width() - self.width()) // 2, u(70))))
        self.show()
        self.field.setFocus()

    def _fill(self, words: str) -> None:
        self.list.clear()
        wanted = words.lower().split()
        for action in self._actions:
            name = action.text().replace("&", "")
            hay = f"{name} {action.toolTip()}".lower()
            if all(w in hay for w in wanted):
                key = action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)
                why = action.property("off")
                words = f"{name}    {key}" if key else name
                item = QListWidgetItem(f"{words}: {why}" if why else words)
                item.setData(Qt.ItemDataRole.UserRole, action)
                if why:
                    item.setToolTip(why)
                    item.setForeground(role("ink2"))
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
                self.list.addItem(item)
        for row in range(self.list.count()):
            if self.list.item(row).flags() & Qt.ItemFlag.ItemIsEnabled:
                self.list.setCurrentRow(row)
                break

    def _do(self, item: QListWidgetItem) -> None:
        action = item.data(Qt.ItemDataRole.UserRole)
        self.hide()
        if action is not None:
            action.trigger()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if watched is self.field and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                row = self.list.currentRow() + (1 if event.key() == Qt.Key.Key_Down else -1)
                self.list.setCurrentRow(max(0, min(self.list.count() - 1, row)))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                item = self.list.currentItem()
                if item is not None:
                    self._do(item)
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.hide()
                return True
        return super().eventFilter(watched, event)
