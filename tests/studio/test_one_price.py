"""A commission has one price, whoever asks: window, terminal, shelf, quote, card of a bundle, and the days that it takes from its neighbours."""

import datetime
import shutil
import unittest
from dataclasses import replace
from pathlib import Path

from hanabira.core.schedule.work import Pace, hours_range
from hanabira.session.from_bundle import session_of
from hanabira.session.price import price_words
from hanabira.session.quote_sheet import quote_of
from hanabira.session.runner import InlineRunner
from hanabira.session.session import Session
from hanabira.studio import planning
from hanabira.studio.bundle import read_bundle, write_bundle
from hanabira.studio.overview import overviews
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe
from hanabira.studio.store import Store
from tests.demo_studio import OnDemo
from tests.terminal.test_cli import ask

ORDERS = ("demo-tansy", "demo-bracken", "demo-vesper")


class Doors(OnDemo):
    """Each variation is made in a studio of its own, and all doors are asked."""

    def studio(self, key: str, change=None) -> Path:
        folder = self.root / f"{self.id().rpartition('.')[2]} {key}"
        shutil.copytree(self.root / "demo", folder)
        with Store.open(folder) as store:
            c = store.get(Commission, key)
            store.edit([replace(c, delivered="", due=(datetime.date(2026, 9, 15) + datetime.timedelta(days=20)).isoformat())])
            if change is not None:
                change(store, key)
        return folder

    def agree(self, key: str, change=None) -> dict:
        """What every door says of a commission; they are held against one another here."""
        folder = self.studio(key, change)
        with Store.open(folder) as store:
            session = Session(store, InlineRunner())
            session.open_commission(key)
            plan = session.planner.planned()
            told = plan.whole.quote()
            bundle = write_bundle(store, key, folder / "b.zip").path
            # the words of the window, and the client's page
            price = price_words(session, plan)[0].replace("\u2009", "").rstrip("€").split("–")
            self.assertEqual([round(float(q)) for q in price], [round(q) for q in told["price"]])
            page = quote_of(session, plan)
            self.assertEqual(page.hours, f"{told['hours'][0]:.1f}–{told['hours'][1]:.1f} h")
            self.assertAlmostEqual(hours_range(*(60 * sum(getattr(p, k) for p in page.parts) for k in ("low", "high")))[1], told["hours"][1], delta=0.06)
            # the terminal, from a bundle alone
            quote = ask("quote", str(bundle))
            self.assertEqual([quote[k] for k in ("price", "hours", "areas")], [told[k] for k in ("price", "hours", "areas")])
            by_terminal = ask("plan", str(bundle))
            left = [s for s in plan.ordered.steps if s.key not in session.planner.done_keys()]
            begins = [q.start.date() for q in plan.calendar.placed if q.step.key not in session.planner.done_keys()]
            self.assertGreaterEqual(min(begins, default=session.clock.today()), session.clock.today(), "what is left is not planned into the past")
            self.assertAlmostEqual(sum(s["minutes"][1] for s in by_terminal["steps"]), sum(s.high for s in left), delta=0.06 * len(left) + 0.1)
            self.assertEqual([s["area"] for s in by_terminal["steps"]], [s.area.name if s.area else "" for s in left])
            # whoever opens the bundle as a whole
            with session_of(bundle) as other:
                self.assertEqual(other.planner.planned().whole.quote()["price"], told["price"])
            # the shelf
            (board,) = [o for o in overviews(store, planning.pace_of(store.all(LogRow))) if o.commission.id == key]
            counted = plan.left(session.planner.done_keys())
            self.assertAlmostEqual(board.high_min, sum(s.high for s in counted), delta=0.01)
            self.assertAlmostEqual(board.low_min, sum(s.low for s in counted), delta=0.01)
            self.assertEqual(board.steps, len(plan.ordered.steps))
            # a neighbour that is due later
            neighbour = next(c.id for c in store.all(Commission) if c.id != key)
            store.edit([replace(store.get(Commission, neighbour), delivered="", due="2027-08-01")])
            mine = [q for q in (*plan.calendar.placed, *plan.calendar.estimated) if q.step.key not in session.planner.done_keys()]
            session.open_commission(neighbour)
            name = store.get(Commission, key).name
            taken = sum(m for _d, m, whose in session.planner.planned().busy if whose == name)
            if not any(whose != name for _d, _m, whose in session.planner.planned().busy):
                self.assertAlmostEqual(taken, sum((q.end - q.start).total_seconds() / 60 for q in mine), delta=1.0)
        return told

    def test_as_they_are(self):
        for key in ORDERS:
            self.assertGreater(self.agree(key)["hours"][1], 3, key)

    def test_with_a_focal_point(self):
        def focus(store: Store, key: str) -> None:
            photo = store.all(Photo, commission_id=key)[0]
            eye = next(a for a in store.all(Area, commission_id=key) if a.surface_id == "eye")
            store.edit([replace(photo, prep=replace(photo.prep, focal=eye.ring[0] if len(eye.ring) > 2 else (500.0, 500.0)))])

        for key in ORDERS:
            plain = self.agree(key)
            shutil.rmtree(self.root / f"{self.id().rpartition('.')[2]} {key}")
            self.assertNotEqual(self.agree(key, focus)["hours"], plain["hours"], "what lies far from it is worked more loosely")

    def test_with_a_finish_of_one_area(self):
        def fine(store: Store, key: str) -> None:
            solved = next(a for a in store.all(Area, commission_id=key))
            store.edit([replace(solved, finish=5)])

        self.agree("demo-tansy", fine)

    def test_with_areas_that_have_no_recipe_yet(self):
        def unsolved(store: Store, key: str) -> None:
            coats = [a for a in store.all(Area, commission_id=key) if a.surface_id in ("short-fur", "contour-feathers")]
            recipes = {r.area_id: r for r in store.all(Recipe)}
            store.edit([], [recipes[a.id] for a in coats[:2]])

        for key in ORDERS:
            whole = self.agree(key)
            shutil.rmtree(self.root / f"{self.id().rpartition('.')[2]} {key}")
            told = self.agree(key, unsolved)
            self.assertIsNone(whole["first_plan"])
            self.assertEqual(told["first_plan"]["areas"], len(whole["areas"]))
            self.assertEqual(told["first_plan"]["areas"] - told["first_plan"]["solved"], sum(a["estimated"] for a in told["areas"]))
            self.assertIn("estimated", told["first_plan"]["words"])
            self.assertEqual(sorted(a["name"] for a in told["areas"]), sorted(a["name"] for a in whole["areas"]), "nothing that is drawn is left out")
            width = [q["hours"][1] / q["hours"][0] for q in (told, whole)]
            self.assertGreater(width[0], width[1], "what is estimated is less certain")

    def test_without_any_recipe(self):
        folder = self.studio("demo-bracken", lambda store, key: store.edit([], list(store.all(Recipe, commission_id=key))))
        with Store.open(folder) as store:
            session = Session(store, InlineRunner())
            session.open_commission("demo-bracken")
            self.assertIsNone(session.planner.planned(), "there are no steps")
            first = session.planner.first_plan()
            told = ask("quote", str(write_bundle(store, "demo-bracken", folder / "b.zip").path))
            self.assertEqual(told["hours"], first.whole.quote()["hours"])
            self.assertEqual(told["price"], first.whole.quote()["price"])
            self.assertEqual(told["hours"], told["estimated_hours"])
            (board,) = [o for o in overviews(store, planning.pace_of(store.all(LogRow))) if o.commission.id == "demo-bracken"]
            self.assertAlmostEqual(board.high_min, first.whole.minutes()[1], delta=0.01)
            self.assertIn("about", board.hours_left)

    def test_with_another_kit_and_with_work_that_was_logged(self):
        def other(store: Store, key: str) -> None:
            store.edit([replace(store.get(Commission, key), kit_id="pastels")])

        def worked(store: Store, key: str) -> None:
            area = next(a for a in store.all(Area, commission_id=key) if a.surface_id == "short-fur")
            rows = [LogRow(f"r{n}", key, f"gone:{n}", area.id, area.name, "short-fur", "general", "203", 2, 30.0, 10.0, f"2026-09-1{n}T10:00:00") for n in range(3)]
            store.edit(rows)

        self.agree("demo-tansy", other)
        slow = self.agree("demo-bracken", worked)
        shutil.rmtree(self.root / f"{self.id().rpartition('.')[2]} demo-bracken")
        self.assertGreater(slow["hours"][1], self.agree("demo-bracken")["hours"][1], "three times as slow on fur")

    def test_the_pace_travels_and_nonsense_is_refused(self):
        folder = self.studio("demo-tansy")
        with Store.open(folder) as store:
            bundle = write_bundle(store, "demo-tansy", folder / "b.zip").path
            pace = planning.pace_of(store.all(LogRow))
        self.assertGreater(pace.logged, 3)
        self.assertEqual(read_bundle(bundle).pace, pace)
        self.assertNotEqual(read_bundle(bundle).pace, Pace())


if __name__ == "__main__":
    unittest.main()
