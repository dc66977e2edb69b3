"""Ways to look at a photo, against pictures whose light, outline and values are known."""

import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from demo_making.truth import demo_truth
from hanabira.core.area.shape import rectangle
from hanabira.core.colour.appearance import appearance, seen_step
from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import bytes_to_lab, lab_to_srgb, srgb_to_lab, srgb_to_linear
from hanabira.core.faults import AreaFault, Fault
from hanabira.core.study.isolate import isolate, on_backdrop
from hanabira.core.study.looks import boost_hues, lift_shadows, squint
from hanabira.core.study.neutral import adaptation, apply_light, automatic, from_known, from_pick
from hanabira.core.study.preparation import Light
from hanabira.core.study.shapes import LEAST_SHARE, value_labels, value_shapes
from hanabira.core.study.surround import reads
from hanabira.demo.pictures import PHOTO
from hanabira.studio.pictures import read_picture, write_picture
from tests.fur import fur
from tests.terminal.test_cli import ask, run

A_WHITE = np.array([1.09850, 1.0, 0.35585])  # illuminant A, CIE 15


def chart() -> np.ndarray:
    """Twenty-four dull colours and a row of greys in squares of 40 px, as bytes."""
    rng = np.random.default_rng(5)
    lab = np.column_stack([rng.uniform(15, 80, 24), rng.uniform(-20, 30, 24), rng.uniform(-15, 40, 24)])
    lab = np.vstack([lab, np.column_stack([np.linspace(20, 90, 6), np.zeros((6, 2))])])
    tiles = np.clip(lab_to_srgb(lab), 0.02, 0.98).reshape(5, 6, 3)
    return np.kron(np.round(tiles * 255), np.ones((40, 40, 1))).astype(np.uint8)


def under(pixels: np.ndarray, gain) -> np.ndarray:
    """The picture with each channel of linear light times a gain: a camera set for another light."""
    from hanabira.core.colour.spaces import linear_to_srgb

    return np.round(linear_to_srgb(np.clip(srgb_to_linear(pixels / 255) * gain, 0, 1)) * 255).astype(np.uint8)


class LightOfAPhoto(unittest.TestCase):
    def test_bradford_matrix_is_the_published_one(self):
        """Illuminant A to D65, as in the tables of Lindbloom computed from the same cone responses."""
        published = [[0.8446965, -0.1179225, 0.3948108], [-0.1366303, 1.1041226, 0.1291718], [0.0798489, -0.1348999, 3.1924009]]
        np.testing.assert_allclose(adaptation(A_WHITE), published, atol=4e-4)

    def test_a_grey_pick_makes_every_grey_neutral_and_a_known_patch_does_the_same(self):
        true = chart()
        for gain in ((1.0, 0.82, 0.60), (0.72, 0.9, 1.0)):
            seen = under(true, gain)
            before = np.median(delta_e00(bytes_to_lab(seen), bytes_to_lab(true)))
            grey = seen[180, 140] / 255
            known = srgb_to_lab(true[20, 20] / 255)
            for white, limit in ((from_pick(grey), 1.0), (from_known(seen[20, 20] / 255, known), 4.0)):
                light = apply_light(seen, Light(white))
                greys = bytes_to_lab(light[180:181, 20::40])[0]
                self.assertLess(np.hypot(greys[:, 1], greys[:, 2]).max(), limit)
                # the brightness of the camera's exposure is not the pick's business
                chroma = bytes_to_lab(light)[..., 1:] - bytes_to_lab(true)[..., 1:]
                self.assertLess(np.median(np.hypot(*np.moveaxis(chroma, -1, 0))), before)

    def test_automatic_finds_a_cast_of_many_colours(self):
        seen = under(chart(), (1.0, 0.85, 0.65))
        greys = bytes_to_lab(apply_light(seen, Light(automatic(seen)))[180:181, 60::40])[0]
        was = bytes_to_lab(seen[180:181, 60::40])[0]
        self.assertLess(np.hypot(greys[:, 1], greys[:, 2]).max(), 0.4 * np.hypot(was[:, 1], was[:, 2]).max())

    def test_a_stop_doubles_the_light_and_nothing_asked_changes_nothing(self):
        pixels = chart()
        self.assertIs(apply_light(pixels, Light()), pixels)
        dark = pixels[:, :, :] // 3
        lifted = apply_light(dark, Light(exposure=1.0))
        ratio = srgb_to_linear(lifted / 255) / np.maximum(srgb_to_linear(dark / 255), 1e-6)
        self.assertAlmostEqual(float(np.median(ratio[dark > 40])), 2.0, delta=0.03)
        again = apply_light(pixels, Light(from_pick([0.5, 0.5, 0.5])))
        self.assertLessEqual(int(np.abs(again.astype(int) - pixels).max()), 1)

    def test_black_and_burnt_places_are_refused(self):
        for rgb in ((0.01, 0.0, 0.02), (1.0, 1.0, 0.995)):
            with self.assertRaises(Fault):
                from_pick(rgb)


class Squint(unittest.TestCase):
    def test_hair_goes_and_big_edges_stay(self):
        left, right = fur(300, 200, 30, 1, ground=(30, 8, 14)), fur(300, 200, 120, 2, ground=(66, 8, 20))
        pixels = np.hstack([left, right])
        value = bytes_to_lab(pixels)[..., 0]
        seen = bytes_to_lab(squint(pixels, 6))[..., 0]
        self.assertLess(seen[20:-20, 20:180].std(), 0.35 * value[20:-20, 20:180].std())
        step = np.median(seen[20:-20, 212:220]) - np.median(seen[20:-20, 180:188])
        self.assertGreater(step, 0.75 * (np.median(value[:, 220:]) - np.median(value[:, :180])))

    def test_a_stronger_squint_leaves_less(self):
        pixels = fur(300, 300, 45, 3)
        rest = [bytes_to_lab(squint(pixels, n))[..., 0].std() for n in (1, 3, 6, 10)]
        self.assertTrue((np.diff(rest) < 0).all(), rest)

    def test_upside_down_it_is_the_same_so_no_seam_shows_where_two_strips_meet(self):
        """The strips meet at another row of a picture that stands on its head, where its rows are odd in number."""
        for rows in (1, 2, 7, 201):
            pixels = fur(201, 150, 20.0, 8, ground=(30, 5, 14), contrast=14)[:rows]
            upside = np.ascontiguousarray(pixels[::-1])
            for look in (lambda q: squint(q, 6), lift_shadows):
                np.testing.assert_allclose(look(upside)[::-1].astype(int), look(pixels), atol=1)


class Hues(unittest.TestCase):
    def test_stronger_in_the_same_direction_with_values_kept(self):
        pixels = chart()
        strong = boost_hues(pixels, 2.0)
        self.assertLess(float(np.abs(bytes_to_lab(strong)[..., 0] - bytes_to_lab(pixels)[..., 0]).max()), 1.0)
        self.assertLessEqual(int(np.ptp(strong[160:], axis=2).max()), 2)  # greys stay grey
        luma = np.array([0.2126729, 0.7151522, 0.0721750])
        before, after = (srgb_to_linear(q[20:160:40, 20::40] / 255).reshape(-1, 3) for q in (pixels, strong))
        away, gone = before - (before @ luma)[:, None], after - (after @ luma)[:, None]
        cosine = (away * gone).sum(1) / (np.linalg.norm(away, axis=1) * np.linalg.norm(gone, axis=1))
        self.assertGreater(cosine.min(), 0.995)
        ratio = np.linalg.norm(gone, axis=1) / np.linalg.norm(away, axis=1)
        self.assertAlmostEqual(float(np.median(ratio)), 2.0, delta=0.1)
        self.assertTrue((ratio > 0.97).all())


class ValueShapes(unittest.TestCase):
    @settings(max_examples=12)
    @given(steps=st.integers(3, 7), seed=st.integers(0, 10_000))
    def test_steps_run_from_dark_to_light_without_islands(self, steps, seed):
        rng = np.random.default_rng(seed)
        field = cv2.GaussianBlur(rng.normal(0, 1, (180, 240)).astype(np.float32), (0, 0), rng.uniform(3, 14))
        pixels = cv2.merge([cv2.normalize(field, None, 5, 250, cv2.NORM_MINMAX).astype(np.uint8)] * 3)
        labels = value_labels(pixels, steps)
        least = int(LEAST_SHARE * labels.size)
        for step in range(steps):
            n, _, stats, _ = cv2.connectedComponentsWithStats((labels == step).astype(np.uint8), connectivity=4)
            self.assertTrue((stats[1:, cv2.CC_STAT_AREA] >= least).all() or n == 1)
        _, shapes = value_shapes(pixels, steps)
        self.assertTrue((np.diff([q.lightness for q in shapes]) > 0).all())
        self.assertAlmostEqual(sum(q.share for q in shapes), 1.0, places=9)

    def test_three_flat_greys_are_found_as_they_are(self):
        pixels = np.zeros((120, 300, 3), np.uint8)
        for i, value in enumerate((25, 120, 230)):
            pixels[:, i * 100 : (i + 1) * 100] = value
        pixels[60:62, 40:42] = 255  # an island
        picture, shapes = value_shapes(pixels, 3)
        for q, value in zip(shapes, (25, 120, 230), strict=True):
            self.assertAlmostEqual(q.lightness, float(srgb_to_lab([value / 255] * 3)[0]), delta=0.8)
            self.assertAlmostEqual(q.share, 1 / 3, delta=0.02)
        self.assertLess(int(picture[61, 41].max()), 60)
        alone, _ = value_shapes(pixels, 3, only=2)
        self.assertEqual((int(alone[100, 150, 0]), int(alone[100, 50, 0])), (120, 236))

    def test_numbers_that_do_not_exist(self):
        for steps, only in ((2, None), (8, None), (5, 6), (5, 0)):
            with self.assertRaises(Fault):
                value_shapes(chart(), steps, only)


class Isolation(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.pixels = read_picture(PHOTO).pixels
        h, w = cls.pixels.shape[:2]
        cls.truth = cv2.resize((demo_truth().part > 0).astype(np.uint8), (w, h), interpolation=cv2.INTER_NEAREST)
        wide = cv2.dilate(cls.truth, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (101, 101)))
        ring = max(cv2.findContours(wide, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0], key=cv2.contourArea)[:, 0]
        cls.lasso = [(float(x), float(y)) for x, y in ring[:: len(ring) // 60]]

    def iou(self, alpha: np.ndarray) -> float:
        found, true = alpha > 0.5, self.truth > 0
        return float((found & true).sum() / (found | true).sum())

    def test_a_rough_lasso_finds_the_animal_soft_at_the_fur(self):
        alpha = isolate(self.pixels, self.lasso)
        self.assertGreater(self.iou(alpha), 0.94)
        soft = (alpha > 0.1) & (alpha < 0.9)
        self.assertTrue(0.002 < soft.mean() < 0.08, soft.mean())
        blue = on_backdrop(self.pixels, alpha, (0.1, 0.2, 0.9))
        self.assertEqual(blue[30, 30].tolist(), [26, 51, 230])
        inside = cv2.erode(self.truth, np.ones((61, 61))) > 0
        self.assertLess(float(np.abs(blue[inside].astype(int) - self.pixels[inside]).mean()), 1.0)

    def test_a_box_is_enough(self):
        ys, xs = np.nonzero(self.truth)
        box = rectangle(xs.min() - 10.0, ys.min() - 10.0, float(np.ptp(xs)) + 20, float(np.ptp(ys)) + 20)
        self.assertGreater(self.iou(isolate(self.pixels, box)), 0.94)

    def test_strokes_correct_it(self):
        # the ground between the ears is dropped, and a loose outline loses nothing it is told to keep
        between = [(1040.0, 470.0), (1010.0, 620.0)]
        drop = isolate(self.pixels, self.lasso, drop=[between])
        keep = isolate(self.pixels, self.lasso, keep=[[(60.0, 60.0), (160.0, 60.0)]])
        self.assertLess(float(drop[545, 1025]), 0.5)
        self.assertGreater(float(keep[60, 110]), 0.5)

    def test_an_outline_of_nothing(self):
        with self.assertRaises(AreaFault):
            isolate(self.pixels, rectangle(10, 10, 2, 2))


class Surroundings(unittest.TestCase):
    def test_published_example_of_ciecam16(self):
        """Worked example of CIE 248:2022 / Li et al. 2017: XYZ 19.01 20 21.78, white D65, LA 318.31, average."""
        a = appearance([19.01, 20.00, 21.78], 20.0, [95.05, 100.0, 108.88], 318.31)
        np.testing.assert_allclose([a.lightness, a.chroma, a.hue_deg], [41.73120791, 0.10335574, 217.06795977], rtol=2e-5)

    def test_the_same_colour_reads_lighter_on_dark(self):
        white = [92, 0, 3]
        self.assertGreater(seen_step(white, [12, 0, 0]), seen_step(white, [96, 0, 0]) + 0.3)
        for v in (20.0, 50.0, 80.0):
            self.assertAlmostEqual(seen_step([v, 0, 0], [50, 0, 0]), v / 10 + 1, delta=0.02)

    def test_an_animal_on_another_backdrop(self):
        pixels = np.full((200, 200, 3), 20, np.uint8)
        pixels[50:150, 50:150] = 210
        alpha = (pixels[..., 0] > 100).astype(np.float32)
        on_white, on_same = reads(pixels, alpha, (0.97, 0.97, 0.95)), reads(pixels, alpha, (20 / 255,) * 3)
        for white, same in zip(on_white, on_same, strict=True):
            self.assertLess(white.on_backdrop, white.in_photo - 0.2)
            self.assertAlmostEqual(same.on_backdrop, same.in_photo, delta=0.02)
        with self.assertRaises(AreaFault):
            reads(pixels, np.zeros((200, 200)), (1, 1, 1))


class Terminal(unittest.TestCase):
    def test_every_look_is_written(self):
        photo, rect = str(PHOTO), "460,20,1530,1575"
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "look.png"
            ask("study", photo, "--squint", "3", "--out", str(out))
            self.assertEqual(read_picture(out).size, (2000, 1600))
            d = ask("study", photo, "--value-shapes", "4", "--out", str(out))
            self.assertEqual([q["step"] for q in d["shapes"]], [1, 2, 3, 4])
            self.assertLessEqual(len(np.unique(read_picture(out).pixels)), 8)  # four greys and their borders
            d = ask("study", photo, "--isolate", rect, "--out", str(out))
            with_alpha = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)
            self.assertAlmostEqual(with_alpha[..., 3].mean() / 255, d["covered"], delta=0.002)
            d = ask("study", photo, "--isolate", rect, "--backdrop", "#f4f3ef", "--out", f"{folder}/on.jpg", "--neutral", "auto")
            self.assertEqual([q["part"] for q in d["reads"]], ["darks", "middle", "lights"])
            self.assertEqual(sorted(p.name for p in Path(folder).iterdir()), ["look.png", "on.jpg"])
            code, said, _ = run("study", photo, "--squint", "2", "--neutral", "700,300", "--exposure", "0.5", "--out", str(out))
            self.assertEqual((code, said), (0, f"{out}: 2000 × 1600 px\n"))

    def test_faults(self):
        photo = str(PHOTO)
        for args, words in (
            (("--squint", "0", "--out", "a.png"), "--squint"),
            (("--value-shapes", "9", "--out", "a.png"), "3 to 7"),
            (("--squint", "2", "--backdrop", "#ffffff", "--out", "a.png"), "--isolate"),
            (("--isolate", "0,0,900,900", "--out", "a.jpg"), "transparency"),
            (("--squint", "2", "--out", "a.txt"), "ending"),
            (("--squint", "2", "--out", "/nowhere/a.png"), "could not be written"),
            (("--squint", "2", "--neutral", "9999,1", "--out", "a.png"), "outside"),
            (("--squint", "2", "--exposure", "5", "--out", "a.png"), "exposure"),
            (("--out", "a.png"), "required"),
        ):
            code, out, err = run("study", photo, *args)
            self.assertEqual((code, out, err.count("\n")), (2, "", 1), (args, err))
            self.assertIn(words, err)

    def test_transparency_goes_through_a_file(self):
        pixels = np.dstack([chart(), np.full(chart().shape[:2], 255, np.uint8)])
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "whole.png"
            write_picture(path, pixels)
            np.testing.assert_array_equal(read_picture(path).pixels, pixels[..., :3])
