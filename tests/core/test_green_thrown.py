"""Green that the surroundings threw into a pale coat is named and left out of the aim, unless the artist wants it."""

import unittest

import numpy as np

from hanabira.core.colour.spaces import chroma, hue_deg
from hanabira.core.sentences import say
from hanabira.core.solver.place_plan import Rules, plan_places
from hanabira.core.solver.place_targets import green_thrown, place_targets
from hanabira.craft.supplies import paper, shipped_kit
from tests.recipes import by_hand, coat, reach_of

KIT, ON = shipped_kit(), paper("hotpress")
WHITE = {"gap": (58.0, -8.0, 9.0), "general": (78.0, 0.5, 4.0), "light": (90.0, 0.0, 3.0), "highlight": (95.0, 0.0, 2.0)}


class Thrown(unittest.TestCase):
    def test_pale_green_in_a_white_coat_is_the_meadows(self):
        places = coat(WHITE)
        self.assertEqual(green_thrown(places), {"gap"})
        target = place_targets(reach_of(KIT, ON), places)["gap"]
        self.assertFalse(105 < float(hue_deg(target)) % 360 < 175 and float(chroma(target)) > 2, target)
        plain = reach_of(KIT, ON).paper_target(WHITE["gap"])
        self.assertAlmostEqual(float(target[0]), float(plain[0]), delta=1.5)

    def test_a_green_bird_a_dark_sheen_and_a_strong_green_keep_theirs(self):
        for name, values in (
            ("most of it is green", {k: (v[0], -9.0, 10.0) for k, v in WHITE.items()}),
            ("a sheen on black", {"gap": (12.0, 0, 0), "general": (22.0, 0, 1), "light": (36.0, -8.0, 6.0), "highlight": (40.0, -6.0, 6.0)}),
            ("strong green", {**WHITE, "gap": (58.0, -26.0, 26.0)}),
            ("a warm coat", {"gap": (58.0, -7.0, 9.0), "general": (66.0, 12.0, 30.0), "light": (82.0, 8.0, 24.0), "highlight": (88.0, 5.0, 18.0)}),
        ):
            with self.subTest(name):
                self.assertEqual(green_thrown(coat(values)), frozenset())

    def test_it_is_said_and_an_aim_brings_it_back(self):
        places = coat(WHITE)
        told = plan_places(KIT, ON, places, by_hand(), Rules())
        self.assertIn(say("place.green"), told.left_out)
        kept = plan_places(KIT, ON, places, by_hand(), Rules(aims={"gap": np.zeros(3)}))
        self.assertNotIn(say("place.green"), kept.left_out)
        self.assertLess(float(kept.targets["gap"][1]), float(told.targets["gap"][1]) - 3)


if __name__ == "__main__":
    unittest.main()
