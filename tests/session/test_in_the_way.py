"""What is drawn as in the way is not drawn on the paper: the area below goes on under it, and nothing waits for a recipe of it."""

import unittest
from dataclasses import replace

from hanabira.core.area.shape import rectangle
from hanabira.session.edits import ChangeAreas, Edit
from hanabira.studio import planning
from hanabira.studio.overlaps import IN_THE_WAY
from hanabira.studio.records import Area
from tests.session.test_session import Case


class InTheWay(Case):
    def strap(self, surface: str) -> Area:
        area = Area("s", "c", "p0", 3, "Strap", surface, rectangle(90, 60, 20, 100), False, level=1)
        self.session.do(Edit(self.session, "a strap", [], [area]))
        return area

    def mm2(self, key: str) -> float:
        s = self.session
        work = planning.work_of(s.commission, s.photo, s.areas, tuple(s.recipes.values()), s.kit)
        return next(a.mm2 for a in work if a.id == key)

    def test_the_area_below_goes_on_under_it(self):
        s = self.session
        s.solve("a")
        bare, drawn = self.measured("a"), self.mm2("a")
        self.assertIsNone(bare.in_way)
        self.strap(IN_THE_WAY)
        found = self.measured("a")
        self.assertAlmostEqual(found.in_way.share, 20 / 120, delta=0.06)
        self.assertAlmostEqual(found.mm2, bare.mm2, places=6)
        self.assertAlmostEqual(self.mm2("a"), drawn, places=6)
        s.do(ChangeAreas(s, "surface", [self.area("s")], [replace(self.area("s"), surface_id="collar-and-tag")]))
        cut_out = self.measured("a")
        self.assertIsNone(cut_out.in_way)
        self.assertAlmostEqual(cut_out.mm2, bare.mm2 * 100 / 120, delta=0.02 * bare.mm2)
        self.assertLess(self.mm2("a"), 0.86 * drawn)

    def test_nothing_waits_for_a_recipe_of_it(self):
        s = self.session
        self.strap(IN_THE_WAY)
        self.assertEqual([a.id for a in s.portrait.unsolved()], ["a", "b"])
        s.solve("s")
        self.assertEqual(s.recipe_layers("s"), ())
        self.assertIn("is in the way", self.said[-1].what)
        s.portrait.solve_all()
        self.assertTrue(s.recipe_layers("a") and s.recipe_layers("b"))
        self.assertEqual(s.recipe_layers("s"), ())

    def test_a_word_of_the_artist_makes_it_the_coats_own(self):
        s = self.session
        asked = s.measuring.request(self.area("a"))
        self.assertEqual(asked.way, ())
        said = replace(self.area("a"), marking_kind="patches")
        s.do(ChangeAreas(s, "its own colour", [self.area("a")], [said]))
        self.assertIsNone(self.measured("a").in_way)


if __name__ == "__main__":
    unittest.main()
