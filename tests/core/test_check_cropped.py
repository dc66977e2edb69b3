"""A sheet that the photo cuts off: placed by what is drawn on it beside the strip, or refused."""

import unittest

import cv2
import numpy as np

from hanabira.core.progress.check import check_photo
from hanabira.core.progress.cropped import edge_of_strip, placed_by_drawing
from hanabira.core.progress.expected import wanted_picture
from hanabira.core.progress.find import Refused
from hanabira.core.progress.sheet_map import GRID
from hanabira.core.progress.strip import find_strip
from hanabira.devices.drawn_sheet import Planted
from hanabira.devices.lens import LensShot
from tests import portrait


def cut(shot: LensShot, top: float, left: float = 0.0) -> LensShot:
    """The same photo held so that these shares of it are not in the frame."""
    y, x = int(top * shot.photo.shape[0]), int(left * shot.photo.shape[1])
    return LensShot(*(np.ascontiguousarray(a[y:, x:]) for a in (shot.photo, shot.x_mm, shot.y_mm, shot.in_sheen, shot.in_shadow)))


class Cropped(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.sheet, cls.plan = portrait.drawn(), portrait.plan()
        cls.lies, whole = portrait.taken(cls.sheet, seed=3, long_px=2000)
        cls.whole = whole

    def error_mm(self, shot: LensShot, checked) -> np.ndarray:
        """How far the map is off where the photo shows the drawing."""
        x0, y0, w, h = self.lies.sheet
        at = np.stack(np.meshgrid(np.linspace(0.1, 0.9, 17) * w, np.linspace(0.1, 0.9, 17) * h), -1).reshape(-1, 2)
        p = checked.map.to_photo(at)
        inside = (p >= 0).all(1) & (p[:, 0] < shot.photo.shape[1] - 1) & (p[:, 1] < shot.photo.shape[0] - 1)
        self.assertGreater(inside.sum(), 100)
        p, at = p[inside].astype(np.float32), at[inside]
        mm = [cv2.remap(q.astype(np.float32), p[:, 0], p[:, 1], cv2.INTER_LINEAR).ravel() for q in (shot.x_mm, shot.y_mm)]
        return np.hypot(mm[0] - x0 - at[:, 0], mm[1] - y0 - at[:, 1])

    def test_a_side_or_a_corner_that_is_cut_off_is_no_reason_to_refuse(self):
        for top, left in ((0.1, 0.0), (0.25, 0.0)):
            shot = cut(self.whole, top, left)
            checked = check_photo(shot.photo, self.plan)
            self.assertEqual(checked.map.found_by, "drawing")
            self.assertLess(np.percentile(self.error_mm(shot, checked), 95), 0.35, (top, left))
            self.assertEqual(checked.verdict.faults, (), (top, left))

    def test_what_is_outside_is_not_judged_and_is_counted(self):
        shot = cut(self.whole, 0.32)
        checked = check_photo(shot.photo, self.plan)
        outside = {p.area_id for p in checked.places if p.hidden == "outside the photo"}
        inside = {p.area_id for p in checked.places if not p.hidden}
        self.assertIn("eye", outside)
        self.assertIn("back", inside)
        self.assertEqual(checked.shares["covered"], 0.0)
        true = ~checked.map.shown() & (checked.wanted[..., 0] < 80)
        self.assertGreater(checked.shares["outside"], 0.1)
        self.assertAlmostEqual(checked.shares["outside"], true.sum() / (checked.wanted[..., 0] < 80).sum(), delta=0.1)

    def test_a_fault_in_what_is_shown_is_still_found(self):
        faulty = portrait.drawn(faults=(Planted("darker", 2),))
        _lies, shot = portrait.taken(faulty, seed=3, long_px=2000)
        checked = check_photo(cut(shot, 0.2).photo, self.plan)
        self.assertEqual({(f.area_id, f.kind) for f in checked.verdict.faults}, {("back", "darker")})

    def test_another_picture_is_not_forced_into_place(self):
        shot = cut(self.whole, 0.2)
        mirrored = np.ascontiguousarray(shot.photo[:, ::-1])
        with self.assertRaises(Refused):
            check_photo(mirrored, self.plan)
        lab = self.sheet.lab.copy()
        h, w = lab.shape[:2]
        lab[h // 10 : -h // 10, w // 10 : -w // 10] = np.roll(lab, (h // 3, w // 4), (0, 1))[h // 10 : -h // 10, w // 10 : -w // 10, :][
            :, ::-1
        ]
        other = portrait.DrawnSheet(portrait.SIZE, portrait.GRID, lab, self.sheet.paper_lab, {})
        _lies, strange = portrait.taken(other, seed=3, long_px=2000)
        with self.assertRaises(Refused):
            check_photo(cut(strange, 0.2).photo, self.plan)

    def test_without_a_strip_or_with_nothing_begun_its_corners_are_asked_for(self):
        _lies, bare = portrait.taken(self.sheet, False, seed=3, long_px=2000)
        with self.assertRaises(Refused) as caught:
            check_photo(cut(bare, 0.2).photo, self.plan)
        self.assertTrue(caught.exception.corners)
        strip = find_strip(self.whole.photo)
        wanted = wanted_picture(self.plan.sheet, self.plan.expected, self.plan.paper_lab)[..., 0]
        self.assertIsNone(placed_by_drawing(self.whole.photo, strip, portrait.SIZE, wanted, np.zeros(wanted.shape, bool)))

    def test_a_soft_photo_is_told_by_the_edges_of_the_strip(self):
        strip = find_strip(self.whole.photo)
        sharp = edge_of_strip(self.whole.photo, strip)
        self.assertLess(sharp, 0.5)
        soft = cv2.GaussianBlur(self.whole.photo, (0, 0), 4.0)
        wide = 2.563 * 4.0 / strip.px_per_mm  # of a step blurred by a Gaussian of 4 px
        self.assertAlmostEqual(edge_of_strip(soft, strip), wide, delta=0.3 * wide)
        with self.assertRaises(Refused) as caught:
            check_photo(cut(LensShot(soft, *[self.whole.x_mm] * 4), 0.2).photo, self.plan)
        self.assertIn(caught.exception.key, ("blurred", "no_sheet"))

    def test_a_hundred_megapixels_are_read_as_the_same_photo_and_mapped_to_their_own_pixels(self):
        times = 8700 / self.whole.photo.shape[1]
        large = cv2.resize(self.whole.photo, None, fx=times, fy=times, interpolation=cv2.INTER_CUBIC)
        self.assertGreater(large.shape[0] * large.shape[1], 90e6)
        few, many = check_photo(self.whole.photo, self.plan), check_photo(large, self.plan)
        self.assertEqual(many.verdict.faults, few.verdict.faults)
        corners = np.array([[0.0, 0], [150, 0], [150, 180], [0, 180]])
        np.testing.assert_allclose(many.map.to_photo(corners), few.map.to_photo(corners) * times, atol=0.3 * many.map.px_per_mm)
        by_hand = check_photo(large, self.plan, corners=many.map.to_photo(corners))
        self.assertEqual((by_hand.map.found_by, by_hand.verdict.faults), ("corners", ()))

    def test_the_map_knows_what_the_photo_shows(self):
        checked = check_photo(cut(self.whole, 0.25).photo, self.plan)
        shown = checked.map.shown(1.0)
        self.assertEqual(shown.shape, (180, 150))
        mm = np.array([[75.0, 170.5], [75.5, 2.5]])
        at = checked.map.to_photo(mm)
        self.assertEqual([bool(shown[int(y), int(x)]) for x, y in mm], [bool((q >= 0).all()) for q in at])
        away = cv2.erode((~checked.map.shown(GRID)).astype(np.uint8), np.ones((5, 5))) > 0
        self.assertGreater(away.sum(), 1000)
        self.assertEqual(checked.map.flat(cut(self.whole, 0.25).photo, GRID)[away].max(), 0.0)


if __name__ == "__main__":
    unittest.main()
