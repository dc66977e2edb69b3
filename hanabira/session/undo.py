"""The undo list of a commission: what was done, and how far it has been taken back."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

LIMIT = 500
"""How many edits can be taken back."""


class Undoable(Protocol):
    """What the list holds."""

    words: str
    merge_key: str

    def undo(self) -> bool:
        """Take it back; whether that could be stored."""
        ...

    def redo(self) -> bool:
        """Do it again; whether that could be stored."""
        ...

    def take_over(self, later: Undoable) -> None:
        """Become one with a later edit of the same key."""
        ...


class UndoList:
    """Edits of one commission in the order they were made. ``changed`` is told after every change."""

    def __init__(self, changed: Callable[[], None] = lambda: None) -> None:
        self._edits: list[Undoable] = []
        self._at = 0
        self._changed = changed

    def __len__(self) -> int:
        return len(self._edits)

    def push(self, edit: Undoable) -> None:
        """Take in an edit that was carried out; what was taken back before it is forgotten. Edits of one gesture become one."""
        del self._edits[self._at :]
        last = self._edits[-1] if self._edits else None
        if last is not None and edit.merge_key and last.merge_key == edit.merge_key:
            last.take_over(edit)
        else:
            self._edits.append(edit)
            del self._edits[:-LIMIT]
        self._at = len(self._edits)
        self._changed()

    @property
    def at(self) -> int:
        """How many edits stand."""
        return self._at

    @property
    def can_undo(self) -> bool:
        """Whether there is something to take back."""
        return self._at > 0

    @property
    def can_redo(self) -> bool:
        """Whether something was taken back."""
        return self._at < len(self._edits)

    @property
    def undo_words(self) -> str:
        """What would be taken back; empty when nothing."""
        return self._edits[self._at - 1].words if self.can_undo else ""

    @property
    def redo_words(self) -> str:
        """What would be done again; empty when nothing."""
        return self._edits[self._at].words if self.can_redo else ""

    def undo(self) -> None:
        """Take the last edit back. What cannot be stored stays where it is in the list."""
        if self.can_undo and self._edits[self._at - 1].undo():
            self._at -= 1
        self._changed()

    def redo(self) -> None:
        """Do the edit again that was taken back last."""
        if self.can_redo and self._edits[self._at].redo():
            self._at += 1
        self._changed()
