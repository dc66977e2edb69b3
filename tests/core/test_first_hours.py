"""Hours before there is a recipe: by surface, size, finish and pace, with a range wider than that of solved work."""

import unittest
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from hanabira.core.schedule.first_hours import FIRST, FirstFigures, first_minutes, first_step
from hanabira.core.schedule.work import HIGH, LOW, AreaWork, Pace
from hanabira.craft.first_hours import first_figures
from hanabira.craft.supplies import surfaces

FIGURES = FirstFigures(12.0, {"short-fur": 3.0, "long-fur": 2.0}, 2.5, 1.4)
CHEEK = AreaWork("a", 1, "Cheek", "short-fur", 2000.0, (0.0, 0.0))


class Minutes(unittest.TestCase):
    def test_what_an_area_costs_at_least_and_a_square_centimetre_more(self):
        low, middle, high = first_minutes(CHEEK, FIGURES)
        self.assertAlmostEqual(middle, 12 + 3.0 * 20)  # 2000 mm² are 20 cm²
        self.assertAlmostEqual(low, middle * LOW / 1.4)
        self.assertAlmostEqual(high, middle * HIGH * 1.4)

    def test_surface_finish_and_pace_count(self):
        self.assertAlmostEqual(first_minutes(replace(CHEEK, surface_id="long-fur"), FIGURES)[1], 12 + 2.0 * 20)
        self.assertAlmostEqual(first_minutes(replace(CHEEK, finish=5), FIGURES)[1], 12 + 1.55 * 60, msg="finish 5 takes half as long again")
        self.assertAlmostEqual(first_minutes(CHEEK, FIGURES, Pace(1.2, {"short-fur": 1.5}, 4))[1], 1.8 * 72)
        self.assertAlmostEqual(first_minutes(CHEEK, FIGURES, Pace(1.2, {"eye": 1.5}, 4))[1], 1.2 * 72)

    def test_a_surface_that_was_not_tried_goes_by_its_texture(self):
        tongue = first_minutes(replace(CHEEK, surface_id="tongue"), FIGURES)[1]
        self.assertAlmostEqual(tongue, 12 + 2.5 * 1.2 * 20, msg="a tongue goes a fifth slower than its strokes alone")

    def test_its_step_lays_no_layer_and_tells_the_guess_before_the_pace(self):
        step = first_step(CHEEK, FIGURES, Pace(2.0, {}, 3))
        self.assertTrue(step.key.endswith(FIRST))
        self.assertFalse(step.lays)
        self.assertAlmostEqual(step.guess, 72.0)
        self.assertAlmostEqual(step.low, 144 * LOW / 1.4)
        self.assertAlmostEqual(step.high, 144 * HIGH * 1.4)

    @given(st.floats(0, 1e5), st.floats(0, 1e5), st.sampled_from(sorted(surfaces())), st.integers(1, 5))
    def test_more_paper_never_takes_less_time(self, a, b, surface, finish):
        small, large = (first_minutes(replace(CHEEK, mm2=q, surface_id=surface, finish=finish), first_figures()) for q in sorted((a, b)))
        self.assertTrue(all(x <= y + 1e-9 for x, y in zip(small, large, strict=True)))
        self.assertTrue(0 < small[0] < small[1] < small[2])


class Shipped(unittest.TestCase):
    def test_every_surface_of_the_figures_is_one_that_an_area_can_have(self):
        told = first_figures()
        self.assertLessEqual(set(told.min_a_cm2), set(surfaces()))
        self.assertIn("short-fur", told.min_a_cm2)
        self.assertIn("contour-feathers", told.min_a_cm2)
        self.assertGreater(told.spread, 1.0, "an estimate is less certain than a recipe")
        self.assertGreater(told.min_a_cm2["eye"], told.min_a_cm2["short-fur"], "an eye is the finest work of all")


if __name__ == "__main__":
    unittest.main()
