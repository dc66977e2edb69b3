"""One palette over all areas of a portrait: enough for each, no more than a hand knows, the same each time."""

import unittest
from dataclasses import replace

import numpy as np

from hanabira.core.colour.spaces import chroma
from hanabira.core.solver.palette import _Mixtures, choose, further
from hanabira.core.solver.place_plan import PlacePlanner, Rules
from hanabira.craft.hand import palette_rules
from hanabira.craft.supplies import paper, shipped_kit
from tests.recipes import by_hand, coat, plan, reach_of
from tests.ways import coat_of

KIT, ON, RULES = shipped_kit(), paper("hotpress"), palette_rules()


def field(name: str):
    values = coat_of(name)
    hues = tuple(np.asarray(v, float) for v in values.values())
    return PlacePlanner(KIT, ON, coat(values), by_hand(school={}), Rules(hues), reach=reach_of(KIT, ON)).area


class Palettes(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.fields = [field(k) for k in ("ginger", "black", "white")]
        cls.found = choose(cls.fields, RULES)

    def test_it_is_no_larger_than_a_hand_knows_and_the_same_each_time(self):
        self.assertLessEqual(len(self.found.codes), RULES.most + 3)
        self.assertGreaterEqual(len(self.found.codes), RULES.least)
        self.assertEqual(len(set(self.found.codes)), len(self.found.codes))
        self.assertEqual(choose(self.fields, RULES), self.found)

    def test_each_pencil_brings_the_animal_nearer(self):
        left = np.array(self.found.left)
        self.assertTrue((np.diff(left[:7]) <= 1e-9).all())
        self.assertLess(left[-1], 0.5 * left[0])

    def test_what_a_mixture_would_not_take_is_not_mixed_again(self):
        rng = np.random.default_rng(4)
        kept = _Mixtures(self.fields, RULES)
        for _ in range(6):
            mine = [int(v) for v in rng.permutation(len(KIT))[:9]]
            step_by_step = [kept.missed(mine[:k]) for k in range(1, 10)]
            at_once = [_Mixtures(self.fields, RULES).missed(mine[:k]) for k in range(1, 10)]
            np.testing.assert_allclose(step_by_step, at_once, atol=0.02)

    def test_it_has_a_blender_and_a_dark(self):
        lab = np.array([KIT.masstone_lab[KIT.index[c]] for c in self.found.codes])
        c = np.asarray(chroma(lab))
        self.assertTrue(((lab[:, 0] >= RULES.blender[0]) & (c <= RULES.blender[1])).any())
        self.assertTrue((lab[:, 0] <= RULES.dark_l).any())
        self.assertTrue(((lab[:, 0] <= RULES.deep_l) & ((lab[:, 0] > 17) | (c > 5))).any(), "a coloured dark")

    def test_pencils_lie_near_the_animals_own_colours(self):
        lab = np.array([KIT.masstone_lab[KIT.index[c]] for c in choose([field("black")], RULES).codes])
        self.assertLess(np.median(chroma(lab)), np.median(chroma(KIT.masstone_lab)))
        self.assertLess(np.median(lab[:, 0]), np.median(KIT.masstone_lab[:, 0]))

    def test_what_is_fixed_is_in_it(self):
        code = next(p.code for p in KIT if p.code not in self.found.codes)
        self.assertEqual(choose(self.fields, RULES, [code, "no such pencil"]).codes[0], code)

    def test_the_rules_bind(self):
        few = choose(self.fields, replace(RULES, least=4, most=6))
        self.assertLessEqual(len(few.codes), 9)
        self.assertEqual(choose([], RULES).codes, ())

    def test_what_solved_recipes_miss_is_added_and_recipes_stay_near(self):
        names = ("ginger", "black", "white")

        def solved(n: int, some: frozenset[str]):
            return plan(KIT, ON, coat_of(names[n]), by_hand(school={}), palette=some)

        worst = lambda p: max(s.delta_e00 for s in p.prediction.bands.values())  # noqa: E731
        more = further(self.found, 3, solved, RULES)
        self.assertLessEqual(len(more.codes), RULES.full)
        for n, name in enumerate(names):
            before, after = worst(solved(n, frozenset(self.found.codes))), worst(solved(n, frozenset(more.codes)))
            self.assertLess(after, worst(solved(n, frozenset())) + 4, name)
            if before > RULES.far_de + 2:
                self.assertLess(after, before - RULES.gains_de, name)
        full = further(self.found, 3, solved, replace(RULES, full=len(self.found.codes)))
        self.assertEqual(len(full.codes), len(self.found.codes), "another pencil goes where it is full")
        near = further(self.found, 3, solved, replace(RULES, far_de=99.0))
        self.assertEqual(near.codes, self.found.codes)


if __name__ == "__main__":
    unittest.main()
