"""What the craft data says of the hand reaches every recipe: gestures, sizes, sentences, and the coat's own rules."""

import unittest

import numpy as np

from hanabira.core.area.measures import measure
from hanabira.core.area.shape import rectangle
from hanabira.core.solver.layer import Layer
from hanabira.craft.gesture_names import stage_of, title_of
from hanabira.craft.hand import gestures, hand_scale, palette_rules, pencil_kinds
from hanabira.craft.rules import coats
from hanabira.craft.supplies import shipped_kit, surfaces
from hanabira.craft.techniques import craft_of, layer_spacing_mm, rules_of
from tests.fur import fur


class OfAnArea(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.m = measure(fur(160, 160, 25.0, 2), rectangle(5, 5, 150, 150), None, 0.3)

    def test_the_coats_rules_reach_the_recipe(self):
        for key, c in coats().items():
            with self.subTest(coat=key):
                said = craft_of(self.m, "short-fur", "pencil", coat=key)
                self.assertEqual((said.darks, said.lights, said.hidden_undertone), (c.darks, c.lights, c.hidden_undertone))
        bare = craft_of(self.m, "bare-skin-and-folds", "pencil", coat="black")
        self.assertEqual((bare.darks, bare.lights, bare.hidden_undertone), ((), (), False), "skin has no coat")
        self.assertTrue(any(c.darks for c in coats().values()) and any(c.hidden_undertone for c in coats().values()))

    def test_what_a_hand_does_reaches_it_too(self):
        said = craft_of(self.m, "contour-feathers", "pencil")
        self.assertEqual((said.gestures, said.scale, said.pencils), (gestures(), hand_scale(), pencil_kinds()))
        self.assertEqual(said.kind, "feathers")

    def test_pencils_that_fade_are_told(self):
        kit = shipped_kit()
        fugitive = rules_of(self.m, craft_of(self.m, "short-fur", "pencil"), kit).fugitive
        self.assertEqual(fugitive, {p.code for p in kit if p.lightfast > 3})
        self.assertTrue(fugitive)

    def test_strokes_of_a_closed_film_lie_no_further_apart_than_they_are_wide(self):
        for surface_id in surfaces():
            for finish in (1, 3, 5):
                for pressure in range(1, 6):
                    q = Layer("general", "x", pressure, 1, "everywhere", "flick", 5.0, gesture="build")
                    wide = hand_scale().stroke_mm[pressure - 1]
                    spacing = layer_spacing_mm(q, self.m, surface_id, finish)
                    self.assertLessEqual(spacing, wide + 1e-9)
                    self.assertGreaterEqual(spacing, hand_scale().apart * wide - 0.006)

    def test_open_strokes_lie_as_far_apart_as_their_coverage_was_foretold_with(self):
        for g in (g for g in gestures() if g.apart):
            for pressure in (2, 4):
                q = Layer("texture", "x", pressure, 1, "everywhere", "flick", 5.0, gesture=g.id, coverage=g.coverage)
                for finish in (1, 5):
                    self.assertAlmostEqual(layer_spacing_mm(q, self.m, "short-fur", finish), g.apart * hand_scale().stroke_mm[pressure - 1], delta=0.006)
        whisker = Layer("whisker", "x", 3, 1, "everywhere", "flick", 40.0, gesture="whisker", coverage=0.04)
        self.assertAlmostEqual(layer_spacing_mm(whisker, self.m, "whisker", 3), 10.0, delta=0.01)

    def test_a_finer_finish_lays_strokes_closer(self):
        q = Layer("general", "x", 3, 1, "everywhere", "flick", 5.0)
        self.assertGreater(layer_spacing_mm(q, self.m, "short-fur", 1), layer_spacing_mm(q, self.m, "short-fur", 5))


class Kinds(unittest.TestCase):
    kinds = pencil_kinds()

    def neutral(self, *lch: tuple[float, float, float]) -> list[bool]:
        labs = np.array([(v, c * np.cos(np.radians(h)), c * np.sin(np.radians(h))) for v, c, h in lch])
        return self.kinds.neutral(labs).tolist()

    def test_practice_dulls_with_greys_browns_violets_dark_reds_indigo_and_pale_tints(self):
        self.assertEqual(self.neutral((50, 8, 140), (40, 30, 60), (45, 35, 310), (30, 45, 20), (18, 20, 275), (88, 20, 70)), [True] * 6)
        self.assertEqual(self.neutral((60, 60, 60), (60, 50, 150), (60, 50, 260), (55, 60, 20), (88, 20, 150)), [False] * 5)

    def test_what_kept_lights_and_whites_bear(self):
        value, strength = np.array([90.0, 90.0, 50.0, 50.0]), np.array([10.0, 40.0, 8.0, 30.0])
        self.assertEqual(self.kinds.tints(value, strength, False).tolist(), [True, False, False, False])
        self.assertEqual(self.kinds.tints(value, strength, True).tolist(), [True, False, True, False])
        self.assertEqual(self.kinds.dirties_white(np.array([80.0, 60.0, 80.0]), np.array([10.0, 10.0, 40.0]), 92.0).tolist(), [False, True, True])
        self.assertEqual(self.kinds.green(np.array([20.0, 20.0, 3.0]), np.array([140.0, 60.0, 140.0])).tolist(), [True, False, False])


class Numbers(unittest.TestCase):
    def test_sizes_make_sense(self):
        s = hand_scale()
        self.assertEqual(list(s.stroke_mm), sorted(s.stroke_mm))
        self.assertLess(s.pitch_mm, min(s.stroke_mm))
        self.assertLess(s.one_dark_de, s.one_de)
        self.assertLessEqual(s.least["eye"].width, s.least["nose"].width)
        self.assertLessEqual(palette_rules().most, palette_rules().full)

    def test_stages_and_titles(self):
        self.assertEqual([stage_of(g) for g in ("wash", "build", "tint", "", "none")], [0, 2, 7, -1, -1])
        self.assertEqual((title_of("shadow"), title_of("")), ("Shadow shapes", ""))


if __name__ == "__main__":
    unittest.main()
