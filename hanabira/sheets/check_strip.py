"""The check strip as PDF: marks, seven greys, boxes for seven pencils of the kit, to be cut out and laid beside the sheet."""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path

from reportlab.lib.colors import Color, black
from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from hanabira.core.colour.spaces import lab_to_srgb
from hanabira.core.progress.strip import GREYS, MARK_MM, MARKS_MM, RUBBED, SIZE_MM, rects
from hanabira.sheets.card_page import register_fonts
from hanabira.sheets.swatch_sheet import put_mark
from hanabira.studio.writing import write_file

AT_MM = (20.0, 40.0)
"""Where the strip's top left corner lies on the page, from the page's own."""
_INK = Color(0.35, 0.35, 0.35)


def write_check_strip(pencils: Sequence[tuple[str, str]], target: Path) -> Path:
    """Write the page for these pencils (code, name) in their order; `Fault` when it cannot be written. To be printed at 100 %."""
    register_fonts()
    buffer = io.BytesIO()
    c = Canvas(buffer, pagesize=A4)
    c.setTitle("Hanabira check strip")
    high = A4[1] / mm

    def box(x: float, y: float, w: float, h: float, fill: Color | None, line: Color | None = None) -> None:
        if fill is not None:
            c.setFillColor(fill)
        if line is not None:
            c.setStrokeColor(line)
            c.setLineWidth(0.3)
        c.rect((AT_MM[0] + x) * mm, (high - AT_MM[1] - y - h) * mm, w * mm, h * mm, stroke=line is not None, fill=fill is not None)

    def words(x: float, y: float, text: str, size: float, font: str = "lato", colour: Color = black) -> None:
        c.setFont(font, size)
        c.setFillColor(colour)
        c.drawString(x * mm, (high - y) * mm, text)

    words(AT_MM[0], 22, "Check strip", 15, "vollkorn")
    words(
        AT_MM[0],
        29,
        "Print at 100 % on matt paper, cut along the line, rub the lower boxes in, lay it beside the sheet on its lit side.",
        8.5,
        colour=_INK,
    )
    for k, (mx, my) in enumerate(MARKS_MM):
        put_mark(c, (AT_MM[0] + mx, high - AT_MM[1] - my), MARK_MM, k == 0)
    places = rects()
    for rect, value in zip(places[:7], GREYS, strict=True):
        r, g, b = (float(v) for v in lab_to_srgb([value, 0, 0]))
        box(*rect, Color(r, g, b))
    for rect in places[7:]:
        box(*rect, None, Color(0.75, 0.75, 0.75))
    box(0, 0, *SIZE_MM, None, _INK)
    for n, ((x, _y, _w, _h), (code, name)) in enumerate(zip(places[7:], pencils, strict=False)):
        # the names stand outside, in two rows, so that the white beside the boxes stays white
        words(AT_MM[0] + x, AT_MM[1] + SIZE_MM[1] + 5 + 4 * (n % 2), f"{code} {name}", 6.5, colour=_INK)
    c.setStrokeColor(_INK)
    c.setLineWidth(0.3)
    y = AT_MM[1] + SIZE_MM[1] + 16
    for k in range(171):
        tick = 4.0 if k % 10 == 0 else 2.6 if k % 5 == 0 else 1.6
        c.line((AT_MM[0] + k) * mm, (high - y) * mm, (AT_MM[0] + k) * mm, (high - y - tick) * mm)
        if k % 50 == 0:
            words(AT_MM[0] + k - 1, y + 8, f"{k}", 7, colour=_INK)
    for n, line in enumerate((
        f"Rub each box in with the pencil written under it, at pressure {RUBBED.pressure} and twice, to its edge and no further.",
        "The scale above must measure 170 mm; else the print was scaled.",
        "Keep the white between the boxes clean: light is told by it. Do not press or bend the strip.",
        "Scan it once and let Check read it: then the printed greys are known as your printer made them.",
    )):  # fmt: skip
        words(AT_MM[0], y + 18 + 6 * n, line, 9, colour=black)
    c.showPage()
    c.save()
    return write_file(target, buffer.getvalue())
