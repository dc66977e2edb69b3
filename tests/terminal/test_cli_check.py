"""`hanabira camera` and `hanabira check`: photos of a bundle's work with planted faults, read back as data and as lines."""

import numpy as np
from PIL import Image

from hanabira.devices.drawn_sheet import FAULTS
from hanabira.studio.bundle import write_bundle
from hanabira.studio.store import Store
from tests.demo_studio import OnDemo
from tests.terminal.test_cli import ask, run


class Photos(OnDemo):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        with Store.open(cls.root / "demo") as store:
            cls.bundle = str(write_bundle(store, "Bracken", cls.root / "Bracken.zip").path)
        cls.good = str(cls.root / "good.jpg")
        cls.told = ask("camera", cls.bundle, "--out", cls.good, "--seed", "3", "--strip")

    def test_a_photo_of_the_work_as_the_log_says(self):
        self.assertEqual((self.told["areas_begun"], self.told["faults"], self.told["strip"]), (8, [], True))
        with Image.open(self.good) as picture:
            self.assertEqual(picture.size, (self.told["width"], self.told["height"]))
        data = ask("check", self.bundle, self.good)
        self.assertIsNone(data["refused"])
        self.assertEqual(data["sheet"]["found_by"], "strip")
        self.assertLess(data["sheet"]["residual_mm"], 0.5)
        self.assertEqual([a["area"] for a in data["areas"] if a["begun"]], [1, 2, 3, 4, 5, 6, 7, 8])
        self.assertLessEqual(len(data["faults"]), 2)

    def test_a_planted_fault_is_named_with_its_cure(self):
        out = str(self.root / "green.png")
        self.assertEqual(
            ask("camera", self.bundle, "--out", out, "--seed", "4", "--strip", "--fault", "green:7")["faults"],
            [{"kind": "green", "area": 7}],
        )
        faults = ask("check", self.bundle, out)["faults"]
        f = next(f for f in faults if f["kind"] == "green")
        self.assertEqual(f["area"], 7)
        self.assertTrue(f["sentence"].startswith("Mane"))
        self.assertEqual(
            set(f["proposal"]) & {"tool", "pencil", "pressure", "where", "lab_after"}, {"tool", "pencil", "pressure", "where", "lab_after"}
        )
        _code, lines, _err = run("check", self.bundle, out)
        self.assertIn(f["sentence"], lines)
        self.assertIn("ΔE00", lines)

    def test_without_the_strip_it_says_what_is_not_judged(self):
        data = ask("check", self.bundle, self.good, "--strip", "none")
        self.assertEqual(data["colour"]["by"], "paper")
        self.assertTrue(any("strip" in q for q in data["remarks"]))
        self.assertIn("not judged: no strip", {p["verdict"] for a in data["areas"] for p in a["places"]})

    def test_corners_by_hand_and_a_second_photo(self):
        whole = ask("check", self.bundle, self.good)
        w, h = Image.open(self.good).size
        dark = str(self.root / "dark.png")
        Image.fromarray(np.full((900, 1200, 3), 5, np.uint8)).save(dark)
        refused = ask("check", self.bundle, dark)["refused"]
        self.assertTrue(refused["reason"] and refused["cure"])
        corners = f"0,0;{w},0;{w},{h};0,{h}"
        found = ask("check", self.bundle, self.good, "--corners", corners)
        self.assertTrue(found["refused"])  # the photo's own corners go round the table, not round the sheet
        other = str(self.root / "other.jpg")
        ask("camera", self.bundle, "--out", other, "--seed", "5", "--strip")
        both = ask("check", self.bundle, self.good, "--second", other)
        self.assertEqual([a["area"] for a in both["areas"]], [a["area"] for a in whole["areas"]])

    def test_the_flat_picture_is_straight_and_in_scale(self):
        out = str(self.root / "flat.png")
        d = ask("camera", self.bundle, "--out", out, "--flat")
        picture = np.asarray(Image.open(out))
        self.assertEqual((d["width"], d["height"]), (round((400 + 84) * 6), round((318 + 84) * 6)))
        inside = picture[42 * 6 + 20 : 42 * 6 + 40, 42 * 6 + 100 : 42 * 6 + 2000]
        self.assertGreater(float(inside.min()), 200)
        self.assertLess(float(picture[: 40 * 6].max()), 190)

    def test_what_cannot_be_done_is_one_line(self):
        for args, words in (
            (("camera", self.bundle, "--out", str(self.root / "x.gif")), "ending"),
            (("camera", self.bundle, "--out", str(self.root / "x.png"), "--fault", "purple:1"), FAULTS[0]),
            (("camera", self.bundle, "--out", str(self.root / "x.png"), "--fault", "green:99"), "99"),
            (("check", self.bundle, self.good, "--corners", "1,2;3,4"), "corners"),
            (("check", self.bundle, str(self.root / "none.jpg")), "none.jpg"),
            (("check", str(self.root / "none.zip"), self.good), "none.zip"),
        ):
            code, _out, err = run(*args)
            self.assertEqual(code, 2, args)
            self.assertEqual(len(err.strip().splitlines()), 1)
            self.assertIn(words, err)

    def test_the_same_seed_is_the_same_photo(self):
        a, b = (str(self.root / f"same{n}.png") for n in (1, 2))
        for path in (a, b):
            ask("camera", self.bundle, "--out", path, "--seed", "9", "--long", "1400")
        self.assertEqual(max(Image.open(a).size), 1400)
        np.testing.assert_array_equal(np.asarray(Image.open(a)), np.asarray(Image.open(b)))
        for text in ("599", "8001"):
            code, _out, err = run("camera", self.bundle, "--out", a, "--long", text)
            self.assertEqual((code, "600 to 8000" in err), (2, True))


class Drills(OnDemo):
    def test_drills_are_listed_and_a_learner_is_diagnosed(self):
        found = ask("practice", "--list")["drills"]
        self.assertEqual(found[0]["id"], "value-step")
        self.assertTrue(all(d["bench"] in ("eye", "hand", "part") and d["minutes"] > 0 and d["name"] for d in found))
        d = ask("practice", "--drill", "value-step", "--seed", "5", "--simulate", "bias=+1.0,noise=0.5")
        self.assertEqual(len(d["answers"]), 40)
        self.assertAlmostEqual(d["diagnosis"]["bias_steps"], 1.0, delta=0.3)
        self.assertTrue(d["diagnosis"]["claimed"])
        self.assertEqual(ask("practice", "--drill", "value-step", "--seed", "5", "--simulate", "bias=+1.0,noise=0.5"), d)
        own = ask("practice", "--studio", str(self.root / "demo"), "--drill", "value-step", "--seed", "5")
        self.assertNotEqual(own["answers"][0]["key"], d["answers"][0]["key"])

    def test_wrong_words_are_one_line(self):
        for args, words in (
            (("practice",), "--drill"), (("practice", "--drill", "juggling"), "value-step"), (("practice", "--drill", "which", "--simulate", "skill=9"), "bias"),
            (("practice", "--drill", "which", "--studio", str(self.root / "none")), "none"), (("practice", "--drill", "which", "--answers", "0"), "1 to 1000"),
        ):  # fmt: skip
            code, _out, err = run(*args)
            self.assertEqual((code, len(err.strip().splitlines())), (2, 1), args)
            self.assertIn(words, err)
