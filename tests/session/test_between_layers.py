"""Seams into the plan and out of it, graphite at the easel, and drags that mind steps which lay nothing."""

import unittest

from hanabira.core.area.seams import Seam
from hanabira.core.schedule.handling import GRAPHITE, is_handling
from hanabira.core.solver.layer import Layer
from hanabira.session.easel import AtTheEasel
from hanabira.session.edits import SetLayers
from hanabira.studio.bundle import import_bundle, write_bundle
from hanabira.studio.records import Commission, LogRow
from tests.session.test_session import Case


class BetweenLayers(Case):
    def setUp(self):
        super().setUp()
        s = self.session
        light = max(s.kit, key=lambda p: p.lab[0]).code
        s.do(SetLayers(s, self.area("a"), (Layer("general", light, 2, 1, "everywhere"), Layer("deepen", "401", 2, 1, "gaps")), "layers"))
        s.do(SetLayers(s, self.area("b"), (Layer("general", "401", 3, 1, "everywhere"), Layer("deepen", "401", 4, 1, "gaps")), "layers"))
        s.do(SetLayers(s, self.area("a"), (Layer("general", light, 2, 1, "everywhere"), Layer("deepen", light, 2, 1, "gaps")), "layers"))

    def keys(self) -> list[str]:
        return [q.key for q in self.session.planner.planned().ordered.steps]

    def test_a_seam_is_planned_as_it_was_measured_and_left_out_again(self):
        s, seam = self.session, Seam(120.0, (180.0, 100.0), 9.0, 6.0, "soft", 2)
        s.planner.plan_seam(self.area("a"), self.area("b"), seam)
        mm = s.commission.terms.seams[0][4]
        self.assertEqual(s.commission.terms.seams[0][:4], ("a", "b", "soft", "b"))
        self.assertAlmostEqual(mm, 120.0 / s.view.scale * s.mm_per_px, delta=0.06)
        self.assertIn("a:seam:b", self.keys())
        step = next(q for q in s.planner.planned().ordered.steps if q.key == "a:seam:b")
        self.assertEqual(step.area.id, "b")
        s.planner.plan_seam(self.area("b"), self.area("a"), seam)  # measured from the other side: still one
        self.assertEqual(len(s.commission.terms.seams), 1)
        s.planner.leave_seam("a", "b")
        self.assertFalse([k for k in self.keys() if ":seam:" in k])
        s.undo.undo()
        self.assertTrue([k for k in self.keys() if ":seam:" in k])

    def test_seams_travel_in_a_bundle_under_the_new_ids_and_stay_done(self):
        s = self.session
        s.planner.plan_seam(self.area("a"), self.area("b"), Seam(120.0, (180.0, 100.0), 9.0, 6.0, "lost", 1))
        done = next(q for q in s.planner.planned().ordered.steps if q.key == "a:seam:b")
        self.assertTrue(AtTheEasel(s).write(done, "step", "done"))
        write_bundle(self.store, "c", self.root / "moss.hanabira")
        fresh = import_bundle(self.store, self.root / "moss.hanabira").commission
        self.assertNotEqual(fresh.id, "c")
        ((a, b, edge, over, _mm),) = self.store.get(Commission, fresh.id).terms.seams
        self.assertEqual((edge, over), ("lost", a))
        self.assertEqual([r.step for r in self.store.all(LogRow, commission_id=fresh.id)], [f"{a}:seam:{b}"])

    def test_graphite_is_a_step_at_the_easel_with_its_own_minutes(self):
        easel = AtTheEasel(self.session)
        seen = []
        while (step := easel.step()) is not None:
            easel.show(step)
            self.assertTrue(easel.write(step, "step", "done"))
            seen.append(step)
        roles = [q.layer.role for q in seen if q.area is not None and q.area.id == "a"]
        self.assertEqual(roles, [GRAPHITE, "general", "deepen"])
        row = next(r for r in self.session.planner.log() if r.role == GRAPHITE)
        self.assertAlmostEqual(row.guess_min, next(q for q in seen if q.layer.role == GRAPHITE).guess, delta=0.01)

    def test_a_layer_dragged_behind_graphite_goes_behind_the_layer_before_it_and_graphite_itself_stays(self):
        keys = self.keys()
        at = next(k for k, key in enumerate(keys) if is_handling(key))
        self.said.clear()
        self.session.planner.move(keys[at], "")
        self.assertTrue(self.said)
        self.assertEqual(self.session.commission.terms.moved, ())
        last = [k for k in keys if not is_handling(k)][-2]
        self.session.planner.move(last, keys[at])
        before = [k for k in keys[:at] if not is_handling(k)]
        self.assertEqual(self.session.commission.terms.moved, ((last, before[-1] if before else ""),))


if __name__ == "__main__":
    unittest.main()
