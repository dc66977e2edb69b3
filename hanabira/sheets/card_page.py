"""A page of the recipe card: what is printed on it, the typefaces, and a cursor that runs down."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

import numpy as np
from reportlab.lib.colors import Color, black, white
from reportlab.lib.pagesizes import A4, letter
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from hanabira import fonts
from hanabira.core.area.shape import Point
from hanabira.core.colour.spaces import Array, lab_to_srgb
from hanabira.sheets.pictures import reader

PAGES: Mapping[str, tuple[float, float]] = {"A4": A4, "Letter": letter}
MARGIN = 16 * mm
GREY = Color(0.3, 0.3, 0.3)
LINE = Color(0.72, 0.72, 0.72)
_FONTS = {"lato": "Lato-Regular", "lato-bold": "Lato-Bold", "vollkorn": "Vollkorn-SemiBold", "vollkorn-italic": "Vollkorn-Italic"}


@dataclass(frozen=True)
class CardLayer:
    """One layer as it is printed. ``masstone`` and ``after`` are Lab; ``after`` of the band it was laid for.

    ``run`` tells at the first of neighbouring layers of one pencil where it goes in all of them; the others are laid with it ``again``. ``head`` and ``aim``
    name the gesture that begins with the layer, and what the hand does in it; empty where it goes on.
    """

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
    spacing_mm: float = 0.0
    run: str = ""
    again: bool = False
    head: str = ""
    aim: str = ""


@dataclass(frozen=True)
class CardPlace:
    """One place as it is printed: its colour in the photo fitted to the paper, what the layers give, and Lab after each of its layers by number.

    ``rings`` and ``middle`` are in pixels of the area's map.
    """

    name: str
    target: Array
    result: Array
    delta_e00: float
    after: tuple[tuple[int, Array], ...]
    rings: tuple[tuple[Point, ...], ...]
    middle: Point
    kept: bool
    by_choice: bool = False


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
    places: tuple[CardPlace, ...] = ()
    """Empty in a recipe by values."""
    map: np.ndarray | None = None
    """The photo of the area (h, w, 3) uint8, on which its places are drawn."""
    direction_deg: float | None = None
    """Root to tip of the hair, counter-clockwise from the right."""


@dataclass(frozen=True)
class CardContent:
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


def colour_of(lab: Array) -> Color:
    """The printed colour of a Lab."""
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


class Sheet:
    """A page under way: a cursor that runs down, and a new page when it reaches the foot."""

    def __init__(self, canvas: Canvas, card: CardContent) -> None:
        self.c, self.card = canvas, card
        self.w, self.h = PAGES[card.page]
        self.page = 1
        self.y = self.h - MARGIN

    @property
    def room(self) -> float:
        """Width between the margins in points."""
        return self.w - 2 * MARGIN

    def text(self, x: float, words: str, font: str = "lato", size: float = 9, colour: Color = black, right: bool = False) -> None:
        """Words at the cursor's height."""
        self.c.setFont(font, size)
        self.c.setFillColor(colour)
        (self.c.drawRightString if right else self.c.drawString)(x, self.y, words)

    def paragraph(
        self, words: str, font: str = "lato", size: float = 9, colour: Color = black, x: float = MARGIN, width: float | None = None
    ) -> None:
        """Words in lines; the cursor ends under them."""
        for line in wrap(words, font, size, width or self.room):
            self.need(size * 1.35)
            self.y -= size * 1.35
            self.text(x, line, font, size, colour)

    def need(self, height: float) -> None:
        """A new page unless so many points are free."""
        if self.y - height < MARGIN + 8 * mm:
            self.new_page()

    def foot(self) -> None:
        """Title and number at the foot."""
        y = self.y
        self.y = MARGIN
        self.text(MARGIN, f"{self.card.title} · recipe card", size=7.5, colour=GREY)
        self.text(self.w - MARGIN, f"{self.page}", size=7.5, colour=GREY, right=True)
        self.y = y

    def new_page(self) -> None:
        """Go on at the top of the next page."""
        self.foot()
        self.c.showPage()
        self.page += 1
        self.y = self.h - MARGIN

    def picture(self, pixels: np.ndarray, x: float, top: float, k: float, rings: Iterable[np.ndarray], width: float) -> None:
        """Pixels (h, w, 3) at k points a pixel from an upper left corner, with rings in their pixels as black lines cored white, cut at its edge."""
        high, wide = pixels.shape[0] * k, pixels.shape[1] * k
        self.c.drawImage(reader(pixels, 0), x, top - high, wide, high)
        self.c.saveState()
        frame = self.c.beginPath()
        frame.rect(x, top - high, wide, high)
        self.c.clipPath(frame, stroke=0, fill=0)
        for ring in rings:
            path = self.c.beginPath()
            for n, (px, py) in enumerate(ring):
                (path.moveTo if n == 0 else path.lineTo)(x + px * k, top - py * k)
            path.close()
            for colour, line in ((black, width), (white, 0.4 * width)):
                self.c.setStrokeColor(colour)
                self.c.setLineWidth(line)
                self.c.drawPath(path, stroke=1, fill=0)
        self.c.restoreState()

    def mark(self, x: float, y: float, words: str, radius: float) -> None:
        """A number or letter in a white disc with a black rim."""
        size = 1.2 * radius
        self.c.setFillColor(white)
        self.c.setStrokeColor(black)
        self.c.setLineWidth(0.7)
        self.c.circle(x, y, radius, stroke=1, fill=1)
        self.c.setFillColor(black)
        self.c.setFont("lato-bold", size)
        self.c.drawCentredString(x, y - 0.36 * size, words)

    def rule(self) -> None:
        """A thin line across."""
        self.c.setStrokeColor(LINE)
        self.c.setLineWidth(0.6)
        self.c.line(MARGIN, self.y, self.w - MARGIN, self.y)


def area_head(s: Sheet, area: CardArea) -> None:
    """Number, name, surface and facts of an area."""
    s.y -= 18
    s.c.setFillColor(black)
    s.c.circle(MARGIN + 8, s.y + 4, 9, stroke=0, fill=1)
    s.c.setFillColor(white)
    s.c.setFont("lato-bold", 9)
    s.c.drawCentredString(MARGIN + 8, s.y + 0.9, str(area.number))
    s.text(MARGIN + 24, area.name, "vollkorn", 14)
    s.text(s.w - MARGIN, f"{100 * area.tooth_left:.0f}\u2009% tooth left where it is darkest", size=8.5, colour=GREY, right=True)
    s.y -= 13
    s.text(MARGIN + 24, f"{area.surface} · {area.facts}", size=8.5, colour=GREY)
    s.y -= 8


def area_foot(s: Sheet, area: CardArea) -> None:
    """What can go wrong, and the artist's note."""
    for words in area.cautions:
        s.paragraph(f"Caution: {words}", "lato-bold", 8.5)
    if area.note:
        s.paragraph(f"“{area.note}”", "vollkorn-italic", 9.5, GREY)
