"""Finding the sheet in a photo: where it lies to the tenth of a millimetre, or a plain word why not."""

import unittest

import cv2
import numpy as np

from hanabira.core.colour.spaces import lab_to_srgb, srgb_to_lab
from hanabira.core.faults import PhotoFault
from hanabira.core.optics.kit import Kit
from hanabira.core.progress.check import check_photo
from hanabira.core.progress.find import Refused, candidates, find_sheet, from_corners
from hanabira.core.progress.sheet_map import by_corners
from hanabira.core.progress.strip import (
    GREYS,
    MARKS_MM,
    PATCH_MM,
    SIZE_MM,
    chosen,
    find_strip,
    gutters_y,
    patches,
    read_beside,
    read_strip,
    rects,
)
from hanabira.devices.drawn_sheet import draw_strip
from hanabira.devices.simulated_paper import TRUTHS
from tests import portrait


class Strip(unittest.TestCase):
    def test_its_geometry_leaves_white_round_every_patch(self):
        places = rects()
        self.assertEqual((len(places), SIZE_MM), (14, (170.0, 26.0)))
        for x, y, w, h in places:
            self.assertEqual((w, h), PATCH_MM)
            self.assertGreater(x, MARKS_MM[0][0] + 6)
            self.assertLess(x + w, MARKS_MM[1][0] - 6)
            for g in gutters_y((x, y, w, h)):
                self.assertTrue(all(not (q[1] < g < q[1] + q[3]) for q in places), g)
        gaps = {round(b[0] - a[0] - a[2], 3) for a, b in zip(places[:6], places[1:7], strict=True)}
        self.assertEqual(gaps, {1.2})

    def test_the_boxes_are_the_blackest_the_lightest_and_five_hues(self):
        codes = chosen(portrait.KIT)
        self.assertEqual(len(set(codes)), 7)
        labs = np.array([portrait.KIT.get(c).lab for c in codes])
        every = np.array([p.lab for p in portrait.KIT])
        self.assertEqual(labs[0, 0], every[:, 0].min())
        self.assertGreater(labs[1, 0], np.percentile(every[:, 0], 95))
        hues = np.degrees(np.arctan2(labs[2:, 2], labs[2:, 1])) % 360
        self.assertGreater(np.ptp(np.sort(hues)), 180)
        few = Kit("few", portrait.KIT.pencils[:3])
        self.assertLessEqual(len(chosen(few)), 3)

    def test_a_kit_that_was_never_fitted_lends_no_boxes(self):
        told = patches(portrait.KIT, portrait.PAPER)
        self.assertEqual([p.lab[0] for p in told], list(GREYS))
        self.assertTrue(all(p.printed and p.sd_l == 1.0 for p in told))
        code = chosen(portrait.KIT)[2]
        read = patches(portrait.KIT, portrait.PAPER, {"grey 12": (13.5, 0.1, 0.2), code: (30.0, 5.0, -30.0)})
        self.assertEqual((read[0].lab[0], read[0].sd_l), (13.5, 0.4))
        self.assertEqual([p.lab.tolist() for p in read if not p.printed], [[30.0, 5.0, -30.0]])

    def test_it_is_found_turned_and_small_and_never_where_it_is_not(self):
        lies, shot = portrait.taken(portrait.drawn(), seed=3)
        found = find_strip(shot.photo)
        assert found is not None
        sx, sy = lies.strip
        at = found.at(np.array(MARKS_MM)).astype(np.float32)
        seen = [cv2.remap(q.astype(np.float32), at[:, 0], at[:, 1], cv2.INTER_LINEAR).ravel() for q in (shot.x_mm, shot.y_mm)]
        np.testing.assert_allclose(seen[0], [sx + m[0] for m in MARKS_MM], atol=0.35)
        np.testing.assert_allclose(seen[1], [sy + m[1] for m in MARKS_MM], atol=0.35)
        turned = find_strip(np.ascontiguousarray(shot.photo[::-1, ::-1]))
        assert turned is not None
        self.assertAlmostEqual(turned.px_per_mm, found.px_per_mm, delta=0.05)
        _lies, without = portrait.taken(portrait.drawn(), strip=False, seed=3)
        self.assertIsNone(find_strip(without.photo))

    def test_a_scan_tells_its_own_greys(self):
        laid = draw_strip(portrait.KIT, TRUTHS[0], 8.0, 5, print_sd=2.0)
        page = np.full((laid.linear.shape[0] + 120, laid.linear.shape[1] + 120, 3), 0.8, np.float32)
        page[60:-60, 60:-60] = laid.linear
        scan = (np.clip(np.where(page <= 0.0031308, page * 12.92, 1.055 * page ** (1 / 2.4) - 0.055), 0, 1) * 255 + 0.5).astype(np.uint8)
        found = read_strip(scan, portrait.KIT)
        for k, value in enumerate(GREYS):
            self.assertAlmostEqual(found[f"grey {value:.0f}"][0], laid.true[k][0], delta=0.5)
            self.assertNotAlmostEqual(laid.true[k][0], value, delta=0.02)
        # the lightest pencil cannot be told from the white it lies on
        self.assertEqual(
            {f"grey {v:.0f}" for v in GREYS} | set(chosen(portrait.KIT)) - set(found),
            {chosen(portrait.KIT)[1]} | {f"grey {v:.0f}" for v in GREYS},
        )
        with self.assertRaises(PhotoFault):
            read_strip(np.full((400, 900, 3), 200, np.uint8), portrait.KIT)

    def test_beside_a_swatch_sheet_it_is_read_through_the_tone_that_sheet_told(self):
        laid = draw_strip(portrait.KIT, TRUTHS[0], 8.0, 5, print_sd=2.0)
        page = np.full((laid.linear.shape[0] + 120, laid.linear.shape[1] + 120, 3), 0.5, np.float32)
        page[60:-60, 60:-60] = laid.linear
        seen = np.clip(page * 0.8, 0, 1) ** (1 / 1.3)  # a lamp, and a camera whose tone is a power
        photo = (np.clip(np.where(seen <= 0.0031308, seen * 12.92, 1.055 * seen ** (1 / 2.4) - 0.055), 0, 1) * 255 + 0.5).astype(np.uint8)
        found = read_beside(photo, portrait.KIT, np.full(3, 1.3))
        for k, value in enumerate(GREYS):
            self.assertAlmostEqual(found[f"grey {value:.0f}"][0], laid.true[k][0], delta=0.8)
        wrong = read_beside(photo, portrait.KIT, np.ones(3))
        self.assertGreater(abs(wrong["grey 25"][0] - laid.true[1][0]), 3)
        self.assertEqual(read_beside(np.full((400, 900, 3), 120, np.uint8), portrait.KIT, np.ones(3)), {})


class Sheet(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.sheet = portrait.drawn()

    def test_whole_sheets_are_found_to_three_tenths_of_a_millimetre(self):
        for seed, strip in ((1, True), (2, False), (5, True), (8, False)):
            lies, shot = portrait.taken(self.sheet, strip, seed=seed)
            found = find_sheet(shot.photo, portrait.SIZE, None, find_strip(shot.photo))
            error = portrait.map_error_mm(lies, shot, found.to_photo)
            self.assertLess(error.max(), 0.35, (seed, strip))
            self.assertLess(found.residual_mm, 0.2)
            self.assertEqual(found.found_by, "strip" if strip else "border")

    def test_tilt_alone_would_not_do_where_the_lens_bends(self):
        lies, shot = portrait.taken(self.sheet, False, seed=2, lens=0.06, curl_mm=0.0)
        found = find_sheet(shot.photo, portrait.SIZE)
        corners = found.to_photo(np.array([[0.0, 0], [150, 0], [150, 180], [0, 180]]))
        plain = by_corners(shot.photo, portrait.SIZE, corners)
        self.assertGreater(portrait.map_error_mm(lies, shot, plain.to_photo).max(), 0.4)
        self.assertLess(portrait.map_error_mm(lies, shot, found.to_photo).max(), 0.25)
        self.assertAlmostEqual(found.lens, 0.06, delta=0.012)

    def test_a_photo_taken_upside_down_is_turned(self):
        _lies, shot = portrait.taken(self.sheet, seed=4)
        plan = portrait.plan()
        over = np.ascontiguousarray(shot.photo[::-1, ::-1])
        self.assertEqual(
            {f.kind for f in check_photo(over, plan).verdict.faults}, {f.kind for f in check_photo(shot.photo, plan).verdict.faults}
        )
        a = check_photo(over, plan).map.to_photo(np.array([[0.0, 0.0]]))[0]
        self.assertGreater(a[1], over.shape[0] / 2)

    def test_corners_by_hand_are_drawn_to_the_papers_edge(self):
        lies, shot = portrait.taken(self.sheet, False, seed=6)
        found = find_sheet(shot.photo, portrait.SIZE)
        exact = found.to_photo(np.array([[0.0, 0], [150, 0], [150, 180], [0, 180]]))
        by_hand = from_corners(shot.photo, portrait.SIZE, exact + np.array([[4, -3], [-5, 2], [3, 4], [-4, -4]]))
        self.assertLess(portrait.map_error_mm(lies, shot, by_hand.to_photo).max(), 0.35)
        self.assertEqual(by_hand.found_by, "corners")

    def test_the_outline_of_the_strip_is_not_taken_for_the_sheets(self):
        _lies, shot = portrait.taken(self.sheet, seed=9, board="dark")
        strip = find_strip(shot.photo)
        best = candidates(shot.photo, strip, portrait.SIZE)[0]
        foot = strip.at(np.array([[85.0, 13.0]]))[0]
        self.assertLess(cv2.pointPolygonTest(best.astype(np.float32), (float(foot[0]), float(foot[1])), True), 0)


class Refusals(unittest.TestCase):
    """Bad photos are refused with the cure that helps, and nothing is judged."""

    @classmethod
    def setUpClass(cls):
        cls.sheet, cls.plan = portrait.drawn(), portrait.plan()
        cls.lies, cls.shot = portrait.taken(cls.sheet, seed=1)

    def refused(self, photo: np.ndarray, **more) -> Refused:
        with self.assertRaises(Refused) as caught:
            check_photo(np.ascontiguousarray(photo), self.plan, **more)
        self.assertTrue(caught.exception.what and caught.exception.do)
        return caught.exception

    def test_frames_without_a_sheet(self):
        self.assertEqual(self.refused(np.full((900, 1200, 3), 8, np.uint8)).key, "dark")
        self.assertEqual(self.refused(np.full((900, 1200, 3), 250, np.uint8)).key, "burnt")
        noise = np.random.default_rng(1).integers(90, 160, (900, 1200, 3)).astype(np.uint8)
        self.assertEqual(self.refused(noise).key, "no_sheet")
        self.assertTrue(self.refused(noise).corners)

    def test_too_small_too_soft_and_half_a_sheet(self):
        small = cv2.resize(self.shot.photo, None, fx=0.35, fy=0.35, interpolation=cv2.INTER_AREA)
        self.assertEqual(self.refused(small).key, "small")
        self.assertEqual(self.refused(cv2.GaussianBlur(self.shot.photo, (0, 0), 4.0)).key, "blurred")
        half = self.shot.photo[: self.shot.photo.shape[0] // 2]
        self.assertEqual(self.refused(half).key, "no_sheet")

    def test_another_picture_on_a_sheet_of_that_size(self):
        other = portrait.DrawnSheet(
            portrait.SIZE, portrait.GRID, self.sheet.lab[:, ::-1][::-1].copy() * 0 + self.sheet.paper_lab, self.sheet.paper_lab, {}
        )
        lab = other.lab
        h, w = lab.shape[:2]
        yy, xx = np.mgrid[0:h, 0:w]
        lab[(yy // 90 + xx // 90) % 2 == 0] = (40, 20, -30)
        lab[:50], lab[-50:], lab[:, :50], lab[:, -50:] = (self.sheet.paper_lab,) * 4
        _lies, shot = portrait.taken(other, seed=1)
        self.assertEqual(self.refused(shot.photo).key, "other")

    def test_corners_that_go_round_nothing(self):
        crossed = np.array([[100.0, 100], [900, 900], [900, 100], [100, 900]])
        self.assertEqual(self.refused(self.shot.photo, corners=crossed).key, "corners")

    def test_paper_that_is_burnt_out(self):
        white = np.clip(self.shot.photo.astype(float) * 1.9, 0, 255).astype(np.uint8)
        self.assertIn(self.refused(white).key, ("burnt", "no_sheet"))


class Flat(unittest.TestCase):
    def test_a_straight_photo_comes_back_as_it_was(self):
        w, h = (int(v * 5) for v in portrait.SIZE)
        yy, xx = np.mgrid[0:h, 0:w]
        lab = np.stack([50 + 30 * np.sin(xx / 60), 20 * np.cos(yy / 80), 0 * xx], -1)
        photo = (lab_to_srgb(lab) * 255 + 0.5).astype(np.uint8)
        found = by_corners(photo, portrait.SIZE, np.array([[0.0, 0], [w, 0], [w, h], [0, h]]))
        self.assertAlmostEqual(found.px_per_mm, 5.0, delta=0.01)
        flat = found.flat(photo, 2.0)
        self.assertEqual(flat.shape, (360, 300, 3))
        seen = srgb_to_lab(flat[100, 100].astype(float))
        np.testing.assert_allclose(seen, lab[251, 251], atol=1.5)


if __name__ == "__main__":
    unittest.main()
