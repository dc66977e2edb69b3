"""Minutes of the log that cannot be believed."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from hanabira.core.schedule.plausible import DoneStep, doubts, hand, longest, shared


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
        self.assertEqual([(d.kind, d.rows) for d in found], [("long", ("0",)), ("short", ("1",)), ("long", ("2",))])

    def test_a_lunch_on_a_short_step_is_asked_about_and_an_honest_long_one_is_not(self):
        day = [(600.0 * n, m, 12.0) for n, m in enumerate((11, 14, 10, 18, 9, 13, 16, 12))]
        found = doubts(rows(*day, (9e3, 67, 9.0)))
        self.assertEqual([(d.kind, d.minutes) for d in found], [("long", 67)], "65 minutes of lunch and two of work")
        self.assertEqual(doubts(rows(*day, (9e3, 24, 9.0))), (), "two and a half times as long happens")
        self.assertEqual(doubts(rows(*day, (9e3, 14, 1.5))), (), "a few minutes more on a tiny step")

    def test_what_is_long_depends_on_this_hand(self):
        slow = [(600.0 * n, 36.0 + n % 3, 12.0) for n in range(40)]
        self.assertEqual(doubts(rows(*slow, (9e4, 60, 12))), (), "who takes three times as long is not doubted for it")
        quick = [(600.0 * n, 6.0 + n % 2, 12.0) for n in range(40)]
        self.assertEqual([d.kind for d in doubts(rows(*quick, (9e4, 50, 12)))], ["long"])
        self.assertLess(longest(12, *hand(rows(*quick))), longest(12))
        lunches = [(600.0 * n, 12.0, 12.0) for n in range(20)] + [(9e4 + 9e3 * n, 90.0, 12.0) for n in range(6)]
        self.assertEqual(len(doubts(rows(*lunches))), 6, "one lunch does not hide the next")

    def test_a_burst_is_shared_out_by_the_plan(self):
        given = rows((0, 0.1, 10), (20, 0.1, 30), (40, 0.1, 20))
        self.assertEqual(shared(given, 90), {"0": 15.0, "1": 45.0, "2": 30.0})

    @given(st.lists(st.tuples(st.floats(0, 1e5), st.floats(0, 900), st.floats(0.5, 60)), max_size=30))
    def test_no_row_is_doubted_twice(self, given):
        told = [key for d in doubts(rows(*given)) for key in d.rows]
        self.assertEqual(len(told), len(set(told)))


if __name__ == "__main__":
    unittest.main()
