"""Tools as layers: what they do to colour and tooth, that the search sees what the physics say, and where a school's tools stand in a recipe."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.colour.difference import delta_e00
from hanabira.core.faults import RecipeFault
from hanabira.core.optics.batch import stack_under_hands
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import apply, bare, predict, use_tool
from hanabira.core.optics.tools import KEEPS_OFF, LAYINGS, REMOVED, RUBS, TOOLS, laying_of
from hanabira.core.places.place import Places
from hanabira.core.schedule.wear import worn_mm
from hanabira.core.schedule.work import AreaWork, LayerWork, layer_minutes
from hanabira.core.solver.area import follow, swaps
from hanabira.core.solver.joint import Lay
from hanabira.core.solver.layer import Layer
from hanabira.core.solver.place_plan import PlacePlanner, Rules
from hanabira.core.solver.tool_switches import TOOL_COST
from hanabira.craft.rules import school, switches
from hanabira.craft.supplies import paper, shipped_kit
from hanabira.craft.tools import NONE, drawer, step_name, tools
from hanabira.craft.whisker_methods import whisker_method
from hanabira.devices.simulated_paper import SimulatedSheet
from hanabira.session.words import BROUGHT, LAID
from tests.recipes import by_hand, coat, plan, reach_of

KIT, ON = shipped_kit(), paper("hotpress")
BROWN, DARK, GREY = "235", "401", "405"
SKIN = {"gap": (30, 8, 9), "general": (48, 12, 15), "light": (62, 11, 14), "highlight": (72, 8, 10)}
NOSE = by_hand(blend="soft", kind="skin", school=school("pencil"))


def asked(**choices):
    """A craft of bare skin with some switches of the school turned."""
    return replace(NOSE, school={**NOSE.school, **choices})


def kept_light(lab=(88.0, 0.0, -4.0)):
    """A coat whose lightest value keeps its paper, as a catchlight does."""
    found = coat(SKIN)
    all_ = tuple(replace(p, reserved=True, group="part", photo_lab=lab) if p.id == "highlight" else p for p in found)
    return Places(all_, found.labels, found.origin, found.scale)


class Physics(unittest.TestCase):
    def setUp(self):
        self.before = predict(ON, KIT, [Pass(BROWN, 3, 2), Pass(DARK, 2)])[-1]

    def test_every_tool_is_of_one_kind(self):
        self.assertEqual(sorted(TOOLS), sorted({*RUBS, *REMOVED, *KEEPS_OFF}))
        for tool in TOOLS:
            self.assertIsNotNone(use_tool(self.before, tool))
        for tool in KEEPS_OFF:
            self.assertIs(use_tool(self.before, tool), self.before)

    def test_a_clear_blender_evens_less_than_a_stump_presses_more_and_fills_the_tooth(self):
        even = {t: float(use_tool(self.before, t).zones.std(0).mean()) for t in RUBS}
        self.assertLess(even["solvent"], even["stump"])
        self.assertLess(even["stump"], even["blender"])
        self.assertLess(even["blender"], float(self.before.zones.std(0).mean()))
        after = use_tool(self.before, "blender")
        self.assertGreater(after.tooth.crush, use_tool(self.before, "stump").tooth.crush)
        self.assertTrue((after.tooth.fill > self.before.tooth.fill).all())
        self.assertGreater(after.used, self.before.used)
        self.assertLess(use_tool(self.before, "solvent").used, self.before.used)
        # clear binder brings no pigment: what is there stays there, and so does its hue
        np.testing.assert_allclose(after.sums, self.before.sums)
        self.assertLess(float(delta_e00(after.lab, self.before.lab)), 5)

    def test_powder_and_sponge_come_into_the_valleys_and_press_nothing(self):
        stroke = apply(bare(ON), KIT, Pass(BROWN, 2))
        for laid in ("powder", "sponge"):
            rubbed = apply(bare(ON), KIT, Pass(BROWN, 2, laid=laid))
            self.assertGreater(rubbed.tooth.fill[2] / rubbed.tooth.fill[0], 1.3 * stroke.tooth.fill[2] / stroke.tooth.fill[0], laid)
            self.assertEqual(apply(bare(ON), KIT, Pass(BROWN, 5, laid=laid)).tooth.crush, 0.0)
        self.assertGreater(apply(bare(ON), KIT, Pass(BROWN, 5)).tooth.crush, 0.0)

    def test_a_sharp_point_reaches_deeper_and_a_blunt_one_skims_on_other_physics_too(self):
        """The simulated paper has other pigments, another tooth and other formulas; the order of the three points is the same there."""
        other = SimulatedSheet(KIT)
        for grain in ("hotpress", "vellum"):
            on = paper(grain)
            sharp, usual, blunt = (predict(on, KIT, [Pass(DARK, 2, laid=v)])[-1].lab[0] for v in ("sharp", "", "blunt"))
            self.assertLess(sharp, usual - 0.5, grain)
            self.assertLess(usual, blunt - 0.5, grain)
        seen = [float(other.lay([Pass(DARK, 2, laid=v)], "white")[0]) for v in ("sharp", "", "blunt")]
        self.assertEqual(seen, sorted(seen))

    def test_a_point_widens_or_narrows_the_stroke_wears_and_takes_time(self):
        self.assertLess(LAYINGS["sharp"].width, 1)
        self.assertGreater(LAYINGS["blunt"].width, 1)
        worn = {k: worn_mm(900, "everywhere", 2, 1, laid=k) for k in ("", *LAYINGS)}
        self.assertGreater(worn["sharp"], worn[""])
        self.assertGreater(worn["powder"], worn["sponge"])
        self.assertLess(worn["blunt"], worn[""])
        area = AreaWork("a", 1, "A", "bare-skin-and-folds", 900.0, (0.0, 0.0))
        took = {k: layer_minutes(area, LayerWork("ground", BROWN, stroke="circle", laid=k)) for k in ("", *LAYINGS)}
        self.assertLess(took["powder"] - 1.5, 0.5 * (took[""] - 1.5), "a minute and a half goes by before either")
        self.assertGreater(took["sharp"], took[""])
        self.assertGreater(layer_minutes(area, LayerWork("blend", "", "blender")), layer_minutes(area, LayerWork("reserve", "", "tape", share=0.01)))

    def test_unknown_ways_are_refused(self):
        with self.assertRaises(RecipeFault):
            Layer("ground", BROWN, 2, 1, "everywhere", laid="hammered")
        self.assertEqual(laying_of("").deposit, 1.0)

    @settings(max_examples=40, deadline=None)
    @given(st.lists(st.tuples(st.sampled_from([BROWN, DARK, GREY]), st.integers(1, 5), st.integers(1, 2), st.sampled_from(["", *LAYINGS]), st.sampled_from([1.0, 0.6])), min_size=1, max_size=4), st.sampled_from(["", *RUBS]))
    def test_the_search_sees_what_the_physics_say(self, told, tool):
        planner = PlacePlanner(KIT, ON, coat(SKIN), NOSE, Rules(), reach=reach_of(KIT, ON))
        every = (True,) * 4
        lays = tuple(Lay(KIT.index[c], p, n, every, float(k), coverage=v, laid=laid) for k, (c, p, n, laid, v) in enumerate(told))
        passes = [Pass(c, p, n, coverage=v, laid=laid) for c, p, n, laid, v in told]
        if tool:
            lays, passes = (*lays, Lay(-1, 1, 1, every, 99.0, tool=tool)), [*passes, Pass(tool=tool)]
        state, spot = planner.search.snapshots(lays)[-1], predict(ON, KIT, passes)[-1]
        self.assertLess(float(np.abs(state.lab[0] - spot.lab).max()), 0.05)
        np.testing.assert_allclose(state.fill[0], spot.tooth.fill, atol=2e-4)
        self.assertAlmostEqual(float(state.crush[0]), spot.tooth.crush, places=4)
        if not tool:
            self.assertLess(float(np.abs(stack_under_hands(ON, bare(ON), replace(KIT, unsteady=0.0), passes).mean(0) - spot.lab).max()), 0.05)

    def test_other_pencils_in_its_place_are_brought_on_the_same_way(self):
        layers = (Layer("ground", BROWN, 2, 1, "everywhere", laid="powder"), Layer("general", DARK, 2, 1, "everywhere"))
        targets = {b: np.array(v, float) for b, v in SKIN.items()}
        own = swaps(ON, KIT, layers, 0, targets)[0]
        self.assertLess(float(delta_e00(own.lab, follow(ON, KIT, layers, targets).band("general").lab)), 0.05)


class Grounds(unittest.TestCase):
    def first(self, found):
        return next(q for q in found.layers if q.code)

    def test_shavings_are_rubbed_over_everything_first_of_all(self):
        plain, found = plan(KIT, ON, SKIN, asked()), plan(KIT, ON, SKIN, asked(ground="powder"))
        self.assertEqual(self.first(plain).laid, "")
        first = self.first(found)
        self.assertEqual((first.laid, first.gesture, first.stroke, set(first.on)), ("powder", "wash", "circle", set(SKIN)))
        self.assertEqual([q.laid for q in found.layers if q is not first], [""] * (len(found.layers) - 1))
        self.assertIn("shavings", first.why)
        for b, s in found.prediction.bands.items():
            self.assertLessEqual(s.delta_e00, plain.prediction.band(b).delta_e00 + TOOL_COST + 0.05)
        self.assertEqual(found.effect["ground"], "acts")

    def test_wax_goes_below_oil(self):
        found = plan(KIT, ON, SKIN, asked(ground="wax-first"))
        self.assertEqual(KIT.get(self.first(found).code).binder, "wax")
        oils = KIT.subset([p.code for p in KIT if p.binder == "oil"])
        self.assertIn("no wax pencil", plan(oils, ON, SKIN, asked(ground="wax-first")).effect["ground"])

    def test_a_sponge_wants_pan_colour_and_sticks_no_shavings(self):
        self.assertIn("pan colour", plan(KIT, ON, SKIN, asked(ground="sponge")).effect["ground"])
        sticks, sanded = shipped_kit("pastels"), paper("sanded")
        craft = replace(by_hand(kind="skin", medium="pastel", school=school("pastel")), blend="soft")
        found = plan(sticks, sanded, SKIN, replace(craft, school={**craft.school, "ground": "sponge"}))
        self.assertEqual(found.effect["ground"], "acts")
        self.assertEqual(self.first(found).laid, "sponge")
        self.assertIn("sponge", plan(sticks, sanded, SKIN, replace(craft, school={**craft.school, "ground": "powder"})).effect["ground"])


class Masks(unittest.TestCase):
    def test_tape_comes_first_and_off_before_the_tint(self):
        found = plan(KIT, ON, SKIN, asked(lights="tape"), places=kept_light())
        steps = [q.tool or q.gesture for q in found.layers]
        self.assertEqual(steps[0], "tape")
        self.assertEqual(found.layers[0].on, ("highlight",))
        tint = next(k for k, q in enumerate(found.layers) if q.code and "highlight" in q.on)
        self.assertEqual(steps[tint - 1], "peel")
        self.assertEqual(steps.count("peel"), 1)

    def test_nothing_takes_on_clear_wax(self):
        found = plan(KIT, ON, SKIN, asked(lights="wax"), places=kept_light((96.0, 0.5, 1.0)))
        self.assertEqual(found.effect["lights"], "acts")
        self.assertFalse([q for q in found.layers if q.code and "highlight" in q.on])
        self.assertEqual((found.layers[0].tool, found.layers[0].on), ("wax", ("highlight",)))
        np.testing.assert_allclose(found.prediction.band("highlight").lab, bare(ON).lab)

    def test_a_light_that_wants_a_tint_gets_no_wax(self):
        found = plan(KIT, ON, SKIN, asked(lights="wax"), places=kept_light())
        self.assertIn("the clear wax would cost", found.effect["lights"])
        self.assertTrue([q for q in found.layers if q.code and "highlight" in q.on])
        self.assertFalse([q for q in found.layers if q.tool == "wax"])

    def test_without_a_kept_light_there_is_nothing_to_cover(self):
        for how in ("tape", "wax"):
            found = plan(KIT, ON, SKIN, asked(lights=how))
            self.assertIn("no light here keeps its paper", found.effect["lights"])
            self.assertFalse([q for q in found.layers if q.tool in KEEPS_OFF])


class Drawer(unittest.TestCase):
    def test_what_is_not_in_the_drawer_is_not_taken(self):
        for switch, choice, words in (
            ("blending", "blender", "the clear blender"), ("blending", "stump", "the stump"), ("blending", "solvent", "the solvent"), ("ground", "powder", "shavings"),
            ("lights", "indent", "the stylus"), ("lights", "scrape", "the blade"),
        ):  # fmt: skip
            with self.subTest(choice=choice):
                craft = asked(**{switch: choice})
                found = plan(KIT, ON, SKIN, replace(craft, tools=frozenset()))
                self.assertIn(f"{words} is not in your drawer", found.effect[switch].replace("the cloth for shavings", "shavings"))
                self.assertFalse([q for q in found.layers if q.tool or q.laid])
                self.assertNotIn("drawer", plan(KIT, ON, SKIN, replace(craft, tools=frozenset([choice]))).effect[switch])

    def test_a_blender_stands_after_what_it_blends(self):
        found = plan(KIT, ON, SKIN, asked(blending="blender"))
        at = next(k for k, q in enumerate(found.layers) if q.tool == "blender")
        self.assertGreater(at, 0)
        self.assertLess(at, len(found.layers) - 1)
        self.assertIn("clear pencil", found.layers[at].why)

    def test_whiskers_are_laid_with_what_is_there(self):
        method = lambda has: whisker_method("hotpress", "pencil", "indent", 40, 85, False, has)[0].id  # noqa: E731
        self.assertEqual(method(lambda _t: True), "indent")
        self.assertEqual(method(lambda t: t != "indent"), "lift")
        self.assertEqual(method(lambda t: t not in ("indent", "tape")), "opaque")

    def test_the_list_of_tools_answers_to_the_school_and_the_setting(self):
        wanted = {c for s in ("blending", "ground", "lights") for c in switches()[s].choices} & {*TOOLS, *LAYINGS}
        self.assertEqual(set(tools()), wanted)
        self.assertIsNone(drawer([]))
        self.assertEqual(drawer([NONE]), frozenset())
        with self.assertRaises(RecipeFault):
            drawer(["hammer"])
        self.assertEqual(step_name("peel"), "Tape off")
        self.assertEqual(set(LAID), set(LAYINGS), "every way has its words")
        self.assertEqual(set(BROUGHT), {"", *LAYINGS}, "and can be chosen")
        self.assertTrue(all(t.use.endswith(".") for t in tools().values()))


if __name__ == "__main__":
    unittest.main()
