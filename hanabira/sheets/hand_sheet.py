"""A hand drill's sheet as PDF: marks and wedges to be read back by, its fields, and what is printed in them."""

from __future__ import annotations

import io
from pathlib import Path

from reportlab.lib.colors import Color
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from hanabira.core.practice.hand import HandSheet
from hanabira.sheets.card_page import register_fonts
from hanabira.sheets.swatch_sheet import INK, LINE, draw_frame, put_box, put_words
from hanabira.studio.writing import write_file

GUIDE = Color(0.82, 0.82, 0.82)
"""What is printed in a field is so pale that a photo does not take it for a stroke."""


def write_hand_sheet(sheet: HandSheet, how: str, target: Path) -> Path:
    """Write a drill's page, to be printed at 100 % on the drawing paper; ``how`` says what to do. `Fault` when it cannot be written."""
    register_fonts()
    buffer = io.BytesIO()
    page = sheet.page
    w, h = page.size
    c = Canvas(buffer, pagesize=(w * mm, h * mm))
    c.setTitle(f"Hanabira practice: {page.title}")
    draw_frame(c, page, "Practice, to be photographed with all four marks in the picture")
    put_words(c, page, 24, 34, how, 8.5, most=162)
    put_words(
        c, page, 24, y=39.5, words="Print at 100 % on the paper you draw on. Stay within the fields; what is between them tells the light.",
        size=7.5, font="lato", colour=INK, most=162,
    )
    for cell in page.cells:
        put_box(c, page, cell.rect, None, LINE)
        x, y, _w, high = cell.rect
        put_words(
            c, page, x, y=y + high + 4.5, words=cell.label, size=7.5, font="lato", colour=INK,
        )
    c.setStrokeColor(GUIDE)
    c.setLineWidth(0.5)
    for line in sheet.guides:
        path = c.beginPath()
        for k, (x, y) in enumerate(line):
            path.lineTo(x * mm, (h - y) * mm) if k else path.moveTo(x * mm, (h - y) * mm)
        c.drawPath(path, stroke=1, fill=0)
    for x, y, r in sheet.circles:
        c.circle(x * mm, (h - y) * mm, r * mm, stroke=1, fill=0)
    c.showPage()
    c.save()
    return write_file(target, buffer.getvalue())
