"""Steps on days: sessions with breaks, drying filled by other steps, the night before the last look, slack before the due date."""

from __future__ import annotations

import datetime
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from hanabira.core.faults import Fault
from hanabira.core.schedule.order import LAST, Ordered, Step
from hanabira.core.sentences import say

DRYING_MIN = 30.0
REST_MIN = 12 * 60.0
BREAK_EVERY, BREAK_MIN = 50.0, 10.0
MOST_DAYS = 730


@dataclass(frozen=True)
class Days:
    """When the artist works: first day, hours a working day, working weekdays (0 Monday), the day's beginning, days off."""

    start: datetime.date
    hours_a_day: float = 3.0
    weekdays: tuple[int, ...] = (0, 1, 2, 3, 4)
    begins: datetime.time = datetime.time(9, 0)
    off: tuple[datetime.date, ...] = ()

    def works(self, day: datetime.date) -> bool:
        """Whether it is a working day."""
        return day.weekday() in self.weekdays and day not in self.off


@dataclass(frozen=True)
class Placed:
    """A step with when it begins and ends; ``part`` tells that it goes on in a later session."""

    step: Step
    start: datetime.datetime
    end: datetime.datetime
    part: bool = False


@dataclass(frozen=True)
class WaitingArea:
    """A wait after a step: until when nothing may touch that area."""

    after: str
    minutes: float
    why: str


@dataclass(frozen=True)
class Calendar:
    """Placed steps, waits, the day the work is finished, and idle minutes that nothing could fill.

    ``estimated`` is when areas without a recipe are worked, by their estimates: the finish waits for them.
    """

    placed: tuple[Placed, ...]
    waiting: tuple[WaitingArea, ...]
    finish: datetime.date
    idle_min: float
    estimated: tuple[Placed, ...] = ()

    def slack_days(self, due: datetime.date | None) -> int | None:
        """Days between finishing and the due date; negative when late; None without one."""
        return None if due is None else (due - self.finish).days


def middle(step: Step) -> float:
    """Minutes that are planned for a step: the geometric mean of its range."""
    return float((step.low * step.high) ** 0.5)


def lay_out(ordered: Ordered, days: Days, busy: Sequence[tuple[datetime.date, float]] = ()) -> Calendar:
    """Put steps on days. ``busy`` are minutes already taken on days by other commissions.

    While an area dries another step that may be done goes first. Raises `Fault` when no day is a working day.
    """
    if days.hours_a_day <= 0 or not days.weekdays:
        raise Fault("There is no working day.", "Nothing was planned.", "Give at least one weekday and some hours.")
    taken: dict[datetime.date, float] = {}
    for day, minutes in busy:
        taken[day] = taken.get(day, 0.0) + minutes
    clock = _Clock(days, taken)
    ready_at: dict[str, datetime.datetime] = {}
    done: set[str] = set()
    todo = list(ordered.steps)
    placed: list[Placed] = []
    waiting: list[WaitingArea] = []
    dry_until: dict[str, datetime.datetime] = {}
    idle = 0.0
    while todo:
        at, free = None, None
        for k, step in enumerate(todo):
            if any(w not in done for w in ordered.after.get(step.key, ())):
                continue
            when = max([ready_at[w] for w in ordered.after.get(step.key, ()) if w in ready_at] + [datetime.datetime.min])
            if step.area is not None:
                when = max(when, dry_until.get(step.area.id, datetime.datetime.min))
            if when <= clock.now:
                at, free = k, when
                break
            if free is None or when < free:
                at, free = k, when
        assert at is not None and free is not None
        if free > clock.now:
            gone = clock.idle_until(free)
            # the night before the last look is no lost time
            idle += 0.0 if todo[at].key == LAST else gone
        step = todo.pop(at)
        left = middle(step)
        while left > 1e-9:
            room = clock.room()
            part = min(left, room)
            start = clock.now
            clock.work(part)
            left -= part
            placed.append(Placed(step, start, clock.now, left > 1e-9))
        done.add(step.key)
        if step.layer.tool == "solvent" and step.area is not None:
            dry_until[step.area.id] = clock.now + datetime.timedelta(minutes=DRYING_MIN)
            waiting.append(WaitingArea(step.key, DRYING_MIN, say("order.dries", area=step.area.name)))
        if any(s.key == LAST for s in todo) and len(todo) == 1:
            waiting.append(WaitingArea(step.key, REST_MIN, say("order.rest")))
            for w in ordered.after.get(LAST, ()):
                ready_at[w] = clock.now + datetime.timedelta(minutes=REST_MIN)
    finish = placed[-1].end.date() if placed else days.start
    return Calendar(tuple(placed), tuple(waiting), finish, idle)


def what_is_left(ordered: Ordered, done: Collection[str]) -> Ordered:
    """The order without the steps that are done; nothing waits for them any more."""
    return replace(
        ordered,
        steps=tuple(s for s in ordered.steps if s.key not in done),
        after={k: tuple(w for w in waits if w not in done) for k, waits in ordered.after.items() if k not in done},
    )


class _Clock:
    """Runs through working time only; a break of ten minutes follows every fifty."""

    def __init__(self, days: Days, taken: dict[datetime.date, float]) -> None:
        self.days, self.taken = days, taken
        self.used = 0.0
        self.run = 0.0
        self.now = datetime.datetime.combine(days.start, days.begins)
        self.tried = 0
        self._settle(days.start)

    def _capacity(self, day: datetime.date) -> float:
        return max(0.0, self.days.hours_a_day * 60 - self.taken.get(day, 0.0))

    def _settle(self, day: datetime.date) -> None:
        """The first day from ``day`` on with room."""
        while not self.days.works(day) or self._capacity(day) < 5:
            day += datetime.timedelta(days=1)
            self.tried += 1
            if self.tried > MOST_DAYS:
                raise Fault("The work does not fit into two years.", "Nothing was planned.", "Give more hours a day.")
        self.now = datetime.datetime.combine(day, self.days.begins) + datetime.timedelta(minutes=self.taken.get(day, 0.0))
        self.used, self.run = 0.0, 0.0

    def room(self) -> float:
        """Minutes that can be worked now without a break or a night."""
        left = self._capacity(self.now.date()) - self.used
        if left <= 1e-6:
            self._settle(self.now.date() + datetime.timedelta(days=1))
            left = self._capacity(self.now.date())
        if self.run >= BREAK_EVERY - 1e-6:
            self.now += datetime.timedelta(minutes=BREAK_MIN)
            self.run = 0.0
        return min(left, BREAK_EVERY - self.run)

    def work(self, minutes: float) -> None:
        """Work on."""
        self.now += datetime.timedelta(minutes=minutes)
        self.used += minutes
        self.run += minutes

    def idle_until(self, when: datetime.datetime) -> float:
        """Let time pass; what is left of the day is lost when the wait ends on a later one. Returns the idle minutes of working time."""
        gap = (when - self.now).total_seconds() / 60
        if when.date() > self.now.date() or self.used + gap > self._capacity(self.now.date()):
            lost = max(0.0, self._capacity(self.now.date()) - self.used)
            self._settle(max(when.date(), self.now.date() + datetime.timedelta(days=1)))
            if self.now < when:
                self.now = when
            return lost
        self.used += gap
        self.now, self.run = when, 0.0
        return gap
