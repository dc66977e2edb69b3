"""The demo's animals: each renderer makes the same picture from the same seed, with truth that fits it; the shipped truths fit the photos."""

import datetime
import json
import unittest

import numpy as np
from PIL import Image

from demo_making.animals.render import render
from demo_making.birds.render import render as render_bird
from demo_making.photos import judge
from demo_making.practice_weeks import DAYS
from demo_making.truth import demo_truth, reduced
from demo_making.work import JUDGED, at_work
from hanabira.core.area.hair import axial_difference, measure_hair
from hanabira.core.colour.spaces import bytes_to_lab
from hanabira.demo.pictures import PHOTOS
from hanabira.demo.sitters import sitters
from hanabira.demo.worked import practice_rounds, worked

TODAY = datetime.date(2026, 9, 15)


class Renderers(unittest.TestCase):
    def test_a_small_pony_and_its_truth(self):
        picture, truth = render("pony", "spotted", (200, 160), 3, ss=1.0)
        again, _ = render("pony", "spotted", (200, 160), 3, ss=1.0)
        np.testing.assert_array_equal(picture, again)
        self.assertEqual((picture.shape, truth["direction"].shape), ((160, 200, 3), (160, 200)))
        self.assertGreater(np.isfinite(truth["direction"]).mean(), 0.2)
        self.assertTrue(0.02 < truth["marking"].mean() < 0.7)
        self.assertAlmostEqual(float(np.linalg.norm(truth["light"])), 1.0, places=3)

    def test_a_small_owl_and_a_patch_of_bars(self):
        picture, truth = render_bird("owl", 150, 120, 5)
        self.assertEqual(picture.shape, (120, 150, 3))
        self.assertTrue({1, 5, 8} <= set(np.unique(truth["parts"])))
        self.assertGreater(picture[truth["parts"] == 1].mean(), picture[truth["parts"] == 8].mean() + 60)
        picture, truth = render_bird("bars", 200, 160, 5, angle=-60.0)
        known = truth["direction_deg"][np.isfinite(truth["direction_deg"])]
        self.assertLess(np.median(axial_difference(known, 120.0)), 35)
        self.assertTrue(0.1 < truth["marking"].mean() < 0.7)


class ShippedTruth(unittest.TestCase):
    def test_every_photo_has_its_truth(self):
        for kind, path in PHOTOS.items():
            truth = demo_truth(kind)
            with Image.open(path) as image:
                w, h = image.size
            self.assertEqual(truth.direction_deg.shape, (h // truth.step_px, w // truth.step_px), kind)
            self.assertTrue(0 <= truth.light_deg < 360)
            self.assertEqual(truth.row_px is not None, kind in ("owl", "jackdaw"))

    def test_the_truth_is_that_of_the_photo(self):
        """Where a patch of coat runs one way, the photo shows it: a turned or shifted truth would not fit."""
        rng = np.random.default_rng(1)
        for kind, path in PHOTOS.items():
            truth = demo_truth(kind)
            with Image.open(path) as image:
                pixels = np.asarray(image.convert("RGB"))
            off = []
            for _ in range(300):
                i, j = rng.integers(0, truth.part.shape[0] - 24), rng.integers(0, truth.part.shape[1] - 24)
                cells = truth.direction_deg[i : i + 24, j : j + 24]
                known = np.isfinite(cells)
                if known.mean() < 0.95 or len(off) >= 8:
                    continue
                z = np.exp(2j * np.radians(cells[known])).mean()
                if abs(z) < 0.9:
                    continue
                s = truth.step_px
                patch = pixels[i * s : (i + 24) * s, j * s : (j + 24) * s]
                hair, _ = measure_hair(bytes_to_lab(patch)[..., 0], np.ones(patch.shape[:2], bool))
                if hair.direction_deg is not None:
                    off.append(float(axial_difference(hair.direction_deg, np.degrees(np.angle(z)) / 2 % 180)))
            self.assertGreater(len(off), 3, kind)
            self.assertLess(np.median(off), 10, kind)

    def test_reduced_truth_keeps_angles(self):
        direction = np.full((32, 32), 177.0)
        direction[:, 16:] = np.nan
        out = reduced(direction, np.ones((32, 32), np.uint8), np.zeros((32, 32)), np.array([0, 1, 0]))
        self.assertAlmostEqual(out["direction"][0, 0] / 254 * 180, 177, delta=0.8)
        self.assertEqual(out["direction"][0, 3], 255)


class ShippedWork(unittest.TestCase):
    """What ships is what `demo_making` makes of the recipes, the log and Check as they are now."""

    def test_photos_were_taken_after_the_rows_that_they_say(self):
        for today in (datetime.date(2026, 9, 15), datetime.date(2028, 2, 29)):
            for sitter in sitters(today):
                if sitter.share > 0:
                    work, moments = at_work(sitter, today)
                    done = worked(work.commission)
                    self.assertEqual([t.rows for t in done.taken], [len(rows) for rows in moments], sitter.kind)
                    self.assertEqual([t.verdict is not None for t in done.taken][-JUDGED[sitter.kind] :], [True] * JUDGED[sitter.kind])
                    self.assertEqual({k: r.tried for k, r in work.recipes.items() if r.tried}, {k: v for k, v in done.tried.items() if v}, sitter.kind)

    def test_check_says_today_what_the_shipped_verdict_says(self):
        (pony,) = (s for s in sitters(TODAY) if s.kind == "pony")
        work, moments = at_work(pony, TODAY)
        last = worked(work.commission).taken[-1]
        again = json.loads(json.dumps(judge(work, moments[-1], last.picture)))
        self.assertEqual(again["sheet"], last.verdict["sheet"])
        self.assertEqual(again["faults"], last.verdict["faults"])
        self.assertIn("greener", again["faults"][0]["what"], "the fault that was planted")

    def test_practice_was_played_by_drills_that_there_are(self):
        rounds = practice_rounds(TODAY)
        self.assertEqual([r.drill for r in rounds], [drill for _ago, drill in DAYS])
        self.assertEqual(rounds[0].at, "2026-08-26T08:40:00")
        self.assertEqual({a["at"] for r in rounds for a in json.loads(r.told)["answers"]}, {r.at for r in rounds if json.loads(r.told)["answers"]})
