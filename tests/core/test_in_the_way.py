"""Something in the way of a coat: a blade of grass and a collar are found and filled from beside them; a coat, a shaded one and a thrown colour are not."""

import unittest

import cv2
import numpy as np

from hanabira.core.area.in_the_way import OWN, cleared, foreign, way_words
from hanabira.core.area.shape import Region, rectangle
from hanabira.core.colour.spaces import bytes_to_lab, lab_to_srgb
from tests.fur import fur

COATS = {"brown": (42, 12, 22), "ginger": (58, 24, 46), "grey": (52, 0, 2), "black": (16, 1, 1), "cream": (80, 3, 18)}
GRASS, BLUE, RED = (55, -32, 45), (40, 8, -48), (42, 62, 38)


def coat(name, seed, side=220):
    return fur(side, side, 30.0 * seed, 400 + seed, ground=COATS[name], contrast=14)


def bytes_of(lab):
    return np.clip(lab_to_srgb(np.array(lab, float)) * 255 + 0.5, 0, 255).astype(np.uint8)


def blade(pixels, lab, width=14, at=0.45):
    """A strip over the coat, and where it lies."""
    h, w = pixels.shape[:2]
    where = np.zeros((h, w), np.uint8)
    cv2.line(where, (0, int(at * h)), (w, int(at * h) + 30), 1, width)
    out = pixels.copy()
    out[where > 0] = bytes_of(lab)
    return out, where > 0


def apart(a, b):
    """ΔE76 between the middles of two lots of Lab."""
    return float(np.linalg.norm(np.median(a.reshape(-1, 3), 0) - np.median(b.reshape(-1, 3), 0)))


def whole(pixels):
    return Region(pixels, np.ones(pixels.shape[:2], bool), 0, 0)


class Seen(unittest.TestCase):
    def test_grass_a_blue_lead_and_a_red_collar_are_found_where_they_lie(self):
        for seed, name in enumerate(COATS):
            for lab in (GRASS, BLUE, RED):
                pixels, where = blade(coat(name, seed), lab)
                found = foreign(whole(pixels))
                self.assertIsNotNone(found, (name, lab))
                self.assertGreater((found & where).sum() / where.sum(), 0.8, (name, lab))
                self.assertLess((found & ~where).sum(), 0.05 * where.sum(), (name, lab))

    def test_no_coat_has_anything_before_it(self):
        for seed in range(4):
            for name in COATS:
                self.assertIsNone(foreign(whole(coat(name, 10 + seed))), name)

    def test_colour_that_a_lawn_throws_fades_and_has_no_edge(self):
        lab = bytes_to_lab(coat("grey", 3))
        lab[..., 1:] += np.linspace(0, 1, lab.shape[0])[:, None, None] * np.array([-20.0, 28.0])
        self.assertIsNone(foreign(whole(np.clip(lab_to_srgb(lab) * 255, 0, 255).astype(np.uint8))))

    def test_stray_specks_are_nothing_however_many(self):
        pixels = coat("brown", 6)
        for y in range(10, 210, 20):
            for x in range(10, 210, 20):
                pixels[y : y + 4, x : x + 4] = bytes_of(GRASS)
        self.assertGreater(100 * 16 / 220**2, 0.03, "together they would be enough")
        self.assertIsNone(foreign(whole(pixels)))

    def test_what_is_mostly_of_that_colour_is_so_itself(self):
        pixels, where = blade(coat("grey", 1), GRASS, width=180)
        self.assertGreater(where.mean(), OWN)
        self.assertIsNone(foreign(whole(pixels)))


class Filled(unittest.TestCase):
    def test_what_lies_under_it_is_like_what_lies_beside(self):
        for seed, name in enumerate(COATS):
            true = coat(name, seed)
            pixels, where = blade(true, GRASS)
            out, way = cleared(pixels, rectangle(0, 0, 220, 220))
            self.assertEqual(way.hue, "green", name)
            self.assertAlmostEqual(way.share, where.mean(), delta=0.06)
            self.assertLess(apart(bytes_to_lab(out)[where], bytes_to_lab(true)[where]), 6, name)
            far = cv2.dilate(where.astype(np.uint8), np.ones((15, 15), np.uint8)) == 0
            np.testing.assert_array_equal(out[far], pixels[far])

    def test_what_the_artist_drew_is_filled_whatever_its_colour(self):
        brown, grey = coat("brown", 2), coat("grey", 7)
        pixels = brown.copy()
        pixels[80:120, 60:160] = grey[80:120, 60:160]  # a grey strap
        drawn = [(rectangle(60, 80, 100, 40), False)]
        self.assertIsNone(cleared(pixels, rectangle(0, 0, 220, 220))[1], "no colour tells it")
        out, way = cleared(pixels, rectangle(0, 0, 220, 220), drawn=drawn)
        self.assertEqual(way.hue, "")
        self.assertGreaterEqual(way.share, 4000 / 220**2)
        self.assertLess(apart(bytes_to_lab(out)[85:115, 70:150], bytes_to_lab(brown)[80:120, 60:160]), 8)
        self.assertIn("you drew", way_words(way))

    def test_nothing_is_touched_where_nothing_lies(self):
        pixels = coat("ginger", 5)
        out, way = cleared(pixels, rectangle(10, 10, 180, 180))
        self.assertIs(out, pixels)
        self.assertIsNone(way)
        pixels, _where = blade(coat("grey", 5), GRASS)
        self.assertIs(cleared(pixels, rectangle(0, 0, 220, 220), look=False)[0], pixels)


if __name__ == "__main__":
    unittest.main()
