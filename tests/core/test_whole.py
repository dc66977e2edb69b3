"""A whole animal as areas: rings that fit, seams where coats change, a face by its frame, everything covered, the same each time."""

import unittest

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.faults import AreaFault
from hanabira.core.whole.borders import drawn
from hanabira.core.whole.face import FRONT, SIDE, Face, face_of
from hanabira.core.whole.ground import ground
from hanabira.core.whole.pieces import FEWEST, NARROW_MM, one_piece, parting, variance_explained
from hanabira.core.whole.proposal import Animal, strangeness, touched_nose
from hanabira.core.whole.rings import MOST_CORNERS, rings_of
from tests.fur import fur

TAN, BLACK, WHITE = (58, 12, 28), (16, 1, 2), (88, 0, 4)


def refilled(rings: dict, shape: tuple[int, int]) -> np.ndarray:
    """Labels drawn from their rings; −1 where two lie on one another. Cracks run at whole coordinates, so the middles of pixels decide."""
    out = np.zeros(shape, int)
    yy, xx = np.mgrid[0 : shape[0], 0 : shape[1]] + 0.5
    for label, parts in rings.items():
        inside = np.zeros(shape, bool)
        for ring in parts:
            inside ^= _even_odd(ring, xx, yy)
        out = np.where(inside & (out > 0), -1, np.where(inside, label, out))
    return out


def _even_odd(ring, xx, yy):
    """Points inside a ring by crossings, written here anew."""
    inside = np.zeros(xx.shape, bool)
    for (x0, y0), (x1, y1) in zip(ring, np.roll(ring, -1, 0), strict=True):
        if y0 == y1:
            continue
        crosses = (yy >= min(y0, y1)) & (yy < max(y0, y1))
        inside ^= crosses & (xx < x0 + (yy - y0) * (x1 - x0) / (y1 - y0))
    return inside


def two_coats(size: int = 240, soft: bool = False):
    """An oval animal, its left half tan, its right half black, with its mask."""
    left, right = fur(size, size, 70, 1, ground=TAN), fur(size, size, 70, 2, ground=BLACK)
    x = np.arange(size)
    share = np.clip((x - size / 2) / 8 + 0.5, 0, 1) if soft else (x >= size / 2).astype(float)
    pixels = (left * (1 - share[None, :, None]) + right * share[None, :, None]).astype(np.uint8)
    mask = np.zeros((size, size), np.float32)
    cv2.ellipse(mask, (size // 2, size // 2), (int(0.46 * size), int(0.36 * size)), 0, 0, 360, 1.0, -1)
    return np.where(mask[..., None] > 0, pixels, 235).astype(np.uint8), mask


class Asked(unittest.TestCase):
    """What a proposal is in doubt about: background that came in, and the two pieces that differ least."""

    def test_an_area_in_the_colours_round_it_is_strange_and_the_others_are_not(self):
        labels = np.zeros((120, 200), np.int32)
        labels[20:100, 20:80], labels[20:100, 80:140], labels[20:100, 140:180] = 1, 2, 3
        rng = np.random.default_rng(3)
        green, tan, black = (45.0, -25.0, 25.0), (58.0, 12.0, 28.0), (16.0, 1.0, 2.0)
        lab = np.where((labels == 1)[..., None], tan, np.where((labels == 2)[..., None], black, green)) + rng.normal(0, 2, (120, 200, 3))
        found = strangeness(lab.astype(np.float32), labels)
        self.assertGreater(found[3], 0.9, "leaves that came in with the loop")
        self.assertLess(max(found[1], found[2]), 0.1)

    def test_what_no_ground_touches_is_never_strange(self):
        labels = np.full((80, 80), 1, np.int32)
        labels[30:50, 30:50] = 2
        lab = np.where((labels == 2)[..., None], (45.0, -25.0, 25.0), (58.0, 12.0, 28.0)).astype(np.float32)
        self.assertEqual(strangeness(lab, labels), {1: 0.0, 2: 0.0})

    def test_the_two_that_would_be_one_first(self):
        pixels, coverage = two_coats()
        animal = Animal(pixels, coverage, 0.5)
        found = animal.areas(5)
        a, b = (found.areas[n] for n in found.alike)
        apart = {(i, j): np.linalg.norm(np.subtract(p.lab, q.lab)) for i, p in enumerate(found.areas) for j, q in enumerate(found.areas) if i < j}
        self.assertLess(np.linalg.norm(np.subtract(a.lab, b.lab)), np.median(list(apart.values())), "two of one coat, not of two")
        self.assertIsNone(animal.areas(FEWEST).alike if len(animal.areas(FEWEST).areas) < FEWEST else None)


class Rings(unittest.TestCase):
    @settings(max_examples=25, deadline=None)
    @given(st.integers(0, 10_000), st.integers(2, 5))
    def test_they_refill_their_labels_exactly_where_nothing_is_simplified(self, seed, kinds):
        rng = np.random.default_rng(seed)
        labels = cv2.resize(rng.integers(0, kinds, (7, 8)).astype(np.uint8), (16, 14), interpolation=cv2.INTER_NEAREST).astype(int)
        labels[rng.random(labels.shape) < 0.05] = 0
        np.testing.assert_array_equal(refilled(rings_of(labels, 0.0), labels.shape), labels)

    def test_simplified_neighbours_share_every_corner_and_overlap_nowhere(self):
        pixels, mask = two_coats()
        g = ground(pixels, mask, 1.0)
        labels = drawn(parting(g).labels(5), g)
        rings = rings_of(labels, 2.0)
        self.assertFalse((refilled(rings, labels.shape) < 0).any())
        corners = [{tuple(p) for r in parts for p in r} for parts in rings.values()]
        for label, mine in zip(rings, corners, strict=True):
            touching = np.unique(labels[cv2.dilate((labels == label).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0])
            others = set().union(*(q for k, q in zip(rings, corners, strict=True) if k != label))
            self.assertTrue(len(touching) < 3 or len(mine & others) >= 2, "a common border ends in common corners")

    def test_no_outline_has_more_corners_than_a_hand_drags(self):
        rng = np.random.default_rng(3)
        rough = cv2.GaussianBlur(rng.normal(0, 1, (200, 200)).astype(np.float32), (0, 0), 3)
        labels = np.where(rough > 0, 1, 2)
        labels = np.where(one_piece(labels, np.ones_like(labels, bool)) == 1, 1, 2)
        self.assertLessEqual(max(len(r[0]) for r in rings_of(labels, 0.5).values()), MOST_CORNERS)

    def test_a_hole_is_a_ring_of_its_own(self):
        labels = np.ones((30, 30), int)
        labels[10:20, 10:20] = 2
        rings = rings_of(labels, 1.0)
        self.assertEqual([len(rings[1]), len(rings[2])], [2, 1])
        np.testing.assert_array_equal(np.sort(rings[2][0], 0)[[0, -1]], [[10, 10], [20, 20]])


class Partings(unittest.TestCase):
    def test_the_seam_lies_where_the_coat_changes(self):
        for soft in (False, True):
            pixels, mask = two_coats(soft=soft)
            g = ground(pixels, mask, 1.0)
            labels = drawn(parting(g).labels(FEWEST), g)
            truth = (np.arange(labels.shape[1]) / g.k + g.origin[0] >= 120)[None].repeat(len(labels), 0)
            of = [truth[labels == i].mean() for i in range(1, labels.max() + 1)]
            self.assertTrue(all(v < 0.06 or v > 0.94 for v in of), of)

    def test_a_turn_of_the_hair_parts_one_colour(self):
        size = 260
        pixels = np.where((np.arange(size) < size / 2)[:, None, None], fur(size, size, 20, 4, contrast=22), fur(size, size, 110, 5, contrast=22)).astype(np.uint8)
        mask = np.zeros((size, size), np.float32)
        cv2.ellipse(mask, (130, 130), (95, 120), 0, 0, 360, 1.0, -1)
        g = ground(pixels, mask, 1.0)
        labels = drawn(parting(g).labels(4), g)
        upper = np.mgrid[0 : labels.shape[0], 0 : labels.shape[1]][0] / g.k + g.origin[1] < 130
        pure = sum(max((upper & (labels == i)).sum(), (~upper & (labels == i)).sum()) for i in range(1, labels.max() + 1)) / (labels > 0).sum()
        self.assertGreater(pure, 0.85)

    def test_every_count_is_had_from_one_parting_and_finer_ones_part_coarser_ones(self):
        pixels, mask = two_coats()
        tree = parting(ground(pixels, mask, 1.0))
        last = None
        for n in range(FEWEST, 13):
            labels = tree.labels(n)
            self.assertEqual(labels.max(), n)
            if last is not None:
                for i in range(1, n + 1):
                    self.assertEqual(len(np.unique(last[labels == i])), 1, "a finer patch lies inside one coarser one")
            last = labels

    def test_no_patch_is_too_narrow_for_a_hand(self):
        pixels, mask = two_coats()
        g = ground(pixels, mask, 0.9)
        labels = parting(g).labels(9)
        for i in range(1, labels.max() + 1):
            wide = 2 * cv2.distanceTransform(np.pad(labels == i, 1).astype(np.uint8), cv2.DIST_L2, 5).max() / g.px_per_mm
            self.assertGreaterEqual(wide, NARROW_MM)

    def test_the_same_animal_is_parted_the_same_way(self):
        pixels, mask = two_coats()
        np.testing.assert_array_equal(parting(ground(pixels, mask, 1.0)).labels(), parting(ground(pixels, mask, 1.0)).labels())

    def test_variance_is_explained_by_means_alone(self):
        lab = np.zeros((4, 4, 3))
        lab[:, 2:] = 10
        halves = np.repeat([[1, 1, 2, 2]], 4, 0)
        self.assertAlmostEqual(variance_explained(lab, halves), 1.0)
        self.assertAlmostEqual(variance_explained(lab, halves.T), 0.0)
        self.assertAlmostEqual(variance_explained(lab, np.where(halves == 1, 1, 0)), 1.0, msg="outside nothing counts")

    def test_what_lies_apart_is_an_area_of_its_own_and_crumbs_are_none(self):
        labels = np.zeros((20, 30), int)
        labels[2:18, 2:12] = 1
        labels[2:18, 12:20] = 2
        labels[5:7, 14:16] = 1  # a crumb of the first in the second
        labels[2:18, 24:29] = 1  # a part that touches nothing
        found = one_piece(labels, labels > 0)
        self.assertEqual(found.max(), 3)
        self.assertEqual(set(np.unique(found[5:7, 14:16])), {int(found[10, 15])})
        self.assertNotEqual(found[10, 26], found[10, 5])


class Faces(unittest.TestCase):
    def test_the_frame_of_two_eyes_and_a_nose(self):
        face = face_of([((60.0, 50.0), 5.0), ((100.0, 50.0), 5.0)], (80.0, 82.0))
        self.assertEqual((face.middle, face.unit, face.side), ((80.0, 50.0), 40.0, False))
        np.testing.assert_allclose(face.at([[80.0, 82.0], [100.0, 50.0]]), [[0, 0.8], [0.5, 0]], atol=1e-9)
        self.assertAlmostEqual(face.nose, 0.8)

    def test_clicks_in_another_order_and_an_animal_upside_down(self):
        eyes = [((60.0, 50.0), 5.0), ((100.0, 50.0), 5.0)]
        self.assertEqual(face_of(eyes, (80.0, 82.0)), face_of(eyes[::-1], (80.0, 82.0)))
        upside = face_of(eyes, (80.0, 18.0))
        np.testing.assert_allclose(upside.at([80.0, 18.0]), [0, 0.8], atol=1e-9)
        np.testing.assert_allclose(upside.right, (-1, 0), atol=1e-9)

    def test_a_turned_head_is_no_smaller(self):
        turned = face_of([((70.0, 50.0), 4.0), ((82.0, 50.0), 4.0)], (70.0, 110.0))
        self.assertGreater(turned.unit, 50)

    def test_no_frame_where_little_was_shown(self):
        self.assertIsNone(face_of([], (5.0, 5.0)))
        self.assertIsNone(face_of([((60.0, 50.0), 5.0)], None))
        self.assertIsNone(face_of([((60.0, 50.0), 9.0), ((62.0, 50.0), 9.0)], None), "one eye clicked twice")
        self.assertTrue(face_of([((60.0, 50.0), 5.0)], (90.0, 80.0)).side)

    def test_parts_lie_where_the_frame_has_them(self):
        face = Face((200.0, 150.0), (1.0, 0.0), (0.0, 1.0), 80.0, 0.8, False)
        parts = face.parts(np.ones((400, 400), bool))
        at = lambda s, t: (*FRONT, "")[parts[round(150 + 80 * t), round(200 + 80 * s)] - 1]  # noqa: E731
        for s, t, name in (
            (0, -0.5, "forehead"), (0, 0.2, "bridge"), (0, 0.8, "muzzle"), (-0.8, 0.5, "left cheek"), (0.8, 0.5, "right cheek"),
            (-1.1, -0.7, "left ear"), (1.1, -0.7, "right ear"), (0, 1.5, "chin"),
        ):  # fmt: skip
            self.assertEqual(at(s, t), name)
        self.assertEqual(parts[-1, 0], 0, "a corner far away is no face")
        small = face.scaled(0.5, (100.0, 50.0)).parts(np.ones((150, 150), bool))
        self.assertEqual(small[round((150 - 50) / 2 - 0.5 * 40), 50], 1 + FRONT.index("forehead"))

    def test_ears_stand_off_a_head_seen_from_the_side(self):
        mask = np.zeros((400, 400), np.uint8)
        cv2.ellipse(mask, (200, 280), (120, 90), 0, 0, 360, 1, -1)
        for x in (170, 230):
            cv2.ellipse(mask, (x, 130), (17, 90), 0, 0, 360, 1, -1)
        face = face_of([((170.0, 250.0), 12.0)], (100.0, 310.0))
        parts = face.parts(mask > 0)
        self.assertEqual({int(parts[90, 170]), int(parts[90, 230])}, {1 + SIDE.index("ear"), 2 + SIDE.index("ear")})
        self.assertNotIn(int(parts[280, 200]), (4, 5))


class Proposals(unittest.TestCase):
    def test_all_of_the_animal_is_covered_in_few_and_in_many(self):
        pixels, mask = two_coats(300, soft=True)
        animal = Animal(pixels, mask, 0.8, [((90.0, 150.0), 12.0)], None)
        for n in (5, 9, 14):
            found = animal.areas(n)
            self.assertEqual(len(found.areas), n + 1)
            self.assertGreater(found.covered, 0.98)
            self.assertAlmostEqual(sum(a.share for a in found.areas if not a.kind), 1.0, places=6)
            under = np.zeros(mask.shape, np.uint8)
            for a in found.areas:
                cv2.fillPoly(under, [np.round(np.array(a.ring)).astype(np.int32)], 1)
            self.assertAlmostEqual(under[mask > 0.5].mean(), found.covered, delta=0.01)
            self.assertLessEqual(max(len(a.ring) for a in found.areas), MOST_CORNERS)
        eye = found.areas[-1]
        self.assertEqual((eye.kind, eye.eye[0]), ("eye", (90.0, 150.0)))
        far = np.hypot(*(np.array(eye.ring) - eye.eye[0]).T)
        np.testing.assert_allclose(far, 1.12 * 12, rtol=1e-6)

    def test_twins_are_the_two_sides_of_one_face(self):
        size = 420
        pixels, mask = fur(size, size, 80, 8, ground=TAN), np.zeros((size, size), np.float32)
        cv2.circle(mask, (210, 230), 150, 1.0, -1)
        for x in (95, 325):
            cv2.circle(mask, (x, 95), 55, 1.0, -1)
        animal = Animal(pixels, mask, 0.5, [((150.0, 200.0), 16.0), ((270.0, 200.0), 16.0)], None)
        found = animal.areas().areas
        names = [a.part for a in found]
        self.assertIn("forehead", names)
        for part in ("ear", "cheek"):
            left, right = names.index(f"left {part}"), names.index(f"right {part}")
            self.assertEqual((found[left].twin, found[right].twin), (right, left))
            self.assertLess(np.mean(found[left].ring, 0)[0], np.mean(found[right].ring, 0)[0])

    def test_single_hairs_at_the_edge_are_no_outline(self):
        pixels, mask = two_coats(300)
        hairs = mask.copy()
        for x in range(40, 260, 9):
            cv2.line(hairs, (x, 150), (x, 20), 1.0, 1)
        plain, hairy = (Animal(pixels, m, 0.8).areas(5) for m in (mask, hairs))
        corners = [sum(len(a.ring) for a in q.areas) for q in (plain, hairy)]
        self.assertLess(corners[1], 1.25 * corners[0])
        self.assertLess(abs(max(y for a in hairy.areas for _x, y in a.ring) - max(y for a in plain.areas for _x, y in a.ring)), 4)
        self.assertGreater(min(y for a in hairy.areas for _x, y in a.ring), 35, "no outline climbs a hair")

    def test_both_eyes_are_one_pair(self):
        pixels, mask = two_coats(300)
        eyes = [a for a in Animal(pixels, mask, 0.1, [((120.0, 120.0), 8.0), ((180.0, 120.0), 8.0)], None).areas(5).areas]
        pair = [n for n, a in enumerate(eyes) if a.kind == "eye"]
        self.assertEqual([eyes[n].twin for n in pair], pair[::-1])

    def test_a_face_that_would_be_a_few_millimetres_is_not_parted(self):
        pixels, mask = two_coats(300)
        eyes = [((120.0, 120.0), 8.0), ((180.0, 120.0), 8.0)]
        self.assertIn("whole.small-head", Animal(pixels, mask, 0.1, eyes, None).notes)
        self.assertNotIn("whole.small-head", Animal(pixels, mask, 0.5, eyes, None).notes)

    def test_a_nose_that_floods_the_face_is_none(self):
        pixels, mask = two_coats(300)
        even = np.full_like(pixels, 128)
        self.assertIsNone(touched_nose(even, mask, (150.0, 150.0)))
        cv2.circle(even, (150, 150), 12, (20, 18, 18), -1)
        found = touched_nose(even, mask, (150.0, 150.0))
        self.assertAlmostEqual(found.sum(), np.pi * 144, delta=120)

    def test_no_animal_is_said(self):
        with self.assertRaises(AreaFault):
            Animal(np.zeros((50, 50, 3), np.uint8), np.zeros((50, 50), np.float32), 1.0)

    def test_small_and_large_photos_have_the_same_patches(self):
        pixels, mask = fur(360, 360, 70, 1, ground=TAN), np.zeros((360, 360), np.float32)
        cv2.ellipse(mask, (180, 200), (165, 130), 0, 0, 360, 1.0, -1)
        for at, other, turn in (((90, 190), BLACK, 20), ((260, 240), WHITE, 110), ((200, 120), (45, 40, 45), 70)):
            spot = np.zeros((360, 360), np.uint8)
            cv2.circle(spot, at, 58, 1, -1)
            pixels[spot > 0] = fur(360, 360, turn, 3, ground=other)[spot > 0]
        one = Animal(pixels, mask, 0.5).areas(4)
        large = cv2.resize(pixels, None, fx=3, fy=3, interpolation=cv2.INTER_CUBIC), cv2.resize(mask, None, fx=3, fy=3, interpolation=cv2.INTER_NEAREST)
        two = Animal(*large, 0.5 / 3).areas(4)

        def filled(ring, k):
            out = np.zeros(mask.shape, np.uint8)
            cv2.fillPoly(out, [np.round(np.array(ring) / k).astype(np.int32)], 1)
            return out > 0

        a, b = [filled(q.ring, 1) for q in one.areas], [filled(q.ring, 3) for q in two.areas]
        best = [max((p & q).sum() / (p | q).sum() for q in b) for p in a]
        self.assertGreater(np.mean(best), 0.75, best)
