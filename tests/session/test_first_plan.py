"""What was promised before the first step stays, whatever is planned later."""

from dataclasses import replace

from hanabira.session.easel import AtTheEasel
from hanabira.session.edits import SetLayers
from tests.session.test_session import Case


class FirstPlan(Case):
    def test_it_is_kept_with_the_first_step_and_not_moved_by_later_plans(self):
        s = self.session
        s.solve("a")
        promised = s.logbook.first_plan().areas["a"]
        easel = AtTheEasel(s)
        easel.write(easel.step(), "done", "done")
        kept = s.logbook.first_plan()
        self.assertAlmostEqual(kept.areas["a"][1], promised[1], places=1)
        layers = s.recipe_layers("a")
        s.do(SetLayers(s, self.area(), (*layers, *(replace(q, id="", passes=4) for q in layers if q.code)), "more", s.recipes["a"].places))
        self.assertGreater(s.planner.planned().ordered.steps.__len__(), len(layers))
        self.assertEqual(s.logbook.first_plan(), kept)
        easel.write(easel.step(), "done", "done")
        self.assertEqual(s.logbook.first_plan(), kept)
        s.solve("b")  # an area that comes later was not promised
        self.assertNotIn("b", s.logbook.first_plan().areas)

    def test_work_outside_the_recipe_counts_as_hours_and_teaches_nothing(self):
        s = self.session
        s.solve("a")
        seconds = [0.0]
        easel = AtTheEasel(s, seconds=lambda: seconds[0])
        easel.clock.run()
        seconds[0] = 600.0
        pace, step = s.planner.planned().pace, easel.step()
        self.assertTrue(easel.extra("401 a second pass in the nostril"))
        (row,) = s.logbook.rows()
        self.assertEqual((row.pencil, row.minutes, row.guess_min, row.state), ("401", 10.0, 0.0, "done"))
        self.assertEqual(row.note, "401 a second pass in the nostril")
        self.assertEqual(s.planner.done_keys(), set())
        self.assertEqual(easel.step().key, step.key)
        self.assertEqual(s.planner.planned().pace, pace)
        self.assertTrue(easel.extra("kneaded eraser round the eye"))
        self.assertEqual(s.logbook.rows()[-1].pencil, "")
        s.undo.undo()
        self.assertEqual(len(s.logbook.rows()), 1)

    def test_minutes_in_doubt_can_be_set_right_in_one_edit(self):
        s = self.session
        s.solve("a")
        easel = AtTheEasel(s)
        for _ in range(4):
            easel.write(easel.step(), "done", "done")
        (doubt,) = s.logbook.doubts()
        self.assertEqual((doubt.kind, len(doubt.rows)), ("burst", 4))
        before = s.planner.planned().pace
        self.assertTrue(s.logbook.set_minutes(doubt, 2 * doubt.guess))
        self.assertEqual(s.logbook.doubts(), ())
        self.assertAlmostEqual(sum(r.minutes for r in s.logbook.rows()), 2 * doubt.guess, delta=0.1)
        self.assertNotEqual(s.planner.planned().pace, before)
        s.undo.undo()
        self.assertEqual(len(s.logbook.doubts()), 1)
