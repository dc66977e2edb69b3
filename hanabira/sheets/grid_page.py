"""A page on one grid of six columns, black on white: what the sheets for clients share. Columns from the left, y from the top of the page, in points."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from xml.sax.saxutils import escape

import numpy as np
from reportlab.lib.colors import Color, black
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Paragraph

from hanabira.sheets.card_page import GREY, LINE, PAGES, register_fonts
from hanabira.sheets.pictures import reader
from hanabira.sheets.sender import NOBODY, Sender

MARGIN, GUTTER, COLUMNS = 15 * mm, 4 * mm, 6
FOOT = 14 * mm
BED = Color(0.56, 0.56, 0.56)
"""The grey on which colours lie that touch."""


class GridPage:
    """A canvas with the grid. ``tail`` names the sheet at its foot, beside the page's number; ``sender`` says who it is from."""

    def __init__(self, title: str, tail: str, sender: Sender = NOBODY, page: str = "A4") -> None:
        register_fonts()
        self._out = io.BytesIO()
        self.tail, self.sender = f"{title}, {tail}", sender
        self.wide, self.high = PAGES[page]
        self.canvas = Canvas(self._out, pagesize=PAGES[page])
        self.canvas.setTitle(self.tail)
        self.canvas.setAuthor(sender.name)
        self.column = (self.wide - 2 * MARGIN - (COLUMNS - 1) * GUTTER) / COLUMNS
        self.number = 1

    def x(self, column: int) -> float:
        """Left edge of a column, 0 to 5."""
        return MARGIN + column * (self.column + GUTTER)

    def span(self, columns: int) -> float:
        """Width of so many columns."""
        return columns * self.column + (columns - 1) * GUTTER

    def text(
        self, x: float, y: float, words: str, font: str = "lato", size: float = 9.5, grey: bool = False, right: float | None = None
    ) -> None:
        """A line whose baseline lies ``y`` under the page's top; ``right`` aligns it to that edge."""
        self.canvas.setFont(font, size)
        self.canvas.setFillColor(GREY if grey else black)
        at = self.high - y
        if right is None:
            self.canvas.drawString(x, at, words)
        else:
            self.canvas.drawRightString(right, at, words)

    def block(self, x: float, y: float, wide: float, words: str, size: float = 9.5, font: str = "lato", grey: bool = False) -> float:
        """A paragraph; returns the y under it."""
        part = paragraph(words, size, font, grey)
        _w, h = part.wrap(wide, 10_000)
        part.drawOn(self.canvas, x, self.high - y - h)
        return y + h

    def rule(self, x: float, y: float, wide: float, strong: bool = False) -> None:
        """A horizontal line."""
        self.canvas.setStrokeColor(GREY if strong else LINE)
        self.canvas.setLineWidth(0.9 if strong else 0.5)
        self.canvas.line(x, self.high - y, x + wide, self.high - y)

    def image(self, pixels: np.ndarray, x: float, y: float, wide: float, high: float) -> None:
        """Pixels (H, W, 3) uint8 into a box."""
        self.canvas.drawImage(reader(pixels), x, self.high - y - high, wide, high)

    def box(self, x: float, y: float, side: float = 3.2 * mm) -> None:
        """A box to tick; ``y`` is the baseline of the words beside it."""
        self.canvas.setStrokeColor(black)
        self.canvas.setLineWidth(0.8)
        self.canvas.rect(x, self.high - y - 0.4 * mm, side, side, stroke=1, fill=0)

    def foot(self) -> None:
        """Who it is from, and the page's number."""
        y = self.high - 9 * mm
        self.canvas.setFillColor(GREY)
        self.sender.draw(self.canvas, MARGIN, self.high - y)
        self.text(0, y, f"{self.tail} · {self.number}", "lato", 8, True, right=self.wide - MARGIN)

    def head(self, title: str, line: str, client: str, day: str) -> float:
        """Title, whom it is for and when; the y under it."""
        right = self.wide - MARGIN
        self.text(MARGIN, 22 * mm, title, "vollkorn", 26)
        if client:
            self.text(0, 18.5 * mm, f"For {client}", "lato-bold", 10.5, right=right)
        self.text(0, 23.5 * mm, day, "lato", 9.5, True, right=right)
        return self.block(MARGIN, 25 * mm, self.span(4), line, 11, "vollkorn-italic", True)

    def caption(self, column: int, y: float, columns: int, words: str) -> None:
        """A strong rule over so many columns with a heading under it."""
        self.rule(self.x(column), y, self.span(columns), True)
        self.text(self.x(column), y + 4.6 * mm, words, "lato-bold", 9.5)

    def facts(self, column: int, y: float, columns: int, rows: Sequence[tuple[str, str]]) -> float:
        """Names in grey with their values beside them; the y under the last one."""
        wide = self.span(columns)
        name = 0.36 * wide
        for key, value in rows:
            if value:
                self.block(self.x(column), y, name, key, 9, grey=True)
                y = self.block(self.x(column) + name, y, wide - name, value, 9) + 0.8 * mm
        return y

    def finish(self) -> bytes:
        """The last page's foot, and the whole file."""
        self.foot()
        self.canvas.showPage()
        self.canvas.save()
        return self._out.getvalue()

    def turn(self) -> float:
        """A further page; the y where it begins."""
        self.foot()
        self.canvas.showPage()
        self.number += 1
        return 20 * mm


def paragraph(words: str, size: float = 9.5, font: str = "lato", grey: bool = False) -> Paragraph:
    """Plain words as a paragraph of the page."""
    look = ParagraphStyle("approval", fontName=font, fontSize=size, leading=1.32 * size, textColor=GREY if grey else black)
    return Paragraph(escape(words).replace("\n", "<br/>"), look)


def fitted(draw: Callable[[float], GridPage], most: float, least: float, step: float = 4 * mm) -> bytes:
    """The file of a sheet whose picture gives way until all of it stands on one page: drawn with a height from ``most`` down to ``least`` points.

    Where even the least leaves no room, the largest picture stays and the rest goes overleaf.
    """
    size = max(most, least)
    first = None
    while size >= least - 1e-6:
        page = draw(size)
        done = page.finish()
        if page.number == 1:
            return done
        first = first or done
        size -= step
    assert first is not None
    return first
