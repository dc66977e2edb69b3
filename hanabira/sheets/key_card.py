"""The card of the keys: all of them by group on one sheet, to lay beside the screen."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from reportlab.platypus import Flowable, Table, TableStyle

from hanabira.sheets.pages import facts, gap, room, words, write_pages

KeyGroup = tuple[str, Sequence[tuple[str, str]]]
_GUTTER = 22.0


def write_key_card(groups: Sequence[KeyGroup], target: Path, page: str = "A4") -> Path:
    """Write (group, [(key, what it does)]) as PDF, in two columns of about the same height. Raises `Fault` when it cannot be written."""
    w, _h = room(page)
    wide = (w - _GUTTER) / 2
    total = sum(len(rows) + 2 for _name, rows in groups)
    columns: tuple[list[Flowable], list[Flowable]] = ([], [])
    passed = 0
    for name, rows in groups:
        column = columns[0] if passed + (len(rows) + 2) / 2 < total / 2 else columns[1]
        column += [words(name, "head"), facts(rows, wide), gap(4)]
        passed += len(rows) + 2
    table = Table([list(columns)], colWidths=[wide + _GUTTER, wide], hAlign="LEFT")
    flush = [(edge, (0, 0), (-1, -1), 0) for edge in ("LEFTPADDING", "TOPPADDING", "BOTTOMPADDING")]
    table.setStyle(
        TableStyle(
            [("VALIGN", (0, 0), (-1, -1), "TOP"), ("RIGHTPADDING", (0, 0), (0, 0), _GUTTER), ("RIGHTPADDING", (1, 0), (1, 0), 0), *flush]
        )
    )
    story = [words("Keys", "title"), words("The / key finds every command by its words.", "body", True), gap(4), table]
    return write_pages("Hanabira, keys", story, target, page)
