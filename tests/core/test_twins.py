"""The second of two sides: the same again where that comes near, its own where it would be far off."""

import unittest
from types import SimpleNamespace

from hanabira.core.solver.twins import TWIN_COST, TWIN_MISS, other_side


def told(ends, code="101"):
    """A plan that ends so far from its targets."""
    bands = {k: SimpleNamespace(delta_e00=v) for k, v in ends.items()}
    return SimpleNamespace(prediction=SimpleNamespace(bands=bands), layers=(SimpleNamespace(code=code),) if code else ())


class Sides(unittest.TestCase):
    def chosen(self, same, free):
        asked = []

        def plan(twin):
            asked.append(twin)
            return same if twin else free

        return other_side(plan, ("layer",)), asked

    def test_what_comes_near_is_taken_without_a_look_at_anything_else(self):
        same = told({"gap": TWIN_MISS, "light": 0.5})
        found, asked = self.chosen(same, told({"gap": 0.0, "light": 0.0}))
        self.assertIs(found, same)
        self.assertEqual(len(asked), 1)

    def test_its_own_is_taken_only_where_it_comes_nearer_by_enough(self):
        same = told({"gap": 9.0, "light": 1.0})
        near, far = told({"gap": 9.0 - TWIN_COST - 0.1, "light": 1.0}), told({"gap": 9.0 - TWIN_COST, "light": 1.0})
        self.assertIs(self.chosen(same, near)[0], near)
        self.assertIs(self.chosen(same, far)[0], same)

    def test_a_side_that_took_over_nothing_is_solved_freely(self):
        free = told({"gap": -5.0})
        self.assertIs(self.chosen(told({"gap": 0.0}, code=""), free)[0], free)
        self.assertIs(other_side(lambda twin: free if not twin else None, ()), free)


if __name__ == "__main__":
    unittest.main()
