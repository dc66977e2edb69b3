"""The search over places: its quick film against the exact one, its predicted gains against what really comes, and what it must never do."""

import unittest
from dataclasses import replace

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import chroma, hue_deg
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import predict
from hanabira.core.places.place import Place, Places
from hanabira.core.solver.area import follow
from hanabira.core.solver.joint import Lay, Search, in_order
from hanabira.core.solver.layer import Layer
from hanabira.core.solver.path import BLACK_C, BLACK_L, Field, Target
from hanabira.core.solver.pencil_kinds import turn, within
from hanabira.core.solver.place_plan import Rules, place_targets, plan_places
from hanabira.craft.hand import gestures, pencil_kinds
from hanabira.craft.rules import school
from hanabira.craft.supplies import paper, shipped_kit
from tests.recipes import by_hand, coat, plan, reach_of

FUR = {"gap": [21, 6.8, 11.8], "general": [33, 12.4, 26.2], "light": [66, 17, 42], "highlight": [74, 13, 38]}


def field(kit, on, opaque=False) -> Field:
    targets = place_targets(reach_of(kit, on), coat(FUR))
    places = [Target(k, targets[k], np.array(FUR[k], float), 1.0, "coat", True) for k in targets]
    hues = np.array([float(hue_deg(v)) % 360 for v in targets.values()])
    return Field(kit, on, places, hues, opaque, pencil_kinds(), gestures=() if opaque else gestures())


def eye() -> Places:
    """An eye of six parts with a dull catchlight."""
    parts = (
        ("catchlight", (62, 0, -3), 0.03, True), ("pupil", (5, 1, 1), 0.4, False), ("rim", (9, 3, 4), 0.12, False), ("iris inner", (17, 10, 13), 0.12, False),
        ("iris outer", (24, 16, 22), 0.18, False), ("lid skin", (32, 10, 20), 0.15, False),
    )  # fmt: skip
    labels = np.repeat(np.arange(1, 7, dtype=np.uint8), 6)[None].repeat(20, 0)
    all_ = tuple(
        Place(k, k, "part", "skin" if k == "lid skin" else "eye", tuple(float(q) for q in v), s, (0, 0, 6, 20), kept)
        for k, v, s, kept in parts
    )
    return Places(all_, labels, (0.0, 0.0), 1.0)


class Film(unittest.TestCase):
    def test_it_is_the_exact_film_to_a_tenth(self):
        rng = np.random.default_rng(2)
        for kit_id, paper_id in (("pencils", "hotpress"), ("pastels", "sanded")):
            kit, on = shipped_kit(kit_id), paper(paper_id)
            area = field(kit, on)
            for tool in ("", "solvent", "stump"):
                for _ in range(4):
                    steps = [(int(rng.integers(len(kit))), int(rng.integers(1, 6)), int(rng.integers(1, 4))) for _ in range(4)]
                    s, exact = area.start((1,), sums=True), []
                    for n, (i, q, k) in enumerate(steps):
                        if tool and n == 2:
                            s = area.use(s, tool)
                            exact.append(Pass("", 1, 1, tool))
                        s = area.lay(s, np.array(i), np.array(q), np.array(k), np.array([0]))
                        exact.append(Pass(kit.pencils[i].code, q, k))
                    told = predict(on, kit, exact)[-1]
                    np.testing.assert_allclose(s.lab[0], told.lab, atol=0.1)
                    self.assertAlmostEqual(float(area.used(s)[0]), told.used, places=3)

    def test_pressure_rises_and_the_heaviest_comes_last(self):
        area = field(shipped_kit(), paper("hotpress"))
        self.assertEqual(area.pressure_cost([1, 2, 3, 4, 5]), 0.0)
        self.assertAlmostEqual(area.pressure_cost([2, 3, 2, 3]), area.costs.ease)
        self.assertAlmostEqual(area.pressure_cost([1, 3, 1, 3]), area.costs.dip)
        self.assertAlmostEqual(area.pressure_cost([4, 4, 4]) - area.pressure_cost([4, 4, 4, 4, 4, 4]), -2 * area.costs.early)
        self.assertAlmostEqual(area.pressure_cost([4]), 2 * area.costs.heavy, msg="the first layer is light")
        self.assertEqual(area.pressure_cost([2, 3, 0, 3]), 0.0, "a free gesture may be lighter")
        self.assertGreaterEqual(area.pressure_cost([5, 5, 5]), 2 * area.costs.five)
        self.assertEqual(field(shipped_kit("pastels"), paper("sanded"), True).pressure_cost([5, 1, 5]), 0.0)

    def test_hues_and_arcs(self):
        self.assertEqual(float(turn(350, 20)), 30)
        self.assertTrue(bool(within(10, 350, 20)) and not bool(within(30, 350, 20)))


class Gains(unittest.TestCase):
    def test_what_an_insertion_promises_is_what_it_brings(self):
        kit, on = shipped_kit(), paper("hotpress")
        for opaque, stock, sheet in ((False, kit, on), (True, shipped_kit("pastels"), paper("sanded"))):
            search = Search(field(stock, sheet, opaque))
            layers: tuple[Lay, ...] = ()
            for _ in range(6):
                gain, layer = search.insertion(layers)
                if layer is None or gain <= 0:
                    break
                more = in_order((*layers, layer))
                self.assertAlmostEqual(search.total(layers) - search.total(more), gain, places=3)
                layers = more
            self.assertGreaterEqual(len(layers), 3)

    def test_every_spot_of_a_further_layer_costs_what_the_whole_stack_costs_then(self):
        for tool in ("", "solvent"):
            search = Search(field(shipped_kit(), paper("hotpress")))
            layers = search.solve()
            if tool:
                layers = in_order((*layers, Lay(-1, 1, 1, (True,) * search.n, layers[2].key + 1e-3, tool=tool)))
            area, every = search.area, search.area.candidates
            which = every.at(np.arange(0, len(every), 23))
            choices = ((1, 1), (3, 2))
            found = search.costs_with(layers, choices, which, which.may)
            for c, (pencil, g, may) in enumerate(zip(which.pencil, which.gesture, which.may, strict=True)):
                self.assertTrue((found[:, c][:, ~may] == 0).all(), "where it may not be nothing is said")
                gesture = area.kinds[int(g)]
                for r, (press, passes) in enumerate(choices):
                    more = Lay(int(pencil), press, passes, tuple(map(bool, may)), area.key_of(int(pencil), gesture), gesture=gesture.id, coverage=area.coverage(gesture))
                    alone = Search(area).place_costs(in_order((*layers, more)))[0]
                    np.testing.assert_allclose(found[r, c][may], alone[may], atol=2e-3, err_msg=f"{tool} {pencil} {gesture.id}")

    def test_recipes_that_begin_alike_are_worked_out_as_if_alone(self):
        search = Search(field(shipped_kit(), paper("hotpress")))
        layers = search.solve()
        for k, q in enumerate(layers):
            for tried in ((*layers[:k], replace(q, pressure=q.pressure % 5 + 1), *layers[k + 1 :]), (*layers[:k], *layers[k + 1 :])):
                alone = Search(search.area).snapshots(tried)
                for mine, theirs in zip(search.snapshots(tried), alone, strict=True):
                    np.testing.assert_array_equal(mine.lab, theirs.lab)
                    np.testing.assert_array_equal(mine.cost, theirs.cost)

    def test_switching_a_layer_off_costs_what_was_said(self):
        search = Search(field(shipped_kit(), paper("hotpress")))
        layers = search.solve()
        cost, de = search._flipped(layers, [(), (0,)])
        np.testing.assert_allclose(cost[:, 0], search.place_costs(layers)[0], atol=1e-3)
        on = tuple(not v for v in layers[0].on)
        flipped = tuple(q if k else replace(q, on=on) for k, q in enumerate(layers))
        np.testing.assert_allclose(de[:, 1], search.place_costs(flipped)[1], atol=1e-3)

    def test_no_single_change_betters_the_answer_by_much(self):
        search = Search(field(shipped_kit(), paper("hotpress")))
        layers = search.solve()
        total = search.total(layers)
        for k, q in enumerate(layers):
            rest = tuple(x for x in layers if x is not q)
            self.assertGreater(search.total(rest), total - 0.7)
            for pressure, passes in search.area.gesture(q.gesture).choices:
                tried = (*layers[:k], replace(q, pressure=pressure, passes=passes), *layers[k + 1 :])
                self.assertGreater(search.total(tried), total - 0.7)

    def test_the_same_answer_each_time(self):
        kit, on = shipped_kit(), paper("hotpress")
        self.assertEqual(plan(kit, on, FUR).layers, plan(kit, on, FUR).layers)


class EyePlan(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.kit, cls.on = shipped_kit(), paper("hotpress")
        said = by_hand("circle", "side", school=school("pencil"))
        cls.found = plan_places(cls.kit, cls.on, eye(), said, Rules((np.array([24.0, 16, 22]),)), reach=reach_of(cls.kit, cls.on))

    def test_dull_catchlights_of_many_values_end_near_their_own_colour(self):
        said = by_hand(blend="none", school=school("pencil"))
        for value, lean in ((48, -1), (55, 1), (58, -3), (63, -3), (68, 0), (90, -3)):
            parts = [replace(p, photo_lab=(float(value), 1.0, float(lean))) if p.id == "catchlight" else p for p in eye()]
            found = plan_places(
                self.kit,
                self.on,
                replace(eye(), all=tuple(parts)),
                said,
                Rules((np.array([24.0, 16, 22]),)),
                reach=reach_of(self.kit, self.on),
            )
            self.assertLess(found.prediction.band("catchlight").delta_e00, 5.0, (value, lean))
            self.assertLessEqual(sum("catchlight" in q.on for q in found.layers if q.code), 2)

    def test_the_catchlight_keeps_its_light_from_the_first_layer_on(self):
        layers = self.found.layers
        over = [q for q in layers if q.code and "catchlight" in q.on]
        self.assertLessEqual(len(over), 2)
        self.assertTrue(over)
        self.assertEqual(layers[-len(over) :], tuple(over), "tints of a kept light come when nothing else can touch it")
        self.assertFalse([q for q in layers if q.tool == "reserve"], "what is tinted later is not said to stay free")
        for q in over:
            self.assertEqual(q.gesture, "tint")
            lab = self.kit.masstone_lab[self.kit.index[q.code]]
            self.assertTrue(lab[0] >= 73 or float(chroma(lab)) <= 11.5, q)
        end = self.found.prediction.band("catchlight").lab
        self.assertLess(float(delta_e00(end, [float(np.clip(end[0], 62, 77)), 0, -3])), 6)

    def test_every_part_ends_near_and_pupil_is_darker_than_iris(self):
        told = self.found.prediction
        for key in ("pupil", "rim", "iris inner", "iris outer", "lid skin"):
            self.assertLess(told.band(key).delta_e00, 4.5, key)
        self.assertLess(told.band("pupil").lab[0], told.band("iris outer").lab[0] - 4)
        self.assertEqual(told.aliases["highlight"], "catchlight")
        self.assertEqual(told.aliases["gap"], "pupil")
        # no pale layer lies under the pupil for nothing
        for q in self.found.layers:
            if q.code and "pupil" in q.on:
                without = [x for x in self.found.layers if x is not q]
                loss = (
                    follow(self.on, self.kit, without, self.found.targets, expected=False).band("pupil").delta_e00
                    - told.band("pupil").delta_e00
                )
                self.assertGreater(loss, 0.15, q)

    def test_a_bright_catchlight_that_nothing_goes_over_is_kept_before_all(self):
        parts = tuple(replace(p, photo_lab=(96.0, 0.0, 1.0)) if p.id == "catchlight" else p for p in eye())
        said = by_hand("circle", "side", school=school("pencil"))
        found = plan_places(self.kit, self.on, replace(eye(), all=parts), said, Rules((np.array([24.0, 16, 22]),)), reach=reach_of(self.kit, self.on))
        self.assertFalse([q for q in found.layers if q.code and "catchlight" in q.on])
        self.assertEqual((found.layers[0].role, found.layers[0].tool, found.layers[0].on), ("reserve", "reserve", ("catchlight",)))


BLACKS = {
    "sheen": ((5, 0, -1), (15, 1, -4), (38, 0, -8), (60, 0, -6)),
    "warm": ((6, 2, 3), (8, 3, 4), (21, 4, 7), (41, 5, 9)),
    "plain": ((4, 0, 0), (12, 1, 0), (24, 1, -2), (44, 0, -3)),
    "rusty": ((5, 2, 3), (14, 5, 6), (30, 8, 12), (50, 8, 14)),
    "feathers": ((5, 0, -2), (17, 2, -4), (27, 6, -9), (33, 10, -11)),
}
DOZEN = (
    (10, 0, 0), (30, 0, 0), (55, 0, 0), (90, 0, 0), (35, 10, 18), (60, 15, 40), (80, 8, 30), (45, 35, 30), (30, 15, -20), (40, 0, -25), (70, 0, -10), (25, 8, 10),
)  # fmt: skip
"""About where the pencils of a small set lie, a black and a dark grey among them."""


class Practice(unittest.TestCase):
    """What a practitioner asks of whole recipes."""

    def test_the_lights_of_black_coats_are_met_and_black_has_a_dark_under_it(self):
        kit, on = shipped_kit(), paper("hotpress")
        near = [kit.pencils[int(np.argmin(((kit.masstone_lab - v) ** 2).sum(1)))].code for v in DOZEN]
        for some, most in ((kit, 3.0), (kit.subset(list(dict.fromkeys(near))), 5.0)):
            de = []
            for values in BLACKS.values():
                found = plan(some, on, dict(zip(("gap", "general", "light", "highlight"), values, strict=True)))
                de += [found.prediction.band(b).delta_e00 for b in ("light", "highlight")]
                mine = [q for q in found.layers if q.code and "gap" in q.on]
                lab = [some.masstone_lab[some.index[q.code]] for q in mine]
                first = next((k for k, v in enumerate(lab) if v[0] < BLACK_L and float(chroma(v)) < BLACK_C), None)
                self.assertNotEqual(first, 0, [q.code for q in mine])
            self.assertLess(float(np.median(de)), most)

    def test_stripes_and_their_ground_are_each_met(self):
        kit, on, de = shipped_kit(), paper("hotpress"), []
        for marking, ground in (((11, 2, 3), (67, 6, 18)), ((24, 12, 18), (72, 12, 34)), ((88, 1, 6), (30, 8, 14))):
            values = {"gap": -14, "general": 0, "light": 8, "highlight": 12}
            parts = [(b, "ground", (float(np.clip(ground[0] + d, 4, 96)), *ground[1:]), 0.15) for b, d in values.items()]
            parts += [("marking", "marking", marking, 0.4)]
            labels = np.repeat(np.arange(1, 6, dtype=np.uint8), 6)[None].repeat(20, 0)
            all_ = tuple(Place(k, k, g, g, tuple(float(q) for q in v), s, (0, 0, 6, 20)) for k, g, v, s in parts)
            found = plan(kit, on, FUR, places=Places(all_, labels, (0.0, 0.0), 1.0))
            for key in ("marking", "general"):
                de.append(found.prediction.band(key).delta_e00)
                self.assertLess(de[-1], 3.5, (marking, key))
            self.assertGreater(
                abs(found.prediction.band("marking").lab[0] - found.prediction.band("general").lab[0]),
                0.8 * abs(marking[0] - ground[0]) - 6,
            )

        self.assertLess(float(np.median(de)), 2.5)

    def test_no_dark_over_what_keeps_its_paper_and_nothing_over_a_full_tooth(self):
        for kit_id, paper_id in (("pencils", "hotpress"), ("pencils", "bristol"), ("pastels", "sanded")):
            kit, on = shipped_kit(kit_id), paper(paper_id)
            for name, values in {**BLACKS, "fur": tuple(FUR.values())}.items():
                bands = dict(zip(("gap", "general", "light", "highlight"), values, strict=True))
                bands["highlight"] = (92, 0, 2)
                found = plan(kit, on, bands, places=coat(bands, reserved=("highlight",)))
                self.assertLessEqual(found.prediction.most_tooth, 0.97, (kit_id, name))
                for q in found.layers:
                    if q.code and "highlight" in q.on:
                        lab = kit.masstone_lab[kit.index[q.code]]
                        self.assertTrue(lab[0] >= 73 and float(chroma(lab)) <= 25, (kit_id, name, q))
                self.assertLessEqual(sum(1 for q in found.layers if q.code and "highlight" in q.on), 1)

    def test_nothing_turns_green_on_the_way(self):
        kit, on = shipped_kit(), paper("hotpress")
        orange = {"gap": (24, 14, 18), "general": (55, 24, 44), "light": (72, 16, 40), "highlight": (86, 6, 22)}
        found = plan(kit, on, orange)
        for state in found.prediction.bands.values():
            for lab in state.labs[1:]:
                self.assertFalse(float(chroma(lab)) > 5 and bool(within(float(hue_deg(lab)) % 360, 100, 200)), lab)


class Locked(unittest.TestCase):
    def test_locked_layers_stay_and_their_colour_is_counted(self):
        kit, on = shipped_kit(), paper("hotpress")
        kept = Layer("general", "209", 3, 2, "general", on=("general", "light"), locked=True, id="abc")
        found = plan(kit, on, FUR, locked=(kept,))
        self.assertEqual([q for q in found.layers if q.id == "abc"], [kept])
        self.assertLess(found.prediction.band("general").delta_e00, 4)

    def test_an_aim_moves_the_target_and_the_answer(self):
        kit, on = shipped_kit(), paper("hotpress")
        plain, moved = plan(kit, on, FUR), plan(kit, on, FUR, aims={"general": np.array([10.0, 0, 0])})
        self.assertAlmostEqual(moved.targets["general"][0] - plain.targets["general"][0], 10, places=6)
        self.assertAlmostEqual(moved.targets["gap"][0], plain.targets["gap"][0], places=6)
        self.assertGreater(moved.prediction.band("general").lab[0], plain.prediction.band("general").lab[0] + 5)


class Reach(unittest.TestCase):
    def test_colours_that_pencils_reach_keep_their_strength(self):
        reach = reach_of(shipped_kit(), paper("hotpress"))
        for lab in ((60, 40, 61), (45, 35, 42), (35, 20, -32), (50, 5, 20), (72, 12, 38)):
            target = reach.paper_target(lab)
            self.assertAlmostEqual(float(chroma(target)), float(chroma(lab)), delta=3)
            self.assertAlmostEqual(float(turn(hue_deg(target), hue_deg(lab))), 0, delta=0.5)
            self.assertAlmostEqual(target[0], lab[0], delta=0.5)

    def test_lightness_is_monotonic_and_keeps_its_ends(self):
        reach = reach_of(shipped_kit(), paper("hotpress"))
        values = [reach.compressed(v) for v in np.linspace(0, 100, 201)]
        self.assertTrue((np.diff(values) >= -1e-9).all())
        self.assertAlmostEqual(values[0], reach.darkest_l, places=6)
        self.assertAlmostEqual(values[-1], reach.lightest_l, places=6)
        self.assertEqual(reach.compressed(50.0), 50.0)

    def test_a_dark_strong_colour_rises_rather_than_go_grey(self):
        reach = reach_of(shipped_kit(), paper("hotpress"))
        target = reach.paper_target((20, 16, 24))
        self.assertTrue(20 < target[0] <= 28)
        self.assertGreater(float(chroma(target)), reach.most_chroma(20.0, float(hue_deg((20, 16, 24)))) + 1)


if __name__ == "__main__":
    unittest.main()
