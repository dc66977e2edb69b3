"""The record for the client's file: the portrait as it grew, hours, pencils and every step as it happened."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from reportlab.platypus import Table

from hanabira.core.colour.spaces import Array
from hanabira.core.token import SILENT, Token
from hanabira.sheets.pages import FlatSwatch, facts, gap, grid, picture, room, section, spread, stacked, together, words, write_pages
from hanabira.sheets.sender import NOBODY, Sender


@dataclass(frozen=True)
class RecordRow:
    """A step as it happened, in words; ``lab`` the pencil's masstone."""

    when: str
    where: str
    lab: Array | None
    what: str
    minutes: str
    remark: str


@dataclass(frozen=True)
class Record:
    """Everything in a record. ``photos`` are pixels (H, W, 3) uint8 with a caption, oldest first."""

    title: str
    line: str
    facts: Sequence[tuple[str, str]]
    photos: Sequence[tuple[np.ndarray, str]]
    hours: Sequence[tuple[str, str, str]]
    pencils: Sequence[tuple[Array | None, str, str]]
    rows: Sequence[RecordRow]
    learned: Sequence[str] = ()
    page: str = "A4"
    sender: Sender = NOBODY


def write_record(record: Record, target: Path, token: Token = SILENT) -> Path:
    """Write it as PDF; `Fault` when it cannot be written."""
    w, h = room(record.page)
    story = [words(record.title, "title"), words(record.line, "body", True), gap(6)]
    if record.photos:
        pixels, caption = record.photos[-1]
        story += [spread(picture(pixels, w * 4 / 6, 0.55 * h), stacked(record.facts), w), words(caption, "note", True)]
    else:
        story.append(facts(record.facts, w))
    token.report(0.3, "Placing the photos")
    earlier = record.photos[:-1]
    if earlier:
        half = w / 2 - 6
        cells = [[picture(p, half, 200), words(c, "note", True)] for p, c in earlier]
        rows = [cells[k : k + 2] + [""] * (2 - len(cells[k : k + 2])) for k in range(0, len(cells), 2)]
        story += [words("How it grew", "head"), Table(rows, colWidths=[w / 2, w / 2], hAlign="LEFT")]
    if record.hours:
        story += section("Hours", grid(("Area", "Taken", "Planned"), record.hours, (3, 1, 1.4), w))
    if record.learned:
        story.append(together(words("What was learned", "head"), *(words(q) for q in record.learned)))
    if record.pencils:
        rows = [[FlatSwatch(lab), name, wear] for lab, name, wear in record.pencils]
        story += section("Pencils", grid(("", "Pencil", "Used"), rows, (0.4, 3, 2.4), w))
    token.report(0.7, "Writing the steps")
    if record.rows:
        cells = [[r.when, r.where, FlatSwatch(r.lab) if r.lab is not None else "", r.what, r.minutes, r.remark] for r in record.rows]
        story += section(
            "Every step as it happened", grid(("When", "Where", "", "What", "Time", "Remark"), cells, (1.5, 2.3, 0.5, 2.4, 0.9, 2.6), w)
        )
    return write_pages(f"{record.title}, record", story, target, record.page, sender=record.sender)
