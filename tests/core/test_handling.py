"""Steps between the layers: graphite, seams, the second look; and the reminders of a guard sheet and a turned sheet."""

import unittest
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.schedule.handling import GRAPHITE, LOOK, SEAM, Handling, SeamWork, handling_steps, is_handling, turn_deg, with_handling
from hanabira.core.schedule.order import LAST, Preferences, order, steps_of
from hanabira.core.schedule.sessions import Days, lay_out
from hanabira.core.schedule.work import DARKS, AreaWork, LayerWork, Pace
from tests.core.test_schedule import MONDAY, commission

SIDE = (LayerWork("general", "1"), LayerWork("deepen", "2"), LayerWork("highlight", "3"))


def area(
    key: str, at: tuple[float, float], value: float | None = 40.0, hair: float | None = None, layers: tuple[LayerWork, ...] = SIDE
) -> AreaWork:
    return AreaWork(key, int(key[1:]), f"Area {key[1:]}", "short-fur", 900.0, at, (), 3, layers, value, hair)


def completed(areas: list[AreaWork], handling: Handling = Handling(), pace: Pace | None = None):  # noqa: B008
    return with_handling(order(areas, Preferences(handling.hand), (), pace), areas, handling, pace)


class BetweenTheLayers(unittest.TestCase):
    @given(st.integers(0, 100_000), st.sampled_from(["right", "left"]), st.booleans())
    @settings(max_examples=60)
    def test_layers_keep_their_order_and_each_extra_stands_where_it_waits_for_nothing(self, seed, hand, graphite):
        areas = commission(seed, 6, 5)
        plain = order(areas, Preferences(hand))
        seams = (SeamWork("a0", "a1", "soft", "a1", 30.0),)
        found = with_handling(plain, areas, Handling(hand, graphite, seams))
        self.assertEqual([s.key for s in found.steps if not is_handling(s.key)], [s.key for s in plain.steps])
        place = {s.key: k for k, s in enumerate(found.steps)}
        self.assertEqual(len(place), len(found.steps))
        for key, waits in found.after.items():
            self.assertTrue(all(place[w] < place[key] for w in waits), key)
        self.assertEqual(found.steps[-1].key, LAST)
        self.assertTrue(all(found.reasons[s.key] for s in found.steps))
        calendar = lay_out(found, Days(MONDAY))
        self.assertEqual({q.step.key for q in calendar.placed}, set(place))

    @given(st.integers(0, 100_000))
    @settings(max_examples=40)
    def test_graphite_is_lifted_before_the_first_colour_of_pale_areas_alone(self, seed):
        areas = commission(seed, 6, 5)
        found = completed(areas)
        lifted = {s.area.id for s in found.steps if s.layer.role == GRAPHITE}
        self.assertEqual(lifted, {a.id for a in areas if a.value_l >= 70})
        keys = [s.key for s in found.steps]
        for a in areas:
            if a.id in lifted:
                first = min(keys.index(a.key(k)) for k, q in enumerate(a.layers) if q.pencil)
                self.assertLess(keys.index(f"{a.id}:{GRAPHITE}"), first)
        self.assertFalse([s for s in completed(areas, Handling(graphite=False)).steps if s.layer.role == GRAPHITE])

    def test_a_seam_is_worked_after_the_darks_of_both_areas_and_says_whose_hairs_go_over(self):
        areas = [area("a1", (10, 10)), area("a2", (40, 12))]
        found = completed(areas, Handling(seams=(SeamWork("a1", "a2", "lost", "a2", 24.0),)))
        keys = [s.key for s in found.steps]
        at = keys.index("a1:seam:a2")
        for a in areas:
            darks = [a.key(k) for k, q in enumerate(a.layers) if q.role in DARKS]
            self.assertLess(max(keys.index(k) for k in darks), at)
        s = found.steps[at]
        self.assertEqual((s.area.id, s.layer.role), ("a2", SEAM))
        self.assertAlmostEqual(s.guess, 2 + 24 / 12)
        self.assertIn("no line", found.reasons[s.key])
        self.assertIn("single hairs of Area 2 over Area 1", found.reasons[s.key])

    def test_a_seam_of_an_area_without_layers_is_no_step(self):
        areas = [area("a1", (10, 10)), replace(area("a2", (40, 12)), layers=())]
        found = completed(areas, Handling(seams=(SeamWork("a1", "a3", "soft"), SeamWork("a4", "a5", "soft"))))
        self.assertFalse([s for s in found.steps if s.layer.role == SEAM])

    def test_anchors_are_looked_at_half_way_through_the_middles_and_when_they_stand(self):
        areas = [area(f"a{k}", (30.0 * k, 10), value=10.0 + 15 * k) for k in range(1, 6)]
        found = completed(areas)
        keys = [s.key for s in found.steps]
        half, every = keys.index(f"{LOOK}:half"), keys.index(f"{LOOK}:all")
        middles = [k for k, s in enumerate(found.steps) if s.layer.role in ("general", "deepen")]
        before = sum(found.steps[k].low for k in middles if k < half)
        share = before / sum(found.steps[k].low for k in middles)
        self.assertTrue(0.5 <= share < 0.7, share)
        self.assertEqual(every, max(middles) + 1)
        self.assertEqual(found.steps[half].layer.where, "Area 1 against Area 5")
        one = completed([area("a1", (0, 0), layers=SIDE[:2])])
        self.assertFalse([s for s in one.steps if s.layer.role == LOOK], "two middles have no half")

    def test_their_minutes_are_in_the_hours_and_follow_the_pace(self):
        areas = [area("a1", (0, 0), value=90.0)]
        mine = handling_steps(areas, Handling(), None, steps_of(areas))
        self.assertEqual([s.layer.role for s in mine], [GRAPHITE])
        self.assertAlmostEqual(mine[0].guess, 1.5 + 900 / 900)
        slow = handling_steps(areas, Handling(), Pace(2.0, {}, 3), steps_of(areas))[0]
        self.assertAlmostEqual(slow.low, 2 * mine[0].low)
        self.assertAlmostEqual(slow.guess, mine[0].guess)


class Reminders(unittest.TestCase):
    def told(self, areas: list[AreaWork], hand: str) -> dict[str, tuple[str, ...]]:
        return dict(completed(areas, Handling(hand)).reminders)

    def test_a_guard_sheet_lies_where_the_hand_rests(self):
        # the upper left area is worked after the one to its lower right, on which a right hand would rest
        upper, lower = area("a1", (20, 20)), area("a2", (90, 90))
        moved = with_handling(
            order([upper, lower], Preferences("right"), [(lower.key(0), ""), (lower.key(1), lower.key(0)), (lower.key(2), lower.key(1))]),
            [upper, lower], Handling("right"),
        )  # fmt: skip
        told = [words for s in moved.steps for words in moved.reminders.get(s.key, ()) if s.area is upper]
        self.assertEqual(told, ["A guard sheet over Area 2: the hand rests there."])
        left = with_handling(order([upper, lower], Preferences("left"), [(lower.key(0), "")]), [upper, lower], Handling("left"))
        self.assertFalse([w for s in left.steps if s.area is upper for w in left.reminders.get(s.key, ())])

    def test_nothing_begun_needs_no_guard(self):
        self.assertEqual(self.told([area("a1", (20, 20))], "right"), {})

    def test_hairs_against_the_wrist_turn_the_sheet(self):
        for hand, hair, words in (
            ("right", 135.0, "90° to the left"),
            ("right", 115.0, "75° to the right"),
            ("left", 45.0, "90°"),
            ("right", 50.0, ""),
        ):
            with self.subTest(hand=hand, hair=hair):
                told = " ".join(w for q in self.told([area("a1", (0, 0), hair=hair)], hand).values() for w in q)
                self.assertTrue(words in told if words else not told, told)

    @given(st.floats(-720, 720), st.sampled_from(["right", "left"]))
    def test_a_turned_sheet_brings_the_hairs_to_the_wrists_way(self, hair, hand):
        easy = {"right": 45.0, "left": 135.0}[hand]
        off = lambda deg: abs((deg - easy + 90) % 180 - 90)  # noqa: E731
        turn = turn_deg(hair, hand)
        self.assertLessEqual(off(hair + turn), 55.0 + 1e-6)
        self.assertEqual(turn % 15, 0)
        if turn:
            self.assertLessEqual(off(hair + turn), 7.5 + 1e-6)


if __name__ == "__main__":
    unittest.main()
