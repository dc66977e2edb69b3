"""The approval sheet: what the client agrees to before the first stroke. One page on a grid of six columns, black on white, a second one before smaller type.

The forecast over four columns, beside it the photo and an eye at true size, the coat's colours, then what is ordered, what makes the likeness, the answer.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from xml.sax.saxutils import escape

import numpy as np
from PIL import Image
from reportlab.lib.colors import Color, black
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Paragraph

from hanabira.core.colour.spaces import Array, lab_to_srgb
from hanabira.sheets.card_page import GREY, LINE, PAGES, register_fonts
from hanabira.studio.writing import write_file

MARGIN, GUTTER, COLUMNS = 15 * mm, 4 * mm, 6
FOOT = 14 * mm
LEAST_PICTURE = 80 * mm
MOST_MARKS = 8
EYE_MM = 57.0
"""Millimetres of the sheet that the view of the eye shows: two columns of an A4 page, at true size."""
NOTE = "Colours on paper differ from this print by about as much as two printings of one page do. Hairs drawn by hand do not lie as in the photo, hair for hair."
BED = Color(0.56, 0.56, 0.56)


@dataclass(frozen=True)
class Approval:
    """``picture`` (H, W, 3) uint8 is the crop on its backdrop, ``forecast`` the same as the plan will look on paper, with what it covers in words;
    ``eye`` a square of it, ``eye_mm`` millimetres wide. ``colours`` are Lab with the area's name and the colour's words, ``terms`` sentences.
    """

    title: str
    line: str
    picture: np.ndarray
    facts: Sequence[tuple[str, str]]
    colours: Sequence[tuple[Array, str, str]]
    terms: Sequence[str]
    client: str = ""
    day: str = ""
    size: str = ""
    forecast: np.ndarray | None = None
    forecast_words: str = ""
    eye: np.ndarray | None = None
    eye_mm: float = EYE_MM
    likeness: Sequence[str] = field(default=())
    studio: str = ""
    page: str = "A4"


class _Page:
    """A canvas with the grid: columns from the left, y from the top of the page, in points."""

    def __init__(self, sheet: Approval, out: io.BytesIO) -> None:
        register_fonts()
        self.sheet = sheet
        self.wide, self.high = PAGES[sheet.page]
        self.canvas = Canvas(out, pagesize=PAGES[sheet.page])
        self.canvas.setTitle(f"{sheet.title}, for approval")
        self.canvas.setAuthor(sheet.studio)
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
        self.canvas.drawImage(_reader(pixels), x, self.high - y - high, wide, high)

    def box(self, x: float, y: float, side: float = 3.2 * mm) -> None:
        """A box to tick; ``y`` is the baseline of the words beside it."""
        self.canvas.setStrokeColor(black)
        self.canvas.setLineWidth(0.8)
        self.canvas.rect(x, self.high - y - 0.4 * mm, side, side, stroke=1, fill=0)

    def foot(self, of: int | None = None) -> None:
        """Who it is from, and the page's number."""
        y = self.high - 9 * mm
        self.text(MARGIN, y, self.sheet.studio, "lato", 8, True)
        self.text(0, y, f"{self.sheet.title}, for approval · {self.number}", "lato", 8, True, right=self.wide - MARGIN)

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


def _reader(pixels: np.ndarray) -> ImageReader:
    step = max(1, int(max(pixels.shape[:2]) / 2000))
    out = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(pixels[::step, ::step])).save(out, "JPEG", quality=90)
    out.seek(0)
    return ImageReader(out)


def write_approval(sheet: Approval, target: Path) -> Path:
    """Write it as PDF; `Fault` when it cannot be written."""
    out = io.BytesIO()
    page = _Page(sheet, out)
    y = _head(page)
    # the pictures get what the words leave, and never so little that they say nothing
    left = page.high - FOOT - (y + 4 * mm) - 12 * mm - _colours_high(page) - 10 * mm - _blocks_high(page) - _terms_high(page)
    y = _pictures(page, y + 4 * mm, min(0.56 * page.high, max(LEAST_PICTURE, left)))
    y = _colours(page, y + 5 * mm)
    _blocks(page, y + 5 * mm)
    page.foot()
    page.canvas.showPage()
    page.canvas.save()
    return write_file(target, out.getvalue())


def _head(page: _Page) -> float:
    sheet = page.sheet
    right = page.wide - MARGIN
    page.text(MARGIN, 22 * mm, sheet.title, "vollkorn", 26)
    if sheet.client:
        page.text(0, 18.5 * mm, f"For {sheet.client}", "lato-bold", 10.5, right=right)
    page.text(0, 23.5 * mm, sheet.day, "lato", 9.5, True, right=right)
    return page.block(MARGIN, 25 * mm, page.span(4), sheet.line, 11, "vollkorn-italic", True)


def _pictures(page: _Page, y: float, most: float) -> float:
    """Forecast (or the photo alone) over four columns; photo and eye over two, with one common foot line."""
    sheet = page.sheet
    main = sheet.forecast if sheet.forecast is not None else sheet.picture
    h, w = main.shape[:2]
    wide = page.span(4)
    high = min(most, wide * h / w)
    shown = high * w / h
    page.canvas.setFillColor(Color(0.93, 0.93, 0.93))
    if shown < wide - 1:  # a tall sheet stands in the middle of its columns
        page.canvas.rect(MARGIN, page.high - y - high, wide, high, stroke=0, fill=1)
    page.image(main, MARGIN + (wide - shown) / 2, y, shown, high)
    small, x = page.span(2), page.x(4)
    eye_high = 0.0
    if sheet.eye is not None:
        eye_high = min(small, sheet.eye_mm * mm) if high > small + 30 * mm else 0.0
    if sheet.forecast is not None:
        caption = 5 * mm
        room = high - (eye_high + caption + 3 * mm if eye_high else 0.0) - (caption if eye_high else 0.0)
        ph, pw = sheet.picture.shape[:2]
        k = min(small / pw, room / ph)
        page.image(sheet.picture, x, y, pw * k, ph * k)
        page.text(x, y + ph * k + 4 * mm, "Your photo, cut to the sheet", "lato", 9)
    if eye_high:
        assert sheet.eye is not None
        top = y + high - eye_high
        page.image(sheet.eye, x, top, eye_high, eye_high)
        _ruler(page, x, y + high, eye_high)
        page.text(x, y + high + 6.2 * mm, f"The eye at true size, {eye_high / mm:.0f} mm across", "lato", 9)
    words = sheet.forecast_words if sheet.forecast is not None else "Your photo, cut to the sheet"
    scale = f"{sheet.size}, here 1 : {_scale(sheet, shown):.1f}" if sheet.size else ""
    page.text(0, y + high + 6.2 * mm, scale, "lato", 9, True, right=MARGIN + wide)
    taken = page.canvas.stringWidth(scale, "lato", 9) + 4 * mm if scale else 0.0
    return max(page.block(MARGIN, y + high + 3 * mm, wide - taken, words, 9), y + high + 7 * mm)


def _scale(sheet: Approval, shown: float) -> float:
    """How many times smaller than the sheet its picture is printed."""
    return float(sheet.size.split("×")[0].strip()) * mm / shown


def _ruler(page: _Page, x: float, y: float, wide: float) -> None:
    """Millimetres under a view at true size."""
    page.canvas.setStrokeColor(GREY)
    page.canvas.setLineWidth(0.35)
    for k in range(int(wide / mm) + 1):
        n = 2.0 if k % 10 == 0 else 1.4 if k % 5 == 0 else 0.8
        page.canvas.line(x + k * mm, page.high - y, x + k * mm, page.high - y - n * mm)


def _colours(page: _Page, y: float) -> float:
    """The coat's colours, touching, on a grey bed; under each the area it is from."""
    cells = list(page.sheet.colours)[:6]
    if not cells:
        return y
    whole = page.span(COLUMNS)
    page.rule(MARGIN, y, whole, True)
    page.text(MARGIN, y + 4.6 * mm, "Colours of the coat", "lato-bold", 9.5)
    top, high, edge = y + 7 * mm, 10 * mm, 1.0 * mm
    page.canvas.setFillColor(BED)
    page.canvas.rect(MARGIN, page.high - top - high, whole, high, stroke=0, fill=1)
    one = (whole - 2 * edge) / len(cells)
    low = top + high
    for k, (lab, area, words) in enumerate(cells):
        r, g, b = (float(v) for v in lab_to_srgb(lab))
        page.canvas.setFillColor(Color(r, g, b))
        page.canvas.rect(MARGIN + edge + k * one, page.high - top - high + edge, one, high - 2 * edge, stroke=0, fill=1)
        x = MARGIN + edge + k * one
        under = page.block(x, top + high + 1 * mm, one - 2 * mm, area, 9)
        low = max(low, page.block(x, under, one - 2 * mm, words, 8, grey=True))
    return low


def _blocks(page: _Page, y: float) -> float:
    """What is ordered, what makes the likeness, the answer: two columns each; then what was agreed. Rows grow with their words."""
    sheet = page.sheet
    rows = [q for q in sheet.facts if q[1]]
    marks = list(sheet.likeness)[:MOST_MARKS]
    if y + _blocks_high(page) + 4 * mm + _terms_high(page) > page.high - FOOT + 1:
        y = page.turn()
    wide, lows = page.span(2), []
    for column, words in ((0, "What you get"), (2, f"What makes it {sheet.title}" if marks else ""), (4, "Your answer")):
        page.rule(page.x(column), y, wide, True)
        page.text(page.x(column), y + 4.6 * mm, words, "lato-bold", 9.5)
    at = y + 7 * mm
    name = 0.36 * wide
    for key, value in rows:
        page.block(MARGIN, at, name, key, 9, grey=True)
        at = page.block(MARGIN + name, at, wide - name, value, 9) + 0.8 * mm
    lows.append(at)
    at = y + 7 * mm
    if marks:
        edge = page.x(2) + wide
        page.text(0, y + 4.6 * mm, "yes", "lato", 8.5, True, right=edge - 7 * mm)
        page.text(0, y + 4.6 * mm, "no", "lato", 8.5, True, right=edge)
    for q in marks:
        edge = page.x(2) + wide
        page.box(edge - 11 * mm, at + 3.2 * mm)
        page.box(edge - 3.6 * mm, at + 3.2 * mm)
        at = max(page.block(page.x(2), at, wide - 14 * mm, q, 9), at + 4.6 * mm) + 1.2 * mm
    lows.append(at)
    x, at = page.x(4), y + 11 * mm
    for words in ("Go on like this", "Change this first:"):
        page.box(x, at)
        page.text(x + 5.5 * mm, at, words, "lato-bold", 9.5)
        at += 6.5 * mm
    for _ in range(2):
        at += 5 * mm
        page.rule(x, at, wide)
    at += 11 * mm
    page.rule(x, at, wide, True)
    page.text(x, at + 4 * mm, "name", "lato", 8.5, True)
    page.text(x + 0.6 * wide, at + 4 * mm, "day", "lato", 8.5, True)
    lows.append(at + 6 * mm)
    return _terms(page, max(lows) + 4 * mm)


def _blocks_high(page: _Page) -> float:
    """Height of the three blocks: the highest of them."""
    wide, sheet = page.span(2), page.sheet
    facts = sum(float(paragraph(v, 9).wrap(0.64 * wide, 10_000)[1]) + 0.8 * mm for _k, v in sheet.facts if v)
    marks = sum(max(float(paragraph(q, 9).wrap(wide - 14 * mm, 10_000)[1]), 4.6 * mm) + 1.2 * mm for q in sheet.likeness[:MOST_MARKS])
    return float(max(7 * mm + facts, 7 * mm + marks, 51 * mm))


def _colours_high(page: _Page) -> float:
    return 27 * mm if page.sheet.colours else 0.0


def _terms_high(page: _Page) -> float:
    whole = page.span(COLUMNS)
    return float(6 * mm + sum(float(paragraph(q, 9).wrap(whole, 10_000)[1]) + 0.8 * mm for q in (*page.sheet.terms, NOTE)))


def _terms(page: _Page, y: float) -> float:
    """Price with what it covers, permission, and what a print cannot show; each sentence once."""
    whole = page.span(COLUMNS)
    page.rule(MARGIN, y, whole)
    y += 2 * mm
    for words in (*page.sheet.terms, NOTE):
        part = paragraph(words, 9, grey=words == NOTE)
        high = float(part.wrap(whole, 10_000)[1])
        if y + high > page.high - FOOT:
            y = page.turn()
        y = page.block(MARGIN, y, whole, words, 9, grey=words == NOTE) + 0.8 * mm
    return y
