"""Light of the old surroundings in the animal's rim, planted by hand."""

import unittest

import cv2
import numpy as np

from hanabira.core.colour.spaces import bytes_to_lab, lab_to_srgb
from hanabira.core.study.bounce import bounce
from tests.fur import fur


def animal(seed: int, ground=(62, 0, 1), wall=(45, -30, 32), thrown: float = 0.0) -> tuple[np.ndarray, np.ndarray]:
    """A round animal before a coloured wall that throws ``thrown`` a*b* units into its rim; and its coverage."""
    pixels = fur(320, 320, 30.0, seed, ground=ground, contrast=9)
    yy, xx = np.mgrid[0:320, 0:320]
    rho = np.hypot(yy - 160, xx - 160) / 120
    alpha = cv2.GaussianBlur((rho < 1).astype(np.float32), (0, 0), 1.5)
    lab = bytes_to_lab(pixels).astype(np.float32)
    way = np.array(wall[1:]) / np.hypot(*wall[1:]) if np.hypot(*wall[1:]) else np.zeros(2)
    lab[..., 1:] += thrown * np.clip((rho - 0.75) / 0.25, 0, 1)[..., None] * way
    lab = lab * alpha[..., None] + np.array(wall) * (1 - alpha[..., None])
    return (np.clip(lab_to_srgb(lab), 0, 1) * 255).astype(np.uint8), alpha


class Bounced(unittest.TestCase):
    def test_green_of_a_lawn_is_named_and_measured(self):
        for seed, ground in ((1, (62, 0, 1)), (2, (84, 0, 3)), (3, (18, 0, 0))):
            found = bounce(*animal(seed, ground, thrown=6.0))
            self.assertTrue(found.matters, ground)
            self.assertIn("green", found.hue)
            self.assertAlmostEqual(found.units, 5.0, delta=2.0)

    def test_nothing_is_named_where_nothing_was_thrown(self):
        for seed in range(4):
            found = bounce(*animal(seed))
            self.assertFalse(found is not None and found.matters, seed)

    def test_a_grey_wall_and_a_ginger_coat_say_nothing(self):
        self.assertIsNone(bounce(*animal(1, wall=(50, 0, 0))))
        self.assertIsNone(bounce(*animal(1, ground=(55, 22, 42), thrown=6.0)))


if __name__ == "__main__":
    unittest.main()
