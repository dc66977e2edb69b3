"""The sessions of a plan as a calendar file (RFC 5545)."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from icalendar import Calendar, Event

from hanabira.studio.writing import write_file


@dataclass(frozen=True)
class Sitting:
    """One sitting: local begin and end, and what is done in it."""

    start: datetime.datetime
    end: datetime.datetime
    words: str


def write_calendar(
    title: str, key: str, sessions: Sequence[Sitting], due: datetime.date | None, target: Path, now: datetime.datetime
) -> Path:
    """Write sessions and the due date as they are ``now`` (local time); ``key`` makes their ids stable. Raises `Fault` when the file cannot be written."""
    out = Calendar()
    out.add("prodid", "-//Hanabira//plan//EN")
    out.add("version", "2.0")
    stamp = now.astimezone(datetime.UTC).replace(microsecond=0)
    for n, s in enumerate(sessions, 1):
        e = Event()
        e.add("uid", f"{key}-session-{n}@hanabira")
        e.add("dtstamp", stamp)
        e.add("dtstart", s.start.replace(microsecond=0))
        e.add("dtend", s.end.replace(microsecond=0))
        e.add("summary", f"{title}: session {n}")
        e.add("description", s.words)
        out.add_component(e)
    if due is not None:
        e = Event()
        e.add("uid", f"{key}-due@hanabira")
        e.add("dtstamp", stamp)
        e.add("dtstart", due)
        e.add("summary", f"{title} is due")
        out.add_component(e)
    return write_file(target, out.to_ical())
