"""Circles, words and pupils of eyes as photographs show them: lids over the rim, shade over the iris, lights on the edge, clicks that slip."""

import unittest

import cv2
import numpy as np

from hanabira.core.area.eye import eye_frame, iris_word, measure_eye
from hanabira.core.area.eye_circle import fit_circle
from tests.core.test_anatomy import drawn_eye

IRIS = (190, 150, 60)
CLICKS = ((0.12, -0.08, 1.08), (-0.10, 0.10, 0.93), (0.0, 0.14, 1.1), (-0.12, -0.1, 0.9))


def lidded(pixels, low=96):
    """The same eye with a furred lid over its upper part."""
    out = pixels.copy()
    y, x = np.mgrid[0:260, 0:260]
    fur = np.random.default_rng(4).normal(60, 14, (260, 260, 1)).clip(0, 255)
    lid = y < low + ((x - 130) / 70.0) ** 2 * 18
    return np.where(lid[..., None], cv2.GaussianBlur(np.repeat(fur, 3, 2), (0, 0), 1.0), out).astype(np.uint8)


class Circles(unittest.TestCase):
    def test_slipping_clicks_come_to_the_same_circle_under_a_lid_and_without(self):
        for name, pixels in (("open", drawn_eye(IRIS)), ("lid", lidded(drawn_eye(IRIS))), ("light on the rim", drawn_eye(IRIS, glint=(0.95, 40.0)))):
            for dx, dy, f in CLICKS:
                with self.subTest(eye=name, click=(dx, dy, f)):
                    frame = eye_frame(pixels, (130 + 70 * dx, 130 + 70 * dy), 70 * f)
                    np.testing.assert_allclose(frame.centre, (130, 130), atol=11 if name == "lid" else 7)
                    self.assertAlmostEqual(frame.radius / frame.k, 70, delta=10 if name == "lid" else 7)

    def test_a_rim_without_contrast_is_found_by_colour(self):
        pixels = drawn_eye(IRIS).astype(float)
        lab = cv2.cvtColor((pixels / 255).astype(np.float32), cv2.COLOR_RGB2Lab)
        y, x = np.mgrid[0:260, 0:260]
        rho = np.hypot(x - 130, y - 130) / 70
        lab[..., 0] = np.where(rho > 0.75, 45, lab[..., 0])  # all one lightness at the rim: no step to be found there
        frame = cv2.GaussianBlur(np.random.default_rng(1).normal(0, 1.5, lab.shape[:2]).astype(np.float32), (0, 0), 1.0)
        lab[..., 0] += frame
        cx, cy, r = fit_circle(lab[13:247, 13:247], 117, 64.0)
        self.assertLess(np.hypot(cx - 117, cy - 117), 7)
        self.assertAlmostEqual(r, 70, delta=7)


class Words(unittest.TestCase):
    def test_an_iris_is_called_by_what_the_light_falls_on(self):
        amber = drawn_eye((205, 150, 60))
        y = np.mgrid[0:260, 0:260][0]
        shaded = (amber * np.clip(0.35 + (y - 90) / 110, 0.35, 1)[..., None]).astype(np.uint8)
        self.assertEqual(measure_eye(amber, (130, 130), (200, 130)).iris_word, "amber")
        self.assertEqual(measure_eye(shaded, (130, 130), (200, 130)).iris_word, "amber")

    def test_weak_colours_are_grey_or_pale_and_dark_ones_stay_dark(self):
        self.assertEqual([iris_word(v) for v in ((43, 4, 8), (30, 4, 8), (64, 0, 5), (12, 1, 2), (46, 4, 28))], ["grey", "brown", "pale", "black", "amber"])

    def test_shade_under_a_lid_is_no_part_of_the_pupil(self):
        pixels = drawn_eye((150, 150, 140)).astype(float)
        y, x = np.mgrid[0:260, 0:260]
        under = (np.hypot(x - 130, y - 130) < 69) & (y < 128) & (np.hypot(x - 130, y - 130) > 27)
        pixels[under] *= 0.42
        eye = measure_eye(np.clip(pixels, 0, 255).astype(np.uint8), (130, 130), (200, 130))
        self.assertAlmostEqual(eye.pupil_px, 28, delta=6)

    def test_every_light_has_its_place(self):
        pixels = drawn_eye(IRIS, glint=(0.35, 120.0))
        cv2.circle(pixels, (130 + 30, 130 + 25), 7, (250, 250, 250), -1, cv2.LINE_AA)
        lights = measure_eye(pixels, (130, 130), (200, 130)).lights
        self.assertEqual(len(lights), 2)
        for x, y in ((130 - 12.3, 130 - 21.2), (160, 155)):
            self.assertLess(min(np.hypot(a - x, b - y) for a, b, _r in lights), 3)
        self.assertTrue(all(5 < r < 14 for _x, _y, r in lights))


if __name__ == "__main__":
    unittest.main()
