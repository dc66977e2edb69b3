"""Quick medians and ranks against the general ones."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import array_shapes, arrays

from hanabira.core.colour.ranks import by_lightness, median

finite = st.floats(-200, 200, allow_nan=False, width=32)


class Ranks(unittest.TestCase):
    @settings(max_examples=200)
    @given(arrays(np.float32, array_shapes(min_dims=1, max_dims=3, max_side=9), elements=finite))
    def test_the_median_is_the_general_one(self, values):
        before = values.copy()
        found = median(values)
        np.testing.assert_allclose(found, np.median(values, 0), rtol=1e-6, atol=1e-6)
        self.assertEqual(found.dtype, np.float32)
        self.assertEqual(found.shape, values.shape[1:])
        np.testing.assert_array_equal(values, before)

    def test_a_median_of_nothing_is_refused(self):
        with self.assertRaisesRegex(ValueError, "no values"):
            median(np.zeros((0, 3)))

    @settings(max_examples=200)
    @given(arrays(np.float32, st.integers(0, 400), elements=st.floats(-1, 101, width=32)))
    def test_ranks_rise_and_what_is_alike_stays_in_its_order(self, lightness):
        order = by_lightness(lightness)
        self.assertEqual(sorted(order.tolist()), list(range(len(lightness))))
        ranked = np.clip(lightness[order], 0, 100)
        self.assertTrue((np.diff(ranked) >= -1 / 655 - 1e-6).all())
        same = np.diff(ranked) == 0
        self.assertTrue((np.diff(order)[same] > 0).all())


if __name__ == "__main__":
    unittest.main()
