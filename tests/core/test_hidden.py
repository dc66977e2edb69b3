"""Hues that hide in black and white coats: planted ones are found with their hue, plain coats stay silent, clipped pixels say nothing."""

import unittest

import cv2
import numpy as np

from hanabira.core.area.hidden import hidden_hues, stronger
from hanabira.core.colour.spaces import bytes_to_lab, hue_deg, lab_to_srgb
from tests.core.test_clipping import jpeg
from tests.fur import fur


def coat(rng: np.random.Generator, black: bool, size: int = 150) -> np.ndarray:
    """L*a*b* of a black or white coat with a small lean of its own."""
    hairs = bytes_to_lab(fur(size, size, rng.uniform(0, 180), int(rng.integers(1e6)), contrast=8))[..., 0]
    hairs = cv2.GaussianBlur((hairs - np.median(hairs)) / hairs.std(), (0, 0), 0.8)
    lab = np.zeros((size, size, 3), np.float32)
    lab[..., 0] = np.clip(rng.uniform(15, 26) + 5 * hairs, 2, 95) if black else np.clip(rng.uniform(68, 84) + 5 * hairs, 5, 97)
    lab[..., 1:] = rng.normal(0, 0.8, 2) * ((lab[..., :1] + 16) / 80)
    return lab


def planted(rng: np.random.Generator, lab: np.ndarray, strength: float, share: float, hue: float) -> np.ndarray:
    """The coat with blobs of a hue on a share of it."""
    noise = cv2.GaussianBlur(rng.normal(0, 1, lab.shape[:2]).astype(np.float32), (0, 0), float(rng.choice([3.0, 5.0, 8.0])))
    where = cv2.GaussianBlur((noise > np.quantile(noise, 1 - share)).astype(np.float32), (0, 0), 0.7)[..., None]
    out = lab.copy()
    out[..., 1:] += where * strength * np.array([np.cos(np.radians(hue)), np.sin(np.radians(hue))])
    return out


def developed(rng: np.random.Generator, lab: np.ndarray) -> np.ndarray:
    rgb = lab_to_srgb(lab) + rng.uniform(0.003, 0.008) * cv2.GaussianBlur(rng.normal(0, 1, lab.shape).astype(np.float32), (0, 0), 0.7)
    return jpeg(np.clip(rgb * 255 + 0.5, 0, 255).astype(np.uint8), int(rng.integers(75, 93)))


def look(pixels: np.ndarray) -> list:
    return [q for q in hidden_hues(bytes_to_lab(pixels), pixels, np.ones(pixels.shape[:2], bool)).hues if q.where == "specks"]


class Hidden(unittest.TestCase):
    def test_planted_specks_are_found_and_plain_coats_stay_silent(self):
        rng = np.random.default_rng(77)  # the limits come from other material
        met = {(8, 0.02): 0, (5, 0.05): 0}
        false = 0
        for n in range(14):
            lab = coat(rng, n % 2 == 0)
            false += bool(look(developed(rng, lab)))
            for strength, share in met:
                hue = rng.uniform(0, 360)
                found = look(developed(rng, planted(rng, lab, strength, share, hue)))
                # what is found leans to the planted side of the coat's own colour
                own = np.median(lab[..., 1:].reshape(-1, 2), 0)
                met[strength, share] += any(
                    abs((float(hue_deg(np.array([50, *(q.lab[1:] - own)]))) - hue + 180) % 360 - 180) <= 50 for q in found
                )
        self.assertGreaterEqual(met[8, 0.02], 12)
        self.assertGreaterEqual(met[5, 0.05], 11)
        self.assertLessEqual(false, 1)

    def test_a_lean_of_the_lights_is_told(self):
        rng = np.random.default_rng(5)
        lab = coat(rng, True)
        lab[..., 2] -= 9 * np.clip((lab[..., 0] - np.percentile(lab[..., 0], 80)) / 2, 0, 1)
        pixels = developed(rng, lab)
        found = hidden_hues(bytes_to_lab(pixels), pixels, np.ones(pixels.shape[:2], bool)).hues
        lean = next(q for q in found if q.where == "light")
        self.assertLess(lean.lab[2], -3)

    def test_clipped_pixels_say_nothing(self):
        rng = np.random.default_rng(6)
        pixels = developed(rng, coat(rng, False))
        pixels[:110] = (255, 255, 200)
        told = hidden_hues(bytes_to_lab(pixels), pixels, np.ones(pixels.shape[:2], bool))
        self.assertEqual(told.hues, ())
        self.assertLess(told.readable, 0.4)

    def test_stronger_keeps_value_and_hue(self):
        lab = np.array([[20.0, 1.0, -2.0]])
        np.testing.assert_allclose(stronger(lab), [[20.0, 4.0, -8.0]])


if __name__ == "__main__":
    unittest.main()
