"""What hours, price and dates speak of: areas with layers, and the share of the animal under them."""

import unittest

import numpy as np

from hanabira.core.area.covering import covering
from hanabira.core.area.outline import Outline
from hanabira.core.area.shape import rectangle


class Covered(unittest.TestCase):
    animal = np.zeros((200, 400), bool)
    animal[50:150, 100:300] = True  # 200 × 100 of a photo of 800 × 400: 400 × 200 photo pixels

    def test_shares_are_of_the_animal_and_gaps_lie_where_nothing_was_drawn(self):
        left, middle = Outline(rectangle(200, 100, 160, 200)), Outline(rectangle(360, 100, 80, 200))
        found = covering([(left, True), (middle, False)], self.animal, (800, 400))
        self.assertAlmostEqual(found.covered, 0.4, delta=0.01)
        self.assertAlmostEqual(found.drawn, 0.6, delta=0.01)
        gap = np.array(found.gaps[0])
        np.testing.assert_allclose([gap.min(0), gap.max(0)], [[440, 100], [600, 300]], atol=6)
        self.assertEqual(found.words, "1 of 2 areas have layers, the others are estimated; 60% of the animal lies under areas. What lies under none is not counted.")
        self.assertFalse(found.whole)

    def test_overlaps_and_backdrop_count_once_and_not_at_all(self):
        wide = Outline(rectangle(0, 0, 800, 400))
        found = covering([(wide, True), (Outline(rectangle(250, 120, 100, 100)), True)], self.animal, (800, 400))
        self.assertAlmostEqual(found.covered, 1.0, delta=0.001)
        self.assertEqual((found.words, found.gaps), ("", ()))

    def test_without_a_cut_out_the_share_is_unknown_and_said_so(self):
        found = covering([(Outline(rectangle(0, 0, 10, 10)), True)], None, (800, 400))
        self.assertIsNone(found.covered)
        self.assertIn("not known until it is cut out", found.words)


if __name__ == "__main__":
    unittest.main()
