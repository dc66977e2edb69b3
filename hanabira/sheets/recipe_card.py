"""The recipe card as PDF: the photo with its areas numbered, then every area's values or places, its layers and notes."""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfgen.canvas import Canvas

from hanabira.core.area.shape import smooth_ring
from hanabira.core.colour.spaces import Array
from hanabira.core.token import SILENT, Token
from hanabira.sheets.card_page import (
    GREY,
    LINE,
    MARGIN,
    PAGES,
    CardArea,
    CardContent,
    Sheet,
    area_foot,
    area_head,
    colour_of,
    register_fonts,
    wrap,
)
from hanabira.sheets.card_places import area_by_places, stroke_legend
from hanabira.studio.writing import write_file


def write_recipe_card(card: CardContent, target: Path, token: Token = SILENT) -> Path:
    """Write a card to ``target``, aside first and then renamed; `Fault` when it cannot be written."""
    register_fonts()
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=PAGES[card.page], pageCompression=1)
    canvas.setTitle(f"{card.title}: recipe card")
    canvas.setAuthor("Hanabira")
    draw_recipe_card(canvas, card, token)
    canvas.save()
    token.check()
    write_file(target, buffer.getvalue())
    token.report(1.0, "Written")
    return target


def draw_recipe_card(canvas: Canvas, card: CardContent, token: Token = SILENT) -> None:
    """Draw a card's pages on a canvas that stands at a fresh page."""
    sheet = Sheet(canvas, card)
    _front(sheet, card)
    for k, area in enumerate(card.areas):
        token.report((k + 0.5) / max(1, len(card.areas)), f"Writing {area.name}")
        _area(sheet, card, area)
    if any(area.places for area in card.areas):
        stroke_legend(sheet)
    sheet.foot()


def _front(s: Sheet, card: CardContent) -> None:
    s.y -= 20
    s.text(MARGIN, card.title, "vollkorn", 22)
    s.y -= 15
    s.text(MARGIN, card.line, size=10, colour=GREY)
    s.y -= 8
    picture_h, picture_w = card.picture.shape[:2]
    k = min(s.room / picture_w, (s.h * 0.5) / picture_h)
    h = picture_h * k
    x, top = (s.w - picture_w * k) / 2, s.y
    rings = (smooth_ring(a.ring) if a.smooth else np.asarray(a.ring, float) for a in card.areas)
    s.picture(card.picture, x, top, k, rings, 1.8)
    for area in card.areas:
        middle = np.asarray(area.ring, float).mean(axis=0)
        s.mark(x + middle[0] * k, top - middle[1] * k, str(area.number), 7)
    s.y = top - h - 8
    s.paragraph(card.paper, "lato-bold", 9.5)
    for line in card.lines:
        s.paragraph(line, size=9)
    pencils: dict[str, tuple[str, Array, list[int]]] = {}
    for area in card.areas:
        for q in area.layers:
            if q.code and q.masstone is not None:
                pencils.setdefault(q.code, (q.pencil, q.masstone, []))[2].append(area.number)
    s.y -= 24
    s.need(30)
    s.text(MARGIN, f"Put {len(pencils)} pencils in the tray", "lato-bold", 11)
    s.y -= 4
    columns, row = 3, 13.0
    rows = -(-len(pencils) // columns)
    s.need(rows * row)
    top = s.y
    for n, (code, (name, lab, numbers)) in enumerate(sorted(pencils.items())):
        cx = MARGIN + (n // rows) * s.room / columns
        cy = top - (n % rows + 1) * row
        s.c.setFillColor(colour_of(lab))
        s.c.rect(cx, cy - 1.5, 16, 10, stroke=0, fill=1)
        s.y = cy + 1
        words = f"{code} {name}  ({runs(numbers)})"
        size = min(8.0, 8.0 * (s.room / columns - 26) / pdfmetrics.stringWidth(words, "lato", 8.0))  # the next column begins there
        s.text(cx + 20, words, size=size)
    s.y = top - rows * row
    if card.notes:
        s.y -= 8
        s.paragraph(f"“{card.notes}”", "vollkorn-italic", 9.5, GREY)


def runs(numbers: Sequence[int]) -> str:
    """Numbers in rising order, three and more in a row as one run.

    >>> runs([4, 1, 2, 3, 7, 8])
    '1–4, 7, 8'
    """
    out: list[list[int]] = []
    for n in sorted(set(numbers)):
        if out and n == out[-1][-1] + 1:
            out[-1].append(n)
        else:
            out.append([n])
    return ", ".join(f"{q[0]}–{q[-1]}" if len(q) > 2 else ", ".join(map(str, q)) for q in out)


def _area(s: Sheet, card: CardContent, area: CardArea) -> None:
    if area.places:
        area_by_places(s, area)
        return
    row = 25.0
    need = 86 + row * (len(area.layers) + 1)
    if s.y - need < MARGIN + 8 * mm:
        s.new_page()
    else:
        s.y -= 20
        s.rule()
    area_head(s, area)
    _bands(s, area)
    _strata(s, card, area, row)
    area_foot(s, area)


def _bands(s: Sheet, area: CardArea) -> None:
    """Values: the photo's colour over the predicted one, touching, for each band."""
    wide = s.room / 4
    top = s.y
    for n, (name, photo, predicted, de) in enumerate(area.bands):
        x = MARGIN + n * wide
        s.c.setFillColor(colour_of(photo))
        s.c.rect(x, top - 12, 44, 12, stroke=0, fill=1)
        s.c.setFillColor(colour_of(predicted))
        s.c.rect(x, top - 24, 44, 12, stroke=0, fill=1)
        s.y = top - 9
        s.text(x + 49, f"{name} L*\u2009{photo[0]:.0f}", "lato-bold", 8)
        s.y = top - 20
        s.text(x + 49, f"gives {predicted[0]:.0f}, ΔE00 {de:.1f}", size=7.5, colour=GREY)
    s.y = top - 32


def _strata(s: Sheet, card: CardContent, area: CardArea, row: float) -> None:
    """Layers as a cut, the first at the bottom, each as thick as the tooth it takes; the words in even rows beside it."""
    n = len(area.layers)
    if not n:
        return
    high = row * n
    top, base = s.y, s.y - high
    cut_x, cut_w, text_x = MARGIN, 62.0, MARGIN + 92.0
    total = max(1.0, sum(q.uses for q in area.layers))
    y = base
    places = []
    for q in area.layers:
        thick = max(1.5, q.uses / total * high)
        s.c.setFillColor(colour_of(q.masstone) if q.masstone is not None else LINE)
        s.c.rect(cut_x, y, cut_w, thick, stroke=0, fill=1)
        places.append(y + thick / 2)
        y += thick
    s.c.setStrokeColor(GREY)
    s.c.setDash(1.5, 1.5)
    s.c.rect(cut_x, base, cut_w, high, stroke=1, fill=0)
    s.c.setDash()
    s.c.setFillColor(colour_of(card.ground))
    s.c.rect(cut_x, base - 8, cut_w, 8, stroke=0, fill=1)
    s.c.setStrokeColor(LINE)
    s.c.rect(cut_x, base - 8, cut_w, 8, stroke=1, fill=0)
    for k, (q, middle) in enumerate(zip(area.layers, places, strict=True)):
        mid = base + (k + 0.5) * row
        s.c.setStrokeColor(LINE)
        s.c.setLineWidth(0.6)
        s.c.line(cut_x + cut_w + 2, middle, text_x - 6, mid)
        if q.masstone is not None:
            s.c.setFillColor(colour_of(q.masstone))
            s.c.rect(text_x, mid - 9, 18, 18, stroke=0, fill=1)
        s.c.setFillColor(colour_of(q.after))
        s.c.rect(s.w - MARGIN - 26, mid - row / 2, 26, row, stroke=0, fill=1)
        passes = f"{q.passes} pass{'es' if q.passes > 1 else ''}"
        s.y = mid + 2.5
        head = f"{k + 1}  {q.code} {q.pencil}".strip()
        s.text(text_x + 24, head, "lato-bold", 9)
        s.text(s.w - MARGIN - 32, f"L*\u2009{q.after[0]:.0f}", size=8, colour=GREY, right=True)
        x = text_x + 24 + pdfmetrics.stringWidth(head, "lato-bold", 9) + 8
        s.text(x, f"{q.role}, pressure {q.pressure}, {passes}, {q.stroke}, {q.where}", size=8.5)
        s.y = mid - 8
        room = s.w - MARGIN - 60 - (text_x + 24)
        s.text(text_x + 24, wrap(q.why, "vollkorn-italic", 8, room)[0], "vollkorn-italic", 8, GREY)
    s.y = min(base - 12, top - high - 12)
