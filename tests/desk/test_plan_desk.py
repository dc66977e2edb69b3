"""Plan and easel by hand: drag a step, change the terms, write the calendar; do, skip and take back steps, with the log."""

import datetime
import unittest
from dataclasses import replace
from pathlib import Path

from icalendar import Calendar
from PyQt6.QtCore import QPointF, Qt

from hanabira.core.clock import MACHINE
from hanabira.core.schedule.order import LAST
from hanabira.desk.controls import Pick
from hanabira.desk.widgets.step_list import ROW
from hanabira.session.edits import EditBrief
from hanabira.studio.records import Commission, LogRow
from hanabira.studio.store import Store
from tests.desk.test_desk import DemoCase

MONDAY = "2026-03-02"


class PlanCase(DemoCase):
    stage_name = "Plan"

    def prepare(self, folder: Path) -> None:
        """One area at a time, so that the first steps are the eye's."""
        super().prepare(folder)
        with Store.open(folder) as store:
            c = store.get(Commission, "demo-tansy")
            store.edit([replace(c, school=(*c.school, ("sequence", "one-area")))])

    def setUp(self):
        super().setUp()
        c = self.session.commission
        self.session.planner.set_terms("first day", start=MONDAY)
        self.assertEqual(self.session.commission.terms.start, MONDAY)
        self.assertNotEqual(c.terms, self.session.commission.terms)
        self.desk.go(self.stage_name)
        self.settle()
        self.stage, self.planner = self.desk.current, self.session.planner


class Plan(PlanCase):
    def test_a_dragged_step_stays_and_says_what_it_breaks(self):
        steps = self.stage.steps
        keys = [r.key for r in steps.rows]
        self.assertEqual(keys[-1], LAST)
        eye = [k for k in keys if k.startswith("demo-area-5")]
        self.assertEqual(keys[:6], eye[:6])
        # the eye's third layer before its second
        y = lambda k: 6 + ROW * k  # noqa: E731
        self.drag(steps, [QPointF(200, y(2) + 20), QPointF(200, y(2) - 10), QPointF(200, y(1) + 4)])
        self.assertEqual([r.key for r in self.stage.steps.rows][1], keys[2])
        self.assertIn("breaks a rule", self.said[-1].what)
        self.assertEqual(self.session.commission.terms.moved, ((keys[2], keys[0]),))
        self.desk.take_back()
        self.assertEqual([r.key for r in self.stage.steps.rows], keys)
        # by keys
        self.click_stop(steps, keys[9])
        self.key(steps, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
        self.assertEqual([r.key for r in self.stage.steps.rows].index(keys[9]), 8)
        self.planner.forget_moves()
        self.assertEqual([r.key for r in self.stage.steps.rows], keys)

    def test_terms_change_the_days_and_the_quote(self):
        before = self.planner.planned()
        self.planner.set_terms("hours a day", hours_a_day=1.0)
        longer = self.planner.planned()
        self.assertGreater(longer.calendar.finish, before.calendar.finish)
        self.stage.show_card("days")
        hand = next(q for q in self.desk.bench.findChildren(Pick) if q.accessibleName() == "Hand")
        self.click_stop(hand, "left")
        self.assertEqual(self.session.commission.terms.hand, "left")
        self.planner.set_terms("rate an hour", rate=50.0)
        for card in ("hours", "materials", "days", "step"):
            self.stage.show_card(card)
        self.desk.take_back()
        self.assertEqual(self.session.commission.terms.rate, 36.0)

    def test_a_lost_day_is_told_with_what_slips(self):
        plan = self.planner.planned()
        first = plan.calendar.placed[0].start.date()
        self.stage.show_card("days")
        self.click_stop(self.stage.strip, first.isoformat())
        then = self.planner.if_lost(first)
        self.assertNotIn(first, {q.start.date() for q in then.placed})
        self.assertGreater(then.finish, plan.calendar.finish)
        (words,) = self.stage.slips(plan)
        self.assertIn(f"ends {(then.finish - plan.calendar.finish).days} day", words)
        self.assertIn(f"{then.slack_days(plan.due)} days to spare", words)
        weekend = next(first + datetime.timedelta(days=k) for k in range(1, 8) if (first + datetime.timedelta(days=k)).weekday() == 5)
        self.click_stop(self.stage.strip, weekend.isoformat())
        self.assertIn("costs nothing", self.stage.slips(plan)[0])

    def test_other_commissions_take_their_days_first(self):
        start = lambda: self.planner.planned().calendar.placed[0].start  # noqa: E731
        free = start()
        store = self.session.store
        bracken = store.get(Commission, "demo-bracken")
        store.edit([replace(bracken, due=MACHINE.today().isoformat())])
        self.assertGreater(start(), free)
        # what is delivered takes no days any more
        store.edit([replace(bracken, due=MACHINE.today().isoformat(), delivered=MACHINE.today().isoformat())])
        self.assertEqual(start(), free)

    def test_the_strip_shows_other_commissions_and_a_far_due_date(self):
        strip, bracken = self.stage.strip, "demo-bracken"
        far = (MACHINE.today() + datetime.timedelta(days=200)).isoformat()
        self.session.store.edit([replace(self.session.store.get(Commission, bracken), due=MACHINE.today().isoformat())])
        self.session.do(EditBrief(self.session, "due date", False, due=far))
        self.stage.refresh()
        others = [b for d in strip.days for b in d.blocks if b.other]
        self.assertEqual({b.name for b in others}, {"Bracken"})
        self.assertEqual([d.date.isoformat() for d in strip.days if d.kind == "due"], [far])
        # own work begins when the other's is over
        plan = self.planner.planned()
        taken = {}
        for day, minutes, _name in plan.busy:
            taken[day] = taken.get(day, 0.0) + minutes
        for q in plan.calendar.placed:
            begins = (q.start - datetime.datetime.combine(q.start.date(), datetime.time(9))).total_seconds() / 60
            self.assertGreaterEqual(begins, taken.get(q.start.date(), 0.0) - 1e-6)
        self.stage.show_card("days")
        self.assertEqual(self.planner.others(), (f"Bracken comes first, due {MACHINE.today():%d %B}.",))

    def test_the_calendar_file_holds_every_session(self):
        path = self.folder.parent / "x.ics"
        self.desk.ask_save_path = lambda _n: str(path)
        self.stage.write_calendar()
        self.settle()
        events = Calendar.from_ical(path.read_bytes()).walk("VEVENT")
        plan = self.planner.planned()
        self.assertEqual(len(events), len({q.start.date() for q in plan.calendar.placed}) + 1)
        self.assertEqual(events[0]["dtstart"].dt, plan.calendar.placed[0].start)

    def test_the_log_teaches_the_plan(self):
        from hanabira.studio.records import new_id

        store = self.session.store
        store.edit([], store.all(LogRow))
        before = self.planner.planned()
        self.assertEqual(before.pace.logged, 0)
        rows = [
            LogRow(new_id(), "demo-bracken", f"x{k}:0", f"x{k}", "Neck", "short-fur", "general", "203", 2, 60.0, 30.0, f"2026-01-0{k + 1}T10:00:00")
            for k in range(6)
        ]  # fmt: skip
        store.edit(rows)
        after = self.planner.planned()
        self.assertGreater(after.pace.factor("short-fur"), 1.5)
        self.assertGreater(sum(s.low for s in after.ordered.steps), 1.3 * sum(s.low for s in before.ordered.steps))


class Safety(unittest.TestCase):
    def test_no_word_advises_harm_and_every_answer_names_the_makers_sheet(self):
        from hanabira.core.optics.kit import Pencil
        from hanabira.craft.safety import SHEET, step_cautions, words_for

        for occasion in ("solvent", "scrape", "pastel", "stump", "fix", "hazardous", "break"):
            words = words_for(occasion)
            self.assertEqual(words[-1], SHEET)
            text = " ".join(words).lower()
            self.assertFalse("blow" in text and "never blow" not in text)
        self.assertEqual(step_cautions("", "general", Pencil("1", "Ochre", "#aa8844")), ())
        self.assertIn("metal", step_cautions("", "general", Pencil("1", "Cadmium yellow", "#eecc22"))[0])
