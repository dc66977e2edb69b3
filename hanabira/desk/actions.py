"""Qt's actions, menus and shortcuts, made from the table of acts."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtGui import QAction, QKeySequence

from hanabira.desk.acts import MENUS, Act, perform, table

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QMenu

    from hanabira.desk.window import Desk


class Actions:
    """One action for each act, by its words; a menu's acts are brought up to date when it opens."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self.acts: dict[str, Act] = {}
        self.by_words: dict[str, QAction] = {}
        bar = desk.menuBar()
        assert bar is not None
        bar.setNativeMenuBar(False)
        menus: dict[str, QMenu] = {}
        for name in MENUS:
            menu = bar.addMenu(name)
            assert menu is not None
            menu.setToolTipsVisible(True)
            menu.aboutToShow.connect(lambda name=name: self._show(name))
            menu.aboutToHide.connect(lambda name=name: self._hide(name))
            menus[name] = menu
        for act in table():
            if act.gap:
                menus[act.menu].addSeparator()
            menus[act.menu].addAction(self._action(act))

    def _action(self, act: Act) -> QAction:
        action = QAction(act.words, self._desk)
        if act.keys:
            action.setShortcut(QKeySequence(act.keys))
        action.setToolTip(act.help or act.words)
        action.triggered.connect(lambda _=False: perform(self._desk, act))
        self._desk.addAction(action)
        self.acts[act.id], self.by_words[act.words] = act, action
        return action

    def groups(self) -> list[tuple[str, list[QAction]]]:
        """Actions by menu, which are the stages, the rooms, and what belongs to none."""
        return [(name, [self.by_words[a.words] for a in self.acts.values() if a.menu == name]) for name in MENUS]

    def _show(self, menu: str) -> None:
        """An open menu shows what cannot be done now as off, with the reason as its help."""
        self.refresh()
        for act in self.acts.values():
            if act.menu == menu:
                action = self.by_words[act.words]
                action.setEnabled(not action.property("off"))

    def _hide(self, menu: str) -> None:
        """With the menu closed its keys work again: one that cannot be followed says why, instead of doing nothing."""
        for act in self.acts.values():
            if act.menu == menu:
                self.by_words[act.words].setEnabled(True)

    def refresh(self) -> None:
        """Bring reasons up to date: the property ``off`` of an action says why it cannot be done now."""
        for act in self.acts.values():
            why = act.off(self._desk.session)
            action = self.by_words[act.words]
            action.setToolTip(why or act.help or act.words)
            action.setProperty("off", why)
