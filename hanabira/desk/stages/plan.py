"""Plan: the order of all layers with its reasons, the days they take, hours, materials and the quote."""

from __future__ import annotations

import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QDateEdit, QFrame, QScrollArea, QVBoxLayout, QWidget

from hanabira.core.schedule.order import LAST
from hanabira.core.schedule.sessions import DRYING_MIN
from hanabira.core.schedule.work import evidence
from hanabira.craft.reader import surfaces
from hanabira.desk.controls import Caption, Day, Number, PetalButton, Pick, Words, label, row
from hanabira.desk.planner import Planned, hours_words
from hanabira.desk.stages.base import Stage
from hanabira.desk.widgets import day_strip
from hanabira.desk.widgets.day_strip import Block, DayStrip
from hanabira.desk.widgets.step_list import StepList, StepRow
from hanabira.studio import planning

if TYPE_CHECKING:
    from hanabira.desk.window import Desk

MOST_DAYS_SHOWN = 45
_WEEK = ("Mo", "Tu", "We", "Th", "Fr", "Sa", "Su")


class Plan(Stage):
    """The day strip above, the steps on their stem below, facts and terms on the bench."""

    name = "Plan"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.strip, self.steps = DayStrip(), StepList()
        scroll = QScrollArea()
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
        self.steps.chosen_step.connect(self._choose)
        self.steps.move_wanted.connect(lambda key, behind: self.model.planner.move(key, behind))
        m = self.model
        for signal in (m.commission_changed, m.areas_changed, m.photo_changed, m.log_changed):
            signal.connect(lambda: self.refresh() if self.open else None)
        m.recipe_changed.connect(lambda _key: self.refresh() if self.open else None)

    def _choose(self, key: str) -> None:
        self.chosen = key
        self.card = "step"
        self.refresh()

    def show_card(self, card: str) -> None:
        """Show another card: the step, the hours, the terms."""
        self.card = card
        self.refresh()

    def next(self) -> None:
        if self.model.planner.planned() is None:
            self.desk.go("Recipe" if self.model.areas else "Areas")
        else:
            self.desk.go("Easel")

    # -- what is shown ---------------------------------------------------------------
    def refresh(self) -> None:
        plan, bench = self.model.planner.planned(), self.desk.bench
        self.desk.mark_values(None)
        if plan is None:
            self.strip.set("No plan yet", "", [], 3.0)
            self.steps.set([], "")
            bench.head.set("", "Nothing to plan yet", "A plan needs areas with solved layers")
            bench.set_parts([Words("Solve the layers of at least one area in Recipe. Each layer then becomes a step here.")])
            self.desk.set_next("To the recipes", "strata")
            return
        keys = [s.key for s in plan.ordered.steps]
        if self.chosen not in keys:
            self.chosen = keys[0]
        self._strip(plan)
        self._steps(plan)
        slack = plan.calendar.slack_days(plan.due)
        when = f"{plan.calendar.finish.day} {plan.calendar.finish:%B %Y}"
        line = f"finished {when}" + ("" if slack is None else f" · {slack} days to spare" if slack >= 0 else f" · {-slack} days late")
        bench.head.set("", f"{len(plan.ordered.steps)} steps, {hours_words(plan.ordered.steps)}", line)
        pick = Pick(
            "What the card shows", (("step", "Step"), ("hours", "Hours"), ("terms", "Terms"), ("materials", "Materials")), self.card
        )
        pick.picked.connect(self.show_card)
        body = {"step": self._step_card, "hours": self._hours_card, "terms": self._terms_card, "materials": self._materials_card}[self.card]
        bench.set_parts([pick, *body(plan)])
        self.desk.set_next("Go to the easel", "pencil")

    def _steps(self, plan: Planned) -> None:
        kit = self.model.kit
        begun: dict[str, datetime.datetime] = {}
        for q in plan.calendar.placed:
            begun.setdefault(q.step.key, q.start)
        done = self.model.planner.done_keys()
        following = next((s.key for s in plan.ordered.steps if s.key not in done), "")
        rows = []
        for n, s in enumerate(plan.ordered.steps, 1):
            code = s.layer.pencil
            known = bool(code) and code in kit.index
            what = (
                f"{code} {kit.get(code).name}, pressure {s.layer.pressure}, {s.layer.stroke}, {s.layer.where}"
                if known
                else s.layer.tool or "look at the whole"
            )
            state = "done" if s.key in done else "next" if s.key == following else "open"
            if state == "open" and any(w not in done for w in plan.ordered.after.get(s.key, ())):
                state = "open"
            t = begun[s.key]
            rows.append(
                StepRow(
                    s.key,
                    n,
                    f"{s.area.number} {s.area.name} · {s.layer.role}" if s.area else "The last look",
                    what,
                    kit.masstone_lab[kit.index[code]] if known else None,
                    f"{s.low:.0f}–{s.high:.0f} min",
                    f"{t:%a} {t.day} {t:%b}, {t:%H:%M}",
                    plan.ordered.reasons[s.key],
                    state,
                )  # fmt: skip
            )
        self.steps.set(rows, self.chosen)

    def _strip(self, plan: Planned) -> None:
        c = self.model.commission
        assert c is not None
        days_ = planning.days_of(c)
        by_day: dict[datetime.date, list] = {}
        for q in plan.calendar.placed:
            by_day.setdefault(q.start.date(), []).append(q)
        first = min(by_day)
        done = self.model.planner.done_keys()
        if any(s.key not in done for s in plan.ordered.steps):  # what is past is shown for a week
            first = max(first, min(datetime.date.today(), plan.calendar.finish) - datetime.timedelta(days=7))
        last = max(plan.calendar.finish, plan.due or plan.calendar.finish)
        values = {a.id: (m.values.general if (m := self.model.measures(a.id)) else 60.0) for a in self.model.areas}
        out: list[day_strip.Day] = []
        day = first
        while day <= last and len(out) < MOST_DAYS_SHOWN:
            blocks: list[Block] = []
            waits: list[tuple[float, float]] = []
            begin = datetime.datetime.combine(day, days_.begins)
            for q in by_day.get(day, ()):
                at, hours = (q.start - begin).total_seconds() / 3600, (q.end - q.start).total_seconds() / 3600
                number, name = (q.step.area.number, q.step.area.name) if q.step.area else (0, "last look")
                if blocks and blocks[-1].number == number and at - blocks[-1].begin_h - blocks[-1].hours < 0.2:
                    b = blocks[-1]
                    blocks[-1] = Block(b.begin_h, at + hours - b.begin_h, number, name, b.lightness)
                else:
                    blocks.append(Block(at, hours, number, name, values.get(q.step.area.id, 60.0) if q.step.area else 88.0))
                if q.step.layer.tool == "solvent" and not q.part:
                    waits.append((at + hours, DRYING_MIN / 60))
            kind = "work" if blocks else "due" if day == plan.due else "slack" if days_.works(day) and day > plan.calendar.finish else "off"
            out.append(day_strip.Day(day, kind, tuple(blocks), tuple(waits)))
            day += datetime.timedelta(days=1)
        if plan.due is not None and plan.due < first:
            out.insert(0, day_strip.Day(plan.due, "due"))
        line = f"{len(by_day)} sessions of up to {c.terms.hours_a_day:g} h"
        self.strip.set("The days until it is due" if plan.due else "The days of work", line, out, c.terms.hours_a_day + 0.7)

    # -- cards -------------------------------------------------------------------------
    def _step_card(self, plan: Planned) -> list:
        s = next(q for q in plan.ordered.steps if q.key == self.chosen)
        placed = [q for q in plan.calendar.placed if q.step.key == s.key]
        out: list = [Caption("Chosen step"), Words(s.name if s.area else "The last look", "name", "ink")]
        out.append(Words(f"{s.low:.0f} to {s.high:.0f} minutes, in {len(placed)} stretch{'es' if len(placed) > 1 else ''}."))
        out.append(Words(plan.ordered.reasons[s.key], "aside"))
        waits = [q for q in plan.ordered.steps if q.key in plan.ordered.after.get(s.key, ())]
        if waits:
            out.append(Caption("It waits for"))
            out += [Words(q.name) for q in waits[:6]]
        if s.key != LAST:
            out.append(Words("Drag it on its stem to put it elsewhere, or Alt with the arrow keys."))
        broken = plan.ordered.broken
        if broken:
            out.append(Caption("Rules this order breaks"))
            out += [Words(f"{r.why} Else {r.cost}.", "small", "ink") for r in broken[:5]]
        c = self.model.commission
        if c is not None and c.terms.moved:
            back = PetalButton("Back to the solved order", "back")
            back.clicked.connect(lambda _=False: self.model.planner.forget_moves())
            out.append(row(back, None))
        if plan.calendar.idle_min > 20:
            out.append(Words(f"{plan.calendar.idle_min:.0f} minutes of drying are filled by nothing."))
        ics = PetalButton("Calendar file", "sheet", tip="Sessions and due date for any calendar")
        ics.clicked.connect(lambda _=False: self.write_calendar())
        out.append(row(ics, None))
        return out

    def _hours_card(self, plan: Planned) -> list:
        out: list = [Caption("Hours by area")]
        for a in plan.work:
            steps = [s for s in plan.ordered.steps if s.area is not None and s.area.id == a.id]
            out.append(
                Words(
                    f"{a.number} {a.name}: {sum(s.low for s in steps) / 60:.1f}–{sum(s.high for s in steps) / 60:.1f} h, {a.mm2:,.0f} mm²".replace(
                        ",", "\u2009", 1
                    )
                )
            )
        out.append(Caption("What your log says"))
        for surface in dict.fromkeys(a.surface_id for a in plan.work):
            name = surfaces()[surface].name.lower() if surface in surfaces() else surface
            out.append(Words(evidence(plan.pace, surface, name)))
            if not plan.pace.logged:
                break
        return out

    def _terms_card(self, plan: Planned) -> list:
        c, planner = self.model.commission, self.model.planner
        assert c is not None
        t = c.terms

        def number(name: str, value: float, low: float, high: float, step: float, unit: str, key: str, decimals: int = 1) -> QWidget:
            q = Number()
            q.setAccessibleName(name)
            q.setRange(low, high)
            q.setSingleStep(step)
            q.setDecimals(decimals)
            if unit:
                q.setSuffix(f"\u2009{unit}")
            q.setKeyboardTracking(False)
            q.setValue(value)
            q.valueChanged.connect(lambda v: planner.set_terms(name.lower(), True, **{key: int(v) if key == "instalments" else v}))
            return q

        hand = Pick("Hand", (("right", "Right hand"), ("left", "Left hand")), t.hand)
        hand.picked.connect(lambda key: planner.set_terms("hand", hand=key))
        start: QDateEdit = Day()
        start.setAccessibleName("First day")
        start.setCalendarPopup(True)
        first = planning.days_of(c).start
        start.setDate(first)  # type: ignore[arg-type]
        start.dateChanged.connect(lambda d: planner.set_terms("first day", True, start=d.toPyDate().isoformat()))
        week = []
        for k, name in enumerate(_WEEK):
            q = PetalButton(name if k in t.weekdays else f"({name})", None, tip="A working day" if k in t.weekdays else "A day off")
            days = tuple(sorted(set(t.weekdays) ^ {k}))
            q.setEnabled(bool(days))
            q.clicked.connect(lambda _=False, days=days: planner.set_terms("working days", weekdays=days))
            week.append(q)
        price = planning.quote(c, plan.work, plan.pace)
        low, high = price["price"]
        out: list = [
            Caption("How it is worked"),
            hand,
            row(label("First day"), start, None),
            row(label("Hours a day"), number("Hours a day", t.hours_a_day, 0.5, 12, 0.5, "h", "hours_a_day"), None),
            row(*week[:4], None),
            row(*week[4:], None),
            Caption("Quote"),
            row(label("Rate an hour"), number("Rate an hour", t.rate, 0, 10_000, 1, "", "rate", 2), None),
            row(label("Materials"), number("Materials", t.materials, 0, 100_000, 1, "", "materials", 2), None),
            row(label("Deposit"), number("Deposit", t.deposit_percent, 0, 100, 5, "%", "deposit_percent", 0), None),
            row(label("Instalments"), number("Instalments", t.instalments, 1, 12, 1, "", "instalments", 0), None),
            Words(
                f"{price['hours'][0]:.0f}–{price['hours'][1]:.0f} hours: {low:.0f}–{high:.0f} in your currency, "
                f"deposit {price['deposit'][0]:.0f}–{price['deposit'][1]:.0f}.",
                "body",
                "ink",
            ),
        ]
        out += [Words(w) for w in price["warnings"]]
        return out

    def _materials_card(self, plan: Planned) -> list:
        kit = self.model.kit
        used: dict[str, float] = {}
        for s in plan.ordered.steps:
            if s.area is not None and s.layer.pencil in kit.index:
                share = {1: 0.35, 2: 0.6, 3: 1.0, 4: 1.5, 5: 2.2}[max(1, min(5, s.layer.pressure))]
                used[s.layer.pencil] = used.get(s.layer.pencil, 0.0) + s.area.mm2 * share * s.layer.passes / 26_000
        out: list = [Caption("Wear of each pencil"), Words("In millimetres of barrel, about; a new pencil is 175 mm long.")]
        for code, mm in sorted(used.items(), key=lambda q: -q[1])[:14]:
            left = dict(kit.get(code).extra).get("left", "")
            try:
                have = float(left) * 175 if left else 175.0
            except ValueError:
                have = 175.0
            order = " Reorder it before you start." if mm > have - 45 else ""
            out.append(
                Words(f"{code} {kit.get(code).name}: {max(0.1, mm):.1f} mm of {have:.0f} mm.{order}", "small", "ink" if order else "ink2")
            )
        return out

    def write_calendar(self) -> None:
        """Write the sessions as a calendar file."""
        from hanabira.sheets.calendar_file import Session, write_calendar

        plan, c = self.model.planner.planned(), self.model.commission
        if plan is None or c is None:
            self.desk.say("There is no plan to write yet.", "Nothing was written.", "Solve the layers of an area first.")
            return
        path = self.desk.ask_save_path(f"{c.name} sessions.ics")
        if not path:
            return
        target = Path(path) if path.lower().endswith(".ics") else Path(f"{path}.ics")
        by_day: dict[datetime.date, list] = {}
        done = self.model.planner.done_keys()
        for q in plan.calendar.placed:
            if q.step.key not in done:
                by_day.setdefault(q.start.date(), []).append(q)
        sessions = [
            Session(qs[0].start, qs[-1].end, "\n".join(dict.fromkeys(f"{q.step.name}" for q in qs))) for _day, qs in sorted(by_day.items())
        ]
        self.model.jobs.run(
            "ics",
            "Writing the calendar",
            lambda _t: write_calendar(c.name, c.id, sessions, plan.due, target),
            lambda done: self.model.messages.remark(f"Written: {done}"),
        )
