"""The order of work, hours and days: must-rules over random commissions, drags, simulated artists, drying, the night's rest."""

import datetime
import random
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.faults import Fault
from hanabira.core.schedule.order import LAST, Preferences, order, rules_of
from hanabira.core.schedule.sessions import DRYING_MIN, Days, lay_out, middle
from hanabira.core.schedule.work import BAND_SHARE, DARKS, LIGHTS, AreaWork, LayerWork, Pace, area_minutes, evidence, layer_minutes, learned

SURFACES = (
    "short-fur",
    "long-fur",
    "eye",
    "nose",
    "ear-inside",
    "mouth",
    "whisker",
    "background",
    "mane-and-tail",
    "tongue",
    "contour-feathers",
)
ROLES = ("ground", "undertone", "general", "general", "deepen", "gap", "gap", "highlight")
MONDAY = datetime.date(2026, 3, 2)


def commission(seed: int, n: int = 9, deep: int = 7) -> list[AreaWork]:
    """A random portrait: areas with symmetric neighbours, layers of usual roles, some indented, some with solvent."""
    r = random.Random(seed)
    areas, near = [], {i: set() for i in range(n)}
    for i in range(n):
        for j in r.sample(range(n), min(2, n)):
            if i != j:
                near[i].add(j)
                near[j].add(i)
    for i in range(n):
        layers = [
            LayerWork(
                ROLES[min(k * len(ROLES) // deep, 7)], str(r.randint(1, 9)), "", r.randint(1, 5), 1, r.choice(("flick", "side", "circle")), r.uniform(2, 12),
                r.choice(tuple(BAND_SHARE)), r.uniform(0.4, 1.5),
            )
            for k in range(deep)
        ]  # fmt: skip
        if r.random() < 0.3:
            layers.insert(0, LayerWork("indent", "", "indent"))
        if r.random() < 0.3:
            layers.insert(3, LayerWork("blend", "", "solvent"))
        place = (r.uniform(0, 300), r.uniform(0, 400))
        areas.append(
            AreaWork(
                f"a{i}",
                i + 1,
                f"Area {i + 1}",
                r.choice(SURFACES),
                r.uniform(200, 4000),
                place,
                tuple(f"a{j}" for j in sorted(near[i])),
                r.randint(1, 5),
                tuple(layers),
                r.uniform(5, 95),
            )
        )
    return areas


class Order(unittest.TestCase):
    @given(st.integers(0, 100_000), st.sampled_from(["right", "left"]), st.sampled_from(["by-stage", "one-area", "roam", "background-first"]))
    @settings(max_examples=60)
    def test_every_rule_holds_and_nothing_is_lost(self, seed, hand, sequence):
        areas = commission(seed)
        found = order(areas, Preferences(hand, sequence))
        at = {s.key: i for i, s in enumerate(found.steps)}
        self.assertEqual(len(at), sum(len(a.layers) for a in areas) + 1)
        for r in rules_of(areas):
            self.assertLess(at[r.before], at[r.after], r)
        self.assertEqual(found.steps[-1].key, LAST)
        self.assertEqual([s.key for s in order(list(areas), Preferences(hand, sequence)).steps], [s.key for s in found.steps])
        self.assertTrue(all(found.reasons[s.key].endswith(".") for s in found.steps))

    def test_the_rules_say_what_artists_say(self):
        fur = (LayerWork("ground", "1"), LayerWork("general", "2"), LayerWork("gap", "3"), LayerWork("highlight", "4"))
        nose = AreaWork("n", 1, "Nose", "nose", 400, (100, 200), ("f",), 3, (LayerWork("ground", "5"), LayerWork("gap", "6")))
        side = AreaWork("f", 2, "Bridge", "short-fur", 4000, (100, 150), ("n", "e", "d"), 3, fur)
        left = AreaWork("e", 3, "Left eye", "eye", 200, (70, 120), ("f",), 3, (LayerWork("general", "7"), LayerWork("gap", "8")))
        right = AreaWork("d", 4, "Right eye", "eye", 200, (130, 120), ("f",), 3, (LayerWork("general", "7"), LayerWork("gap", "8")))
        whisker = AreaWork("w", 5, "Pad", "whisker", 900, (100, 230), (), 3, (LayerWork("general", "2"), LayerWork("highlight", "9")))
        found = order([nose, side, left, right, whisker])
        at = {s.key: i for i, s in enumerate(found.steps)}
        self.assertLess(at["f:2"], at["n:1"])  # the fur's darks before the nose is judged
        self.assertLess(at["f:1"], at["e:1"])  # a dark beside it before the rim is finished
        self.assertTrue(all(at[k] < at["w:1"] for k in ("f:2", "n:1", "e:1")))  # whiskers last
        eyes = [s.area.id for s in found.steps if s.area is not None and s.area.surface_id == "eye"]
        self.assertEqual(found.steps[0].area.id, "e")
        self.assertEqual(abs(at["e:0"] - at["d:0"]), 1, eyes)

    def test_lights_are_blended_before_the_darks_beside_them(self):
        layers = (LayerWork("general", "1"), LayerWork("blend", "", "stump"), LayerWork("gap", "2"))
        dark = AreaWork("a", 1, "Saddle", "short-fur", 900, (20.0, 20.0), ("b",), 3, layers, 25.0)
        light = AreaWork("b", 2, "Bib", "short-fur", 900, (200.0, 300.0), ("a",), 3, layers, 80.0)
        found = order([dark, light])
        at = {s.key: i for i, s in enumerate(found.steps)}
        self.assertLess(at["b:1"], at["a:1"])
        apart = order([replace(dark, neighbours=()), replace(light, neighbours=())])
        at = {s.key: i for i, s in enumerate(apart.steps)}
        self.assertLess(at["a:1"], at["b:1"])  # by the hand, when they do not touch

    def test_one_slip_of_the_clock_does_not_spoil_the_pace(self):
        honest = [("short-fur", 30.0, 36.0)] * 5
        self.assertAlmostEqual(learned(honest).factor("short-fur"), 1.2, delta=0.06)
        self.assertGreater(learned([*honest, ("short-fur", 30.0, 0.02)]).factor("short-fur"), 0.75)

    def test_the_hand_decides_the_side_and_roaming_goes_layer_by_layer(self):
        layers = (LayerWork("general", "1"), LayerWork("gap", "2"))
        areas = [AreaWork(f"a{i}", i + 1, f"A{i}", "short-fur", 900, (x, 50.0), (), 3, layers) for i, x in enumerate((20.0, 120.0, 220.0))]
        first = lambda prefer: [s.area.id for s in order(areas, prefer).steps if s.area][0]  # noqa: E731
        self.assertEqual((first(Preferences("right")), first(Preferences("left"))), ("a0", "a2"))
        roam = [s.at for s in order(areas, Preferences("right", "roam")).steps if s.area]
        self.assertEqual(roam, [0, 0, 0, 1, 1, 1])

    def test_stages_run_across_areas_with_the_pencil_in_the_hand(self):
        def area(n: int, x: float, wash: str) -> AreaWork:
            layers = (
                LayerWork("ground", wash, stage=0, title="Wash"), LayerWork("deepen", "20", stage=1, title="Shadow shapes"),
                LayerWork("general", "30", stage=2, title="Build"),
            )  # fmt: skip
            return AreaWork(f"a{n}", n, f"A{n}", "short-fur", 900, (x, 50.0), (), 3, layers)

        areas = [area(1, 20.0, "10"), area(2, 120.0, "11"), area(3, 220.0, "10")]
        found = order(areas, Preferences("right", "by-stage"))
        told = [(s.area.id, s.at) for s in found.steps if s.area]
        self.assertEqual([at for _a, at in told], [0, 0, 0, 1, 1, 1, 2, 2, 2])
        self.assertEqual([a for a, _at in told[:3]], ["a1", "a3", "a2"], "the same pencil first")
        self.assertEqual(found.steps[0].name, "A1, wash")
        self.assertIn("Every part comes this far", found.reasons["a2:0"])
        # a layer that names no stage stands with the one before it
        later = replace(areas[0], layers=(areas[0].layers[0], LayerWork("blend", "", "stump"), *areas[0].layers[1:]))
        told = [(s.area.id, s.at) for s in order([later, *areas[1:]], Preferences("right", "by-stage")).steps if s.area]
        self.assertLess(told.index(("a1", 1)), told.index(("a1", 2)))
        self.assertLess(told.index(("a1", 1)), told.index(("a2", 1)))

    @given(st.integers(0, 100_000), st.randoms(use_true_random=False))
    @settings(max_examples=30)
    def test_a_dragged_step_stays_where_it_was_put_and_says_what_it_breaks(self, seed, r):
        areas = commission(seed, 6, 5)
        plain = order(areas).steps
        key, behind = r.sample([s.key for s in plain[:-1]], 2)
        found = order(areas, moved=[(key, behind)])
        at = {s.key: i for i, s in enumerate(found.steps)}
        self.assertEqual(at[key], at[behind] + 1)
        self.assertEqual(sorted(at), sorted(s.key for s in plain))
        for r_ in rules_of(areas):
            if r_ not in found.broken:
                self.assertLess(at[r_.before], at[r_.after])
        self.assertTrue(all(r_.cost for r_ in found.broken))


class Hours(unittest.TestCase):
    def test_more_area_passes_and_finish_take_longer(self):
        layer = LayerWork("general", "1", "", 3, 1, "flick", 6.0, "everywhere", 0.6)
        area = AreaWork("a", 1, "A", "short-fur", 1000, (0, 0), (), 3, (layer,))
        base = layer_minutes(area, layer)
        self.assertGreater(layer_minutes(replace(area, mm2=2000), layer), 1.5 * base)
        self.assertGreater(layer_minutes(area, replace(layer, passes=2)), 1.5 * base)
        self.assertGreater(layer_minutes(replace(area, finish=5), layer), base)
        self.assertLess(layer_minutes(area, replace(layer, where="gaps")), base)
        # by places: what is covered counts, whatever it is called
        full, tenth = (layer_minutes(area, replace(layer, where="the pupil", share=v)) for v in (1.0, 0.1))
        self.assertAlmostEqual(tenth - 1.5, 0.1 * (full - 1.5), places=6)
        # counted by hand: 1000 mm² over 0.6 × 6 × 0.75 mm a stroke, half a second each with its length, and 1.5 min to start
        self.assertAlmostEqual(base, 1000 / (0.6 * 6 * 0.75) * 0.5 * 1.18 / 60 + 1.5, places=6)

    def test_a_surface_goes_as_much_slower_as_was_agreed(self):
        layer = LayerWork("general", "1", "", 3, 1, "flick", 6.0, "everywhere", 0.6)
        area = AreaWork("a", 1, "A", "short-fur", 1000, (0, 0), (), 3, (layer,))
        strokes = layer_minutes(area, layer) - 1.5
        agreed = {
            "short-fur": 1.0, "long-fur": 1.0, "eye": 2.6, "nose": 1.6, "mouth": 1.4, "tongue": 1.2, "curly-or-wavy": 1.4, "mane-and-tail": 1.15, "wet": 1.4,
            "background": 0.5, "fluffy-down": 0.8, "down": 0.8, "collar-and-tag": 1.8, "barred-feathers": 1.3, "iridescent-feathers": 1.4, "scaled-leg": 1.4,
            "lash": 2.0, "whisker": 1.2,
        }  # fmt: skip
        for surface, factor in agreed.items():
            self.assertAlmostEqual((layer_minutes(replace(area, surface_id=surface), layer) - 1.5) / strokes, factor, places=6, msg=surface)

    def test_what_was_not_timed_or_not_guessed_teaches_nothing(self):
        good = [("nose", 10.0, 14.0)] * 3
        self.assertEqual(learned([*good, ("nose", 0.0, 9.0), ("nose", 9.0, 0.0)]), learned(good))
        self.assertEqual(learned([("nose", 0.0, 9.0)]), Pace())

    def test_one_area_and_many_are_told_apart(self):
        self.assertEqual(evidence(Pace(1.4, {}, 1), "nose", "nose"), evidence(Pace(1.4, {}, 6), "nose", "nose").replace("6 logged areas", "1 logged area"))

    def test_five_logged_areas_halve_the_error(self):
        """Forty simulated artists with hidden speeds, overall and by surface, whose days scatter."""
        rng = np.random.default_rng(7)
        before, after = [], []
        for _ in range(40):
            overall = float(np.exp(rng.normal(0, 0.45)))
            own = {s: float(np.exp(rng.normal(0, 0.12))) for s in SURFACES}
            areas = commission(int(rng.integers(1 << 20)), 12, 6)
            true = {a.id: area_minutes(a) * overall * own[a.surface_id] * float(np.exp(rng.normal(0, 0.12))) for a in areas}
            pace = learned([(a.surface_id, area_minutes(a), true[a.id]) for a in areas[:5]])
            for a in areas[5:]:
                before.append(abs(np.log(area_minutes(a) / true[a.id])))
                after.append(abs(np.log(area_minutes(a, pace) / true[a.id])))
        self.assertLess(np.mean(after), 0.5 * np.mean(before))

    def test_the_estimate_starts_from_ours(self):
        self.assertEqual(learned([]), Pace())
        one = learned([("short-fur", 100.0, 200.0)])
        self.assertTrue(1.2 < one.factor("short-fur") < 2.0)
        many = learned([("short-fur", 100.0, 200.0)] * 40)
        self.assertAlmostEqual(many.factor("short-fur"), 2.0, delta=0.08)
        self.assertIn("times our guess", evidence(many, "short-fur", "short fur"))


class OnDays(unittest.TestCase):
    @given(st.integers(0, 100_000), st.floats(1, 8), st.sets(st.integers(0, 6), min_size=1))
    @settings(max_examples=40)
    def test_sessions_keep_hours_order_and_drying(self, seed, hours, weekdays):
        found = order(commission(seed, 6, 5))
        days = Days(MONDAY, hours, tuple(sorted(weekdays)))
        calendar = lay_out(found, days)
        spent: dict = {}
        for q in calendar.placed:
            minutes = (q.end - q.start).total_seconds() / 60
            spent[q.start.date()] = spent.get(q.start.date(), 0) + minutes
            self.assertIn(q.start.weekday(), weekdays)
            self.assertLessEqual(minutes, 50 + 1e-6)
        self.assertTrue(all(v <= hours * 60 + 1e-6 for v in spent.values()))
        self.assertTrue(
            all(a.end <= b.start + datetime.timedelta(seconds=1) for a, b in zip(calendar.placed, calendar.placed[1:], strict=False))
        )
        self.assertAlmostEqual(sum(spent.values()), sum(middle(s) for s in found.steps), delta=0.01)
        begun, ended = {}, {}
        for q in calendar.placed:
            begun.setdefault(q.step.key, q.start)
            ended[q.step.key] = q.end
        for key, waits in found.after.items():
            for w in waits:
                self.assertGreaterEqual(begun[key] + datetime.timedelta(seconds=1), ended[w])
        for s in found.steps:
            if s.layer.tool == "solvent":
                later = [t for t in found.steps if t.area is s.area and t.at == s.at + 1]
                for t in later:
                    self.assertGreaterEqual((begun[t.key] - ended[s.key]).total_seconds() / 60, DRYING_MIN - 0.1)
        self.assertGreaterEqual((begun[LAST] - max(v for k, v in ended.items() if k != LAST)).total_seconds() / 3600, 12 - 1e-6)

    def test_every_wait_is_told_with_its_length_and_its_area(self):
        waits = 0
        for seed in range(12):
            found = order(commission(seed, 6, 5))
            told = lay_out(found, Days(MONDAY, 4, (0, 1, 2, 3, 4))).waiting
            wet = [s for s in found.steps if s.layer.tool == "solvent" and s.area is not None]
            dries = [w for w in told if w.after in {s.key for s in wet}]
            self.assertEqual(sorted(w.after for w in dries), sorted(s.key for s in wet))
            for w in dries:
                area = next(s.area.name for s in wet if s.key == w.after)
                self.assertEqual(w.minutes, DRYING_MIN)
                self.assertIn(area, w.why)
            self.assertEqual(len(told) - len(dries), 1, "and the rest before the last look")
            waits += len(dries)
        self.assertGreater(waits, 3)

    def test_a_lost_day_moves_the_end_and_the_due_date_tells_the_slack(self):
        found = order(commission(3, 5, 5))
        free = lay_out(found, Days(MONDAY, 2.0))
        lost = lay_out(found, replace(Days(MONDAY, 2.0), off=(MONDAY,)))
        self.assertGreater(lost.finish, free.finish)
        self.assertEqual(free.slack_days(free.finish + datetime.timedelta(days=4)), 4)
        shared = lay_out(found, Days(MONDAY, 2.0), [(MONDAY + datetime.timedelta(days=k), 120.0) for k in range(3)])
        self.assertGreaterEqual(shared.placed[0].start.date(), MONDAY + datetime.timedelta(days=3))
        with self.assertRaises(Fault):
            lay_out(found, Days(MONDAY, 0.0))

    def test_roles_are_sorted(self):
        self.assertFalse(set(DARKS) & set(LIGHTS))
