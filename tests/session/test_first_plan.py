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
