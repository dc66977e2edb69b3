"""The card of the keys: all of them by group on one sheet, to lay beside the screen."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from hanabira.sheets.pages import gap, grid, room, together, words, write_pages

Group = tuple[str, Sequence[tuple[str, str]]]


def write_key_card(groups: Sequence[Group], target: Path, page: str = "A4") -> Path:
    """Write (group, [(key, what it does)]) as PDF. Raises `Fault` when it cannot be written."""
    w, _h = room(page)
    story = [words("Keys", "title"), words("The / key finds every command by its words.", "body", True), gap(6)]
    for name, rows in groups:
        story.append(together(words(name, "head"), grid(("Key", "What it does"), rows, (0.22, 0.78), w)))
    return write_pages("Hanabira, keys", story, target, page)
