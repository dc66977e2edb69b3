"""What a commission comes to: work, hours, price and days, put together in one place from its records, whoever asks.

Window, terminal, shelf, the days that other orders take, quote, record and bundle all read it here; a test holds every door against the others.
"""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from hanabira.core.schedule.first_hours import FIRST, first_step
from hanabira.core.schedule.handling import handling_steps
from hanabira.core.schedule.order import Arranger, Ordered, Step, steps_of
from hanabira.core.schedule.sessions import Calendar, Days
from hanabira.core.schedule.work import AreaWork, LayerWork, Pace
from hanabira.core.sentences import say
from hanabira.craft.first_hours import first_figures
from hanabira.craft.rules import school
from hanabira.studio import planning
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe

if TYPE_CHECKING:
    from hanabira.core.optics.kit import Kit
    from hanabira.studio.bundle import Contents


@dataclass(frozen=True)
class Assembly:
    """A commission with its work in millimetres, the artist's pace, the sequence of its school, and its log.

    ``unsolved`` are areas without a recipe: they are counted by an estimate. Of all areas ``proposed`` are not accepted yet.
    """

    commission: Commission
    work: tuple[AreaWork, ...]
    pace: Pace
    sequence: str
    log: tuple[LogRow, ...] = ()
    unsolved: tuple[AreaWork, ...] = ()
    proposed: int = 0
    spread: float = 1.0
    """By what factor either way estimates are less certain than usual: the animal's size may be a guess, too."""

    @property
    def done(self) -> frozenset[str]:
        """Steps that the log holds as done or skipped."""
        return frozenset(r.step for r in self.log if r.state in ("done", "skipped"))

    @property
    def areas(self) -> int:
        """All areas, with recipes and without."""
        return len(self.work) + len(self.unsolved)

    @property
    def first(self) -> bool:
        """Whether hours, price and days are those of a first plan: something is estimated, or not accepted yet."""
        return bool(self.unsolved or self.proposed)

    @property
    def first_words(self) -> str:
        """What must be told beside hours, price and days; empty once every area is accepted and has its recipe."""
        if self.proposed:
            return say("first.accepted", accepted=self.areas - self.proposed, areas=self.areas)
        return say("first.solved", solved=len(self.work), areas=self.areas) if self.unsolved else ""

    def steps(self) -> tuple[Step, ...]:
        """Every step with its range of minutes, in no order: layers, and what lies between them."""
        if not self.work:
            return ()
        layers = steps_of(self.work, self.pace)
        return (*layers, *handling_steps(self.work, planning.handling_of(self.commission), self.pace, layers))

    def estimates(self) -> tuple[Step, ...]:
        """Areas without a recipe, each as one step of minutes that are estimated."""
        return tuple(first_step(a, first_figures(), self.pace, self.spread) for a in self.unsolved)

    def minutes(self) -> tuple[float, float]:
        """Minutes that are left, from a good day to a bad one: steps that are not done, and what is estimated."""
        left = [*(s for s in self.steps() if s.key not in self.done), *self.estimates()]
        return sum(s.low for s in left), sum(s.high for s in left)

    def quote(self) -> dict[str, Any]:
        """Hours and price, and how far they rest on recipes."""
        told = planning.quote(self.commission, self.work, self.pace, self.estimates())
        first = {"areas": self.areas, "accepted": self.areas - self.proposed, "solved": len(self.work), "words": self.first_words} if self.first else None
        return {**told, "first_plan": first}

    def days(self, today: datetime.date) -> Days:
        """Working days from today on."""
        days = planning.days_of(self.commission, today)
        return replace(days, start=max(days.start, today))

    def plan(
        self, days: Days, busy: Sequence[tuple[datetime.date, float]] = (), arranger: Arranger | None = None, hand: str = ""
    ) -> tuple[Ordered, Calendar]:  # fmt: skip
        """Order and calendar. Raises `Fault` when there is nothing to plan."""
        return planning.plan(self.commission, self.work, days, self.pace, hand, self.sequence, busy, self.log, arranger, self.estimates())

    def calendar(self, days: Days, busy: Sequence[tuple[datetime.date, float]] = ()) -> Calendar:
        """The days of everything, also while there is no recipe at all. Raises `Fault` without a working day."""
        return self.plan(days, busy)[1] if self.work else planning.laid_out(Ordered((), {}, {}), self.estimates(), days, busy)

    def roughly(self, days: Days, busy: Sequence[tuple[datetime.date, float]] = ()) -> Calendar:
        """About the days of everything, quickly: an area at a time, in no order and without waits for drying. Raises `Fault` without a working day."""
        minutes: dict[AreaWork, tuple[float, float]] = {}
        rest = 0.0, 0.0
        for s in self.steps():
            if s.key in self.done:
                continue
            if s.area is None:
                rest = rest[0] + s.low, rest[1] + s.high
            else:
                low, high = minutes.get(s.area, (0.0, 0.0))
                minutes[s.area] = low + s.low, high + s.high
        known = [Step(f"{a.id}{FIRST}", a, -1, LayerWork("area", ""), low, high) for a, (low, high) in minutes.items()]
        between = [Step(f"between{FIRST}", None, -1, LayerWork("between", ""), *rest)] if rest[1] > 0 else []
        return planning.laid_out(Ordered((), {}, {}), (*known, *between, *self.estimates()), days, busy)


def assemble(
    c: Commission, photo: Photo, areas: Sequence[Area], recipes: Sequence[Recipe], kit: Kit | None, pace: Pace, log: Sequence[LogRow] = (), proposed: int = 0
) -> Assembly:  # fmt: skip
    """Put a commission together. ``photo`` is the one on the sheet; areas of others are left out. A ``kit`` of None is one that cannot be read. The last ``proposed`` areas are not accepted yet."""
    everything = planning.all_work(c, photo, areas, recipes, kit)
    work, unsolved = tuple(a for a in everything if a.layers), tuple(a for a in everything if not a.layers)
    medium = kit.medium if kit is not None else "pencil"
    return Assembly(c, work, pace, school(medium, c.school)["sequence"], tuple(log), unsolved, proposed)


def of_contents(got: Contents, kit: Kit) -> Assembly:
    """What a bundle's commission comes to, with the pace it was written with."""
    return assemble(got.commission, got.main_photo, got.areas, got.recipes, kit, got.pace or planning.pace_of(got.log), got.log)
