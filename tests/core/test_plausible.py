"""Minutes of the log that cannot be believed."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from hanabira.core.schedule.plausible import DoneStep, doubts, shared


def rows(*given: tuple[float, float, float]) -> list[DoneStep]:
    return [DoneStep(str(n), at, minutes, guess) for n, (at, minutes, guess) in enumerate(given)]


class Doubts(unittest.TestCase):
    def test_steps_ticked_off_together_are_one_doubt(self):
        found = doubts(rows((0, 11, 12), (700, 0.2, 10), (715, 0.2, 14), (730, 0.1, 9), (745, 0.3, 20), (2000, 9, 10)))
        self.assertEqual([(d.kind, d.rows) for d in found], [("burst", ("1", "2", "3", "4"))])
        self.assertAlmostEqual(found[0].guess, 53)

    def test_two_quick_steps_are_no_burst_and_a_quick_hand_is_none(self):
        self.assertEqual(doubts(rows((0, 1.5, 10), (60, 1.8, 10))), ())
        self.assertEqual(doubts(rows(*((60.0 * n * 4, 4.0, 12.0) for n in range(8)))), ())

    def test_a_clock_that_ran_on_and_a_step_without_time_are_asked_about(self):
        found = doubts(rows((0, 700, 12), (9e4, 0.1, 30), (2e5, 90, 12)))
        self.assertEqual([d.kind for d in found], ["long", "short"])

    def test_a_burst_is_shared_out_by_the_plan(self):
        given = rows((0, 0.1, 10), (20, 0.1, 30), (40, 0.1, 20))
        self.assertEqual(shared(given, 90), {"0": 15.0, "1": 45.0, "2": 30.0})

    @given(st.lists(st.tuples(st.floats(0, 1e5), st.floats(0, 900), st.floats(0.5, 60)), max_size=30))
    def test_no_row_is_doubted_twice(self, given):
        told = [key for d in doubts(rows(*given)) for key in d.rows]
        self.assertEqual(len(told), len(set(told)))


if __name__ == "__main__":
    unittest.main()
