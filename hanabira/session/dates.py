"""Days as people write them, and what else falls on them."""

from __future__ import annotations

import calendar
import datetime
import re
from typing import TYPE_CHECKING

from hanabira.core.faults import Fault
from hanabira.studio.records import Commission, is_part

if TYPE_CHECKING:
    from hanabira.session.session import Session

MONTHS = tuple(m.lower() for m in calendar.month_name)[1:]
WEEKDAYS = tuple(d.lower() for d in calendar.day_name)
FIRST_YEAR, LAST_YEAR = 2000, 2199
_FORMS = "Write it as 20.12., 20 Dec, 2026-12-20 or “in 3 weeks”."
_NUMBERS = {"next": 1, "a": 1, "an": 1, "one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7, "eight": 8, "nine": 9, "ten": 10, "twelve": 12}


def parse_day(text: str, today: datetime.date) -> datetime.date | None:
    """A day as it was typed; None for nothing. Days come before months; without a year the next one that comes is meant.

    Raises `Fault` for what is no day.

    >>> today = datetime.date(2026, 12, 1)
    >>> [str(parse_day(q, today)) for q in ("20.12.", "20 Dec", "3 March", "2027-02-28", "in 3 weeks", "next Friday", "")]
    ['2026-12-20', '2026-12-20', '2027-03-03', '2027-02-28', '2026-12-22', '2026-12-11', 'None']
    """
    words = " ".join(text.lower().replace(",", " ").split())
    if not words or words in ("not set", "none", "no date"):
        return None
    for form in (_relative, _weekday, _end_of_month, _iso, _numbers, _named):
        found = form(words, today)
        if found is not None:
            if not FIRST_YEAR <= found.year <= LAST_YEAR:
                raise Fault(f"{found.year} is too far away.", "The date stayed as it was.", _FORMS)
            return found
    raise Fault(f"“{text.strip()[:40]}” is no date.", "The date stayed as it was.", _FORMS)


def _relative(words: str, today: datetime.date) -> datetime.date | None:
    if words in ("today", "tomorrow", "the day after tomorrow"):
        return today + datetime.timedelta(days=("today", "tomorrow", "the day after tomorrow").index(words))
    got = re.fullmatch(r"(?:in )?(\d{1,4}|[a-z]+) (day|week|fortnight|month|year)s?(?: from (?:now|today))?", words)
    if not got:
        return None
    count = int(got[1]) if got[1].isdigit() else _NUMBERS.get(got[1])
    return _shifted(today, count, got[2]) if count is not None else None


def _shifted(day: datetime.date, count: int, unit: str) -> datetime.date:
    if unit in ("month", "year"):
        months = day.year * 12 + day.month - 1 + count * (12 if unit == "year" else 1)
        year, month = divmod(months, 12)
        if year > LAST_YEAR:
            raise Fault(f"{year} is too far away.", "The date stayed as it was.", _FORMS)
        return datetime.date(year, month + 1, min(day.day, calendar.monthrange(year, month + 1)[1]))
    return day + datetime.timedelta(days=count * {"day": 1, "week": 7, "fortnight": 14}[unit])


def _named_in(names: tuple[str, ...], word: str) -> int | None:
    """The place of a name that is written out or shortened to three letters or more."""
    word = word.rstrip(".")
    found = [k for k, name in enumerate(names) if len(word) >= 3 and name.startswith(word)]
    return found[0] if len(found) == 1 else None


def _weekday(words: str, today: datetime.date) -> datetime.date | None:
    got = re.fullmatch(r"(next |this |on )?([a-z]+\.?)", words)
    at = _named_in(WEEKDAYS, got[2]) if got else None
    if got is None or at is None:
        return None
    ahead = (at - today.weekday() - 1) % 7 + 1
    if got[1] == "next " and today.weekday() + ahead < 7:  # the one of next week, where this week still has one
        ahead += 7
    return today + datetime.timedelta(days=ahead)


def _end_of_month(words: str, today: datetime.date) -> datetime.date | None:
    got = re.fullmatch(r"(?:the )?end of ([a-z]+\.?)(?: (\d{4}))?", words)
    at = _named_in(MONTHS, got[1]) if got else None
    if got is None or at is None:
        return None
    year = int(got[2]) if got[2] else today.year + (at + 1 < today.month)
    return datetime.date(year, at + 1, calendar.monthrange(year, at + 1)[1]) if 1 <= year <= 9999 else None


def _iso(words: str, _today: datetime.date) -> datetime.date | None:
    got = re.fullmatch(r"(\d{4})[-./](\d{1,2})[-./](\d{1,2})", words)
    return _made(int(got[3]), int(got[2]), int(got[1])) if got else None


def _numbers(words: str, today: datetime.date) -> datetime.date | None:
    got = re.fullmatch(r"(\d{1,2})\s?[./-]\s?(\d{1,2})(?:\s?[./-]\s?(\d{4}|\d{2})?)?", words)
    return _next(int(got[1]), int(got[2]), got[3], today) if got else None


def _named(words: str, today: datetime.date) -> datetime.date | None:
    """A day beside the name of its month, in either order; a weekday before it is not held against it."""
    parts = [q for q in re.sub(r"(\d)(st|nd|rd|th)\b", r"\1", words).replace(" of ", " ").replace("the ", "").split(" ") if q]
    if parts and _named_in(WEEKDAYS, parts[0]) is not None and len(parts) > 1 and _named_in(MONTHS, parts[0]) is None:
        parts = parts[1:]
    parts = [p for q in parts for p in re.findall(r"\d+|[a-z]+", q)]
    months = [q for q in parts if _named_in(MONTHS, q) is not None]
    figures = [q for q in parts if q.isdigit()]
    if len(months) != 1 or len(parts) != len(months) + len(figures) or not 1 <= len(figures) <= 2 or len(figures[0]) > 2:
        return None
    at = _named_in(MONTHS, months[0])
    assert at is not None
    return _next(int(figures[0]), at + 1, figures[1] if len(figures) > 1 else None, today)


def _next(day: int, month: int, year: str | None, today: datetime.date) -> datetime.date:
    """With a year that one (two figures are of this century), else the next such day, today among them."""
    if year:
        return _made(day, month, int(year) + (2000 if len(year) == 2 else 0))
    for ahead in range(9):  # 29 February may be eight years away
        with_year = today.year + ahead
        if 1 <= month <= 12 and 1 <= day <= calendar.monthrange(with_year, month)[1]:
            found = datetime.date(with_year, month, day)
            if found >= today:
                return found
    return _made(day, month, today.year)


def _made(day: int, month: int, year: int) -> datetime.date:
    try:
        return datetime.date(year, month, day)
    except ValueError:
        words = f"{day} {MONTHS[month - 1].capitalize()} {year}" if 1 <= month <= 12 else f"month {month}"
        raise Fault(f"There is no {words}.", "The date stayed as it was.", _FORMS) from None


def day_words(day: datetime.date) -> str:
    """A day.

    >>> day_words(datetime.date(2026, 3, 9))
    '9 March 2026'
    """
    return f"{day.day} {day:%B %Y}"


def distance_words(day: datetime.date, today: datetime.date) -> str:
    """How far away a day is.

    >>> today = datetime.date(2026, 12, 1)
    >>> [distance_words(today + datetime.timedelta(days=n), today) for n in (0, 1, 19, -1, -6)]
    ['today', 'tomorrow', 'in 19 days', 'yesterday', '6 days ago']
    """
    n = (day - today).days
    return {0: "today", 1: "tomorrow", -1: "yesterday"}.get(n) or (f"in {n} days" if n > 0 else f"{-n} days ago")


def told_day(day: datetime.date, today: datetime.date) -> str:
    """A day with its weekday and its distance.

    >>> told_day(datetime.date(2026, 12, 20), datetime.date(2026, 12, 1))
    'Sunday 20 December 2026, in 19 days'
    """
    return f"{day:%A} {day_words(day)}, {distance_words(day, today)}"


def orders_due(session: Session) -> dict[datetime.date, tuple[str, ...]]:
    """Names of the other orders that are due on a day and not delivered yet."""
    out: dict[datetime.date, tuple[str, ...]] = {}
    mine = session.commission.id if session.commission is not None else ""
    for c in session.commissions:
        if c.due and not c.delivered and not c.archived and c.id != mine and not is_part(c.id):
            day = datetime.date.fromisoformat(c.due)
            out[day] = (*out.get(day, ()), c.name)
    return out


def works_on(c: Commission, day: datetime.date) -> bool:
    """Whether a day is one on which the artist works for a commission."""
    return day.weekday() in c.terms.weekdays
