"""What a hand can lay: the width of a run, maps without crumbs, colours along the hair, one size of the drawing whatever the photo's."""

import base64
import unittest
import zlib

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.area.marking import Marking
from hanabira.core.area.shape import Region, at_size, cut, rectangle
from hanabira.core.places.find import find_places
from hanabira.core.places.hand_scale import Hand, Least, along_hair, at_hand, cleaned, map_data, run_mm, without_crumbs
from hanabira.core.places.place import Place, Places
from hanabira.craft.hand import hand_scale
from tests.fur import fur

SCALE = hand_scale()
COAT = Least(1.0, 2.0)


def strip(width: int, length: int = 120) -> np.ndarray:
    out = np.zeros((width + 20, length + 20), bool)
    out[10 : 10 + width, 10 : 10 + length] = True
    return out


def places_on(labels: np.ndarray, ids: tuple[str, ...], kept: tuple[str, ...] = (), group: str = "coat") -> Places:
    rows = [
        Place(k, k, "band", group, (20.0 + 15 * n, 0.0, 0.0), float((labels == n + 1).mean()), (0, 0, 1, 1), k in kept) for n, k in enumerate(ids)
    ]
    return Places(tuple(rows), labels.astype(np.uint8), (0.0, 0.0), 1.0)


class Runs(unittest.TestCase):
    @given(st.integers(6, 40), st.floats(0.05, 2.0))
    @settings(max_examples=40)
    def test_a_strip_is_as_wide_as_it_was_drawn(self, width, mm):
        self.assertAlmostEqual(run_mm(strip(width), mm), width * mm, delta=(0.1 * width + 0.6) * mm)

    def test_the_width_is_that_of_most_of_the_surface(self):
        both = np.zeros((120, 160), bool)
        both[10:50, 10:150] = True  # a wide run
        both[80:83, 10:150] = True  # and a thin one of a thirteenth of its surface
        self.assertAlmostEqual(run_mm(both, 0.3), 12, delta=1.5)
        self.assertEqual(run_mm(np.zeros((9, 9), bool), 0.3), 0.0)


class Crumbs(unittest.TestCase):
    def test_what_is_narrower_than_the_least_goes_to_its_neighbour(self):
        for wide_mm, stays in ((0.6, False), (2.4, True)):
            labels = np.full((120, 120), 1, np.uint8)
            px = round(wide_mm / 0.2)
            labels[:, 60 : 60 + px] = 2
            out = without_crumbs(labels, 0.2, COAT)
            self.assertEqual(bool((out == 2).any()), stays, wide_mm)
            self.assertTrue((out > 0).all())
            if stays:
                self.assertEqual(int((out == 2).sum()), 120 * px)

    def test_small_pieces_go_and_large_ones_of_the_same_place_stay(self):
        labels = np.full((200, 200), 1, np.uint8)
        labels[20:60, 20:60] = 2  # 64 mm²
        labels[120:126, 120:126] = 2  # 1.4 mm²
        out = without_crumbs(labels, 0.2, COAT)
        self.assertTrue((out[22:58, 22:58] == 2).all())
        self.assertFalse((out[110:140, 110:140] == 2).any())

    def test_kept_places_neither_grow_nor_shrink(self):
        labels = np.full((120, 120), 1, np.uint8)
        labels[50:53, 50:53] = 3
        labels[50:53, 53:55] = 2
        out = without_crumbs(labels, 0.2, COAT, np.array([3]))
        np.testing.assert_array_equal(out == 3, labels == 3)
        self.assertFalse((out == 2).any())

    def test_the_border_of_the_area_narrows_nothing(self):
        labels = np.zeros((80, 80), np.uint8)
        labels[20:60, 20:60] = 1
        labels[20:60, 20:26] = 2  # 1.2 mm wide, at the border
        self.assertTrue((without_crumbs(labels, 0.2, COAT) == 2).any())

    def test_a_tiny_area_is_not_swallowed_whole(self):
        labels = np.full((30, 30), 1, np.uint8)
        labels[:, 15:] = 2
        self.assertEqual(set(np.unique(without_crumbs(labels, 0.05, COAT))), {1, 2})

    @given(st.integers(0, 10_000))
    @settings(max_examples=20)
    def test_no_piece_is_left_that_a_hand_could_not_find_again(self, seed):
        rng = np.random.default_rng(seed)
        rough = rng.normal(0, 1, (20, 20)).repeat(6, 0).repeat(6, 1) + rng.normal(0, 0.6, (120, 120))
        labels = (1 + (rough > -0.3) + (rough > 0.5)).astype(np.uint8)
        out = without_crumbs(labels, 0.3, COAT)
        self.assertTrue((out > 0).all())
        import cv2

        small = 0
        for n in np.unique(out):
            _k, _pieces, stats, _c = cv2.connectedComponentsWithStats((out == n).astype(np.uint8), connectivity=8)
            areas = stats[1:, cv2.CC_STAT_AREA] * 0.09
            small += areas[areas < COAT.surface].sum()
        self.assertLess(small, 0.03 * out.size * 0.09)


class Cleaned(unittest.TestCase):
    def test_places_without_a_piece_are_gone_and_shares_follow(self):
        labels = np.full((100, 100), 1)
        labels[:, 50:] = 2
        labels[10:12, 10:12] = 3
        found = cleaned(places_on(labels, ("gap", "general", "light")), Hand(SCALE, 0.3), "coat")
        self.assertEqual(found.ids, ("gap", "general"))
        self.assertAlmostEqual(sum(p.share for p in found), 1.0)
        self.assertEqual(found.get("general").box, (50, 0, 50, 100))
        self.assertEqual(found.mm, 0.3)

    def test_a_small_wet_light_is_as_large_as_one_touch(self):
        labels = np.full((100, 100), 1)
        labels[50:53, 50:53] = 2
        mm = 0.15
        found = cleaned(places_on(labels, ("base shade", "wet light"), group="nose"), Hand(SCALE, mm), "nose")
        self.assertIn("wet light", found.ids)
        self.assertGreaterEqual(run_mm(found.mask(("wet light",)), mm), SCALE.least["nose"].width)
        faint = labels.copy()
        faint[50:53, 50:53] = 1
        faint[50, 50] = 2  # less than a quarter of what a hand finds again
        self.assertNotIn("wet light", cleaned(places_on(faint, ("base shade", "wet light"), group="nose"), Hand(SCALE, mm), "nose").ids)

    def test_the_map_is_told_as_plain_data(self):
        labels = np.arange(12, dtype=np.uint8).reshape(3, 4) % 3
        told = map_data(places_on(labels, ("gap", "light")))
        read = np.frombuffer(zlib.decompress(base64.b64decode(told["labels"])), np.uint8).reshape(told["shape"])
        np.testing.assert_array_equal(read, labels)
        self.assertEqual(told["ids"], ["gap", "light"])


class AlongHair(unittest.TestCase):
    def test_hair_is_gathered_along_and_not_across(self):
        rng = np.random.default_rng(4)
        lab = np.zeros((90, 90, 3), np.float32)
        lab[..., 0] = 50 + 12 * (np.arange(90) // 6 % 2)[:, None]  # locks that run from left to right
        grained = lab.copy()
        grained[..., 0] += rng.normal(0, 6, (90, 90))
        out = along_hair(grained, np.ones((90, 90), bool), 0.3, SCALE.along_mm)
        inner = np.s_[15:-15, 15:-15, 0]
        before, after = np.abs(grained[inner] - lab[inner]).mean(), np.abs(out[inner] - lab[inner]).mean()
        self.assertLess(after, 0.55 * before, "grain goes")
        self.assertGreater(np.ptp(np.median(out[inner], 1)), 9, "locks stay")

    def test_nothing_is_gathered_from_outside(self):
        lab = np.full((40, 40, 3), 50.0, np.float32)
        lab[:, 20:, 0] = 90
        mask = np.zeros((40, 40), bool)
        mask[:, :20] = True
        out = along_hair(lab, mask, 0.3, SCALE.along_mm)
        np.testing.assert_allclose(out[:, :20, 0], 50, atol=1e-3)
        np.testing.assert_allclose(out[:, 20:, 0], 90)


class OneSize(unittest.TestCase):
    def test_a_region_of_any_size_has_the_hands_pitch(self):
        for side in (100, 300):
            small, mm = at_hand(Region(np.zeros((side, side, 3), np.uint8), np.ones((side, side), bool), 5, 6), Hand(SCALE, 30 / side))
            self.assertEqual((small.mask.shape, small.left, small.top), ((100, 100), 5, 6))
            self.assertAlmostEqual(mm, SCALE.pitch_mm)
        self.assertEqual(at_size(Region(np.zeros((40, 80, 3), np.uint8), np.ones((40, 80), bool), 0, 0), 320).mask.shape, (160, 320))

    def test_the_same_fur_at_three_sizes_has_the_same_places(self):
        import cv2

        pixels = fur(240, 240, 25.0, 2)
        told = []
        for k in (0.5, 1, 2):
            picture = cv2.resize(pixels, None, fx=k, fy=k, interpolation=cv2.INTER_AREA if k < 1 else cv2.INTER_CUBIC)
            region = cut(picture, rectangle(0, 0, picture.shape[1], picture.shape[0]))
            plain = Marking("plain", 0.9, None, None, None)
            told.append(find_places(picture, region, "coat", plain, Hand(SCALE, 0.3 / k)))
        self.assertEqual({p.ids for p in told}, {told[0].ids})
        for p in told[1:]:
            for a, b in zip(told[0], p, strict=True):
                self.assertLess(np.linalg.norm(np.subtract(a.photo_lab, b.photo_lab)), 4, a.id)


if __name__ == "__main__":
    unittest.main()
