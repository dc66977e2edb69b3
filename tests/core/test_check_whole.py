"""What a photo says beyond single places: lines left standing, clouds, what draws first, how eyes stand; and corrections that wait or rest."""

import unittest
from dataclasses import replace
from unittest import mock

import cv2
import numpy as np

from hanabira.core.forecast.portrait import PhotoLab
from hanabira.core.progress import whole
from hanabira.core.progress.check import check_photo
from hanabira.core.progress.cure import found_faults
from hanabira.core.progress.expected import AreaStack, expected
from hanabira.core.progress.geometry import Form
from hanabira.core.progress.on_sheet import AreaOnSheet, OnSheet
from hanabira.core.progress.sheet_map import GRID
from hanabira.core.progress.told import fault_data
from hanabira.core.progress.whole import Compared, clouds_of, eyes_apart, pull, standing_line, whole_faults
from hanabira.core.progress.words import remedy, sentence
from hanabira.core.solver.layer import CORRECT, Layer
from hanabira.devices.drawn_sheet import Planted
from tests import portrait
from tests.portrait import KIT, PAPER, RECIPES

SIZE_PX = int(90 * GRID)
OWN = tuple({q.code for layers in RECIPES.values() for q in layers})


def flat(key: str, number: int, box_mm: tuple[int, int, int, int], surface: str = "short-fur") -> AreaOnSheet:
    inside = np.zeros((SIZE_PX, SIZE_PX), bool)
    x0, y0, x1, y1 = (int(v * GRID) for v in box_mm)
    inside[y0:y1, x0:x1] = True
    drawn = PhotoLab({"general": np.array([50.0, 5, 10])}, inside.astype(np.uint8), ("general",), ("coat",), frozenset())
    return AreaOnSheet(key, number, key.capitalize(), surface, inside, inside, drawn)


LEFT, RIGHT = flat("left", 1, (5, 5, 45, 85)), flat("right", 2, (45, 5, 85, 85))
BEGUN = LEFT.inside | RIGHT.inside
WANTED = np.zeros((SIZE_PX, SIZE_PX, 3), np.float32)
WANTED[...] = (50, 5, 10)
WANTED[RIGHT.inside] = (40, 4, 8)
NOTHING = np.zeros((SIZE_PX, SIZE_PX), bool)


def seen(found: np.ndarray, hidden: np.ndarray = NOTHING) -> Compared:
    return Compared(found, WANTED, hidden, BEGUN)


def known(source: str = "scrap") -> dict:
    out = {}
    for key in ("left", "right"):
        laid = (Layer("general", OWN[0], 2, 1, "everywhere", "flick", id="0", on=("general",)),)
        e = expected(AreaStack(key, laid, laid, targets={"general": np.array([50.0, 5, 10])}), PAPER, KIT)
        out[key] = replace(e, source={"general": source})
    return out


def sheet() -> OnSheet:
    return OnSheet((90.0, 90.0), 5.0, GRID, WANTED, (LEFT, RIGHT))


def grained(seed: int = 1) -> np.ndarray:
    out = WANTED.copy()
    out[..., 0] += cv2.GaussianBlur(np.random.default_rng(seed).normal(0, 6, out.shape[:2]).astype(np.float32), (0, 0), 0.3 * GRID)
    return out


class Lines(unittest.TestCase):
    def outlined(self, depth: float, share: float = 1.0) -> np.ndarray:
        out = grained()
        contours, _ = cv2.findContours(LEFT.core.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        line = cv2.drawContours(np.zeros(LEFT.core.shape, np.float32), contours, -1, 1.0, max(1, round(1.0 * GRID)))
        line[int((5 + 80 * share) * GRID) :] = 0
        out[..., 0] -= depth * line
        return out

    def test_a_line_along_a_border_between_two_coats_is_measured_in_its_depth(self):
        clean, drawn = standing_line(LEFT, seen(grained()), WANTED[..., 0]), standing_line(LEFT, seen(self.outlined(12)), WANTED[..., 0])
        self.assertLess(abs(clean[0]), 1.5)
        self.assertAlmostEqual(drawn[0] - clean[0], 12, delta=2)
        self.assertEqual(drawn[1], 1.0)

    def test_it_is_a_fault_only_when_it_goes_most_of_the_way_round(self):
        kinds = lambda found: {(f.area_id, f.kind) for f in whole_faults(sheet(), known(), seen(found), {})}  # noqa: E731
        self.assertIn(("left", "framed"), kinds(self.outlined(12)))
        self.assertNotIn(("left", "framed"), kinds(self.outlined(12, 0.35)))
        self.assertNotIn(("left", "framed"), kinds(self.outlined(2)))

    def test_beside_bare_paper_nothing_is_said(self):
        alone = Compared(self.outlined(12), WANTED, NOTHING, LEFT.inside)
        self.assertIsNone(standing_line(LEFT, alone, WANTED[..., 0]))


class Clouds(unittest.TestCase):
    def clouded(self, sd: float, mm: float = 3.0) -> np.ndarray:
        out = grained()
        clouds = cv2.GaussianBlur(np.random.default_rng(4).normal(size=out.shape[:2]).astype(np.float32), (0, 0), mm * GRID / 2)
        out[LEFT.inside, 0] += (sd * clouds / clouds.std())[LEFT.inside]
        return out

    def test_patches_of_some_millimetres_are_clouds_and_grain_and_light_are_none(self):
        self.assertLess(clouds_of(LEFT, seen(grained()), WANTED[..., 0]), 1.2)
        self.assertGreater(clouds_of(LEFT, seen(self.clouded(6)), WANTED[..., 0]), 2.5)
        light = grained()
        light[..., 0] += np.linspace(-6, 6, SIZE_PX)[None]
        self.assertLess(clouds_of(LEFT, seen(light), WANTED[..., 0]), 1.6)

    def test_they_must_be_larger_where_the_forecast_is_a_guess(self):
        found = seen(self.clouded(6))
        with mock.patch.object(whole, "ENOUGH", 1):  # the other area of this small sheet tells what is usual
            for source, told in (("scrap", True), ("shipped", False)):
                kinds = {f.kind for f in whole_faults(sheet(), known(source), found, {}) if f.area_id == "left"}
                self.assertEqual("blotchy" in kinds, told, source)

    def test_what_all_areas_have_is_the_hand_and_few_areas_cannot_tell_it(self):
        kinds = lambda found: {(f.area_id, f.kind) for f in whole_faults(sheet(), known("scrap"), found, {})}  # noqa: E731
        once = self.clouded(6)
        self.assertNotIn(("left", "blotchy"), kinds(seen(once)), "with one other area a hand may lay so by nature")
        self.assertIn(("left", "blotchy"), kinds(seen(self.clouded(14))), "no hand lays so by nature")
        everywhere = grained()
        clouds = cv2.GaussianBlur(np.random.default_rng(8).normal(size=everywhere.shape[:2]).astype(np.float32), (0, 0), 3.0 * GRID / 2)
        everywhere[..., 0] += 6 * clouds / clouds.std()
        with mock.patch.object(whole, "ENOUGH", 1):
            self.assertIn(("left", "blotchy"), kinds(seen(once)))
            self.assertNotIn(("left", "blotchy"), kinds(seen(everywhere)))

    def test_who_leaves_the_photo_s_forms_out_lays_no_clouds(self):
        forms = grained()
        waves = 8 * np.sin(np.arange(SIZE_PX) / (5.0 * GRID) * 2 * np.pi)[None]
        wanted = WANTED[..., 0] + waves
        self.assertGreater(np.std(waves), 5)
        plain = clouds_of(LEFT, Compared(forms, WANTED, NOTHING, LEFT.inside), wanted.astype(np.float32))
        copied = forms.copy()
        copied[..., 0] += waves
        self.assertLess(plain, 1.2, "nothing of the photo is drawn, and nothing else is")
        self.assertLess(clouds_of(LEFT, Compared(copied, WANTED, NOTHING, LEFT.inside), wanted.astype(np.float32)), 1.2, "all of it is drawn")

    def test_what_is_hidden_does_not_count(self):
        self.assertIsNone(clouds_of(LEFT, seen(self.clouded(6), np.ones_like(NOTHING)), WANTED[..., 0]))


class Attention(unittest.TestCase):
    def test_a_neon_collar_beats_the_eyes_and_a_calm_one_does_not(self):
        eye, collar, coat = flat("eye", 1, (20, 20, 30, 30), "eye"), flat("collar", 2, (20, 55, 60, 62)), flat("coat", 3, (5, 5, 85, 85))
        cut = coat.inside & ~eye.inside & ~collar.inside
        coat = replace(coat, inside=cut, core=cut)
        wanted = np.zeros_like(WANTED)
        wanted[...] = (50, 5, 10)
        wanted[eye.inside], wanted[collar.inside] = (8, 0, 0), (45, 20, 20)
        loud, calm = wanted.copy(), wanted.copy()
        loud[collar.inside], calm[collar.inside] = (45, 62, 48), (45, 22, 21)
        begun = coat.inside | eye.inside | collar.inside
        out = {}
        for name, found in (("loud", loud), ("calm", calm)):
            e = {k: replace(known()["left"], area_id=k) for k in ("eye", "collar", "coat")}
            whole = OnSheet((90.0, 90.0), 5.0, GRID, wanted, (eye, collar, coat))
            out[name] = {(f.area_id, f.kind) for f in whole_faults(whole, e, Compared(found, wanted, NOTHING, begun), {})}
        self.assertIn(("collar", "loud"), out["loud"])
        self.assertNotIn(("collar", "loud"), out["calm"])
        self.assertGreater(pull(eye, wanted, begun, NOTHING), pull(collar, wanted, begun, NOTHING))


class Eyes(unittest.TestCase):
    LEFT, RIGHT = flat("l", 1, (10, 40, 22, 52), "eye"), flat("r", 2, (60, 40, 72, 52), "eye")

    def told(self, moved_left: tuple[float, float], moved_right: tuple[float, float]) -> list:
        form = lambda moved: Form(1.0, 0.0, moved, 12.0, 0.99)  # noqa: E731
        return eyes_apart([self.LEFT, self.RIGHT], {"l": form(moved_left), "r": form(moved_right)})

    def test_a_pair_that_was_moved_together_is_in_order(self):
        self.assertEqual(self.told((1.5, -1.0), (1.5, -1.0)), [])

    def test_too_far_apart_and_too_near_in_millimetres_of_the_eye_that_moved(self):
        (far,) = self.told((0.0, 0.0), (2.0, 0.0))
        self.assertEqual((far.kind, far.area_id, far.unit), ("apart", "r", "mm"))
        self.assertAlmostEqual(far.size, 2.0)
        (near,) = self.told((1.8, 0.0), (0.0, 0.0))
        self.assertEqual((near.kind, near.area_id), ("together", "l"))
        self.assertAlmostEqual(near.size, -1.8)

    def test_a_turned_line_in_degrees_counter_clockwise(self):
        (turned,) = self.told((0.0, 0.0), (0.0, -2.0))  # the right eye stands 2 mm higher than it should, 50 mm away
        self.assertEqual((turned.kind, turned.unit), ("eyeline", "°"))
        self.assertAlmostEqual(turned.size, np.degrees(np.arctan2(2, 50)), places=3)

    def test_one_eye_says_nothing(self):
        self.assertEqual(eyes_apart([self.LEFT], {"l": Form(1.0, 0.0, (9.0, 0.0), 12.0, 0.99)}), [])


class Planted_(unittest.TestCase):
    """On whole photos of the drawn portrait."""

    def check(self, faults=(), seed=51, laid=None, plan=None):
        lies = RECIPES if laid is None else laid
        plan = plan or portrait.plan(lies)
        _l, shot = portrait.taken(portrait.drawn(lies, faults, seed=seed), seed=seed)
        checked = check_photo(shot.photo, plan)
        return plan, found_faults(checked, plan, 3, OWN)

    def test_clouds_and_a_line_are_named_with_their_cures(self):
        for kind, told_as, cure, words in (
            ("blotchy", "blotchy", "even", "small circles"),
            ("framed", "framed", "soften", "kneaded eraser"),
        ):
            with self.subTest(kind=kind):
                plan, found = self.check([Planted(kind, 1)], seed=71)
                q = next(q for q in found if q.fault.area_id == "coat" and q.fault.kind == told_as)
                self.assertEqual(q.cure.tool, cure)
                self.assertIn(words, remedy(q, KIT))
                self.assertIn("Coat", sentence(q, plan))
                data = fault_data(q, plan)
                self.assertEqual(data["unit"], "L*")
                self.assertEqual(bool(data["proposal"]["steps"]), kind == "blotchy")

    def test_a_small_difference_beside_bare_paper_waits_for_the_neighbour(self):
        laid = {k: v for k, v in RECIPES.items() if k != "back"}
        _plan, found = self.check([Planted("lighter", 1)], seed=52, laid=laid)
        q = next(q for q in found if q.fault.area_id == "coat" and q.fault.kind == "lighter")
        self.assertLess(abs(q.fault.size), 0.8)
        self.assertEqual((q.cure.tool, q.cure.names), ("wait", ("Back",)))
        self.assertIn("wait until Back stands", remedy(q, KIT))
        _plan, done = self.check([Planted("lighter", 1)], seed=52)
        self.assertNotEqual(next(q for q in done if q.fault.kind == "lighter" and q.fault.area_id == "coat").cure.tool, "wait")

    def test_after_two_corrections_a_place_rests(self):
        fix = [Layer(CORRECT, RECIPES["coat"][1].code, 1, 1, "everywhere", "flick", id=f"c{n}", on=("general",)) for n in range(2)]
        laid = {**RECIPES, "coat": (*RECIPES["coat"], *fix)}
        _plan, found = self.check([Planted("darker", 1)], seed=73, laid=laid)
        q = next(q for q in found if q.fault.area_id == "coat" and q.fault.kind == "darker" and q.fault.place == "general")
        self.assertEqual(q.cure.tool, "rest")
        self.assertIn("Rest a night", remedy(q, KIT))


if __name__ == "__main__":
    unittest.main()
