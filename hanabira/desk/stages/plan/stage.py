"""Plan: the order of all layers with its reasons, the days they take, hours, materials and the quote."""

from __future__ import annotations

import datetime
from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QFrame, QScrollArea, QVBoxLayout, QWidget

from hanabira.core.schedule.handling import is_handling
from hanabira.core.schedule.order import LAST
from hanabira.core.schedule.sessions import DRYING_MIN
from hanabira.core.schedule.work import evidence
from hanabira.craft.supplies import surfaces
from hanabira.craft.tools import step_name
from hanabira.desk.cards import first_plan_parts, hour_bars, wear_words
from hanabira.desk.controls import Caption, Number, PetalButton, Pick, Words, label, row
from hanabira.desk.stage import Stage
from hanabira.desk.theme import u
from hanabira.desk.widgets import day_strip
from hanabira.desk.widgets.day_field import day_field, due_field
from hanabira.desk.widgets.day_strip import Block, DayStrip
from hanabira.desk.widgets.step_list import ROW, StepList, StepRow
from hanabira.session.edits import EditBrief
from hanabira.session.words import hours_words, span, step_words, stroke_words, sum_words
from hanabira.studio import account, planning

if TYPE_CHECKING:
    from hanabira.desk.window import Desk
    from hanabira.session.planner import Planned

MOST_DAYS_SHOWN = 45
_WEEK = ("Mo", "Tu", "We", "Th", "Fr", "Sa", "Su")


class PlanStage(Stage):
    """The day strip above, the steps on their stem below, facts and terms on the bench."""

    name = "Plan"
    with_rule = False

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.strip, self.steps = DayStrip(), StepList()
        scroll = self.scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setFocusPolicy(scroll.focusPolicy().NoFocus)
        scroll.setWidget(self.steps)
        self.centre = QWidget()
        box = QVBoxLayout(self.centre)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.strip)
        box.addWidget(scroll, 1)
        self.chosen = ""
        self.card = "step"
        self.lost_day: datetime.date | None = None
        self.strip.day_chosen.connect(self._lose)
        self.steps.chosen_step.connect(self._choose)
        self.steps.move_wanted.connect(lambda key, behind: self.session.planner.move(key, behind))
        m = self.session
        for signal in (m.commission_changed, m.areas_changed, m.photo_changed, m.log_changed):
            signal.connect(lambda: self.refresh() if self.open else None)
        m.recipe_changed.connect(lambda _key: self.refresh() if self.open else None)
        m.measures_changed.connect(lambda _key: self._measured())
        m.view_ready.connect(lambda: m.want_all_measures() if self.open else None)

    def enter(self) -> None:
        self.session.want_all_measures()
        super().enter()

    def _measured(self) -> None:
        """The strip's greys are the areas' values."""
        plan = self.session.planner.planned() if self.open else None
        if plan is not None:
            self._strip(plan)

    def _show_chosen(self) -> None:
        """Bring the chosen step into sight."""
        row_ = next((k for k, r in enumerate(self.steps.rows) if r.key == self.chosen), 0)
        self.scroll.ensureVisible(0, u(10 + (row_ + 1) * ROW), 0, u(2 * ROW))

    def _choose(self, key: str) -> None:
        self.chosen = key
        self.card = "step"
        self.refresh()

    def show_card(self, card: str) -> None:
        """Show another card: the step, the days, the hours, the materials."""
        self.card = card
        self.refresh()

    def next(self) -> None:
        if self.session.planner.planned() is None:
            self.desk.go("Recipe" if self.session.areas else "Areas")
        else:
            plan, done = self.session.planner.planned(), self.session.planner.done_keys()
            self.desk.go("Easel" if plan is not None and any(s.key not in done for s in plan.ordered.steps) else "Check")

    # -- what is shown ---------------------------------------------------------------
    def refresh(self) -> None:
        plan, bench = self.session.planner.planned(), self.desk.bench
        self.desk.mark_values(None)
        if plan is None:
            self.strip.set("No plan yet", "", [], 3.0, self.session.clock.today())
            self.steps.set([], "")
            bench.head.set("", "Nothing to plan yet", "A plan needs areas with solved layers")
            bench.set_parts([Words("Solve the layers of at least one area in Recipe. Each layer then becomes a step here."), *first_plan_parts(self.session)])
            self.desk.set_next("To the recipes", "strata")
            return
        keys = [s.key for s in plan.ordered.steps]
        done = self.session.planner.done_keys()
        if self.chosen not in keys:
            self.chosen = next((k for k in keys if k not in done), keys[0])
            QTimer.singleShot(0, self._show_chosen)
        self._strip(plan)
        self._steps(plan)
        slack = plan.calendar.slack_days(plan.due)
        when = f"{plan.calendar.finish.day} {plan.calendar.finish:%B %Y}"
        line = f"finished {when}" + ("" if slack is None else f" · {slack} days to spare" if slack >= 0 else f" · {-slack} days late")
        c = self.session.commission
        if c is not None and c.delivered:
            d = datetime.date.fromisoformat(c.delivered)
            line = f"finished {when} · delivered {d.day} {d:%B}"
        left = [s for s in plan.ordered.steps if s.key not in done]
        hours = hours_words(plan.left(done))
        head = (
            f"{len(left)} of {len(plan.ordered.steps)} steps left, {hours}" if len(left) < len(plan.ordered.steps) else f"{len(left)} steps, {hours}"
        )
        if not left and not plan.whole.unsolved:
            head = f"All {len(plan.ordered.steps)} steps are done"
        bench.head.set("", head, line)
        pick = Pick("What the card shows", (("step", "Step"), ("days", "Days"), ("hours", "Hours"), ("materials", "Materials")), self.card)
        pick.picked.connect(self.show_card)
        body = {"step": self._step_card, "hours": self._hours_card, "days": self._days_card, "materials": self._materials_card}[self.card]
        told = self.session.planner.covering().words
        bench.set_parts([*([Words(told, "small", "ink")] if told else []), pick, *body(plan)])
        self.desk.set_next(*(("Go to the easel", "pencil") if left else ("To the check", "loupe")))

    def _steps(self, plan: Planned) -> None:
        kit = self.session.kit
        begun: dict[str, datetime.datetime] = {}
        for q in plan.calendar.placed:
            begun.setdefault(q.step.key, q.start)
        done = self.session.planner.done_keys()
        following = next((s.key for s in plan.ordered.steps if s.key not in done), "")
        rows: list[StepRow] = []
        told: tuple[str, object] = ("", None)
        for n, s in enumerate(plan.ordered.steps, 1):
            code = s.layer.pencil
            known = bool(code) and code in kit.index
            what = (
                f"{code} {kit.get(code).name}, pressure {s.layer.pressure}, {stroke_words(s.layer.stroke, s.layer.stroke_mm, s.layer.laid)}, {s.layer.where}"
                if known
                else (step_name(s.layer.tool) if s.layer.tool else "") or s.layer.where or "look at the whole"
            )
            state = "done" if s.key in done else "next" if s.key == following else "open"
            if state == "open" and any(w not in done for w in plan.ordered.after.get(s.key, ())):
                state = "open"
            t, reason = begun[s.key], plan.ordered.reasons[s.key]
            rows.append(
                StepRow(
                    s.key,
                    n,
                    step_words(s),
                    what,
                    kit.masstone_lab[kit.index[code]] if known else None,
                    span(s.low, s.high),
                    f"{t:%a} {t.day} {t:%b}",
                    reason if (reason, s.area) != told else "",  # once for a run of layers of one area
                    state,
                )  # fmt: skip
            )
            told = reason, s.area
        self.steps.set(rows, self.chosen)

    def _strip(self, plan: Planned) -> None:
        c = self.session.commission
        assert c is not None
        days_ = planning.days_of(c, self.session.clock.today())
        by_day: dict[datetime.date, list] = {}
        for q in (*plan.calendar.placed, *plan.calendar.estimated):
            by_day.setdefault(q.start.date(), []).append(q)
        first = min(by_day)
        done = self.session.planner.done_keys()
        if any(s.key not in done for s in plan.ordered.steps):  # what is past is shown for a week
            first = max(first, min(self.session.clock.today(), plan.calendar.finish) - datetime.timedelta(days=7))
        last = max(plan.calendar.finish, plan.due or plan.calendar.finish)
        values = {a.id: (m.values.general if (m := self.session.measures(a.id)) else 60.0) for a in self.session.areas}
        out: list[day_strip.Day] = []
        day = first
        while day <= last and len(out) < MOST_DAYS_SHOWN:
            blocks: list[Block] = []
            waits: list[tuple[float, float]] = []
            begin = datetime.datetime.combine(day, days_.begins)
            before = 0.0
            for name in dict.fromkeys(n for d, _m, n in plan.busy if d == day):
                hours = sum(m for d, m, n in plan.busy if d == day and n == name) / 60
                blocks.append(Block(before, hours, 0, name, 88.0, True))
                before += hours
            for q in by_day.get(day, ()):
                at, hours = (q.start - begin).total_seconds() / 3600, (q.end - q.start).total_seconds() / 3600
                number, name = (q.step.area.number, q.step.area.name) if q.step.area else (0, step_words(q.step).lower())
                name = f"{name}, estimated" if q in plan.calendar.estimated else name
                if blocks and not blocks[-1].other and blocks[-1].number == number and at - blocks[-1].begin_h - blocks[-1].hours < 0.2:
                    b = blocks[-1]
                    blocks[-1] = Block(b.begin_h, at + hours - b.begin_h, number, name, b.lightness)
                else:
                    blocks.append(Block(at, hours, number, name, values.get(q.step.area.id, 60.0) if q.step.area else 88.0))
                if q.step.layer.tool == "solvent" and not q.part:
                    waits.append((at + hours, DRYING_MIN / 60))
            kind = "work" if blocks else "due" if day == plan.due else "slack" if days_.works(day) and day > plan.calendar.finish else "off"
            out.append(day_strip.Day(day, kind, tuple(blocks), tuple(waits)))
            day += datetime.timedelta(days=1)
        if plan.due is not None and plan.due >= day:
            out += [day_strip.Day(plan.due - datetime.timedelta(days=1), "off"), day_strip.Day(plan.due, "due")]
        if plan.due is not None and plan.due < first:
            out.insert(0, day_strip.Day(plan.due, "due"))
        line = f"{len(by_day)} sessions of up to {c.terms.hours_a_day:g} h"
        self.strip.set("The days until it is due" if plan.due else "The days of work", line, out, c.terms.hours_a_day + 0.7, self.session.clock.today())

    # -- cards -------------------------------------------------------------------------
    def _step_card(self, plan: Planned) -> list:
        s = next(q for q in plan.ordered.steps if q.key == self.chosen)
        placed = [q for q in plan.calendar.placed if q.step.key == s.key]
        out: list = [Caption("Chosen step"), Words(s.name if s.area else step_words(s), "name", "ink")]
        out.append(Words(f"{s.low:.0f} to {s.high:.0f} minutes, in {len(placed)} stretch{'es' if len(placed) > 1 else ''}."))
        out.append(Words(plan.ordered.reasons[s.key], "aside"))
        out += [Words(words, "small", "ink") for words in plan.ordered.reminders.get(s.key, ())]
        waits = [q for q in plan.ordered.steps if q.key in plan.ordered.after.get(s.key, ())]
        if waits:
            out.append(Caption("It waits for"))
            out += [Words(q.name) for q in waits[:6]]
        if s.key != LAST and not is_handling(s.key):
            out.append(Words("Drag it on its stem to put it elsewhere, or Alt with the arrow keys."))
        broken = plan.ordered.broken
        if broken:
            out.append(Caption("Rules this order breaks"))
            out += [Words(f"{r.why} Else {r.cost}.", "small", "ink") for r in broken[:5]]
        c = self.session.commission
        if c is not None and c.terms.moved:
            back = PetalButton("Back to the solved order", "plumb")
            back.clicked.connect(lambda _=False: self.session.planner.forget_moves())
            out.append(row(back, None))
        if plan.calendar.idle_min > 20:
            out.append(Words(f"{plan.calendar.idle_min:.0f} minutes of drying are filled by nothing."))
        ics = PetalButton("Calendar file", "write", tip="Sessions and due date for any calendar")
        ics.clicked.connect(lambda _=False: self.write_calendar())
        out.append(row(ics, None))
        return out

    def _hours_card(self, plan: Planned) -> list:
        out: list = hour_bars(self.session, self.session.logbook.rows())
        out.append(Caption("What your log says"))
        for surface in dict.fromkeys(a.surface_id for a in plan.work):
            name = surfaces()[surface].name.lower() if surface in surfaces() else surface
            out.append(Words(evidence(plan.pace, surface, name)))
            if not plan.pace.logged:
                break
        return out

    def _set_due(self, day: datetime.date | None) -> None:
        self.session.do(EditBrief(self.session, "due date", False, due=day.isoformat() if day is not None else None))

    def _days_card(self, plan: Planned) -> list:
        c, planner = self.session.commission, self.session.planner
        assert c is not None
        t = c.terms
        hand = Pick("Hand", (("right", "Right hand"), ("left", "Left hand")), t.hand)
        hand.picked.connect(lambda key: planner.set_terms("hand", hand=key))
        start = day_field(self.session, "First day", lambda day: planner.set_terms("first day", start=day.isoformat()), may_be_none=False)
        start.set_day(planning.days_of(c, self.session.clock.today()).start)
        due = due_field(self.session, self._set_due)
        hours = Number()
        hours.setAccessibleName("Hours a day")
        hours.setRange(0.5, 12)
        hours.setSingleStep(0.5)
        hours.setDecimals(1)
        hours.setSuffix("\u2009h")
        hours.setKeyboardTracking(False)
        hours.setValue(t.hours_a_day)
        hours.valueChanged.connect(lambda v: planner.set_terms("hours a day", True, hours_a_day=v))
        week = []
        for k, name in enumerate(_WEEK):
            q = PetalButton(name if k in t.weekdays else f"({name})", None, tip="A working day" if k in t.weekdays else "A day off")
            days = tuple(sorted(set(t.weekdays) ^ {k}))
            q.setEnabled(bool(days))
            q.clicked.connect(lambda _=False, days=days: planner.set_terms("working days", weekdays=days))
            week.append(q)
        out: list = [
            Caption("How it is worked"),
            hand,
            row(label("First day"), start),
            row(label("Due"), due),
            row(label("Hours a day"), hours, None),
            row(*week[:4], None),
            row(*week[4:], None),
        ]
        out += [Caption("What slips if a day is lost"), *(Words(q, "small", "ink") for q in self.slips(plan))]
        if self.lost_day is None:
            out.append(Words("Choose a day in the strip to see what it would cost."))
        others = self.session.planner.others()
        if others:
            out += [Caption("In the same calendar"), *(Words(q) for q in others)]
        return out

    def slips(self, plan: Planned) -> list[str]:
        """What a lost day costs: the chosen one, or the next sessions one by one."""
        done = self.session.planner.done_keys()
        sessions = sorted({q.start.date() for q in plan.calendar.placed if q.step.key not in done})
        if not sessions:
            return ["Nothing is left to be worked."]
        days = [self.lost_day] if self.lost_day is not None else sessions[:3]
        out = []
        for day in days:
            if day not in sessions:
                out.append(f"{_spoken(day)} is no day of work; losing it costs nothing.")
                continue
            then = self.session.planner.if_lost(day)
            if then is None:
                continue
            late = (then.finish - plan.calendar.finish).days
            moved = len({q.step.key for q in plan.calendar.placed if q.step.key not in done and q.start.date() >= day})
            slack = then.slack_days(plan.due)
            end = (
                f"the work ends {late} day{'' if late == 1 else 's'} later, on {then.finish.day} {then.finish:%B}"
                if late
                else "the end stays where it is"
            )
            spare = "" if slack is None else f"; {slack} days to spare" if slack >= 0 else f"; {-slack} days late"
            out.append(f"Without {_spoken(day)} {moved} steps move and {end}{spare}.")
        return out

    def _lose(self, day: object) -> None:
        assert isinstance(day, datetime.date)
        self.lost_day = None if self.lost_day == day else day
        self.show_card("days")

    def _materials_card(self, plan: Planned) -> list:
        cost, without = account.material_cost(self.session.logbook.wear())
        out: list = [
            Caption("Wear of each pencil"),
            Words("In millimetres of barrel, about; a new pencil is 175 mm long."),
            *wear_words(self.session),
        ]
        if cost:
            out.append(Words(f"Worn away: about {sum_words(cost, sign=self.session.settings.get('currency'))}.", "body", "ink"))
        if without:
            out.append(Words(f"{without} of these pencils have no price; give it in the kit room."))
        book = PetalButton("Bench book", "sheet", tip="Order, sessions, materials and cautions, to print")
        book.clicked.connect(lambda _=False: self.desk.records.bench_book())
        out += [Caption("To print"), row(book, None)]
        return out

    def write_calendar(self) -> None:
        """Write the sessions as a calendar file."""
        from hanabira.sheets.calendar_file import Sitting, write_calendar

        plan, c = self.session.planner.planned(), self.session.commission
        if plan is None or c is None:
            self.desk.say("There is no plan to write yet.", "Nothing was written.", "Solve the layers of an area first.")
            return
        target = self.desk.ask_target(f"{c.name} sessions.ics")
        if target is None:
            return
        by_day: dict[datetime.date, list] = {}
        done = self.session.planner.done_keys()
        for q in plan.calendar.placed:
            if q.step.key not in done:
                by_day.setdefault(q.start.date(), []).append(q)
        sessions = [
            Sitting(qs[0].start, qs[-1].end, "\n".join(dict.fromkeys(f"{q.step.name}" for q in qs))) for _day, qs in sorted(by_day.items())
        ]
        self.session.jobs.run(
            "ics",
            "Writing the calendar",
            lambda _t: write_calendar(c.name, c.id, sessions, plan.due, target, self.session.clock.now()),
            lambda done: self.session.messages.remark(f"Written: {done}"),
            lasting=True,
        )


def _spoken(day: datetime.date) -> str:
    return f"{day:%A} {day.day} {day:%B}"
