"""The first plan: recipes of patches that nobody accepted, hours and days that stand meanwhile, and what accepting takes over."""

import datetime
import unittest
from dataclasses import replace
from unittest import mock

from hanabira.core.faults import AreaFault, Fault
from hanabira.session import first as firsts
from hanabira.session import portrait as portraits
from hanabira.session.edits import EditBrief
from hanabira.studio.records import Area, Commission
from tests.session.whole_animal import AnimalCase

KNOWN: dict = {}
"""What was measured and solved once: the same patch needs it once in all these tests."""


def once(work):
    """A function of what an area is solved from, worked out once for each patch, surface, palette and other side."""

    def known(asked):
        a = asked.area
        key = work.__name__, a.ring, a.surface_id, asked.palette, asked.twin
        if key not in KNOWN:
            KNOWN[key] = work(asked)
        return KNOWN[key]

    known.__name__ = work.__name__
    return known


SOLVE = once(firsts.solve_one)


class Proposed(AnimalCase):
    def setUp(self):
        super().setUp()
        for where, name, stands in ((firsts, "solve_one", SOLVE), (portraits, "measure_one", once(portraits.measure_one))):
            patch = mock.patch.object(where, name, stands)
            patch.start()
            self.addCleanup(patch.stop)
        self.told = []
        self.session.first_changed.connect(lambda: self.told.append(len(self.first.recipes)))

    def shown(self):
        super().shown()
        self.whole.set_count(self.whole.few)

    @property
    def first(self):
        return self.session.first

    def test_hours_stand_before_any_recipe_and_nothing_is_stored(self):
        self.shown()
        plan = self.session.planner.first_plan()
        n = len(self.whole.patches)
        self.assertEqual((plan.whole.areas, plan.whole.proposed, len(plan.whole.work)), (n, n, 0))
        self.assertEqual(plan.whole.first_words, f"First plan, 0 of {n} areas accepted")
        low, high = plan.hours
        self.assertTrue(0 < low < high)
        self.assertGreaterEqual(plan.ready, self.session.clock.today())
        self.assertEqual(self.store.all(Area, commission_id="e"), ())

    def test_recipes_come_eyes_first_and_narrow_the_range(self):
        self.shown()
        before = self.session.planner.first_plan()
        order = []
        real = self.session.workers.run
        with mock.patch.object(self.session.workers, "run", lambda work, things, *a: order.extend(q.area.surface_id for q in things if work is SOLVE) or real(work, things, *a)):
            self.first.want()
        patches = self.whole.patches
        self.assertEqual(set(self.first.recipes), {a.id for a in patches})
        self.assertEqual(order[:2], ["eye", "eye"])
        self.assertNotIn("eye", order[2:])
        self.assertEqual(self.told, sorted(self.told), "they come one by one")
        after = self.session.planner.first_plan()
        self.assertEqual(len(after.whole.work), len(patches))
        self.assertEqual(after.whole.quote()["estimated_hours"], None)
        self.assertLess(after.hours[1] / after.hours[0], before.hours[1] / before.hours[0], "recipes narrow the range")
        self.assertEqual(self.session.recipes, {}, "nothing is stored")
        self.assertEqual(after.whole.first_words, f"First plan, 0 of {len(patches)} areas accepted", "solved is not accepted")

    def test_the_same_proposal_is_not_worked_out_twice(self):
        self.shown()
        self.first.want()
        kept = dict(self.first.recipes)
        with mock.patch.object(self.session.jobs, "run", side_effect=AssertionError("asked again")):
            self.first.want()
        self.assertEqual(self.first.recipes, kept)

    def test_another_surface_drops_what_was_worked_out(self):
        self.shown()
        self.first.want()
        with mock.patch.object(self.session.jobs, "run") as run:
            self.whole.set_surface("long-fur")
            self.first.want()
        self.assertEqual(run.call_args.args[0], firsts.JOB)
        self.assertEqual(self.first.recipes, {}, "they were for short fur")

    def test_accepting_takes_the_recipes_and_their_pencils_over_in_one_edit(self):
        self.shown()
        self.first.want()
        tried = {a.name: self.first.recipes[a.id].layers for a in self.whole.patches}
        palette = self.first.palette
        before = self.session.planner.first_plan().hours
        self.whole.accept_all()
        self.assertEqual({a.name: self.session.recipe_layers(a.id) for a in self.session.areas}, tried)
        self.assertGreater(len(palette), 3)
        self.assertEqual(self.session.commission.palette, palette)
        self.assertEqual(self.session.area_id, "", "the whole animal is shown, not one of its areas")
        now = self.session.planner.first_plan()
        self.assertFalse(now.whole.first)
        self.assertAlmostEqual(now.hours[1], before[1], places=3)
        self.session.undo.undo()
        self.assertEqual((self.session.areas, self.session.recipes), ((), {}))
        self.assertEqual(self.store.get(Commission, "e").palette, ())

    def test_what_is_accepted_first_is_counted_so(self):
        self.shown()
        self.first.want()
        patches = self.whole.patches
        self.whole.accept(patches[2].id)
        plan = self.session.planner.first_plan()
        self.assertEqual(plan.whole.first_words, f"First plan, 1 of {len(patches)} areas accepted")
        self.assertEqual(plan.whole.areas, len(patches))
        self.assertEqual(len(self.first.recipes), len(patches) - 1, "the others' recipes stay")
        with mock.patch.object(self.session.jobs, "run", side_effect=AssertionError("asked again")):
            self.first.want()

    def test_a_patch_that_fails_is_named_and_the_others_stand(self):
        self.shown()
        lost = self.whole.patches[-1]
        with mock.patch.object(firsts, "solve_one", lambda asked: AreaFault("There is nothing to be seen.") if asked.area.id == lost.id else SOLVE(asked)):
            self.first.want()
        self.assertEqual(self.first.failed, {lost.id: "There is nothing to be seen."})
        self.assertEqual(set(self.first.recipes), {a.id for a in self.whole.patches} - {lost.id})
        plan = self.session.planner.first_plan()
        self.assertEqual([a.name for a in plan.whole.unsolved], [lost.name], "it stays estimated")

    def test_when_all_fails_it_says_why_and_hours_stand(self):
        self.shown()
        with mock.patch.object(firsts, "over_all", side_effect=Fault("The disk is full.")):
            self.first.want()
        self.assertIn("The disk is full.", self.first.stopped)
        self.assertGreater(self.session.planner.first_plan().hours[0], 0)

    def test_leaving_the_proposal_leaves_the_plan(self):
        self.shown()
        self.first.want()
        self.whole.end()
        self.assertEqual((self.first.recipes, self.first.palette), ({}, ()))
        self.assertIsNone(self.session.planner.first_plan())

    def test_a_chosen_palette_is_kept_to(self):
        self.session.do(EditBrief(self.session, "palette", palette=("203", "231", "407", "431", "104")))
        kept = self.session.portrait.palette
        self.assertGreater(len(kept), 2)
        self.shown()
        self.first.want()
        used = {q.code for r in self.first.recipes.values() for q in r.layers if q.code}
        self.assertLessEqual(used, set(kept))

    def test_days_count_what_others_take_and_when_it_is_due(self):
        self.shown()
        c = self.session.commission
        day = self.session.clock.today() + datetime.timedelta(days=200)
        self.session.do(EditBrief(self.session, "due", due=day.isoformat(), terms=replace(c.terms, hours_a_day=1.0)))
        slow = self.session.planner.first_plan()
        self.assertEqual(slow.slack_days, (day - slow.ready).days)
        self.session.do(EditBrief(self.session, "due", terms=replace(c.terms, hours_a_day=8.0)))
        self.assertLess(self.session.planner.first_plan().ready, slow.ready)


if __name__ == "__main__":
    unittest.main()
