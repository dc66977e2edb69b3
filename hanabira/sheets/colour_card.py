"""The colour card for the client's file: the portrait, and a petal of each pencil in it from the lightest to the darkest."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from reportlab.lib.colors import Color, black
from reportlab.lib.units import mm

from hanabira.core.colour.spaces import Array, lab_to_srgb
from hanabira.sheets.card_page import GREY
from hanabira.sheets.grid_page import COLUMNS, FOOT, MARGIN, GridPage, fitted, paragraph
from hanabira.sheets.sender import NOBODY, Sender
from hanabira.studio.writing import write_file

MOST_PICTURE, LEAST_PICTURE = 150 * mm, 60 * mm
PETAL_MM = (21.0, 9.5)
"""Length and breadth of a petal."""
EVEN = "A petal shows a pencil laid fully. In the portrait it lies thinner, under and over others, on the colour of the paper; a print comes near to that and no nearer."
"""What a printed colour cannot say."""


@dataclass(frozen=True)
class Shade:
    """One colour of the portrait: its Lab, the pencil, and the areas it is in."""

    lab: Array
    name: str
    areas: str


@dataclass(frozen=True)
class ColourCard:
    """``picture`` (H, W, 3) uint8 is what lies on the sheet, None where there is no photo; ``facts`` stand beside it."""

    title: str
    line: str
    shades: Sequence[Shade]
    picture: np.ndarray | None = None
    facts: Sequence[tuple[str, str]] = ()
    client: str = ""
    day: str = ""
    sender: Sender = NOBODY
    page: str = "A4"


def write_colour_card(card: ColourCard, target: Path) -> Path:
    """Write it as PDF. Raises `Fault` when it cannot be written."""
    shades = sorted(card.shades, key=lambda q: -float(q.lab[0]))
    rows = [shades[k : k + 3] for k in range(0, len(shades), 3)]

    def draw(most: float) -> GridPage:
        page = GridPage(card.title, "colours", card.sender, card.page)
        y = page.head(card.title, card.line, card.client, card.day) + 5 * mm
        y = _picture(page, card, y, most) if card.picture is not None else page.facts(0, y, COLUMNS, card.facts) + 2 * mm
        count = len(shades)
        page.caption(
            0, y, COLUMNS, f"{count} pencil{'' if count == 1 else 's'}, from the lightest to the darkest" if count else "No pencils yet"
        )
        y += 8 * mm
        for row in rows:
            high = max(_high(page, q) for q in row)
            if y + high > page.high - FOOT:
                y = page.turn()
            for k, shade in enumerate(row):
                _shade(page, page.x(2 * k), y, shade)
            y += high
        return page

    return write_file(target, fitted(draw, MOST_PICTURE, LEAST_PICTURE))


def _picture(page: GridPage, card: ColourCard, y: float, most: float) -> float:
    """The portrait over four columns, the facts beside it."""
    assert card.picture is not None
    h, w = card.picture.shape[:2]
    high = min(most, page.span(4) * h / w)
    page.image(card.picture, MARGIN, y, high * w / h, high)
    column = next(k for k in (3, 4) if high * w / h <= page.span(k) + 0.1)  # a tall picture leaves the words a column more
    page.caption(column, y, COLUMNS - column, "Made with")
    under = page.facts(column, y + 7 * mm, COLUMNS - column, card.facts)
    under = page.block(page.x(column), under + 2 * mm, page.span(COLUMNS - column), EVEN, 8, grey=True)
    return max(y + high, under) + 6 * mm


def _words_wide(page: GridPage) -> float:
    return page.span(2) - PETAL_MM[0] * mm - 2.5 * mm


def _high(page: GridPage, shade: Shade) -> float:
    wide = _words_wide(page)
    words = float(paragraph(shade.name, 8.5, "lato-bold").wrap(wide, 10_000)[1] + paragraph(shade.areas, 7.5).wrap(wide, 10_000)[1])
    return max(words, PETAL_MM[1] * mm) + 2.5 * mm


def _shade(page: GridPage, x: float, y: float, shade: Shade) -> None:
    r, g, b = (float(v) for v in lab_to_srgb(shade.lab))
    long, broad = (v * mm for v in PETAL_MM)
    c, middle = page.canvas, page.high - y - broad / 2
    c.setFillColor(Color(r, g, b))
    c.setStrokeColor(GREY)
    c.setLineWidth(0.3)
    path = c.beginPath()
    path.moveTo(x, middle)
    # three quarters of each control's height is what a curve with two of them reaches
    path.curveTo(x + 0.3 * long, middle + broad * 2 / 3, x + 0.8 * long, middle + broad * 2 / 3, x + long, middle)
    path.curveTo(x + 0.8 * long, middle - broad * 2 / 3, x + 0.3 * long, middle - broad * 2 / 3, x, middle)
    path.close()
    c.drawPath(path, stroke=1, fill=1)
    c.setFillColor(black)
    left, wide = x + long + 2.5 * mm, _words_wide(page)
    under = page.block(left, y, wide, shade.name, 8.5, "lato-bold")
    page.block(left, under, wide, shade.areas, 7.5, grey=True)
