"""The approval sheet: what the client agrees to before the first stroke, on one page."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from reportlab.platypus import Table, TableStyle

from hanabira.core.colour.spaces import Array
from hanabira.sheets.pages import GREY, Swatch, facts, gap, picture, room, words, write_pages


@dataclass(frozen=True)
class Approval:
    """``picture`` (H, W, 3) uint8 is the crop on its backdrop; ``palette`` are Lab colours with plain names; ``terms`` sentences."""

    title: str
    line: str
    picture: np.ndarray
    facts: Sequence[tuple[str, str]]
    palette: Sequence[tuple[Array, str]]
    backdrop: tuple[Array, Array]
    terms: Sequence[str]
    page: str = "A4"


def write_approval(sheet: Approval, target: Path) -> Path:
    """Write it as PDF; `Fault` when it cannot be written."""
    w, h = room(sheet.page)
    story = [words(sheet.title, "title"), words(sheet.line, "body", True), gap(6), picture(sheet.picture, w, 0.46 * h), gap(6)]
    story.append(facts(sheet.facts, w))
    colours = [("backdrop", sheet.backdrop[0])] + ([("backdrop, foot", sheet.backdrop[1])] if not np.allclose(*sheet.backdrop) else [])
    cells = [*colours, *((name, lab) for lab, name in sheet.palette)][:9]
    wide = w / max(1, len(cells))
    # patches touch, so that they can be compared; their names stand under them
    strip = Table(
        [[Swatch(lab, wide, 30) for _n, lab in cells], [words(n, "note") for n, _lab in cells]],
        colWidths=[wide] * len(cells),
        hAlign="LEFT",
    )
    strip.setStyle(
        TableStyle(
            [(k, (0, 0), (-1, -1), 0) for k in ("LEFTPADDING", "RIGHTPADDING", "TOPPADDING", "BOTTOMPADDING")]
            + [("TOPPADDING", (0, 1), (-1, 1), 3)]
        )
    )
    story += [words("Its colours", "head"), strip]
    story += [words("Agreed", "head"), *(words(q) for q in sheet.terms), gap(26)]
    sign = Table(
        [[words("Date and name of the client", "note", True), "", words("Date and name of the artist", "note", True)]],
        colWidths=[0.45 * w, 0.1 * w, 0.45 * w],
        hAlign="LEFT",
    )
    sign.setStyle(
        TableStyle(
            [("LINEABOVE", (0, 0), (0, 0), 0.8, GREY), ("LINEABOVE", (2, 0), (2, 0), 0.8, GREY), ("LEFTPADDING", (0, 0), (-1, -1), 0)]
        )
    )
    story.append(sign)
    return write_pages(f"{sheet.title}, for approval", story, target, sheet.page)
