"""Dates, hours, strokes and sums as every screen and every sheet says them."""

from __future__ import annotations

import datetime
import re
from collections.abc import Iterable
from typing import TYPE_CHECKING

from hanabira.core.schedule.handling import GRAPHITE, SEAM
from hanabira.core.schedule.order import LAST, Step
from hanabira.core.schedule.work import hours_range
from hanabira.craft.tools import step_name
from hanabira.session.dates import day_words

if TYPE_CHECKING:
    from hanabira.core.optics.kit import Kit


def moment_words(iso: str) -> str:
    """A day and an hour.

    >>> moment_words("2026-03-09T14:05:00")
    '9 March 2026, 14:05'
    """
    at = datetime.datetime.fromisoformat(iso)
    return f"{day_words(at.date())}, {at:%H:%M}"


def due_words(iso: str | None) -> str:
    """The due date.

    >>> due_words("2026-03-09"), due_words(None)
    ('due 9 March 2026', 'no due date')
    """
    return f"due {day_words(datetime.date.fromisoformat(iso))}" if iso else "no due date"


LAID = {"sharp": "{stroke}, sharp point", "blunt": "{stroke}, blunt point", "powder": "rubbed in as powder", "sponge": "laid with a sponge"}
"""How colour is brought on, in words."""
BROUGHT = {"": "The usual point", "sharp": "A sharp point", "blunt": "A blunt point", "powder": "Shavings and a cloth", "sponge": "A sponge"}
"""What it is brought on with, to choose from."""


def stroke_words(stroke: str, length_mm: float, laid: str = "") -> str:
    """A stroke with its length in millimetres, wherever it has one, and how the colour is brought on.

    >>> stroke_words("flick", 4.2), stroke_words("squiggle", 3), stroke_words("circle", 0)
    ('flick 4 mm', 'squiggle 3 mm', 'circle')
    >>> stroke_words("flick", 4.2, "sharp"), stroke_words("circle", 0, "powder")
    ('flick 4 mm, sharp point', 'rubbed in as powder')
    """
    words = f"{stroke} {length_mm:.0f} mm" if length_mm > 0 else stroke
    return LAID[laid].format(stroke=words) if laid else words


def open_words(coverage: float) -> str:
    """What open strokes leave; empty for a closed film.

    >>> open_words(0.634), open_words(1.0)
    ('single strokes: they close 63 % of their run', '')
    """
    return f"single strokes: they close {100 * coverage:.0f} % of their run" if coverage < 1 else ""


def sum_words(low: float, high: float | None = None, sign: str = "") -> str:
    """A sum in the studio's currency, or one from low to high with its sign once.

    >>> sum_words(1250, 1300, "€")
    '1\u2009250–1\u2009300\u2009€'
    """
    figures = f"{low:,.0f}" if high is None else f"{low:,.0f}–{high:,.0f}"
    return figures.replace(",", "\u2009") + (f"\u2009{sign}" if sign else "")


def hours_words(steps: Iterable[Step]) -> str:
    """Hours of steps as a range.

    >>> hours_words([])
    '0–0 h'
    """
    ends = [(s.low, s.high) for s in steps]
    low, high = hours_range(sum(q for q, _ in ends), sum(q for _, q in ends))
    return f"{low:.0f}–{high:.0f} h"


def span(low: float, high: float) -> str:
    """Minutes as a range in words.

    >>> span(0.1, 0.4), span(0.4, 3.0), span(12.0, 20.0)
    ('under 1 min', 'up to 3 min', '12–20 min')
    """
    a, b = round(low), round(high)
    return "under 1 min" if b < 1 else f"up to {b} min" if a < 1 else f"{a} min" if a == b else f"{a}–{b} min"


def step_words(s: Step) -> str:
    """A step of the plan in a list: its area's number and name and what is done, or what is looked at."""
    if s.area is not None:
        return f"{s.area.number} {s.area.name} · {s.layer.title.lower() or s.layer.role}"
    return "The last look" if s.key == LAST else "A second look"


def with_words(s: Step, kit: Kit) -> str:
    """What a step is done with, or what to look at."""
    code = s.layer.pencil
    if code in kit.index:
        return f"{code} {kit.get(code).name}"
    if s.layer.tool == "reserve":
        return "the bare paper"
    return (step_name(s.layer.tool).lower() if s.layer.tool else "") or (
        "kneaded eraser" if s.layer.role == GRAPHITE else "the pencils of both" if s.layer.role == SEAM else "fresh eyes"
    )


def likeness_marks(notes: str) -> list[str]:
    """What makes the likeness, one mark a sentence or line of the brief's notes.

    >>> likeness_marks("One ear a little back; the blaze runs left. No collar.")
    ['One ear a little back', 'the blaze runs left', 'No collar']
    """
    return [q.strip().rstrip(".") for q in re.split(r"[;\n]|\.\s", notes) if q.strip()]
