"""Plan and easel by hand: drag a step, change the terms, write the calendar; do, skip and take back steps, with the log."""

import datetime
import unittest
from dataclasses import replace

from icalendar import Calendar
from PyQt6.QtCore import QPointF, Qt

from hanabira.core.schedule.order import LAST
from hanabira.desk.controls import Pick
from hanabira.desk.widgets.step_list import ROW
from hanabira.studio.records import Commission, LogRow
from hanabira.studio.store import Store
from tests.test_desk import DemoCase

MONDAY = "2026-03-02"


class PlanCase(DemoCase):
    stage_name = "Plan"

    def setUp(self):
        super().setUp()
        c = self.model.commission
        self.model.planner.set_terms("first day", start=MONDAY)
        self.assertEqual(self.model.commission.terms.start, MONDAY)
        self.assertNotEqual(c.terms, self.model.commission.terms)
        self.desk.go(self.stage_name)
        self.settle()
        self.stage, self.planner = self.desk.current, self.model.planner


class Plan(PlanCase):
    def test_a_dragged_step_stays_and_says_what_it_breaks(self):
        steps = self.stage.steps
        keys = [r.key for r in steps.rows]
        self.assertEqual(keys[-1], LAST)
        eye = [k for k in keys if k.startswith("demo-area-5")]
        self.assertEqual(keys[: len(eye) - 1], eye[:-1])
        # the eye's third layer before its second
        y = lambda k: 6 + ROW * k  # noqa: E731
        self.drag(steps, [QPointF(200, y(2) + 20), QPointF(200, y(2) - 10), QPointF(200, y(1) + 4)])
        self.assertEqual([r.key for r in self.stage.steps.rows][1], keys[2])
        self.assertIn("breaks a rule", self.said[-1].what)
        self.assertEqual(self.model.commission.terms.moved, ((keys[2], keys[0]),))
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
        self.stage.show_card("terms")
        hand = next(q for q in self.desk.bench.findChildren(Pick) if q.accessibleName() == "Hand")
        self.click_stop(hand, "left")
        self.assertEqual(self.model.commission.terms.hand, "left")
        self.planner.set_terms("rate an hour", rate=50.0)
        for card in ("hours", "materials", "terms", "step"):
            self.stage.show_card(card)
        self.desk.take_back()
        self.assertEqual(self.model.commission.terms.rate, 0.0)

    def test_other_commissions_take_their_days_first(self):
        start = lambda: self.planner.planned().calendar.placed[0].start  # noqa: E731
        free = start()
        store = self.model.store
        bracken = store.get(Commission, "demo-bracken")
        store.edit([replace(bracken, due=datetime.date.today().isoformat())])
        self.planner._kept = None
        self.assertGreater(start(), free)
        # what is delivered takes no days any more
        store.edit([replace(bracken, due=datetime.date.today().isoformat(), delivered=datetime.date.today().isoformat())])
        self.planner._kept = None
        self.assertEqual(start(), free)

    def test_the_calendar_file_holds_every_session(self):
        path = self.folder.parent / "x.ics"
        self.desk.ask_save_path = lambda _n: str(path)
        self.stage.write_calendar()
        self.settle()
        events = Calendar.from_ical(path.read_bytes()).walk("VEVENT")
        plan = self.planner.planned()
        self.assertEqual(len(events), len({q.start.date() for q in plan.calendar.placed}) + 1)
        self.assertEqual(events[0]["dtstart"].dt, plan.calendar.placed[0].start)


class Easel(PlanCase):
    stage_name = "Easel"

    def test_done_skip_note_other_pencil_and_back(self):
        model, stage = self.model, self.stage
        first = stage.step()
        self.assertEqual(stage.card.now.code, first.layer.pencil)
        self.key(stage.mat, Qt.Key.Key_Return)
        (row,) = self.planner.log()
        self.assertEqual((row.step, row.state, row.pencil), (first.key, "done", first.layer.pencil))
        # it is on disk before anything else happens
        with Store.open(self.folder) as other:
            self.assertEqual(other.all(LogRow, commission_id=model.commission.id), (row,))
        second = stage.step()
        stage.ask_words = lambda title, _w: "the lid is softer" if title == "Note" else "403"
        self.key(stage.mat, Qt.Key.Key_N)
        self.key(stage.mat, Qt.Key.Key_C)
        self.assertIn("Ivory black", stage.card.now.why)
        self.click(self.desk.bench.next)
        rows = self.planner.log()
        self.assertEqual([r.state for r in rows], ["done", "note", "done"])
        self.assertIn("403", rows[-1].differs)
        self.assertEqual(rows[1].note, "the lid is softer")
        self.key(stage.mat, Qt.Key.Key_X)
        self.assertEqual(self.planner.log()[-1].state, "skipped")
        self.key(stage.mat, Qt.Key.Key_Backspace)
        self.key(stage.mat, Qt.Key.Key_Backspace)
        self.assertEqual(stage.step().key, second.key)
        self.desk.take_back()
        self.assertEqual(self.planner.done_keys(), {first.key, second.key})
        # what lies here
        self.click(stage.mat, stage.mat.widget_point(998, 975))
        self.assertEqual((stage.tab, stage.touched), ("here", "demo-area-5"))
        path = self.folder.parent / "log.csv"
        self.desk.ask_save_path = lambda _n: str(path)
        stage.write_log()
        self.settle()
        self.assertEqual(len(path.read_text().splitlines()), 1 + len(self.planner.log()))

    def test_the_clock_pauses_and_a_wet_area_waits_while_others_go_on(self):
        stage, model = self.stage, self.model
        key = "demo-area-4"
        area = next(a for a in model.areas if a.id == key)
        layers = model.recipe_layers(key)
        from hanabira.core.solver.area import Layer
        from hanabira.desk.commands import SetLayers

        wet = Layer("blend", "", 1, 1, "all but the highlights", "circle", tool="solvent", why="It must dry.")
        model.do(SetLayers(model, area, (layers[0], wet, *layers[1:]), "solvent"))
        for _ in range(40):
            s = stage.step()
            if s is None or s.layer.tool == "solvent":
                break
            stage.done()
        self.assertEqual(stage.step().layer.tool, "solvent")
        self.assertTrue(any("no flame" in q for q in stage.card.now.cautions))
        self.assertTrue(stage.card.now.cautions[-1].startswith("Follow the maker"))
        stage.done()
        self.assertNotEqual(stage.step().area.id, key)
        self.assertIn("Brow dries", " ".join(stage.card.now.waits))
        stage.pause()
        before = stage.minutes()
        self.wait_until(lambda: True)
        self.assertEqual(stage.minutes(), before)
        self.assertTrue(stage.card.now.paused)

    def test_the_log_teaches_the_plan(self):
        from hanabira.studio.records import new_id

        store = self.model.store
        store.edit([], store.all(LogRow))
        self.planner._kept = None
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
