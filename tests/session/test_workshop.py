"""The recipe workshop: finish by distance, whose coat it is, holding back, the same again, sparing pencils, the whole portrait."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from hanabira.core.solver.layer import Layer
from hanabira.session.edits import ChangeAreas, EditBrief, SetLayers, SetPrep
from hanabira.session.workshop import HELD_C, HELD_L
from tests.session.test_session import Case


class WorkshopCase(Case):
    def setUp(self):
        super().setUp()
        self.shop = self.session.workshop

    def focus(self, x: float, y: float) -> None:
        self.session.do(SetPrep(self.session, self.session.photo, "focus", focal=(x, y)))

    def change(self, key: str, **fields: object) -> None:
        area = self.area(key)
        self.session.do(ChangeAreas(self.session, "change", [area], [replace(area, **fields)]))

    def lay(self, key: str, *layers: Layer) -> None:
        self.session.do(SetLayers(self.session, self.area(key), layers, "layers"))


class Rules(WorkshopCase):
    def test_finish_falls_with_the_distance_from_the_focus_until_the_artist_says_otherwise(self):
        self.assertEqual(self.shop.finish(self.area("a")), 3, "no focus, no distance")
        self.assertIsNone(self.shop.far(self.area("a")))
        self.focus(120.0, 110.0)  # the middle of a
        self.assertEqual(self.shop.far(self.area("a")), 0.0)
        self.assertEqual(self.shop.finish(self.area("a")), 5)
        away = np.hypot(215 - 120, 100 - 110) / np.hypot(240, 280)  # of the crop's diagonal
        self.assertAlmostEqual(self.shop.far(self.area("b")), away, places=6)
        self.assertEqual(self.shop.finish(self.area("b")), round(5 - 6 * away))
        self.focus(-4000.0, 110.0)
        self.assertEqual((self.shop.far(self.area("b")), self.shop.finish(self.area("b"))), (1.0, 2))
        self.change("b", finish=4)
        self.assertEqual(self.shop.finish(self.area("b")), 4)

    def test_a_coat_that_was_named_holds_for_every_area_that_measures_alike(self):
        self.measured("a"), self.measured("b")
        read = {"a": "fox", "b": "fox"}
        with mock.patch.object(type(self.shop), "_read_coat", lambda _s, area: read[area.id]):
            self.assertEqual(self.shop.coat(self.area("b")), "")
            self.change("a", coat="ginger")
            self.assertEqual((self.shop.coat(self.area("a")), self.shop.coat(self.area("b"))), ("ginger", "ginger"))
            self.assertEqual(self.shop.asked(self.area("b")).area.coat, "ginger")
            read["b"] = "black"
            self.assertEqual(self.shop.coat(self.area("b")), "")
            self.change("b", coat="grey")
            self.assertEqual(self.shop.coat(self.area("b")), "grey")

    def test_it_asks_between_two_coats_only_where_it_is_not_sure_and_nobody_has_answered(self):
        measured = self.measured("a")
        unsure = replace(measured, coats=(("fox", 0.42), ("sable", 0.3), ("grey", 0.28)))
        sure = replace(measured, coats=(("fox", 0.95), ("sable", 0.05)))
        with mock.patch.object(type(self.session), "measures", lambda _s, _key: unsure):
            self.assertEqual(self.shop.coat_doubt(self.area("a")), (("fox", 0.42), ("sable", 0.3)))
            self.change("a", coat="ginger")
            self.assertEqual(self.shop.coat_doubt(self.area("a")), ())
        self.change("a", coat="")
        with mock.patch.object(type(self.session), "measures", lambda _s, _key: sure):
            self.assertEqual(self.shop.coat_doubt(self.area("a")), ())
        self.change("a", surface_id="eye")
        with mock.patch.object(type(self.session), "measures", lambda _s, _key: unsure):
            self.assertEqual(self.shop.coat_doubt(self.area("a")), (), "an eye bears no hair")


class OneCoat(WorkshopCase):
    def test_an_area_reads_as_its_neighbours_of_like_colour_do(self):
        measured = self.measured("a")
        own = {"a": replace(measured, coats=(("grey", 0.5), ("brown", 0.45))), "b": replace(measured, coats=(("brown", 1.0),))}
        with mock.patch.object(type(self.session), "measures", lambda _s, key: own.get(key)):
            with mock.patch.object(type(self.session), "neighbours", lambda _s, area: ((self.area("b"), 0.0),) if area.id == "a" else ()):
                self.assertEqual(self.session.animal.coats(self.area("a"))[0][0], "brown")
                self.assertEqual(self.shop.asked(self.area("a")).area.coat, "brown")
                self.change("b", surface_id="eye")
                self.assertEqual(self.session.animal.coats(self.area("a"))[0][0], "grey", "an eye bears no coat")
            self.assertEqual(self.session.animal.coats(self.area("a"))[0][0], "grey", "alone it reads as it is")


class HoldingBack(WorkshopCase):
    def test_it_needs_places_and_a_focus(self):
        self.assertFalse(self.shop.hold_back("a"))
        self.assertIn("Solve the area", self.said[-1].what)
        self.session.solve("a")
        self.assertFalse(self.shop.hold_back("a"))
        self.assertIn("Set the focus", self.said[-1].what)
        self.assertEqual(self.session.recipes["a"].aims, ())

    def test_contrast_and_strength_shrink_by_the_share_of_the_way_and_can_be_taken_back(self):
        self.session.solve("a")
        self.focus(300.0, 290.0)
        far, recipe = self.shop.far(self.area("a")), self.session.recipes["a"]
        self.assertGreater(far, 0.3)
        self.assertTrue(self.shop.hold_back("a"))
        aims = {place: np.array(shift) for place, *shift in self.session.recipes["a"].aims}
        self.assertTrue(aims)
        shares = np.array([p.share for p in recipe.places])
        labs = np.array([p.photo_lab for p in recipe.places])
        middle = (labs[:, 0] * shares).sum() / shares.sum()
        for p in recipe.places:
            if p.id in aims:
                wanted = np.array(p.photo_lab) + aims[p.id]
                self.assertAlmostEqual(wanted[0] - middle, (p.photo_lab[0] - middle) * (1 - HELD_L * far), delta=0.02)
                np.testing.assert_allclose(wanted[1:], np.array(p.photo_lab[1:]) * (1 - HELD_C * far), atol=0.02)
        self.session.undo.undo()
        self.assertEqual(self.session.recipes["a"].aims, ())

    def test_the_focus_itself_loses_nothing(self):
        self.session.solve("a")
        self.focus(120.0, 110.0)
        self.shop.hold_back("a")
        self.assertEqual(self.session.recipes["a"].aims, ())


class Beside(WorkshopCase):
    def told(self, own: tuple[float, float, float], ground: tuple[float, float, float]) -> str:
        """What is said of area a with these general colours of both."""
        m = self.measured("a")
        labs = {"a": own, "b": ground}

        def measures(_s: object, key: str):
            return replace(m, values=replace(m.values, band_lab={**m.values.band_lab, "general": np.array(labs[key])}))

        with (
            mock.patch.object(type(self.session), "measures", measures),
            mock.patch.object(type(self.session), "neighbours", lambda _s, _a: ((self.area("b"), 0.0),)),
        ):
            return " ".join(self.shop.beside_words(self.area("a")))  # fmt: skip

    def test_dark_neighbours_make_it_read_lighter_than_bare_paper_does(self):
        self.assertIn("lighter without a change", self.told((50, 0, 0), (15, 0, 0)))
        self.assertEqual(self.told((50, 0, 0), (95, 0, 2)), "", "like paper itself")

    def test_a_strong_neighbour_pushes_toward_its_opposite(self):
        said = self.told((90, 2, 8), (80, 45, 60))
        self.assertIn("pushes it toward", said)
        self.assertTrue(any(word in said for word in ("blue", "cyan", "teal")), said)
        self.assertNotIn("pushes", self.told((90, 2, 8), (80, 1, 3)))

    def test_without_neighbours_nothing_is_said(self):
        self.measured("a")
        with mock.patch.object(type(self.session), "neighbours", lambda _s, _a: ()):
            self.assertEqual(self.shop.beside_words(self.area("a")), ())


class Solving(WorkshopCase):
    def test_what_is_locked_stays_whatever_is_solved(self):
        self.session.solve("a")
        kept = replace(self.session.recipe_layers("a")[0], locked=True)
        self.lay("a", kept)
        self.session.solve("a")
        self.assertIn(kept.code, {q.code for q in self.session.recipe_layers("a") if q.locked})
        self.assertGreater(len(self.session.recipe_layers("a")), 1)

    def test_only_the_tray_is_used_when_the_commission_says_so(self):
        tray = ("104", "207", "231", "401")
        self.session.do(EditBrief(self.session, "tray", tray=tray, tray_only=True))
        self.session.solve("a")
        used = {q.code for q in self.session.recipe_layers("a") if q.code}
        self.assertTrue(used)
        self.assertLessEqual(used, set(tray))

    def test_every_area_is_solved_one_after_the_other_and_those_with_layers_are_left_alone(self):
        mine = Layer("general", "209", 2, 1, "everywhere")
        self.lay("b", mine)
        self.session.portrait.solve_all()
        self.assertEqual(self.session.portrait.unsolved(), ())
        self.assertEqual([q.code for q in self.session.recipe_layers("b")], ["209"])
        self.assertIn("The area is solved", self.said[-1].what)
        self.session.portrait.solve_all()
        self.assertIn("Every area has its layers", self.said[-1].what)

    def test_three_ways_differ_and_the_first_is_the_closest(self):
        self.session.solve("a")
        got = []
        self.shop.offer_variants("a", got.extend)
        self.assertGreaterEqual(len(got), 2)
        self.assertEqual(len({v.layers for v in got}), len(got))
        pencils = [len({q.code for q in v.layers if q.code}) for v in got]
        self.assertIn(str(pencils[0]), got[0].words)
        first = {q.code for q in got[0].layers}
        without = [v for v in got if v.words.lower().startswith("without")]
        self.assertTrue(all(first - {q.code for q in v.layers} for v in without))

    def test_fewest_pencils_says_what_it_costs_or_that_none_can_go(self):
        self.session.solve("a")
        before = {q.code for q in self.session.recipe_layers("a") if q.code}
        self.shop.spare("a")
        after = {q.code for q in self.session.recipe_layers("a") if q.code}
        said = self.said[-1].what
        if after == before:
            self.assertIn(f"no fewer than these {len(before)}", said)
        else:
            self.assertLess(len(after), len(before))
            self.assertTrue(said.startswith(f"{len(after)} pencils instead of {len(before)}"), said)
            self.session.undo.undo()
            self.assertEqual({q.code for q in self.session.recipe_layers("a") if q.code}, before)
        self.shop.spare("b")
        self.assertEqual(self.session.recipe_layers("b"), (), "nothing to spare before it is solved")


class SameAgain(WorkshopCase):
    def test_nothing_to_repeat_and_nothing_measured_are_said(self):
        self.shop.same_again(self.area("a"), self.area("b"), True)
        self.assertEqual(self.said[-1].what, "“Cheek” has no layers yet.")
        self.lay("a", Layer("general", "209", 2, 1, "everywhere"))
        with mock.patch.object(self.session.measuring, "kept", lambda _key: None):
            self.shop.same_again(self.area("a"), self.area("b"), True)
        self.assertEqual(self.said[-1].what, "“Brow” is not measured yet.")
        self.assertEqual(self.session.recipe_layers("b"), ())

    def test_a_copy_has_the_same_layers_unlocked_and_its_differences_are_named(self):
        self.measured("b")
        self.lay("a", Layer("general", "209", 2, 1, "everywhere", locked=True), Layer("gap", "235", 4, 2, "gaps"))
        self.shop.same_again(self.area("a"), self.area("b"), True)
        laid = [(q.code, q.pressure, q.passes, q.where, q.locked) for q in self.session.recipe_layers("b")]
        self.assertEqual(laid, [("209", 2, 1, "everywhere", False), ("235", 4, 2, "gaps", False)])
        self.assertIn("Brow", self.said[-1].what)
        self.session.undo.undo()
        self.assertEqual(self.session.recipe_layers("b"), ())

    def test_its_pencils_solved_anew_use_no_other(self):
        self.session.solve("a")
        self.measured("b")
        codes = {q.code for q in self.session.recipe_layers("a") if q.code}
        self.shop.same_again(self.area("a"), self.area("b"), False)
        mine = {q.code for q in self.session.recipe_layers("b") if q.code}
        self.assertTrue(mine)
        self.assertLessEqual(mine, codes)


class Portrait(WorkshopCase):
    def test_the_palette_counts_layers_and_areas(self):
        self.lay("a", Layer("general", "209", 2, 1, "everywhere"), Layer("gap", "401", 4, 1, "gaps"), Layer("gap", "401", 2, 1, "gaps"))
        self.lay("b", Layer("blend", "", 2, 1, "everywhere", tool="solvent"), Layer("general", "209", 1, 1, "everywhere"))
        self.assertEqual(self.shop.palette(), (("209", 2, (1, 2)), ("401", 2, (1,))))

    def test_stacks_to_try_are_told_once_and_never_with_tools(self):
        self.lay("a", Layer("general", "209", 2, 1, "everywhere"), Layer("gap", "401", 4, 1, "gaps"))
        self.lay("b", Layer("general", "209", 2, 1, "everywhere"))
        stacks = [tuple((q.code, q.pressure, q.passes) for q in stack) for _name, stack in self.shop.stacks()]
        self.assertEqual(len(stacks), len(set(stacks)))
        self.assertIn((("209", 2, 1), ("401", 4, 1)), stacks)
        self.assertIn((("209", 2, 1),), stacks)
        self.lay("a", Layer("general", "209", 2, 1, "everywhere"), Layer("blend", "", 2, 1, "everywhere", tool="solvent"))
        self.assertTrue(all(name.startswith("2 Brow") for name, _stack in self.shop.stacks()))

    def test_a_rare_pencil_is_worth_what_the_worst_place_loses_without_it(self):
        self.assertEqual(self.shop.prices(), ())
        self.session.solve("a")
        self.session.solve("b")
        prices = self.shop.prices()
        self.assertTrue(prices)
        self.assertEqual([q[1] for q in prices], sorted(q[1] for q in prices))
        used = {code for code, _n, _areas in self.shop.palette()}
        for code, _cost, instead in prices:
            self.assertIn(code, used)
            self.assertIn(instead, used - {code})

    def test_neighbours_that_change_places_on_paper_are_told(self):
        self.measured("a"), self.measured("b")
        self.session.solve("a")
        self.session.solve("b")
        self.assertEqual(self.shop.jumps(), ())
        seen = {"a": 30.0, "b": 62.0}
        with (
            mock.patch.object(type(self.shop), "_predicted", lambda _s, area: seen[area.id]),
            mock.patch.object(type(self.session), "neighbours", lambda _s, area: ((self.area("b" if area.id == "a" else "a"), -6.0 if area.id == "a" else 6.0),)),
        ):  # fmt: skip
            (told,) = self.shop.jumps()
        self.assertEqual(told, "1 Cheek and 2 Brow: 6 L* apart in the photo, 32 on paper. They have changed places.")


if __name__ == "__main__":
    unittest.main()
