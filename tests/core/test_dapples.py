"""Dapples against rounds that were drawn, on seeds nothing was tuned on; and silence where there are none."""

import unittest

import numpy as np

from hanabira.core.area.dapples import Dapple, Dapples, classed, find_dapples
from hanabira.core.area.marking import MISREAD
from hanabira.core.area.shape import Region
from hanabira.craft.markings import marking_model
from tests.dappled import dappled, met
from tests.fur import fur, striped


def whole(pixels: np.ndarray, left: int = 0, top: int = 0) -> Region:
    return Region(pixels, np.ones(pixels.shape[:2], bool), left, top)


class Rounds(unittest.TestCase):
    def test_middles_and_sizes_are_those_that_were_drawn(self):
        here = right = false = every = 0
        for seed in range(7000, 7012):
            drawn = dappled(seed, lighter=seed % 3 > 0)
            found = find_dapples(whole(drawn.pixels))
            self.assertIsNotNone(found, seed)
            self.assertEqual(found.lighter, seed % 3 > 0, seed)
            h, r, f = met(drawn, np.array([d.centre for d in found.found]), np.array([d.radius_px for d in found.found]))
            here, right, false, every = here + h, right + r, false + f, every + len(drawn.middles)
        self.assertGreater(here / every, 0.95)
        self.assertGreater(right / every, 0.85, "of all rounds that were drawn within a factor of one and a half")
        self.assertLess(false / every, 0.15)

    def test_lengths_are_of_the_photo_wherever_the_patch_was_cut_and_however_large_it_is(self):
        drawn = dappled(7101, side=260)
        large = np.repeat(np.repeat(drawn.pixels, 3, 0), 3, 1)
        a, b = find_dapples(whole(drawn.pixels)), find_dapples(whole(large, 400, 90))
        self.assertAlmostEqual(b.size_px / a.size_px, 3.0, delta=0.3)
        self.assertAlmostEqual(b.spacing_px / a.spacing_px, 3.0, delta=0.3)
        c = np.array([d.centre for d in b.found])
        self.assertTrue(((c >= (400, 90)) & (c <= (400 + 780, 90 + 780))).all())
        truth = drawn.middles[0] * 3 + (400, 90)
        self.assertLess(np.hypot(*(c - truth).T).min(), 3 * drawn.radii[0])

    def test_plain_fur_and_stripes_have_none(self):
        claimed = [s for s in range(6) if find_dapples(whole(fur(260, 260, 29.0 * s, 900 + s, length=14 + 5 * s))) is not None]
        self.assertEqual(claimed, [])
        lines = [s for s in range(4) if find_dapples(whole(striped(fur(260, 260, 40.0 * s, 950 + s), 40.0 * s, 34.0))) is not None]
        self.assertLessEqual(len(lines), 1)

    def test_rounds_tell_the_class_where_the_features_do_not_see_it(self):
        told = [classed(marking_model(), whole(dappled(9000 + s, lighter=s % 3 > 0).pixels)) for s in range(8)]
        self.assertEqual([m.kind for m, _d in told], ["spots"] * 8)
        misread = [(m, d) for m, d in told if d is not None]
        self.assertTrue(misread, "some of them the features take for ticking")
        for m, d in misread:
            self.assertIn(m.second, MISREAD)
            self.assertGreater(len(d.found), 4)
        plain, none = classed(marking_model(), whole(fur(240, 240, 40.0, 951)))
        self.assertIn(plain.kind, ("plain", "ticked"))
        self.assertIsNone(none)

    def test_a_patch_too_small_to_tell_has_none(self):
        self.assertIsNone(find_dapples(whole(dappled(7103).pixels[:16, :16])))

    def test_rounds_are_drawn_as_circles_of_their_size(self):
        d = Dapples((Dapple((50.0, 60.0), 8.0),), True, 10.0, 16.0, None)
        (ring,) = d.rings
        self.assertTrue(np.allclose(np.hypot(*(np.array(ring) - (50, 60)).T), 8.0))


if __name__ == "__main__":
    unittest.main()
