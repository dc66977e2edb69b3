"""Casts suspected unasked: scenes drawn here under known lights."""

import unittest

import cv2
import numpy as np

from hanabira.core.colour.spaces import XYZ_TO_RGB, lab_to_xyz, linear_to_srgb
from hanabira.core.study.cast import clues_of, estimate_cast
from hanabira.craft.readers import cast_model
from tests.core.test_clipping import jpeg
from tests.fur import fur

LAMP, SHADE, GREEN = (1.55, 1.0, 0.5), (0.8, 1.0, 1.45), (0.85, 1.0, 0.75)


def scene(seed: int) -> np.ndarray:
    """Linear light of a grey and a white animal before a wall, lit neutrally, (240, 320, 3)."""
    rng = np.random.default_rng(seed)
    linear = lambda p: (p / 255.0) ** 2.2  # noqa: E731
    grey = linear(fur(240, 160, rng.uniform(0, 180), seed, ground=(rng.uniform(32, 55), 0, rng.uniform(-1, 2)), contrast=12))
    white = linear(fur(240, 160, rng.uniform(0, 180), seed + 50, ground=(rng.uniform(72, 84), 0, rng.uniform(0, 4)), contrast=8))
    out = np.concatenate([grey, white], 1)
    wall = np.clip(XYZ_TO_RGB @ lab_to_xyz(np.array([rng.uniform(30, 65), rng.uniform(-9, 9), rng.uniform(-6, 16)])), 0.01, 0.9)
    yy, xx = np.mgrid[0:240, 0:320]
    back = (np.hypot(xx - 160, yy - 130) > 115 + 12 * np.sin(np.arctan2(yy - 130, xx - 160) * 5))[..., None]
    shade = cv2.GaussianBlur(rng.normal(0, 1, (240, 320)).astype(np.float32), (0, 0), 30)
    return np.where(back, wall, out) * np.exp(0.3 * shade / shade.std())[..., None] * 0.8


def shot(light: np.ndarray, gain: tuple, seed: int) -> np.ndarray:
    g = np.array(gain) / max(gain)
    rng = np.random.default_rng(seed)
    encoded = linear_to_srgb(np.clip(light * g, 0, 1)) + rng.normal(0, 0.006, light.shape)
    return jpeg((np.clip(encoded, 0, 1) * 255 + 0.5).astype(np.uint8), 88)


class Casts(unittest.TestCase):
    def test_strong_casts_are_told_with_their_lean_and_neutral_light_is_not(self):
        told, quiet = {"warm": 0, "cool": 0}, 0
        for seed in range(8):
            light = scene(seed)
            for gain, lean in ((LAMP, "warm"), (SHADE, "cool")):
                found = estimate_cast(shot(light, gain, seed), cast_model())
                told[lean] += found.suspected and found.lean == lean
            plain = estimate_cast(shot(light, (1, 1, 1), seed), cast_model())
            quiet += not plain.suspected
        self.assertGreaterEqual(told["warm"], 7)
        self.assertGreaterEqual(told["cool"], 5)
        self.assertGreaterEqual(quiet, 7)

    def test_taking_it_out_brings_the_white_nearer_to_white(self):
        before, after = [], []
        for seed in range(5):
            pixels = shot(scene(seed), LAMP, seed)
            found = estimate_cast(pixels, cast_model())
            true = np.array(LAMP) / np.linalg.norm(LAMP)
            seen = XYZ_TO_RGB @ np.array(found.white)
            seen = seen / np.linalg.norm(seen)
            after.append(np.degrees(np.arccos(np.clip(seen @ true, -1, 1))))
            before.append(np.degrees(np.arccos(np.clip(true.sum() / np.sqrt(3), -1, 1))))
        self.assertLess(np.mean(after), 0.6 * np.mean(before))

    def test_a_picture_that_tells_nothing_stays_silent(self):
        self.assertIsNone(estimate_cast(np.zeros((100, 100, 3), np.uint8), cast_model()))
        self.assertIsNone(estimate_cast(np.full((100, 100, 3), 255, np.uint8), cast_model()))
        self.assertIsNone(estimate_cast(np.full((300, 400, 3), (190, 110, 60), np.uint8), cast_model()))

    def test_the_clues_find_a_grey_under_a_lamp(self):
        clues = clues_of(shot(scene(3), LAMP, 3))
        self.assertIn("grey", clues)
        (rg, bg), _quality, _spread = clues["grey"]
        self.assertAlmostEqual(rg, np.log(LAMP[0]), delta=0.2)
        self.assertAlmostEqual(bg, np.log(LAMP[2]), delta=0.25)


if __name__ == "__main__":
    unittest.main()
