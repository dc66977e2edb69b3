"""Values of a coat and a marking on it, on pictures whose every colour is known."""

import unittest

import cv2
import numpy as np

from hanabira.core.area.marking import Marking
from hanabira.core.area.shape import Region
from hanabira.core.colour.spaces import bytes_to_lab, lab_to_srgb
from hanabira.core.places.coat import LINES_SHARE, STEP_L, _values, coat_places, joined
from hanabira.core.places.hand_scale import Hand
from hanabira.core.places.place import Places
from hanabira.core.places.sample import FoundPlace, Sample, sample, sample_at
from hanabira.craft.hand import hand_scale

PLAIN = Marking("plain", 0.9, "gradient", None, None)
SIDE = 200
SCALE = hand_scale()


def painted(lab: np.ndarray, grain: float = 0.6, seed: int = 3) -> Sample:
    """A picture of these Lab values (h, w, 3), a little grained."""
    lab = lab.astype(np.float32).copy()
    lab[..., 0] += np.random.default_rng(seed).normal(0, grain, lab.shape[:2])
    pixels = (np.clip(lab_to_srgb(lab), 0, 1) * 255 + 0.5).astype(np.uint8)
    mask = np.ones(pixels.shape[:2], bool)
    return Sample(bytes_to_lab(pixels).astype(np.float32), mask, pixels, (0.0, 0.0), 1.0, SCALE.pitch_mm)


def ramp(low: float, high: float, a: float = 4.0, b: float = 12.0) -> np.ndarray:
    """Values from ``low`` at the left to ``high`` at the right."""
    lab = np.empty((SIDE, SIDE, 3))
    lab[..., 0] = np.linspace(low, high, SIDE)[None]
    lab[..., 1:] = a, b
    return lab


def on(ground: tuple, mark: tuple, where: np.ndarray, soft: float = 0.0) -> np.ndarray:
    """A marking of one colour on a ground of one colour, with a soft edge."""
    share = where.astype(np.float32)
    if soft:
        share = cv2.GaussianBlur(share, (0, 0), soft)
    return np.array(ground)[None, None] * (1 - share[..., None]) + np.array(mark)[None, None] * share[..., None]


def stripes(period: int = 50, width: int = 20) -> np.ndarray:
    x = np.arange(SIDE)
    return np.repeat(((x % period) < width)[None], SIDE, 0)


class Values(unittest.TestCase):
    def lab_of(self, places: Places, key: str) -> np.ndarray:
        found = places.get(key)
        assert found is not None, (key, places.ids)
        return np.array(found.photo_lab)

    def test_values_are_the_ranks_they_are_called_by(self):
        places = coat_places(painted(ramp(30, 70)), PLAIN, False, SCALE, may_be_marked=False)
        self.assertEqual(places.ids, ("gap", "general", "light"), "the brightest few are no place of their own beside the lights")
        lights = [self.lab_of(places, k)[0] for k in places.ids]
        self.assertEqual(lights, sorted(lights))
        self.assertAlmostEqual(self.lab_of(places, "general")[0], 50, delta=1.5)
        for k in places.ids:
            np.testing.assert_allclose(self.lab_of(places, k)[1:], (4, 12), atol=1.2)
        self.assertAlmostEqual(sum(p.share for p in places), 1, delta=1e-6)

    def test_far_values_get_something_between_them_and_near_ones_do_not(self):
        lab = painted(ramp(8, 92))
        found = _values(lab.lab, lab.mask, "", "band", "coat")
        self.assertEqual([f.id for f in found], ["gap", "shade", "general", "half-tone", "light", "highlight"])
        values = [float(f.lab(lab.lab)[0]) for f in found]
        self.assertEqual(values, sorted(values))
        wide = coat_places(lab, PLAIN, False, SCALE, may_be_marked=False)
        self.assertEqual(len(wide), SCALE.coat, "a hand holds no more in mind")
        self.assertLess(self.lab_of(wide, "gap")[0], 25)
        narrow = coat_places(painted(ramp(50 - STEP_L * 0.6, 50 + STEP_L * 0.6)), PLAIN, False, SCALE, may_be_marked=False)
        self.assertFalse({"shade", "half-tone"} & set(narrow.ids))

    def test_every_pixel_has_the_place_nearest_to_its_own_colour(self):
        places = coat_places(painted(ramp(10, 90)), PLAIN, False, SCALE)
        self.assertTrue((places.labels > 0).all())
        by_value = sorted(range(len(places.all)), key=lambda n: places.all[n].photo_lab[0])
        at = [np.flatnonzero(places.labels[100] == n + 1).mean() for n in by_value]
        self.assertEqual(at, sorted(at), "darker places lie farther to the left")

    def test_a_value_in_two_hues_is_two_places_named_by_the_smaller_ones_hue(self):
        lab = ramp(38, 62, 2.0, 6.0)
        lab[:70, :, 1:] = (6.0, -24.0)
        places = coat_places(painted(lab), PLAIN, False, SCALE, may_be_marked=False)
        blue = [p for p in places if "blue" in p.id or "violet" in p.id]
        self.assertTrue(blue, places.ids)
        for p in blue:
            self.assertLess(p.photo_lab[2], -15)
        lab[12:70, :, 1:] = (2.0, 6.0)  # twelve rows of two hundred are too few for a place of their own
        few = coat_places(painted(lab), PLAIN, False, SCALE, may_be_marked=False)
        self.assertFalse([p for p in few if p.id.startswith("general ")], few.ids)


class Joined(unittest.TestCase):
    """No more places than a hand holds in mind, and none that it could not tell apart."""

    @staticmethod
    def strips(*values: float, widths: tuple[int, ...] = ()) -> tuple[list[FoundPlace], np.ndarray]:
        """A place a value, as strips beside one another (20 pixels wide unless said)."""
        wide = widths or (20,) * len(values)
        lab = np.concatenate([np.broadcast_to(np.array([v, 0.0, 0.0]), (40, w, 3)) for v, w in zip(values, wide, strict=True)], 1)
        ends = np.cumsum([0, *wide])
        names = ("gap", "shade", "general", "half-tone", "light", "highlight")[: len(values)]
        found = []
        for k, name in enumerate(names):
            core = np.zeros(lab.shape[:2], bool)
            core[:, ends[k] : ends[k + 1]] = True
            found.append(FoundPlace(name, name, "band", "coat", core))
        return found, lab

    def ids(self, *values: float, most: int = 4, widths: tuple[int, ...] = ()) -> list[str]:
        found, lab = self.strips(*values, widths=widths)
        return [f.id for f in joined(found, lab, SCALE, most)]

    def test_the_nearest_two_become_one_and_the_ends_stay(self):
        self.assertEqual(self.ids(10, 25, 32, 50, 65, 80), ["gap", "general", "light", "highlight"])
        self.assertEqual(self.ids(10, 24, 50, 70, 80, most=4)[0], "gap")
        self.assertEqual(len(self.ids(10, 25, 40, 55, 70, 85, most=3)), 3)

    def test_what_no_hand_tells_apart_is_one_and_black_coats_keep_small_steps(self):
        self.assertEqual(len(self.ids(40, 40 + SCALE.one_de - 0.5, 70)), 2)
        self.assertEqual(len(self.ids(40, 40 + SCALE.one_de + 0.5, 70)), 3)
        dark = SCALE.dark_l - 10
        self.assertEqual(len(self.ids(dark, dark + SCALE.one_de - 0.5, 70)), 3)
        self.assertEqual(len(self.ids(dark, dark + SCALE.one_dark_de - 0.5, 70)), 2)

    def test_a_speck_goes_to_the_nearest_colour(self):
        self.assertEqual(self.ids(20, 40, 80, widths=(40, 40, 1)), ["gap", "general"], "under the name of one of the four")

    def test_the_core_of_both_is_the_core_of_one(self):
        found, lab = self.strips(40, 42, 70)
        out = joined(found, lab, SCALE, 4)
        self.assertEqual(sum(int(f.core.sum()) for f in out), 60 * 40)


class Marked(unittest.TestCase):
    GROUND, MARK = (66.0, 10.0, 34.0), (26.0, 6.0, 10.0)

    def find(self, lab: np.ndarray, kind: str = "stripes", sure: float = 0.9, **more: bool) -> Places:
        return coat_places(painted(lab), Marking(kind, sure, "patches", None, None), False, SCALE, **more)

    def test_ground_and_marking_are_planned_apart_in_their_own_colours(self):
        where = stripes()
        places = self.find(on(self.GROUND, self.MARK, where, 1.0))
        self.assertIn("marking", places.ids)
        marked = places.mask([p.id for p in places if p.group == "marking"])
        self.assertGreater((marked & where).sum() / (marked | where).sum(), 0.9)
        np.testing.assert_allclose(places.get("marking").photo_lab, self.MARK, atol=3.5)
        ground = next(p for p in places if p.id == "general")
        np.testing.assert_allclose(ground.photo_lab, self.GROUND, atol=3.5)

    def test_a_marking_of_one_tone_is_one_place_and_one_of_two_is_more(self):
        where = stripes()
        one = self.find(on(self.GROUND, self.MARK, where, 1.0))
        self.assertEqual([p.id for p in one if p.id.startswith("marking")], ["marking"])
        lab = on(self.GROUND, self.MARK, where, 1.0)
        lab[..., 0] -= where * np.linspace(-14, 16, SIDE)[:, None]
        more = self.find(lab)
        self.assertGreater(len([p.id for p in more if p.id.startswith("marking")]), 1)

    def test_a_soft_edge_is_a_place_and_a_sharp_one_is_not(self):
        blob = np.hypot(*(np.mgrid[0:SIDE, 0:SIDE] - SIDE / 2)) < 60
        self.assertIn("edge", self.find(on(self.GROUND, self.MARK, blob, 7.0), "patches").ids)
        self.assertNotIn("edge", self.find(on(self.GROUND, self.MARK, blob, 0.8), "patches").ids)

    def test_nothing_is_marked_where_nothing_is(self):
        for lab in (ramp(40, 60), np.broadcast_to(np.array(self.GROUND), (SIDE, SIDE, 3))):
            self.assertFalse([p for p in self.find(lab, "plain") if p.group == "marking"])
        whole = self.find(on(self.GROUND, self.MARK, stripes(), 1.0), may_be_marked=False)
        self.assertFalse([p for p in whole if p.group == "marking"])

    def test_fine_lines_are_hair_over_the_coat_and_said_to_be(self):
        rng = np.random.default_rng(5)
        lines = np.zeros((SIDE, SIDE), np.float32)
        for _ in range(26):
            x, y, turn = rng.uniform(0, SIDE), rng.uniform(0, SIDE), rng.uniform(0.2, 0.5)
            dx, dy = 80 * np.cos(turn), 80 * np.sin(turn)
            cv2.line(lines, (int(x - dx), int(y - dy)), (int(x + dx), int(y + dy)), 1.0, 2)
        self.assertTrue(LINES_SHARE < lines.mean() < 0.45, lines.mean())
        places = self.find(on((45, 6, 14), (80, 2, 8), lines > 0.5, 0.6), "stripes", 0.6)
        self.assertFalse([p for p in places if p.group == "marking"], places.ids)
        self.assertIn("place.lines", places.notes)

    def test_what_the_artist_says_is_believed(self):
        faint = on((60, 8, 20), (49, 8, 17), stripes(), 1.0)
        self.assertFalse([p for p in self.find(faint, "stripes", 0.3) if p.group == "marking"])
        self.assertTrue([p for p in self.find(faint, "stripes", 0.3, said=True) if p.group == "marking"])


class Small(unittest.TestCase):
    def test_a_hand_looks_at_one_size_of_the_drawing(self):
        for side in (200, 400, 800):  # the same 60 mm of paper in photos of three sizes
            pixels = np.full((side, side, 3), 120, np.uint8)
            got = sample_at(Region(pixels, np.ones((side, side), bool), 0, 0), Hand(SCALE, 60 / side))
            self.assertEqual(got.lab.shape[:2], (200, 200))
            self.assertAlmostEqual(got.mm, 0.3)
            self.assertAlmostEqual(got.scale, side / 200)
        large = sample_at(Region(np.zeros((900, 900, 3), np.uint8), np.ones((900, 900), bool), 0, 0), Hand(SCALE, 1.0))
        self.assertEqual(large.lab.shape[0], SCALE.most_px)
        self.assertAlmostEqual(large.mm, 900 / SCALE.most_px)

    def test_a_sample_keeps_where_it_came_from(self):
        pixels = np.full((400, 800, 3), 120, np.uint8)
        got = sample(Region(pixels, np.ones((400, 800), bool), 30, 50), 200)
        self.assertEqual((got.lab.shape[:2], got.scale, got.origin), ((100, 200), 4.0, (30.0, 50.0)))
        same = sample(Region(pixels[:50, :60], np.ones((50, 60), bool), 1, 2), 200)
        self.assertEqual((same.lab.shape[:2], same.scale), ((50, 60), 1.0))


if __name__ == "__main__":
    unittest.main()
