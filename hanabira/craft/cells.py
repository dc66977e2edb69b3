"""Tables that leave as CSV, so that no spreadsheet takes a text for a formula, and that are read back unchanged."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence

_FORMULA = re.compile(r"'*[=+\-@\t\r]")
"""What a spreadsheet would work out, or would take for marked already."""


class Figure(str):
    """A number as it is to be written; its minus begins no formula."""


def safe_cell(value: object) -> object:
    """A cell for a spreadsheet: text that would be taken for a formula is marked as text; numbers stay.

    >>> safe_cell("=1+1"), safe_cell(Figure("-3.50")), safe_cell(-3), safe_cell("soft"), safe_cell("'=x")
    ("'=1+1", '-3.50', -3, 'soft', "''=x")
    """
    return f"'{value}" if isinstance(value, str) and not isinstance(value, Figure) and _FORMULA.match(value) else value


def read_cell(text: str) -> str:
    """A cell as it was before `safe_cell`.

    >>> read_cell("'=1+1"), read_cell("''=x"), read_cell("'tis soft")
    ('=1+1', "'=x", "'tis soft")
    """
    return text[1:] if text.startswith("'") and _FORMULA.match(text) else text


def table_csv(head: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """CSV of a head and rows, every cell safe."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    for row in (head, *rows):
        writer.writerow([safe_cell(v) for v in row])
    return out.getvalue()
