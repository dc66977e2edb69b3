"""The approval sheet: what the client agrees to before the first stroke. One page on a grid of six columns, black on white, a second one before smaller type.

The forecast over four columns, beside it the photo and an eye at true size, the coat's colours, then what is ordered, what makes the likeness, the answer.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from reportlab.lib.colors import Color
from reportlab.lib.units import mm

from hanabira.core.colour.spaces import Array, lab_to_srgb
from hanabira.sheets.card_page import GREY
from hanabira.sheets.grid_page import BED, COLUMNS, FOOT, MARGIN, GridPage, fitted, paragraph
from hanabira.sheets.sender import NOBODY, Sender
from hanabira.studio.writing import write_file

LEAST_PICTURE = 80 * mm
MOST_PICTURE = {"A4": 166 * mm, "Letter": 150 * mm}
MOST_MARKS = 8
EYE_MM = 57.0
"""Millimetres of the sheet that the view of the eye shows: two columns of an A4 page, at true size."""
NOTE = "Colours on paper differ from this print by about as much as two printings of one page do. Hairs drawn by hand do not lie as in the photo, hair for hair."


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
    sender: Sender = NOBODY
    page: str = "A4"


def write_approval(sheet: Approval, target: Path) -> Path:
    """Write it as PDF; `Fault` when it cannot be written."""

    def draw(most: float) -> GridPage:
        page = GridPage(sheet.title, "for approval", sheet.sender, sheet.page)
        y = page.head(sheet.title, sheet.line, sheet.client, sheet.day)
        y = _pictures(page, sheet, y + 4 * mm, most)
        y = _colours(page, sheet, y + 5 * mm)
        _blocks(page, sheet, y + 5 * mm)
        return page

    return write_file(target, fitted(draw, MOST_PICTURE[sheet.page], LEAST_PICTURE))


def _pictures(page: GridPage, sheet: Approval, y: float, most: float) -> float:
    """Forecast (or the photo alone) over four columns; photo and eye over two, with one common foot line."""
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


def _ruler(page: GridPage, x: float, y: float, wide: float) -> None:
    """Millimetres under a view at true size."""
    page.canvas.setStrokeColor(GREY)
    page.canvas.setLineWidth(0.35)
    for k in range(int(wide / mm) + 1):
        n = 2.0 if k % 10 == 0 else 1.4 if k % 5 == 0 else 0.8
        page.canvas.line(x + k * mm, page.high - y, x + k * mm, page.high - y - n * mm)


def _colours(page: GridPage, sheet: Approval, y: float) -> float:
    """The coat's colours, touching, on a grey bed; under each the area it is from."""
    cells = list(sheet.colours)[:6]
    if not cells:
        return y
    whole = page.span(COLUMNS)
    page.caption(0, y, COLUMNS, "Colours of the coat")
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


def _blocks(page: GridPage, sheet: Approval, y: float) -> float:
    """What is ordered, what makes the likeness, the answer: two columns each; then what was agreed. Rows grow with their words."""
    marks = list(sheet.likeness)[:MOST_MARKS]
    if y + _blocks_high(page, sheet) + 4 * mm + _terms_high(page, sheet) > page.high - FOOT + 1:
        y = page.turn()
    wide, lows = page.span(2), []
    for column, words in ((0, "What you get"), (2, f"What makes it {sheet.title}" if marks else ""), (4, "Your answer")):
        page.caption(column, y, 2, words)
    lows.append(page.facts(0, y + 7 * mm, 2, sheet.facts))
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
    return _terms(page, sheet, max(lows) + 4 * mm)


def _blocks_high(page: GridPage, sheet: Approval) -> float:
    """Height of the three blocks: the highest of them."""
    wide = page.span(2)
    facts = sum(float(paragraph(v, 9).wrap(0.64 * wide, 10_000)[1]) + 0.8 * mm for _k, v in sheet.facts if v)
    marks = sum(max(float(paragraph(q, 9).wrap(wide - 14 * mm, 10_000)[1]), 4.6 * mm) + 1.2 * mm for q in sheet.likeness[:MOST_MARKS])
    return float(max(7 * mm + facts, 7 * mm + marks, 51 * mm))


def _terms_high(page: GridPage, sheet: Approval) -> float:
    whole = page.span(COLUMNS)
    return float(6 * mm + sum(float(paragraph(q, 9).wrap(whole, 10_000)[1]) + 0.8 * mm for q in (*sheet.terms, NOTE)))


def _terms(page: GridPage, sheet: Approval, y: float) -> float:
    """Price with what it covers, permission, and what a print cannot show; each sentence once."""
    whole = page.span(COLUMNS)
    page.rule(MARGIN, y, whole)
    y += 2 * mm
    for words in (*sheet.terms, NOTE):
        part = paragraph(words, 9, grey=words == NOTE)
        high = float(part.wrap(whole, 10_000)[1])
        if y + high > page.high - FOOT:
            y = page.turn()
        y = page.block(MARGIN, y, whole, words, 9, grey=words == NOTE) + 0.8 * mm
    return y
