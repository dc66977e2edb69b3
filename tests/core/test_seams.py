"""Where two areas meet: drawn seams that are lost, soft and firm, and whose hairs go over whose."""

import unittest

import cv2
import numpy as np

from hanabira.core.area.outline import Outline
from hanabira.core.area.seams import seam
from hanabira.core.area.shape import rectangle
from tests.fur import fur

LEFT, RIGHT = Outline(rectangle(20, 30, 180, 240)), Outline(rectangle(200, 30, 180, 240))


def picture(soft: float, other=(70, 4, 12)) -> np.ndarray:
    """Dark fur on the left, other fur on the right, mixed over ``soft`` pixels."""
    a, b = (fur(300, 400, 20.0, n, ground=g, contrast=5).astype(np.float32) for n, g in ((1, (35, 10, 18)), (2, other)))
    share = np.zeros((300, 400), np.float32)
    share[:, 200:] = 1
    share = cv2.GaussianBlur(share, (0, 0), max(soft, 0.6))[..., None]
    return (a * (1 - share) + b * share).astype(np.uint8)


class Seams(unittest.TestCase):
    def test_lost_soft_and_firm_edges(self):
        for soft, other, edge in ((0.6, (70, 4, 12), "firm"), (14.0, (70, 4, 12), "soft"), (4.0, (36, 10, 18), "lost")):
            with self.subTest(edge=edge):
                found = seam(picture(soft, other), LEFT, RIGHT)
                self.assertEqual(found.edge, edge)
                self.assertAlmostEqual(found.length_px, 240, delta=30)
                self.assertAlmostEqual(found.middle[0], 200, delta=8)

    def test_the_hairs_that_run_across_go_over(self):
        pixels = picture(2.0)
        self.assertEqual(seam(pixels, LEFT, RIGHT, 10.0, 5.0).over, 1)  # both run to the right: the left one's hairs reach over
        self.assertEqual(seam(pixels, LEFT, RIGHT, 170.0, 185.0).over, 2)
        self.assertEqual(seam(pixels, LEFT, RIGHT, 90.0, 270.0).over, 0)  # along the seam
        self.assertEqual(seam(pixels, LEFT, RIGHT).over, 0)  # nobody combed
        self.assertEqual(seam(pixels, RIGHT, LEFT, 5.0, 10.0).over, 2)
        words = seam(pixels, LEFT, RIGHT, 10.0, 95.0).words("Cheek", "Ear")
        self.assertIn("The hairs of Cheek go over Ear", words)
        self.assertIn("comb both", seam(pixels, LEFT, RIGHT).words("Cheek", "Ear"))

    def test_areas_apart_have_no_seam(self):
        self.assertIsNone(seam(picture(2.0), Outline(rectangle(20, 30, 100, 100)), Outline(rectangle(300, 160, 80, 100))))
        # a touch at a corner is none
        self.assertIsNone(seam(picture(2.0), Outline(rectangle(20, 30, 150, 110)), Outline(rectangle(168, 138, 200, 150))))


if __name__ == "__main__":
    unittest.main()
