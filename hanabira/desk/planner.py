"""The plan behind the desk: order and days of the open commission beside the studio's others; edits of its terms."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from hanabira.core.faults import Fault
from hanabira.core.schedule.order import LAST, Ordered, Step
from hanabira.core.schedule.sessions import Calendar
from hanabira.core.schedule.work import AreaWork, Pace
from hanabira.studio import planning
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe

if TYPE_CHECKING:
    from hanabira.desk.model import Model


@dataclass(frozen=True)
class Planned:
    """What the Plan stage shows."""

    work: tuple[AreaWork, ...]
    ordered: Ordered
    calendar: Calendar
    pace: Pace
    due: datetime.date | None
    busy: tuple[tuple[datetime.date, float, str], ...] = ()
    """Minutes of days that other commissions take first: day, minutes, whose."""


class Planner:
    """Plans once for each state of the studio's records; reads the model, edits go through it."""

    def __init__(self, model: Model) -> None:
        self.model = model
        self._kept: tuple[object, Planned | None] | None = None
        self._log: tuple[object, tuple[LogRow, ...]] | None = None

    def log(self) -> tuple[LogRow, ...]:
        """The open commission's log; read once for each state of the studio, since the easel's clock asks every second."""
        c = self.model.commission
        sign = (self.model.store.edits, c.id if c else "")
        if self._log is None or self._log[0] != sign:
            self._log = (sign, self.model.store.all(LogRow, commission_id=c.id) if c else ())
        return self._log[1]

    def planned(self) -> Planned | None:
        """The plan; None when nothing can be planned yet."""
        m = self.model
        c, photo = m.commission, m.photo
        if c is None or photo is None or not m.recipes:
            return None
        sign = (m.store.edits, c.id, datetime.date.today())
        if self._kept is not None and self._kept[0] == sign:
            return self._kept[1]
        everything = m.store.all(LogRow)
        finishes = tuple(replace(a, finish=m.workshop.finish(a)) for a in m.areas)
        work = planning.work_of(c, photo, finishes, tuple(m.recipes.values()), m.kit)
        pace = planning.pace_of(everything)
        try:
            days = planning.days_of(c)
            days = replace(days, start=max(days.start, datetime.date.today()))
            busy = self._busy(c, pace)
            taken = [(day, minutes) for day, minutes, _name in busy]
            found, calendar = planning.plan(c, work, days, pace, "", m.workshop.school["sequence"], taken, self.log())
        except Fault as fault:
            m.messages.fault(fault)
            self._kept = (sign, None)
            return None
        due = datetime.date.fromisoformat(c.due) if c.due else None
        out = Planned(work, found, calendar, pace, due, tuple(busy))
        self._kept = (sign, out)
        return out

    def if_lost(self, day: datetime.date) -> Calendar | None:
        """The days as they would be if nothing could be done on one of them; None when nothing is planned."""
        m, plan = self.model, self.planned()
        c = m.commission
        if plan is None or c is None:
            return None
        days = planning.days_of(c)
        days = replace(days, start=max(days.start, datetime.date.today()), off=(*days.off, day))
        try:
            return planning.plan(
                c, plan.work, days, plan.pace, "", m.workshop.school["sequence"], [(d, n) for d, n, _c in plan.busy], self.log()
            )[1]
        except Fault:
            return None

    def done_keys(self) -> set[str]:
        """Steps that the log says are done or skipped."""
        return {r.step for r in self.log() if r.state in ("done", "skipped")}

    def others(self) -> tuple[str, ...]:
        """The studio's other commissions that take days before this one, in words."""
        c = self.model.commission
        if c is None:
            return ()
        out = []
        for o in self._before(c):
            until = f", due {datetime.date.fromisoformat(o.due):%d %B}" if o.due else ""
            out.append(f"{o.name} comes first{until}.")
        return tuple(out)

    def _before(self, mine: Commission) -> list[Commission]:
        """Commissions under way that are due before one, in that order."""
        rank = lambda c: (c.due or "9999", c.created)  # noqa: E731
        return sorted(
            (
                c
                for c in self.model.store.all(Commission)
                if c.id != mine.id and not c.delivered and not c.archived and rank(c) < rank(mine)
            ),
            key=rank,
        )

    def _busy(self, mine: Commission, pace: Pace) -> list[tuple[datetime.date, float, str]]:
        """Minutes a day that commissions due before this one take, with their names."""
        store = self.model.store
        out: list[tuple[datetime.date, float, str]] = []
        for c in self._before(mine):
            photos, areas = store.all(Photo, commission_id=c.id), store.all(Area, commission_id=c.id)
            ids = {a.id for a in areas}
            recipes = [r for r in store.all(Recipe) if r.area_id in ids]
            if not photos or not recipes:
                continue
            work = planning.work_of(c, photos[0], areas, recipes)
            days = planning.days_of(c)
            days = replace(days, start=max(days.start, datetime.date.today()))
            log = store.all(LogRow, commission_id=c.id)
            done = {r.step for r in log}
            try:
                _found, calendar = planning.plan(c, work, days, pace, "", "one-area", [(d, n) for d, n, _c in out], log)
            except Fault:
                continue
            for q in calendar.placed:
                if q.step.key not in done:
                    out.append((q.start.date(), (q.end - q.start).total_seconds() / 60, c.name))
        return out

    # -- edits ------------------------------------------------------------------
    def set_terms(self, words: str, typed: bool = False, **fields: object) -> None:
        """Change what was agreed or how it is worked; one undoable edit."""
        from hanabira.desk.commands import EditBrief

        c = self.model.commission
        if c is not None:
            terms = replace(c.terms, **fields)  # type: ignore[arg-type]
            if terms != c.terms:
                self.model.do(EditBrief(self.model, words, typed, terms=terms))

    def move(self, key: str, behind: str) -> None:
        """Put a step right after another one, or first; what it breaks is said."""
        c = self.model.commission
        if c is None or key in (behind, LAST):
            return
        kept = tuple(q for q in c.terms.moved if q[0] != key)
        self.set_terms("order of the steps", moved=(*kept, (key, behind)))
        plan = self.planned()
        if plan is not None and plan.ordered.broken:
            r = plan.ordered.broken[-1]
            self.model.messages.remark(f"This order breaks a rule. {r.why} Else {r.cost}.")

    def forget_moves(self) -> None:
        """Back to the solved order."""
        self.set_terms("solved order", moved=())


def hours_words(steps: Sequence[Step]) -> str:
    """Hours of steps as a range.

    >>> hours_words([])
    '0–0 h'
    """
    low, high = sum(s.low for s in steps) / 60, sum(s.high for s in steps) / 60
    # single bad days even out over many steps
    return f"{low * 1.08:.0f}–{max(low, high * 0.9):.0f} h"


def span(low: float, high: float) -> str:
    """Minutes as a range in words.

    >>> span(0.2, 0.7), span(0.4, 3.0), span(12.0, 20.0)
    ('under 1 min', 'up to 3 min', '12–20 min')
    """
    a, b = round(low), round(high)
    return "under 1 min" if b < 1 else f"up to {b} min" if a < 1 else f"{a} min" if a == b else f"{a}–{b} min"
