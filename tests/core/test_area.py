"""Measures of areas against synthetic fur and the rendered rabbit, whose truth is known."""

import unittest

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from demo_making.truth import demo_truth
from hanabira.core.area.hair import axial_difference, axial_mean
from hanabira.core.area.marking import measure_marking
from hanabira.core.area.measures import as_dict, measure
from hanabira.core.area.palette import measure_palette
from hanabira.core.area.shape import cut, fill_ring, rectangle, ring_area, simplify_ring, smooth_ring
from hanabira.core.area.values import measure_values
from hanabira.core.colour.spaces import lab_to_srgb, srgb_to_lab
from hanabira.core.faults import AreaFault
from hanabira.craft.markings import marking_model
from hanabira.demo.pictures import PHOTO
from hanabira.studio.pictures import read_picture
from tests.fur import fur, jpeg, striped


def picture(lab) -> np.ndarray:
    return np.round(lab_to_srgb(np.asarray(lab, float)) * 255).astype(np.uint8)


class Shapes(unittest.TestCase):
    @settings(max_examples=40)
    @given(st.integers(3, 60), st.integers(3, 50), st.integers(0, 20), st.integers(0, 20))
    def test_a_rectangle_holds_exactly_its_pixels(self, w, h, x, y):
        mask = fill_ring(np.array(rectangle(x, y, w, h)), 90, 90)
        self.assertEqual(int(mask.sum()), w * h)
        self.assertTrue(mask[y : y + h, x : x + w].all())

    def test_a_circle_has_its_area(self):
        t = np.linspace(0, 2 * np.pi, 200, endpoint=False)
        ring = np.column_stack([100 + 70 * np.cos(t), 90 + 70 * np.sin(t)])
        self.assertAlmostEqual(fill_ring(ring, 200, 200).sum() / (np.pi * 70**2), 1, places=2)
        self.assertAlmostEqual(abs(ring_area(smooth_ring(ring[::20]))) / (np.pi * 70**2), 1, delta=0.02)
        self.assertLess(len(simplify_ring(ring, 2.0)), 30)

    def test_what_cannot_be_an_area(self):
        photo = np.zeros((100, 100, 3), np.uint8)
        for ring in (
            ((0, 0), (5, 5)),
            rectangle(200, 200, 50, 50),
            rectangle(10, 10, 4, 4),
            ((0, 0), (50, 50), (99, 99)),
            ((0, 0), (float("nan"), 3), (9, 9)),
        ):
            with self.assertRaises(AreaFault):
                cut(photo, ring)
        self.assertEqual(int(cut(photo, rectangle(-50, -50, 100, 100)).mask.sum()), 2500)


class ValuesAndColours(unittest.TestCase):
    def test_bands_of_a_known_mixture(self):
        """10 % dark gaps, 76 % general, 12 % light, 2 % glints."""
        lab = np.concatenate(
            [np.tile(q, (n, 1)) for q, n in (([15, 4, 6], 1000), ([40, 12, 25], 7600), ([70, 10, 30], 1200), ([92, 0, 2], 200))]
        ).astype(np.float32)
        v = measure_values(np.random.default_rng(0).permutation(lab))
        self.assertEqual([round(q) for q in (v.gap, v.general, v.light, v.highlight)], [15, 40, 70, 92])
        np.testing.assert_allclose(v.band_lab["light"], [70, 10, 30], atol=0.01)

    def test_a_glint_does_not_move_the_general_colour(self):
        lab = np.tile([40.0, 10, 20], (5000, 1)).astype(np.float32)
        lab[:200] = [100, 0, 0]
        self.assertAlmostEqual(measure_values(lab).general, 40)

    def test_small_colours_are_found(self):
        rng = np.random.default_rng(4)
        found = 0
        for seed in range(9):
            rng = np.random.default_rng(seed)
            main, minor = np.array([45, 12, 26]), np.array([52, -4 + 3 * seed, -18])
            lab = np.concatenate([main + rng.normal(0, [7, 2, 3], (9600, 3)), minor + rng.normal(0, [4, 2, 2], (400, 3))]).astype(
                np.float32
            )
            colours = measure_palette(lab)
            self.assertAlmostEqual(sum(c.share for c in colours), 1, places=6)
            self.assertLessEqual(len(colours), 7)
            found += any(np.linalg.norm(c.lab[1:] - minor[1:]) < 7 and c.share < 0.12 for c in colours)
        self.assertGreaterEqual(found, 8)

    def test_shares_of_a_two_coloured_picture(self):
        image = np.concatenate([np.tile(picture([60, 20, 50]), (100, 70, 1)), np.tile(picture([30, 5, -20]), (100, 30, 1))], 1)
        m = measure(image, rectangle(0, 0, 100, 100), None)
        self.assertEqual([round(c.share, 2) for c in m.palette], [0.7, 0.3])
        self.assertEqual([c.temperature for c in m.palette], ["warm", "cool"])

    def test_hidden_blue_specks_are_found_and_plain_fur_hides_nothing(self):
        base = fur(260, 260, 30, 5, contrast=10)
        self.assertEqual(measure(base, rectangle(0, 0, 260, 260), None).hidden, ())
        lab = srgb_to_lab(base / 255.0)
        rng = np.random.default_rng(1)
        for y, x in rng.integers(10, 240, (16, 2)):
            lab[y : y + 8, x : x + 8, 1:] += (2, -20)
        hidden = measure(jpeg(picture(lab), 92), rectangle(0, 0, 260, 260), None).hidden
        self.assertEqual(len(hidden), 1)
        self.assertLess(hidden[0].share, 0.06)


class HairMeasures(unittest.TestCase):
    def test_direction_on_fresh_fur(self):
        errors = []
        for k, angle in enumerate(range(0, 180, 15)):
            m = measure(fur(240, 240, angle, 100 + k), rectangle(0, 0, 240, 240), None)
            self.assertIsNotNone(m.hair.direction_deg)
            errors.append(float(axial_difference(m.hair.direction_deg, angle)))
        self.assertLess(np.mean(errors), 3.0)
        self.assertLess(max(errors), 7.0)

    def test_stripes_across_the_hair_do_not_turn_it(self):
        errors = []
        for k, angle in enumerate((20, 65, 110, 155)):
            image = striped(fur(280, 280, angle, 40 + k), angle + 70, 60)
            errors.append(float(axial_difference(measure(image, rectangle(0, 0, 280, 280), None).hair.direction_deg, angle)))
        self.assertLess(np.mean(errors), 4.5)

    def test_a_bent_coat_is_followed_cell_by_cell(self):
        image = fur(260, 420, 90, 9, bend_deg=60)
        m = measure(image, rectangle(0, 0, 420, 260), None)
        x = (np.arange(m.field.sure.shape[1]) + 0.5) * m.field.step_px
        truth = 90 + 60 * (x / 420 - 0.5)
        off = axial_difference(m.field.direction_deg, truth[None])[m.field.sure]
        self.assertLess(np.mean(off), 4.0)

    def test_noise_smoothness_and_smallness_claim_no_direction(self):
        rng = np.random.default_rng(2)
        noise = np.clip(120 + rng.normal(0, 18, (240, 240, 1)).repeat(3, 2), 0, 255).astype(np.uint8)
        blobs = np.repeat(np.clip(rng.normal(128, 60, (24, 24)), 0, 255).astype(np.uint8), 10, 0).repeat(10, 1)[..., None].repeat(3, 2)
        for image in (noise, np.full((240, 240, 3), 90, np.uint8), blobs):
            hair = measure(image, rectangle(0, 0, 240, 240), None).hair
            self.assertIsNone(hair.direction_deg)
            self.assertTrue(hair.reason)
        self.assertIn("small", measure(fur(60, 60, 0, 1), rectangle(0, 0, 20, 20), None).hair.reason)

    def test_longer_hair_reads_longer(self):
        lengths = [measure(fur(300, 300, 25, 70, length=n), rectangle(0, 0, 300, 300), None, 0.25).length_mm for n in (12, 26, 55)]
        self.assertEqual(lengths, sorted(lengths))
        self.assertGreater(lengths[2], 1.6 * lengths[0])

    def test_axial_mean_wraps(self):
        mean, r = axial_mean(np.array([178.0, 2, 0]), np.ones(3))
        self.assertLess(float(axial_difference(mean, 0)), 0.01)
        self.assertGreater(r, 0.99)


class Rabbit(unittest.TestCase):
    """The demo photo against what its renderer knew."""

    @classmethod
    def setUpClass(cls):
        cls.photo, cls.truth = read_picture(PHOTO).pixels, demo_truth()

    def test_direction_of_the_rendered_coat(self):
        k, errors, kept = self.truth.step_px, [], []
        for x, y, w, h in (
            (700, 1130, 330, 200),
            (1400, 1150, 300, 300),
            (800, 720, 180, 90),
            (760, 760, 200, 160),
            (1060, 1000, 200, 260),
        ):
            m = measure(self.photo, rectangle(x, y, w, h), None)
            i, j = np.nonzero(m.field.sure)
            ty = np.minimum((y + (i + 0.5) * m.field.step_px) // k, self.truth.part.shape[0] - 1).astype(int)
            tx = np.minimum((x + (j + 0.5) * m.field.step_px) // k, self.truth.part.shape[1] - 1).astype(int)
            truth = self.truth.direction_deg[ty, tx]
            ok = np.isfinite(truth)
            errors.append(axial_difference(m.field.direction_deg[i, j], truth)[ok])
            kept.append(m.field.sure.mean())
        errors = np.concatenate(errors)
        self.assertLess(np.mean(errors), 8.0)
        self.assertGreater(np.mean(kept), 0.8)

    def test_eye_and_backdrop_are_no_fur(self):
        for ring in (rectangle(930, 910, 140, 130), rectangle(100, 100, 300, 300)):
            self.assertIsNone(measure(self.photo, ring, None).hair.direction_deg)

    def test_json_has_the_terminal_shape(self):
        d = as_dict(measure(self.photo, rectangle(700, 1130, 330, 200), marking_model(), 0.25))
        self.assertEqual(
            list(d), ["area", "value", "coat", "palette", "hidden_hues", "readable", "outside_animal", "in_the_way", "clipped", "hair", "marking"]
        )
        self.assertEqual(d["area"], {"pixels": 66000, "mm2": 4125.0})
        self.assertEqual(set(d["value"]), {"gap", "general", "light", "highlight", "p02", "p98"})
        self.assertAlmostEqual(d["hair"]["length_mm"], d["hair"]["length_px"] / 4, delta=0.02)
        self.assertIn(d["marking"]["class"], ("plain", "stripes", "spots", "rosettes", "patches", "ticked", "gradient"))
        plain = as_dict(measure(self.photo, rectangle(700, 1130, 330, 200), None))
        self.assertIsNone(plain["area"]["mm2"])
        self.assertIsNone(plain["hair"]["length_mm"])


class Markings(unittest.TestCase):
    def test_strong_stripes_and_plain_coat(self):
        model = marking_model()
        stripes = measure_marking(model, striped(fur(320, 320, 20, 3, contrast=9), 100, 70, 0.25), np.ones((320, 320), bool))
        self.assertEqual(stripes.kind, "stripes")
        self.assertAlmostEqual(stripes.coverage, 0.5, delta=0.12)
        plain = measure_marking(model, fur(320, 320, 20, 8, contrast=8), np.ones((320, 320), bool))
        self.assertIn("plain", (plain.kind, plain.second))
        self.assertIsNone(measure_marking(model, stripes_small(), np.ones((16, 60), bool)).kind)

    def test_slow_light_is_no_gradient_and_hairs_are_no_stripes(self):
        model, mask = marking_model(), np.ones((240, 240), bool)
        y, x = np.mgrid[0:240, 0:240]
        lit_from_a_side = np.clip(fur(240, 240, 20, 8, contrast=8) * (0.55 + 0.6 * x / 240)[..., None], 0, 255).astype(np.uint8)
        self.assertEqual(measure_marking(model, lit_from_a_side, mask).kind, "plain")
        combed = np.clip(fur(240, 240, 90, 5, contrast=6) + 26 * np.sin(2 * np.pi * x / 5.0)[..., None], 0, 255).astype(np.uint8)
        self.assertNotEqual(measure_marking(model, combed, mask).kind, "stripes")
        barred = np.clip(fur(240, 240, 90, 5, contrast=6) + 45 * np.sign(np.sin(2 * np.pi * x / 48.0))[..., None], 0, 255).astype(np.uint8)
        self.assertEqual(measure_marking(model, barred, mask).kind, "stripes")

    def test_a_small_area_is_read_at_a_size_that_the_features_know(self):
        barred = np.clip(fur(240, 240, 90, 5, contrast=6) + 45 * np.sign(np.sin(2 * np.pi * np.arange(240) / 60.0))[None, :, None], 0, 255).astype(np.uint8)
        small = cv2.resize(barred, (24, 24), interpolation=cv2.INTER_AREA)
        self.assertEqual(measure_marking(marking_model(), small, np.ones((24, 24), bool)).kind, "stripes")


def stripes_small() -> np.ndarray:
    return np.zeros((16, 60, 3), np.uint8)
