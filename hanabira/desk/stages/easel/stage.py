"""Easel: one step at a time over the whole window, with the log written as it happens."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer
from PyQt6.QtGui import QKeySequence, QPainter, QShortcut
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QWidget,
)

from hanabira.core.colour.spaces import Array, srgb_to_lab
from hanabira.core.optics.stack import bare
from hanabira.core.schedule.sessions import BREAK_EVERY, DRYING_MIN
from hanabira.core.sentences import say
from hanabira.core.solver.place_words import run_of
from hanabira.craft.safety import step_cautions, words_for
from hanabira.desk import ask
from hanabira.desk.gestures.outlines import Choose, lies_inside, ring_path
from hanabira.desk.paint import disc, two_tone
from hanabira.desk.stage import PictureStage, column
from hanabira.desk.stages.easel import bench as easel_bench
from hanabira.desk.widgets.easel_card import ACTS, ClockPanel, EaselCard, Now
from hanabira.desk.widgets.key_strip import Key, KeyStrip
from hanabira.desk.widgets.overlays import Combing
from hanabira.session.easel import AtTheEasel
from hanabira.session.edits import Edit
from hanabira.session.words import span, with_words
from hanabira.studio.account import differences

if TYPE_CHECKING:
    from hanabira.core.schedule.order import Ordered, Step
    from hanabira.desk.widgets.mat import Mat
    from hanabira.desk.window import Desk
    from hanabira.studio.records import Area, LogRow

TURN_DEG = 15.0
"""One press of an arrow key turns the sheet this far."""
KEYS = (
    ("Return", "the step is done"), ("Backspace", "the last step is open again"), ("X", "skip the step"), ("N", "a note to the step"),
    ("C", "another pencil was used"), ("P", "pause or go on"), ("K", "photograph the work"), ("A", "larger or usual type"), ("Left", "turn the picture to the left"),
    ("Right", "turn the picture to the right"), ("Home", "picture upright"), ("Escape", "put away what stands in the way, then leave"),
)  # fmt: skip
"""Keys of the easel with what they do, for the printed card."""
ROUND_MM = 22.0
"""What is shown of the sheet round the area that is worked on."""


OTHER_PENCIL = "Another pencil"


class EaselStage(PictureStage):
    """The area on the picture, the step in big type, keys at the foot; the log on the bench when it is wanted."""

    name = "Easel"
    with_rule = False
    forecasts = True

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk, with_roll=False)
        self.card = EaselCard()
        self.mat.inset = self.mat.turnable = True
        left = QWidget()  # made before the old centre goes, which holds the mats and the roll
        self.roll.setParent(left)
        self.roll.hide()
        both = QHBoxLayout(left)
        both.setContentsMargins(0, 0, 0, 0)
        both.setSpacing(1)
        both.addWidget(self.mat, 1)
        both.addWidget(self.beside, 1)
        upper = QWidget()
        box = QHBoxLayout(upper)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(left, 46)
        box.addWidget(self.card, 54)
        self.strip = KeyStrip(())
        self.centre = column(upper, self.strip)
        self._combing = Combing(self._area, lambda: self.session.measures(self._area_id()))
        self.mat.overlays = [lambda p, mat: None if self.look == "forecast" else self._combing(p, mat), self._outline]
        self.mat.gesture = Choose(self._touch)
        self.tab, self.touched, self.shot_id, self.row_id = "log", "", "", ""
        self.touched_l: float | None = None
        self.touched_at: tuple[float, float] | None = None
        self.bench_on = self.begun = False
        self.at = AtTheEasel(self.session)
        self.ask_words = self._ask_words
        self._shortcuts: dict[str, QShortcut] = {}
        self._timer = QTimer(self)
        self._timer.setInterval(1000)
        self._timer.timeout.connect(self._tick)
        acts = {
            "Return": self._enter_key, "Enter": self._enter_key, "Backspace": self.back, "X": self.skip, "N": self.note, "C": self.swapped,
            "P": self.pause, "K": self.desk.camera.take, "A": self.larger, "Escape": self._escape, "Left": lambda: self.turn(TURN_DEG),
            "Right": lambda: self.turn(-TURN_DEG), "Home": lambda: self.turn(-self.mat.turn_deg),
        }  # fmt: skip
        for key, act in acts.items():
            q = QShortcut(QKeySequence(key), self.centre)
            # hands are dirty: the keys work wherever the pointer last was, as long as this stage is open
            q.setContext(Qt.ShortcutContext.WindowShortcut)
            q.setEnabled(False)
            q.activated.connect(act)
            self._shortcuts[key] = q
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        app.focusChanged.connect(self._focus_moved)
        self.session.log_changed.connect(self._if_open)
        self.session.recipe_changed.connect(lambda _k: self._if_open())
        self.session.measures_changed.connect(lambda _k: self.mat.refresh() if self.open else None)
        self.session.shot_ready.connect(self._shot_ready)
        self.session.view_ready.connect(lambda: self.session.want_all_measures() if self.open else None)

    @property
    def full(self) -> bool:
        """Whether the bench gives its room to the step."""
        return not self.bench_on

    @property
    def foot(self) -> int:
        """The keys stay free while something runs."""
        return self.strip.height()

    # -- which step --------------------------------------------------------------
    def step(self) -> Step | None:
        """The step to do now; None when everything is done or has to dry."""
        return self.at.step()

    def _area_id(self) -> str:
        s = self.step()
        return s.area.id if s is not None and s.area is not None else ""

    def _area(self) -> Area | None:
        key = self._area_id()
        return next((a for a in self.session.areas if a.id == key), None)

    # -- clock ----------------------------------------------------------------------
    def enter(self) -> None:
        self.session.want_all_measures()
        self._timer.start()
        for q in self._shortcuts.values():
            q.setEnabled(True)
        self.begun = False  # looking round is no work: the clock starts with the first step
        super().enter()
        self._look_at_area()
        self.mat.setFocus()
        if self.at.worked.left_open() is not None:
            QTimer.singleShot(0, self._ask_left)

    def _ask_left(self) -> None:
        """The window went away in the middle of a step: until when was it worked?"""
        left = self.at.worked.left_open()
        if not self.open or left is None:
            return
        title, words = self.at.left_words(left)
        told = self.ask_words(title, words)
        if not self.at.settle_left(left, told):
            self.desk.say(f"“{told}” is no time after the step was begun.", f"The minutes until {left.end[11:16]} are kept.", "Set the row right in the log when the step is done.")
        self.refresh()

    def _focus_moved(self, _old: QWidget | None, now: QWidget | None) -> None:
        """In a field of the bench keys are for writing; anywhere on it the arrow keys choose instead of turning the picture."""
        there = now is not None and self.desk.bench.isAncestorOf(now)
        writing = isinstance(now, QLineEdit | QAbstractSpinBox | QComboBox)
        for key, q in self._shortcuts.items():
            q.setEnabled(self.open and (key == "Escape" or not (writing or (there and key in ("Left", "Right", "Home")))))

    def leave(self) -> None:
        self.at.pause("left")
        self._timer.stop()
        for q in self._shortcuts.values():
            q.setEnabled(False)
        super().leave()

    def _tick(self) -> None:
        if self.open:
            if self.at.tick():
                self.session.messages.remark("The clock stopped when the machine went to sleep. P lets it run on.")
            self._show()
            s = self.step()
            self.session.logbook.poll(s.key if s else "")

    def pause(self) -> None:
        """Stop the clock, or let it run on."""
        self.begun = True
        self.at.run() if self.at.clock.paused else self.at.pause()
        self._show()

    # -- acts -------------------------------------------------------------------------
    def _write(self, s: Step, words: str, state: str, note: str = "") -> bool:
        """One row in the log, stored before it is shown."""
        stored = self.at.write(s, words, state, note)
        if stored and state == "done" and not self.begun:
            self.pause()  # from the first step on the clock runs
        self.refresh()
        return stored

    def _enter_key(self) -> None:
        """Enter on a button of the bench presses it; anywhere else the step is done."""
        focus = QApplication.focusWidget()
        if isinstance(focus, QAbstractButton) and focus is not self.desk.bench.next:
            focus.click()
        else:
            self.next()

    def done(self) -> None:
        """This step is done; the log keeps what it took."""
        s = self.step()
        if s is not None:
            self._write(s, f"{s.name} done", "done")

    def back(self) -> None:
        """The last step is open again."""
        if self.at.take_back_last():
            self.refresh()

    def skip(self) -> None:
        """Leave this step out."""
        s = self.step()
        if s is not None:
            self._write(s, f"{s.name} skipped", "skipped")

    def _ask_words(self, title: str, words: str) -> str:
        if title != OTHER_PENCIL:
            return ask.note(self.desk, title, words)
        s = self.step()
        near = [
            c for c in dict.fromkeys(q.code for r in self.session.recipes.values() for q in r.layers) if c
        ]  # the portrait's own come first
        return ask.pencil(self.desk, title, words, self.session.kit, [s.layer.pencil, *near] if s is not None else near)

    def note(self) -> None:
        """A note to this step."""
        s = self.step()
        words = self.ask_words("Note", "Your note to this step.") if s is not None else ""
        if s is not None and words:
            self._write(s, "note", "note", words)

    def besides(self) -> None:
        """Something that is not in the recipe was done."""
        words = self.ask_words("Besides", "Pencil or tool, and what you did.")
        if words:
            self.at.extra(words)
            self.refresh()

    def swapped(self) -> None:
        """Another pencil was used than the recipe's."""
        s = self.step()
        code = self.ask_words(OTHER_PENCIL, "Which one was used instead?") if s is not None else ""
        if not code:
            return
        if code not in self.session.kit.index:
            self.desk.say(f"There is no pencil {code} in this kit.", "Nothing was changed.", "Look up its code in the kit room.")
            return
        self.at.swapped = "" if s is not None and code == s.layer.pencil else code
        self.refresh()

    def choose_camera(self, way: str) -> None:
        """Where photos of the work come from: a file, a folder that is watched, the simulated easel camera."""
        self.session.settings.set("camera", way)
        if way != "folder":
            self.session.logbook.watch("")
        self.refresh()

    def larger(self) -> None:
        """Larger type, or the usual one again."""
        self.session.settings.set("easel_large", not self.session.settings.get("easel_large"))
        self._show()

    def turn(self, degrees: float) -> None:
        """Turn the picture as the sheet is turned; counter-clockwise."""
        self.mat.turn(self.mat.turn_deg + degrees)

    def _escape(self) -> None:
        said = self.desk.message_strip.message
        self.desk.message_strip.hide()
        if said is None or said.kind == "remark":  # a fault wants a look of its own
            self.show_bench(not self.bench_on)

    def show_bench(self, on: bool, tab: str = "") -> None:
        """Put the log beside the step, or away."""
        other = bool(tab) and tab != self.tab
        self.bench_on, self.tab = on, tab or self.tab
        self.desk.make_room()
        self.refresh()
        if other:
            self.desk.bench.area.verticalScrollBar().setValue(0)
        if not on:
            self.mat.setFocus()

    # -- what is shown --------------------------------------------------------------------
    def _look_at_area(self) -> None:
        """Show the area that is worked on, with what lies round it."""
        area, c = self._area(), self.session.commission
        if area is None or c is None:
            self.mat.fit()
            return
        k, photo = self.mat.mm_per_px, self.session.photo
        assert photo is not None
        xs, ys = [x for x, _y in area.ring], [y for _x, y in area.ring]
        rect = QRectF(QPointF(min(xs), min(ys)), QPointF(max(xs), max(ys)))
        mm = QRectF(
            (rect.x() - photo.crop[0]) * k + c.border_mm, (rect.y() - photo.crop[1]) * k + c.border_mm, rect.width() * k, rect.height() * k
        )
        self.mat.fit(mm.adjusted(-ROUND_MM, -ROUND_MM, ROUND_MM, ROUND_MM).intersected(QRectF(0, 0, c.width_mm, c.height_mm)))

    def _outline(self, p: QPainter, mat: Mat) -> None:
        area = self._area()
        if area is None:
            return
        path = ring_path(area.ring, mat, area.smooth)
        two_tone(p, path, 2.6)
        p.translate(path.pointAtPercent(0.0))
        p.rotate(mat.turn_deg)  # the number stays upright
        disc(p, QPointF(0, 0), area.number, True)

    def _touch(self, at: QPointF) -> bool:
        """What did I use here? Read the stack that lies on the touched place."""
        found = sorted((a for a in self.session.areas if lies_inside(a, at)), key=lambda a: a.level)
        if found:
            self.touched = min(found, key=lambda a: (-a.level, _extent(a.ring))).id
            view = self.session.view
            colour = view.at(at.x(), at.y()) if view is not None else None
            self.touched_at = (at.x(), at.y())
            self.touched_l = None if colour is None else float(srgb_to_lab(colour / 255.0)[0])
            self.show_bench(True, "here")
        return bool(found)

    def _show(self) -> None:
        plan, large = self.session.planner.planned(), self.session.settings.get("easel_large")
        self._keys()
        if plan is None:
            self.card.set(Now(why="No layers are solved yet. The easel begins when there is a plan."), self.desk.px_per_mm, large)
            return
        found = self.at.next_steps(plan.ordered)
        wet = self.at.drying()
        names = {a.id: a.name for a in self.session.areas}
        clocks = tuple(
            ClockPanel(f"{names.get(k, 'It')} dries", _time(60 * m), 1 - m / DRYING_MIN, True)
            for k, m in sorted(wet.items(), key=lambda q: q[1])[:1]
        )
        waits = tuple(f"{names.get(k, '')} dries: {m:.0f} min to go." for k, m in wet.items())
        if not found:
            ended = self._ended()
            words = (
                "Every step is done and stands in the log. Check holds the sheet against the plan once more; then it is delivered."
                if ended
                else "Everything that is left has to dry first. A rest does the eyes good meanwhile."
            )
            self.card.set(
                Now(step="The portrait is finished" if ended else "", why=words, waits=waits, clocks=clocks), self.desk.px_per_mm, large
            )
            return
        s, after = found[0], found[1] if len(found) > 1 else None
        if self.at.show(s) and self.open and not self.shot_id:
            self._look_at_area()
        kit = self.session.kit
        pencil = kit.get(s.layer.pencil) if s.layer.pencil in kit.index else None
        m = self.session.measures(s.area.id) if s.area else None
        way = None
        if m is not None:
            way = m.combed.mean_deg if m.combed is not None else m.hair.direction_deg
        running = self.at.clock.since_rest_s
        cautions = step_cautions(s.layer.tool, s.layer.role, pencil)
        if running > BREAK_EVERY * 60:
            cautions = (*words_for("break")[:1], *cautions)
        if not clocks:
            left = max(0.0, BREAK_EVERY * 60 - running)
            clocks = (ClockPanel("A break in" if left else "Time for a break", _time(left), min(1.0, running / (BREAK_EVERY * 60))),)
        guess = span(s.low, s.high)
        took = self.at.minutes
        step = ClockPanel(
            "Enter begins" if not self.begun else "Paused" if self.at.clock.paused else f"Plan {guess}",
            _time(60 * took),
            took / max(0.1, s.high),
        )
        layers = len(s.area.layers) if s.area else 1
        done = len(self.session.planner.done_keys())
        where = (
            f"{s.area.name} · layer {s.at + 1} of {layers}"
            if s.lays
            else s.area.name
            if s.area
            else self.session.commission.name
            if self.session.commission
            else ""
        )
        now = Now(
            s.layer.title or ACTS.get(s.layer.role, s.layer.role), f"{where} · step {done + 1} of {len(plan.ordered.steps)}",
            pencil.name if pencil else with_words(s, kit), code=s.layer.pencil if pencil else "",
            lab=kit.masstone_lab[kit.index[s.layer.pencil]] if pencil else None, paper=bare(self.session.paper).lab,
            pressure=s.layer.pressure if pencil else 0, passes=s.layer.passes, stroke=s.layer.stroke if pencil else "", stroke_mm=s.layer.stroke_mm, laid=s.layer.laid,
            direction_deg=way, where=self._where(s),
            why=(f"Now with {self.at.swapped} {kit.get(self.at.swapped).name}. " if self.at.swapped in kit.index else "") + self._why(plan.ordered, s),
            guess=f"should take {guess}", clock=_time(60 * took), paused=self.at.clock.paused,
            next_words=f"{with_words(after, kit)}\n{after.name}" if after is not None else "the last step", next_lab=self._lab(after),
            clocks=(step, *clocks), waits=waits, cautions=cautions,
        )  # fmt: skip
        self.card.set(now, self.desk.px_per_mm, large)

    def _lab(self, s: Step | None) -> Array | None:
        kit = self.session.kit
        return kit.masstone_lab[kit.index[s.layer.pencil]] if s is not None and s.layer.pencil in kit.index else None

    def _where(self, s: Step) -> str:
        """Where a layer goes; said with “again” when the layer before it in the recipe is laid with the same pencil."""
        if not s.lays:
            return s.layer.where
        codes = [q.code for q in self.session.recipe_layers(s.area.id)]
        again = s.at < len(codes) and run_of(codes, s.at)[0] < s.at
        return say("place.again", times="", places=s.layer.where) if again else s.layer.where

    def _why(self, ordered: Ordered, s: Step) -> str:
        """What to mind now, and why the layer is laid."""
        layers = self.session.recipe_layers(s.area.id) if s.area is not None and s.lays else ()
        why = layers[s.at].why if s.at < len(layers) and s.lays else ordered.reasons[s.key]
        return " ".join((*ordered.reminders.get(s.key, ()), why))

    def _keys(self) -> None:
        last = self.step() is None
        if self.session.planner.planned() is None:
            self.strip.set_keys(
                (
                    Key("Esc", "picture" if self.bench_on else "log", lambda: self.show_bench(not self.bench_on)),
                    Key("Enter", "to the plan", self.next, True),
                )
            )
            return
        self.strip.set_keys(
            (
                Key("Esc", "picture" if self.bench_on else "log", lambda: self.show_bench(not self.bench_on)),
                Key("←", "turn", lambda: self.turn(TURN_DEG), spare=True),
                Key("→", "turn back", lambda: self.turn(-TURN_DEG), spare=True),
                Key("A", "usual type" if self.session.settings.get("easel_large") else "larger", self.larger, spare=True),
                Key("P", "go on" if self.at.clock.paused else "pause", self.pause),
                Key("N", "note", self.note),
                Key("K", "photo", self.desk.camera.take),
                Key("C", "other pencil", self.swapped),
                Key("X", "skip", self.skip),
                Key("Back", "step before", self.back),
                Key("Enter", ("to the check" if self._ended() else "to the plan") if last else "done" if self.begun else "begin", self.next, not self.bench_on),
            )
        )

    def refresh(self) -> None:
        self.show_sheet()
        self._fill_beside()
        self._show()
        self.mat.refresh()
        self.desk.mark_values(None)
        if self.bench_on:
            easel_bench.fill(self)
        s = self.step()
        ended = self._ended()
        self.desk.set_next("Done" if s is not None else "To the check" if ended else "To the plan", "petal" if s is not None else "loupe" if ended else "hours")

    def show_tab(self, tab: str) -> None:
        """Show another part of the log on the bench."""
        self.show_bench(True, tab)

    def choose_row(self, key: str) -> None:
        """Open a row of the log to set it right; the same one again closes it."""
        self.row_id = "" if self.row_id == key else key
        self.refresh()
        self.desk.bench.area.verticalScrollBar().setValue(0)  # the fields stand on top

    def change_row(self, row: LogRow, **fields: object) -> None:
        """Set a row right: minutes, pencil, pressure, note; one undoable edit. What differs from the recipe follows."""
        now = replace(row, **fields)  # type: ignore[arg-type]
        layer = next((q for q in self.session.recipe_layers(row.area_id) if row.step == f"{row.area_id}:{q.id}"), None)
        if layer is not None and layer.code and row.state == "done":
            now = replace(now, differs=differences(now, layer.code, layer.pressure, self.session.kit))
        if now != row:
            self.session.do(Edit(self.session, "row of the log", [row], [now]))

    # -- a photo of the work beside the picture ----------------------------------------------
    def show_shot(self, key: str) -> None:
        """Put a photo of the work beside the client's; the same one again puts it away."""
        self.shot_id = "" if self.shot_id == key else key
        self.mat.fit() if self.shot_id else self._look_at_area()
        self.refresh()

    def _shot_ready(self, _key: str) -> None:
        if self.open:
            self._fill_beside()
            if self.bench_on:
                easel_bench.fill(self)

    def _fill_beside(self) -> None:
        shot = next((q for q in self.session.logbook.shots() if q.id == self.shot_id), None)
        self.beside.setVisible(shot is not None)
        self.card.setVisible(shot is None)
        if shot is None:
            self.shot_id = ""
            return
        view = self.session.logbook.view(shot)
        self.beside.photo = view
        self.beside.empty_words = "" if view else "Opening the photo"
        size = (240.0, 240.0 * shot.height_px / shot.width_px)
        self.beside.show_sheet(size, 0.0, self.mat.paper, (0.0, 0.0, float(shot.width_px), float(shot.height_px)))
        self.beside.fit()

    def next(self) -> None:
        if self.step() is not None and not self.begun:
            self.pause()  # it stands: this lets it run
        elif self.step() is not None:
            self.done()
        else:
            self.desk.go("Check" if self._ended() else "Plan")

    def _ended(self) -> bool:
        """Whether every step of the plan is done or left out."""
        plan = self.session.planner.planned()
        return plan is not None and all(q.key in self.session.planner.done_keys() for q in plan.ordered.steps)


def _extent(ring: Sequence[tuple[float, float]]) -> float:
    xs, ys = [x for x, _y in ring], [y for _x, y in ring]
    return (max(xs) - min(xs)) * (max(ys) - min(ys))


def _time(seconds: float) -> str:
    """Minutes and seconds, hours where there are any."""
    n = max(0, int(seconds))
    return f"{n // 3600}:{n // 60 % 60:02d}:{n % 60:02d}" if n >= 3600 else f"{n // 60}:{n % 60:02d}"
