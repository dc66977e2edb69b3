"""Hand drills read back from photos of filled sheets: a simulated hand's known strengths and weaknesses are told as they are."""

import unittest
from dataclasses import replace
from functools import cache

import numpy as np

from hanabira.core.faults import PhotoFault
from hanabira.core.practice.hand import MEASURES, HandResult, pressures_of, read_hand, sheets, strokes_in
from hanabira.craft.supplies import shipped_kit
from hanabira.devices.hand_filled import SimulatedHand, photo_of
from hanabira.devices.scanner import Scanning
from hanabira.devices.simulated_paper import TRUTHS, SimulatedSheet

PAPER = SimulatedSheet(shipped_kit(), TRUTHS[0])
GOOD = SimulatedHand()


SHOT = Scanning(px_per_mm=5.0)
"""A photo of a sheet as a phone takes it from half a metre."""


@cache
def read(drill: str, hand: SimulatedHand = GOOD) -> HandResult:
    return read_hand(photo_of(sheets()[drill], hand, PAPER, SHOT), drill)[0]


class Sheets(unittest.TestCase):
    def test_fields_lie_on_the_page_apart_from_marks_and_wedges(self):
        codes = set()
        for s in sheets().values():
            w, h = s.page.size
            codes.add(s.page.number)
            for c in s.page.cells:
                x, y, cw, ch = c.rect
                self.assertTrue(x >= 15 and x + cw <= w - 15 and y >= 40 and y + ch <= h - 40, s.drill)
        self.assertEqual(len(codes), 9)
        self.assertEqual(set(MEASURES), set(sheets()))

    def test_another_sheet_and_an_empty_one_are_refused_with_what_to_do(self):
        photo = photo_of(sheets()["gradient"], GOOD, PAPER)
        with self.assertRaises(PhotoFault) as told:
            read_hand(photo, "flicks")
        self.assertIn("Gradient without steps", str(told.exception))
        white = replace(GOOD, ladder=(96.0,) * 5)
        with self.assertRaises(PhotoFault) as told:
            read("pressure-ladder", white)
        self.assertIn("Nothing is drawn", str(told.exception))
        with self.assertRaises(PhotoFault):
            read_hand(np.full((900, 700, 3), 128, np.uint8), "lift")


class Figures(unittest.TestCase):
    def test_the_ladder_is_read_and_its_odd_step_named(self):
        good = read("pressure-ladder")
        for k, v in enumerate(GOOD.ladder, 1):
            self.assertAlmostEqual(good.figures[f"pressure {k}"], v, delta=2.5)
        self.assertIn("The steps are even.", good.sentences)
        self.assertGreater(good.score, 0.75)
        bent = read("pressure-ladder", replace(GOOD, ladder=(84.0, 73.0, 48.0, 45.0, 40.0)))
        self.assertIn("Pressure 3 lies", bent.sentences[1])
        self.assertIn("too dark", bent.sentences[1])
        self.assertLess(bent.score, good.score)
        self.assertEqual(read("pressure-ladder", replace(GOOD, ladder=(60.0, 59.0, 58.0, 57.0, 56.0))).score, 0.0)
        self.assertAlmostEqual(pressures_of([good, bent])[2], 48, delta=2.5)
        self.assertIsNone(pressures_of([]))

    def test_a_step_in_a_gradient_is_found_where_it_is(self):
        good, stepped = read("gradient"), read("gradient", replace(GOOD, jump=22.0))
        self.assertIn("No step stands out.", good.sentences)
        self.assertAlmostEqual(stepped.figures["steepest_mm"], 83, delta=5)
        self.assertGreater(stepped.figures["steepest"], 2.2)
        self.assertLess(stepped.score, good.score)
        (((x, _y), _end),) = stepped.marks
        self.assertAlmostEqual(x, 20 + 85, delta=7, msg="the mark stands where the step is, half way along the strip")

    def test_flicks_by_direction_spread_variation_and_taper(self):
        good = read("flicks")
        self.assertGreater(good.figures["strokes"], 40)
        self.assertAlmostEqual(good.figures["off_deg"], 0, delta=4)
        self.assertAlmostEqual(good.figures["spread_deg"], GOOD.spread_deg, delta=3.5)
        self.assertAlmostEqual(good.figures["run_mm"], 9, delta=1.8)
        self.assertAlmostEqual(good.figures["variation"], GOOD.variation, delta=0.1)
        self.assertIn("They taper.", good.sentences)
        turned = read("flicks", replace(GOOD, off_deg=20.0))
        self.assertAlmostEqual(turned.figures["off_deg"], 20, delta=4)
        blunt = read("flicks", replace(GOOD, taper=1.0))
        self.assertGreater(blunt.figures["taper"], good.figures["taper"] + 0.15)
        self.assertTrue(any("as wide as their roots" in w for w in blunt.sentences))
        comb = read("flicks", replace(GOOD, spread_deg=1.0, variation=0.03))
        self.assertTrue(any("comb" in w for w in comb.sentences))

    def test_gaps_alone(self):
        good, sloppy = read("gaps-only"), read("gaps-only", replace(GOOD, over=0.3))
        self.assertGreater(good.figures["full"], 0.85)
        self.assertLess(good.figures["over"], 0.08)
        self.assertAlmostEqual(sloppy.figures["over"], 0.3, delta=0.1)
        self.assertGreater(good.score, sloppy.score + 0.3)

    def test_circles_lines_and_clouds(self):
        good = read("nose-circles")
        self.assertIn("No direction shows.", good.sentences)
        lined = read("nose-circles", replace(GOOD, lined=1.0))
        self.assertGreater(lined.figures["order"], good.figures["order"] + 0.3)
        cloudy = read("nose-circles", replace(GOOD, clouds=6.0))
        self.assertAlmostEqual(cloudy.figures["clouds"], 6.0, delta=1.5)
        self.assertTrue(any("clouds" in w for w in cloudy.sentences))

    def test_blending_takes_the_grain(self):
        for left in (0.2, 0.8):
            self.assertAlmostEqual(read("blend-square", replace(GOOD, grain_left=left)).figures["grain_left"], left, delta=0.15)

    def test_a_kept_light_and_a_lifted_one(self):
        self.assertLess(read("reserve").figures["lost"], 3)
        self.assertAlmostEqual(read("reserve", replace(GOOD, lost=15.0)).figures["lost"], 15, delta=3)
        for back in (0.25, 0.7):
            self.assertAlmostEqual(read("lift", replace(GOOD, back=back)).figures["back"], back, delta=0.06)

    def test_the_same_chip_six_times(self):
        steady, shaky = read("same-chip", replace(GOOD, chips_sd=0.4)), read("same-chip", replace(GOOD, chips_sd=5.0))
        self.assertLess(steady.figures["sd"], 1.6)
        self.assertGreater(shaky.figures["sd"], 2.5)
        self.assertGreater(steady.score, shaky.score)


class Strokes(unittest.TestCase):
    def test_blots_and_crossings_are_no_strokes(self):
        field = np.full((300, 300, 3), 95.0)
        field[..., 1:] = 0
        field[100:140, 100:140, 0] = 30
        field[200:202, 40:260, 0] = 30
        field[120:280, 150:152, 0] = 30
        self.assertEqual(strokes_in(field, 95.8, 90.0), [])


if __name__ == "__main__":
    unittest.main()
