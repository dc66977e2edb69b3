"""The second drawing hand: it lays places in their layers' colours, by strokes, and never looks at the photo's pixels."""

import unittest
from dataclasses import replace

import numpy as np

from hanabira.core.progress.reading import core_of
from hanabira.core.solver.layer import goes_over
from hanabira.devices.drawn_sheet import Planted
from hanabira.devices.simulated_paper import TRUTHS, SimulatedSheet
from hanabira.devices.stroke_hand import draw_by_strokes
from tests.portrait import KIT, RECIPES, sheet

GROUND = np.array([96.0, 0.0, 3.0])


class Strokes(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.sheet = sheet()
        cls.drawn = draw_by_strokes(cls.sheet, RECIPES, KIT, GROUND, seed=4)

    def test_each_place_is_on_the_whole_what_its_layers_give(self):
        paper = SimulatedSheet(KIT, TRUTHS[0], tuple(GROUND))
        tried = 0
        for a in self.sheet.areas:
            for n, place in enumerate(a.drawn.ids, 1):
                here = core_of(a) & (a.drawn.labels == n)
                stack = [q.as_pass for q in RECIPES[a.id] if (q.code or q.tool) and goes_over(q, place)]
                if here.sum() < 900 or not stack:
                    continue
                tried += 1
                mean = self.drawn.lab[here].mean(0)
                self.assertLess(np.linalg.norm(mean - np.array(paper.lay(stack, "white", None))), 9, (a.id, place))  # a hand's pressure and wandering edges
                self.assertGreater(self.drawn.lab[here][:, 0].std(), 0.8, "strokes, not a film")
        self.assertGreater(tried, 4)

    def test_the_photo_s_pixels_are_never_seen(self):
        flat = replace(self.sheet, lab=np.full_like(self.sheet.lab, 50.0))
        other = replace(self.sheet, lab=np.full_like(self.sheet.lab, 80.0))
        one, two = (draw_by_strokes(q, RECIPES, KIT, GROUND, seed=4).lab for q in (flat, other))
        np.testing.assert_array_equal(one, two)
        self.assertGreater(float(np.abs(one - GROUND).max()), 30, "something is drawn")

    def test_seeds_are_hands_and_what_is_not_laid_is_paper(self):
        again, other = (draw_by_strokes(self.sheet, RECIPES, KIT, GROUND, seed=s) for s in (4, 5))
        np.testing.assert_array_equal(again.lab, self.drawn.lab)
        self.assertGreater(float(np.abs(other.lab - self.drawn.lab).mean()), 0.1)
        nothing = draw_by_strokes(self.sheet, {}, KIT, GROUND, seed=4)
        self.assertEqual(float(np.ptp(nothing.lab.reshape(-1, 3), 0).max()), 0.0)

    def test_faults_are_planted_where_they_are_asked_for(self):
        a = self.sheet.areas[0]
        here = core_of(a)
        green = draw_by_strokes(self.sheet, RECIPES, KIT, GROUND, seed=4, faults=[Planted("green", a.number)])
        self.assertAlmostEqual(float((green.lab - self.drawn.lab)[here][:, 1].mean()), -8.0, delta=0.1)
        bare = draw_by_strokes(self.sheet, RECIPES, KIT, GROUND, seed=4, faults=[Planted("skipped", a.number)])
        self.assertLess(float(np.abs(bare.lab[here] - bare.paper_lab).max()), 1e-4)


if __name__ == "__main__":
    unittest.main()
