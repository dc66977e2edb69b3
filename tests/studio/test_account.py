"""What the log adds up to, what a pencil loses, the portrait after some layers, and the simulated camera with the watched folder."""

import datetime
import json
import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.forecast.portrait import LaidArea, PhotoLab, lay_bands, portrait
from hanabira.core.optics.kit import Kit, Pencil
from hanabira.core.schedule.order import Preferences, order
from hanabira.core.schedule.sessions import Days, lay_out
from hanabira.core.schedule.wear import worn_mm
from hanabira.core.schedule.work import AreaWork, LayerWork
from hanabira.devices.easel_camera import WatchedFolder
from hanabira.studio import account
from hanabira.studio.records import LogRow

KIT = Kit("two", (Pencil("1", "Ochre", "#b98a3c", extra=(("price", "2.50"), ("left", "0.5"))), Pencil("2", "Soot", "#222222")))
WORK = (
    AreaWork("a", 1, "Cheek", "short-fur", 10_000.0, (50.0, 50.0), (), 3, (LayerWork("general", "1", pressure=3), LayerWork("gap", "2", pressure=5, where="gaps"))),
    AreaWork("b", 2, "Ear", "ear-inside", 2_000.0, (20.0, 10.0), (), 3, (LayerWork("general", "1", pressure=1),)),
)  # fmt: skip


def row(step: str, minutes: float, at: str, state: str = "done") -> LogRow:
    area = step.partition(":")[0]
    return LogRow(f"r{step}", "c", step, area, area, "short-fur", "general", "1", 3, minutes, 5.0, at, state=state)


class Accounts(unittest.TestCase):
    log = (
        row("a:0", 30.0, "2026-03-02T10:00:00"),
        row("a:1", 12.5, "2026-03-03T10:00:00"),
        row("b:0", 0.0, "2026-03-03T11:00:00", "skipped"),
    )

    def test_hours_by_area_and_day_add_up_to_the_log(self):
        found = order(WORK, Preferences())
        areas = account.by_area(found.steps, self.log)
        self.assertEqual([(a.name, a.steps, a.done, a.taken) for a in areas], [("Cheek", 2, 2, 42.5), ("Ear", 1, 1, 0.0)])
        self.assertTrue(all(a.low <= a.planned_done <= a.high for a in areas if a.taken))
        first = lay_out(found, Days(datetime.date(2026, 3, 2), 1.0))
        days = account.by_day(account.planned_days(first), self.log)
        self.assertEqual([(d.day.day, d.taken) for d in days], [(2, 30.0), (3, 12.5)])
        self.assertEqual(account.by_day(account.planned_days(first), ()), ())

    def test_what_was_promised_first_stays_the_measure(self):
        found = order(WORK, Preferences())
        first = account.first_plan(found.steps, lay_out(found, Days(datetime.date(2026, 3, 2), 1.0)))
        self.assertAlmostEqual(first.areas["a"][1], sum(s.high for s in found.steps if s.area is not None and s.area.id == "a"))
        self.assertEqual(account.FirstPlan.of_data(json.loads(json.dumps(first.as_data()))).days.keys(), first.days.keys())
        slower = account.FirstPlan(first.days, {"a": (1.0, 2.0)})
        cheek, ear = account.by_area(found.steps, self.log, slower)
        self.assertEqual((cheek.low, cheek.high), (1.0, 2.0))
        self.assertGreater(ear.high, 2.0)  # an area that came later has the plan's own range
        for nonsense in (None, [], {"days": {"soon": 3}, "areas": {}}, {"days": {}}, {"days": {}, "areas": {"a": [1]}}):
            self.assertIsNone(account.FirstPlan.of_data(nonsense))

    def test_wear_parts_what_is_laid_from_what_comes(self):
        ochre, soot = (next(w for w in account.pencils(WORK, self.log[:1], KIT) if w.code == code) for code in "12")
        self.assertAlmostEqual(ochre.worn_mm, worn_mm(10_000, "everywhere", 3, 1))
        self.assertAlmostEqual(ochre.coming_mm, worn_mm(2_000, "everywhere", 1, 1))
        self.assertEqual((soot.worn_mm, soot.times, soot.cost), (0.0, 0, None))
        self.assertEqual((ochre.left_mm, ochre.short), (87.5, False))
        cost, without = account.material_cost((ochre, soot))
        self.assertAlmostEqual(cost, 2.5 * (ochre.worn_mm + ochre.coming_mm) / 130, places=2)
        self.assertEqual(without, 1)
        # a skipped layer takes nothing; a large one asks for a new pencil
        self.assertEqual(account.pencils(WORK, self.log, KIT)[0].coming_mm, 0.0)
        large = (AreaWork("a", 1, "Cheek", "short-fur", 200_000.0, (0.0, 0.0), (), 3, WORK[0].layers),)
        self.assertTrue(account.pencils(large, (), KIT)[0].short)

    @given(mm2=st.floats(1, 1e6), pressure=st.integers(1, 5), passes=st.integers(1, 4))
    def test_wear_is_a_balance_of_volumes(self, mm2, pressure, passes):
        # film thickness 0.22 to 0.72 of 15 µm, a core of 3.8 mm of which 45 % reach the paper
        deposit = float(np.interp(pressure, [1, 3, 5], [0.22, 0.40, 0.72]))
        core = math.pi * 1.9**2 * 0.45
        self.assertAlmostEqual(
            worn_mm(mm2, "everywhere", pressure, passes), mm2 * passes * deposit * 0.015 / core, delta=1e-9 * mm2 * passes
        )
        self.assertLess(worn_mm(mm2, "gaps", pressure, passes), worn_mm(mm2, "everywhere", pressure, passes))
        self.assertAlmostEqual(worn_mm(mm2, "the pupil", pressure, passes, share=0.3), 0.3 * worn_mm(mm2, "everywhere", pressure, passes))


class Forecast(unittest.TestCase):
    bands = {
        "gap": np.array([20.0, 2, 4]),
        "general": np.array([45.0, 4, 10]),
        "light": np.array([70.0, 3, 12]),
        "highlight": np.array([88.0, 0, 4]),
    }

    @settings(max_examples=30)
    @given(st.integers(0, 10_000))
    def test_a_recipe_that_hits_its_targets_gives_the_drawing_back_in_its_own_hues(self, seed):
        lab = np.random.default_rng(seed).uniform((5, -10, -10), (98, 20, 30), (200, 3))
        out = lay_bands(lab, self.bands, self.bands)
        np.testing.assert_allclose(out[:, 0], lab[:, 0], atol=1e-9)
        # hue and strength are the layers' own: between two bands a mixture of theirs, whatever the photo has there
        at, own = [self.bands[b][0] for b in self.bands], np.array([self.bands[b] for b in self.bands])
        for c in (1, 2):
            np.testing.assert_allclose(out[:, c], np.interp(lab[:, 0], at, own[:, c]), atol=1e-9)

    def test_places_take_their_own_colours_with_the_photos_lightness(self):
        labels = np.zeros((10, 40), np.uint8)
        labels[:, :10], labels[:, 10:20], labels[:, 20:30] = 1, 2, 3
        photo = {"pupil": np.array([8.0, 0, 0]), "iris outer": np.array([30.0, 20, 25]), "catchlight": np.array([90.0, 0, -4])}
        paper_ = {"pupil": np.array([16.0, 1, 1]), "iris outer": np.array([34.0, 15, 20]), "catchlight": np.array([94.0, 0, 0])}
        drawn = PhotoLab(photo, labels, tuple(photo), ("eye",) * 3)
        # the photo is four steps lighter in the one half of each place and four darker in the other: its mean is the place's own
        detail = np.where(np.arange(10)[:, None] < 5, 4.0, -4.0) * np.ones((1, 40))
        lab = np.array([photo[k] for k in photo])[np.clip(labels.astype(int) - 1, 0, 2)] + np.stack([detail, 0 * detail + 9, 0 * detail - 9], -1)
        out = portrait(lab, np.array([96.0, 0, 2]), [LaidArea(labels > 0, drawn, paper_)])
        shows = (94 - 16) / (90 - 8)
        for n, k in enumerate(photo, 1):
            here = out[labels == n]
            np.testing.assert_allclose(here[:, 1:], np.broadcast_to(paper_[k][1:], (100, 2)))
            np.testing.assert_allclose(here[:, 0], np.minimum(100.0, paper_[k][0] + shows * detail[labels == n]))
        np.testing.assert_allclose(out[labels == 0], np.broadcast_to([96.0, 0, 2], (100, 3)))

    def test_a_flat_ground_hides_the_drawing_and_paper_stays_bare(self):
        lab = np.random.default_rng(1).uniform((10, 0, 0), (90, 10, 10), (20, 30, 3))
        inside = np.zeros((20, 30), bool)
        inside[:, :15] = True
        flat = {b: np.array([60.0, 5, 20]) for b in self.bands}
        out = portrait(lab, np.array([96.0, 0, 2]), [LaidArea(inside, PhotoLab(self.bands), flat)])
        np.testing.assert_allclose(out[inside], np.broadcast_to([60.0, 5, 20], (300, 3)))
        np.testing.assert_allclose(out[~inside], np.broadcast_to([96.0, 0, 2], (300, 3)))
        # order of values is kept when the contrast is half
        half = {b: np.array([40 + v[0] / 2, 0, 0]) for b, v in self.bands.items()}
        line = np.stack([np.linspace(5, 95, 50), np.zeros(50), np.zeros(50)], 1)
        self.assertTrue((np.diff(lay_bands(line, self.bands, half)[:, 0]) > 0).all())


class Camera(unittest.TestCase):
    def test_a_watched_folder_gives_each_finished_file_once(self):
        with tempfile.TemporaryDirectory() as temp:
            folder = Path(temp)
            (folder / "old.jpg").write_bytes(b"1")
            watched = WatchedFolder(folder)
            self.assertEqual(watched.new(), [])
            (folder / "a.jpg").write_bytes(b"12")
            (folder / "notes.txt").write_text("x")
            self.assertEqual(watched.new(), [])
            (folder / "a.jpg").write_bytes(b"1234")  # still growing
            self.assertEqual(watched.new(), [])
            self.assertEqual(watched.new(), [folder / "a.jpg"])
            self.assertEqual(watched.new(), [])
        self.assertEqual(watched.new(), [])
