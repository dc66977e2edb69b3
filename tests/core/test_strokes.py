"""Open strokes: what they close, against strokes drawn at 20 pixels a millimetre, and the colour that they give there."""

import math
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from hanabira.core.colour.difference import delta_e00
from hanabira.core.faults import RecipeFault
from hanabira.core.optics.bands import reflectance_to_lab
from hanabira.core.optics.batch import stack_under_hands, under_hands
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import apply, bare, predict
from hanabira.core.optics.strokes import covered
from hanabira.core.solver.area import follow
from hanabira.core.solver.layer import Layer
from hanabira.craft.hand import gestures, hand_scale
from hanabira.craft.supplies import paper, shipped_kit

PX_A_MM = 20
KIT, PAPER = shipped_kit(), paper("hotpress")
DARK, MIDDLE = (KIT.pencils[int(np.argmin(np.abs(KIT.masstone_lab[:, 0] - v)))].code for v in (25, 55))


def drawn(width_mm, apart, taper, uneven, seed, side_mm=56, length_mm=8.0):
    """A sheet (bool) of strokes in rows: each row begins somewhere, gaps scatter, each stroke narrows toward its end around its own middle."""
    rng = np.random.default_rng(seed)
    n = side_mm * PX_A_MM
    out = np.zeros((n, n), bool)
    long = round(length_mm * PX_A_MM)
    along = (np.arange(long) + 0.5) / long
    widths = width_mm * PX_A_MM * (np.minimum(1.0, (1 - along) / taper) if taper else np.ones(long))
    shape = 1 / uneven**2
    for top in range(0, n, long):
        at = -2.0 * width_mm * PX_A_MM - rng.uniform(0, 40)
        while at < n + 40:
            for k, w in enumerate(widths[: n - top]):
                a, b = max(0, math.ceil(at - w / 2)), min(n, math.ceil(at + w / 2))
                if b > a:
                    out[top + k, a:b] = True
            at += rng.gamma(shape, apart * width_mm * PX_A_MM / shape)
    return out


class Covered(unittest.TestCase):
    def test_thrown_ruled_and_tapered_strokes_have_their_known_shares(self):
        self.assertAlmostEqual(covered(2.0, uneven=1.0), 1 - math.exp(-0.5), places=6)
        self.assertAlmostEqual(covered(0.5, uneven=1.0), 1 - math.exp(-2), places=6)
        self.assertAlmostEqual(covered(4.0), 0.25, places=9)
        self.assertEqual(covered(0.9), 1.0)
        self.assertAlmostEqual(covered(2.0, taper=1.0), 0.25, places=3)
        self.assertAlmostEqual(covered(2.0, taper=0.5), 0.375, places=3)

    def test_strokes_drawn_on_a_sheet_close_what_is_foretold(self):
        for apart, taper, uneven in ((0.8, 0.5, 0.5), (1.2, 0.5, 0.5), (1.2, 0.0, 0.3), (2.0, 0.6, 0.5)):
            with self.subTest(apart=apart, taper=taper, uneven=uneven):
                share = float(np.mean([drawn(0.7, apart, taper, uneven, seed).mean() for seed in (1, 2)]))
                self.assertAlmostEqual(share, covered(apart, taper, uneven), delta=0.02)

    @given(st.floats(0.2, 6), st.floats(0.05, 1), st.floats(0.05, 1))
    def test_more_room_more_taper_and_less_care_close_less(self, apart, taper, uneven):
        here = covered(apart, taper, uneven)
        self.assertGreater(here, 0)
        self.assertLessEqual(here, 1 + 1e-9)
        self.assertLessEqual(covered(apart * 1.2, taper, uneven), here + 1e-9)
        self.assertLessEqual(covered(apart, min(1.0, taper + 0.2), uneven), here + 1e-9)
        self.assertLessEqual(covered(apart, taper, min(1.0, uneven + 0.2)), here + 1e-6)


class Colour(unittest.TestCase):
    def test_the_sheet_looks_as_the_layers_are_foretold(self):
        codes = (MIDDLE, DARK)
        share = covered(1.2, 0.5, 0.5)
        stack = [Pass(codes[0], 2, 1), Pass(codes[1], 3, 2, coverage=share), Pass(codes[0], 3, 1, coverage=share)]
        first, second = drawn(0.7, 1.2, 0.5, 0.5, 3), drawn(0.7, 1.2, 0.5, 0.5, 4)
        seen = np.zeros(8)
        for a in (False, True):
            for b in (False, True):
                spot = predict(PAPER, KIT, [stack[0], *([replace(stack[1], coverage=1.0)] * a), *([replace(stack[2], coverage=1.0)] * b)])[-1]
                seen += ((first == a) & (second == b)).mean() * spot.reflectance
        self.assertLess(float(delta_e00(predict(PAPER, KIT, stack)[-1].lab, reflectance_to_lab(seen))), 1.0)

    def test_between_the_strokes_the_paper_keeps_its_tooth_and_its_light(self):
        code = DARK
        film, half = (apply(bare(PAPER), KIT, Pass(code, 4, 2, coverage=c)) for c in (1.0, 0.5))
        self.assertAlmostEqual(half.used, film.used / 2, delta=0.02)
        lightness = [s.lab[0] for s in (bare(PAPER), half, film)]
        self.assertEqual(lightness, sorted(lightness, reverse=True))
        np.testing.assert_allclose(half.sums, film.sums / 2)

    def test_six_hands_lay_open_strokes_too(self):
        code, other = DARK, MIDDLE
        closed = [Pass(code, 3, 2), Pass(other, 4, 1)]
        i = np.array([[KIT.index[code], KIT.index[code], KIT.index[other]]])
        np.testing.assert_allclose(
            stack_under_hands(PAPER, bare(PAPER), KIT, closed), under_hands(PAPER, bare(PAPER), KIT, i, np.array([[3, 3, 4]]))[0], atol=1e-9
        )
        opened = [replace(closed[0], coverage=0.4), closed[1]]
        nominal = predict(PAPER, KIT, opened)[-1].lab
        self.assertLess(float(delta_e00(stack_under_hands(PAPER, bare(PAPER), KIT, opened).mean(0), nominal)), 1.5)

    def test_a_recipe_follows_its_open_strokes(self):
        layers = [Layer("texture", DARK, 3, 2, "everywhere", gesture="locks", coverage=c) for c in (1.0, 0.4)]
        target = np.array([60.0, 0, 0])
        closed, opened = (follow(PAPER, KIT, [q], {"general": target}).band("general") for q in layers)
        self.assertGreater(opened.lab[0], closed.lab[0] + 5)
        self.assertGreater(closed.tooth[-1], opened.tooth[-1])
        with self.assertRaises(RecipeFault):
            replace(layers[0], coverage=0.0)


class Craft(unittest.TestCase):
    def test_open_gestures_cover_what_their_spacing_and_taper_close(self):
        opened = [g for g in gestures() if g.apart]
        self.assertEqual({g.id for g in opened}, {"between", "locks", "accent", "light"})
        for g in opened:
            self.assertAlmostEqual(g.coverage, covered(g.apart, g.taper, hand_scale().uneven), places=3)
            self.assertLess(g.coverage, 0.85)
        self.assertTrue(all(g.coverage == 1 for g in gestures() if not g.apart))


if __name__ == "__main__":
    unittest.main()
