"""A photo on a sheet: crops stay inside the photo and keep the place, shapes keep their area, and the guess finds what was put there."""

import unittest

import cv2
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from demo_making.truth import demo_truth
from hanabira.core.colour.spaces import lab_to_srgb
from hanabira.core.study.framing import (
    LEAST_PX_MM,
    LEAST_SHARE,
    Box,
    cut_sides,
    framed,
    held,
    least_width,
    outlined,
    proposed,
    seems,
    sheet_shapes,
)
from hanabira.demo.pictures import PHOTOS
from hanabira.studio.pictures import read_picture
from hanabira.studio.records import cover_crop

sizes = st.tuples(st.integers(60, 6000), st.integers(60, 6000))
parts = st.floats(0, 1, allow_nan=False)


@st.composite
def boxes(draw):
    (l, r), (t, b) = (sorted((draw(parts), draw(parts))) for _ in range(2))
    return Box(l, t, min(1.0, max(r, l + 0.05)), min(1.0, max(b, t + 0.05)))


class Crops(unittest.TestCase):
    @given(sizes, st.floats(0.3, 3.0), boxes())
    def test_a_crop_is_the_largest_one_inside_the_photo_and_as_well_over_the_place_as_can_be(self, size, aspect, box):
        crop = framed(size, aspect, box)
        x, y, w, h = crop
        self.assertAlmostEqual(w / h, aspect, places=6)
        self.assertTrue(x >= 0 and y >= 0 and x + w <= size[0] + 1e-6 and y + h <= size[1] + 1e-6)
        _x, _y, cw, ch = cover_crop(*size, aspect)
        self.assertAlmostEqual(w * h, cw * ch, delta=1e-6 * cw * ch)
        # no other place of the same crop holds more
        best = max(held((t * (size[0] - w), t * (size[1] - h), w, h), size, box) for t in np.linspace(0, 1, 41))
        self.assertGreaterEqual(held(crop, size, box) + 0.02, best)

    def test_what_is_held_and_cut_is_counted_by_hand(self):
        size, box = (1000, 500), Box(0.1, 0.2, 0.5, 0.8)  # 100–500, 100–400
        self.assertAlmostEqual(held((300, 0, 500, 500), size, box), 0.5)
        self.assertAlmostEqual(held((300, 250, 500, 250), size, box), 0.25)
        self.assertEqual(held((600, 0, 100, 500), size, box), 0.0)
        self.assertEqual(cut_sides((300, 0, 500, 500), size, box), ("left",))
        self.assertEqual(cut_sides((300, 150, 150, 200), size, box), ("left", "top", "right", "bottom"))
        self.assertEqual(cut_sides((105, 0, 400, 500), size, box), (), "less than a hundredth is no cut")
        self.assertEqual(outlined(np.array([[100, 50], [400, 50], [300, 450]]), (1000, 500)), Box(0.1, 0.1, 0.4, 0.9))

    @given(sizes, st.tuples(st.floats(60, 900), st.floats(60, 900)))
    def test_the_least_frame_is_never_wider_than_the_photo_allows(self, size, picture):
        least, aspect = least_width(size, picture), picture[0] / picture[1]
        widest = cover_crop(*size, aspect)[2]
        self.assertLessEqual(least, widest + 1e-6)
        if least < widest - 1e-6:
            self.assertGreaterEqual(least / picture[0], LEAST_PX_MM - 1e-9)
            self.assertGreaterEqual(least * least / aspect, LEAST_SHARE * size[0] * size[1] * (1 - 1e-9))


class Shapes(unittest.TestCase):
    def test_a_landscape_photo_on_an_upright_sheet_turns_it(self):
        shapes = sheet_shapes((1500, 1000), (240, 300), 10, Box(0.05, 0.1, 0.95, 0.95))
        self.assertEqual([(s.key, s.width_mm, s.height_mm) for s in shapes], [("ordered", 240, 300), ("turned", 300, 240), ("photo", 325, 225)])
        ordered, turned, photo = shapes
        self.assertLess(ordered.holds, 0.65)
        self.assertFalse(ordered.whole)
        self.assertEqual(proposed(shapes), turned)
        self.assertGreater(photo.holds, 0.99)
        self.assertAlmostEqual(photo.crop[2] * photo.crop[3] / 1.5e6, 1.0, delta=0.03)
        for s in shapes:
            self.assertAlmostEqual(s.crop[2] / s.crop[3], (s.width_mm - 20) / (s.height_mm - 20), places=6)
            self.assertAlmostEqual(s.off, 1 - s.crop[2] * s.crop[3] / 1.5e6)

    def test_the_sheet_stays_where_it_holds_the_animal_or_turning_helps_little(self):
        small = sheet_shapes((1500, 1000), (240, 300), 10, Box(0.7, 0.1, 0.95, 0.9))
        self.assertEqual(proposed(small).key, "ordered")
        self.assertEqual(cut_sides(small[0].crop, (1500, 1000), Box(0.7, 0.1, 0.95, 0.9)), ())
        square = sheet_shapes((1000, 1000), (250, 250), 10, Box(0, 0, 1, 1))
        self.assertEqual([s.key for s in square], ["ordered"])
        self.assertEqual(proposed(square).key, "ordered")
        equal = sheet_shapes((1000, 1000), (240, 300), 10, Box(0, 0, 1, 1))
        self.assertEqual(proposed(equal).key, "ordered", "both cut alike")

    @given(sizes, st.tuples(st.floats(60, 900), st.floats(60, 900)), st.floats(0, 25), boxes())
    def test_no_sheet_has_other_material_and_none_stands_twice(self, size, sheet, border, box):
        shapes = sheet_shapes(size, sheet, border, box)
        self.assertEqual(shapes[0].key, "ordered")
        self.assertEqual(len({(s.width_mm, s.height_mm) for s in shapes}), len(shapes))
        self.assertIn(proposed(shapes), shapes)
        self.assertGreaterEqual(proposed(shapes).holds, shapes[0].holds - 1e-9)


def kept(animal, crop) -> float:
    """Share of an animal's pixels that a crop shows."""
    x, y, w, h = (round(v) for v in crop)
    return float(animal[y : y + h, x : x + w].sum() / animal.sum())


class Seems(unittest.TestCase):
    def test_a_rough_patch_on_a_smooth_ground_is_found_wherever_it_lies(self):
        y, x = np.mgrid[0:400, 0:600]
        rng = np.random.default_rng(3)
        for cx, cy in ((150, 200), (420, 180), (300, 260)):
            lab = np.zeros((400, 600, 3))
            lab[..., 0], lab[..., 1], lab[..., 2] = 60 + 6 * np.sin(x / 90), -14, 16
            inside = ((x - cx) / 90) ** 2 + ((y - cy) / 110) ** 2 < 1
            lab[inside] = np.array([45, 12, 24]) + rng.normal(0, 9, (int(inside.sum()), 1))
            box = seems((np.clip(lab_to_srgb(lab), 0, 1) * 255).astype(np.uint8))
            place = Box((cx - 90) / 600, (cy - 110) / 400, (cx + 90) / 600, (cy + 110) / 400)
            self.assertGreater(held(box.in_pixels((600, 400)), (600, 400), place), 0.9, (cx, cy))
            self.assertLess((box.right - box.left) * (box.bottom - box.top), 0.75)

    def test_a_picture_that_is_alike_everywhere_is_kept_whole(self):
        for grey in (0, 128, 255):
            self.assertEqual(seems(np.full((300, 200, 3), grey, np.uint8)), Box(0, 0, 1, 1))
        seems(np.random.default_rng(1).integers(0, 255, (40, 900, 3), np.uint8))  # an odd shape is looked at as well

    def test_the_drawn_animals_keep_their_heads(self):
        """The demo's pictures with their truth; photographs are judged by ``python -m benchmarks.framing``."""
        for kind in ("rabbit", "pony", "owl"):
            pixels, part = read_picture(PHOTOS[kind], 600).pixels, demo_truth(kind).part
            animal = cv2.resize((part > 0).astype(np.uint8), pixels.shape[1::-1], interpolation=cv2.INTER_NEAREST) > 0
            size, box = pixels.shape[1::-1], seems(pixels)
            for sheet in ((240, 300), (300, 240)):
                shape = proposed(sheet_shapes(size, sheet, 10, box))
                centred = cover_crop(*size, (sheet[0] - 20) / (sheet[1] - 20))
                self.assertGreaterEqual(kept(animal, shape.crop), kept(animal, centred) - 0.02, (kind, sheet))
                self.assertGreater(kept(animal, shape.crop), 0.8, (kind, sheet))


if __name__ == "__main__":
    unittest.main()
