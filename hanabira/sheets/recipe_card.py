"""The recipe card as PDF: the photo with its areas numbered, then every area's values, strata, pencils and notes."""

from __future__ import annotations

import io
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from PIL import Image
from reportlab.lib.colors import Color, black, white
from reportlab.lib.pagesizes import A4, letter
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from hanabira import fonts
from hanabira.core.area.shape import Point, smooth_ring
from hanabira.core.colour.spaces import Array, lab_to_srgb
from hanabira.core.token import SILENT, Token
from hanabira.studio.writing import write_file

PAGES: Mapping[str, tuple[float, float]] = {"A4": A4, "Letter": letter}
MARGIN = 16 * mm
_GREY = Color(0.3, 0.3, 0.3)
_LINE = Color(0.72, 0.72, 0.72)
_FONTS = {"lato": "Lato-Regular", "lato-bold": "Lato-Bold", "vollkorn": "Vollkorn-SemiBold", "vollkorn-italic": "Vollkorn-Italic"}


@dataclass(frozen=True)
class CardLayer:
    """One layer as it is printed. ``masstone`` and ``after`` are Lab; ``after`` of the band it was laid for."""

    role: str
    code: str
    pencil: str
    masstone: Array | None
    pressure: int
    passes: int
    stroke: str
    where: str
    after: Array
    uses: float
    why: str


@dataclass(frozen=True)
class CardArea:
    """One area as it is printed. ``bands`` are (name, photo Lab, predicted Lab, ΔE00)."""

    number: int
    name: str
    surface: str
    ring: tuple[Point, ...]
    smooth: bool
    facts: str
    bands: tuple[tuple[str, Array, Array, float], ...]
    layers: tuple[CardLayer, ...]
    cautions: tuple[str, ...]
    note: str
    tooth_left: float


@dataclass(frozen=True)
class Card:
    """Everything on a recipe card. ``picture`` (h, w, 3) uint8 is the cut of the photo that lies on the sheet; rings are in its pixels."""

    title: str
    line: str
    paper: str
    ground: Array
    picture: np.ndarray
    areas: tuple[CardArea, ...]
    page: str = "A4"
    notes: str = ""
    lines: tuple[str, ...] = field(default=())


def register_fonts() -> None:
    """Make the shipped typefaces known to the PDF writer."""
    for name, file in _FONTS.items():
        if name not in pdfmetrics.getRegisteredFontNames():
            pdfmetrics.registerFont(TTFont(name, str(fonts.FOLDER / f"{file}.ttf")))


def _colour(lab: Array) -> Color:
    r, g, b = (float(v) for v in lab_to_srgb(lab))
    return Color(r, g, b)


def wrap(words: str, font: str, size: float, width: float) -> list[str]:
    """Lines of a paragraph that fit a width in points."""
    out: list[str] = []
    for paragraph in words.split("\n"):
        line = ""
        for word in paragraph.split(" "):
            longer = f"{line} {word}".strip()
            if line and pdfmetrics.stringWidth(longer, font, size) > width:
                out.append(line)
                line = word
            else:
                line = longer
        out.append(line)
    return out


class _Sheet:
    """A page under way: a cursor that runs down, and a new page when it reaches the foot."""

    def __init__(self, canvas: Canvas, card: Card) -> None:
        self.c, self.card = canvas, card
        self.w, self.h = PAGES[card.page]
        self.page = 1
        self.y = self.h - MARGIN

    @property
    def room(self) -> float:
        return self.w - 2 * MARGIN

    def text(self, x: float, words: str, font: str = "lato", size: float = 9, colour: Color = black, right: bool = False) -> None:
        self.c.setFont(font, size)
        self.c.setFillColor(colour)
        (self.c.drawRightString if right else self.c.drawString)(x, self.y, words)

    def paragraph(
        self, words: str, font: str = "lato", size: float = 9, colour: Color = black, x: float = MARGIN, width: float | None = None
    ) -> None:
        for line in wrap(words, font, size, width or self.room):
            self.need(size * 1.35)
            self.y -= size * 1.35
            self.text(x, line, font, size, colour)

    def need(self, height: float) -> None:
        if self.y - height < MARGIN + 8 * mm:
            self.new_page()

    def foot(self) -> None:
        y = self.y
        self.y = MARGIN
        self.text(MARGIN, f"{self.card.title} · recipe card", size=7.5, colour=_GREY)
        self.text(self.w - MARGIN, f"{self.page}", size=7.5, colour=_GREY, right=True)
        self.y = y

    def new_page(self) -> None:
        self.foot()
        self.c.showPage()
        self.page += 1
        self.y = self.h - MARGIN

    def rule(self) -> None:
        self.c.setStrokeColor(_LINE)
        self.c.setLineWidth(0.6)
        self.c.line(MARGIN, self.y, self.w - MARGIN, self.y)


def write_recipe_card(card: Card, target: Path, token: Token = SILENT) -> Path:
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


def draw_recipe_card(canvas: Canvas, card: Card, token: Token = SILENT) -> None:
    """Draw a card's pages on a canvas that stands at a fresh page."""
    sheet = _Sheet(canvas, card)
    _front(sheet, card)
    for k, area in enumerate(card.areas):
        token.report((k + 0.5) / max(1, len(card.areas)), f"Writing {area.name}")
        _area(sheet, card, area)
    sheet.foot()


def _front(s: _Sheet, card: Card) -> None:
    s.y -= 20
    s.text(MARGIN, card.title, "vollkorn", 22)
    s.y -= 15
    s.text(MARGIN, card.line, size=10, colour=_GREY)
    s.y -= 8
    picture_h, picture_w = card.picture.shape[:2]
    k = min(s.room / picture_w, (s.h * 0.5) / picture_h)
    w, h = picture_w * k, picture_h * k
    x, top = (s.w - w) / 2, s.y
    image = io.BytesIO()
    Image.fromarray(card.picture).save(image, "JPEG", quality=90)
    image.seek(0)
    s.c.drawImage(ImageReader(image), x, top - h, w, h)
    s.c.saveState()
    frame = s.c.beginPath()
    frame.rect(x, top - h, w, h)
    s.c.clipPath(frame, stroke=0, fill=0)
    for area in card.areas:
        _outline(s.c, area, x, top, k)
    s.c.restoreState()
    for area in card.areas:
        _number(s.c, area, x, top, k)
    s.y = top - h - 8
    s.paragraph(card.paper, "lato-bold", 9.5)
    for line in card.lines:
        s.paragraph(line, size=9)
    pencils: dict[str, tuple[str, Array, list[int]]] = {}
    for area in card.areas:
        for q in area.layers:
            if q.code and q.masstone is not None:
                pencils.setdefault(q.code, (q.pencil, q.masstone, []))[2].append(area.number)
    s.y -= 14
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
        s.c.setFillColor(_colour(lab))
        s.c.rect(cx, cy - 1.5, 16, 10, stroke=0, fill=1)
        s.y = cy + 1
        where = ", ".join(str(v) for v in dict.fromkeys(numbers))
        s.text(cx + 20, f"{code} {name}  ({where})", size=8)
    s.y = top - rows * row
    if card.notes:
        s.y -= 8
        s.paragraph(f"“{card.notes}”", "vollkorn-italic", 9.5, _GREY)


def _outline(c: Canvas, area: CardArea, x: float, top: float, k: float) -> None:
    points = smooth_ring(area.ring) if area.smooth else np.asarray(area.ring, float)
    path = c.beginPath()
    for n, (px, py) in enumerate(points):
        (path.moveTo if n == 0 else path.lineTo)(x + px * k, top - py * k)
    path.close()
    for colour, width in ((black, 1.8), (white, 0.7)):
        c.setStrokeColor(colour)
        c.setLineWidth(width)
        c.drawPath(path, stroke=1, fill=0)


def _number(c: Canvas, area: CardArea, x: float, top: float, k: float) -> None:
    ring = np.asarray(area.ring, float)
    cx, cy = x + ring[:, 0].mean() * k, top - ring[:, 1].mean() * k
    c.setStrokeColor(black)
    c.setFillColor(white)
    c.setLineWidth(0.8)
    c.circle(cx, cy, 7, stroke=1, fill=1)
    c.setFillColor(black)
    c.setFont("lato-bold", 8)
    c.drawCentredString(cx, cy - 2.9, str(area.number))


def _area(s: _Sheet, card: Card, area: CardArea) -> None:
    row = 25.0
    need = 86 + row * (len(area.layers) + 1)
    if s.y - need < MARGIN + 8 * mm:
        s.new_page()
    else:
        s.y -= 20
        s.rule()
    s.y -= 18
    s.c.setFillColor(black)
    s.c.circle(MARGIN + 8, s.y + 4, 9, stroke=0, fill=1)
    s.c.setFillColor(white)
    s.c.setFont("lato-bold", 9)
    s.c.drawCentredString(MARGIN + 8, s.y + 0.9, str(area.number))
    s.text(MARGIN + 24, area.name, "vollkorn", 14)
    s.text(s.w - MARGIN, f"{100 * area.tooth_left:.0f}\u2009% tooth left where it is darkest", size=8.5, colour=_GREY, right=True)
    s.y -= 13
    s.text(MARGIN + 24, f"{area.surface} · {area.facts}", size=8.5, colour=_GREY)
    s.y -= 8
    _bands(s, area)
    _strata(s, card, area, row)
    for words in area.cautions:
        s.paragraph(f"Caution: {words}", "lato-bold", 8.5)
    if area.note:
        s.paragraph(f"“{area.note}”", "vollkorn-italic", 9.5, _GREY)


def _bands(s: _Sheet, area: CardArea) -> None:
    """Values: the photo's colour over the predicted one, touching, for each band."""
    wide = s.room / 4
    top = s.y
    for n, (name, photo, predicted, de) in enumerate(area.bands):
        x = MARGIN + n * wide
        s.c.setFillColor(_colour(photo))
        s.c.rect(x, top - 12, 44, 12, stroke=0, fill=1)
        s.c.setFillColor(_colour(predicted))
        s.c.rect(x, top - 24, 44, 12, stroke=0, fill=1)
        s.y = top - 9
        s.text(x + 49, f"{name} L*\u2009{photo[0]:.0f}", "lato-bold", 8)
        s.y = top - 20
        s.text(x + 49, f"gives {predicted[0]:.0f}, ΔE00 {de:.1f}", size=7.5, colour=_GREY)
    s.y = top - 32


def _strata(s: _Sheet, card: Card, area: CardArea, row: float) -> None:
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
        s.c.setFillColor(_colour(q.masstone) if q.masstone is not None else _LINE)
        s.c.rect(cut_x, y, cut_w, thick, stroke=0, fill=1)
        places.append(y + thick / 2)
        y += thick
    s.c.setStrokeColor(_GREY)
    s.c.setDash(1.5, 1.5)
    s.c.rect(cut_x, base, cut_w, high, stroke=1, fill=0)
    s.c.setDash()
    s.c.setFillColor(_colour(card.ground))
    s.c.rect(cut_x, base - 8, cut_w, 8, stroke=0, fill=1)
    s.c.setStrokeColor(_LINE)
    s.c.rect(cut_x, base - 8, cut_w, 8, stroke=1, fill=0)
    for k, (q, middle) in enumerate(zip(area.layers, places, strict=True)):
        mid = base + (k + 0.5) * row
        s.c.setStrokeColor(_LINE)
        s.c.setLineWidth(0.6)
        s.c.line(cut_x + cut_w + 2, middle, text_x - 6, mid)
        if q.masstone is not None:
            s.c.setFillColor(_colour(q.masstone))
            s.c.rect(text_x, mid - 9, 18, 18, stroke=0, fill=1)
        s.c.setFillColor(_colour(q.after))
        s.c.rect(s.w - MARGIN - 26, mid - row / 2, 26, row, stroke=0, fill=1)
        passes = f"{q.passes} pass{'es' if q.passes > 1 else ''}"
        s.y = mid + 2.5
        head = f"{k + 1}  {q.code} {q.pencil}".strip()
        s.text(text_x + 24, head, "lato-bold", 9)
        s.text(s.w - MARGIN - 32, f"L*\u2009{q.after[0]:.0f}", size=8, colour=_GREY, right=True)
        x = text_x + 24 + pdfmetrics.stringWidth(head, "lato-bold", 9) + 8
        s.text(x, f"{q.role}, pressure {q.pressure}, {passes}, {q.stroke}, {q.where}", size=8.5)
        s.y = mid - 8
        room = s.w - MARGIN - 60 - (text_x + 24)
        s.text(text_x + 24, wrap(q.why, "vollkorn-italic", 8, room)[0], "vollkorn-italic", 8, _GREY)
    s.y = min(base - 12, top - high - 12)
