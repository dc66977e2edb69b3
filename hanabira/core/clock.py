"""The one clock. Whoever needs the day or the hour is handed a `Clock`; nothing else in the application asks the machine for it.

The machine's own clock can be set from outside by the variable ``HANABIRA_NOW`` (ISO, local time): it then begins there and runs on. So a
demo, a sheet or a whole test run can be had as it would be on any day.
"""

from __future__ import annotations

import datetime
import os
import time
from collections.abc import Callable
from dataclasses import dataclass

VARIABLE = "HANABIRA_NOW"
_BEGAN = time.monotonic()


@dataclass(frozen=True)
class Clock:
    """Tells local time. ``read`` gives it without a time zone, as an artist's calendar has it.

    >>> clock = Clock.at("2028-02-29T10:20:30.250000")
    >>> clock.today(), clock.stamp()
    (datetime.date(2028, 2, 29), '2028-02-29T10:20:30')
    """

    read: Callable[[], datetime.datetime]

    @classmethod
    def at(cls, moment: str | datetime.datetime) -> Clock:
        """A clock that stands still. Raises `ValueError` for words that are no moment."""
        fixed = datetime.datetime.fromisoformat(moment) if isinstance(moment, str) else moment
        return cls(lambda: fixed)

    def now(self) -> datetime.datetime:
        """This moment, local time."""
        return self.read()

    def today(self) -> datetime.date:
        """This day."""
        return self.read().date()

    def stamp(self, timespec: str = "seconds") -> str:
        """This moment as records keep it, ISO."""
        return self.read().isoformat(timespec=timespec)


def _machine() -> datetime.datetime:
    begins = os.environ.get(VARIABLE)
    if begins:
        return datetime.datetime.fromisoformat(begins) + datetime.timedelta(seconds=time.monotonic() - _BEGAN)
    return datetime.datetime.now()


MACHINE = Clock(_machine)
"""The machine's clock, or the one that ``HANABIRA_NOW`` sets."""
