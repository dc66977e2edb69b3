"""Easel: one step at a time, with the log written as it happens."""

from __future__ import annotations

import datetime
import time
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, Qt, QTimer
from PyQt6.QtGui import QKeySequence, QPainter, QShortcut
from PyQt6.QtWidgets import QAbstractButton, QApplication, QHBoxLayout, QInputDialog, QLineEdit, QWidget

from hanabira.core.optics.stack import bare
from hanabira.core.schedule.order import Step
from hanabira.core.schedule.sessions import BREAK_EVERY, DRYING_MIN
from hanabira.core.schedule.work import layer_minutes
from hanabira.craft.safety import step_cautions, words_for
from hanabira.desk.commands import Edit
from hanabira.desk.controls import Caption, PetalButton, Pick, Words, row
from hanabira.desk.gestures import Choose, ring_path
from hanabira.desk.paint import disc, two_tone
from hanabira.desk.stages.areas import ring_path_photo
from hanabira.desk.stages.base import PictureStage, column
from hanabira.desk.widgets.easel_card import EaselCard, Now
from hanabira.desk.widgets.mat import Mat
from hanabira.studio.records import LogRow, new_id

if TYPE_CHECKING:
    from hanabira.desk.window import Desk


class Easel(PictureStage):
    """The area on the picture, the step in big type, and the log on the bench."""

    name = "Easel"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk, with_roll=False)
        self.card = EaselCard()
        left = column(self.mat)  # before the old centre goes, which holds it
        self.centre = QWidget()
        box = QHBoxLayout(self.centre)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(left, 1)
        box.addWidget(self.card, 1)
        self.mat.overlays = [self._outline]
        self.mat.gesture = Choose(self._touch)
        self.tab, self.touched = "log", ""
        self._began = time.monotonic()
        self._spent = 0.0
        self._paused = True
        self._step_key = ""
        self._since_break = 0.0
        self.ask_words = self._ask_words
        self._shortcuts: list[QShortcut] = []
        self._timer = QTimer(self)
        self._timer.setInterval(1000)
        self._timer.timeout.connect(self._tick)
        for key, act in (
            ("Return", self.done),
            ("Enter", self.done),
            ("Backspace", self.back),
            ("X", self.skip),
            ("N", self.note),
            ("C", self.swapped),
            ("P", self.pause),
        ):
            q = QShortcut(QKeySequence(key), self.centre)
            # hands are dirty: the keys work wherever the pointer last was, as long as this stage is open
            q.setContext(Qt.ShortcutContext.WindowShortcut)
            q.setEnabled(False)
            q.activated.connect(self._enter_key if key in ("Return", "Enter") else act)
            self._shortcuts.append(q)
        self.model.log_changed.connect(self._if_open)
        self.model.recipe_changed.connect(lambda _k: self._if_open())

    # -- which step --------------------------------------------------------------
    def _drying(self) -> dict[str, float]:
        """Areas that are wet, with the minutes that are left."""
        out: dict[str, float] = {}
        plan = self.model.planner.planned()
        tools = {s.key: s.layer.tool for s in plan.ordered.steps} if plan else {}
        now = datetime.datetime.now()
        for r in self.model.planner.log():
            if r.state == "done" and tools.get(r.step) == "solvent":
                left = DRYING_MIN - (now - datetime.datetime.fromisoformat(r.at)).total_seconds() / 60
                if left > 0:
                    out[r.area_id] = left
        return out

    def step(self) -> Step | None:
        """The first step that may be done now: not done, nothing before it open, its area dry."""
        plan = self.model.planner.planned()
        if plan is None:
            return None
        done, wet = self.model.planner.done_keys(), self._drying()
        for s in plan.ordered.steps:
            if s.key in done or any(w not in done for w in plan.ordered.after.get(s.key, ())):
                continue
            if s.area is not None and s.area.id in wet:
                continue
            return s
        return None

    # -- clock ----------------------------------------------------------------------
    def enter(self) -> None:
        for a in self.model.areas:
            if a.id in self.model.recipes:
                self.model.want_measures(a.id)
        self._timer.start()
        for q in self._shortcuts:
            q.setEnabled(True)
        self._paused, self._began = False, time.monotonic()
        super().enter()
        self.mat.setFocus()

    def leave(self) -> None:
        self._stop()
        self._timer.stop()
        for q in self._shortcuts:
            q.setEnabled(False)
        super().leave()

    def _stop(self) -> None:
        if not self._paused:
            self._spent += time.monotonic() - self._began
            self._since_break += time.monotonic() - self._began
        self._paused = True

    def minutes(self) -> float:
        """What has passed on this step, without pauses."""
        return (self._spent + (0.0 if self._paused else time.monotonic() - self._began)) / 60

    def _tick(self) -> None:
        if self.open:
            self._show()

    def pause(self) -> None:
        """Stop the clock, or let it run on."""
        if self._paused:
            self._paused, self._began = False, time.monotonic()
            self._since_break = 0.0
        else:
            self._stop()
        self._show()

    # -- acts -------------------------------------------------------------------------
    def _row(self, s: Step, state: str, **more: str) -> LogRow:
        c = self.model.commission
        assert c is not None
        guess = layer_minutes(s.area, s.layer) if s.area is not None else 0.0
        return LogRow(
            new_id(), c.id, s.key, s.area.id if s.area else "", s.area.name if s.area else "", s.area.surface_id if s.area else "", s.layer.role,
            s.layer.pencil or s.layer.tool, s.layer.pressure, round(self.minutes(), 2) if state == "done" else 0.0, round(guess, 2),
            datetime.datetime.now().isoformat(timespec="seconds"), more.get("note", ""), more.get("differs", ""), state,
        )  # fmt: skip

    def _write(self, s: Step, words: str, state: str, **more: str) -> None:
        """One row in the log, stored before it is shown."""
        r = self._row(s, state, **more)
        if self.model.do(Edit(self.model, words, [], [r])) and state != "note":
            self._spent, self._began = 0.0, time.monotonic()
        self.refresh()

    def _enter_key(self) -> None:
        """Enter on a button of the bench presses it; anywhere else the step is done."""
        focus = QApplication.focusWidget()
        if isinstance(focus, QAbstractButton) and focus is not self.desk.bench.next:
            focus.click()
        else:
            self.done()

    def done(self) -> None:
        """This step is done; the log keeps what it took."""
        s = self.step()
        if s is not None:
            swapped, self._swapped = self._swapped, ""
            self._write(s, f"{s.name} done", "done", differs=f"with {swapped} instead" if swapped else "")

    _swapped = ""

    def back(self) -> None:
        """The last step is open again."""
        rows = [r for r in self.model.planner.log() if r.state in ("done", "skipped")]
        if rows:
            self.model.do(Edit(self.model, "last step", [rows[-1]], []))
            self.refresh()

    def skip(self) -> None:
        """Leave this step out."""
        s = self.step()
        if s is not None:
            self._write(s, f"{s.name} skipped", "skipped")

    def _ask_words(self, title: str, words: str) -> str:
        got, ok = QInputDialog.getText(self.desk, title, words, QLineEdit.EchoMode.Normal, "")
        return got.strip() if ok else ""

    def note(self) -> None:
        """A note to this step."""
        s = self.step()
        words = self.ask_words("Note", "Your note to this step:") if s is not None else ""
        if s is not None and words:
            self._write(s, "note", "note", note=words)

    def swapped(self) -> None:
        """Another pencil was used than the recipe's."""
        s = self.step()
        code = self.ask_words("Other pencil", "Its code:") if s is not None else ""
        if not code:
            return
        if code not in self.model.kit.index:
            self.desk.say(f"There is no pencil {code} in this kit.", "Nothing was changed.", "Look up its code in the kit room.")
            return
        self._swapped = f"{code} {self.model.kit.get(code).name}"
        self.refresh()

    # -- what is shown --------------------------------------------------------------------
    def _outline(self, p: QPainter, mat: Mat) -> None:
        s = self.step()
        area = next((a for a in self.model.areas if s is not None and s.area is not None and a.id == s.area.id), None)
        if area is None:
            return
        path = ring_path(area.ring, mat, area.smooth)
        two_tone(p, path, 2.6)
        disc(p, path.boundingRect().center(), area.number, True)

    def _touch(self, at: QPointF) -> bool:
        """What did I use here? Read the stack that lies on the touched place."""
        found = [a for a in self.model.areas if ring_path_photo(a, at)]
        if found:
            self.touched, self.tab = found[-1].id, "here"
            self.refresh()
        return bool(found)

    def _show(self) -> None:
        s, plan = self.step(), self.model.planner.planned()
        if plan is None:
            self.card.set(Now(why="No layers are solved yet. The easel begins when there is a plan."), self.desk.px_per_mm)
            return
        wet = self._drying()
        names = {a.id: a.name for a in self.model.areas}
        waits = tuple(f"{names.get(k, '')} dries: {m:.0f} min to go." for k, m in wet.items())
        if s is None:
            ended = all(q.key in self.model.planner.done_keys() for q in plan.ordered.steps)
            words = "Every step is done. The portrait is finished." if ended else "Everything that is left has to dry first."
            self.card.set(Now(why=words, waits=waits), self.desk.px_per_mm)
            return
        if s.key != self._step_key:
            self._step_key, self._spent, self._began = s.key, 0.0, time.monotonic()
        kit = self.model.kit
        pencil = kit.get(s.layer.pencil) if s.layer.pencil in kit.index else None
        done = self.model.planner.done_keys()
        after = next((q for q in plan.ordered.steps if q.key not in done and q.key != s.key), None)
        code = after.layer.pencil or after.layer.tool if after is not None else ""
        m = self.model.measures(s.area.id) if s.area else None
        way = None
        if m is not None:
            way = m.combed.mean_deg if m.combed is not None else m.hair.direction_deg
        seconds = int(self.minutes() * 60)
        cautions = step_cautions(s.layer.tool, s.layer.role, pencil)
        running = self._since_break + (0.0 if self._paused else time.monotonic() - self._began)
        if running > BREAK_EVERY * 60:
            cautions = (*words_for("break")[:1], *cautions)
        now = Now(
            s.area.name if s.area else "The last look", f"{s.layer.role}, step {[q.key for q in plan.ordered.steps].index(s.key) + 1} of {len(plan.ordered.steps)}",
            pencil.name if pencil else s.layer.tool or "look at the whole", s.layer.pencil if pencil else "",
            kit.masstone_lab[kit.index[s.layer.pencil]] if pencil else None, bare(self.model.paper).lab, s.layer.pressure if pencil else 0, s.layer.stroke,
            s.layer.stroke_mm, way, s.layer.where if s.area else "", self._why(s) + (f" Now with {self._swapped}." if self._swapped else ""),
            f"should take {s.low:.0f}–{s.high:.0f} min", f"{seconds // 60}:{seconds % 60:02d}", self._paused,
            f"Next: {after.name}{f', {code}' if code else ''}" if after is not None else "This is the last step", waits, cautions,
        )  # fmt: skip
        self.card.set(now, self.desk.px_per_mm)

    def _why(self, s: Step) -> str:
        layers = self.model.recipe_layers(s.area.id) if s.area is not None else ()
        return layers[s.at].why if s.at < len(layers) else "Fresh eyes see what tired ones miss."

    def refresh(self) -> None:
        self.show_sheet()
        self._show()
        bench, planner = self.desk.bench, self.model.planner
        self.desk.mark_values(None)
        log = planner.log()
        taken = sum(r.minutes for r in log)
        bench.head.set("", "The log", f"{sum(r.state == 'done' for r in log)} steps done · {taken / 60:.1f} h at work")
        pick = Pick("What the card shows", (("log", "Log"), ("here", "Used here")), self.tab)
        pick.picked.connect(self.show_tab)
        bench.set_parts([pick, *(self._here(log) if self.tab == "here" else self._log(log))])
        s = self.step()
        self.desk.set_next("Done" if s is not None else "To the plan", "petal" if s is not None else "hours")

    def show_tab(self, tab: str) -> None:
        """Show the log, or what was used on the touched place."""
        self.tab = tab
        self.refresh()

    def _log(self, log: tuple[LogRow, ...]) -> list:
        out: list = []
        for r in reversed(log[-40:]):
            t = datetime.datetime.fromisoformat(r.at)
            what = f"{r.area_name or 'The whole'}, {r.role}: {r.pencil}" + (f" at {r.pressure}" if r.pressure else "")
            how = f"{r.minutes:.0f} min" if r.state == "done" else r.state
            out.append(
                Words(
                    f"{t:%d %b %H:%M} · {what} · {how}{f' · {r.differs}' if r.differs else ''}{f' · “{r.note}”' if r.note else ''}",
                    "small",
                    "ink",
                )
            )
        if not out:
            out.append(Words("Nothing yet. Press Enter when the step is done; the clock runs while this stage is open."))
        csv = PetalButton("Log as CSV", "sheet")
        csv.clicked.connect(lambda _=False: self.write_log())
        return [*out, Caption("Write"), row(csv, None)]

    def _here(self, log: tuple[LogRow, ...]) -> list:
        area = next((a for a in self.model.areas if a.id == self.touched), None)
        if area is None:
            return [Words("Touch any place of the picture to read what lies there.")]
        mine = [r for r in log if r.area_id == area.id and r.state == "done"]
        out: list = [Caption(f"On {area.name}, from the paper upward")]
        for r in mine:
            t = datetime.datetime.fromisoformat(r.at)
            out.append(
                Words(
                    f"{r.role}: {r.pencil}{f' at {r.pressure}' if r.pressure else ''}, {t:%d %b}{f', {r.differs}' if r.differs else ''}",
                    "small",
                    "ink",
                )
            )
        return out if mine else [*out, Words("Nothing has been laid here yet.")]

    def write_log(self) -> None:
        """Write the log as CSV."""
        from pathlib import Path

        from hanabira.studio.bundle import log_csv
        from hanabira.studio.writing import write_file

        c = self.model.commission
        path = self.desk.ask_save_path(f"{c.name} log.csv") if c is not None else ""
        if not path:
            return
        target = Path(path) if path.lower().endswith(".csv") else Path(f"{path}.csv")
        text = log_csv(self.model.planner.log())
        self.model.jobs.run(
            "log", "Writing the log", lambda _t: write_file(target, text), lambda done: self.model.messages.remark(f"Written: {done}")
        )

    def next(self) -> None:
        if self.step() is not None:
            self.done()
        else:
            self.desk.go("Plan")
