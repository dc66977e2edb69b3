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
from hanabira.session.runner import InlineRunner
from hanabira.session.session import Session
from hanabira.studio import account, planning
from hanabira.studio.store import Store
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


class Easel(Case):
    """Two areas with layers, and a clock on the wall."""

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


class Steps(Easel):
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
        self.assertEqual(self.easel.row(s, "skipped").minutes, 3.0, "what was worked before it was left out counts")
        self.assertEqual(self.easel.row(s, "note").minutes, 0.0)

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


class Accidents(Easel):
    """Everyday accidents at the easel: none of them costs a minute."""

    def setUp(self):
        super().setUp()
        self.easel = AtTheEasel(self.session, self.wall.seconds)
        self.easel.show(self.easel.step())
        self.easel.run()

    def work(self, minutes: float) -> None:
        """So long, with the tick of each second that a window gives (here every twenty)."""
        for _ in range(round(3 * minutes)):
            self.wall.s += 20
            self.assertFalse(self.easel.tick())

    def reopened(self) -> AtTheEasel:
        """The studio after the window went away without a word."""
        self.session.store.close()
        store = Store.open(self.root / "studio")
        self.addCleanup(store.close)
        session = Session(store, InlineRunner())
        session.clock = Clock(self.wall.now)
        session.open_commission("c")
        return AtTheEasel(session, self.wall.seconds)

    def minutes(self) -> list[float]:
        return [r.minutes for r in self.session.planner.log()]

    def test_undone_and_done_again(self):
        step = self.easel.step()
        self.work(12)
        self.easel.write(step, "step", "done")
        self.session.undo.undo()
        self.easel.show(self.easel.step())
        self.assertEqual(self.easel.minutes, 12.0, "they are the step's again")
        self.work(3)
        self.easel.write(step, "step", "done")
        self.assertEqual(self.minutes(), [15.0])
        self.easel.take_back_last()
        self.easel.show(self.easel.step())
        self.assertEqual(self.easel.minutes, 15.0)

    def test_done_taken_back_by_undo_and_done_by_redo_counts_once(self):
        self.work(12)
        self.easel.write(self.easel.step(), "step", "done")
        self.session.undo.undo()
        self.session.undo.redo()
        self.easel.show(self.easel.step())
        self.assertEqual(self.easel.minutes, 0.0, "the row holds them")
        self.assertEqual(self.minutes(), [12.0])

    def test_closed_in_the_middle_of_a_step(self):
        self.work(9)
        again = self.reopened()
        left = again.worked.left_open()
        self.assertEqual((left.step, left.seconds), (again.step().key, 540.0))
        title, words = again.left_words(left)
        self.assertIn("Worked until", title)
        self.assertIn(f"since {left.start[11:16]}", words)
        self.assertIn("Cheek", words)
        self.assertTrue(again.settle_left(left, ""))
        self.assertIsNone(again.worked.left_open())
        again.show(again.step())
        again.run()
        self.wall.s += 120
        again.write(again.step(), "step", "done")
        self.assertEqual([r.minutes for r in again.session.planner.log()], [11.0])
        again.session.shut()

    def test_the_artist_says_until_when(self):
        self.work(9)
        start = datetime.datetime.fromisoformat(self.easel.worked.running.start)
        self.wall.s += 3600
        for told, seconds, good in (
            ((start + datetime.timedelta(minutes=25)).strftime("%H:%M"), 25 * 60, True), ((start + datetime.timedelta(minutes=25)).strftime("%H.%M"), 25 * 60, True),
            ("99:99", 540, False), ("noon", 540, False), ((start + datetime.timedelta(hours=5)).strftime("%H:%M"), 540, False),
        ):  # fmt: skip
            with self.subTest(told=told):
                again = AtTheEasel(self.session, self.wall.seconds)
                left = again.worked.left_open()
                step = left.step
                self.assertEqual(again.settle_left(left, told), good)
                self.assertAlmostEqual(again.worked.free_s(step), seconds, delta=59)
                self.session.store.keep_setting("worked c", None)
                self.session.store.keep_setting("working c", {**vars(left)})

    def test_a_layer_added_in_the_middle_of_a_step(self):
        step = self.easel.step()
        self.work(20)
        layers = self.session.recipe_layers("a")
        self.session.do(SetLayers(self.session, self.area("a"), (Layer("ground", "205", 1, 1, "everywhere", "side"), *layers), "layers"))
        other = self.easel.step()
        self.assertNotEqual(other.key, step.key)
        self.easel.show(other)
        self.assertEqual(self.easel.minutes, 0.0)
        self.work(4)
        self.easel.write(other, "step", "done")
        self.easel.show(self.easel.step())
        self.assertEqual(self.easel.step().key, step.key)
        self.assertEqual(self.easel.minutes, 20.0, "they wait for their step")
        self.work(1)
        self.easel.write(step, "step", "done")
        self.assertEqual(self.minutes(), [4.0, 21.0])

    def test_skipped_after_some_minutes(self):
        self.work(4)
        self.easel.write(self.easel.step(), "step", "skipped")
        self.assertEqual(self.minutes(), [4.0])
        log = self.session.planner.log()
        self.assertEqual(account.taken(log), 4.0)
        self.assertEqual([d.taken for d in account.by_day({}, log)], [4.0])
        self.assertEqual(account.by_area(self.session.planner.planned().ordered.steps, log)[0].taken, 4.0)
        self.assertEqual(planning.pace_of(log).logged, 0, "it teaches no pace")

    def test_the_machine_sleeps(self):
        self.work(5)
        lunch = 65 * 60.0
        real = self.wall.now
        self.easel.now = lambda: real() + datetime.timedelta(seconds=lunch)  # the wall goes on, the seconds that only grow stand
        self.wall.s += 1
        self.assertTrue(self.easel.tick())
        self.assertTrue(self.easel.clock.paused)
        self.easel.run()
        self.work(2)
        self.easel.write(self.easel.step(), "step", "done")
        self.assertAlmostEqual(self.minutes()[0], 7.0, delta=0.05)

    def test_everything_stood_still(self):
        self.work(5)
        self.wall.s += 3900  # no tick for an hour: the machine was locked up, or asleep on a clock that counts it
        self.assertTrue(self.easel.tick())
        self.assertTrue(self.easel.clock.paused)
        self.assertAlmostEqual(self.easel.minutes, 5.0, delta=0.01)

    def test_left_and_come_back_to(self):
        self.work(6)
        self.easel.pause("left")
        again = AtTheEasel(self.session, self.wall.seconds)
        self.assertIsNone(again.worked.left_open())
        again.show(again.step())
        self.assertEqual(again.minutes, 6.0)

    def test_work_besides_wears_its_pencil_and_lies_in_the_stack(self):
        self.work(2)
        self.easel.write(self.easel.step(), "step", "done")
        self.easel.show(self.easel.step())
        before = {w.code: w for w in self.session.logbook.wear()}
        self.work(3)
        self.easel.extra("239 over the shade, to cool it")
        (row,) = (r for r in self.session.planner.log() if r.role == account.BESIDES)
        self.assertEqual((row.minutes, row.pencil), (3.0, "239"))
        wear = {w.code: w for w in self.session.logbook.wear()}
        self.assertNotIn("239", before)
        self.assertGreater(wear["239"].worn_mm, 0)
        self.assertEqual((wear["239"].times, wear["239"].coming_mm), (1, 0.0))
        lies = account.laid("a", self.session.recipe_layers("a"), self.session.planner.log(), self.session.kit)
        self.assertEqual([q.code for q in lies], ["203", "239"])
        self.easel.write(self.easel.step(), "step", "skipped")
        self.assertEqual(self.minutes(), [2.0, 3.0, 0.0], "its minutes are counted once")

    def test_what_is_kept_makes_sense_or_is_left_out(self):
        good = {"step": "a:x", "start": "2026-05-04T09:00:00", "end": "2026-05-04T09:05:00", "seconds": 300.0, "why": "paused", "row": ""}
        bad = ({**good, "seconds": -3}, {**good, "start": "then"}, {**good, "seconds": "many"}, {"step": "a"}, 7, {**good, "seconds": 1e9})
        self.session.store.keep_setting("worked c", [good, *bad])
        self.assertEqual(AtTheEasel(self.session).worked.free_s("a:x"), 300.0)
        self.session.store.keep_setting("worked c", "nonsense")
        self.assertEqual(AtTheEasel(self.session).worked.stretches(), ())

