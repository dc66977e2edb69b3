"""The plan behind the desk: order and days of the open commission beside the studio's others; edits of its terms."""

from __future__ import annotations

import datetime
from collections.abc import Collection
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from hanabira.core.area.covering import Covering, covering
from hanabira.core.area.outline import Outline
from hanabira.core.faults import Fault
from hanabira.core.schedule.first_hours import guessed_animal
from hanabira.core.schedule.handling import is_handling
from hanabira.core.schedule.order import LAST, Arranger, Ordered, Preferences
from hanabira.core.schedule.work import hours_range
from hanabira.session.edits import EditBrief
from hanabira.studio import assembly, planning
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe, by_commission, is_part

if TYPE_CHECKING:
    import numpy as np

    from hanabira.core.area.seams import Seam
    from hanabira.core.schedule.order import Step
    from hanabira.core.schedule.sessions import Calendar
    from hanabira.core.schedule.work import AreaWork, Pace
    from hanabira.core.study.framing import Box
    from hanabira.session.session import Session
    from hanabira.studio.assembly import Assembly

EXTRA = "extra:"
"""How the keys of work outside the recipe begin in the log."""
HALF = 128
"""Coverage (0–255) from which a pixel counts as animal."""


@dataclass(frozen=True)
class Planned:
    """What the Plan stage shows."""

    whole: Assembly
    ordered: Ordered
    calendar: Calendar
    due: datetime.date | None
    busy: tuple[tuple[datetime.date, float, str], ...] = ()
    """Minutes of days that other commissions take first: day, minutes, whose."""

    @property
    def work(self) -> tuple[AreaWork, ...]:
        """The areas that are planned."""
        return self.whole.work

    @property
    def pace(self) -> Pace:
        """The artist's pace."""
        return self.whole.pace

    def left(self, done: Collection[str] = ()) -> tuple[Step, ...]:
        """What hours speak of: steps that are not done, and areas without a recipe as estimates."""
        return (*(s for s in self.ordered.steps if s.key not in done), *self.whole.estimates())


FILL = (0.5, 1.5)
"""Share of its upright box that an animal fills, and the factor either way within which 8 of 10 of 34 animals on photographs lie."""


def _on_sheet(photo: Photo, place: Box, coverage: np.ndarray | None) -> float:
    """Square photo pixels of the animal that lie on the sheet: counted in its coverage (h, w) uint8, else its place's share of them."""
    x, y, w, h = photo.crop
    if coverage is not None:
        k = coverage.shape[1] / photo.width_px
        on = coverage[max(0, round(y * k)) : max(0, round((y + h) * k)), max(0, round(x * k)) : max(0, round((x + w) * k))]
        return float((on >= HALF).sum()) / k**2
    left, top, wide, high = place.in_pixels(photo.size)
    return FILL[0] * max(0.0, min(x + w, left + wide) - max(x, left)) * max(0.0, min(y + h, top + high) - max(y, top))


@dataclass(frozen=True)
class FirstPlan:
    """What a whole animal comes to before all of it is accepted and solved: its assembly, about when it is finished, and when it is due."""

    whole: Assembly
    ready: datetime.date | None
    due: datetime.date | None

    @property
    def hours(self) -> tuple[float, float]:
        """Hours that are left, from a good run to a bad one."""
        return hours_range(*self.whole.minutes())

    @property
    def slack_days(self) -> int | None:
        """Days between finishing and the due date; negative when late."""
        return None if self.due is None or self.ready is None else (self.due - self.ready).days


class Planner:
    """Plans once for each state of the studio's records; reads the session, edits go through it."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._kept: tuple[object, Planned | None] | None = None
        self._log: tuple[object, tuple[LogRow, ...]] | None = None
        self._arranger: tuple[object, Arranger] | None = None
        self._covering: tuple[object, Covering] | None = None

    def log(self) -> tuple[LogRow, ...]:
        """The open commission's log; read once for each state of the studio, since the easel's clock asks every second."""
        c = self.session.commission
        sign = (self.session.store.edits, c.id if c else "")
        if self._log is None or self._log[0] != sign:
            self._log = (sign, self.session.store.all(LogRow, commission_id=c.id) if c else ())
        return self._log[1]

    def read_ahead(self) -> None:
        """Read the whole log once, on whatever thread: its rows are checked at the first reading, which takes a moment after some years."""
        self.session.store.all(LogRow)

    def planned(self) -> Planned | None:
        """The plan; None when nothing can be planned yet."""
        m = self.session
        c, photo = m.commission, m.photo
        if c is None or photo is None or not m.recipes:
            return None
        today = m.clock.today()
        sign = (m.store.edits, c.id, today)
        if self._kept is not None and self._kept[0] == sign:
            return self._kept[1]
        everything = m.store.all(LogRow)
        pace = m.pace_given or planning.pace_of(everything)
        whole = assembly.assemble(c, photo, m.areas, tuple(m.recipes.values()), m.kit, pace, self.log())
        try:
            busy = self._busy(c, pace)
            taken = [(day, minutes) for day, minutes, _name in busy]
            found, calendar = whole.plan(whole.days(today), taken, self._arranged(whole))
        except Fault as fault:
            m.messages.fault(fault)
            self._kept = (sign, None)
            return None
        due = datetime.date.fromisoformat(c.due) if c.due else None
        out = Planned(whole, found, calendar, due, tuple(busy))
        self._kept = (sign, out)
        return out

    def first_plan(self) -> FirstPlan | None:
        """Hours, price and days of everything that is drawn or proposed, whether it has a recipe or not; None while there is neither."""
        m = self.session
        c, photo = m.commission, m.photo
        patches = m.whole.patches if "whole" in m.__dict__ and m.whole.open else ()
        if c is None or photo is None or not (m.areas or patches):
            return None
        pace = m.pace_given or planning.pace_of(m.store.all(LogRow))
        tried = tuple(m.first.recipes.values()) if patches else ()
        whole = assembly.assemble(c, photo, (*m.areas, *patches), (*m.recipes.values(), *tried), m.kit, pace, self.log(), len(patches))
        try:
            calendar = whole.roughly(whole.days(m.clock.today()), [(day, minutes) for day, minutes, _name in self._busy(c, pace)])
        except Fault:
            calendar = None
        return FirstPlan(whole, calendar.finish if calendar is not None else None, datetime.date.fromisoformat(c.due) if c.due else None)

    def first_on(self, c: Commission, photo: Photo, place: Box, sure: bool) -> FirstPlan:
        """What a commission would come to on another sheet or with another frame.

        As long as nothing is drawn it is a guess from the animal's ``place`` in the photo, which is ``sure`` where it was cut out: so many areas of one coat.
        """
        m = self.session
        pace = m.pace_given or planning.pace_of(m.store.all(LogRow))
        whole = assembly.assemble(c, photo, m.areas, tuple(m.recipes.values()), m.kit, pace, self.log())
        if not whole.areas:
            coat = m.whole.surface_id if "whole" in m.__dict__ else "short-fur"
            k = c.picture_mm[0] / photo.crop[2]
            guess = guessed_animal(_on_sheet(photo, place, m.view.coverage if sure and m.view is not None else None) * k * k, coat)
            whole = replace(whole, unsolved=guess, spread=1.0 if sure else FILL[1])
        try:
            calendar = whole.roughly(whole.days(m.clock.today()), [(day, minutes) for day, minutes, _name in self._busy(c, pace)])
        except Fault:
            calendar = None
        return FirstPlan(whole, calendar.finish if calendar is not None else None, datetime.date.fromisoformat(c.due) if c.due else None)

    def covering(self) -> Covering:
        """How much of the animal hours, price and dates speak of."""
        m, view = self.session, self.session.view
        coverage = view.coverage if view is not None else None
        sign = (m.store.edits, m.commission.id if m.commission else "", id(coverage))
        if self._covering is None or self._covering[0] != sign:
            photo = m.photo
            size = (photo.width_px, photo.height_px) if photo is not None else (1, 1)
            drawn = [(Outline(a.ring, a.smooth, a.holes), bool(m.recipe_layers(a.id))) for a in m.all_areas]
            self._covering = sign, covering(drawn, None if coverage is None else coverage >= HALF, size)
        return self._covering[1]

    def _arranged(self, whole: Assembly) -> Arranger:
        """Orders this work; kept as long as work, hand and sequence are the same, so that a drag costs one ordering."""
        prefer = Preferences(whole.commission.terms.hand, whole.sequence)
        if self._arranger is None or self._arranger[0] != (whole.work, prefer):
            self._arranger = ((whole.work, prefer), Arranger(whole.work, prefer))
        return self._arranger[1]

    def if_lost(self, day: datetime.date) -> Calendar | None:
        """The days as they would be if nothing could be done on one of them; None when nothing is planned."""
        m, plan = self.session, self.planned()
        c = m.commission
        if plan is None or c is None:
            return None
        days = plan.whole.days(m.clock.today())
        try:
            return plan.whole.plan(replace(days, off=(*days.off, day)), [(d, n) for d, n, _c in plan.busy], self._arranged(plan.whole))[1]
        except Fault:
            return None

    def done_keys(self) -> set[str]:
        """Steps of the plan that the log says are done or skipped; work outside the recipe is none of them."""
        return {r.step for r in self.log() if r.state in ("done", "skipped") and not r.step.startswith(EXTRA)}

    def others(self) -> tuple[str, ...]:
        """The studio's other commissions that take days before this one, in words."""
        c = self.session.commission
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
                for c in self.session.store.all(Commission)
                if c.id != mine.id and not is_part(c.id) and not c.delivered and not c.archived and rank(c) < rank(mine)
            ),
            key=rank,
        )

    def _busy(self, mine: Commission, pace: Pace) -> list[tuple[datetime.date, float, str]]:
        """Minutes a day that commissions due before this one take, with their names."""
        store = self.session.store
        out: list[tuple[datetime.date, float, str]] = []
        before = self._before(mine)
        if not before:
            return out
        # everything is read at once: a query for each of a hundred commissions took longer than the planning
        photos, areas, logs = by_commission(store.all(Photo)), by_commission(store.all(Area)), by_commission(store.all(LogRow))
        recipes = {r.area_id: r for r in store.all(Recipe)}
        for c in before:
            theirs = [recipes[a.id] for a in areas.get(c.id, ()) if a.id in recipes]
            if not photos.get(c.id) or not areas.get(c.id):
                continue
            try:
                theirs_ = assembly.assemble(c, photos[c.id][0], areas[c.id], theirs, self.session.kit_of(c.kit_id), pace, logs.get(c.id, ()))
                calendar = theirs_.calendar(theirs_.days(self.session.clock.today()), [(d, n) for d, n, _c in out])
            except Fault:
                continue
            for q in (*calendar.placed, *calendar.estimated):
                if q.step.key not in theirs_.done:
                    out.append((q.start.date(), (q.end - q.start).total_seconds() / 60, c.name))
        return out

    # -- edits ------------------------------------------------------------------
    def set_terms(self, words: str, typed: bool = False, **fields: object) -> None:
        """Change what was agreed or how it is worked; one undoable edit."""
        c = self.session.commission
        if c is not None:
            terms = replace(c.terms, **fields)  # type: ignore[arg-type]
            if terms != c.terms:
                self.session.do(EditBrief(self.session, words, typed, terms=terms))

    def move(self, key: str, behind: str) -> None:
        """Put a step right after another one, or first; what it breaks is said."""
        c = self.session.commission
        if c is None or key in (behind, LAST):
            return
        if is_handling(key):
            self.session.messages.remark("This step goes where the layers around it go: move one of those.")
            return
        behind = self._layer_before(behind)
        if behind == key:
            return
        kept = tuple(q for q in c.terms.moved if q[0] != key)
        self.set_terms("order of the steps", moved=(*kept, (key, behind)))
        plan = self.planned()
        if plan is not None and plan.ordered.broken:
            r = plan.ordered.broken[-1]
            self.session.messages.remark(f"This order breaks a rule. {r.why} Else {r.cost}.")

    def _layer_before(self, key: str) -> str:
        """The nearest step at or before this one that lays a layer, since drags are kept by layers; empty for none."""
        plan = self.planned()
        keys = [s.key for s in plan.ordered.steps] if plan is not None else []
        at = keys.index(key) if key in keys else -1
        while at >= 0 and is_handling(keys[at]):
            at -= 1
        return keys[at] if at >= 0 else "" if key in keys else key

    # -- seams ----------------------------------------------------------------------
    def seam_of(self, a: str, b: str) -> tuple[str, str, str, str, float] | None:
        """The planned seam of two areas, in either order."""
        c = self.session.commission
        return next((q for q in c.terms.seams if {q[0], q[1]} == {a, b}), None) if c is not None else None

    def plan_seam(self, area: Area, other: Area, found: Seam) -> None:
        """Make a seam a step of the plan, as it is measured now; one undoable edit."""
        c, view = self.session.commission, self.session.view
        if c is None:
            return
        over = area.id if found.over == 1 else other.id if found.over == 2 else ""
        mm = round(found.length_px / (view.scale if view is not None else 1.0) * (self.session.mm_per_px or 0.0), 1)
        kept = tuple(q for q in c.terms.seams if {q[0], q[1]} != {area.id, other.id})
        self.set_terms("seam", seams=(*kept, (area.id, other.id, found.edge, over, mm)))

    def leave_seam(self, a: str, b: str) -> None:
        """Take a seam out of the plan again."""
        c = self.session.commission
        if c is not None:
            self.set_terms("seam left out", seams=tuple(q for q in c.terms.seams if {q[0], q[1]} != {a, b}))

    def forget_moves(self) -> None:
        """Back to the solved order."""
        self.set_terms("solved order", moved=())
