"""Places against pictures whose parts are known: eyes drawn in many colours, stripes, whiskers; corrections by hand, maps on other rasters."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from demo_making.truth import demo_truth
from hanabira.core.area.marking import Marking
from hanabira.core.area.shape import cut, rectangle
from hanabira.core.colour.spaces import lab_to_srgb
from hanabira.core.places.eyes import guessed_circle
from hanabira.core.places.find import corrected, find_places
from hanabira.core.places.hand_scale import Hand
from hanabira.core.places.place import Place, Places, as_planned, labels_at
from hanabira.core.places.sample import two_clusters
from hanabira.craft.hand import hand_scale
from hanabira.craft.supplies import _load, named, surfaces
from hanabira.demo.pictures import PHOTOS
from hanabira.studio.pictures import read_picture
from tests.fur import fur

HAND = Hand(hand_scale(), 0.3)

IRISES = {
    "amber": (55, 18, 50), "brown": (26, 16, 24), "dark brown": (17, 9, 13), "blue": (60, -4, -22), "green": (52, -12, 30), "grey": (48, 0, -3),
}  # fmt: skip
RADIUS = 60


def drawn_eye(
    iris: tuple, seed: int = 1, size: int = 300, skin: tuple = (58.0, 8.0, 24.0)
) -> tuple[np.ndarray, dict[str, np.ndarray], tuple[float, float]]:
    """An eye in fur-coloured skin, the true masks of its parts, and its centre. Blurred and grained like a photograph."""
    rng = np.random.default_rng(seed)
    cx, cy = size / 2 + rng.uniform(-6, 6), size / 2 + rng.uniform(-6, 6)
    yy, xx = np.mgrid[0:size, 0:size].astype(np.float32)
    rho = np.hypot(xx - cx, yy - cy) / RADIUS
    lab = np.broadcast_to(np.array(skin, np.float32), (size, size, 3)).copy()
    disc, pupil = rho < 1, rho < 0.46
    lab[disc] = iris
    # a little lighter opposite the light, as a lens throws it
    lab[..., 0] += np.where(disc, 5 * np.clip((yy - cy) / RADIUS, 0, 1), 0)
    rim = disc & (rho > 0.9)
    lab[rim] = (12, 2, 3)
    lab[pupil] = (7, 0, -1)
    light = np.hypot(xx - (cx - 22), yy - (cy - 24)) < 9
    lab[light] = (93, 0, -3)
    lab = cv2.GaussianBlur(lab, (0, 0), 1.0)
    lab[..., 0] += rng.normal(0, 1.2, lab.shape[:2])
    pixels = (np.clip(lab_to_srgb(lab), 0, 1) * 255 + 0.5).astype(np.uint8)
    return pixels, {"pupil": pupil & ~light, "catchlight": light, "iris": disc & ~pupil & ~rim & ~light}, (cx, cy)


def overlap(a: np.ndarray, b: np.ndarray) -> float:
    """Intersection over union."""
    return float((a & b).sum() / max(1, (a | b).sum()))


def on_photo(places: Places, keys: tuple[str, ...], shape: tuple[int, int]) -> np.ndarray:
    """Pixels of some places on the photo they were found in."""
    numbers = [n for n, p in enumerate(places, 1) if p.id in keys]
    return np.isin(labels_at(places, shape, (0.0, 0.0), 1.0), numbers)


class Eyes(unittest.TestCase):
    def find(self, pixels, centre, shift=(0.0, 0.0), grow=1.0):
        at = centre[0] + shift[0] * RADIUS, centre[1] + shift[1] * RADIUS
        clicks = (at, (at[0] + RADIUS * grow, at[1]))
        ring = rectangle(40, 40, 220, 220)
        return find_places(pixels, cut(pixels, ring), "eye", Marking(None, 0, None, None, None), HAND, clicks)

    def test_parts_lie_where_they_were_drawn_whatever_the_colour(self):
        for name, iris in IRISES.items():
            with self.subTest(iris=name):
                pixels, truth, centre = drawn_eye(iris)
                places = self.find(pixels, centre)
                shape = pixels.shape[:2]
                light = on_photo(places, ("catchlight", "catchlight edge"), shape)
                self.assertTrue(places.get("catchlight").reserved)
                self.assertGreater(overlap(light, truth["catchlight"]), 0.55)
                self.assertGreater(overlap(on_photo(places, ("pupil",), shape), truth["pupil"]), 0.7)
                irises = tuple(k for k in places.ids if k.startswith("iris") or k == "lid shadow")
                self.assertGreater(overlap(on_photo(places, irises, shape), truth["iris"]), 0.6)
                whole = np.average([p.photo_lab for p in places if p.id in irises], 0, [p.share for p in places if p.id in irises])
                self.assertLess(np.linalg.norm(whole - (np.array(iris) + (1, 0, 0))), 7)

    def test_a_moved_click_moves_no_part(self):
        rng = np.random.default_rng(5)
        kept = total = 0
        for iris in IRISES.values():
            pixels, truth, centre = drawn_eye(iris, 3)
            first = self.find(pixels, centre)
            for _ in range(4):
                moved = self.find(pixels, centre, tuple(rng.uniform(-0.12, 0.12, 2)), rng.uniform(0.9, 1.12))
                total += 1
                kept += set(moved.ids) == set(first.ids)
                self.assertIn("catchlight", moved.ids)
                self.assertGreater(overlap(on_photo(moved, ("pupil",), pixels.shape[:2]), truth["pupil"]), 0.6)
        self.assertGreaterEqual(kept, 0.7 * total)

    def test_without_clicks_the_circle_is_found_in_pale_and_dark_coats_and_called_a_guess(self):
        rng = np.random.default_rng(8)
        good = total = 0
        for skin in ((58.0, 8.0, 24.0), (15.0, 1.0, 2.0), (80.0, 1.0, 6.0)):
            for iris in IRISES.values():
                for reach in (1.3, 1.6):  # how far outside the eye the loop runs
                    pixels, _truth, centre = drawn_eye(iris, 7, skin=skin)
                    x, y = np.array(centre) + rng.uniform(-0.12, 0.12, 2) * RADIUS
                    turns = np.linspace(0, 2 * np.pi, 40, endpoint=False)
                    loop = [(x + reach * RADIUS * np.cos(t), y + reach * RADIUS * np.sin(t)) for t in turns]
                    (cx, cy), radius = guessed_circle(pixels, cut(pixels, loop))
                    total += 1
                    good += np.hypot(cx - centre[0], cy - centre[1]) < 0.25 * RADIUS and 0.78 < radius / RADIUS < 1.25
        self.assertGreaterEqual(good, 0.94 * total)
        places = find_places(pixels, cut(pixels, loop), "eye", Marking(None, 0, None, None, None), HAND)
        self.assertIn("place.eye-guessed", places.notes)
        self.assertNotIn("place.eye-guessed", self.find(pixels, centre).notes)

    def test_without_clicks_the_eyes_of_the_demo_animals_are_found(self):
        rng = np.random.default_rng(3)
        for kind in ("rabbit", "pony"):
            truth, pixels = demo_truth(kind), read_picture(PHOTOS[kind]).pixels
            eye = cv2.morphologyEx(np.isin(truth.part, (3, 4, 5)).astype(np.uint8), cv2.MORPH_CLOSE, np.ones((3, 3)))
            _n, _labels, stats, _centres = cv2.connectedComponentsWithStats(eye)
            left, top, wide, high = truth.step_px * stats[1 + stats[1:, 4].argmax(), :4]
            true_x, true_y, true_radius = left + wide / 2, top + high / 2, max(wide, high) / 2
            for reach in (1.1, 1.3, 1.6):
                with self.subTest(kind=kind, reach=reach):
                    x, y = np.array((true_x, true_y)) + rng.uniform(-0.1, 0.1, 2) * true_radius
                    turns = np.linspace(0, 2 * np.pi, 40, endpoint=False)
                    loop = [(x + reach * true_radius * np.cos(t), y + reach * true_radius * np.sin(t)) for t in turns]
                    (cx, cy), radius = guessed_circle(pixels, cut(pixels, loop))
                    self.assertLess(np.hypot(cx - true_x, cy - true_y), 0.25 * true_radius)
                    self.assertAlmostEqual(radius / true_radius, 1.0, delta=0.3)

    def test_a_flash_in_the_pupil_is_named(self):
        pixels, truth, centre = drawn_eye(IRISES["brown"])
        shine = pixels.copy()
        shine[truth["pupil"]] = (190, 225, 120)
        self.assertIn("place.eye-shine", self.find(cv2.GaussianBlur(shine, (0, 0), 1.0), centre).notes)
        self.assertNotIn("place.eye-shine", self.find(pixels, centre).notes)


class Coats(unittest.TestCase):
    def places(self, pixels, marking, said=False):
        ring = rectangle(2, 2, pixels.shape[1] - 4, pixels.shape[0] - 4)
        return find_places(pixels, cut(pixels, ring), "coat", marking, HAND, said=said)

    def test_values_share_the_area_and_rise(self):
        places = self.places(fur(220, 220, 25.0, 2), Marking("plain", 0.9, None, None, None))
        self.assertAlmostEqual(sum(p.share for p in places), 1.0, delta=0.01)
        self.assertLessEqual({"gap", "general", "light"}, set(places.ids))
        values = [p.photo_lab[0] for p in places]
        self.assertEqual(values, sorted(values))
        self.assertTrue((places.labels[3:-3, 3:-3] > 0).all())

    def test_stripes_are_planned_apart_from_their_ground_and_whiskers_are_not(self):
        pixels, truth = striped_with_truth()
        places = self.places(pixels, Marking("stripes", 0.95, None, 0.4, 3.0))
        self.assertIn("marking", places.ids)
        side = on_photo(places, tuple(p.id for p in places if p.kind == "marking" and p.id != "edge"), pixels.shape[:2])
        self.assertGreater(overlap(side[4:-4, 4:-4], truth[4:-4, 4:-4]), 0.6)
        marked, ground = places.get("marking").photo_lab[0], places.get("general").photo_lab[0]
        self.assertGreater(abs(marked - ground), 20)
        lines = fur(300, 300, 25.0, 4)
        for k in range(26):
            cv2.line(lines, (0, 12 * k), (lines.shape[1], 12 * k + 40), (235, 232, 225), 2, cv2.LINE_AA)
        plain = self.places(lines, Marking("stripes", 0.95, None, 0.3, 2.0))
        self.assertNotIn("marking", plain.ids)
        self.assertEqual(plain.notes, ("place.lines",))
        # but the artist's word stands
        self.assertIn("marking", self.places(lines, Marking("stripes", 1.0, None, 0.3, 2.0), said=True).ids)

    def test_two_hues_at_one_value_are_two_places(self):
        rng = np.random.default_rng(3)
        lab = np.full((200, 200, 3), (46.0, 0, 0), np.float32)
        lab[:, :110] += (0, 8, 4)
        lab[:, 110:] += (0, -4, -7)
        lab[..., 0] += rng.normal(0, 5, (200, 200))
        places = self.places((np.clip(lab_to_srgb(lab), 0, 1) * 255).astype(np.uint8), Marking("plain", 0.9, None, None, None))
        hues = [p for p in places if p.id.startswith("general")]
        self.assertEqual(len(hues), 2)
        warm, cool = sorted(hues, key=lambda p: -p.photo_lab[1])
        self.assertLess(np.linalg.norm(np.subtract(warm.photo_lab[1:], (8, 4))), 3)
        self.assertLess(np.linalg.norm(np.subtract(cool.photo_lab[1:], (-4, -7))), 3)
        self.assertFalse(on_photo(places, (cool.id,), (200, 200))[10:190, 10:90].mean() > 0.02)


def striped_with_truth() -> tuple[np.ndarray, np.ndarray]:
    """Dark stripes on pale fur, and where they are."""
    pale = fur(300, 300, 60.0, 3)
    h, w = pale.shape[:2]
    yy, xx = np.mgrid[0:h, 0:w]
    truth = np.sin((xx + 6 * np.sin(yy / 30)) * 2 * np.pi / 90) > 0.35
    soft = cv2.GaussianBlur(truth.astype(np.float32), (0, 0), 2.0)[..., None]
    light = np.clip(pale.astype(np.float32) * 0.5 + 120, 0, 255)
    return (light * (1 - soft) + pale.astype(np.float32) * 0.22 * soft).astype(np.uint8), truth


class Names(unittest.TestCase):
    def test_a_surface_has_its_own_names_and_the_ids_stay(self):
        parts = tuple(
            Place(k, n, "band", "coat", (50.0, 0.0, 0.0), 0.3, (0, 0, 1, 1))
            for k, n in (("gap", "gap"), ("general blue", "general in the blue hair"))
        )
        places = Places(parts, np.ones((2, 2), np.uint8), (0.0, 0.0), 1.0)
        self.assertEqual([p.name for p in named(places, "paw-pad")], ["pad in the deepest shade", "pad in the blue hair"])
        self.assertEqual(named(places, "paw-pad").ids, places.ids)
        self.assertIs(named(places, "short-fur"), places)
        self.assertEqual(set(_load("places.toml")) - set(surfaces()), set())


class Maps(unittest.TestCase):
    labels = np.kron(np.array([[1, 2], [3, 0]], np.uint8), np.ones((10, 10), np.uint8))
    three = tuple(
        Place(k, k, "part", "eye", (v, 0.0, 0.0), s, (0, 0, 1, 1)) for k, v, s in (("a", 10, 0.3), ("b", 50, 0.4), ("c", 90, 0.3))
    )
    map = Places(three, labels, (100.0, 200.0), 2.0)

    def test_a_map_on_another_raster(self):
        # half the photo's resolution, beginning at (90, 190): the map's first pixel comes after five
        seen = labels_at(self.map, (40, 40), (90.0, 190.0), 0.5)
        self.assertEqual(seen[4, 4], 1)  # at the very border the nearest pixel counts
        self.assertEqual((seen[6, 6], seen[6, 16], seen[16, 6], seen[16, 16]), (1, 2, 3, 0))
        self.assertEqual(int((seen == 2).sum()), 11 * 11)  # one more along the two outer sides
        self.assertEqual(seen[0, 0], 0)

    def test_corrections_by_hand(self):
        photo = np.full((300, 300, 3), 120, np.uint8)
        box = lambda x, y, w, h: ((x, y), (x + w, y), (x + w, y + h), (x, y + h))  # noqa: E731
        more = corrected(self.map, (("a", "add", box(120, 200, 10, 20)),), photo)
        self.assertEqual(int((more.labels == 1).sum()), 100 + 50)
        self.assertAlmostEqual(more.get("b").share, 50 / 300, delta=0.01)
        self.assertAlmostEqual(more.get("a").photo_lab[0], 50.4, delta=1.0)  # measured again: the photo is one grey
        self.assertEqual(more.get("b").photo_lab, self.map.get("b").photo_lab)
        gone = corrected(self.map, (("c", "away", box(90, 210, 60, 60)),), photo)
        self.assertEqual(gone.ids, ("a", "b"))
        self.assertEqual(int((gone.labels == 2).sum()), 200)  # the grey is nearest to b
        self.assertIs(corrected(self.map, (("nobody", "add", box(0, 0, 9, 9)),), photo), self.map)

    def test_a_recipe_keeps_its_places_when_others_are_found(self):
        other = (replace(self.three[1], photo_lab=(52.0, 0.0, 0.0)), self.three[0], self.three[2])
        same = as_planned(self.map, other)
        self.assertEqual(same.ids, ("b", "a", "c"))
        self.assertEqual(same.get("b").photo_lab[0], 50)  # today's colour
        self.assertEqual(int(same.labels[0, 0]), 2)
        fewer = as_planned(self.map, self.three[:1] + (replace(self.three[2], id="z", photo_lab=(70.0, 0.0, 0.0)),))
        self.assertEqual(fewer.ids, ("a", "z"))
        self.assertEqual([int(v) for v in np.unique(fewer.labels)], [0, 1, 2])
        self.assertEqual(int(fewer.labels[0, 15]), 2)  # b, at 50, is nearer to 70 than to 10

    def test_two_clusters_find_the_smaller_share(self):
        rng = np.random.default_rng(1)
        points = np.concatenate([rng.normal(0, 1, (300, 2)), rng.normal(20, 1, (100, 2))])
        second, gap, least = two_clusters(points)
        self.assertAlmostEqual(least, 0.25, delta=0.001)
        self.assertAlmostEqual(gap, 20 * np.sqrt(2), delta=0.5)
        self.assertEqual(len(set(second[:300].tolist())), 1)


if __name__ == "__main__":
    unittest.main()
