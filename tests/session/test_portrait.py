"""A portrait as one animal: one palette over its areas, the same again on the other side, every area in turn."""

import unittest
from dataclasses import replace

import numpy as np

from hanabira.core.colour.spaces import parse_hex, srgb_to_lab
from hanabira.core.study.bounce import TAKES
from hanabira.craft.hand import palette_rules
from hanabira.session.aims import HALF_STEP_L, RICH_STEP, WARM_STEP
from hanabira.session.edits import ChangeAreas, EditBrief, SetPrep
from hanabira.session.portrait import DEEP_L
from hanabira.studio import bundle
from hanabira.studio.records import Area, Commission
from tests.session.test_session import Case


class PortraitCase(Case):
    def setUp(self):
        super().setUp()
        self.portrait = self.session.portrait

    def change(self, key: str, **fields: object) -> None:
        area = self.area(key)
        self.session.do(ChangeAreas(self.session, "change", [area], [replace(area, **fields)]))

    def codes(self, key: str) -> set[str]:
        return {q.code for q in self.session.recipe_layers(key) if q.code}


class Palette(PortraitCase):
    def test_it_is_chosen_once_over_all_areas_as_one_edit_and_binds_recipes(self):
        self.assertTrue(self.portrait.wants_palette)
        self.portrait.choose()
        palette = self.session.commission.palette
        self.assertLessEqual(len(palette), palette_rules().full)
        self.assertGreaterEqual(len(palette), palette_rules().least)
        self.assertEqual(self.store.get(Commission, "c").palette, palette)
        self.assertIn(f"{len(palette)} pencils are chosen over 2 areas", self.said[-1].what)
        self.assertFalse(self.portrait.wants_palette)
        self.session.solve("a")
        self.assertLessEqual(self.codes("a"), set(palette))
        self.session.undo.undo(), self.session.undo.undo()
        self.assertEqual(self.session.commission.palette, ())
        self.session.undo.redo()
        self.assertEqual(self.session.commission.palette, palette)
        self.portrait.let_go()
        self.assertEqual(self.portrait.palette, ())

    def test_pencils_that_are_gone_from_the_kit_are_left_out(self):
        self.session.solve("a")
        kept = next(q for q in self.session.recipe_layers("a") if q.code)
        self.session.do(EditBrief(self.session, "palette", palette=(kept.code, "no such pencil")))
        self.assertEqual(self.portrait.palette, (kept.code,))
        self.assertEqual(self.session.workshop.asked(self.area("b")).palette, (kept.code,))

    def test_the_tray_alone_or_one_area_wants_none(self):
        self.session.do(EditBrief(self.session, "tray", tray=tuple(p.code for p in self.session.kit)[:12], tray_only=True))
        self.assertFalse(self.portrait.wants_palette)
        self.assertEqual(self.session.workshop.asked(self.area("a")).palette, ())
        self.session.undo.undo()
        self.assertTrue(self.portrait.wants_palette)
        self.session.do(EditBrief(self.session, "kit", kit_id="pastels"))
        self.assertFalse(self.portrait.wants_palette)

    def test_all_areas_at_once_share_one(self):
        self.portrait.solve_all()
        palette = set(self.session.commission.palette)
        self.assertTrue(palette)
        for key in ("a", "b"):
            self.assertTrue(self.codes(key))
            self.assertLessEqual(self.codes(key), palette)
        self.portrait.solve_all()
        self.assertEqual(self.said[-1].what, "Every area has its layers.")


class Aims(PortraitCase):
    def aims(self, key: str) -> dict[str, tuple[float, ...]]:
        return {place: tuple(shift) for place, *shift in self.session.recipes[key].aims}

    def test_the_whole_animal_is_aimed_in_one_edit_and_a_solve_follows(self):
        self.assertFalse(self.portrait.aim("warmer"), "nothing is solved yet")
        self.session.solve("a"), self.session.solve("b")
        before = {k: self.session.recipes[k] for k in "ab"}
        self.assertTrue(self.portrait.aim("warmer"))
        for key in "ab":
            for place in before[key].places:
                lightness, a, b = self.aims(key)[place.id]
                self.assertEqual(lightness, 0)
                self.assertAlmostEqual(a, WARM_STEP * 0.5, places=2)
                self.assertAlmostEqual(b, WARM_STEP * 0.866, places=2)
        self.assertIn("2 areas are aimed warmer", self.said[-1].what)
        self.session.solve("a")
        told = lambda recipe: self.session.targets("a")  # noqa: E731
        warm = told(None)
        self.session.undo.undo(), self.session.undo.undo()
        self.assertEqual({k: self.session.recipes[k] for k in "ab"}, before)
        cold = told(None)
        self.assertGreater(float(warm["general"][2]), float(cold["general"][2]) + 1)

    def test_steps_add_up_and_darks_alone_are_lifted(self):
        self.session.solve("a")
        self.portrait.aim("richer"), self.portrait.aim("richer"), self.portrait.aim("darks")
        for place in self.session.recipes["a"].places:
            lightness, a, b = self.aims("a")[place.id]
            self.assertAlmostEqual(a, 2 * RICH_STEP * place.photo_lab[1], places=2)
            self.assertAlmostEqual(b, 2 * RICH_STEP * place.photo_lab[2], places=2)
            self.assertEqual(lightness, HALF_STEP_L if place.photo_lab[0] < DEEP_L else 0)
        self.portrait.aim("quieter"), self.portrait.aim("quieter")
        self.assertTrue(all(abs(v) < 0.01 for shift in self.aims("a").values() for v in shift[1:]))

    def test_a_coloured_backdrop_is_thrown_into_the_shade_once(self):
        for key in "ab":
            self.session.solve(key)
        old = {a.id: self.session.recipes[a.id] for a in self.session.areas}
        self.session.do(EditBrief(self.session, "backdrop", backdrop="#2f7d3a"))
        self.assertTrue(self.portrait.under_backdrop())
        ground = srgb_to_lab(parse_hex("#2f7d3a"))
        moved = 0
        for a in self.session.areas:
            r = self.session.recipes[a.id]
            middle = sum(p.photo_lab[0] * p.share for p in r.places) / sum(p.share for p in r.places)
            aims = {place: shift for place, *shift in r.aims}
            for p in r.places:
                lightness, *shift = aims.get(p.id, [0.0, 0.0, 0.0])
                self.assertEqual(lightness, 0.0, "the backdrop moves no value")
                if p.photo_lab[0] >= middle or a.surface_id in ("eye", "nose"):
                    self.assertEqual(shift, [0.0, 0.0], (a.name, p.id))
                elif any(shift):
                    moved += 1
                    self.assertLess(float(np.hypot(*shift)), TAKES * float(np.hypot(*ground[1:])) + 1e-3)
                    self.assertLess(shift[0], 0, "green")
        self.assertGreater(moved, 0)
        once = {a.id: self.session.recipes[a.id].aims for a in self.session.areas}
        self.portrait.under_backdrop()
        self.assertEqual({a.id: self.session.recipes[a.id].aims for a in self.session.areas}, once, "asked twice is not twice as much")
        self.session.undo.undo()
        self.assertEqual({a.id: self.session.recipes[a.id].aims for a in self.session.areas}, {k: r.aims for k, r in old.items()})

    def test_a_grey_backdrop_throws_nothing(self):
        self.session.solve("a")
        self.session.do(EditBrief(self.session, "backdrop", backdrop="#808080"))
        self.assertFalse(self.portrait.under_backdrop())
        self.assertIn("no colour to throw", self.said[-1].what)

    def test_the_animal_is_held_back_from_the_focus(self):
        self.session.solve("a"), self.session.solve("b")
        self.assertFalse(self.portrait.hold_back())
        self.assertIn("Set the focus in Study first", self.said[-1].what)
        self.session.do(SetPrep(self.session, self.session.photo, "focus", focal=(120.0, 110.0)))  # the middle of a
        self.assertTrue(self.portrait.hold_back())
        self.assertEqual(self.aims("a"), {})
        self.assertTrue(self.aims("b"))
        self.session.workshop.hold_back("b")
        alone = self.aims("b")
        self.session.undo.undo()
        self.assertEqual(self.aims("b"), alone, "as for the area alone")


class OtherSide(PortraitCase):
    def test_a_named_twin_is_laid_like_the_first(self):
        self.assertIsNone(self.portrait.twin_of(self.area("b")))
        self.change("b", twin_id="a", ring=tuple((x + 6.0, y) for x, y in self.area("a").ring))
        self.assertIsNone(self.portrait.twin_of(self.area("b")), "the first one has no layers yet")
        self.session.solve("a")
        self.assertEqual(self.portrait.twin_of(self.area("b")).id, "a")
        self.session.solve("b")
        order = lambda key: [q.code for q in self.session.recipe_layers(key) if q.code]  # noqa: E731
        self.assertEqual(order("b"), order("a"))
        self.assertEqual(self.portrait.twin_of(self.area("a")).id, "b", "either way")

    def test_a_twin_that_would_end_far_off_gets_its_own(self):
        self.session.solve("a")
        asked = self.session.workshop.asked(self.area("b"))
        measured = self.measured("b")
        few = tuple(replace(q, on=("gap",)) for q in self.session.recipe_layers("a") if q.code)[:1]
        own = replace(asked, twin=()).plan(measured)
        self.assertEqual(replace(asked, twin=few).solved(measured, _Quiet()).layers, own.layers)

    def test_pairs_without_a_name_are_eyes_and_ears(self):
        self.change("a", surface_id="ear-inside")
        self.change("b", surface_id="ear-inside")
        self.session.solve("a")
        self.assertEqual(self.portrait.twin_of(self.area("b")).id, "a")
        self.assertTrue(self.portrait.other_side(self.area("b")))
        self.change("b", surface_id="short-fur")
        self.assertIsNone(self.portrait.twin_of(self.area("b")))

    def test_a_copy_of_the_order_has_twins_of_its_own(self):
        self.change("b", twin_id="a")
        self.session.do(EditBrief(self.session, "palette", palette=("101", "102")))
        path = self.root / "moss.hanabira"
        bundle.write_bundle(self.store, "c", path)
        made = bundle.import_bundle(self.store, path).commission
        areas = self.store.all(Area, commission_id=made.id)
        named = [a for a in areas if a.twin_id]
        self.assertEqual(len(named), 1)
        self.assertIn(named[0].twin_id, {a.id for a in areas} - {named[0].id})
        self.assertEqual(made.palette, ("101", "102"))


class _Quiet:
    def report(self, *_args) -> None: ...

    def check(self) -> None: ...


if __name__ == "__main__":
    unittest.main()
