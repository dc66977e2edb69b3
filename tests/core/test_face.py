"""The face's lines: a face of known millimetres, drawn at any scale, place and tilt, reads as it was made."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from hanabira.core.area.face import Face, face_lines, likely_tip


def drawn(
    tilt_deg: float, px_per_mm: float, shift: tuple[float, float], points_mm: dict[str, tuple[float, float]]
) -> dict[str, tuple[float, float]]:
    """Points given in mm right of and above the middle between the eyes, where they lie in a photo of a head turned counter-clockwise by the tilt."""
    t = np.radians(tilt_deg)
    out = {}
    for name, (right, above) in points_mm.items():
        x, y = right * np.cos(t) - above * np.sin(t), right * np.sin(t) + above * np.cos(t)
        out[name] = (float(shift[0] + px_per_mm * x), float(shift[1] - px_per_mm * y))
    return out


HEAD = {
    "left eye": (-24.0, 0.0), "right eye": (24.0, 0.0), "left nostril": (-7.0, -52.0), "right nostril": (9.0, -52.0),
    "left tip": (-50.0, 61.0), "right tip": (55.0, 64.0),
}  # fmt: skip


def lines(p: dict[str, tuple[float, float]], px_per_mm: float, order: int = 0) -> Face:
    eyes = [(p["left eye"], 5.1 * px_per_mm), (p["right eye"], 5.6 * px_per_mm)]
    nose, tips = [p["left nostril"], p["right nostril"]], [p["left tip"], p["right tip"]]
    if order:
        eyes, nose, tips = eyes[::-1], nose[::-1], tips[::-1]
    return face_lines(eyes, nose, tips, 1 / px_per_mm)


class FaceLines(unittest.TestCase):
    @given(st.floats(-40, 40), st.floats(1, 40), st.tuples(st.floats(0, 4000), st.floats(0, 4000)), st.integers(0, 1))
    def test_lengths_do_not_depend_on_scale_place_tilt_or_the_order_of_clicks(self, tilt, px_per_mm, shift, order):
        f = lines(drawn(tilt, px_per_mm, shift, HEAD), px_per_mm, order)
        self.assertAlmostEqual(f.eyes_mm, 48.0, places=5)
        self.assertAlmostEqual(f.eye_axis_deg, tilt, places=5)
        self.assertAlmostEqual(f.irises_mm[0], 10.2, places=5)
        self.assertAlmostEqual(f.irises_mm[1], 11.2, places=5)
        self.assertAlmostEqual(f.nostrils_mm, 16.0, places=5)
        self.assertAlmostEqual(f.nostril_axis_deg, 0.0, places=5)
        self.assertAlmostEqual(f.nose_drop_mm, 52.0, places=5)
        self.assertAlmostEqual(f.nose_aside_mm, 1.0, places=5)
        self.assertAlmostEqual(f.tips_mm[0], 61.0, places=5)
        self.assertAlmostEqual(f.tips_mm[1], 64.0, places=5)
        self.assertAlmostEqual(f.tips_apart_mm, np.hypot(105, 3), places=5)

    def test_it_says_which_side_is_higher_larger_and_off_the_middle(self):
        p = drawn(2.0, 10, (900, 900), HEAD)
        words = " ".join(lines(p, 10).words)
        self.assertIn("right one stands 1.7 mm higher (2.0°)", words)
        self.assertIn("left iris is 10.2 mm across, the right one 11.2 mm", words)
        self.assertIn("52.0 mm below the line of the eyes, 1.0 mm right of midway", words)
        self.assertIn("left one 61.0 mm above the line of the eyes, the right one 64.0 mm", words)
        self.assertIn("left one stands", " ".join(lines(drawn(-2.0, 10, (900, 900), HEAD), 10).words))

    def test_what_is_not_confirmed_is_not_said(self):
        self.assertEqual(face_lines([], [], [], 0.1).words, ())
        one = face_lines([((10.0, 10.0), 4.0)], [], [(0.0, 0.0)], 0.1)
        self.assertEqual(one.words, ())
        only_nose = face_lines([], [(10.0, 10.0), (30.0, 10.0)], [], 0.1)
        self.assertEqual(only_nose.words, ("The nostrils lie 2.0 mm apart.",))

    def test_the_likely_tip_is_the_far_end_of_the_ear(self):
        ring = [(0.0, 100.0), (30.0, 100.0), (18.0, 12.0), (8.0, 60.0)]
        self.assertEqual(likely_tip(ring, (60.0, 200.0)), (18.0, 12.0))


if __name__ == "__main__":
    unittest.main()
