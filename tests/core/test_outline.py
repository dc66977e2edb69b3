"""Joining, cutting, pushing, growing, mirroring outlines, and preparing a photo: against areas and places known by geometry."""

import math
import unittest

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Polygon

from hanabira.core.area.outline import Outline, cut_away, from_mask, grow, join, mirror_ring, place_twin, push, touchable
from hanabira.core.area.shape import cut, rectangle, ring_area
from hanabira.core.faults import AreaFault
from hanabira.core.study.grid import Grid
from hanabira.core.study.preparation import Light, Preparation
from hanabira.core.study.prepare import fit_inside, focal_crop, level_tilt, matrix, move_points, prepare, turn_pixels, turned
from hanabira.craft.supplies import surfaces
from hanabira.craft.templates import templates
from tests.fur import fur

BOX = st.tuples(st.integers(0, 60), st.integers(0, 60), st.integers(12, 70), st.integers(12, 70))


def box(x, y, w, h) -> Outline:
    return Outline(rectangle(x, y, w, h))


def square_px(o: Outline) -> float:
    return abs(ring_area(o.ring)) - sum(abs(ring_area(h)) for h in o.holes)


class JoinAndCut(unittest.TestCase):
    @given(BOX, BOX)
    @settings(max_examples=40)
    def test_areas_agree_with_polygons(self, a, b):
        one, two = Polygon(rectangle(*a)), Polygon(rectangle(*b))
        slack = 0.6 * (one.length + two.length)
        if one.intersects(two) and one.intersection(two).area > 9:
            self.assertAlmostEqual(square_px(join(box(*a), box(*b))), one.union(two).area, delta=slack)
            rest = one.difference(two)
            if rest.area > 200:
                parts = cut_away(box(*a), box(*b))
                self.assertAlmostEqual(sum(map(square_px, parts)), rest.area, delta=slack)
        elif one.distance(two) > 5:
            with self.assertRaises(AreaFault):
                join(box(*a), box(*b))
            with self.assertRaises(AreaFault):
                cut_away(box(*a), box(*b))

    def test_an_inner_loop_makes_a_hole_and_an_outer_one_leaves_nothing(self):
        (ring,) = cut_away(box(0, 0, 80, 80), box(30, 30, 20, 20))
        self.assertEqual(len(ring.holes), 1)
        self.assertFalse(ring.mask((0, 0, 80, 80))[40, 40])
        photo = np.zeros((90, 90, 3), np.uint8)
        self.assertAlmostEqual(cut(photo, ring.ring, holes=ring.holes).mask.sum(), 6000, delta=150)
        with self.assertRaises(AreaFault):
            cut_away(box(10, 10, 30, 30), box(0, 0, 80, 80))
        self.assertEqual(len(cut_away(box(0, 0, 90, 30), box(40, -5, 10, 60))), 2)

    def test_what_lies_over_an_area_is_not_part_of_it(self):
        photo = np.zeros((60, 60, 3), np.uint8)
        region = cut(photo, rectangle(0, 0, 40, 40), over=[(rectangle(20, 20, 40, 40), False)])
        self.assertEqual(int(region.mask.sum()), 1600 - 400)

    def test_a_mask_comes_back_from_its_outline(self):
        y, x = np.mgrid[0:120, 0:160]
        mask = (np.hypot(x - 70, y - 60) < 45) & ~(np.hypot(x - 60, y - 55) < 14)
        (o,) = from_mask(mask, tolerance=0.5)
        again = o.mask((0, 0, 160, 120))
        self.assertGreater((mask & again).sum() / (mask | again).sum(), 0.985)


class PushAndMirror(unittest.TestCase):
    def test_the_edge_goes_with_the_push_and_far_points_stay(self):
        ring = rectangle(0, 0, 200, 100)
        pushed = push(ring, (100, 0), (0, -20), 30)
        at = min(pushed, key=lambda q: math.dist(q, (100, -20)))
        self.assertLess(math.dist(at, (100, -20)), 3.5)
        for corner in ring:
            self.assertIn(corner, [tuple(map(float, q)) for q in pushed])
        self.assertAlmostEqual(abs(ring_area(pushed)) - 20000, 20 * 30 * 16 / 15, delta=120)  # ∫(1−t²)² over ±r

    def test_mirrored_twice_is_the_same(self):
        ring = [(3.0, 4.0), (10.0, 4.5), (8.0, 12.0)]
        a, b = (1.0, 2.0), (5.0, 9.0)
        np.testing.assert_allclose(mirror_ring(mirror_ring(ring, a, b), a, b), ring)

    def test_a_twin_is_found_where_the_photo_shows_it(self):
        scene = cv2.GaussianBlur(np.random.default_rng(3).normal(120, 30, (300, 400)).astype(np.float32), (0, 0), 6)
        for x, y in ((110, 140), (302, 151)):  # the second eye is not quite where a mirror about 200 puts it (290, 140)
            cv2.circle(scene, (x, y), 26, 20.0, -1, cv2.LINE_AA)
            cv2.circle(scene, (x + (8 if x < 200 else -8), y - 8), 6, 240.0, -1, cv2.LINE_AA)
        pixels = np.repeat(np.clip(scene, 0, 255).astype(np.uint8)[..., None], 3, 2)
        ring = tuple((110 + 30 * math.cos(t), 140 + 30 * math.sin(t)) for t in np.linspace(0, 2 * math.pi, 20, endpoint=False))
        twin, likeness = place_twin(pixels, Outline(ring), (200, 0), (200, 100))
        self.assertGreater(likeness, 0.8)
        np.testing.assert_allclose(np.mean(twin.ring, 0), (302, 151), atol=3)


class Touch(unittest.TestCase):
    def test_touch_takes_a_patch_of_fur_up_to_its_edge(self):
        light, dark = fur(300, 400, 20, 1, ground=(70, 8, 30)), fur(300, 400, 20, 2, ground=(24, 4, 6))
        y, x = np.mgrid[0:300, 0:400]
        truth = np.hypot((x - 190) / 1.3, y - 150) < 90
        pixels = np.where(truth[..., None], light, dark)
        found = grow(touchable(pixels), (190, 150), 16).mask((0, 0, 400, 300))
        self.assertGreater((found & truth).sum() / (found | truth).sum(), 0.88)
        more = grow(touchable(pixels), (190, 150), 90).mask((0, 0, 400, 300))
        self.assertGreater(more.sum(), 1.5 * truth.sum())

    def test_outside_is_refused(self):
        with self.assertRaises(AreaFault):
            grow(touchable(np.zeros((60, 80, 3), np.uint8)), (500, 10), 10)


class PreparedPhoto(unittest.TestCase):
    @given(st.floats(-45, 45), st.booleans(), st.floats(-45, 45), st.booleans(), st.tuples(st.floats(0, 300), st.floats(0, 200)))
    @settings(max_examples=60)
    def test_points_come_back(self, t0, m0, t1, m1, q):
        size = (300, 200)
        there = move_points([q], size, (t0, m0), (t1, m1))
        np.testing.assert_allclose(move_points(there, size, (t1, m1), (t0, m0))[0], q, atol=1e-6)

    def test_points_stay_on_what_they_were_drawn_on(self):
        pixels = np.full((200, 300, 3), 60, np.uint8)
        cv2.circle(pixels, (220, 70), 9, (240, 240, 240), -1)
        for tilt, over in ((12.0, False), (-20.0, True), (0.0, True)):
            seen = turn_pixels(pixels, Preparation(tilt, over))
            ys, xs = np.nonzero(seen[..., 0] > 200)
            (at,) = move_points([(220.5, 70.5)], (300, 200), (0.0, False), (tilt, over))
            np.testing.assert_allclose(at, (xs.mean() + 0.5, ys.mean() + 0.5), atol=0.6)

    @given(st.floats(-30, 30), st.floats(0, 150), st.floats(0, 90), st.floats(30, 150), st.floats(30, 110))
    @settings(max_examples=60)
    def test_no_corner_of_a_fitted_crop_lacks_photo(self, tilt, x, y, w, h):
        size = (300, 200)
        cx, cy, cw, ch = fit_inside((x, y, w, h), size, tilt)
        self.assertAlmostEqual(cw / ch, w / h, places=6)
        back = cv2.invertAffineTransform(matrix(size, tilt, False))
        for px, py in ((cx, cy), (cx + cw, cy), (cx, cy + ch), (cx + cw, cy + ch)):
            u, v = back @ [px, py, 1]
            self.assertTrue(-0.01 <= u <= 300.01 and -0.01 <= v <= 200.01)

    def test_a_drawn_level_becomes_level(self):
        a, b = (40.0, 90.0), (240.0, 118.0)
        (p, q) = move_points([a, b], (300, 200), (0.0, False), (level_tilt(a, b), False))
        self.assertAlmostEqual(p[1], q[1], places=6)

    def test_the_light_turns_with_the_photo(self):
        prep = Preparation(sun_deg=120.0)
        self.assertAlmostEqual(turned(prep, (300, 200), 10, False).sun_deg, 130)
        self.assertAlmostEqual(turned(prep, (300, 200), 0, True).sun_deg, 60)
        again = turned(turned(prep, (300, 200), 10, True), (300, 200), 0, False)
        self.assertAlmostEqual(again.sun_deg, 120)

    def test_focal_point_on_a_third(self):
        x, y, w, h = focal_crop((20, 20, 120, 90), (300, 200), (150, 100), (1, 2))
        self.assertEqual((150 - x, 100 - y, w, h), (40, 60, 120, 90))

    def test_the_file_is_untouched_and_settings_add_up(self):
        pixels = fur(160, 240, 30, 5)
        kept = pixels.copy()
        outline = ((40.0, 30.0), (200.0, 30.0), (200.0, 140.0), (40.0, 140.0))
        alpha = np.zeros((160, 240), np.float32)
        alpha[40:130, 50:190] = 1
        prep = Preparation(0.0, False, Light(None, 1.0), outline=outline, cut_out=True)
        white = np.ones(3)
        out = prepare(pixels, prep, 240, (white, white), alpha)
        np.testing.assert_array_equal(pixels, kept)
        self.assertTrue((out[:20] == 255).all())
        self.assertGreater(out[60:110, 80:150].mean(), pixels[60:110, 80:150].mean() + 15)


class GridAndTemplates(unittest.TestCase):
    @given(st.floats(5, 60), st.floats(60, 400), st.floats(60, 400))
    @settings(max_examples=40)
    def test_diagonals_run_through_corners_of_cells_and_stay_inside(self, s, w, h):
        grid = Grid(s, True)
        for x0, y0, x1, y1 in grid.slants(w, h):
            self.assertAlmostEqual(abs(x1 - x0), abs(y1 - y0), places=6)
            for x, y in ((x0, y0), (x1, y1)):
                self.assertTrue(-1e-6 <= x <= w + 1e-6 and -1e-6 <= y <= h + 1e-6)
            k = (x0 - y0) / s if (x1 - x0) * (y1 - y0) > 0 else (x0 + y0) / s
            self.assertAlmostEqual(k, round(k), places=5)

    def test_every_template_lies_in_its_box_with_known_surfaces(self):
        for template in templates().values():
            for area in template.areas:
                self.assertIn(area.surface_id, surfaces(), area.name)
                p = np.asarray(area.ring)
                self.assertTrue((p >= 0).all() and (p <= 1).all(), f"{template.name}: {area.name}")
                self.assertGreater(Polygon(area.ring).area, 0.0005)
                self.assertTrue(Polygon(area.ring).is_valid, f"{template.name}: {area.name}")
