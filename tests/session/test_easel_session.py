"""The easel's clocks with time passing, and the steps and rows it decides, without a window."""

import datetime
import unittest
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.area.shape import rectangle
from hanabira.core.clock import Clock
from hanabira.core.schedule.sessions import DRYING_MIN
from hanabira.core.solver.layer import Layer
from hanabira.session.easel import REST_S, AtTheEasel, WorkClock
from hanabira.session.edits import ChangeAreas, SetLayers
from tests.session.test_session import Case


class Time:
    """A clock on the wall that is moved by hand."""

    def __init__(self) -> None:
        self.s = 1000.0

    def seconds(self) -> float:
        return self.s

    def now(self) -> datetime.datetime:
        return datetime.datetime(2026, 5, 4, 9, 0) + datetime.timedelta(seconds=self.s)


class Clocks(unittest.TestCase):
    def test_a_pause_keeps_the_minutes_before_it_and_adds_none(self):
        t = Time()
        clock = WorkClock(t.seconds)
        self.assertTrue(clock.paused)
        t.s += 500  # nothing runs before it is started
        clock.run()
        t.s += 240
        clock.pause()
        clock.pause()
        t.s += 100
        self.assertEqual((clock.step_s, clock.since_rest_s, clock.paused), (240, 240, True))
        clock.run()
        clock.run()
        t.s += 60
        self.assertEqual((clock.step_s, clock.since_rest_s), (300, 300))

    def test_only_a_long_pause_is_a_rest(self):
        t = Time()
        clock = WorkClock(t.seconds)
        clock.run()
        t.s += 2000
        clock.pause()
        t.s += REST_S - 1
        clock.run()
        self.assertEqual(clock.since_rest_s, 2000)
        clock.pause()
        t.s += REST_S
        clock.run()
        self.assertEqual((clock.since_rest_s, clock.step_s), (0, 2000))

    def test_the_next_step_begins_at_nothing_and_the_work_goes_on(self):
        t = Time()
        clock = WorkClock(t.seconds)
        clock.run()
        t.s += 300
        clock.next_step()
        t.s += 120
        self.assertEqual((clock.step_s, clock.since_rest_s), (120, 420))
        clock.pause()
        clock.next_step()
        t.s += 50
        self.assertEqual((clock.step_s, clock.since_rest_s), (0, 420))

    @settings(max_examples=100)
    @given(st.lists(st.tuples(st.sampled_from(("run", "pause", "next_step")), st.floats(0, 9)), max_size=30))
    def test_work_on_all_steps_is_the_work_since_the_start(self, acts):
        """Without a pause as long as a rest, what the steps took adds up to what was worked."""
        t = Time()
        clock, running, worked, steps = WorkClock(t.seconds), False, 0.0, 0.0
        for act, wait in acts:
            if act == "next_step":
                steps += clock.step_s
            getattr(clock, act)()
            running = act == "run" or (running and act != "pause")
            t.s += wait
            worked += wait if running else 0
        self.assertAlmostEqual(clock.since_rest_s, worked)
        self.assertAlmostEqual(steps + clock.step_s, worked)


class Steps(Case):
    def setUp(self):
        super().setUp()
        self.wall = Time()
        s = self.session
        # the cheek stands above and is worked first
        s.do(ChangeAreas(s, "edge", [self.area("b")], [replace(self.area("b"), ring=rectangle(190, 220, 50, 60))]))
        layers = (
            Layer("ground", "203", 1, 1, "everywhere", "side"),
            Layer("blend", "", 2, 1, "everywhere", tool="solvent"),
            Layer("general", "401", 3, 1, "everywhere"),
        )
        s.do(SetLayers(s, self.area("a"), layers, "layers"))
        s.do(SetLayers(s, self.area("b"), (Layer("general", "401", 2, 1, "everywhere"),), "layers"))
        s.clock = Clock(self.wall.now)
        self.easel = AtTheEasel(s, self.wall.seconds)
        self.easel.clock.run()

    def do(self, minutes: float, state: str = "done") -> str:
        """Work so long on the step that is shown, and end it; its role."""
        s = self.easel.step()
        self.easel.show(s)
        self.wall.s += 60 * minutes
        self.assertTrue(self.easel.write(s, "step", state))
        return f"{s.area.id} {s.layer.role}" if s.area else s.layer.role

    def test_a_wet_area_waits_while_another_goes_on(self):
        self.assertEqual([self.do(5), self.do(3)], ["a ground", "a blend"])
        self.assertAlmostEqual(self.easel.drying()["a"], DRYING_MIN, delta=0.02)
        self.assertEqual(self.do(4), "b general")
        self.assertIsNone(self.easel.step())  # only the wet area is left
        self.wall.s += 60 * (DRYING_MIN - 4.5)
        self.assertIsNone(self.easel.step())
        self.wall.s += 60
        self.assertEqual(self.easel.drying(), {})
        self.assertEqual([self.do(6), self.do(1)], ["a general", "last look"])
        self.assertIsNone(self.easel.step())
        log = self.session.planner.log()
        self.assertEqual([r.minutes for r in log], [5.0, 3.0, 4.0, 6.0, 1.0])
        self.assertEqual([r.at for r in log], sorted(r.at for r in log))

    def test_a_pause_is_not_in_the_row(self):
        s = self.easel.step()
        self.easel.show(s)
        self.wall.s += 120
        self.easel.clock.pause()
        self.wall.s += 3000
        self.easel.clock.run()
        self.wall.s += 60
        self.assertEqual(self.easel.row(s, "done").minutes, 3.0)
        self.assertEqual(self.easel.row(s, "skipped").minutes, 0.0)

    def test_the_pencil_that_was_used_goes_into_its_row_and_no_further(self):
        self.easel.swapped = "205"
        self.do(2)
        self.do(2)
        first, second = self.session.planner.log()
        self.assertEqual((first.pencil, first.pressure), ("205", 1))
        self.assertIn("instead of 203", first.differs)
        self.assertEqual((second.pencil, second.differs), ("solvent", ""))

    def test_a_note_neither_ends_the_step_nor_its_time(self):
        s = self.easel.step()
        self.easel.show(s)
        self.wall.s += 60
        self.easel.write(s, "note", "note", "softly here")
        self.assertEqual(self.easel.step().key, s.key)
        self.assertFalse(self.easel.show(s))
        self.wall.s += 60
        self.assertEqual(self.easel.minutes, 2.0)

    def test_the_last_step_can_be_opened_again(self):
        self.do(1)
        self.do(1, "skipped")
        self.assertTrue(self.easel.take_back_last())
        self.assertEqual([r.state for r in self.session.planner.log()], ["done"])
        self.assertEqual(self.easel.step().layer.role, "blend")
        self.session.undo.undo()
        self.assertEqual(len(self.session.planner.log()), 2)
        self.easel.take_back_last()
        self.easel.take_back_last()
        self.assertFalse(self.easel.take_back_last())
