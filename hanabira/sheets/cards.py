"""The scrap test card, to try a recipe's stacks on the same paper."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from reportlab.lib.colors import Color, black
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from hanabira.core.colour.spaces import Array, lab_to_srgb
from hanabira.core.swatch.layout import SheetPage
from hanabira.sheets.card_page import MARGIN, PAGES, register_fonts, wrap
from hanabira.sheets.swatch_sheet import draw_page
from hanabira.studio.writing import write_file

_LINE = Color(0.6, 0.6, 0.6)
_GREY = Color(0.3, 0.3, 0.3)


@dataclass(frozen=True)
class Trial:
    """One stack to try: where it is from, its layers in words from the paper upward, and the colour predicted for it (Lab)."""

    title: str
    layers: tuple[str, ...]
    predicted: Array


def _fill(c: Canvas, lab: Array, x: float, y: float, w: float, h: float) -> None:
    r, g, b = (float(v) for v in lab_to_srgb(lab))
    c.setFillColor(Color(r, g, b))
    c.rect(x, y, w, h, stroke=0, fill=1)
    c.setFillColor(black)


def write_scrap_card(
    title: str, paper: str, trials: Sequence[Trial], target: Path, page: str = "A4", readable: SheetPage | None = None
) -> Path:
    """Boxes to lay each stack in, beside the predicted colour and a line for notes.

    A ``readable`` page comes first: the same stacks with marks and grey steps, so that a photo of it corrects the kit's fit.
    Raises `Fault` when it cannot be written.
    """
    register_fonts()
    w, h = PAGES[page]
    out = io.BytesIO()
    c = Canvas(out, pagesize=(w, h))
    c.setTitle(f"{title}, scrap test")
    y = 0.0

    def head(n: int) -> float:
        c.setFillColor(black)
        c.setFont("vollkorn", 16)
        c.drawString(MARGIN, h - MARGIN - 8, f"Scrap test: {title}")
        c.setFont("lato", 9)
        c.setFillColor(_GREY)
        words = f"On a scrap of {paper}. Lay each stack in its box from the first line up, then look beside the printed colour in daylight. Page {n}."
        c.drawString(MARGIN, h - MARGIN - 22, words)
        c.setFillColor(black)
        return h - MARGIN - 36

    if readable is not None:
        draw_page(c, readable, 1, paper)
        c.showPage()
    n, y = 1, head(1)
    for k, t in enumerate(trials, 1):
        lines = [q for words in t.layers for q in wrap(words, "lato", 8.5, w - 2 * MARGIN - 84 * mm)]
        need = max(32 * mm, (len(lines) + 2) * 11 + 8)
        if y - need < MARGIN:
            c.showPage()
            n, y = n + 1, 0.0
            y = head(n)
        top = y - 6
        c.setFont("lato-bold", 9)
        c.drawString(MARGIN, top - 8, f"{k}  {t.title}")
        box = 26 * mm
        c.setStrokeColor(_LINE)
        c.rect(MARGIN, top - 14 - 20 * mm, 2 * box, 20 * mm, stroke=1, fill=0)
        _fill(c, t.predicted, MARGIN + 2 * box, top - 14 - 20 * mm, box * 0.8, 20 * mm)
        c.setFont("lato", 8.5)
        for i, line in enumerate(lines):
            c.drawString(MARGIN + 80 * mm, top - 20 - 11 * i, line)
        c.setFillColor(_GREY)
        c.drawString(MARGIN + 80 * mm, top - 20 - 11 * len(lines) - 6, "What I see: " + "_" * 34)
        c.setFillColor(black)
        y -= need
    c.showPage()
    c.save()
    return write_file(target, out.getvalue())
