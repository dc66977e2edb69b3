"""What a commission comes to: work, hours, price and days, put together in one place from its records, whoever asks.

Window, terminal, shelf, the days that other orders take, quote, record and bundle all read it here; a test holds every door against the others.
"""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from hanabira.core.schedule.handling import handling_steps
from hanabira.core.schedule.order import Arranger, Ordered, Step, steps_of
from hanabira.core.schedule.sessions import Calendar, Days
from hanabira.core.schedule.work import AreaWork, Pace
from hanabira.craft.rules import school
from hanabira.studio import planning
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe

if TYPE_CHECKING:
    from hanabira.core.optics.kit import Kit
    from hanabira.studio.bundle import Contents


@dataclass(frozen=True)
class Assembly:
    """A commission with its work in millimetres, the artist's pace, the sequence of its school, and its log."""

    commission: Commission
    work: tuple[AreaWork, ...]
    pace: Pace
    sequence: str
    log: tuple[LogRow, ...] = ()

    @property
    def done(self) -> frozenset[str]:
        """Steps that the log holds as done or skipped."""
        return frozenset(r.step for r in self.log if r.state in ("done", "skipped"))

    def steps(self) -> tuple[Step, ...]:
        """Every step with its range of minutes, in no order: layers, and what lies between them."""
        layers = steps_of(self.work, self.pace)
        return (*layers, *handling_steps(self.work, planning.handling_of(self.commission), self.pace, layers))

    def quote(self) -> dict[str, Any]:
        """Hours and price."""
        return planning.quote(self.commission, self.work, self.pace)

    def days(self, today: datetime.date) -> Days:
        """Working days from today on."""
        days = planning.days_of(self.commission, today)
        return replace(days, start=max(days.start, today))

    def plan(
        self, days: Days, busy: Sequence[tuple[datetime.date, float]] = (), arranger: Arranger | None = None, hand: str = ""
    ) -> tuple[Ordered, Calendar]:  # fmt: skip
        """Order and calendar. Raises `Fault` when there is nothing to plan."""
        return planning.plan(self.commission, self.work, days, self.pace, hand, self.sequence, busy, self.log, arranger)


def assemble(
    c: Commission, photo: Photo, areas: Sequence[Area], recipes: Sequence[Recipe], kit: Kit, pace: Pace, log: Sequence[LogRow] = ()
) -> Assembly:  # fmt: skip
    """Put a commission together. ``photo`` is the one on the sheet; areas of others are left out."""
    work = planning.work_of(c, photo, areas, recipes, kit)
    return Assembly(c, work, pace, school(kit.medium, c.school)["sequence"], tuple(log))


def of_contents(got: Contents, kit: Kit) -> Assembly:
    """What a bundle's commission comes to, with the pace it was written with."""
    return assemble(got.commission, got.main_photo, got.areas, got.recipes, kit, got.pace or planning.pace_of(got.log), got.log)
