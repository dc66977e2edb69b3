"""Whiskers that were measured become a step of the recipe: first where the paper must be kept, last where a line is drawn."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from hanabira.core.area.measures import measure
from hanabira.core.area.shape import cut, rectangle
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import apply, bare
from hanabira.core.places.find import find_places
from hanabira.core.places.hand_scale import Hand
from hanabira.core.schedule.order import order
from hanabira.core.solver.cautions import recipe_cautions
from hanabira.core.solver.place_plan import plan_places
from hanabira.core.solver.single_hairs import with_single_hairs
from hanabira.craft.hand import hand_scale
from hanabira.craft.supplies import paper, papers, parts_of, shipped_kit
from hanabira.craft.techniques import craft_of, rules_of
from hanabira.studio.planning import work_of
from hanabira.studio.records import Area, Commission, Photo, Recipe
from tests.core.test_schedule import AreaWork, LayerWork
from tests.fur import fur

KIT, MM = shipped_kit(), 0.2
MUZZLE = (210, 160, 140, 120)


def muzzle(line=(245, 244, 240), ground=(52.0, 9.0, 20.0)):
    """Fur with four whiskers that leave a muzzle to the left."""
    pixels = fur(420, 520, 25.0, 6, ground=ground, contrast=7)
    for a, b in (((235, 190), (60, 150)), ((240, 205), (50, 210)), ((235, 220), (70, 280)), ((240, 235), (80, 330))):
        cv2.line(pixels, a, b, line, 2, cv2.LINE_AA)
    return pixels


def planned(pixels, paper_id="hotpress", school=None):
    """The measures and the plan of the muzzle."""
    on, ring = paper(paper_id), rectangle(*MUZZLE)
    m = measure(pixels, ring, None, MM, look_for=("whiskers",))
    craft = craft_of(m, "whisker", KIT.medium, "brown", "plain", school or {})
    found = find_places(pixels, cut(pixels, ring), "coat", m.marking, Hand(hand_scale(), MM), parts=parts_of("whisker"))
    return m, plan_places(KIT, on, found, craft, rules_of(m, craft, KIT, on.id)), on


class Steps(unittest.TestCase):
    def test_light_whiskers_are_kept_before_any_colour(self):
        m, plan, on = planned(muzzle())
        self.assertGreaterEqual(m.whiskers.count, 3)
        step = plan.layers[0]
        self.assertEqual((step.role, step.tool, step.gesture, step.code), ("reserve", "reserve", "whisker", ""))
        self.assertEqual(sum(q.gesture == "whisker" for q in plan.layers), 1)
        self.assertEqual(step.where, "along the whiskers")  # the lines are kept, not the places that they cross
        self.assertEqual(set(step.on), set(plan.targets.names) - set(plan.targets.kept))
        self.assertAlmostEqual(step.stroke_mm, m.whiskers.length_px * MM, delta=8)
        said = recipe_cautions(on, KIT, plan.layers, targets=plan.targets, prediction=plan.prediction, floor=3, papers=tuple(papers().values()), reach=plan.reach)
        self.assertEqual([c.layer for c in said if c.layer == 0], [])

    def test_the_school_and_the_paper_choose_the_method(self):
        self.assertEqual([q.role for q in planned(muzzle(), school={"lights": "indent"})[1].layers if q.gesture == "whisker"], ["indent"])
        last = planned(muzzle(), "sanded", {"lights": "indent"})[1].layers[-1]
        self.assertEqual((last.role, last.tool, last.gesture), ("whisker", "scrape", "whisker"))

    def test_dark_whiskers_are_drawn_last_with_a_pencil_and_change_the_colour_by_what_they_cover(self):
        m, plan, on = planned(muzzle((20, 18, 16), (80.0, 2.0, 8.0)))
        step = plan.layers[-1]
        self.assertEqual((step.role, step.tool, step.gesture, step.pressure), ("whisker", "", "whisker", 3))
        self.assertLess(KIT.masstone_lab[KIT.index[step.code]][0], 20)
        length = sum(w.length_px for w in m.whiskers.found) * MM
        self.assertAlmostEqual(step.coverage, length * 0.4 / m.mm2, delta=0.01)
        self.assertLess(step.coverage, 0.35)
        told = plan.prediction.band("general")
        self.assertLess(told.labs[-1][0], told.labs[-2][0])
        self.assertLess(told.labs[-2][0] - told.labs[-1][0], 12)

    def test_nothing_is_planned_where_none_were_measured(self):
        m = measure(fur(420, 520, 25.0, 6, contrast=7), rectangle(*MUZZLE), None, MM, look_for=("whiskers",))
        craft = craft_of(m, "whisker", KIT.medium, "brown", "plain", {})
        self.assertIsNone(rules_of(m, craft, KIT, "hotpress").hairs)
        self.assertIsNone(rules_of(replace(m, whiskers=None), craft, KIT, "hotpress").hairs)
        found = rules_of(planned(muzzle())[0], craft, KIT, "hotpress").hairs
        once = with_single_hairs((), found, KIT, ("general",), "general")
        self.assertEqual(with_single_hairs(once, found, KIT, ("general",), "general"), once)  # one step is enough

    def test_a_tool_that_touches_a_part_takes_a_part(self):
        spot = apply(bare(paper("hotpress")), KIT, Pass(KIT.pencils[-1].code, 5, 2))
        whole, part = apply(spot, KIT, Pass(tool="scrape")), apply(spot, KIT, Pass(tool="scrape", coverage=0.1))
        self.assertAlmostEqual(part.used, 0.9 * spot.used + 0.1 * whole.used, delta=0.02)
        np.testing.assert_allclose(part.zones, 0.9 * spot.zones + 0.1 * whole.zones)

    def test_the_plan_puts_the_kept_lines_before_and_the_drawn_ones_after_everything(self):
        layers = (LayerWork("indent", "", "indent", crosses=True), LayerWork("ground", "1"), LayerWork("gap", "2"))
        drawn = (LayerWork("ground", "1"), LayerWork("gap", "2"), LayerWork("whisker", "9"))
        kept = AreaWork("k", 1, "Pad", "whisker", 900, (100, 230), (), 3, layers)
        pad = AreaWork("w", 2, "Pad two", "whisker", 900, (140, 230), ("f",), 3, drawn)
        fur_ = AreaWork("f", 3, "Cheek", "short-fur", 900, (120, 200), ("w",), 3, (LayerWork("ground", "1"), LayerWork("gap", "2")))
        at = {s.key: n for n, s in enumerate(order([kept, pad, fur_]).steps)}
        self.assertLess(at["k:0"], min(at["k:1"], at["w:0"], at["f:0"]))  # they run over into other areas
        self.assertGreater(at["w:2"], max(at["f:1"], at["w:1"], at["k:2"]))

    def test_a_recipe_tells_the_plan_which_lines_cross(self):
        _m, plan, _on = planned(muzzle())
        area = Area("a", "c", "p", 1, "Pad", surface_id="whisker", ring=tuple(rectangle(*MUZZLE)))
        photo = Photo("p", "c", "d", ".jpg", "x.jpg", 520, 420, (0.0, 0.0, 520.0, 420.0))
        work = work_of(Commission("c", "Mallow"), photo, [area], [Recipe("a", plan.layers)])
        first = work[0].layers[0]
        self.assertEqual((first.role, first.crosses, first.stage, first.title), ("reserve", True, -1, "Whiskers"))
        self.assertFalse(any(q.crosses for q in work[0].layers[1:]))


if __name__ == "__main__":
    unittest.main()
