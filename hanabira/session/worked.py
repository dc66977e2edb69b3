"""Worked time as it passes: stretches at the easel, kept once a minute and at each event, so that no accident loses a minute.

A row of the log claims the stretches of its step. A row that is taken back lets them go: they count for the step again. What is asked of a step's minutes is
asked here; the log's own minutes are what the artist is paid by, and may be set right by hand.
"""

from __future__ import annotations

import datetime
from dataclasses import asdict, dataclass, replace
from typing import TYPE_CHECKING, Any

from hanabira.core.faults import Fault

if TYPE_CHECKING:
    from hanabira.session.session import Session

RUNNING = "running"
EVERY_S = 60.0
"""Seconds after which a running stretch is kept again."""
LEAST_S = 1.0
"""A stretch shorter than this is a slip of a key."""
MOST_CLAIMED = 200
"""So many stretches that rows have claimed are kept, the newest: rows that are taken back are seldom older."""
MOST_S = 24 * 3600.0
"""Nobody works longer without a pause."""


@dataclass(frozen=True)
class Stretch:
    """Seconds worked on a step without a break, from ``start`` to ``end`` (local time, ISO); ``why`` it ended, and the id of the ``row`` that claimed it."""

    step: str
    start: str
    end: str
    seconds: float
    why: str = RUNNING
    row: str = ""

    @staticmethod
    def of_data(data: Any) -> Stretch | None:
        """From plain data; None when it makes no sense."""
        try:
            made = Stretch(str(data["step"]), str(data["start"]), str(data["end"]), float(data["seconds"]), str(data["why"]), str(data.get("row", "")))
            datetime.datetime.fromisoformat(made.start)
            datetime.datetime.fromisoformat(made.end)
        except (KeyError, TypeError, ValueError, AttributeError):
            return None
        return made if 0 <= made.seconds <= MOST_S else None


class Worked:
    """Stretches of the open commission, in the studio's settings beside its log."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.running: Stretch | None = None
        self._of = ""
        self._kept: tuple[Stretch, ...] = ()
        self._written_s = 0.0

    # -- what is there ------------------------------------------------------------
    def _key(self, what: str) -> str:
        c = self.session.commission
        return f"{what} {c.id if c is not None else ''}"

    def stretches(self) -> tuple[Stretch, ...]:
        """All that is kept, the oldest first; without the one that runs."""
        c = self.session.commission
        if c is None:
            return ()
        if self._of != c.id:
            told = self.session.store.setting(self._key("worked"), [])
            self._kept = tuple(s for q in (told if isinstance(told, list) else ()) if (s := Stretch.of_data(q)) is not None)
            self._of, self.running = c.id, None
        return self._kept

    def free_s(self, step: str) -> float:
        """Seconds of a step that no row of the log holds."""
        rows = {r.id for r in self.session.planner.log()}
        return sum(s.seconds for s in self.stretches() if s.step == step and s.row not in rows)

    def left_open(self) -> Stretch | None:
        """The stretch that ran when the window went away without a word; None when all were ended."""
        return None if self.running is not None else Stretch.of_data(self.session.store.setting(self._key("working")))

    # -- what happens ---------------------------------------------------------------
    def begin(self, step: str) -> None:
        """A stretch on a step begins; one that was left open before is settled with what is known of it."""
        self.stretches()
        left = self.left_open()
        if left is not None:
            self.settle(left, None)
        now = self.session.clock.now().isoformat(timespec="seconds")
        self.running, self._written_s = Stretch(step, now, now, 0.0), 0.0
        self._keep_running()

    def note(self, seconds: float) -> None:
        """So long it has run by now; kept once a minute."""
        if self.running is None:
            return
        self.running = replace(self.running, seconds=seconds, end=self.session.clock.now().isoformat(timespec="seconds"))
        if seconds - self._written_s >= EVERY_S:
            self._written_s = seconds
            self._keep_running()

    def end(self, step: str, seconds: float, why: str) -> None:
        """The stretch on a step has ended after so many seconds."""
        kept, now = self.stretches(), self.session.clock.now()
        running, self.running = self.running, None
        start = running.start if running is not None and running.step == step else (now - datetime.timedelta(seconds=seconds)).isoformat(timespec="seconds")
        if seconds >= LEAST_S:
            kept = (*kept, Stretch(step, start, now.isoformat(timespec="seconds"), round(min(seconds, MOST_S), 1), why))
        self._keep(kept)

    def settle(self, left: Stretch, until: datetime.datetime | None) -> None:
        """A stretch that was left open ended at a moment that the artist says; else where it was last seen."""
        seconds, end = left.seconds, left.end
        if until is not None:
            seconds = min(MOST_S, max(0.0, (until - datetime.datetime.fromisoformat(left.start)).total_seconds()))
            end = until.isoformat(timespec="seconds")
        if seconds >= LEAST_S:
            self._keep((*self.stretches(), replace(left, seconds=seconds, end=end, why="closed")))
        else:
            self._keep(self.stretches())

    def claim(self, step: str, row: str) -> None:
        """A row of the log holds the free stretches of its step from now on."""
        rows = {r.id for r in self.session.planner.log()} - {row}
        self._keep(tuple(replace(s, row=row) if s.step == step and s.row not in rows else s for s in self.stretches()))

    # -- keeping -----------------------------------------------------------------------
    def _keep(self, stretches: tuple[Stretch, ...]) -> None:
        claimed = [n for n, s in enumerate(stretches) if s.row]
        gone = set(claimed[: max(0, len(claimed) - MOST_CLAIMED)])
        self._kept = tuple(s for n, s in enumerate(stretches) if n not in gone)
        try:
            self.session.store.keep_setting(self._key("worked"), [asdict(s) for s in self._kept])
            if self.running is None:
                self.session.store.keep_setting(self._key("working"), None)
        except Fault as fault:
            self.session.messages.fault(fault)

    def _keep_running(self) -> None:
        assert self.running is not None
        try:
            self.session.store.keep_setting(self._key("working"), asdict(self.running))
        except Fault as fault:
            self.session.messages.fault(fault)
