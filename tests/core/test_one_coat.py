"""The coats of an animal read together: neighbours of like colour count, others do not."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from hanabira.core.area.one_coat import LIKE_DE, SHARED, Read, together

BROWN, OTHER = (("brown", 0.9), ("grey", 0.1)), (("grey", 0.5), ("brown", 0.4), ("black", 0.1))
lab = st.tuples(st.floats(0, 100), st.floats(-60, 60), st.floats(-60, 60))
coats = st.lists(st.sampled_from(["black", "white", "ginger", "brown", "grey"]), min_size=1, max_size=4, unique=True).map(
    lambda names: tuple((k, 1 / len(names)) for k in names)
)
reads = st.builds(Read, lab, coats)


class Together(unittest.TestCase):
    def test_a_neighbour_of_the_same_colour_has_its_weight(self):
        found = dict(together(Read((50, 2, 8), OTHER), [Read((50, 2, 8), BROWN)]))
        self.assertAlmostEqual(found["brown"], (1 - SHARED) * 0.4 + SHARED * 0.9)
        self.assertAlmostEqual(found["grey"], (1 - SHARED) * 0.5 + SHARED * 0.1)
        self.assertEqual(next(iter(found)), "brown")

    def test_a_neighbour_of_another_colour_says_nothing(self):
        own = Read((20, 0, 0), OTHER)
        self.assertEqual(together(own, [Read((80, 0, 0), BROWN)]), OTHER)
        near, far = Read((20 + LIKE_DE, 0, 0), BROWN), Read((20 + 3 * LIKE_DE, 0, 0), (("ginger", 1.0),))
        self.assertLess(dict(together(own, [near, far])).get("ginger", 0), 0.02)

    def test_what_bears_no_coat_stays_without(self):
        self.assertEqual(together(Read((50, 0, 0), ()), [Read((50, 0, 0), BROWN)]), ())

    @given(reads, st.lists(reads, max_size=5))
    def test_shares_stay_shares_and_stand_in_order(self, own, near):
        found = together(own, near)
        self.assertAlmostEqual(sum(v for _k, v in found), 1.0, places=6)
        self.assertEqual([v for _k, v in found], sorted((v for _k, v in found), reverse=True) if near and found != own.coats else [v for _k, v in found])
        self.assertGreaterEqual({k for k, _v in found}, {k for k, _v in own.coats})


if __name__ == "__main__":
    unittest.main()
