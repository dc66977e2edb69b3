"""From what was found to what is wrong, why, and what helps: planted faults are named, correct sheets are left alone."""

import unittest
from dataclasses import replace

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.optics.stack import bare, seen_as
from hanabira.core.progress.check import check_photo
from hanabira.core.progress.cure import LIFTS, TOOTH, after, bounds, found_faults, key_of
from hanabira.core.progress.expected import SPREAD, AreaStack, expected, signature
from hanabira.core.progress.find import Refused
from hanabira.core.progress.geometry import Form, HairRun, hair_of
from hanabira.core.progress.reading import PlaceSeen
from hanabira.core.progress.told import nearness, refused, told
from hanabira.core.progress.verdict import Flaw, judge
from hanabira.core.progress.words import listed, remedy, sentence
from hanabira.core.solver.layer import CORRECT, Layer
from hanabira.devices.drawn_sheet import Planted
from tests import portrait
from tests.portrait import GROUND, KIT, PAPER, RECIPES

OWN = tuple({q.code for layers in RECIPES.values() for q in layers})
SURE = np.array([0.8, 0.6, 0.6])


def place(area: str, name: str, wanted: tuple, off: tuple, share: float = 0.3, uneven: float = 0.0, hidden: str = "") -> PlaceSeen:
    return PlaceSeen(
        area, name, np.array(wanted, float), np.array(wanted, float) + np.array(off, float), SURE, uneven, (10.0, 10.0), share, hidden
    )


def areas(source: str = "scrap"):  # noqa: ANN201
    """Three areas of three places, all known alike."""
    out = {}
    for k in "abc":
        names = ("gap", "general", "light")
        out[k] = expected(AreaStack(k, (), (), targets={n: np.array([50.0, 0, 0]) for n in names}), PAPER, KIT)
        out[k] = replace(out[k], source=dict.fromkeys(names, source))
    return out


def photo(changes: dict, hidden: dict | None = None) -> list[PlaceSeen]:
    """Nine places in order but for some."""
    wanted = {"gap": (22, 4, 8), "general": (48, 10, 20), "light": (70, 6, 18)}
    shares = {"gap": 0.2, "general": 0.5, "light": 0.3}
    return [
        place(k, n, wanted[n], changes.get((k, n), (0, 0, 0)), shares[n], hidden=(hidden or {}).get((k, n), ""))
        for k in "abc"
        for n in wanted
    ]


class Verdicts(unittest.TestCase):
    def kinds(self, changes: dict, source: str = "scrap", **more) -> set:
        found = judge(photo(changes), areas(source), GROUND, **more)
        return {(f.area_id, f.kind) for f in found.faults}

    def test_a_correct_photo_has_no_fault_and_small_scatter_is_silence(self):
        self.assertEqual(self.kinds({}), set())
        rng = np.random.default_rng(5)
        alarms = 0
        for _ in range(40):
            scatter = {(k, n): rng.normal(0, [1.5, 0.9, 1.0]) for k in "abc" for n in ("gap", "general", "light")}
            alarms += len(self.kinds(scatter))
        self.assertLessEqual(alarms, 8)

    def test_a_place_eight_l_off_is_named_with_its_size_in_steps(self):
        found = judge(photo({("b", "general"): (8, 0, 0)}), areas(), GROUND)
        self.assertEqual([(f.area_id, f.place, f.kind, f.unit) for f in found.faults], [("b", "general", "lighter", "steps")])
        self.assertAlmostEqual(found.faults[0].size, 0.8, delta=0.15)
        self.assertGreater(found.faults[0].z, 2)
        self.assertEqual(found.places["b", "general"], "lighter")
        self.assertEqual(found.places["a", "gap"], "as wanted")
        self.assertIn(("c", "darker"), self.kinds({("c", "gap"): (-10, 0, 0)}))

    def test_the_same_difference_says_nothing_where_the_forecast_is_unsure(self):
        self.assertEqual(self.kinds({("b", "general"): (8, 0, 0)}, "shipped"), set())
        self.assertLess(SPREAD["scrap"][0][0], SPREAD["near"][0][0])
        self.assertLess(SPREAD["fitted"][0][0], SPREAD["shipped"][0][0])

    def test_what_all_places_share_is_one_leaning_and_no_fault(self):
        shift = {(k, n): (-5, 0, 0) for k in "abc" for n in ("gap", "general", "light")}
        found = judge(photo(shift), areas(), GROUND)
        self.assertEqual(found.faults, ())
        self.assertLess(found.leaning[0], -3)
        self.assertEqual(found.leaning_places, 9)

    def test_hues_are_told_of_the_whole_area(self):
        for off, kind in (((0, -8, 0), "green"), ((0, 8, 0), "red"), ((0, 0, 9), "yellow"), ((0, 0, -9), "blue")):
            self.assertEqual(self.kinds({("a", n): off for n in ("gap", "general", "light")}), {("a", kind)})
        dull = {("a", "gap"): (0, -2, -4), ("a", "general"): (0, -5, -9), ("a", "light"): (0, -3, -9)}
        self.assertTrue(self.kinds(dull) & {("a", "dull"), ("a", "blue")})

    def test_bare_paper_is_a_skipped_area_and_a_shadow_on_it_as_well(self):
        wanted = {"gap": (22, 4, 8), "general": (48, 10, 20), "light": (70, 6, 18)}
        bare_ = {("b", n): GROUND - np.array(w) for n, w in wanted.items()}
        self.assertEqual(self.kinds(bare_), {("b", "skipped")})
        shadow = {("b", n): GROUND * np.array([0.75, 1, 1]) - np.array(w) for n, w in wanted.items()}
        self.assertIn(("b", "skipped"), self.kinds(shadow))

    def test_what_is_hidden_is_not_judged(self):
        seen = photo({("b", "general"): (15, 0, 0)}, {("b", "general"): "sheen"})
        found = judge(seen, areas(), GROUND)
        self.assertEqual(found.faults, ())
        self.assertEqual(found.places["b", "general"], "not judged: sheen")

    def test_an_uneven_difference_counts_less(self):
        even = judge([replace(p, uneven=0.0) for p in photo({("b", "general"): (8, 0, 0)})], areas(), GROUND)
        uneven = judge([replace(p, uneven=20.0) for p in photo({("b", "general"): (8, 0, 0)})], areas(), GROUND)
        self.assertTrue(even.faults)
        self.assertEqual(uneven.faults, ())

    def test_forms_beyond_their_limits(self):
        good, large, turned = Form(0.995, 0.2, (0, 0), 30, 0.99), Form(1.09, 0.1, (0, 0), 30, 0.99), Form(1.0, 5.6, (0, 0), 30, 0.99)
        more = {"round_ones": frozenset("a")}
        self.assertEqual(self.kinds({}, forms={"a": good, "b": good}, **more), set())
        self.assertEqual(self.kinds({}, forms={"a": large}, **more), {("a", "large")})
        self.assertEqual(self.kinds({}, forms={"a": turned, "b": turned}, **more), {("b", "turned")})

    def test_hair_of_a_comb_and_hair_off_its_way(self):
        coat = HairRun(60, 0.6, 5, 0.55)
        self.assertEqual(self.kinds({}, hairs={"a": (HairRun(61, 0.6, 5, 0.46), coat)}), set())
        self.assertEqual(self.kinds({}, hairs={"a": (HairRun(61, 0.9, 4, 0.75), coat)}), {("a", "mechanical")})
        self.assertEqual(self.kinds({}, hairs={"a": (HairRun(110, 0.7, 5, 0.4), coat)}), {("a", "combed")})
        self.assertEqual(self.kinds({}, hairs={"a": (HairRun(20, 0.9, 4, float("nan")), replace(coat, order=0.2))}), set())


class Hairs(unittest.TestCase):
    def test_direction_and_regularity_of_drawn_lines(self):
        y, x = np.mgrid[0:240, 0:240]
        mask = np.ones((240, 240), bool)
        for deg in (20, 90, 150):
            across = (x * np.sin(np.radians(deg)) + y * np.cos(np.radians(deg))) / 3.0
            comb = 50 + 6 * np.sin(2 * np.pi * across / 1.4)
            found = hair_of(comb, mask)
            self.assertLess(abs((found.direction_deg - deg + 90) % 180 - 90), 3)
            self.assertGreater(found.regular, 0.8)
        rng = np.random.default_rng(2)
        wild = 50 + 6 * rng.normal(size=(240, 240))
        self.assertLess(hair_of(wild, mask).regular, 0.3)
        narrow = np.zeros((240, 240), bool)
        narrow[:, 100:112] = True
        self.assertTrue(np.isnan(hair_of(wild, narrow).regular))


class Planting(unittest.TestCase):
    """Whole photos: drawn by the simulated paper, taken by cameras of their own, judged with stacks that were tried on scrap."""

    def check(self, faults=(), seed=51, laid=None, skipped=None, **more):
        lies = RECIPES if laid is None else laid
        plan = portrait.plan(laid, skipped)
        _l, shot = portrait.taken(portrait.drawn(lies, faults, seed=seed), seed=seed, **more)
        checked = check_photo(shot.photo, plan)
        return checked, plan, found_faults(checked, plan, 3, OWN)

    def named(self, found) -> set:
        numbers = {key: n for key, n, *_ in portrait.AREAS}
        return {(q.fault.kind, numbers[q.fault.area_id]) for q in found}

    def test_correct_sheets_give_hardly_a_false_alarm(self):
        alarms = [len(self.check(seed=seed)[2]) for seed in (61, 62, 63, 64, 65, 66)]
        self.assertLessEqual(sum(alarms), 3, alarms)

    def test_each_planted_fault_is_named_where_it_is(self):
        wanted = {
            "lighter": ("lighter", 1),
            "darker": ("darker", 1),
            "green": ("green", 2),
            "big-eye": ("large", 3),
            "skipped": ("skipped", 2),
        }
        for kind, (told_as, number) in wanted.items():
            _c, _p, found = self.check([Planted(kind, number)], seed=52)
            self.assertIn((told_as, number), self.named(found), kind)

    def test_a_comb_in_the_coat(self):
        _c, _p, found = self.check([Planted("mechanical", 1)], seed=53)
        self.assertTrue(self.named(found) & {("mechanical", 1), ("combed", 1)})

    def test_layers_that_were_skipped_are_the_cause_and_the_cure(self):
        left = {k: tuple(q for q in v if not (k == "back" and q.id == "1")) for k, v in RECIPES.items()}
        _c, plan, found = self.check(laid=left, skipped={"back": ["1"]}, seed=54)
        q = next(q for q in found if q.fault.area_id == "back" and q.fault.kind == "lighter")
        self.assertEqual((q.cause, q.because), ("left out", (RECIPES["back"][1].code,)))
        self.assertEqual((q.cure.tool, [s.id for s in q.cure.steps]), ("lay", ["1"]))
        self.assertLess(float(delta_e00(q.cure.lab_after, q.place.wanted)), float(delta_e00(q.place.found, q.place.wanted)) - 1)
        self.assertIn("left out", sentence(q, plan))
        self.assertIn("Lay what is missing", remedy(q, KIT))

    def test_an_area_that_stands_there_without_a_row_is_asked_about(self):
        laid = {k: v for k, v in RECIPES.items() if k != "nose"}
        plan = portrait.plan(laid)
        _l, shot = portrait.taken(portrait.drawn(RECIPES, seed=55), seed=55)
        checked = check_photo(shot.photo, plan)
        self.assertEqual(checked.unlogged, ("nose",))
        self.assertIn(("unlogged", 4), self.named(found_faults(checked, plan, 3, OWN)))

    def test_what_is_meant_so_is_not_said_again(self):
        checked, plan, found = self.check([Planted("green", 2)], seed=52)
        key = next(key_of(q.fault) for q in found if q.fault.kind == "green")
        again = found_faults(checked, plan, 3, OWN, meant={key: 1e9})
        self.assertNotIn(key, {key_of(q.fault) for q in again})
        self.assertEqual(len(again), len(found) - 1)

    def test_the_data_holds_what_the_contract_names(self):
        checked, plan, found = self.check([Planted("green", 2)], seed=52)
        data = told(checked, found, plan)
        self.assertEqual(set(data["sheet"]) & {"found_by", "residual_mm", "px_per_mm"}, {"found_by", "residual_mm", "px_per_mm"})
        self.assertEqual(data["colour"]["by"], "paper and strip")
        self.assertIsNone(data["refused"])
        area = next(a for a in data["areas"] if a["area"] == 2)
        self.assertEqual((area["begun"], area["done_steps"]), (True, 3))
        self.assertTrue(all(len(p["wanted_lab"]) == len(p["found_lab"]) == len(p["sigma"]) == 3 for p in area["places"]))
        f = next(f for f in data["faults"] if f["kind"] == "green")
        self.assertEqual((f["area"], f["unit"]), (2, "a*"))
        self.assertTrue({"tool", "pencil", "pressure", "where", "lab_after"} <= set(f["proposal"]))
        no = refused(Refused("dark"))
        self.assertTrue(no["refused"]["reason"] and no["refused"]["cure"] and no["areas"] == [])


class Cures(unittest.TestCase):
    """The model's own world: what is proposed keeps within what paper, pencils and eyes allow, and helps there."""

    def spot(self, key: str, name: str, off: tuple):  # noqa: ANN201
        stack = [q.as_pass for q in RECIPES[key] if name in q.on]
        wanted = np.asarray(seen_as(PAPER, KIT, stack, portrait.targets(key)[name]).lab)
        return seen_as(PAPER, KIT, stack, wanted + np.array(off, float)), wanted

    def test_most_faults_come_near_in_one_go(self):
        near = tried = 0
        for key, name in (("coat", "general"), ("coat", "light"), ("back", "light"), ("nose", "skin"), ("back", "general")):
            for off in ((8, 0, 0), (-8, 0, 0), (0, -8, 0), (0, 0, 8)):
                spot, wanted = self.spot(key, name, off)
                before = float(delta_e00(spot.lab, wanted))
                steps = bounds(PAPER, KIT, spot, wanted, 3, OWN)
                then = float(delta_e00(after(spot, KIT, steps).lab, wanted)) if steps else before
                self.assertLessEqual(then, before + 1e-6)
                tried += 1
                near += then < 3
        self.assertGreaterEqual(near / tried, 0.8)

    def test_bounds_are_kept(self):
        for off in ((8, 0, 0), (-9, 0, 0), (0, -8, 0), (3, 7, -6)):
            for key, name in (("coat", "general"), ("back", "gap"), ("nose", "skin")):
                spot, wanted = self.spot(key, name, off)
                steps = bounds(PAPER, KIT, spot, wanted, 2, OWN) or ()
                lifted = [q for q in steps if q.tool]
                self.assertEqual(list(steps[: len(lifted)]), lifted)  # lifting comes first
                self.assertTrue(all((q.tool, q.passes) in {(t, n) for _s, t, n, _c in LIFTS} for q in lifted))
                for q in steps:
                    self.assertEqual(q.role, CORRECT)
                    if q.code:
                        self.assertLessEqual(KIT.get(q.code).lightfast, 2)
                        self.assertLessEqual(q.pressure, 3 if spot.lab[0] < wanted[0] - 1.5 else 4)
                if steps:
                    self.assertLessEqual(after(spot, KIT, steps).used, max(TOOTH, spot.used) + 1e-6)

    def test_a_spot_that_is_right_is_left_alone(self):
        spot, wanted = self.spot("coat", "general", (0.5, 0.2, 0))
        self.assertIsNone(bounds(PAPER, KIT, spot, wanted, 3, OWN))

    def test_a_dab_takes_off_what_it_says(self):
        spot, _w = self.spot("back", "general", (0, 0, 0))
        once = after(spot, KIT, [Layer(CORRECT, "", 1, 1, "everywhere", "dab", tool="lift")])
        thrice = after(spot, KIT, [Layer(CORRECT, "", 1, 3, "everywhere", "dab", tool="lift")])
        self.assertTrue(spot.lab[0] < once.lab[0] < thrice.lab[0] < bare(PAPER).lab[0])


class Expecting(unittest.TestCase):
    def test_the_surest_source_is_taken_and_named(self):
        layers = RECIPES["coat"]
        goals = portrait.targets("coat")
        plain = expected(AreaStack("coat", layers, layers, targets=goals), PAPER, KIT)
        self.assertEqual(set(plain.source.values()), {"shipped"})
        chip = np.array([44.0, 9.0, 19.0])
        whole = {("general", signature(layers, "general")): chip}
        tried = expected(AreaStack("coat", layers, layers, targets=goals, tried=whole), PAPER, KIT)
        self.assertEqual(tried.source["general"], "scrap")
        np.testing.assert_array_equal(tried.now["general"], chip)
        part = expected(AreaStack("coat", layers, layers[:1], targets=goals, tried=whole), PAPER, KIT)
        self.assertEqual(part.source["general"], "near")
        seen = {"light": (tuple(layers), np.array([70.0, 6, 22]))}
        again = expected(AreaStack("coat", layers, layers, targets=goals, accepted=seen), PAPER, KIT)
        self.assertEqual(again.source["light"], "seen")
        np.testing.assert_allclose(again.now["light"], [70, 6, 22], atol=0.6)

    def test_only_the_layers_since_an_accepted_photo_come_from_the_model(self):
        layers = RECIPES["coat"]
        goals = portrait.targets("coat")
        model = expected(AreaStack("coat", layers, layers[:2], targets=goals), PAPER, KIT).now["general"]
        seen = {"general": (tuple(layers[:1]), np.array([72.0, 8, 26]))}
        then = expected(AreaStack("coat", layers, layers[:2], targets=goals, accepted=seen), PAPER, KIT)
        self.assertEqual(then.source["general"], "near")
        self.assertGreater(float(np.linalg.norm(then.now["general"] - model)), 0.5)
        self.assertLess(then.now["general"][0], 72)

    def test_a_correction_moves_what_lies_there_and_not_what_is_wanted(self):
        layers = RECIPES["coat"]
        goals = portrait.targets("coat")
        mended = (*layers, Layer(CORRECT, portrait.DARK, 3, 1, "general", id="9", on=("general",)))
        a = expected(AreaStack("coat", layers, layers, targets=goals), PAPER, KIT)
        b = expected(AreaStack("coat", mended, mended, targets=goals), PAPER, KIT)
        np.testing.assert_array_equal(a.now["general"], b.now["general"])
        np.testing.assert_array_equal(a.final["general"], b.final["general"])
        self.assertEqual((b.done, b.finished), (4, True))

    def test_what_was_skipped_is_wanted_and_what_comes_later_is_not(self):
        layers = RECIPES["coat"]
        goals = portrait.targets("coat")
        e = expected(AreaStack("coat", layers, (layers[0], layers[2]), frozenset("1"), goals), PAPER, KIT)
        self.assertEqual({p: [q.id for q in m] for p, m in e.missing.items()}, {"gap": ["1"], "general": ["1"]})
        whole = expected(AreaStack("coat", layers, layers, targets=goals), PAPER, KIT)
        np.testing.assert_array_equal(e.now["general"], whole.now["general"])
        begun = expected(AreaStack("coat", layers, layers[:1], targets=goals), PAPER, KIT)
        self.assertEqual(begun.missing, {})
        self.assertGreater(begun.now["general"][0], whole.now["general"][0])


class Words(unittest.TestCase):
    def test_lists_and_means(self):
        self.assertEqual([listed(q) for q in ([], ["a"], ["a", "b"], ["a", "b", "a", "c"])], ["", "a", "a and b", "a, b and c"])
        self.assertIsNone(nearness([]))
        one = (np.array([50.0, 0, 0]), np.array([50.0, 0, 0]), 0.9)
        far = (np.array([50.0, 0, 0]), np.array([60.0, 0, 0]), 0.1)
        self.assertAlmostEqual(nearness([one, far]), 0.1 * float(delta_e00(far[0], far[1])), delta=0.01)

    def test_a_faults_key_is_the_same_from_photo_to_photo(self):
        self.assertEqual(key_of(Flaw("a", "gap", "lighter", 1.3, 0.2, 5)), key_of(Flaw("a", "gap", "lighter", 0.9, 0.4, 2.2)))


if __name__ == "__main__":
    unittest.main()
