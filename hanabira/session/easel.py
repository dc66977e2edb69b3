"""What the easel decides: which step is next, what is wet, how long the hand has worked, what a row of the log says."""

from __future__ import annotations

import datetime
import time
from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from hanabira.core.schedule.sessions import DRYING_MIN
from hanabira.session.edits import Edit, EditBrief
from hanabira.session.planner import EXTRA
from hanabira.session.worked import Stretch, Worked
from hanabira.studio import account
from hanabira.studio.account import differences
from hanabira.studio.records import LogRow, new_id

if TYPE_CHECKING:
    from hanabira.core.schedule.order import Ordered, Step
    from hanabira.session.session import Session

STALLED_S = 90.0
"""Between two ticks of a second so much more can only pass while the machine sleeps."""
REST_S = 5 * 60.0
"""A pause so long is a rest for eyes and hand; a shorter one only stops the clock."""


class WorkClock:
    """Seconds of work on a step, and since the last rest. ``now`` gives seconds that only ever grow.

    >>> t = [0.0]
    >>> clock = WorkClock(lambda: t[0])
    >>> clock.run(); t[0] = 60; clock.pause(); t[0] = 100; clock.run(); t[0] = 130
    >>> clock.step_s, clock.since_rest_s
    (90.0, 90.0)
    """

    def __init__(self, now: Callable[[], float] = time.monotonic) -> None:
        self._now = now
        self._step = self._worked = 0.0
        self._since: float | None = None
        self._paused_at: float | None = None

    @property
    def paused(self) -> bool:
        """Whether it stands."""
        return self._since is None

    def _passed(self) -> float:
        return 0.0 if self._since is None else self._now() - self._since

    @property
    def step_s(self) -> float:
        """Seconds worked on this step, without pauses."""
        return self._step + self._passed()

    @property
    def since_rest_s(self) -> float:
        """Seconds worked since the last rest, over all steps."""
        return self._worked + self._passed()

    def run(self) -> None:
        """Go on. After a pause as long as a rest the work since the last one counts anew."""
        if self._since is None:
            if self._paused_at is not None and self._now() - self._paused_at >= REST_S:
                self._worked = 0.0
            self._since, self._paused_at = self._now(), None

    def pause(self, back_s: float = 0.0) -> None:
        """Stop; what was worked before stays. The last ``back_s`` seconds were no work: the machine slept."""
        if self._since is not None:
            passed = max(0.0, self._passed() - back_s)
            self._step += passed
            self._worked += passed
            self._since, self._paused_at = None, self._now() - back_s

    def next_step(self) -> None:
        """Count the next step from nothing; work since the last rest goes on."""
        self._worked += self._passed()
        self._step = 0.0
        if self._since is not None:
            self._since = self._now()


class AtTheEasel:
    """The open commission at the easel. Rows of the log go in as edits, stored before they are shown."""

    def __init__(
        self, session: Session, seconds: Callable[[], float] = time.monotonic
    ) -> None:
        self.session, self.now, self._seconds = session, session.clock.now, seconds
        self.clock = WorkClock(seconds)
        self.swapped = ""
        """Code of the pencil that is used on this step instead of the recipe's."""
        self.worked = Worked(session)
        self._step_key = ""
        self._ticked: tuple[datetime.datetime, float] | None = None

    # -- which step ----------------------------------------------------------------
    def drying(self) -> dict[str, float]:
        """Areas that are wet, with the minutes that are left."""
        out: dict[str, float] = {}
        plan = self.session.planner.planned()
        tools = {s.key: s.layer.tool for s in plan.ordered.steps} if plan else {}
        now = self.now()
        for r in self.session.planner.log():
            if r.state == "done" and tools.get(r.step) == "solvent":
                left = DRYING_MIN - (now - datetime.datetime.fromisoformat(r.at)).total_seconds() / 60
                if left > 0:
                    out[r.area_id] = left
        return out

    def next_steps(self, ordered: Ordered, most: int = 2) -> list[Step]:
        """The first steps that may be done now, one after the other: nothing before them open, their area dry."""
        done, wet = set(self.session.planner.done_keys()), self.drying()
        out: list[Step] = []
        while len(out) < most:
            for s in ordered.steps:
                if s.key in done or any(w not in done for w in ordered.after.get(s.key, ())) or (s.area is not None and s.area.id in wet):
                    continue
                out.append(s)
                done.add(s.key)
                if s.layer.tool == "solvent" and s.area is not None:
                    wet[s.area.id] = DRYING_MIN
                break
            else:
                break
        return out

    def step(self) -> Step | None:
        """The step to do now; None when everything is done or has to dry."""
        plan = self.session.planner.planned()
        found = self.next_steps(plan.ordered, 1) if plan is not None else []
        return found[0] if found else None

    def show(self, s: Step) -> bool:
        """Tell the clock which step is shown; whether it is another one than before, so that its time begins. What was worked on the one before stays its own."""
        if s.key == self._step_key:
            return False
        self._end("another step")
        self._step_key = s.key
        if not self.clock.paused:
            self.worked.begin(s.key)
        return True

    @property
    def minutes(self) -> float:
        """What has passed on this step, without pauses, and with what was worked on it before."""
        return (self.worked.free_s(self._step_key) + self.clock.step_s) / 60

    # -- the clock ---------------------------------------------------------------------
    def run(self) -> None:
        """Let the clock run on."""
        if self.clock.paused:
            self.clock.run()
            self._ticked = None
            if self._step_key:
                self.worked.begin(self._step_key)

    def pause(self, why: str = "paused", back_s: float = 0.0) -> None:
        """Stop the clock; what was worked is kept at once."""
        if not self.clock.paused:
            self.clock.pause(back_s)
            self._end(why)

    def tick(self) -> bool:
        """A moment has passed: keep what was worked. A gap in which the machine slept, or nothing ran, is no work: the clock stops where it began; whether it did."""
        wall, seconds = self.now(), self._seconds()
        before, self._ticked = self._ticked, (wall, seconds)
        if self.clock.paused or before is None:
            return False
        passed = seconds - before[1]
        asleep = (wall - before[0]).total_seconds() - passed
        if passed > STALLED_S or asleep > STALLED_S:
            self.pause("slept", passed if passed > STALLED_S else 0.0)
            return True
        self.worked.note(self.clock.step_s)
        return False

    def left_words(self, left: Stretch) -> tuple[str, str]:
        """Title and words of the question about a stretch that was left open."""
        plan = self.session.planner.planned()
        name = next((q.name for q in plan.ordered.steps if q.key == left.step), "a step that is gone") if plan is not None else "a step"
        begun, seen = left.start[11:16], left.end[11:16]
        day = "" if left.start[:10] == self.now().date().isoformat() else f" on {datetime.date.fromisoformat(left.start[:10]):%d %B}"
        words = f"You were at {name} since {begun}{day}; the clock was last seen running at {seen}. Write a time such as {seen}, or leave it empty for {seen}."
        return "Worked until …?", words

    def settle_left(self, left: Stretch, told: str) -> bool:
        """End a stretch that was left open at the time that is told, else where it was last seen; whether what was told is a time that can be."""
        start, until = datetime.datetime.fromisoformat(left.start), None
        digits = told.strip().replace(".", ":")
        if digits:
            try:
                hour, minute = (int(q) for q in digits.split(":"))
                until = start.replace(hour=hour, minute=minute, second=0)
            except ValueError:
                self.worked.settle(left, None)
                return False
            if until < start.replace(second=0):  # past midnight
                until += datetime.timedelta(days=1)
            if until > self.now():
                self.worked.settle(left, None)
                return False
        self.worked.settle(left, until)
        return True

    def _end(self, why: str) -> None:
        """What has run on this step becomes a stretch of it."""
        if self._step_key and self.clock.step_s > 0:
            self.worked.end(self._step_key, self.clock.step_s, why)
        self.clock.next_step()

    # -- rows of the log --------------------------------------------------------------
    def row(self, s: Step, state: str, note: str = "") -> LogRow:
        """The row that a step leaves: done with its minutes and the pencil that was used, skipped, or a note."""
        c = self.session.commission
        assert c is not None
        guess = s.guess
        pencil = (self.swapped if state == "done" else "") or s.layer.pencil
        r = LogRow(
            new_id(), c.id, s.key, area_id=s.area.id if s.area else "", area_name=s.area.name if s.area else "",
            surface_id=s.area.surface_id if s.area else "", role=s.layer.role, pencil=pencil or s.layer.tool, pressure=s.layer.pressure,
            minutes=round(self._minutes_of(s), 2) if state != "note" else 0.0, guess_min=round(guess, 2), at=self.now().isoformat(timespec="seconds"),
            note=note, differs="", state=state,
        )  # fmt: skip
        return replace(r, differs=differences(r, s.layer.pencil, s.layer.pressure, self.session.kit)) if state == "done" else r

    def _minutes_of(self, s: Step) -> float:
        """Minutes worked on a step, whether it is the one that is shown or not."""
        running = self.clock.step_s if s.key == self._step_key or not self._step_key else 0.0
        return (self.worked.free_s(s.key) + running) / 60

    def write(self, s: Step, words: str, state: str, note: str = "") -> bool:
        """One row in the log; whether it was stored. A step that is done or skipped ends its time."""
        if state == "done":
            self.session.logbook.keep_first_plan()
        row = self.row(s, state, note)
        stored = self.session.do(Edit(self.session, words, [], [row]))
        if stored and state != "note":
            self._step_key = self._step_key or s.key
            self._end(state)
            self.worked.claim(s.key, row.id)
            self._step_key, self.swapped = "", ""
        return stored

    def extra(self, words: str) -> bool:
        """Work outside the recipe in the log: another tool, a further layer. A pencil's code at the start of the words is its pencil.

        It takes the clock's minutes, which count as hours but teach no pace, since nothing was planned for them.
        """
        c, s = self.session.commission, self.step()
        assert c is not None
        first = words.split()[0] if words.split() else ""
        area = s.area if s is not None else None
        r = LogRow(
            new_id(), c.id, f"{EXTRA}{new_id()}", area_id=area.id if area else "", area_name=area.name if area else "",
            surface_id=area.surface_id if area else "", role=account.BESIDES, pencil=first if first in self.session.kit.index else "", pressure=0,
            minutes=round(self.minutes, 2), guess_min=0.0, at=self.now().isoformat(timespec="seconds"), note=words, differs="", state="done",
        )  # fmt: skip
        stored = self.session.do(Edit(self.session, "work outside the recipe", [], [r]))
        if stored:
            self._end("besides")
            self.worked.claim(self._step_key, r.id)
            if not self.clock.paused and self._step_key:
                self.worked.begin(self._step_key)
        return stored

    def take_back_last(self) -> bool:
        """The last step is open again; whether there was one."""
        rows = [r for r in self.session.planner.log() if r.state in ("done", "skipped")]
        return bool(rows) and self.session.do(Edit(self.session, "last step", [rows[-1]], []))


def deliver(session: Session, day: str) -> None:
    """Set the day of delivery, or clear it with an empty one; one undoable edit."""
    session.do(EditBrief(session, "delivery", False, delivered=day))
