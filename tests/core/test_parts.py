"""Parts told by their form against drawn skin, mouths, pads, ears, locks and feathers; the lists of parts; how a recipe serves them."""

import unittest

import cv2
import numpy as np

from hanabira.core.area.marking import Marking
from hanabira.core.area.shape import cut, rectangle
from hanabira.core.places.coat import coat_places
from hanabira.core.places.find import find_places, ranked
from hanabira.core.places.hand_scale import Hand
from hanabira.core.places.parts import FINDERS, KEEPS_OFF, SurfacePart, find_parts, three_tones
from hanabira.core.places.place import Place, Places
from hanabira.core.places.sample import sample_at
from hanabira.craft.hand import hand_scale
from hanabira.craft.supplies import _load, named, parts_of, surfaces
from tests import flesh
from tests.fur import fur

HAND = Hand(hand_scale(), 0.3)

PLAIN = Marking(None, 0, None, None, None)
DRAWN = {
    "folds": ("bare-skin-and-folds", {"crease": "crease", "ridge": "ridge"}),
    "mouth": ("mouth", {"teeth": "teeth", "tongue": "tongue", "inside": "hollow"}),
    "pad": ("paw-pad", {"crease": "crease", "worn shine": "gloss"}),
    "ear": ("ear-inside", {"hollow": "hollow", "edge hairs": "edge hairs"}),
    "locks": ("wet", {"lock edge": "lock edge", "lock light": "lock light"}),
    "feathers": ("contour-feathers", {"overlap": "overlap", "feather edge": "feather edge"}),
}
"""What is drawn, its surface, and the ids its parts should be found under."""
NEAR = np.ones((5, 5), np.uint8)


def seen(places: Places, key: str) -> np.ndarray:
    return places.mask((key,)) if key in places.ids else np.zeros(places.labels.shape, bool)


def met(found: np.ndarray, truth: np.ndarray) -> tuple[float, float]:
    """Share of the truth that was found, and share of the found that is true, within two pixels."""
    size = found.shape[1], found.shape[0]
    truth = cv2.resize(truth.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    wide = lambda m: cv2.dilate(m.astype(np.uint8), NEAR) > 0  # noqa: E731
    return float((truth & wide(found)).sum() / truth.sum()), float((found & wide(truth)).sum() / max(1, found.sum()))


class Parts(unittest.TestCase):
    def test_parts_lie_where_they_were_drawn(self):
        for kind, (surface_id, ids) in DRAWN.items():
            for seed in (201, 202, 203):
                pixels, truth = getattr(flesh, kind)(seed)
                region = cut(pixels, rectangle(0, 0, flesh.SIZE, flesh.SIZE))
                anatomy = surfaces()[surface_id].anatomy
                places = find_places(pixels, region, anatomy, PLAIN, HAND, parts=parts_of(surface_id))
                self.assertTrue((places.labels > 0).all())
                ranks = sorted(parts_of(surface_id), key=lambda p: p.rank)
                seen_all = coat_places(sample_at(region, HAND), PLAIN, anatomy != "bare", HAND.scale, may_be_marked=anatomy == "coat", parts=ranks)
                for drawn, key in ids.items():
                    with self.subTest(kind=kind, seed=seed, part=drawn):
                        self.assertGreater(met(seen(seen_all, key), truth[drawn])[0], 0.7)
                        whole, right = met(seen(places, key), truth[drawn])
                        self.assertGreater(whole, 0.5, "what is narrower than a stroke is not planned apart")
                        self.assertGreater(right, 0.75)

    def test_nothing_is_found_in_plain_fur_and_even_skin(self):
        made = 0
        for seed in range(4):
            rng = np.random.default_rng(seed)
            pictures = [fur(240, 240, rng.uniform(0, 180), seed, contrast=rng.uniform(5, 16)), flesh.even(seed)]
            for pixels, left_out in zip(
                pictures, ({"pebble", "gloss"}, {"pebble"}), strict=True
            ):  # hairs gleam; grain is wherever leather is
                s = sample_at(cut(pixels, rectangle(0, 0, 240, 240)), HAND)
                for how in set(FINDERS) - left_out:
                    made += 1
                    self.assertEqual([f.id for f in find_parts(s, [SurfacePart(how, how, how)], "coat")], [], (seed, how))
        self.assertEqual(made, 4 * (8 + 9))

    def test_a_ridge_stands_beside_its_crease(self):
        pixels, truth = flesh.folds(204)
        places = find_places(pixels, cut(pixels, rectangle(0, 0, 300, 300)), "bare", PLAIN, HAND, parts=parts_of("bare-skin-and-folds"))
        crease, ridge, skin = (places.get(k).photo_lab[0] for k in ("crease", "ridge", "general"))
        self.assertLess(crease, skin - 8)
        self.assertGreater(ridge, skin + 6)
        away = cv2.distanceTransform((~seen(places, "crease")).astype(np.uint8), cv2.DIST_L2, 5)
        self.assertLess(np.median(away[seen(places, "ridge")]), 12)

    def test_three_tones(self):
        rng = np.random.default_rng(1)
        values = np.concatenate([rng.normal(10, 1, 400), rng.normal(40, 1, 300), rng.normal(80, 1, 200)])
        low, high, explained = three_tones(values)
        self.assertTrue(14 < low < 37 and 43 < high < 77)
        self.assertGreater(explained, 0.98)
        self.assertLess(three_tones(rng.normal(50, 5, 900))[2], 0.9)


class Lists(unittest.TestCase):
    def test_every_part_has_a_finder_a_rank_and_known_words(self):
        for surface_id in _load("places.toml"):
            parts = parts_of(surface_id)
            self.assertEqual(len({p.id for p in parts}), len(parts), surface_id)
            self.assertEqual([p.rank for p in parts], sorted({p.rank for p in parts}))
            for p in parts:
                self.assertEqual(set(p.keeps_off) - set(KEEPS_OFF), set())
                if surfaces()[surface_id].anatomy not in ("eye", "nose"):
                    self.assertIn(p.how, FINDERS, (surface_id, p.id))
                    self.assertTrue(p.name)

    def test_no_value_has_the_name_of_a_part(self):
        for surface_id, lists in _load("places.toml").items():
            names = {p.name for p in parts_of(surface_id)}
            self.assertEqual(names & set(lists.get("values", {}).values()), set(), surface_id)

    def test_the_surfaces_that_the_craft_plans_apart_have_lists(self):
        for surface_id, _ids in DRAWN.values():
            self.assertTrue(parts_of(surface_id))
        for surface_id in ("eye", "nose", "tongue", "beak-and-cere", "scaled-leg", "flight-feathers"):
            self.assertTrue(parts_of(surface_id))

    def test_ranks_order_the_places_and_keep_the_map(self):
        three = tuple(Place(k, k, "part", "eye", (50.0, 0.0, 0.0), 0.3, (0, 0, 1, 1)) for k in ("pupil", "strange", "rim"))
        labels = np.array([[1, 2], [3, 0]], np.uint8)
        places = ranked(Places(three, labels, (0.0, 0.0), 1.0), parts_of("eye"))
        self.assertEqual(places.ids, ("rim", "pupil", "strange"))
        self.assertEqual(places.labels.tolist(), [[2, 3], [1, 0]])

    def test_values_keep_their_surface_names_beside_the_parts(self):
        pixels, _truth = flesh.pad(205)
        places = find_places(pixels, cut(pixels, rectangle(0, 0, 300, 300)), "bare", PLAIN, HAND, parts=parts_of("paw-pad"))
        names = {p.id: p.name for p in named(places, "paw-pad")}
        self.assertEqual(names["crease"], "creases of the pad")
        self.assertEqual(names["general"], "pad")
        self.assertEqual(len(set(names.values())), len(names))


if __name__ == "__main__":
    unittest.main()
