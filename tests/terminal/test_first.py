"""`hanabira first`: from a photo to hours, price and dates, the same that window and quote tell of it afterwards."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
from PIL import Image

from hanabira.session.from_bundle import session_of
from tests.session.whole_animal import EYES, SIZE, animal
from tests.terminal.test_cli import ask, run
from tests.terminal.test_whole import LOOP


class First(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.place = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.place.cleanup)
        cls.photo = Path(cls.place.name) / "heron.png"
        Image.fromarray(animal()).save(cls.photo)
        cls.bundle = Path(cls.place.name) / "heron.hanabira.zip"
        eyes = [q for (x, y), (u, _v) in EYES for q in ("--eye", f"{x},{y},{u - x}")]
        cls.told = ask(
            "first", str(cls.photo), "--loop", LOOP, *eyes, "--count", "4", "--sheet", "160,160", "--rate", "20", "--due", "2099-12-24", "--bundle", str(cls.bundle),
        )  # fmt: skip

    def test_areas_palette_hours_price_and_dates(self):
        told = self.told
        self.assertGreaterEqual(len(told["areas"]), 5)
        self.assertEqual([a["surface"] for a in told["areas"]][:2], ["eye", "eye"])
        self.assertTrue(all(a["layers"] and a["pencils"] and a["delta_e00"] < 12 for a in told["areas"]))
        used = {code for a in told["areas"] for code in a["pencils"]}
        self.assertLessEqual(used, {q["pencil"] for q in told["palette"]})
        low, high = told["hours"]
        self.assertLessEqual([round(20 * low), round(20 * high)], [round(told["price"][0] + 1), round(told["price"][1] + 1)])
        self.assertAlmostEqual(told["price"][1], 20 * high, delta=1.01)
        self.assertGreater(told["slack_days"], 0)
        self.assertEqual(told["first_plan"]["accepted"], 0)
        self.assertIsNone(told["estimated_hours"], "all have a recipe")
        # 140 mm of picture for all pixels: what is not the pale ground, counted here
        drawn = (np.abs(animal().astype(int) - (226, 228, 232)).sum(2) > 40).sum() * (140 / SIZE) ** 2 / 100
        self.assertAlmostEqual(sum(a["cm2"] for a in told["areas"]), drawn, delta=0.04 * drawn)

    def test_the_bundle_holds_the_same_hours(self):
        quote = ask("quote", str(self.bundle))
        self.assertIsNone(quote["first_plan"], "everything is accepted")
        for a, b in zip(quote["hours"], self.told["hours"], strict=True):
            self.assertAlmostEqual(a, b, delta=0.15)
        with session_of(self.bundle) as session:
            self.assertEqual([a.name for a in session.areas], [a["name"] for a in self.told["areas"]])
            self.assertEqual({q.code for r in session.recipes.values() for q in r.layers if q.code}, {c for a in self.told["areas"] for c in a["pencils"]})

    def test_what_cannot_be_is_refused_with_what_to_do(self):
        for args, words in (
            ((), "--loop"), (("--loop", LOOP, "--sheet", "10,10"), "50 to 2000"), (("--loop", LOOP, "--rate", "-3"), "--rate"),
            (("--loop", LOOP, "--surface", "scales"), "scales"), (("--loop", LOOP, "--due", "soon"), "not a date"), (("--loop", "1,1;2,2"), "three corners"),
            (("--loop", LOOP, "--paper", "sky"), "no paper"), (("--loop", LOOP, "--eye", "900,1,5"), "outside"),
        ):  # fmt: skip
            with self.subTest(args=args):
                code, out, told = run("first", str(self.photo), *args)
                self.assertEqual((code, out), (2, ""))
                self.assertIn(words, told)
                self.assertNotIn("Traceback", told)


if __name__ == "__main__":
    unittest.main()
