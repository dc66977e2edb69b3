"""Practice behind the desk: today's drill with its reason, rounds played and kept, what they add up to, and forgetting them."""

from __future__ import annotations

import datetime
import json
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from hanabira.core.faults import Fault
from hanabira.core.practice.hand import Filled, HandResult, read_hand, sheets, unsteadiness
from hanabira.core.practice.profile import Answer, Profile, due, profile, remembered
from hanabira.core.practice.question import AskedPicture
from hanabira.core.practice.round import FIRST_LEVEL, FROM_PICTURES, Round
from hanabira.core.sentences import say
from hanabira.craft.cells import table_csv
from hanabira.craft.drills import Drill, drills
from hanabira.sheets.hand_sheet import write_hand_sheet
from hanabira.studio.checking import verdict_of
from hanabira.studio.records import PracticeRound, new_id

if TYPE_CHECKING:
    import numpy as np

    from hanabira.core.token import Token
    from hanabira.session.session import Session

_EYES = {
    "lighter": "value-step",
    "darker": "value-step",
    "green": "which",
    "red": "which",
    "yellow": "which",
    "blue": "which",
    "dull": "white-or-not",
}
"""Which drill trains what Check finds."""


SKIPPED_GAPS = 2
"""Gap layers that the open commission's log says were skipped, from which on the gaps are what is practised."""


@dataclass(frozen=True)
class Proposal:
    """Today's drill and why it is this one."""

    drill: Drill
    why: str


class Practising:
    """Rounds of the studio. They belong to no commission and change nothing in one."""

    def __init__(self, session: Session) -> None:
        self.session, self.now = session, session.clock.now
        self._kept: tuple[int, Profile] | None = None

    # -- what was done -------------------------------------------------------------
    def rounds(self) -> tuple[PracticeRound, ...]:
        """All rounds, by time."""
        return self.session.store.all(PracticeRound)

    def answers(self) -> list[Answer]:
        """All answers, by time."""
        out: list[Answer] = []
        for q in self.rounds():
            for a in verdict_of(q.told, "the answers of a round").get("answers", ()):
                try:
                    out.append(Answer(**a))
                except TypeError:
                    continue  # written by a newer version: what is not understood does not count
        return out

    def profile(self) -> Profile:
        """What all answers tell; worked out once for each state of the studio's records."""
        if self._kept is None or self._kept[0] != self.session.store.edits:
            self._kept = self.session.store.edits, profile(self.answers())
        return self._kept[1]

    def done_today(self) -> bool:
        """Whether a round was played today."""
        today = self.now().date().isoformat()
        return any(q.at[:10] == today for q in self.rounds())

    # -- what comes ---------------------------------------------------------------------
    def proposal(self) -> Proposal:
        """One drill for today: the first one in a new studio, then what Check has found most, then a lean that is sure, else what rested longest."""
        every, last = drills(), {q.drill: q.at for q in self.rounds()}
        if not last:
            return Proposal(every["value-step"], say("practice.propose_first"))
        skipped = sum(r.state == "skipped" and r.role == "gap" for r in self.session.planner.log())
        if skipped >= SKIPPED_GAPS and last.get("gaps-only", "")[:10] != self.now().date().isoformat():
            return Proposal(every["gaps-only"], say("practice.propose_log", times=skipped))
        kinds: dict[str, int] = {}
        for shot in self.session.logbook.shots():
            for f in self.session.checkroom.faults(shot):
                if f["kind"] in _EYES:
                    kinds[f["kind"]] = kinds.get(f["kind"], 0) + 1
        for worst in sorted(kinds, key=lambda k: -kinds[k]):  # one that was drilled today gives way to the next
            drill = every[_EYES[worst]]
            if last.get(drill.id, "")[:10] != self.now().date().isoformat():
                kind, times = say(f"practice.kind_{worst}"), kinds[worst]
                why = say("practice.propose_check", times=times, kind=kind) if times > 1 else say("practice.propose_check_once", kind=kind)
                return Proposal(drill, why)
        told = self.profile()
        if told.whole.claimed:
            return Proposal(every["value-step"], told.whole.sentence)
        rested = [d for d in every.values() if d.bench != "part"]  # a part takes an hour: it is chosen, never proposed
        return Proposal(min(rested, key=lambda d: last.get(d.id, "")), say("practice.propose_rested"))

    def paused(self) -> str:
        """Day (ISO) until which no drill is proposed; empty when one is."""
        until = str(self.session.settings.get("practice_paused"))
        return until if until > self.now().date().isoformat() else ""

    def pause(self, days: int) -> None:
        """Propose nothing for so many days; 0 proposes again. Drills stay there to be chosen."""
        until = (self.now().date() + datetime.timedelta(days=days)).isoformat() if days else ""
        self.session.settings.set("practice_paused", until)

    def pictures(self) -> list[AskedPicture]:
        """What is asked about: the open commission's photo as it is framed; none while it is not there."""
        view, photo = self.session.view, self.session.photo
        if view is None or photo is None or not view.full:
            return []
        x, y, w, h = (round(v * view.scale) for v in photo.crop)
        return [AskedPicture(view.pixels[max(0, y) : y + h, max(0, x) : x + w], photo.original_name)]

    def waiting(self, drill: str) -> tuple[str, ...]:
        """Keys of questions of a drill that come back by today, the longest waiting first: what was right waits longer and longer."""
        mine = [a for a in self.answers() if a.drill == drill and not a.neutral]
        return due(remembered(mine), self.now().date())

    def begin(self, drill: str, pictures: list[AskedPicture], seed: int) -> Round:
        """A round, as hard as the last one of this drill ended. Raises `Fault` for a drill that cannot be played now."""
        if drill in FROM_PICTURES and not pictures:
            raise Fault("There is no picture to ask about.", do="Open a commission with a photo first.")
        level = next(
            (float(verdict_of(q.told).get("level", FIRST_LEVEL)) for q in reversed(self.rounds()) if q.drill == drill), FIRST_LEVEL
        )
        plan = self.session.planner.planned() if drill == "what-next" else None
        return Round(
            drill, pictures, seed, kit=self.session.kit, paper=self.session.paper, level=level, now=self.now,
            ordered=plan.ordered if plan is not None else None, waiting=self.waiting(drill),
        )

    def keep(self, played: Round, seed: int, minutes: float) -> bool:
        """Keep a round's answers; whether there were any and they could be stored."""
        if not played.answers:
            return False
        told = json.dumps({"answers": [asdict(a) for a in played.answers], "level": played.level})
        try:
            self.session.store.edit([PracticeRound(new_id(), played.answers[0].at, played.drill, seed, round(minutes, 2), told)])
        except Fault as fault:
            self.session.messages.fault(fault)
            return False
        return True

    # -- the hand -------------------------------------------------------------------
    def write_sheet(self, drill: str, target: Path) -> None:
        """Write a hand drill's sheet as PDF, off the interface thread."""
        how = drills()[drill].how[0][1]
        work = lambda _token: write_hand_sheet(sheets()[drill], how, target)  # noqa: E731
        self.session.jobs.run("hand sheet", "Writing the sheet", work, lambda p: self.session.messages.remark(f"Written: {p}"), lasting=True)

    def read_sheet(
        self, drill: str, take: Callable[[], np.ndarray], done: Callable[[HandResult, Filled], object], keep: bool = True
    ) -> None:  # fmt: skip
        """Read a photo of a filled sheet, off the interface thread, and ``keep`` what it tells; ``take`` gives the picture (h, w, 3) uint8."""

        def work(token: Token) -> tuple[HandResult, Filled]:
            return read_hand(take(), drill, token)

        def then(found: tuple[HandResult, Filled]) -> None:
            if not keep or self.keep_hand(found[0]):
                done(*found)

        self.session.jobs.run("hand sheet", "Reading the sheet", work, then, asked=True)

    def keep_hand(self, result: HandResult) -> bool:
        """Keep a sheet that was read; whether it could be stored."""
        told = json.dumps(
            {"answers": [], "hand": {"figures": dict(result.figures), "score": round(result.score, 3), "sentences": list(result.sentences)}}
        )
        try:
            self.session.store.edit(
                [
                    PracticeRound(
                        new_id(), self.now().isoformat(timespec="seconds"), result.drill, 0, float(drills()[result.drill].minutes), told
                    )
                ]
            )
        except Fault as fault:
            self.session.messages.fault(fault)
            return False
        return True

    def hand_results(self) -> list[tuple[str, HandResult]]:
        """Every sheet that was read, by time: when, and what it told."""
        out = []
        for q in self.rounds():
            data = verdict_of(q.told, "a practice sheet").get("hand")
            if isinstance(data, dict) and q.drill in sheets():
                try:
                    figures = {str(k): float(v) for k, v in data["figures"].items()}
                    out.append((q.at, HandResult(q.drill, figures, float(data["score"]), tuple(str(w) for w in data["sentences"]))))
                except (KeyError, TypeError, ValueError, AttributeError):
                    continue  # written by a newer version, or by no one of ours
        return out

    def unsteady(self) -> float | None:
        """How many times as far the hand scatters as the usual one, by the newest chips; None without any."""
        sd = [r.figures["sd"] for _at, r in self.hand_results() if r.drill == "same-chip" and "sd" in r.figures]
        return unsteadiness(self.session.kit, self.session.paper, sd[-1]) if sd else None

    def count_on_hand(self, times: float) -> None:
        """Let recipes expect so unsteady a hand from now on; 1 is the usual one. The artist says so, never the studio by itself."""
        self.session.settings.set("hand_unsteady", round(times, 2))
        for key in list(self.session.recipes):
            self.session.recipe_changed.emit(key)

    def forget(self) -> bool:
        """Forget every round; whether that could be stored."""
        try:
            self.session.store.edit((), list(self.rounds()))
        except Fault as fault:
            self.session.messages.fault(fault)
            return False
        return True

    def as_csv(self) -> str:
        """All answers as a table."""
        rows = []
        for a in self.answers():
            e = None if a.error is None else round(a.error, 2)
            rows.append([a.at, a.drill, int(a.right), round(a.level, 2), a.is_step, a.said_step, e, round(a.lift, 2), int(a.neutral)])
        return table_csv(["at", "drill", "right", "level", "is_step", "said_step", "error_steps", "surround_steps", "on_neutral"], rows)
