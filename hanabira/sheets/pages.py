"""Flowing printed pages: our typefaces, pictures, swatches and tables on the page flow of the PDF library."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from pathlib import Path
from xml.sax.saxutils import escape

import numpy as np
from reportlab.lib.colors import Color
from reportlab.lib.styles import ParagraphStyle
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import CondPageBreak, Flowable, Image, KeepTogether, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from hanabira.core.colour.spaces import Array, lab_to_srgb
from hanabira.sheets.card_page import MARGIN, PAGES, register_fonts
from hanabira.sheets.pictures import encoded
from hanabira.sheets.sender import NOBODY, Sender
from hanabira.studio.writing import write_file

GREY = Color(0.3, 0.3, 0.3)
LINE = Color(0.72, 0.72, 0.72)
LEAST_ROWS = 120.0
"""Points that must be left on a page for a heading and a few rows of its table."""
_STYLES = {
    "title": ("vollkorn", 24, 29, 0, 2),
    "head": ("vollkorn", 14, 18, 12, 4),
    "body": ("lato", 9.5, 13, 0, 3),
    "strong": ("lato-bold", 9.5, 13, 0, 2),
    "note": ("lato", 8.5, 11, 0, 2),
    "cell": ("lato", 8.5, 10.5, 0, 0),
    "cell-strong": ("lato-bold", 8.5, 10.5, 0, 0),
    "aside": ("vollkorn-italic", 10, 13.5, 0, 3),
}


def words(text: str, style: str = "body", grey: bool = False) -> Paragraph:
    """A paragraph in one of the type roles; the text is plain, not markup."""
    register_fonts()
    font, size, lead, before, after = _STYLES[style]
    look = ParagraphStyle(
        style,
        fontName=font,
        fontSize=size,
        leading=lead,
        spaceBefore=before,
        spaceAfter=after,
        textColor=GREY if grey else Color(0, 0, 0),
        keepWithNext=style == "head",
    )
    return Paragraph(escape(text).replace("\n", "<br/>"), look)


def gap(points: float) -> Spacer:
    """Empty room."""
    return Spacer(1, points)


def picture(pixels: np.ndarray, width: float, most_height: float) -> Image:
    """Pixels (H, W, 3) uint8 as large as fits, in points."""
    h, w = pixels.shape[:2]
    k = min(width / w, most_height / h)
    return Image(encoded(pixels), w * k, h * k, hAlign="LEFT")


class FlatSwatch(Flowable):
    """A flat patch of a Lab colour; a dashed frame where there is none."""

    def __init__(self, lab: Array | None, width: float = 20.0, height: float = 11.0) -> None:
        super().__init__()
        self.lab, self.width, self.height = lab, width, height

    def draw(self) -> None:
        """Fill the patch; called by the page flow."""
        if self.lab is not None:
            r, g, b = (float(v) for v in lab_to_srgb(self.lab))
            self.canv.setFillColor(Color(r, g, b))
            self.canv.rect(0, 0, self.width, self.height, stroke=0, fill=1)


def facts(rows: Sequence[tuple[str, str]], width: float) -> Table:
    """Names and values in two columns; rows without a value are left out."""
    cells = [[words(k, "cell", True), words(v, "cell")] for k, v in rows if v]
    table = Table(cells or [["", ""]], colWidths=[0.27 * width, 0.73 * width], hAlign="LEFT")
    table.setStyle(
        TableStyle(
            [
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LEFTPADDING", (0, 0), (-1, -1), 0),
                ("TOPPADDING", (0, 0), (-1, -1), 1.5),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 1.5),
            ]
        )
    )
    return table


def grid(head: Sequence[str], rows: Sequence[Sequence[str | Flowable]], shares: Sequence[float], width: float) -> Table:
    """A table with a heading row that is repeated on every page."""
    body = [[words(c, "cell") if isinstance(c, str) else c for c in r] for r in rows]
    total = sum(shares)
    table = Table(
        [[words(h, "cell-strong") for h in head], *body], colWidths=[width * s / total for s in shares], repeatRows=1, hAlign="LEFT"
    )
    table.setStyle(
        TableStyle(
            [
                ("VALIGN", (0, 0), (-1, -1), "TOP"), ("LINEBELOW", (0, 0), (-1, 0), 0.8, GREY), ("LINEBELOW", (0, 1), (-1, -1), 0.4, LINE),
                ("LEFTPADDING", (0, 0), (-1, -1), 0), ("RIGHTPADDING", (0, 0), (-1, -1), 5), ("TOPPADDING", (0, 0), (-1, -1), 2), ("BOTTOMPADDING", (0, 0), (-1, -1), 2.5),
            ]
        )
    )  # fmt: skip
    return table


def section(title: str, table: Flowable) -> list[Flowable]:
    """A heading with a table that may go on overleaf: it begins where a few rows still fit, and leaves no page half empty."""
    head = words(title, "head")
    head.style.keepWithNext = 0
    return [CondPageBreak(LEAST_ROWS), head, table]


def spread(left: Flowable, right: Sequence[Flowable], width: float) -> Table:
    """A picture over four of six columns and what belongs to it beside it."""
    table = Table([[left, list(right)]], colWidths=[width * 4 / 6, width * 2 / 6], hAlign="LEFT")
    table.setStyle(
        TableStyle(
            [
                ("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (0, 0), 0), ("LEFTPADDING", (1, 0), (1, 0), 12), ("RIGHTPADDING", (0, 0), (-1, -1), 0),
                ("TOPPADDING", (0, 0), (-1, -1), 0), ("BOTTOMPADDING", (0, 0), (-1, -1), 0),
            ]
        )
    )  # fmt: skip
    return table


def stacked(rows: Sequence[tuple[str, str]]) -> list[Flowable]:
    """Names and values under one another, for a narrow column; rows without a value are left out."""
    out: list[Flowable] = []
    for name, value in rows:
        if value:
            out += [words(name, "note", True), words(value, "body")]
    return out


def together(*parts: Flowable) -> KeepTogether:
    """Parts that are not torn apart by a page's end."""
    return KeepTogether(list(parts))


def room(page: str) -> tuple[float, float]:
    """Width and height inside the margins, in points."""
    w, h = PAGES[page]
    return w - 2 * MARGIN, h - 2 * MARGIN


def write_pages(
    title: str,
    story: Sequence[Flowable],
    target: Path,
    page: str = "A4",
    then: Callable[[Canvas], None] | None = None,
    sender: Sender = NOBODY,
) -> Path:
    """Write the flow as PDF with ``sender`` and the page's number at the foot; ``then`` draws pages after it. `Fault` when it cannot be written."""
    register_fonts()
    out = io.BytesIO()
    doc = SimpleDocTemplate(
        out,
        pagesize=PAGES[page],
        leftMargin=MARGIN,
        rightMargin=MARGIN,
        topMargin=MARGIN,
        bottomMargin=MARGIN,
        title=title,
        author=sender.name,
    )

    def foot(canvas: Canvas, doc_: SimpleDocTemplate) -> None:
        canvas.setFont("lato", 8)
        canvas.setFillColor(GREY)
        sender.draw(canvas, MARGIN, MARGIN - 14)
        canvas.setFont("lato", 8)
        canvas.drawRightString(PAGES[page][0] - MARGIN, MARGIN - 14, f"{title} · {doc_.page}")

    class Longer(Canvas):
        """A canvas that draws the further pages before it is closed."""

        def save(self) -> None:
            """Close the document."""
            if then is not None:
                then(self)
            super().save()

    doc.build(list(story), onFirstPage=foot, onLaterPages=foot, canvasmaker=Longer)
    return write_file(target, out.getvalue())
