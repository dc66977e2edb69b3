"""Practice behind the desk: sheets of the hand kept, what they change elsewhere and what not, parts on a shelf of their own, the profile as data."""

import datetime
import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np

from hanabira.core.faults import PhotoFault
from hanabira.core.practice.hand import HandResult, sheets, unsteadiness
from hanabira.core.practice.profile import Learner
from hanabira.core.practice.round import play
from hanabira.devices.hand_filled import SimulatedHand, photo_of
from hanabira.devices.simulated_paper import SimulatedSheet
from hanabira.session.parts import areas_for, begin_part, tried
from hanabira.session.practice_profile import as_data, as_json, effects
from hanabira.session.runner import InlineRunner
from hanabira.session.session import Session
from hanabira.studio.records import Area, Commission, LogRow, PhotoCheck, PracticeRound, is_part
from hanabira.studio.store import Store
from tests.demo_studio import demo_copy


class OnTansy(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        store = Store.open(demo_copy(Path(temp.name) / "demo"))
        store.edit([], list(store.all(PracticeRound)))
        self.session = Session(store, InlineRunner())
        self.addCleanup(self.session.shut)
        self.session.open_commission("demo-tansy")
        self.practice = self.session.practising


def chips(sd: float) -> HandResult:
    return HandResult("same-chip", {"chips": 6.0, "sd": sd, "de00": sd}, 0.5, ("Your chips differ.",))


class Hand(OnTansy):
    def test_a_read_sheet_is_kept_with_its_figures_and_a_tried_one_is_not(self):
        take = lambda: photo_of(sheets()["pressure-ladder"], SimulatedHand(), SimulatedSheet(self.session.kit))  # noqa: E731
        seen = []
        self.practice.read_sheet("pressure-ladder", take, lambda r, _f: seen.append(r), keep=False)
        self.assertEqual((len(seen), self.practice.hand_results()), (1, []))
        self.practice.read_sheet("pressure-ladder", take, lambda r, _f: seen.append(r))
        ((_at, kept),) = self.practice.hand_results()
        self.assertEqual(kept.figures.keys(), seen[1].figures.keys())
        self.assertAlmostEqual(kept.figures["pressure 5"], 40, delta=3)
        self.assertEqual(self.practice.answers(), [])

    def test_a_wrong_sheet_is_told_and_nothing_is_kept(self):
        with self.assertRaises(PhotoFault):
            self.practice.read_sheet("lift", lambda: np.full((600, 400, 3), 200, np.uint8), lambda *_a: self.fail("read"))
        self.assertEqual(self.practice.rounds(), ())

    def test_recipes_count_on_the_hand_only_when_the_artist_says_so(self):
        key = next(iter(self.session.recipes))
        before = self.session.kit
        self.practice.keep_hand(chips(6.0))
        self.assertEqual(self.session.kit.unsteady, 1.0, "nothing by itself")
        times = self.practice.unsteady()
        self.assertAlmostEqual(times, unsteadiness(before, self.session.paper, 6.0))
        self.assertGreater(times, 1.3)
        changed = []
        self.session.recipe_changed.connect(changed.append)
        self.practice.count_on_hand(2.0)
        self.assertEqual(self.session.kit.unsteady, 2.0)
        self.assertEqual(self.session.kit.usable.unsteady, 2.0)
        self.assertIn(key, changed)
        self.assertTrue(any("2.0 times as unsteady" in w for w in effects(self.practice)))
        self.practice.count_on_hand(1.0)
        self.assertEqual(effects(self.practice), ())


class Effects(OnTansy):
    def test_only_what_is_certain_is_told_elsewhere(self):
        self.assertEqual(effects(self.practice), ())
        pictures = self.practice.pictures()
        for seed in range(3):
            r = self.practice.begin("value-step", pictures, seed)
            play(r, Learner(1.2, 0.4), 12, seed)
            self.practice.keep(r, seed, 5.0)
        told = effects(self.practice)
        self.assertTrue(any("too light" in w for w in told), told)
        self.practice.keep_hand(
            HandResult("pressure-ladder", {**{f"pressure {k}": v for k, v in enumerate((84, 73, 50, 48, 40), 1)}, "span": 44.0}, 0.4, ("",))
        )
        self.assertTrue(any(w.startswith("Your pressure 3 lies 12 L* too dark") for w in effects(self.practice)))

    def test_the_profile_as_data_holds_what_was_kept(self):
        pictures = self.practice.pictures()
        r = self.practice.begin("value-step", pictures, 4)
        play(r, Learner(0.5, 0.4), 12, 4)
        self.practice.keep(r, 4, 5.0)
        self.practice.keep_hand(chips(2.0))
        data = json.loads(as_json(self.practice))
        self.assertEqual(data, json.loads(json.dumps(as_data(self.practice))))
        self.assertEqual(data["values"]["answers"], 12)
        self.assertEqual(sum(v["answers"] for v in data["by_step"].values()), 12)
        self.assertEqual(data["right"]["value-step"]["of"], 12)
        self.assertEqual(sum(v["answers"] for v in data["by_hue"].values()), 12)
        self.assertTrue(any("times our guess" in w or "as long as we guess" in w for w in data["pace"]), "the demo's log has a pace")
        self.assertEqual(data["hand"][0]["figures"]["sd"], 2.0)

    def test_what_failed_comes_back_the_next_day_and_not_before(self):
        now = datetime.datetime(2026, 11, 20, 9, 0)
        self.practice.now = lambda: now
        r = self.practice.begin("value-step", self.practice.pictures(), 5)
        q = r.ask()
        r.answer(0.0 if float(q.truth) > 20 else 99.0)
        self.practice.keep(r, 5, 1.0)
        self.assertEqual(self.practice.waiting("value-step"), ())
        now += datetime.timedelta(days=1)
        self.assertEqual(self.practice.waiting("value-step"), (q.key,))
        self.assertEqual(self.practice.waiting("which"), ())


class Proposals(OnTansy):
    def test_gaps_that_were_skipped_are_what_is_proposed(self):
        self.practice.keep_hand(chips(1.0))
        rows = [
            LogRow(
                f"r{n}",
                "demo-tansy",
                f"a:{n}",
                "demo-area-8",
                "Cheek",
                "short-fur",
                "gap",
                "237",
                3,
                0.0,
                5.0,
                "2026-11-20T10:00:00",
                "",
                "",
                "skipped",
            )
            for n in range(2)
        ]
        self.session.store.edit(rows)
        proposal = self.practice.proposal()
        self.assertEqual(proposal.drill.id, "gaps-only")
        self.assertIn("2 times", proposal.why)

    def test_a_pause_ends_by_itself_and_can_be_taken_back(self):
        now = datetime.datetime(2026, 11, 20, 9, 0)
        self.practice.now = lambda: now
        self.assertEqual(self.practice.paused(), "")
        self.practice.pause(7)
        self.assertEqual(self.practice.paused(), "2026-11-27")
        now += datetime.timedelta(days=7)
        self.assertEqual(self.practice.paused(), "")
        self.practice.pause(7)
        self.practice.pause(0)
        self.assertEqual(self.practice.paused(), "")


class Parts(OnTansy):
    def test_an_eye_becomes_a_small_sheet_of_its_own_and_the_portrait_stays_as_it_was(self):
        s = self.session
        (eye,) = areas_for(s, "part-eye")
        before = s.store.all(Area, commission_id="demo-tansy"), s.store.get(Commission, "demo-tansy")
        made = begin_part(s, "part-eye", eye)
        self.assertTrue(is_part(made.id))
        self.assertEqual(s.commission.id, made.id)
        self.assertEqual((s.store.all(Area, commission_id="demo-tansy"), s.store.get(Commission, "demo-tansy")), before)
        (own,) = s.areas
        self.assertEqual((own.ring, own.surface_id), (eye.ring, "eye"))
        wide = (max(x for x, _ in own.ring) - min(x for x, _ in own.ring)) * s.mm_per_px
        self.assertTrue(40 <= wide <= 60, wide)
        x, y, w, h = s.photo.crop
        self.assertTrue(all(x <= u <= x + w and y <= v <= y + h for u, v in own.ring))

    def test_it_goes_through_recipe_and_counts_among_no_paid_work(self):
        s = self.session
        (eye,) = areas_for(s, "part-eye")
        s.open_commission("demo-bracken")
        busy = s.planner.planned().busy
        s.open_commission("demo-tansy")
        made = begin_part(s, "part-eye", eye)
        s.want_measures(s.areas[0].id)
        s.solve(s.areas[0].id)
        self.assertGreater(len(s.recipe_layers(s.areas[0].id)), 2)
        s.open_commission("demo-bracken")
        self.assertEqual(s.planner.planned().busy, busy)
        self.assertNotIn(made.name, " ".join(s.planner.others()))

    def test_tries_are_counted_with_how_near_they_came(self):
        s = self.session
        (eye,) = areas_for(s, "part-eye")
        first = begin_part(s, "part-eye", eye)
        told = json.dumps({"areas": [{"near_de00": 4.0}, {"near_de00": 6.0}, {"near_de00": None}]})
        s.store.edit([PhotoCheck("shot-x", first.id, "2026-11-20T10:00:00", told, (), "", 0)])
        s.open_commission("demo-tansy")
        begin_part(s, "part-eye", eye)
        self.assertEqual([t.near for t in tried(s, "part-eye")], [5.0, None])
        self.assertEqual([t.commission.name for t in tried(s, "part-eye")], ["Eye, 1", "Eye, 2"])
        self.assertEqual(tried(s, "part-nose"), ())


class Weeks(unittest.TestCase):
    def test_the_demo_has_three_weeks_of_practice_that_say_something(self):
        with tempfile.TemporaryDirectory() as folder:
            session = Session(Store.open(demo_copy(Path(folder) / "demo")), InlineRunner())
            rounds = session.practising.rounds()
            days = [datetime.date.fromisoformat(q.at[:10]) for q in rounds]
            self.assertGreaterEqual(len(rounds), 12)
            self.assertTrue(14 <= (max(days) - min(days)).days <= 21)
            self.assertTrue(session.practising.profile().whole.claimed)
            self.assertEqual({r.drill for _at, r in session.practising.hand_results()}, {"pressure-ladder", "flicks"})
            self.assertTrue(effects(session.practising))
            session.shut()


class UnsteadyKit(unittest.TestCase):
    def test_a_shakier_hand_scatters_a_stack_farther_and_the_usual_one_as_before(self):
        from hanabira.core.optics.batch import under_hands
        from hanabira.core.optics.stack import bare
        from tests.portrait import KIT, PAPER

        pencils, pressures = np.array([[3, 5]]), np.array([[3, 3]])
        spread = lambda kit: float(under_hands(PAPER, bare(PAPER), kit, pencils, pressures)[0, :, 0].std())  # noqa: E731
        self.assertGreater(spread(replace(KIT, unsteady=2.0)), 1.5 * spread(KIT))
        self.assertLess(spread(replace(KIT, unsteady=0.5)), 0.7 * spread(KIT))
        self.assertEqual(KIT.subset([p.code for p in KIT][:4]).unsteady, 1.0)


if __name__ == "__main__":
    unittest.main()
