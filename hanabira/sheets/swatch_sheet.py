"""The swatch sheet as PDF: corner marks, page code, grey wedges and labelled cells to fill with one's own pencils."""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path

from reportlab.lib.colors import Color, black, white
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfgen.canvas import Canvas

from hanabira.core.colour.spaces import lab_to_srgb
from hanabira.core.swatch.layout import MARK_MM, SheetPage
from hanabira.core.swatch.marks import mark_shapes
from hanabira.core.token import SILENT, Token
from hanabira.sheets.card_page import register_fonts
from hanabira.studio.writing import write_file

LINE = Color(0.8, 0.8, 0.8)
INK = Color(0.35, 0.35, 0.35)


def write_swatch_sheet(pages: Sequence[SheetPage], target: Path, paper_name: str = "", token: Token = SILENT) -> Path:
    """Write all pages, to be printed at 100 % on the drawing paper itself; `Fault` when it cannot be written."""
    register_fonts()
    buffer = io.BytesIO()
    w, h = pages[0].size
    canvas = Canvas(buffer, pagesize=(w * mm, h * mm))
    canvas.setTitle("Hanabira swatch sheet")
    for k, page in enumerate(pages):
        token.report(k / len(pages), "Drawing the swatch sheet")
        draw_page(canvas, page, len(pages), paper_name)
        canvas.showPage()
    canvas.save()
    return write_file(target, buffer.getvalue())


def put_box(c: Canvas, page: SheetPage, rect: tuple[float, float, float, float], fill: Color | None, stroke: Color | None = None) -> None:
    """A rectangle in mm of the page, filled, outlined or both."""
    x, y, w, h = rect
    if fill is not None:
        c.setFillColor(fill)
    if stroke is not None:
        c.setStrokeColor(stroke)
        c.setLineWidth(0.4)
    c.rect(x * mm, (page.size[1] - y - h) * mm, w * mm, h * mm, stroke=stroke is not None, fill=fill is not None)


def put_words(
    c: Canvas,
    page: SheetPage,
    x: float,
    y: float,
    words: str,
    size: float = 7.5,
    font: str = "lato",
    colour: Color = black,
    most: float = 0,
) -> None:
    """Words at a place in mm of the page, shortened to ``most`` mm where that is given."""
    while most and len(words) > 3 and pdfmetrics.stringWidth(words, font, size) > most * mm:
        words = words[:-2] + "…" if not words.endswith("…") else words[:-2] + "…"
    c.setFont(font, size)
    c.setFillColor(colour)
    c.drawString(x * mm, (page.size[1] - y) * mm, words)


def put_mark(c: Canvas, middle: tuple[float, float], side: float, holed: bool) -> None:
    """A corner mark about a place in mm from the page's lower left corner."""
    for points, dark in mark_shapes(holed):
        path = c.beginPath()
        for n, (x, y) in enumerate(points * side):
            (path.lineTo if n else path.moveTo)((middle[0] + x) * mm, (middle[1] - y) * mm)
        path.close()
        c.setFillColor(black if dark else white)
        c.drawPath(path, stroke=0, fill=1)


def draw_frame(c: Canvas, page: SheetPage, under: str) -> None:
    """Draw a page's marks, code, grey wedges and title on a canvas, with a line ``under`` the title."""
    for k, (mx, my) in enumerate(page.marks):
        put_mark(c, (mx, page.size[1] - my), MARK_MM, k == 0)
    for rect, on in page.code:
        put_box(c, page, rect, black if on else None)
    for rect, value in page.greys:
        r, g, b = (float(v) for v in lab_to_srgb([value, 0, 0]))
        put_box(c, page, rect, Color(r, g, b))
    put_words(c, page, 24, 15.5, page.title, 12, "vollkorn")
    put_words(
        c, page, 24, y=21, words=under, size=7.5, font="lato", colour=INK,
    )


def draw_page(c: Canvas, page: SheetPage, count: int, paper_name: str) -> None:
    """Draw one page with its marks, greys and cells on a canvas; ``count`` pages in all."""
    where = f"page {page.number} of {count}" if page.number <= count else "for reading back"
    draw_frame(c, page, where + (f" · {paper_name}" if paper_name else ""))
    strip = [cell for cell in page.cells if cell.ground == "black"]
    heads = {1: "light", 3: "medium", 5: "heavy, twice"}
    if strip:
        first = page.cells[0].rect[1]
        for j in range(4):
            for block in {round(cell.rect[0], 1) for cell in page.cells[j::4]}:
                words = "on black card" if j == 3 else heads[page.cells[j].layers[0].pressure]
                put_words(
                    c, page, block, y=first - 1.6, words=words, size=6.2, font="lato", colour=INK,
                )
        put_words(
            c, page, 24, y=34,
            words="Print at 100 %. Glue a strip of black card over the cells marked for it, then fill every cell evenly to its edge.", size=7.5,
            font="lato", colour=INK,
        )
    else:
        put_words(
            c, page, 24, y=34, words="Lay the pencils in the order written, the first at the bottom, and fill each chip evenly to its edge.",
            size=7.5, font="lato", colour=INK,
        )
    for cell in page.cells:
        put_box(c, page, cell.rect, None, LINE)
        if cell.ground == "black":
            x, y, w, h = cell.rect
            c.setDash(1, 1)
            put_box(c, page, (x - 0.4, y - 0.4, w + 0.8, h + 0.8), None, black)
            c.setDash()
        if cell.label and cell.rect[2] < 20:
            put_words(c, page, cell.rect[0] - 28.5, cell.rect[1] + 5.4, cell.label, 7.5, most=27.5)
        elif cell.label:
            parts = cell.label.split(", ")
            for n, part in enumerate(parts):
                words = f"{n + 1}  {part}" if len(parts) > 1 else part
                put_words(c, page, cell.rect[0], cell.rect[1] + cell.rect[3] + 3.4 + 3.2 * n, words, 7)
    put_words(
        c, page, 24, y=page.size[1] - 12,
        words="Keep the grey steps, the corner marks and the spaces between the cells clean: they tell light and scale.", size=7, font="lato",
        colour=INK,
    )
