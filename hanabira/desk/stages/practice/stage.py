"""Practice: one drill for today with its reason, its questions on the picture, the answer where it was asked, and what the answers tell."""

from __future__ import annotations

import datetime
import time
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt

from hanabira.core.colour.spaces import lab_to_bytes
from hanabira.core.faults import Fault
from hanabira.core.practice.question import AskedPicture, Question
from hanabira.core.practice.round import Round, told
from hanabira.core.study.looks import grey
from hanabira.craft.drills import Drill, drills
from hanabira.demo.pictures import PHOTOS
from hanabira.desk.images import to_image
from hanabira.desk.stage import Stage, column
from hanabira.desk.stages.practice.bench import Aside, of_the_eye, why
from hanabira.desk.stages.practice.hand import HandBench
from hanabira.desk.stages.practice.part import PartBench
from hanabira.desk.stages.practice.plate import PlateBench
from hanabira.desk.theme import scale
from hanabira.desk.widgets.drill_picture import DrillPicture
from hanabira.desk.widgets.key_line import KeyLine, LineKey
from hanabira.desk.widgets.practice_stem import Leaf, PracticeStem
from hanabira.desk.widgets.verdict_strip import VerdictStrip
from hanabira.session.practice_profile import as_json
from hanabira.studio.pictures import read_picture
from hanabira.studio.writing import write_file

if TYPE_CHECKING:
    from PyQt6.QtGui import QImage, QKeyEvent
    from PyQt6.QtWidgets import QWidget

    from hanabira.core.practice.profile import Answer
    from hanabira.desk.window import Desk

LOW, LOWER = 420, 340
"""Design pixels of height under which the weeks fold away, and the line of keys."""
MISLEADS = 1.0
"""A surround that differs by so many steps is asked about twice: as it stands, and on neutral."""
QUARTER = 2.5
"""A quarter of a value step, in L*."""


class PracticeRoom(Stage):
    """A round of questions; what is answered is kept at once when the round ends or is stopped. Nothing here touches a commission."""

    name = "Practice"
    holds = {"H": "hide", "N": "neutral", "G": "grey"}

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.head = VerdictStrip(lambda: desk.explain("practice"))
        self.picture = DrillPicture(self.key)
        self.picture.touched.connect(self.take_choice)
        self.picture.drawn.connect(self._drawn)
        self.keys = KeyLine()
        self.stem = PracticeStem(self.session.clock.today())
        self.hand, self.part, self.plate = HandBench(self), PartBench(self), PlateBench(self)
        self.plate_on = False
        """Whether the profile is shown instead of a drill."""
        self.centre = column(self.picture, self.hand.widget, self.plate.widget, self.keys, self.stem)
        layout = self.centre.layout()
        assert layout is not None
        layout.insertWidget(0, self.head)  # type: ignore[attr-defined]
        self.centre.setFocusProxy(self.picture)
        self.round: Round | None = None
        self.drill_id = ""
        self.seed, self.began = 0, 0.0
        self.guess: float | None = None
        self.order: tuple[int, ...] = ()
        self.last: Answer | None = None
        self.repeated = False
        self.first: Answer | None = None
        """The answer in its surround, while the same spot is asked for on neutral."""
        self.on_neutral: float | None = None
        """L* that was said on neutral."""
        self.why = ""
        """What the last answer was told."""
        self._pictures: list[AskedPicture] = []
        self._shown: dict[str, tuple[QImage, QImage]] = {}
        self._changed: tuple[str, QImage] | None = None
        self.now = self.session.clock.now
        self.desk.rule.pressed.connect(self._rule_pressed)
        self.session.commission_changed.connect(self._other)

    # -- what is played ----------------------------------------------------------------
    @property
    def practising(self):  # type: ignore[no-untyped-def]  # noqa: ANN201
        """Rounds behind the desk."""
        return self.session.practising

    @property
    def drill(self) -> Drill:
        """The drill that is shown: as chosen, else today's."""
        return drills()[self.drill_id] if self.drill_id in drills() else self.practising.proposal().drill

    @property
    def aside(self) -> Aside | None:
        """What is shown instead of questions; None while the eye is asked."""
        return self.plate if self.plate_on else {"hand": self.hand, "part": self.part}.get(self.drill.bench)

    @property
    def middle(self) -> QWidget:
        """What stands in the middle and takes the keys."""
        return self.aside.widget if self.aside is not None else self.picture

    @property
    def question(self) -> Question | None:
        """The question that stands."""
        return self.round.question if self.round is not None else None

    @property
    def running(self) -> bool:
        """Whether a round was begun and has questions left."""
        return self.round is not None and self.began > 0

    def _other(self) -> None:
        self.stop_round()
        self._pictures, self._shown = [], {}

    def pictures(self) -> list[AskedPicture]:
        """The open commission's photo; without one the demo animals."""
        if not self._pictures:
            self._pictures = self.practising.pictures()
            if not self._pictures:
                self._pictures = [AskedPicture(read_picture(path, 1200).pixels, kind) for kind, path in sorted(PHOTOS.items())]
        return self._pictures

    def enter(self) -> None:
        if self.round is None:
            self.prepare()
        super().enter()

    def leave(self) -> None:
        self.stop_round()
        self.desk.rule.guess_at(None)

    def prepare(self) -> None:
        """The first question of today's drill stands already; it is not begun."""
        self.seed, self.began = int(self.now().timestamp()) % 1_000_000, 0.0
        self.guess, self.order, self.last = None, (), None
        if self.drill.bench != "eye":
            self.round = None
            self.hand.prepare()
            return
        try:
            self.round = self.practising.begin(self.drill.id, self.pictures(), self.seed)
            self.round.ask()
        except Fault as fault:
            self.round = None
            self.session.messages.fault(fault)

    def choose_drill(self, key: str) -> None:
        """Another drill instead."""
        self.stop_round()
        self.drill_id = key
        self.prepare()
        self.refresh()
        self.middle.setFocus()

    def show_plate(self, on: bool) -> None:
        """Show what all answers and sheets add up to, or the drill again."""
        if on and self.running:
            self.stop_round()
            self.prepare()
        self.plate_on = on
        self.refresh()
        self.middle.setFocus()

    def another(self) -> None:
        """The next drill of the list."""
        ids = list(drills())
        self.choose_drill(ids[(ids.index(self.drill.id) + 1) % len(ids)])

    def begin(self) -> None:
        """The round runs."""
        if self.round is not None and not self.began:
            self.began = time.monotonic()
            self.refresh()

    def stop_round(self) -> None:
        """End the round; what was answered is kept."""
        if self.round is not None and self.round.answers:
            self.practising.keep(self.round, self.seed, (time.monotonic() - self.began) / 60 if self.began else 0.0)
        self.round, self.began, self.last, self.guess, self.order = None, 0.0, None, None, ()
        self.first, self.on_neutral = None, None
        self.desk.rule.guess_at(None)

    # -- answering ------------------------------------------------------------------------
    def key(self, event: QKeyEvent) -> bool:
        """A key of the drill; whether it was one."""
        q, key = self.question, Qt.Key(event.key())
        if key == Qt.Key.Key_Y and not self.running:
            self.show_plate(True)
            return True
        if key == Qt.Key.Key_Escape and self.running:
            self.stop_here()
            return True
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.next()
            return True
        if q is None or self.last is not None:
            if key == Qt.Key.Key_R and self.last is not None:
                self.ask_again()
                return True
            return False
        digit = key - Qt.Key.Key_0 if Qt.Key.Key_0 <= key <= Qt.Key.Key_9 else None
        if q.kind == "value":
            if digit is not None:
                self.begin()
                self.set_guess((10 if digit == 0 else digit) * 10 - 5.0)
            elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
                self.set_guess((50.0 if self.guess is None else self.guess) + (QUARTER if key == Qt.Key.Key_Right else -QUARTER))
            else:
                return False
            return True
        if q.kind in ("shape", "strokes"):
            if not self.picture.hand.key(key, event.modifiers()):
                return False
            self._drawn()
            return True
        if key == Qt.Key.Key_Backspace and q.kind in ("order", "pair"):
            self.order = self.order[:-1]
            self.refresh()
            return True
        most = len(q.spots) if q.kind == "order" else len(q.choices)
        if digit is not None and 1 <= digit <= most:
            self.take_choice(digit - 1)
            return True
        return False

    def take_choice(self, n: int) -> None:
        """A spot or a word was named by its number."""
        q = self.question
        if q is None or self.last is not None:
            return
        self.begin()
        if q.kind == "choice":
            self.answer(n)
        elif (q.kind == "order" or (q.kind == "pair" and len(self.order) < 2)) and n not in self.order:
            self.order = (*self.order, n)
            self.refresh()

    def _drawn(self) -> None:
        """A line or a stroke was drawn."""
        if self.question is not None and self.last is None:
            self.begin()
            self.picture.update()
            self._next()

    def _given(self) -> float | int | tuple | None:
        """The answer as it stands; None while it is none."""
        q = self.question
        if q is None or self.last is not None:
            return None
        if q.kind == "value":
            return self.guess
        if q.kind in ("shape", "strokes"):
            return self.picture.hand.answer if self.picture.hand.ready else None
        most = {"order": len(q.spots), "pair": 2}.get(q.kind, 0)
        return self.order if most and len(self.order) == most else None

    def set_guess(self, value: float) -> None:
        """The answer's flag on the value rule."""
        self.guess = float(np.clip(value, 0.0, 100.0))
        self.desk.rule.guess_at(self.guess)
        self._next()

    def _rule_pressed(self, value: float) -> None:
        q = self.question
        if self.open and q is not None and q.kind == "value" and self.last is None:
            self.begin()
            self.set_guess(round(value / QUARTER) * QUARTER)

    def answer(self, given: float | int | tuple[int, ...]) -> None:
        """Take the answer and show what is right where it was asked; one that is asked again does not count."""
        assert self.round is not None
        q = self.question
        assert q is not None
        if self.first is not None:
            self.round.answer(given, neutral=True)
            self.last, self.first, self.on_neutral = self.first, None, float(given)  # type: ignore[arg-type]
            self.refresh()
            return
        got = self.round.answer(given, counts=not self.repeated)
        self.why, self.on_neutral = told(q, given), None
        if q.kind == "value" and abs(q.lift) >= MISLEADS and not self.repeated:
            self.first, self.guess = got, None
        else:
            self.last = got
        self.repeated = False
        self.refresh()

    def ask_again(self) -> None:
        """The same question once more; the first answer counts."""
        self.last, self.guess, self.order, self.repeated = None, None, (), True
        self.picture.hand.set(self.question)
        self.refresh()

    def stop_here(self) -> None:
        """Stop; what was done is kept."""
        self.stop_round()
        self.prepare()
        self.refresh()

    def next(self) -> None:
        q, r = self.question, self.round
        if self.aside is not None:
            self.aside.next()
            return
        if r is None or q is None:
            self.prepare()
        elif not self.began:
            self.begin()
        elif self.last is not None:
            if self.asked() >= self.drill.questions:
                self.stop_here()
                self.session.messages.remark("The round is kept.")
                return
            self.last, self.guess, self.order, self.on_neutral = None, None, (), None
            try:
                r.ask()
            except Fault:
                self.stop_here()
                return
        elif (given := self._given()) is not None:
            self.answer(given)
            return
        else:
            self.session.messages.remark("Answer first: " + "; ".join(f"{k} {words}" for k, words in self.drill.how[:2]) + ".")
        self.refresh()

    def hold(self, look: str) -> None:
        self.picture.held = look
        self._show()

    # -- what is shown ------------------------------------------------------------------------
    def image_of(self, picture: AskedPicture | None, in_grey: bool = False) -> QImage | None:
        """A picture to be painted; made once for each."""
        if picture is None:
            return None
        if picture.name not in self._shown:
            pixels = lab_to_bytes(picture.lab)
            self._shown[picture.name] = (to_image(pixels), to_image(grey(pixels)))
        return self._shown[picture.name][in_grey]

    def _second(self) -> QImage | None:
        """The changed picture of a drill that compares two."""
        q = self.question
        if q is None or q.drill != "find-fault" or q.extra is None:
            return None
        if self._changed is None or self._changed[0] != q.key:
            self._changed = q.key, to_image(lab_to_bytes(q.extra))
        return self._changed[1]

    def asked(self) -> int:
        """Questions that were answered in their surround."""
        return sum(not a.neutral for a in self.round.answers) if self.round is not None else 0

    def _show(self) -> None:
        self.picture.on_neutral = self.first is not None
        image = self.image_of(self.round.picture if self.round is not None else None, self.picture.held == "grey")
        self.picture.set(image, self.question, self.last is not None, self.order, self._second())

    def refresh(self) -> None:
        q = self.question
        high = self.centre.height() / scale()
        self.stem.setVisible(high <= 0 or high > LOW)
        self.keys.setVisible(high <= 0 or high > LOWER)  # they stand on the bench as well
        shown = self.aside
        for widget in (self.picture, self.hand.widget, self.plate.widget):
            widget.setVisible(widget is self.middle)
        self.centre.setFocusProxy(self.middle)
        if shown is not None:
            self.desk.rule.set({}, 0, 100)
            self.desk.rule.guess_at(None)
            self.fill_stem()
            shown.refresh()
            return
        n = self.asked()
        today = f"{self.now():%d %B}".lstrip("0")
        if q is None:
            self.head.set("Nothing to ask yet", "Open a commission with a photo.")
        elif self.last is not None:
            self.head.set(self.why if self.last.right else f"Not quite. {self.why}", q.trick, f"{n} of {self.drill.questions}")
        elif self.first is not None:
            self.head.set("And the same spot on neutral grey?", self._choice_words(q), f"{n} of {self.drill.questions}")
        else:
            self.head.set(q.prompt, self._choice_words(q), f"{n + 1} of {self.drill.questions}" if self.began else f"today, {today}")
        self._show()
        self._rule()
        self.fill_stem()
        self._keys()
        self._bench()
        self._next()

    def _choice_words(self, q: Question) -> str:
        if q.words or q.drill == "find-fault":
            return "A figure key names the step." if q.words else "A figure key names the ring."
        if q.kind == "pair":
            return "Below, then over it: " + (" then ".join(q.choices[k] for k in self.order) or "…")
        if q.kind == "shape":
            return "Draw it in one line, or set corners; Enter takes it."
        if q.kind == "strokes":
            return "A stroke along the hair at each ring; Enter takes them."
        if q.kind == "choice":
            return "   ".join(f"{k} {words}" for k, words in enumerate(q.choices, 1))
        if q.kind == "order":
            return "From dark to light: " + (" ".join(str(k + 1) for k in self.order) or "…")
        return "Answer on the value rule below, or with a figure key."

    def _rule(self) -> None:
        q = self.question
        self.desk.rule.set({}, 0, 100)
        if q is None or q.kind != "value":
            self.desk.rule.guess_at(None)
        elif self.last is not None:
            self.desk.rule.guess_at(None)
            said, true = 10 * (self.last.said_step or 0.0), 10 * (self.last.is_step or 0.0)
            self.desk.rule.compare({"": (said, true, abs(said - true) > 5)}, ("you said", "it is"))
        else:
            self.desk.rule.guess_at(self.guess)

    def fill_stem(self) -> None:
        r = self.round
        leaves = []
        for q in self.practising.rounds():
            name = drills()[q.drill].name if q.drill in drills() else q.drill
            leaves.append(Leaf(datetime.datetime.fromisoformat(q.at).date(), name, f"{q.minutes:.0f} min"))
        run: list[float | bool] = []
        if r is not None and self.began:
            run = [a.right if a.error is None else a.error for a in r.answers if not a.neutral]
        self.stem.set(leaves, run, self.drill.questions if self.began else 0, self.now().date())

    def _keys(self) -> None:
        held = (("N", "on neutral"), ("G", "grey")) + ((("H", "hide the answer"),) if self.last is not None else ())
        acts = [LineKey(k, words) for k, words in self.drill.how] if self.last is None else [LineKey("R", "ask it again", self.ask_again)]
        if self.began:
            acts.append(LineKey("Esc", "stop", self.stop_here))
        self.keys.set(
            "Hold",
            held
            if self.question is not None
            and self.question.kind in ("value", "order")
            or self.question is not None
            and self.question.drill in ("which", "white-or-not")
            else (),
            acts,
        )

    def _bench(self) -> None:
        d, head, last = self.drill, self.desk.bench.head, self.last
        if last is not None and last.error is not None:
            e = last.error
            way = "too light" if e > 0 else "too dark"
            off = f" · {abs(e):.1f} steps {way}" if abs(e) > 0.05 else " · right"
            step, true, said = 1 + min(9, int(last.is_step or 0)), 10 * (last.is_step or 0), 10 * (last.said_step or 0)
            head.set("", f"It is step {step}, L* {true:.0f}", f"you said L* {said:.0f}{off}")
        else:
            head.set("", d.name, f"{d.bench} drill · {d.questions} questions · about {d.minutes} min")
        self.desk.bench.set_parts([*why(self), *of_the_eye(self)])

    def _next(self) -> None:
        r, desk, d = self.round, self.desk, self.drill
        if r is None:
            desk.set_next("Try again", "practice")
        elif not self.began:
            desk.set_next(f"Begin, {d.minutes} min", "practice")
        elif self.last is not None:
            desk.set_next("Finish" if self.asked() >= d.questions else "Next", "petal")
        else:
            desk.set_next("That is my answer", "petal", "" if self._given() is not None else "Answer first")

    # -- files ------------------------------------------------------------------------------------
    def write_table(self) -> None:
        """All answers as CSV."""
        target = self.desk.ask_target("practice.csv")
        if target is not None:
            text = self.practising.as_csv()
            self.session.jobs.run("practice table", "Writing the answers", lambda _t: write_file(Path(target), text.encode()), lambda p: self.session.messages.remark(f"Written: {p}"), lasting=True)  # fmt: skip

    def pause(self, days: int) -> None:
        """Propose nothing for so many days, or again."""
        self.practising.pause(days)
        self.refresh()

    def write_data(self) -> None:
        """The profile as JSON."""
        target = self.desk.ask_target("practice.json")
        if target is not None:
            text = as_json(self.practising)
            self.session.jobs.run("practice data", "Writing the profile", lambda _t: write_file(Path(target), text.encode()), lambda p: self.session.messages.remark(f"Written: {p}"), lasting=True)  # fmt: skip

    def forget(self) -> None:
        """Forget every answer, after a question."""
        if self.desk.ask_remove("Every round of practice is forgotten; nothing else changes.") and self.practising.forget():
            self.session.messages.remark("Practice starts anew.")
            self.refresh()
