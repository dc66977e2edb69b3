"""Eyes, noses, whiskers, combing, feathers, markings, light and printer, against drawn truth that the measures never see."""

import unittest
from dataclasses import replace

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.area.combing import comb, correct_axes, curvature, lie
from hanabira.core.area.eye import compare_eyes, measure_eye, pair_word
from hanabira.core.area.feathers import measure_feathers
from hanabira.core.area.hair import HairField, measure_hair
from hanabira.core.area.nose import measure_nose
from hanabira.core.area.pattern import find_pattern, svg
from hanabira.core.area.shape import Region, cut, rectangle
from hanabira.core.area.whiskers import measure_whiskers
from hanabira.core.colour.spaces import bytes_to_lab, lab_to_srgb
from hanabira.core.faults import AreaFault, Fault
from hanabira.core.study.printer import BLACK_L, PAPER_L, STRIPES, WEDGE, WedgeReading, correction, stripe_lightness, tone
from hanabira.core.study.sun import between, estimate_sun, side_of
from hanabira.core.study.warmth import warmth_map
from tests.fur import fur


def whole(pixels: np.ndarray) -> Region:
    return Region(pixels, np.ones(pixels.shape[:2], bool), 0, 0)


def drawn_eye(iris, form="round", glint=(0.35, 120.0), r=70.0, seed=1) -> np.ndarray:
    """An eye in grey fur: iris darker at its rim and under the lid, pupil of a form, one cool catchlight."""
    rng, n, c = np.random.default_rng(seed), 260, 130.0
    y, x = np.mgrid[0:n, 0:n]
    rho = np.hypot(x - c, y - c) / r
    out = np.full((n, n, 3), 72.0) + rng.normal(0, 9, (n, n, 1))
    tint = np.array(iris, float) * (1 - 0.35 * np.clip((rho - 0.6) / 0.4, 0, 1))[..., None] * (1 + 0.12 * rng.normal(0, 1, (n, n, 1)))
    tint *= (1 - 0.45 * np.clip((c - y) / r - 0.25, 0, 1))[..., None]
    out = np.where((rho < 1)[..., None], tint, out)
    a, b = {"round": (0.4, 0.4), "upright slit": (0.16, 0.72), "flat bar": (0.68, 0.18)}[form]
    out[((x - c) / (a * r)) ** 2 + ((y - c) / (b * r)) ** 2 < 1] = 8
    t = np.radians(glint[1])
    out[np.hypot(x - c - glint[0] * r * np.cos(t), y - c + glint[0] * r * np.sin(t)) < 0.13 * r] = (222, 235, 252)
    return cv2.GaussianBlur(np.clip(out, 0, 255), (0, 0), 1.4).astype(np.uint8)


class Eyes(unittest.TestCase):
    def test_pupil_iris_and_catchlight_of_drawn_eyes(self):
        for iris, word in (((200, 140, 50), "amber"), ((110, 150, 190), "blue"), ((130, 160, 90), "green"), ((92, 56, 30), "brown")):
            for form, area in (("round", 0.4), ("upright slit", 0.34), ("flat bar", 0.35)):
                with self.subTest(iris=word, form=form):
                    # clicked six pixels beside the middle, three beyond the rim
                    eye = measure_eye(drawn_eye(iris, form), (136, 126), (209, 130))
                    np.testing.assert_allclose(eye.centre, (130, 130), atol=3)
                    self.assertAlmostEqual(eye.iris_px, 70, delta=4)
                    self.assertAlmostEqual(eye.pupil_px, area * 70, delta=4)
                    self.assertEqual((eye.pupil_form, eye.iris_word), (form, word))
                    self.assertLess(between(eye.catchlight.angle_deg, 120), 12)
                    self.assertEqual(eye.catchlight.tint, "cool")
                    self.assertGreater(eye.lid_shadow, 3)
                    self.assertGreater(eye.rings["middle"][0], eye.rings["outer"][0])

    def test_a_dark_eye_has_no_pupil_edge_and_places_that_cannot_be(self):
        eye = measure_eye(drawn_eye((14, 11, 10)), (130, 130), (200, 130))
        self.assertIsNone(eye.pupil_px)
        self.assertEqual(eye.iris_word, "black")
        with self.assertRaises(AreaFault):
            measure_eye(drawn_eye((90, 60, 30)), (130, 130), (132, 130))

    def test_two_eyes_compared(self):
        a = measure_eye(drawn_eye((200, 140, 50), glint=(0.35, 120.0)), (130, 130), (200, 130))
        b = measure_eye(drawn_eye((200, 140, 50), glint=(0.35, 20.0)), (130, 130), (200, 130))
        moved = b.__class__(**{**b.__dict__, "centre": (530.0, 95.0), "iris_px": 80.0})
        pair = compare_eyes(a, moved)
        self.assertAlmostEqual(pair.axis_deg, 5.0, delta=0.6)
        self.assertAlmostEqual(pair.size_ratio, 80 / a.iris_px, places=6)
        self.assertGreater(pair.catchlights_deg, 80)
        self.assertTrue(any("apart" in w for w in pair.words))
        self.assertEqual(pair.iris_word, "amber")
        self.assertTrue(any("Both irises read as amber" in w for w in pair.words))

    def test_one_animal_has_one_iris_word(self):
        lit = measure_eye(drawn_eye((200, 140, 50)), (130, 130), (200, 130))
        shaded = measure_eye(drawn_eye((112, 76, 36)), (130, 130), (200, 130))
        small = replace(shaded, iris_px=shaded.iris_px / 3)
        self.assertEqual((lit.iris_word, shaded.iris_word), ("amber", "brown"))
        self.assertEqual(pair_word(lit, small), "amber")  # by surface: the larger one tells
        self.assertEqual(pair_word(replace(lit, iris_px=10.0), shaded), "brown")
        self.assertEqual(pair_word(lit, replace(shaded, sky=True)), "amber")
        self.assertEqual(pair_word(replace(lit, shine=True), shaded), "brown")
        self.assertTrue(any("reads as" in w for w in compare_eyes(lit, small).words))


class Noses(unittest.TestCase):
    def nose(self, leather, turn=0.0, pitch=9.0) -> np.ndarray:
        rng, h, w = np.random.default_rng(2), 180, 260
        y, x = np.mgrid[0:h, 0:w].astype(float)
        grain = (
            np.cos(2 * np.pi * x / pitch)
            + np.cos(2 * np.pi * (0.5 * x + 0.866 * y) / pitch)
            + np.cos(2 * np.pi * (0.5 * x - 0.866 * y) / pitch)
        )
        lab = np.empty((h, w, 3))
        lab[:] = leather
        lab[..., 0] += 2.2 * grain + rng.normal(0, 1.2, (h, w))
        t = np.radians(turn)
        for sign in (-1, 1):
            cx, cy = 130 + sign * 60 * np.cos(t), 95 - sign * 60 * np.sin(t)
            hole = np.hypot((x - cx) / 1.5, y - cy) < 16
            lab[hole] = (leather[0] * 0.25, leather[1] * 0.3, leather[2] * 0.3)
        lab[np.hypot(x - 130, y - 50) < 7] = (92, 0, -3)
        return (np.clip(cv2.GaussianBlur(lab_to_srgb(lab), (0, 0), 1.0), 0, 1) * 255).astype(np.uint8)

    def test_nostrils_axis_pebbles_and_pigment(self):
        for leather, word in (((62, 22, 12), "pink"), ((22, 1, 2), "black"), ((40, 9, 13), "brown")):
            for turn in (0.0, 9.0):
                nose = measure_nose(whole(self.nose(leather, turn)))
                self.assertEqual((nose.pigment, len(nose.nostrils)), (word, 2))
                self.assertAlmostEqual(nose.axis_deg, turn, delta=1.5)
        nose = measure_nose(whole(self.nose((40, 9, 13), 9.0)))
        self.assertIn("a guess", nose.against(0.0))  # until the artist confirms them
        nose = measure_nose(whole(self.nose((40, 9, 13), 9.0)), nose.nostrils)
        self.assertIn("9° up", nose.against(0.0).replace("10°", "9°"))
        self.assertGreater(nose.wet_share, 0.001)
        self.assertGreater(nose.wet_lab[0], 80)
        self.assertAlmostEqual(nose.pebble_px, 9.0 / 0.866, delta=2)

    def test_a_nose_from_the_side_has_one_nostril_and_the_shade_below_is_none(self):
        pixels = self.nose((40, 9, 13))
        pixels[80:112, 30:104] = pixels[140:172, 30:104]  # the left one is not seen
        cv2.ellipse(pixels, (110, 172), (50, 8), 0, 0, 360, (9, 7, 7), -1)
        found = measure_nose(whole(pixels))
        self.assertEqual(len(found.nostrils), 1)
        self.assertLess(np.hypot(found.nostrils[0][0] - 190, found.nostrils[0][1] - 95), 8)
        self.assertIsNone(found.axis_deg)
        plain = self.nose((40, 9, 13))
        plain[70:120] = plain[125:175]
        self.assertEqual(measure_nose(whole(plain)).nostrils, ())


def whiskers_in(pixels):
    """What is found in a whole picture."""
    return measure_whiskers(pixels, whole(pixels))


class Whiskers(unittest.TestCase):
    def planted(self, n: int, ground: float, line: float, seed: int) -> np.ndarray:
        rng = np.random.default_rng(seed)
        grey = ground + 36 * cv2.GaussianBlur(rng.normal(0, 1, (400, 500)).astype(np.float32), (0, 0), 1.2)
        for k in range(n):
            x, y, a = 60 + rng.random() * 60, 60 + 40 * k, rng.uniform(-0.25, 0.25)
            line_ = np.array([(x + t * 9, y + t * 9 * np.tan(a) + 0.15 * t * t) for t in range(30)], np.int32)
            cv2.polylines(grey, [line_], False, line, 2, cv2.LINE_AA)
        return np.repeat(np.clip(cv2.GaussianBlur(grey, (0, 0), 0.7), 0, 255).astype(np.uint8)[..., None], 3, 2)

    def test_planted_whiskers_are_counted_and_none_are_invented(self):
        for ground, line, light in ((45.0, 235.0, True), (200.0, 60.0, False)):
            found = whiskers_in(self.planted(8, ground, line, 4))
            self.assertAlmostEqual(found.count, 8, delta=1)
            self.assertTrue(all(w.light == light for w in found.found))
            self.assertAlmostEqual(found.length_px, 285, delta=45)
            self.assertEqual(found.over_light > 0.7, not light)
        for seed in (1, 2, 3):
            self.assertEqual(whiskers_in(self.planted(0, 90.0, 0.0, seed)).count, 0)
            self.assertLessEqual(whiskers_in(fur(300, 400, 25.0 * seed, seed)).count, 1)


    def test_whiskers_are_followed_beyond_the_muzzle_and_lead_back_to_it(self):
        pixels = fur(400, 500, 20.0, 6, contrast=9)
        lines = [((230, 190), (60, 150)), ((235, 205), (50, 215)), ((230, 215), (70, 290))]
        for a, b in lines:
            cv2.line(pixels, a, b, (245, 244, 240), 2, cv2.LINE_AA)
        cv2.line(pixels, (40, 380), (300, 330), (245, 244, 240), 2, cv2.LINE_AA)  # a straw that passes by
        muzzle = cut(pixels, rectangle(210, 160, 110, 90))
        found = measure_whiskers(pixels, muzzle)
        self.assertEqual(found.count, 3)
        tips = sorted((w.tip for w in found.found), key=lambda p: p[1])
        for (x, y), (_root, tip) in zip(tips, lines, strict=True):
            self.assertLess(np.hypot(x - tip[0], y - tip[1]), 12)
        self.assertTrue(all(w.tip[0] < w.root[0] for w in found.found))
        self.assertEqual(found.lost, 0.0)
        self.assertIn("what is darker", found.words(None))
        pale = [replace(w, over_l=w.own_l - 5) for w in found.found]
        self.assertIn("cannot show", replace(found, found=tuple(pale)).words(None))
        self.assertIn("drawn last", replace(found, found=tuple(replace(w, light=False) for w in pale)).words(None))
        alone = fur(400, 500, 20.0, 6, contrast=9)
        cv2.line(alone, *lines[0], (245, 244, 240), 2, cv2.LINE_AA)
        self.assertEqual(measure_whiskers(alone, muzzle).count, 0)  # one alone is a hair


class Combing(unittest.TestCase):
    FLOWS = {
        "straight": lambda x, y: 200 + 0 * x,
        "waves": lambda x, y: 60 + 40 * np.sin(x / 9) + 20 * np.sin(y / 7),
        "from one point": lambda x, y: np.degrees(np.arctan2(-(y - 30.3), x - 40.4)),
        "whorl": lambda x, y: np.degrees(np.arctan2(-(y - 30.3), x - 40.4)) + 60,
        "turning over": lambda x, y: 3.0 * x,
    }

    @given(st.sampled_from(sorted(FLOWS)), st.integers(0, 10_000), st.floats(-15, 15))
    @settings(max_examples=25)
    def test_one_arrow_gives_every_cell_its_way(self, name, seed, wrong):
        rng = np.random.default_rng(seed)
        y, x = np.mgrid[0:60, 0:80]
        true = self.FLOWS[name](x, y) % 360
        field = HairField((true + rng.normal(0, 4, true.shape)) % 180, np.full(true.shape, 0.6), np.ones(true.shape, bool), 4.0)
        i, j = int(rng.integers(8, 52)), int(rng.integers(8, 72))
        if name in ("from one point", "whorl") and np.hypot(j - 40, i - 30) < 8:
            return  # an arrow across the whorl's eye says two things at once
        a = np.radians(true[i, j] + wrong)
        root = np.array([4 * j + 2, 4 * i + 2.0])
        combed = comb(field, [[tuple(root), tuple(root + 24 * np.array([np.cos(a), -np.sin(a)]))]], (0, 0))
        right = np.cos(np.radians(combed.direction_deg - true)) > 0
        self.assertGreaterEqual(right.mean(), 0.99)
        self.assertIsNone(comb(field, [], (0, 0)))

    def test_a_stroke_corrects_what_was_read_wrongly_and_leaves_the_rest(self):
        field = HairField(np.full((40, 60), 30.0), np.full((40, 60), 0.6), np.ones((40, 60), bool), 4.0)
        fixed, touched = correct_axes(field, [[(40, 120), (40, 60)]], (0, 0))
        self.assertAlmostEqual(float(fixed.direction_deg[22, 9]), 90, delta=3)
        self.assertAlmostEqual(float(fixed.direction_deg[22, 55]), 30, delta=1e-6)
        self.assertTrue(touched[22, 9] and not touched[22, 55])
        agreeing, touched = correct_axes(field, [[(40, 120), (92, 90)]], (0, 0))
        self.assertFalse(touched.any())
        np.testing.assert_array_equal(agreeing.direction_deg, field.direction_deg)
        blind = HairField(field.direction_deg, field.coherence * 0.1, np.zeros((40, 60), bool), 4.0)
        self.assertTrue(correct_axes(blind, [[(40, 120), (40, 60)]], (0, 0))[0].sure.all())

    def test_curvature_of_circles_and_the_words_for_it(self):
        for cx, span in ((200.0, 1.0), (140.0, 1.0)):
            y, x = np.mgrid[0:80, 0:80]
            radius = np.hypot(x - cx, y - 40)
            theta = (np.degrees(np.arctan2(-(y - 40), x - cx)) + 90) % 180
            field = HairField(theta, np.full(theta.shape, 0.7), np.ones(theta.shape, bool), 4.0)
            bend = np.abs(curvature(field))[10:-10, 10:-10] * (4 * radius[10:-10, 10:-10])
            self.assertLess(abs(np.median(bend) - 1), 0.15 * span)
            self.assertEqual(lie(field, 160.0)[1], "bent one way")
            self.assertEqual(lie(field, 20.0)[1], "straight")
        wave = (60 + 40 * np.sin(np.mgrid[0:80, 0:80][1] / 4.0)) % 180
        self.assertEqual(lie(HairField(wave, np.full(wave.shape, 0.7), np.ones(wave.shape, bool), 4.0), 24.0)[1], "wavy")


class NotHair(unittest.TestCase):
    def test_eyes_and_noses_are_no_fur(self):
        for iris in ((200, 140, 50), (110, 150, 190), (60, 36, 20), (130, 160, 90)):
            for form in ("round", "upright slit", "flat bar"):
                pixels = drawn_eye(iris, form)[55:205, 55:205]
                y, x = np.mgrid[0:150, 0:150]
                hair, _ = measure_hair(bytes_to_lab(pixels)[..., 0], np.hypot(x - 75, y - 75) < 72)
                self.assertIsNone(hair.direction_deg, f"{iris} {form}")
                self.assertTrue(hair.reason)


def scalloped(spacing: float, axis: float, seed: int, n: int = 260) -> np.ndarray:
    """Rows of overlapping round feathers, each row set off by half, drawn from the tail to the head."""
    rng, c, t = np.random.default_rng(seed), float(n), np.radians(axis)
    out = np.full((2 * n, 2 * n), 60, np.float32)
    m = int(1.5 * n / spacing)
    for i in range(-m, m):
        for j in range(-m, m):
            u, v = i * spacing + rng.normal(0, 0.07 * spacing), (j + 0.5 * (i % 2)) * 1.1 * spacing + rng.normal(0, 0.07 * spacing)
            x, y = c + u * np.cos(t) + v * np.sin(t), c - u * np.sin(t) + v * np.cos(t)
            if -20 < x < 2 * n + 20 and -20 < y < 2 * n + 20:
                base = 110 + float(rng.normal(0, 6))
                for back, a, b, tone_ in ((0.0, 1.0, 0.6, 0.55), (0.12, 0.9, 0.52, 1.0)):
                    at = (int((x - back * spacing * np.cos(t)) * 8), int((y + back * spacing * np.sin(t)) * 8))
                    cv2.ellipse(out, at, (int(a * spacing * 8), int(b * spacing * 8)), -axis, 0, 360, base * tone_, -1, cv2.LINE_AA, 3)
    out = out[n // 2 : n // 2 + n, n // 2 : n // 2 + n] + cv2.GaussianBlur(rng.normal(0, 30, (n, n)).astype(np.float32), (0, 0), 1)
    return np.repeat(np.clip(cv2.GaussianBlur(out, (0, 0), 0.8), 0, 255).astype(np.uint8)[..., None], 3, 2)


class Feathers(unittest.TestCase):
    def test_rows_of_scallops_are_measured(self):
        for spacing, axis in ((16, 80), (24, 30), (30, 150), (22, 10)):
            pixels = scalloped(spacing, axis, spacing)
            _hair, field = measure_hair(bytes_to_lab(pixels)[..., 0], np.ones(pixels.shape[:2], bool))
            found = measure_feathers(whole(pixels), field)
            self.assertAlmostEqual(found.row_px, spacing, delta=0.1 * spacing)
            self.assertLess(abs((found.shaft_deg - axis + 90) % 180 - 90), 8)

    def test_fur_and_flat_tone_have_no_rows(self):
        for pixels in (fur(260, 260, 40, 3), np.full((260, 260, 3), 120, np.uint8)):
            _hair, field = measure_hair(bytes_to_lab(pixels)[..., 0], np.ones(pixels.shape[:2], bool))
            found = measure_feathers(whole(pixels), field)
            self.assertIsNone(found.row_px)
            self.assertTrue(found.reason)

    def test_rows_that_the_artist_set_are_those(self):
        pixels = np.full((200, 300, 3), 128, np.uint8)
        self.assertIsNone(measure_feathers(whole(pixels), None).row_px)
        found = measure_feathers(whole(pixels), None, ((40.0, 120.0), (52.0, 104.0)))
        self.assertTrue(found.said)
        self.assertAlmostEqual(found.row_px, 20.0)
        self.assertAlmostEqual(found.shaft_deg, np.degrees(np.arctan2(16, 12)))
        back = measure_feathers(whole(pixels), None, ((52.0, 104.0), (40.0, 120.0)))
        self.assertAlmostEqual(back.shaft_deg, found.shaft_deg)


class Markings(unittest.TestCase):
    def spotted(self, seed: int) -> tuple[np.ndarray, np.ndarray, list]:
        rng = np.random.default_rng(seed)
        light, dark = fur(320, 360, 20, seed, ground=(66, 9, 28)), fur(320, 360, 20, seed + 1, ground=(24, 7, 9))
        soft, middles = np.zeros((320, 360), np.float32), []
        while len(middles) < 9:
            c = rng.uniform((30, 30), (330, 290))
            if all(np.hypot(*(c - q)) > 62 for q in middles):
                middles.append(c)
                cv2.circle(soft, (int(c[0]), int(c[1])), 18, 1.0, -1, cv2.LINE_AA)
        truth = soft > 0.5
        soft = cv2.GaussianBlur(soft, (0, 0), 2.0)[..., None]
        shade = np.linspace(0.8, 1.2, 360)[None, :, None]
        return np.clip((light * (1 - soft) + dark * soft) * shade, 0, 255).astype(np.uint8), truth, middles

    def test_spots_are_separated_counted_and_traced(self):
        for seed in (3, 8):
            pixels, truth, middles = self.spotted(seed)
            found = find_pattern(whole(pixels))
            mask = np.zeros(truth.shape, bool)
            for o in found.outlines:
                mask |= o.mask((0, 0, 360, 320))
            self.assertGreater((mask & truth).sum() / (mask | truth).sum(), 0.8)
            self.assertEqual(found.count, 9)
            self.assertAlmostEqual(found.size_px, 36, delta=5)
            near = np.median([sorted(np.hypot(*(a - b)) for b in middles)[1] for a in middles])
            self.assertAlmostEqual(found.spacing_px, near, delta=5)
            self.assertLess(found.lab[0], found.ground_lab[0] - 20)

    def test_the_artist_adds_and_takes_parts(self):
        pixels, _truth, middles = self.spotted(3)
        x, y = middles[0]
        ring = tuple((x + 30 * np.cos(t), y + 30 * np.sin(t)) for t in np.linspace(0, 6.28, 16))
        self.assertEqual(find_pattern(whole(pixels), [("away", ring)]).count, 8)
        far = tuple((px, py) for px, py in ((2, 2), (24, 2), (24, 24), (2, 24)))
        self.assertGreaterEqual(find_pattern(whole(pixels), [("add", far)]).coverage, find_pattern(whole(pixels)).coverage)

    def test_svg_is_in_millimetres(self):
        import xml.etree.ElementTree as ET

        root = ET.fromstring(svg([((10, 20), (30, 20), (30, 60))], (100, 80), "Cheek & bib", 0.5, (10, 10)))
        self.assertEqual((root.attrib["width"], root.attrib["viewBox"]), ("100.00mm", "0 0 100.00 80.00"))
        path = root.find("{http://www.w3.org/2000/svg}path")
        self.assertTrue(path.attrib["d"].startswith("M0.00 5.00 L10.00 5.00"))


class LightAndWarmth(unittest.TestCase):
    def test_a_lit_ball_tells_where_the_light_is(self):
        for true in (20.0, 135.0, 250.0):
            y, x = np.mgrid[0:240, 0:240]
            u, v = (x - 120) / 90, (120 - y) / 90
            inside = np.hypot(u, v) < 1
            z = np.sqrt(np.clip(1 - u * u - v * v, 0, 1))
            t = np.radians(true)
            shade = 0.12 + 0.8 * np.clip(0.8 * (u * np.cos(t) + v * np.sin(t)) + 0.6 * z, 0, 1)
            patches = np.where(np.sin(x / 17) * np.sin(y / 13) > 0.2, 0.55, 1.0)
            pixels = np.where(inside, 255 * (shade * patches) ** (1 / 2.2), 110)
            pixels = np.repeat(pixels.astype(np.uint8)[..., None], 3, 2)
            sun = estimate_sun(pixels, inside.astype(np.float32))
            self.assertLess(between(sun.direction_deg, true), 15)
            self.assertTrue(sun.clear)

    def test_sides(self):
        self.assertEqual(side_of((90, 50), (0, 0, 100, 100), 0.0), "on the light side")
        self.assertEqual(side_of((50, 95), (0, 0, 100, 100), 90.0), "on the shadow side")
        self.assertEqual(side_of((50, 50), (0, 0, 100, 100), 33.0), "between light and shade")

    def test_warm_and_cool_are_told_against_the_animals_own_middle(self):
        lab = np.zeros((90, 120, 3))
        lab[:] = (55, 14, 30)  # an orange coat: all of it is warm against grey
        lab[:, :40] = (55, 6, 18)
        lab[:, 80:] = (55, 22, 42)
        pixels = np.round(np.clip(lab_to_srgb(lab), 0, 1) * 255).astype(np.uint8)
        picture, told = warmth_map(pixels)
        np.testing.assert_allclose(told.neutral, (14, 30), atol=1)
        self.assertAlmostEqual(told.cool_share, 1 / 3, delta=0.03)
        self.assertAlmostEqual(told.warm_share, 1 / 3, delta=0.03)
        seen = bytes_to_lab(picture)
        self.assertLess(seen[45, 15, 2], -8)
        self.assertLess(abs(seen[45, 60, 2]), 2)
        self.assertGreater(seen[45, 105, 2], 8)


class Printer(unittest.TestCase):
    """A simulated printer with its own curve and an observer who compares lightness; neither knows the correction."""

    @staticmethod
    def printed(sent, gamma: float, block: float):
        v = np.clip((np.asarray(sent, float) / 100 - block) / (1 - block), 0, 1) ** gamma
        return BLACK_L + (PAPER_L - BLACK_L) * v

    def read(self, gamma: float, block: float) -> WedgeReading:
        steps = self.printed(WEDGE, gamma, block)
        differs = np.flatnonzero(np.diff(steps) > 0.8)
        half = np.arange(1, 21.01, 0.5)
        seen = self.printed((half - 1) * 5, gamma, block)
        like = tuple(float(half[np.argmin(np.abs(seen - stripe_lightness(s)))]) for s in STRIPES)
        return WedgeReading(float(differs[0] + 2), like, float(np.flatnonzero(steps < PAPER_L - 0.8)[-1] + 1))

    def test_a_bad_printer_becomes_even(self):
        for gamma, block in ((1.5, 0.1), (0.7, 0.0), (1.2, 0.05)):
            table = correction(tone(self.read(gamma, block)))
            wanted = BLACK_L + (PAPER_L - BLACK_L) * np.arange(101) / 100
            before = np.abs(self.printed(np.arange(101), gamma, block) - wanted)[5:96].mean()
            after = np.abs(self.printed(table, gamma, block) - wanted)[5:96].mean()
            self.assertLess(after, 3.0, f"γ {gamma}")
            self.assertLess(after, 0.5 * before + 0.6)
            self.assertTrue((np.diff(table) >= -1e-9).all())

    def test_steps_out_of_order_are_refused(self):
        with self.assertRaises(Fault):
            tone(WedgeReading(5, (12, 8, 16), 20))
        with self.assertRaises(Fault):
            tone(WedgeReading(0, (8, 12, 16), 22))
