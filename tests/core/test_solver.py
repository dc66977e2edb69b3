"""The search for stacks: near its exhaustive best, honest about the hand, within the tooth."""

import unittest

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import parse_hex, srgb_to_lab
from hanabira.core.faults import Cancelled, RecipeFault
from hanabira.core.optics import batch as many
from hanabira.core.optics.kit import Kit, Pencil
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import bare, predict
from hanabira.core.solver.area import follow, moved_layer, paper_targets, swaps, with_layer, without_layer
from hanabira.core.solver.cautions import recipe_cautions
from hanabira.core.solver.layer import BANDS, Layer, goes_over
from hanabira.core.solver.library import MOST_TOOTH, build, key, opaque_order, order_allows
from hanabira.core.solver.search import FAR_COST, PASS_COST, solve
from hanabira.core.solver.target import reach
from hanabira.core.token import Token
from hanabira.craft.gesture_names import stage_of
from hanabira.craft.supplies import paper, shipped_kit
from tests.recipes import plan

SMALL = shipped_kit().subset(["102", "112", "203", "209", "217", "229", "235", "309", "323", "401", "407", "427", "507", "253"])
FUR = {"gap": [21, 6.8, 11.8], "general": [33, 12.4, 26.2], "light": [66, 17, 42], "highlight": [74, 13, 38]}


def photo_targets(n: int, seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    rgb = rng.uniform(0.05, 0.9, (n, 3)) * [1, 0.85, 0.7]
    return srgb_to_lab(rgb.mean(1, keepdims=True) + (rgb - rgb.mean(1, keepdims=True)) * 0.5)


class Library(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.paper = paper("hotpress")
        cls.library = build(SMALL, cls.paper)

    def test_entries_are_what_the_model_predicts(self):
        rng = np.random.default_rng(2)
        for i in rng.integers(0, len(self.library), 40):
            passes = [
                Pass(SMALL.pencils[p].code, int(q))
                for p, q in zip(self.library.pencils[i], self.library.pressures[i], strict=True)
                if p >= 0
            ]
            spot = predict(self.paper, SMALL, passes)[-1]
            np.testing.assert_allclose(spot.lab, self.library.lab[i], atol=0.01)
            self.assertAlmostEqual(spot.used, float(self.library.tooth[i]), places=4)

    def test_only_legal_stacks(self):
        self.assertLessEqual(float(self.library.tooth.max()), MOST_TOOTH + 1e-6)
        three = self.library.passes == 3
        pressures = self.library.pressures[three]
        self.assertTrue((np.diff(pressures, axis=1) >= 0).all())
        lightness = SMALL.masstone_lab[:, 0][self.library.pencils[three].astype(int)]
        self.assertTrue(order_allows(lightness[:, 0], lightness[:, 1], opaque_order(SMALL, self.paper)).all())

    def test_solver_is_near_the_exhaustive_best(self):
        """Every stack of the library scored under the six hands, against what the solver picks from a few hundred."""
        limits = reach(SMALL, self.paper)
        p, q = self.library.pencils.astype(int), self.library.pressures.astype(int)
        hands = many.under_hands(self.paper, bare(self.paper), SMALL, p, q)
        on = p >= 0
        for lab in photo_targets(6, 3):
            wanted = limits.paper_target(lab)
            de = delta_e00(hands, wanted).mean(1)
            far = np.sqrt(((SMALL.masstone_lab[np.maximum(p, 0)] - wanted) ** 2).sum(2))
            score = de + PASS_COST * on.sum(1) + FAR_COST * (far * on).sum(1) / on.sum(1)
            self.assertLess(solve(SMALL, self.paper, self.library, wanted).best.score, score.min() + 0.05)

    def test_its_name_changes_with_the_kit_and_the_paper(self):
        other = Kit("x", tuple(Pencil(p.code, p.name, "#123456" if p.code == "203" else p.hex, p.opacity) for p in SMALL))
        self.assertNotEqual(key(SMALL, self.paper), key(other, self.paper))
        self.assertNotEqual(key(SMALL, self.paper), key(SMALL, paper("bristol")))

    def test_can_be_cancelled(self):
        token = Token()
        token.cancel()
        with self.assertRaises(Cancelled):
            build(SMALL, self.paper, token=token)


class Targets(unittest.TestCase):
    def test_photo_range_is_fitted_into_paper_and_kit(self):
        for paper_id in ("hotpress", "blackcard"):
            limits = reach(SMALL, paper(paper_id))
            ends = limits.paper_target(np.array([[0.0, 0, 0], [100, 0, 0]]))
            self.assertAlmostEqual(ends[0, 0], limits.darkest_l, places=1)
            self.assertAlmostEqual(ends[1, 0], limits.lightest_l, places=1)
            values = limits.paper_target(np.column_stack([np.linspace(0, 100, 20), np.zeros(20), np.zeros(20)]))[:, 0]
            self.assertTrue((np.diff(values) > 0).all())


class Solve(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.kit, cls.paper = shipped_kit(), paper("hotpress")
        cls.library = build(cls.kit, cls.paper)
        cls.limits = reach(cls.kit, cls.paper)

    def test_the_paper_itself_needs_no_layer(self):
        ground = bare(self.paper).lab
        best = solve(self.kit, self.paper, self.library, ground).best
        self.assertEqual((best.layers, best.tooth, best.expected_de00), ((), 0.0, 0.0))
        self.assertTrue(solve(self.kit, self.paper, self.library, ground - [12, 0, 0]).best.layers)

    def test_closeness_on_photo_colours(self):
        nominal, expected = [], []
        for lab in photo_targets(40, 8):
            best = solve(self.kit, self.paper, self.library, self.limits.paper_target(lab)).best
            nominal.append(best.delta_e00)
            expected.append(best.expected_de00)
            end = predict(self.paper, self.kit, best.layers)[-1]
            self.assertAlmostEqual(float(delta_e00(end.lab, best.target)), best.delta_e00, places=6)
            self.assertLessEqual(best.tooth, MOST_TOOTH + 1e-6)
        self.assertLess(np.median(nominal), 1.6)
        self.assertLess(np.percentile(nominal, 95), 2.2)
        self.assertLess(np.median(expected), 1.8)
        self.assertLess(np.percentile(expected, 95), 2.7)
        # one pencil alone is far worse: layers are what it is about
        single = [
            solve(self.kit, self.paper, self.library, self.limits.paper_target(lab), 1).best.expected_de00 for lab in photo_targets(12, 8)
        ]
        self.assertGreater(np.median(single), 1.8 * np.median(expected))

    def test_expected_is_never_the_lucky_one(self):
        solution = solve(self.kit, self.paper, self.library, self.limits.paper_target([40, 12, 25]))
        self.assertEqual(len(solution.stacks), 3)
        self.assertEqual(len({s.codes for s in solution.stacks}), 3)
        scores = [s.score for s in solution.stacks]
        self.assertEqual(scores, sorted(scores))
        for s in solution.stacks:
            self.assertGreaterEqual(s.expected_de00 + 1e-9, 0.5 * s.delta_e00)
            self.assertGreater(s.spread_de00, 0)

    def test_five_sticks_are_enough_for_a_dull_colour(self):
        sticks = Kit(
            "five",
            tuple(
                Pencil(*r)
                for r in (
                    ("1", "White", "#f7f6f2", 1.0),
                    ("2", "Black", "#201f1f", 0.6),
                    ("3", "Red", "#a03228", 0.4),
                    ("4", "Yellow", "#e0b02a", 0.5),
                    ("5", "Blue", "#2c4a90", 0.3),
                )
            ),
        )
        library, limits = build(sticks, self.paper), reach(sticks, self.paper)
        de = [solve(sticks, self.paper, library, limits.paper_target(lab), 5).best.delta_e00 for lab in photo_targets(15, 5)]
        self.assertLess(np.median(de), 2.5)


class AreaRecipes(unittest.TestCase):
    def solve(self, kit_id: str, paper_id: str, values=FUR):
        kit, on = shipped_kit(kit_id), paper(paper_id)
        found = plan(kit, on, values)
        return kit, on, found.targets, found.layers

    def test_places_are_met_within_the_tooth_on_every_paper(self):
        for kit_id, paper_id, most in (
            ("pencils", "hotpress", 3.5),
            ("pencils", "bristol", 5),
            ("pencils", "vellum", 4),
            ("pencils", "film", 6),
            ("pastels", "sanded", 6),
        ):
            kit, on, targets, layers = self.solve(kit_id, paper_id)
            told = follow(on, kit, layers, targets)
            self.assertLessEqual(told.most_tooth, 1.0)
            for band in BANDS:
                self.assertLess(told.band(band).delta_e00, most, f"{paper_id} {band}")
            self.assertLessEqual(len(layers), 11)
            self.assertGreater(told.band("light").lab[0], told.band("general").lab[0] + 8)
            self.assertGreater(told.band("general").lab[0], told.band("gap").lab[0])

    def test_translucent_goes_dark_over_light_and_pastel_light_over_dark(self):
        for kit_id, paper_id, way in (("pencils", "hotpress", -1), ("pastels", "sanded", 1)):
            kit, _on, _targets, layers = self.solve(kit_id, paper_id)
            order = [(stage_of(q.gesture), way * float(kit.masstone_lab[kit.index[q.code], 0])) for q in layers if q.code]
            self.assertEqual(order, sorted(order), "by stage, and by value within one")

    def test_prediction_follows_edits(self):
        kit, on, targets, layers = self.solve("pencils", "hotpress")
        told = follow(on, kit, layers, targets)
        for band in BANDS:
            state = told.band(band)
            mine = [q.as_pass for q in layers if goes_over(q, band)]
            np.testing.assert_allclose(state.lab, predict(on, kit, mine)[-1].lab if mine else bare(on).lab, atol=1e-9)
            self.assertEqual(len(state.labs), len(layers) + 1)
        harder = follow(on, kit, with_layer(layers, 0, pressure=5), targets)
        first = layers[0].on[0]
        self.assertLess(harder.band(first).labs[1][0], told.band(first).labs[1][0])
        fewer = without_layer(layers, len(layers) - 1)
        last = layers[-1].on[0]
        self.assertGreater(follow(on, kit, fewer, targets).band(last).lab[0], told.band(last).lab[0])
        self.assertEqual(sorted(moved_layer(layers, 0, 2), key=repr), sorted(layers, key=repr))
        with self.assertRaises(RecipeFault):
            with_layer(layers, 0, pressure=9)

    def test_swaps_say_what_would_happen(self):
        kit, on, targets, layers = self.solve("pencils", "hotpress")
        ranked = swaps(on, kit, layers, len(layers) - 1, targets)
        self.assertEqual(ranked[0].code, layers[-1].code)
        for s in ranked[1:]:
            changed = follow(on, kit, with_layer(layers, len(layers) - 1, code=s.code), targets)
            self.assertAlmostEqual(changed.band(layers[-1].on[0]).delta_e00, s.delta_e00, places=6)


    def test_swaps_under_a_blend_are_followed_through_it(self):
        kit, on, targets, _layers = self.solve("pencils", "hotpress")
        layers = (
            Layer("general", "215", 2, 2, "everywhere"), Layer("blend", "", 1, 1, "everywhere", tool="solvent"),
            Layer("gap", "401", 3, 1, "everywhere"), Layer("blend", "", 2, 1, "everywhere", tool="stump"),
        )  # fmt: skip
        targets = {b: next(iter(targets.values())) for b in BANDS}
        for at in (0, 2):
            ranked = swaps(on, kit, layers, at, targets, most=6)
            self.assertEqual((ranked[0].code, len(ranked)), (layers[at].code, 6))
            for s in ranked:
                whole = follow(on, kit, with_layer(layers, at, code=s.code), targets).band("general")
                np.testing.assert_allclose(s.lab, whole.lab, atol=1e-9)
            self.assertAlmostEqual(ranked[0].tooth, follow(on, kit, layers, targets).band("general").tooth[-1], places=9)


class Cautions(unittest.TestCase):
    def kinds(self, layers, values=FUR, paper_id="hotpress"):
        kit, on = shipped_kit(), paper(paper_id)
        targets = paper_targets(reach(kit, on), {k: np.array(v, float) for k, v in values.items()})
        told = follow(on, kit, layers, targets)
        return {c.kind: c for c in recipe_cautions(on, kit, layers, targets, told)}

    def test_greenish_dark_with_a_cure_that_cures(self):
        layers = (Layer("general", "122", 3, 1, "everywhere"), Layer("gap", "401", 3, 1, "gaps"))
        found = self.kinds(layers)
        self.assertIn("greenish dark", found)
        cure = found["greenish dark"].cure_code
        self.assertTrue(cure)
        self.assertNotIn("greenish dark", self.kinds(with_layer(layers, 1, code=cure)))

    def test_tooth_full(self):
        self.assertIn("tooth full", self.kinds((Layer("general", "209", 5, 4, "everywhere"),), paper_id="film"))
        self.assertNotIn("tooth full", self.kinds((Layer("general", "209", 1, 1, "everywhere"),), paper_id="sanded"))

    def test_fugitive_offers_a_lasting_pencil(self):
        found = self.kinds((Layer("general", "255", 3, 1, "everywhere"),))["fugitive"]
        self.assertLessEqual(shipped_kit().get(found.cure_code).lightfast, 3)

    def test_chalky_mud_and_buried_highlight(self):
        self.assertIn("chalky", self.kinds((Layer("general", "207", 5, 1, "everywhere"), Layer("light hair", "104", 5, 2, "everywhere"))))
        strong = {k: [v[0], 45, 35] for k, v in FUR.items()}
        self.assertIn("mud", self.kinds((Layer("general", "251", 5, 1, "everywhere"), Layer("gap", "405", 3, 1, "everywhere")), strong))
        self.assertIn("cannot cover", self.kinds((Layer("general", "235", 5, 2, "everywhere"),)))

    def test_a_good_recipe_has_none_of_the_colour_faults(self):
        kit, on = shipped_kit(), paper("hotpress")
        found = plan(kit, on, FUR)
        told = {c.kind for c in recipe_cautions(on, kit, found.layers, found.targets, found.prediction)}
        self.assertFalse(told & {"greenish dark", "mud", "chalky", "neon", "flat", "tooth full", "out of reach"})


class Papers(unittest.TestCase):
    def test_a_kit_reaches_less_far_on_black_card(self):
        white, black = reach(SMALL, paper("hotpress")), reach(SMALL, paper("blackcard"))
        self.assertGreater(white.lightest_l, black.lightest_l + 10)
        self.assertAlmostEqual(white.lightest_l, srgb_to_lab(parse_hex("#f4f3ef"))[0], delta=1)
