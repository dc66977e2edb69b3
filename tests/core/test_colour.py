"""Colour against published values."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from hanabira.core.colour.difference import delta_e00, difference_words
from hanabira.core.colour.single import lab_to_srgb8
from hanabira.core.colour.spaces import bytes_to_lab, lab_to_srgb, lab_to_xyz, parse_hex, srgb_to_lab, to_hex, xyz_to_lab
from hanabira.core.colour.words import colour_name, temperature, value_step, warmth
from hanabira.core.faults import Fault

# The 34 pairs of Sharma, Wu and Dalal (2005): two Lab triples and their ΔE00.
PAIRS = np.array(
    [float(v) for v in ["50", "2.6772", "-79.7751", "50", "0", "-82.7485", "2.0425", "50", "3.1571", "-77.2803", "50", "0", "-82.7485", "2.8615", "50", "2.8361", "-74.02", "50", "0", "-82.7485", "3.4412", "50", "-1.3802", "-84.2814", "50", "0", "-82.7485", "1", "50", "-1.1848", "-84.8006", "50", "0", "-82.7485", "1", "50", "-0.9009", "-85.5211", "50", "0", "-82.7485", "1", "50", "0", "0", "50", "-1", "2", "2.3669", "50", "-1", "2", "50", "0", "0", "2.3669", "50", "2.49", "-0.001", "50", "-2.49", "0.0009", "7.1792", "50", "2.49", "-0.001", "50", "-2.49", "0.001", "7.1792", "50", "2.49", "-0.001", "50", "-2.49", "0.0011", "7.2195", "50", "2.49", "-0.001", "50", "-2.49", "0.0012", "7.2195", "50", "-0.001", "2.49", "50", "0.0009", "-2.49", "4.8045", "50", "-0.001", "2.49", "50", "0.001", "-2.49", "4.8045", "50", "-0.001", "2.49", "50", "0.0011", "-2.49", "4.7461", "50", "2.5", "0", "50", "0", "-2.5", "4.3065", "50", "2.5", "0", "73", "25", "-18", "27.1492", "50", "2.5", "0", "61", "-5", "29", "22.8977", "50", "2.5", "0", "56", "-27", "-3", "31.9030", "50", "2.5", "0", "58", "24", "15", "19.4535", "50", "2.5", "0", "50", "3.1736", "0.5854", "1", "50", "2.5", "0", "50", "3.2972", "0", "1", "50", "2.5", "0", "50", "1.8634", "0.5757", "1", "50", "2.5", "0", "50", "3.2592", "0.335", "1", "60.2574", "-34.0099", "36.2677", "60.4626", "-34.1751", "39.4387", "1.2644", "63.0109", "-31.0961", "-5.8663", "62.8187", "-29.7946", "-4.0864", "1.2630", "61.2901", "3.7196", "-5.3901", "61.4292", "2.248", "-4.962", "1.8731", "35.0831", "-44.1164", "3.7933", "35.0232", "-40.0716", "1.5901", "1.8645", "22.7233", "20.0904", "-46.694", "23.0331", "14.973", "-42.5619", "2.0373", "36.4612", "47.858", "18.3852", "36.2715", "50.5065", "21.2231", "1.4146", "90.8027", "-2.0831", "1.441", "91.1528", "-1.6435", "0.0447", "1.4441", "90.9257", "-0.5406", "-0.9208", "88.6381", "-0.8985", "-0.7239", "1.5381", "6.7747", "-0.2908", "-2.4247", "5.8714", "-0.0985", "-2.2286", "0.6377", "2.0776", "0.0795", "-1.135", "0.9033", "-0.0636", "-0.5514", "0.9082"]]
).reshape(34, 7)  # fmt: skip

labs = st.tuples(st.floats(0, 100), st.floats(-100, 100), st.floats(-100, 100))


class Difference(unittest.TestCase):
    def test_published_pairs(self):
        np.testing.assert_allclose(delta_e00(PAIRS[:, :3], PAIRS[:, 3:6]), PAIRS[:, 6], atol=1e-4)

    @given(labs, labs)
    def test_symmetric_and_never_negative(self, a, b):
        d = float(delta_e00(a, b))
        self.assertGreaterEqual(d, 0)
        self.assertAlmostEqual(d, float(delta_e00(b, a)), places=9)
        self.assertEqual(float(delta_e00(a, a)), 0)

    def test_words_name_what_differs(self):
        self.assertIn("lighter", difference_words([60, 5, 10], [50, 5, 10]))
        self.assertIn("duller", difference_words([50, 10, 20], [50, 20, 40]))
        self.assertIn("greener", difference_words([50, -10, 28], [50, 10, 28]))
        self.assertIn("no eye", difference_words([50, 10, 20], [50, 10.2, 20]))


class Spaces(unittest.TestCase):
    def test_primaries(self):
        # published Lab (D65) of the sRGB primaries
        for rgb, lab in (([1, 0, 0], [53.24, 80.09, 67.20]), ([0, 1, 0], [87.73, -86.18, 83.18]), ([0, 0, 1], [32.30, 79.19, -107.86])):
            np.testing.assert_allclose(srgb_to_lab(np.array(rgb, float)), lab, atol=0.02)

    @given(st.tuples(*[st.floats(0, 1)] * 3))
    def test_lab_and_back(self, rgb):
        np.testing.assert_allclose(lab_to_srgb(srgb_to_lab(np.array(rgb))), rgb, atol=1e-6)

    @given(labs)
    def test_one_colour_in_plain_numbers_is_the_colour_of_arrays(self, lab):
        self.assertEqual(lab_to_srgb8(*lab), tuple(round(float(v) * 255) for v in lab_to_srgb(np.array(lab))))

    def test_one_colour_against_published_primaries(self):
        published = {
            (100, 0, 0): (255, 255, 255),
            (0, 0, 0): (0, 0, 0),
            (53.24, 80.09, 67.20): (255, 0, 0),
            (87.73, -86.18, 83.18): (0, 255, 0),
        }
        for lab, rgb in published.items():
            self.assertEqual(lab_to_srgb8(*lab), rgb)
        self.assertEqual(lab_to_srgb8(53.585, 0, 0), (128, 128, 128), "the middle grey of eight bits")

    @given(labs)
    def test_xyz_and_back(self, lab):
        np.testing.assert_allclose(xyz_to_lab(lab_to_xyz(lab)), lab, atol=1e-6)

    def test_picture_conversion_agrees(self):
        pixels = np.random.default_rng(1).integers(0, 256, (60, 60, 3), np.uint8)
        np.testing.assert_allclose(bytes_to_lab(pixels), srgb_to_lab(pixels / 255.0), atol=0.5)

    def test_hex(self):
        self.assertEqual(to_hex(parse_hex("#8C5a2F")), "#8c5a2f")
        for wrong in ("8c5a2", "#12345g", "", "red", "#1234567"):
            with self.assertRaises(Fault):
                parse_hex(wrong)


class Words(unittest.TestCase):
    def test_steps_have_equal_width(self):
        self.assertEqual([value_step(v) for v in (0, 9.9, 10, 55, 99, 100)], [1, 1, 2, 6, 10, 10])

    def test_temperature(self):
        self.assertEqual(
            [temperature(q) for q in ([50, 0, 0], [50, 2, 3], [50, -1, -4], [50, 20, 40], [50, -5, -40])],
            ["neutral", "warm", "cool", "warm", "cool"],
        )
        self.assertLess(warmth([50, 0, 0], [50, 5, 8]), 0)

    def test_names_are_what_an_artist_says(self):
        self.assertEqual(colour_name([30, 14, 20]), "dark umber")
        self.assertEqual(colour_name([68, 18, 45]), "fawn")
        self.assertEqual(colour_name([96, 0, 1]), "white")
        self.assertIn("blue", colour_name([45, 5, -35]))
        self.assertIn("green", colour_name([45, -30, 25]))
