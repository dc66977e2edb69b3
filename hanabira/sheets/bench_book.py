"""The bench book: the order, cautions, what to lay ready, every session with its steps, and every recipe; to lie beside the sheet."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.token import SILENT, Token
from hanabira.sheets.card_page import CardContent
from hanabira.sheets.pages import FlatSwatch, facts, gap, grid, picture, room, section, spread, stacked, together, words, write_pages
from hanabira.sheets.recipe_card import draw_recipe_card
from hanabira.sheets.sender import NOBODY, Sender


@dataclass(frozen=True)
class BookStep:
    """A step as it is printed: its number in the order, where, what with (``lab`` its masstone), how, how long, and why now."""

    number: int
    name: str
    pencil: str
    lab: Array | None
    how: str
    minutes: str
    why: str


@dataclass(frozen=True)
class BookDay:
    """One session."""

    day: datetime.date
    hours: str
    steps: Sequence[BookStep]


@dataclass(frozen=True)
class Ready:
    """A pencil to lay ready."""

    name: str
    lab: Array | None
    wear: str
    reorder: bool


@dataclass(frozen=True)
class Book:
    """Everything in a bench book. ``facts`` are names and values; ``waits`` and ``cautions`` sentences."""

    title: str
    line: str
    picture: np.ndarray | None
    facts: Sequence[tuple[str, str]]
    days: Sequence[BookDay]
    ready: Sequence[Ready]
    waits: Sequence[str] = ()
    cautions: Sequence[str] = field(default=())
    page: str = "A4"
    card: CardContent | None = None
    """The recipe card of all areas, bound in at the end."""
    sender: Sender = NOBODY


def write_bench_book(book: Book, target: Path, token: Token = SILENT) -> Path:
    """Write it as PDF; `Fault` when it cannot be written."""
    card = book.card
    w, h = room(book.page)
    story = [words(book.title, "title"), words(book.line, "body", True), gap(6)]
    if book.picture is not None:
        story += [spread(picture(book.picture, w * 4 / 6, 0.52 * h), stacked(book.facts), w), gap(8)]
    else:
        story.append(facts(book.facts, w))
    if book.cautions:
        story.append(together(words("Cautions", "head"), *(words(f"Caution: {q}", "strong") for q in book.cautions)))
    if book.ready:
        rows = [[FlatSwatch(q.lab), q.name, q.wear, "reorder" if q.reorder else ""] for q in book.ready]
        story += section("Lay ready", grid(("", "Pencil", "Wear of the barrel", ""), rows, (0.5, 3, 3, 1), w))
    if book.waits:
        story.append(together(words("What dries or rests", "head"), *(words(q) for q in book.waits)))
    for d in book.days:
        rows = [[str(s.number), s.name, FlatSwatch(s.lab) if s.lab is not None else "", s.pencil, s.how, s.minutes, s.why] for s in d.steps]
        head = f"{d.day:%A} {d.day.day} {d.day:%B %Y}, {d.hours}"
        story += section(
            head, grid(("", "Area and layer", "", "With", "How", "Time", "Why now"), rows, (0.4, 2.2, 0.55, 2, 2.3, 1.1, 3), w)
        )
    return write_pages(
        f"{book.title}, bench book", story, target, book.page, (lambda c: draw_recipe_card(c, card, token)) if card else None, book.sender
    )
