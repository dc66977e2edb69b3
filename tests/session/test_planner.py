"""The plan behind the desk: other commissions first, a lost day, what is done, drags and terms; petals and price by hand."""

import datetime
import unittest
from dataclasses import replace

import numpy as np

from hanabira.core.area.covering import Covering, covering
from hanabira.core.area.outline import Outline
from hanabira.core.clock import MACHINE
from hanabira.core.solver.layer import Layer
from hanabira.session.edits import DeleteArea, Edit, EditBrief, SetLayers, SetPrep
from hanabira.session.planner import EXTRA
from hanabira.session.price import price_words
from hanabira.session.quote_sheet import not_counted, quote_of
from hanabira.studio.records import Area, Commission, LogRow, Recipe
from tests.session.test_session import Case

TWO = (Layer("general", "209", 2, 1, "everywhere", id="l1"), Layer("gap", "401", 4, 2, "gaps", id="l2"))


def soon(days: int) -> str:
    return (MACHINE.today() + datetime.timedelta(days)).isoformat()


class PlanCase(Case):
    def setUp(self):
        super().setUp()
        self.planner = self.session.planner

    def lay(self, key: str, *layers: Layer) -> None:
        self.session.do(SetLayers(self.session, self.area(key), layers or TWO, "layers"))

    def steps(self) -> list[str]:
        return [q.key for q in self.planner.planned().ordered.steps]

    def log(self, *rows: LogRow) -> None:
        self.session.do(Edit(self.session, "log", [], list(rows)))


class Planning(PlanCase):
    def test_there_is_no_plan_before_there_are_layers(self):
        self.assertIsNone(self.planner.planned())
        self.assertIsNone(self.planner.if_lost(MACHINE.today()))
        self.assertIsNone(self.session.logbook.first_plan())
        self.assertEqual(self.session.logbook.wear(), ())

    def test_every_layer_is_one_step_and_the_plan_is_made_once_for_each_state(self):
        self.lay("a")
        self.lay("b")
        keys = self.steps()
        for key in ("a", "b"):
            mine = [f"{key}:{q.id}" for q in self.session.recipe_layers(key)]
            self.assertEqual([k for k in keys if k in mine], mine, "from the paper upward")
        plan = self.planner.planned()
        self.assertIs(self.planner.planned(), plan)
        self.session.do(EditBrief(self.session, "name", name="Moss the elder"))
        self.assertIsNot(self.planner.planned(), plan)

    def test_a_lost_day_moves_the_end_and_never_earlier(self):
        self.lay("a")
        self.lay("b")
        plan = self.planner.planned()
        first = plan.calendar.placed[0].start.date()
        lost = self.planner.if_lost(first)
        self.assertFalse([q for q in lost.placed if q.start.date() == first])
        self.assertGreater(lost.placed[-1].end, plan.calendar.placed[-1].end)
        self.assertEqual([q.step.key for q in lost.placed], [q.step.key for q in plan.calendar.placed])
        far = self.planner.if_lost(first + datetime.timedelta(400))
        self.assertEqual(far.placed[-1].end, plan.calendar.placed[-1].end)

    def test_what_is_due_before_takes_its_days_first(self):
        self.lay("a")
        alone = self.planner.planned()
        self.assertEqual((alone.busy, self.planner.others()), ((), ()))
        photo = next(p for p in self.session.photos if p.id == "p0")
        theirs = [
            replace(photo, id="q0", commission_id="d"),
            Area("z", "d", "q0", 1, "Mane", "short-fur", ((20, 20), (330, 20), (330, 280), (20, 280)), False),
            Recipe("z", tuple(Layer("general", "209", 3, 4, "everywhere", "flick", 4.0, id=f"m{k}") for k in range(5))),
        ]
        fern = self.store.get(Commission, "d")
        self.store.edit([*theirs, replace(fern, due=soon(20))])
        self.session.do(EditBrief(self.session, "due", due=soon(60)))
        plan = self.planner.planned()
        self.assertTrue(plan.busy)
        self.assertEqual({name for _day, _minutes, name in plan.busy}, {"Fern"})
        self.assertGreaterEqual(plan.calendar.placed[0].start.date(), plan.busy[0][0])
        self.assertGreater(plan.calendar.placed[-1].end, alone.calendar.placed[-1].end)
        for day in {d for d, _m, _n in plan.busy}:
            theirs_min = sum(m for d, m, _n in plan.busy if d == day)
            mine = sum((q.end - q.start).total_seconds() / 60 for q in plan.calendar.placed if q.start.date() == day)
            self.assertLessEqual(theirs_min + mine, 60 * self.session.commission.terms.hours_a_day + 31, "no day holds both whole")
        (said,) = self.planner.others()
        self.assertTrue(said.startswith("Fern comes first, due "), said)
        self.session.do(EditBrief(self.session, "due", due=soon(10)))  # now this one comes first
        self.assertEqual((self.planner.planned().busy, self.planner.others()), ((), ()))
        for gone in ({"delivered": soon(0)}, {"archived": True}):
            self.session.do(EditBrief(self.session, "due", due=soon(60)))
            self.store.edit([replace(fern, due=soon(20), **gone)])
            self.session.do(EditBrief(self.session, "due", due=soon(61)))
            self.assertEqual(self.planner.planned().busy, (), gone)

    def test_what_the_log_says_is_done_is_no_longer_laid_out(self):
        self.lay("a")
        keys = self.steps()
        row = LogRow("r1", "c", keys[0], "a", "Cheek", "short-fur", "general", "209", 2, 12.0, 10.0, "2026-01-05T10:00:00")
        self.log(row, replace(row, id="r2", step=f"{EXTRA}1", at="2026-01-05T11:00:00"), replace(row, id="r3", step=keys[1], state="skipped", at="2026-01-05T12:00:00"))  # fmt: skip
        self.assertEqual(self.planner.done_keys(), {keys[0], keys[1]})
        left = [q.step.key for q in self.planner.planned().calendar.placed if q.start.date() >= MACHINE.today()]
        self.assertFalse({keys[0], keys[1]} & set(left))
        self.session.undo.undo()
        self.assertEqual(self.planner.done_keys(), set())

    def test_a_drag_is_kept_and_what_it_breaks_is_said(self):
        self.lay("a", *TWO, Layer("lights", "104", 5, 1, "lights", id="l3"))
        self.lay("b")
        keys = self.steps()
        layers = [k for k in keys if k in {f"{a}:{q.id}" for a in "ab" for q in self.session.recipe_layers(a)}]
        last, first = layers[-1], layers[0]
        self.planner.move(last, "")
        self.assertEqual(self.session.commission.terms.moved, ((last, ""),))
        self.assertEqual([k for k in self.steps() if k in layers][0], last)
        self.planner.move(last, last)
        self.assertEqual(self.session.commission.terms.moved, ((last, ""),), "behind itself is no move")
        self.planner.forget_moves()
        self.assertEqual(self.steps(), keys)
        self.session.undo.undo()
        self.assertEqual([k for k in self.steps() if k in layers][0], last)
        self.assertNotEqual(first, last)

    def test_the_same_terms_again_are_no_edit(self):
        at = self.session.undo.at
        self.planner.set_terms("hand", hand=self.session.commission.terms.hand)
        self.assertEqual(self.session.undo.at, at)
        self.planner.set_terms("hand", hand="left")
        self.assertEqual((self.session.undo.at, self.session.commission.terms.hand), (at + 1, "left"))


class Covered(PlanCase):
    def test_half_an_animal_is_half_whatever_the_size_of_its_mask(self):
        animal = np.zeros((100, 200), bool)
        animal[20:80, 40:160] = True
        left = Outline(((80, 40), (200, 40), (200, 160), (80, 160)), False, ())
        for mask in (animal, np.kron(animal, np.ones((3, 3), bool))):
            found = covering([(left, True)], mask, (400, 200))
            self.assertAlmostEqual(found.covered, 0.5, delta=0.02)
            self.assertAlmostEqual(found.drawn, 0.5, delta=0.02)
        self.assertEqual(covering([(left, False)], animal, (400, 200)).covered, 0.0)
        self.assertTrue(covering([(left, True)], animal, (400, 200)).gaps)

    def test_it_counts_areas_and_says_what_it_cannot_know(self):
        self.lay("a")
        found = self.planner.covering()
        self.assertEqual((found.areas, found.solved, found.covered, found.whole), (2, 1, None, False))
        self.assertIn("1 of 2 areas", found.words)
        self.session.do(DeleteArea(self.session, self.area("b")))
        self.assertEqual((self.planner.covering().areas, self.planner.covering().solved), (1, 1))


class Petals(PlanCase):
    def test_each_petal_fills_by_what_is_there(self):
        s = self.session
        self.assertEqual(s.share_done("Brief"), 0.5)  # name and photos
        s.do(EditBrief(s, "who", client="Ada Quill", due=soon(30)))
        self.assertEqual(s.share_done("Brief"), 1.0)
        self.assertAlmostEqual(s.share_done("Study"), 1 / 3)
        s.do(SetPrep(s, s.photo, "focus", focal=(100.0, 100.0)))
        self.assertAlmostEqual(s.share_done("Study"), 2 / 3)
        self.assertEqual([s.share_done(k) for k in ("Recipe", "Plan", "Easel", "Check")], [0.0] * 4)
        self.lay("a")
        self.assertEqual((s.share_done("Recipe"), s.share_done("Plan")), (0.5, 0.5))
        s.do(EditBrief(s, "due", due=None))
        self.assertEqual(s.share_done("Plan"), 0.25, "half of it while nobody knows when it is due")
        self.assertEqual(s.share_done("Easel"), 0.0)
        key = self.steps()[0]
        self.log(LogRow("r1", "c", key, "a", "Cheek", "short-fur", "general", "209", 2, 12.0, 10.0, "2026-01-05T10:00:00"))
        self.assertTrue(0 < s.share_done("Easel") < 0.5)


class Price(PlanCase):
    def setUp(self):
        super().setUp()
        self.lay("a")
        self.lay("b")
        self.planner.set_terms("money", rate=40.0, materials=15.0, deposit_percent=25.0, instalments=3)

    def test_the_price_is_hours_times_rate_with_materials(self):
        plan = self.planner.planned()
        sheet = quote_of(self.session, plan)
        low, high = (float(v) for v in sheet.hours.removesuffix(" h").split("–"))
        said, how = price_words(self.session, plan)
        figures = [float("".join(q for q in part if q.isdigit())) for part in said.split("–")]
        for hours, figure in zip((low, high), figures, strict=True):
            self.assertAlmostEqual(figure, 40 * hours + 15, delta=40 * 0.05 + 1)
        self.assertIn("in 3 instalments of", how)
        deposit = [float("".join(q for q in part if q.isdigit())) for part in how.split(" as deposit")[0].split("–")]
        for figure, whole in zip(deposit, figures, strict=True):
            self.assertAlmostEqual(figure, 0.25 * whole, delta=1)
        self.planner.set_terms("money", instalments=1)
        self.assertIn("in one sum at the end", price_words(self.session, self.planner.planned())[1])

    def test_the_quote_has_a_bar_for_each_area_and_its_sums_agree(self):
        plan = self.planner.planned()
        sheet = quote_of(self.session, plan)
        self.assertEqual([q.name for q in sheet.parts][:2], ["Cheek", "Brow"])
        total = sum(s.low for s in plan.ordered.steps) / 60, sum(s.high for s in plan.ordered.steps) / 60
        self.assertAlmostEqual(sum(q.low for q in sheet.parts), total[0], places=6)
        self.assertAlmostEqual(sum(q.high for q in sheet.parts), total[1], places=6)
        self.assertEqual([k for k, _v in sheet.sums][1:], ["Materials", "Together"])
        self.assertEqual([k for k, _v in sheet.payment], ["Deposit, 25 %", "Instalment 1 of 3", "Instalment 2 of 3", "Instalment 3 of 3"])
        self.assertIn("has not been measured", sheet.left_out[0], "nobody knows how much of the animal that is")
        self.session.do(SetLayers(self.session, self.area("b"), (), "layers"))
        sheet = quote_of(self.session, self.planner.planned())
        self.assertIn("1 of 2 areas is only estimated so far", sheet.left_out[1])
        self.assertEqual([q.name for q in sheet.parts][:2], ["Cheek", "Brow (estimated)"], "it is counted, and said to be")

    def test_a_price_for_part_of_an_animal_says_how_much_that_is(self):
        self.assertEqual(not_counted(Covering(3, 3, 1.0, 1.0)), [])
        said, estimated = not_counted(Covering(12, 3, 0.35, 0.5))
        self.assertEqual(said, "Not everything is in this price: 50% of the animal lies under the areas above.")
        self.assertTrue(estimated.startswith("9 of 12 areas are only estimated"), estimated)
        self.assertEqual(len(not_counted(Covering(12, 3, 0.35, 0.99))), 1, "all of the animal is counted")

    def test_without_a_rate_no_price_is_made_up(self):
        self.planner.set_terms("money", rate=0.0)
        sheet = quote_of(self.session, self.planner.planned())
        self.assertEqual(sheet.sums, [("No rate an hour is agreed yet", "open")])
        self.assertEqual(sheet.payment, [])


if __name__ == "__main__":
    unittest.main()
