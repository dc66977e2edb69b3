"""The searchable list of every command (key /): by stage and room, each under its petal, the open one first."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QObject, QPoint, QSize, Qt
from PyQt6.QtGui import QAction, QIcon, QKeyEvent, QKeySequence, QPainter, QPixmap, QTransform
from PyQt6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from hanabira.desk.images import plain_icon
from hanabira.desk.paint import painting, petal
from hanabira.desk.theme import font, role, u

ActionGroup = tuple[str, Sequence[QAction]]
"""A stage, room or menu with its actions."""


class CommandList(QFrame):
    """A slip that hangs from the thread at its right: type a few letters, Enter does the first. Without letters it is a list by stage."""

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
        self.list.setIconSize(QSize(u(18), u(18)))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setWordWrap(True)
        self._groups: list[ActionGroup] = []
        self.field.textChanged.connect(self._fill)
        self.field.installEventFilter(self)
        self.list.itemActivated.connect(self._do)
        self.list.itemClicked.connect(self._do)

    def open_with(self, groups: Sequence[ActionGroup], now: str, over: QWidget, under: QWidget) -> None:
        """Show the commands that exist now, those of the stage or room ``now`` first; it hangs ``under`` a strip of the window ``over``."""
        self._groups = sorted(groups, key=lambda g: g[0] != now)
        self.field.clear()
        self._fill("")
        top = under.mapTo(over, QPoint(0, under.height())).y()
        self.resize(min(u(440), over.width() - u(16)), max(u(180), min(u(520), over.height() - top - u(12))))
        self.move(over.mapToGlobal(QPoint(over.width() - self.width() - u(8), top - u(2))))
        self.show()
        self.field.setFocus()

    def _fill(self, words: str) -> None:
        self.list.clear()
        wanted = words.lower().split()
        for group, actions in self._groups:
            found = [a for a in actions if all(w in f"{a.text()} {a.toolTip()}".lower() for w in wanted)]
            if found and not wanted:
                self._head(group)
            for action in found:
                self._row(action, group if wanted else "")
        for row in range(self.list.count()):
            if self.list.item(row).flags() & Qt.ItemFlag.ItemIsEnabled:
                self.list.setCurrentRow(row)
                break

    def _head(self, group: str) -> None:
        item = QListWidgetItem(_petal(), group)
        item.setFont(font("name", scaled=True))
        item.setFlags(Qt.ItemFlag.NoItemFlags)
        item.setForeground(role("plum"))
        self.list.addItem(item)

    def _row(self, action: QAction, group: str) -> None:
        name, key = action.text(), action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)
        why = action.property("off")
        words = f"{name}    {key}" if key else name
        item = QListWidgetItem(f"{words}: {why}" if why else words)
        item.setData(Qt.ItemDataRole.UserRole, action)
        if group:
            item.setToolTip(group)
        if why:
            item.setToolTip(why)
            item.setForeground(role("ink2"))
            item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
        self.list.addItem(item)

    def _do(self, item: QListWidgetItem) -> None:
        action = item.data(Qt.ItemDataRole.UserRole)
        self.hide()
        if action is not None:
            action.trigger()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and watched is self.field:
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                row = self.list.currentRow() + step
                while 0 <= row < self.list.count() and self.list.item(row).flags() == Qt.ItemFlag.NoItemFlags:
                    row += step
                if 0 <= row < self.list.count():
                    self.list.setCurrentRow(row)
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


def _petal() -> QIcon:
    """The petal of a stage, as on the thread."""
    image = QPixmap(u(18), u(18))
    image.fill(Qt.GlobalColor.transparent)
    with painting(image) as p:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillPath(QTransform().translate(u(5), u(17)).rotate(-62).scale(u(1), u(1)).map(petal(17, 5)), role("plum"))
    return plain_icon(image)
