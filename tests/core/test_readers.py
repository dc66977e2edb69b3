"""The trained readings on material drawn here: coats under other light, hair against eyes and noses, flashes and skies in eyes, nostrils."""

import unittest

import cv2
import numpy as np

from hanabira.core.area.coat_class import coat_features, coat_shares, counted_shares
from hanabira.core.area.eye import measure_eye
from hanabira.core.area.eye_shine import reflections
from hanabira.core.area.hair_gate import judge
from hanabira.core.area.measures import measure
from hanabira.core.area.nose import measure_nose
from hanabira.core.area.nostrils import nostril_pair
from hanabira.core.area.shape import cut, rectangle
from hanabira.core.colour.spaces import bytes_to_lab, lab_to_srgb, linear_to_srgb, srgb_to_linear
from hanabira.craft.readers import readers
from tests.core.test_places import IRISES, RADIUS, drawn_eye
from tests.fur import fur

COATS = {
    "black": (13, 1, 1), "white": (86, 0, 4), "ginger": (55, 22, 42), "brown": (30, 10, 17), "fawn": (62, 6, 20), "grey": (47, 0, 0), "cream": (80, 3, 18),
}  # fmt: skip


def lit(pixels: np.ndarray, stops: float, cast: tuple[float, float, float] = (1.0, 1.0, 1.0)) -> np.ndarray:
    light = srgb_to_linear(pixels / 255.0) * 2.0**stops * np.array(cast)
    return (linear_to_srgb(np.clip(light, 0, 1)) * 255 + 0.5).astype(np.uint8)


def drawn_nose(seed: int, turn: float = 0.0) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A dark nose in fur, its mask, and the middles of its nostrils (2, 2)."""
    rng = np.random.default_rng(seed)
    h, w = 150, 200
    image = fur(h, w, 60.0, seed, ground=(52, 8, 18)).astype(np.float32)
    yy, xx = np.mgrid[0:h, 0:w]
    cx, cy = 100 + rng.uniform(-4, 4), 75 + rng.uniform(-3, 3)
    t = np.radians(turn)
    u, v = (xx - cx) * np.cos(t) + (yy - cy) * np.sin(t), -(xx - cx) * np.sin(t) + (yy - cy) * np.cos(t)
    mask = (np.abs(u) / 82) ** 2.4 + (np.abs(v) / 58) ** 2.4 < 1
    pebbles = cv2.GaussianBlur(rng.normal(0, 1, (h, w)).astype(np.float32), (0, 0), 1.6)
    leather = np.array([72, 62, 60]) * np.exp(0.12 * pebbles / pebbles.std() - 0.3 * v / 58)[..., None]
    spots = []
    for side in (-1, 1):
        nx, ny = side * rng.uniform(38, 44), 12 + rng.uniform(-2, 2)
        hole = ((u - nx) / 15) ** 2 + ((v - ny) / 11) ** 2 < 1
        leather[hole] = (9, 7, 7)
        spots.append((cx + nx * np.cos(t) - ny * np.sin(t), cy + nx * np.sin(t) + ny * np.cos(t)))
    image[mask] = leather[mask]
    return np.clip(cv2.GaussianBlur(image, (0, 0), 0.8), 0, 255).astype(np.uint8), mask, np.array(spots)


class Coats(unittest.TestCase):
    def test_a_coat_keeps_its_name_in_the_first_two_under_other_exposures(self):
        first = two = total = 0
        for name, ground in COATS.items():
            for seed, stops in ((1, 0.0), (2, -0.5), (3, 0.4)):
                if name == "white" and stops > 0:
                    continue  # burnt out: no coat to name
                pixels = lit(fur(160, 160, 30.0, seed, ground=ground, contrast=6), stops)
                shares = coat_shares(readers().coats, pixels, np.ones((160, 160), bool))
                self.assertAlmostEqual(sum(shares.values()), 1.0, places=5)
                names = list(shares)
                first, two, total = first + (names[0] == name), two + (name in names[:2]), total + 1
        self.assertGreaterEqual(two, 0.9 * total)
        self.assertGreaterEqual(first, 0.7 * total)

    def test_pixels_are_counted_by_the_family_of_their_colour(self):
        named = {"black": (12, 2, 1), "grey": (50, 1, 3), "white": (88, 0, 2), "cream": (82, 5, 22), "brown": (38, 9, 16), "fawn": (58, 7, 20), "ginger": (52, 22, 38), "coloured": (45, -20, 20)}
        for name, lab in named.items():
            self.assertEqual(counted_shares(np.array([lab], float)), {name: 1.0})
        self.assertAlmostEqual(counted_shares(np.array([*named.values(), named["grey"]], float))["grey"], 2 / 9)

    def test_a_sharpened_plain_coat_is_not_flecked_and_the_photos_size_changes_nothing(self):
        rng = np.random.default_rng(2)
        plain = np.clip(np.array(lab_to_srgb(np.array([30.0, 1, 1]))) * 255 + rng.normal(0, 26, (120, 120, 1)), 0, 255).astype(np.uint8)
        mask = np.ones((120, 120), bool)
        shares = coat_shares(readers().coats, np.repeat(plain, 3, 2) if plain.shape[2] == 1 else plain, mask)
        self.assertNotEqual(next(iter(shares)), "flecked")
        for name, ground in COATS.items():
            pixels = fur(200, 200, 30.0, 3, ground=ground, contrast=6)
            first = [
                next(iter(coat_shares(readers().coats, cv2.resize(pixels, None, fx=k, fy=k, interpolation=cv2.INTER_AREA), np.ones((round(200 * k), round(200 * k)), bool))))
                for k in (0.5, 1.0)
            ]
            self.assertEqual(first[0], first[1], name)

    def test_a_fixed_patch_gives_fixed_shares(self):
        x = coat_features(fur(120, 120, 20.0, 9, ground=COATS["ginger"], contrast=6), np.ones((120, 120), bool))
        self.assertEqual(x.shape, (32,))
        shares = readers().coats.shares(x)
        self.assertEqual(next(iter(shares)), "ginger")
        self.assertGreater(shares["ginger"], 0.6)

    def test_clipped_pixels_take_no_part(self):
        pixels = fur(120, 120, 20.0, 9, ground=COATS["ginger"], contrast=6)
        burnt = pixels.copy()
        burnt[:90] = 255
        lost = np.zeros((120, 120), bool)
        lost[:90] = True
        whole = np.ones((120, 120), bool)
        self.assertEqual(next(iter(readers().coats.shares(coat_features(burnt, whole, lost)))), "ginger")
        self.assertNotEqual(next(iter(readers().coats.shares(coat_features(burnt, whole)))), "ginger")


class Gate(unittest.TestCase):
    def test_hair_is_claimed_on_fur_and_not_on_eyes_and_noses(self):
        gate = readers().gate
        whole = lambda p: judge(gate, bytes_to_lab(p)[..., 0], np.ones(p.shape[:2], bool)).claimed  # noqa: E731
        furs = [whole(lit(fur(150, 150, a, n), s)) for n, (a, s) in enumerate(((10.0, 0.0), (70.0, -0.7), (120.0, 0.4), (160.0, 0.0)))]
        self.assertTrue(all(furs))
        eyes = [whole(drawn_eye(iris, n)[0][60:240, 60:240]) for n, iris in enumerate(IRISES.values())]
        noses = [whole(drawn_nose(n)[0]) for n in range(6)]
        self.assertLessEqual(sum(eyes) + sum(noses), 1)

    def test_the_reading_follows_the_gate_and_says_why(self):
        pixels = drawn_eye(IRISES["amber"], 2)[0]
        found = measure(pixels, rectangle(60, 60, 180, 180), None, readers=readers())
        self.assertIsNone(found.hair.direction_deg)
        self.assertIn("no hair to follow", found.hair.reason)
        plain = fur(200, 200, 35.0, 4)
        told = measure(plain, rectangle(0, 0, 200, 200), None, readers=readers())
        self.assertAlmostEqual(told.hair.direction_deg, 35.0, delta=3)
        self.assertEqual(len(told.coats), 9)


class Eyes(unittest.TestCase):
    def test_a_flash_is_told_and_no_plain_eye_is_taken_for_one(self):
        rng = np.random.default_rng(3)
        told = false = 0
        for n, iris in enumerate(IRISES.values()):
            pixels, truth, centre = drawn_eye(iris, n + 30)
            false += reflections(pixels, centre, RADIUS).shine
            shine = pixels.copy()
            shine[truth["pupil"]] = rng.uniform(0.8, 1.0) * np.array([(190, 225, 120), (225, 190, 160), (205, 215, 215)][n % 3])
            shine = cv2.GaussianBlur(shine, (0, 0), 1.0)
            if iris[0] < 45:  # a flash in a pale iris hardly stands out from it
                told += reflections(shine, centre, RADIUS).shine
        self.assertEqual(false, 0)
        self.assertGreaterEqual(told, 1)

    def test_after_a_flash_the_pupils_size_is_withheld(self):
        pixels, truth, centre = drawn_eye(IRISES["dark brown"], 4)
        pixels[truth["pupil"]] = (190, 225, 120)
        eye = measure_eye(cv2.GaussianBlur(pixels, (0, 0), 1.0), centre, (centre[0] + RADIUS, centre[1]))
        self.assertTrue(eye.shine)
        self.assertIsNone(eye.pupil_px)
        self.assertIn(eye.iris_word, ("brown", "black"))

    def test_sky_in_a_dark_eye_is_not_its_colour_and_a_blue_iris_stays_blue(self):
        for n in range(5):
            pixels, truth, centre = drawn_eye((15, 4, 4), n)
            lab = bytes_to_lab(pixels).astype(np.float32)
            yy = np.mgrid[0:300, 0:300][0]
            sky = np.clip((centre[1] - yy) / RADIUS * 1.6, 0, 1) * 0.5
            inside = truth["iris"] | truth["pupil"]
            lab = np.where(inside[..., None], lab * (1 - sky[..., None]) + np.array([62.0, -6, -24]) * sky[..., None], lab)
            mirrored = (np.clip(lab_to_srgb(lab), 0, 1) * 255).astype(np.uint8)
            eye = measure_eye(mirrored, centre, (centre[0] + RADIUS, centre[1]))
            self.assertTrue(eye.sky, n)
            self.assertNotEqual(eye.iris_word, "blue")
            plain, _truth, at = drawn_eye(IRISES["blue"], n)
            real = measure_eye(plain, at, (at[0] + RADIUS, at[1]))
            self.assertEqual(real.iris_word, "blue")
            self.assertFalse(real.sky)


class Noses(unittest.TestCase):
    def test_a_pair_is_given_right_or_not_at_all(self):
        given = 0
        for seed in range(10):
            pixels, mask, truth = drawn_nose(seed, turn=(seed - 5) * 3.0)
            pair, _score = nostril_pair(pixels, mask)
            if pair is not None:
                given += 1
                np.testing.assert_allclose(np.array(pair), truth, atol=7)
        self.assertGreaterEqual(given, 7)

    def test_one_hollow_or_none_stays_silent(self):
        pixels, mask, truth = drawn_nose(3)
        x, y = truth[1].astype(int)
        one = pixels.copy()
        one[y - 14 : y + 15, x - 18 : x + 19] = np.median(pixels[mask], 0)
        self.assertIsNone(nostril_pair(one, mask)[0])
        self.assertIsNone(nostril_pair(np.full((120, 160, 3), 60, np.uint8), np.ones((120, 160), bool))[0])

    def test_no_verdict_rests_on_dots_that_nobody_confirmed(self):
        pixels, _mask, truth = drawn_nose(2, turn=10.0)
        region = cut(pixels, rectangle(8, 8, 184, 134))
        guessed = measure_nose(region)
        self.assertFalse(guessed.confirmed)
        self.assertNotIn("degree", guessed.against(0.0))
        said = measure_nose(region, [tuple(q) for q in truth])
        self.assertTrue(said.confirmed)
        self.assertAlmostEqual(said.axis_deg, -10.0, delta=1.5)
        self.assertNotEqual(said.against(0.0), guessed.against(0.0))


if __name__ == "__main__":
    unittest.main()
