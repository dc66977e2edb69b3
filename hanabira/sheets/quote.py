"""The quote: what is ordered, what the hours are spent on and what that costs, with what the figures leave out. One page for the client's file."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from reportlab.lib.colors import Color
from reportlab.lib.units import mm

from hanabira.sheets.grid_page import COLUMNS, FOOT, MARGIN, GridPage, fitted, paragraph
from hanabira.sheets.sender import NOBODY, Sender
from hanabira.studio.writing import write_file

ROW = 6.4 * mm
MOST_PICTURE, LEAST_PICTURE = 84 * mm, 36 * mm
FILL = Color(0.25, 0.25, 0.25)
PALE = Color(0.78, 0.78, 0.78)


@dataclass(frozen=True)
class QuotedWork:
    """Work of one area, or of what goes round them all: its name and hours from a good day to a bad one."""

    name: str
    low: float
    high: float


@dataclass(frozen=True)
class Quote:
    """``parts`` are what ``hours`` are made of; ``sums`` are names with amounts in words, the last one the price; ``left_out`` sentences say what is not counted."""

    title: str
    line: str
    facts: Sequence[tuple[str, str]]
    parts: Sequence[QuotedWork]
    hours: str
    sums: Sequence[tuple[str, str]]
    payment: Sequence[tuple[str, str]]
    left_out: Sequence[str]
    picture: np.ndarray | None = None
    client: str = ""
    day: str = ""
    sender: Sender = NOBODY
    page: str = "A4"


def write_quote(quote: Quote, target: Path) -> Path:
    """Write it as PDF. Raises `Fault` when it cannot be written."""

    def draw(most: float) -> GridPage:
        page = GridPage(quote.title, "quote", quote.sender, quote.page)
        y = page.head(quote.title, quote.line, quote.client, quote.day) + 6 * mm
        y = _order(page, quote, y, most) + 6 * mm
        y = _hours(page, quote, y) + 6 * mm
        y = _price(page, quote, y) + 6 * mm
        _answer(page, quote, y)
        return page

    return write_file(target, fitted(draw, MOST_PICTURE, LEAST_PICTURE))


def _order(page: GridPage, quote: Quote, y: float, most: float) -> float:
    """What is ordered over three columns, the picture over the others."""
    page.caption(0, y, 3 if quote.picture is not None else COLUMNS, "What you get")
    low = page.facts(0, y + 7 * mm, 3 if quote.picture is not None else COLUMNS, quote.facts)
    if quote.picture is not None:
        h, w = quote.picture.shape[:2]
        wide = min(page.span(3), most * w / h)
        page.image(quote.picture, page.wide - MARGIN - wide, y, wide, wide * h / w)
        low = max(low, y + wide * h / w)
    return low


def _hours(page: GridPage, quote: Quote, y: float) -> float:
    """A bar for each part from nought to its bad day, its good day filled; an axis of whole hours under them."""
    page.caption(0, y, COLUMNS, f"Where the hours go: {quote.hours}")
    y += 8 * mm
    most = max((p.high for p in quote.parts), default=1.0)
    tick = next(t for t in (0.25, 0.5, 1, 2, 5, 10, 20, 50, 100, 1000) if most / t <= 8)
    end = max(tick, math.ceil(most / tick - 1e-6) * tick)
    x, wide = page.x(2), page.span(3)
    k = wide / end

    def axis(at: float) -> float:
        for n in range(round(end / tick) + 1):
            words = f"{n * tick:g}" + (" h" if n == round(end / tick) else "")
            page.text(0, at + 4 * mm, words, "lato", 8, True, right=x + n * tick * k + page.canvas.stringWidth(words, "lato", 8) / 2)
        page.rule(x, at, wide)
        return at + 5 * mm

    for p in quote.parts:
        if y + ROW + 6 * mm > page.high - FOOT:
            axis(y)
            y = page.turn()
        page.block(MARGIN, y, page.span(2), p.name, 9)
        page.canvas.setFillColor(PALE)
        page.canvas.rect(x, page.high - y - 3.6 * mm, p.high * k, 2.6 * mm, stroke=0, fill=1)
        page.canvas.setFillColor(FILL)
        page.canvas.rect(x, page.high - y - 3.6 * mm, p.low * k, 2.6 * mm, stroke=0, fill=1)
        page.text(0, y + 3.6 * mm, _range(p), "lato", 9, right=page.wide - MARGIN)
        y += max(ROW, float(paragraph(p.name, 9).wrap(page.span(2), 10_000)[1]) + 1.5 * mm)
    y = axis(y) + 1 * mm
    return page.block(
        MARGIN,
        y,
        page.span(COLUMNS),
        "Dark is a good day, pale a bad one. Over all areas good and bad days even out: the range of the whole is narrower than its parts together.",
        8,
        grey=True,
    )


def _range(p: QuotedWork) -> str:
    low, high = f"{p.low:.1f}", f"{p.high:.1f}"
    return f"{low} h" if low == high else f"{low}–{high} h"


def _price(page: GridPage, quote: Quote, y: float) -> float:
    """The sum and how it is paid, side by side; then what is not counted."""
    rows = max(len(quote.sums), len(quote.payment))
    left_out = sum(float(paragraph(q, 9).wrap(page.span(COLUMNS), 10_000)[1]) + 0.8 * mm for q in quote.left_out)
    if y + 12 * mm + rows * ROW + left_out > page.high - FOOT:
        y = page.turn()
    lows = []
    for column, words, sums in ((0, "Price", quote.sums), (3, "How it is paid", quote.payment)):
        page.caption(column, y, 3, words)
        at, right = y + 11 * mm, page.x(column) + page.span(3)
        for n, (name, amount) in enumerate(sums):
            last = column == 0 and n == len(sums) - 1
            if last:
                page.rule(page.x(column), at - 4.6 * mm, page.span(3))
                at += 1.4 * mm
            page.text(page.x(column), at, name, "lato-bold" if last else "lato", 9.5)
            page.text(0, at, amount, "vollkorn" if last else "lato", 14 if last else 9.5, right=right)
            at += ROW
        lows.append(at)
    y = max(lows)
    for words in quote.left_out:
        y = page.block(MARGIN, y, page.span(COLUMNS), words, 9) + 0.8 * mm
    return y


def _answer(page: GridPage, quote: Quote, y: float) -> None:
    """Two lines to sign on."""
    if y + 26 * mm > page.high - FOOT:
        y = page.turn()
    page.caption(0, y, COLUMNS, "Agreed")
    y += 18 * mm
    for column, who in ((0, quote.client or "client"), (3, quote.sender.name or "artist")):
        page.rule(page.x(column), y, page.span(3) - 4 * mm, True)
        page.text(page.x(column), y + 4 * mm, who, "lato", 8.5, True)
        page.text(page.x(column) + 0.66 * page.span(3), y + 4 * mm, "day", "lato", 8.5, True)
