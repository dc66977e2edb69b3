"""Finish, length of strokes and ear tips: each area against the wanted picture and the sheet's other finished areas."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from hanabira.core.colour.spaces import bytes_to_lab
from hanabira.core.progress.check import check_photo
from hanabira.core.progress.cure import found_faults
from hanabira.core.progress.detail import detail_faults, finish_of, stroke_times, tip_moved
from hanabira.core.progress.on_sheet import OnSheet
from hanabira.core.progress.sheet_map import GRID
from hanabira.core.progress.told import fault_data
from hanabira.core.progress.verdict import Flaw
from hanabira.core.progress.whole import Compared
from hanabira.core.progress.words import remedy, sentence
from tests import portrait
from tests.core.test_check_whole import NOTHING, OWN, SIZE_PX, flat, known
from tests.fur import fur
from tests.portrait import KIT, RECIPES

# four coats in quarters of the sheet, hair of 5 mm, each another way
WAYS = {"brow": 20.0, "cheek": 70.0, "neck": 120.0, "back": 160.0}
BOXES = {"brow": (3, 3, 43, 43), "cheek": (47, 3, 87, 43), "neck": (3, 47, 43, 87), "back": (47, 47, 87, 87)}
AREAS = {key: flat(key, n + 1, BOXES[key]) for n, key in enumerate(WAYS)}
HAIR_MM = 5.0


def coat(seed: int, lengths_mm=None, strength=None) -> np.ndarray:
    """The four coats as Lab; another seed lays other hairs of the same kind."""
    out = np.full((SIZE_PX, SIZE_PX, 3), (60.0, 5.0, 12.0), np.float32)
    for n, (key, way) in enumerate(WAYS.items()):
        x0, y0, x1, y1 = (int(v * GRID) for v in BOXES[key])
        length = (lengths_mm or {}).get(key, HAIR_MM) * GRID
        drawn = bytes_to_lab(fur(y1 - y0, x1 - x0, way, seed + n, length=length))
        mean = drawn.reshape(-1, 3).mean(0)
        out[y0:y1, x0:x1] = mean + (drawn - mean) * (strength or {}).get(key, 1.0)
    return out


WANTED = coat(1)
BEGUN = np.logical_or.reduce([a.inside for a in AREAS.values()])
SHEET = OnSheet((90.0, 90.0), 5.0, GRID, WANTED, tuple(AREAS.values()))
FINISHED = {key: replace(known()["left"], area_id=key) for key in WAYS}


def seen(found: np.ndarray, hidden: np.ndarray = NOTHING) -> Compared:
    return Compared(found, WANTED, hidden, BEGUN)


def told(found: np.ndarray, expected=FINISHED, tips=None, hidden: np.ndarray = NOTHING) -> dict[tuple[str, str], Flaw]:
    return {(f.area_id, f.kind): f for f in detail_faults(SHEET, expected, seen(found, hidden), tips or {})}


class Finish(unittest.TestCase):
    def test_the_same_drawing_with_other_hairs_is_as_fine_as_wanted(self):
        for key, area in AREAS.items():
            self.assertAlmostEqual(finish_of(area, seen(coat(40))), 1.0, delta=0.15, msg=key)
        self.assertEqual(told(coat(40)), {})

    def test_an_area_with_a_third_of_the_fine_drawing_is_named_with_its_share(self):
        (((area, kind), fault),) = told(coat(40, strength={"neck": 0.35})).items()
        self.assertEqual((area, kind, fault.unit), ("neck", "thin", "%"))
        self.assertAlmostEqual(fault.size, 35, delta=6)

    def test_a_blurred_photo_of_the_whole_sheet_names_none(self):
        blurred = cv2.GaussianBlur(coat(40), (0, 0), 1.2)
        self.assertLess(finish_of(AREAS["neck"], seen(blurred)), 0.7)
        self.assertEqual(told(blurred), {})

    def test_an_area_that_is_not_finished_or_hidden_is_not_judged_and_too_few_judge_none(self):
        thin = coat(40, strength={"neck": 0.35})
        begun = {
            **FINISHED,
            "neck": replace(FINISHED["neck"], recipe=(*FINISHED["neck"].recipe, replace(FINISHED["neck"].recipe[0], id="later"))),
        }
        self.assertFalse(begun["neck"].finished)
        self.assertEqual(told(thin, begun), {})
        self.assertEqual(told(thin, hidden=AREAS["neck"].inside), {})
        self.assertEqual(told(thin, {k: FINISHED[k] for k in ("neck", "brow", "back")}), {})

    def test_where_nothing_fine_is_wanted_nothing_is_missed(self):
        self.assertIsNone(finish_of(AREAS["neck"], Compared(WANTED, coat(1, strength={"neck": 0.1}), NOTHING, BEGUN)))


class Strokes(unittest.TestCase):
    def test_length_along_the_hair_grows_with_the_strokes(self):
        for key, area in AREAS.items():
            runs = [stroke_times(area, seen(coat(40, {key: mm})))[1] for mm in (3.0, 6.0, 12.0)]
            np.testing.assert_allclose(runs[1:], (6, 12), rtol=0.45, err_msg=key)
            self.assertLess(runs[0] * 1.3, runs[1], key)

    def test_strokes_of_three_times_the_length_are_named_in_millimetres(self):
        found = coat(40, {"cheek": 3 * HAIR_MM})
        times, mm = stroke_times(AREAS["cheek"], seen(found))
        (((area, kind), fault),) = told(found).items()
        self.assertEqual((area, kind, fault.unit), ("cheek", "long", "mm"))
        self.assertGreater(times, 1.7)
        self.assertEqual(fault.size, mm)

    def test_beside_fewer_than_three_others_nothing_is_said(self):
        found = coat(40, {"cheek": 3 * HAIR_MM})
        self.assertEqual(told(found, {k: FINISHED[k] for k in ("cheek", "brow", "back")}), {})

    def test_shorter_strokes_and_other_hairs_are_no_fault(self):
        self.assertNotIn(("cheek", "long"), told(coat(40, {"cheek": 0.6 * HAIR_MM})))
        for seed in (60, 80):
            self.assertEqual(told(coat(seed)), {})

    def test_hair_without_a_way_has_no_length(self):
        noise = WANTED.copy()
        noise[..., 0] = 50 + 6 * cv2.GaussianBlur(np.random.default_rng(3).normal(0, 2, noise.shape[:2]), (0, 0), 1.5)
        self.assertIsNone(stroke_times(AREAS["cheek"], seen(noise)))


class EarTips(unittest.TestCase):
    """A dark ear before a light ground, its tip at (45, 30) mm."""

    TIP = (45.0, 30.0)

    def ear(self, moved_mm=(0.0, 0.0)) -> np.ndarray:
        out = np.full((SIZE_PX, SIZE_PX, 3), (85.0, 1.0, 4.0), np.float32)
        x, y = self.TIP[0] + moved_mm[0], self.TIP[1] + moved_mm[1]
        corners = np.array([(x, y), (x - 9, y + 30), (x + 12, y + 30)]) * GRID
        cv2.fillPoly(out, [np.round(corners).astype(np.int32)], (35.0, 8.0, 12.0))
        return cv2.GaussianBlur(out, (0, 0), 1.0)

    def off(self, moved_mm, hidden=NOTHING) -> float | None:
        return tip_moved(Compared(self.ear(moved_mm), self.ear(), hidden, BEGUN), self.TIP)

    def test_how_far_it_stands_off_in_millimetres(self):
        self.assertAlmostEqual(self.off((0, 0)), 0, delta=0.4)
        self.assertAlmostEqual(self.off((4, 0)), 4, delta=0.5)
        self.assertAlmostEqual(self.off((-3, 3)), 3 * np.sqrt(2), delta=0.5)

    def test_hidden_too_far_away_or_without_an_edge_it_is_not_judged(self):
        hidden = NOTHING.copy()
        hidden[int(25 * GRID) : int(40 * GRID)] = True
        self.assertIsNone(self.off((4, 0), hidden))
        self.assertIsNone(tip_moved(Compared(self.ear(), self.ear(), NOTHING, BEGUN), (3.0, 3.0)))
        plain = np.full_like(WANTED, 60.0)
        self.assertIsNone(tip_moved(Compared(plain, plain, NOTHING, BEGUN), self.TIP))

    def test_a_confirmed_tip_is_told_from_two_millimetres(self):
        def faults(moved, expected=FINISHED):
            compared = Compared(self.ear((moved, 0.0)), self.ear(), NOTHING, BEGUN)
            return [f for f in detail_faults(SHEET, expected, compared, {"brow": self.TIP}) if f.kind == "tip"]

        self.assertEqual(faults(1.3), [])
        (fault,) = faults(4.0)
        self.assertEqual((fault.area_id, fault.unit), ("brow", "mm"))
        self.assertEqual(faults(4.0, {k: e for k, e in FINISHED.items() if k != "brow"}), [])


class Words(unittest.TestCase):
    def test_each_is_said_with_its_cure(self):
        plan = portrait.plan(RECIPES)
        _l, shot = portrait.taken(portrait.drawn(RECIPES, (), seed=51), seed=51)
        checked = check_photo(shot.photo, plan)
        for kind, size, tool, what, cure in (
            ("thin", 35.0, "finish", "Coat has 35 % of the finish that the other areas have.", "short, fine strokes"),
            ("long", 9.2, "break", "Strokes in Coat run 9 mm: too long for this coat.", "Lift single hairs"),
            ("tip", 4.0, "redraw", "The tip of Coat stands 4 mm from its place.", "Bring its rim back"),
        ):
            with self.subTest(kind=kind):
                fault = Flaw("coat", "", kind, size, 0.5, 4.0)
                (q,) = found_faults(replace(checked, verdict=replace(checked.verdict, faults=(fault,))), plan, 3, OWN)
                self.assertEqual(q.cure.tool, tool)
                self.assertEqual(sentence(q, plan), what)
                self.assertIn(cure, remedy(q, KIT))
                self.assertEqual(fault_data(q, plan)["kind"], kind)


if __name__ == "__main__":
    unittest.main()
