"""From the terminal: the plan and the price of a bundle, commissions out and in, the way back, looks written as pictures, techniques and areas."""

import datetime
import json
import unittest
from collections import Counter
from pathlib import Path

import numpy as np
from PIL import Image

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import srgb_to_lab
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import bare, predict
from hanabira.craft.supplies import paper, shipped_kit
from hanabira.demo.pictures import PHOTO
from hanabira.studio.bundle import read_bundle
from hanabira.studio.records import Area, Commission, Recipe
from hanabira.studio.store import Store
from tests.demo_studio import OnDemo
from tests.terminal.test_cli import ask, run


class Bundles(OnDemo):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.studio = str(cls.root / "demo")
        with Store.open(cls.root / "demo") as store:
            cls.all = {c.id: c for c in store.all(Commission)}
        cls.whole = cls.root / "tansy.hanabira.zip"
        ask("export", "Tansy", "--studio", cls.studio, "--bundle", str(cls.whole))
        cls.content = read_bundle(cls.whole)

    def plan(self, *args: str) -> dict:
        return ask("plan", str(self.whole), "--start", "2027-03-01", *args)

    def test_the_plan_has_each_layer_once_and_minds_the_artists_days(self):
        data = self.plan()
        self.assertEqual([s["n"] for s in data["steps"]], list(range(1, len(data["steps"]) + 1)))
        laid = Counter(s["area"] for s in data["steps"])
        areas = {a.id: a.name for a in self.content.areas}
        for r in self.content.recipes:
            self.assertGreaterEqual(laid[areas[r.area_id]], len(r.layers))
        hours = self.content.commission.terms.hours_a_day
        for q in data["sessions"]:
            day = datetime.date.fromisoformat(q["date"])
            self.assertIn(day.weekday(), self.content.commission.terms.weekdays)
            self.assertGreaterEqual(day, datetime.date(2027, 3, 1))
            self.assertLessEqual(q["minutes"], 60 * hours + 1)
        starts = [s["start"] for s in data["steps"]]
        self.assertEqual(starts, sorted(starts))
        for s in data["steps"]:
            self.assertTrue(all(k < s["n"] for k in s["after"]), s)
            self.assertLessEqual(*s["minutes"])
            self.assertTrue(s["reason"])
        self.assertEqual(data["finish"], data["sessions"][-1]["date"])

    def test_twice_the_hours_a_day_take_about_half_the_days(self):
        one, two = self.plan("--hours-per-day", "2"), self.plan("--hours-per-day", "4")
        self.assertAlmostEqual(len(two["sessions"]), len(one["sessions"]) / 2, delta=1.5)
        total = [sum(q["minutes"] for q in d["sessions"]) for d in (one, two)]
        self.assertAlmostEqual(total[0], total[1], delta=2)

    def test_a_hand_changes_the_order_and_never_what_is_done(self):
        left, right = self.plan("--hand", "left"), self.plan("--hand", "right")
        key = lambda d: [(s["area"], s["role"], s["pencil"]) for s in d["steps"]]  # noqa: E731
        self.assertEqual(Counter(key(left)), Counter(key(right)))
        self.assertNotEqual(key(left), key(right))

    def test_what_is_late_is_warned_of(self):
        due = datetime.date.fromisoformat(self.content.commission.due)
        begun = (due - datetime.timedelta(days=2)).isoformat()  # the demo's due date goes with the clock
        data = ask("plan", str(self.whole), "--start", begun, "--hours-per-day", "0.5")
        self.assertEqual(data["slack_days"] < 0, datetime.date.fromisoformat(data["finish"]) > due)
        self.assertTrue(any("after the due date" in w for w in data["warnings"]))
        code, out, _err = run("plan", str(self.whole), "--start", begun)
        self.assertEqual(code, 0)
        self.assertIn("sessions, finished", out)
        self.assertIn("caution: ", out)

    def test_the_price_is_hours_by_rate_with_materials_and_says_what_it_covers(self):
        data = ask("quote", str(self.whole))
        terms = self.content.commission.terms
        for hours, price, deposit, each in zip(data["hours"], data["price"], data["deposit"], data["instalments"]["each"], strict=True):
            self.assertAlmostEqual(price, terms.rate * hours + terms.materials, delta=terms.rate * 0.051)
            self.assertAlmostEqual(deposit, price * terms.deposit_percent / 100, delta=0.01)
            self.assertAlmostEqual(deposit + each * data["instalments"]["count"], price, delta=0.05)
        self.assertEqual(data["covers"]["areas"], len(self.content.areas))
        self.assertIn("not known", data["covers"]["words"])
        self.assertIn("hours, price", run("quote", str(self.whole))[1])

    def test_all_go_out_and_one_comes_in_again_under_a_new_name_of_its_own(self):
        target = self.root / "all"
        made = ask("export", "--studio", self.studio, "--all", "--to", str(target))["bundles"]
        self.assertEqual(len(made), len(self.all))
        self.assertEqual({read_bundle(Path(p)).commission.id for p in made}, set(self.all))
        fresh = str(self.root / "fresh")
        for n in range(2):
            got = ask("import", "--studio", fresh, str(self.whole))
            self.assertEqual(got["name"], "Tansy" if not n else got["name"])
        with Store.open(Path(fresh)) as store:
            mine = store.all(Commission)
            self.assertEqual(len({c.id for c in mine}), 2)
            for c in mine:
                areas = store.all(Area, commission_id=c.id)
                self.assertEqual(sorted(a.name for a in areas), sorted(a.name for a in self.content.areas))
                laid = {a.name: store.get(Recipe, a.id).layers for a in areas if store.get(Recipe, a.id) is not None}
                names = {a.id: a.name for a in self.content.areas}
                wanted = {names[r.area_id]: [(q.code, q.pressure, q.passes) for q in r.layers] for r in self.content.recipes}
                self.assertEqual({k: [(q.code, q.pressure, q.passes) for q in v] for k, v in laid.items()}, wanted)

    def test_a_studio_that_was_built_up_again_is_told(self):
        studio = self.root / "lost"
        ask("import", "--studio", str(studio), str(self.whole))
        (studio / "studio.sqlite").write_bytes(b"no database")
        told = ask("export", "--studio", str(studio), "--all", "--to", str(self.root / "out"))
        self.assertEqual(len(told["bundles"]), 1)
        self.assertIn("built up again", told["remarks"][0])
        self.assertEqual(ask("export", "--studio", str(studio), "--all", "--to", str(self.root / "out2"))["remarks"], [], "once")

    def test_the_way_back(self):
        studio = self.root / "back"
        ask("import", "--studio", str(studio), str(self.whole))
        (made,) = ask("backup", "--studio", str(studio))["backups"]
        self.assertEqual((made["commissions"], made["usable"]), (1, True))
        ask("import", "--studio", str(studio), str(self.whole))
        listed = ask("backup", "--studio", str(studio), "--list")["backups"]
        self.assertIn(made["file"], [q["file"] for q in listed])
        back = ask("backup", "--studio", str(studio), "--restore", Path(made["file"]).name)
        with Store.open(studio) as store:
            self.assertEqual(len(store.all(Commission)), 1)
        self.assertTrue(Path(back["aside"]).exists(), "what stood there is set aside, not deleted")
        self.assertIn("1 commission", run("backup", "--studio", str(studio), "--list")[1])

    def test_mistakes_are_one_line_and_change_nothing(self):
        text = self.root / "letter.zip"
        text.write_text("Dear Ada")
        blocked = self.root / "file"
        blocked.write_text("in the way")
        for args, words in (
            (("plan", str(text)), "letter.zip"),
            (("plan", str(self.root / "none.zip")), "none.zip"),
            (("plan", str(self.whole), "--hours-per-day", "40"), "between 0.25 and 16"),
            (("plan", str(self.whole), "--hours-per-day", "nan"), "between 0.25 and 16"),
            (("plan", str(self.whole), "--start", "March"), "not a date"),
            (("quote", str(text)), "letter.zip"),
            (("export", "--studio", str(self.root / "nothing"), "--all", "--to", "x"), "no studio"),
            (("export", "--studio", self.studio), "what to write"),
            (("export", "Tansy", "--studio", self.studio, "--all", "--to", "x"), "what to write"),
            (("export", "Nobody", "--studio", self.studio, "--bundle", str(self.root / "n.zip")), "nobody"),
            (("export", "--studio", self.studio, "--all", "--to", str(blocked / "in")), "cannot be made"),
            (("import", "--studio", str(self.root / "fresh2"), str(text)), "letter.zip"),
            (("backup", "--studio", self.studio, "--restore", "none.db"), "none.db"),
        ):
            code, out, err = run(*args, "--json")
            self.assertEqual((code, out, err.count("\n")), (2, "", 1), (args, err))
            self.assertIn(words.lower(), err.lower())
        self.assertFalse((self.root / "n.zip").exists())
        with Store.open(self.root / "demo") as store:
            self.assertEqual({c.id for c in store.all(Commission)}, set(self.all))


class Looks(OnDemo):
    def written(self, *args: str) -> tuple[dict, np.ndarray]:
        out = self.root / "look.png"
        data = ask("study", str(PHOTO), *args, "--out", str(out))
        self.assertEqual(data["out"], str(out))
        return data, np.asarray(Image.open(out))

    def test_value_shapes_have_as_many_greys_as_they_say(self):
        for n in (3, 5):
            data, picture = self.written("--value-shapes", str(n))
            greys, counts = np.unique(picture[..., 0], return_counts=True)
            most = np.argsort(counts)[-len(data["shapes"]) :]  # the rest are thin lines between the shapes
            self.assertEqual(len(data["shapes"]), n)
            self.assertGreater(counts[most].sum() / counts.sum(), 0.95)
            lights = srgb_to_lab(np.sort(greys[most])[:, None].repeat(3, 1) / 255)[:, 0]
            np.testing.assert_allclose(lights, [q["l"] for q in data["shapes"]], atol=0.3)
            shares = counts[most][np.argsort(greys[most])] / counts.sum()
            np.testing.assert_allclose(shares, [q["share"] for q in data["shapes"]], atol=0.02)

    def test_a_squint_softens_and_keeps_the_size(self):
        _data, picture = self.written("--squint", "3")
        photo = np.asarray(Image.open(PHOTO).convert("RGB")).astype(float)
        self.assertEqual(picture.shape, photo.shape)
        rough = lambda q: float(np.abs(np.diff(q.astype(float).mean(2), axis=1)).mean())  # noqa: E731
        self.assertLess(rough(picture), 0.5 * rough(photo))
        self.assertAlmostEqual(picture.mean(), photo.mean(), delta=6)

    def test_the_animal_alone_and_on_a_backdrop(self):
        rect = ("--isolate", "200,60,1000,1200")
        data, cut = self.written(*rect)
        self.assertEqual(cut.shape[2], 4)
        self.assertAlmostEqual(data["covered"], cut[..., 3].mean() / 255, delta=0.01)
        self.assertLess(cut[20:60, 20:160, 3].max(), 10, "a corner is no animal")
        data, there = self.written(*rect, "--backdrop", "#2040ff")
        np.testing.assert_allclose(there[20:60, 20:160].reshape(-1, 3).mean(0), (0x20, 0x40, 0xFF), atol=8)
        self.assertEqual({"part", "l", "in_photo", "on_backdrop"}, set(data["reads"][0]))

    def test_a_picked_grey_becomes_neutral(self):
        image = np.full((120, 160, 3), (150, 120, 90), np.uint8)
        path = self.root / "orange.png"
        Image.fromarray(image).save(path)
        out = self.root / "neutral.png"
        ask("study", str(path), "--squint", "1", "--neutral", "80,60", "--out", str(out))
        middle = np.asarray(Image.open(out))[60, 80].astype(int)
        self.assertLess(middle.max() - middle.min(), 6)

    def test_mistakes_are_one_line(self):
        out = str(self.root / "no.png")
        for args, words in (
            (("--squint", "0"), "1 to 10"),
            (("--squint", "2", "--exposure", "9"), "stops"),
            (("--squint", "2", "--neutral", "99999,2"), "outside"),
            (("--squint", "2", "--neutral", "left"), "a place"),
            (("--squint", "2", "--backdrop", "#ffffff"), "--isolate"),
            (("--isolate", "1,2,3"), "rectangle"),
        ):
            code, said, err = run("study", str(PHOTO), *args, "--out", out, "--json")
            self.assertEqual((code, said, err.count("\n")), (2, "", 1), (args, err))
            self.assertIn(words, err)
        self.assertFalse(Path(out).exists())


class Craft(unittest.TestCase):
    def test_techniques_name_what_an_area_can_be_planned_with(self):
        data = ask("techniques")
        ids = {kind: {q["id"] for q in data[kind]} for kind in ("surfaces", "coats", "markings", "schools")}
        self.assertLessEqual({"short-fur", "eye", "nose"}, ids["surfaces"])
        self.assertLessEqual({"black", "white", "ginger"}, ids["coats"])
        self.assertTrue(all(q["why"] for q in data["coats"]))
        for s in data["schools"]:
            self.assertTrue({c["id"] for c in s["choices"]} >= set(s["default"].values()), s["id"])
        self.assertIn("short-fur", run("techniques")[1])

    def test_an_area_follows_coat_and_school_and_its_result_is_what_its_layers_give(self):
        args = ("area", str(PHOTO), "--rect", "700,1130,330,200", "--surface", "short-fur", "--marking", "plain")
        data = ask(*args, "--coat", "ginger", "--school", "highlight=plain")
        self.assertEqual((data["coat"], data["marking"], data["school"]["highlight"]), ("ginger", "plain", "plain"))
        self.assertEqual(data["pencils"], len({q["pencil"] for q in data["layers"] if q["pencil"]}))
        kit, on = shipped_kit(), paper("hotpress")
        for place, told in data["result"].items():
            stack = [Pass(q["pencil"], q["pressure"], q["passes"], coverage=q["coverage"]) for q in data["layers"] if place in q["covers"]]
            end = predict(on, kit, stack)[-1].lab if stack else bare(on).lab
            self.assertLess(float(delta_e00(np.array(told["lab"]), end)), 0.05, place)
            self.assertAlmostEqual(float(delta_e00(end, np.array(told["target_lab"]))), told["delta_e00"], delta=0.05)
        self.assertIn("pressure", run(*args)[1])

    def test_mistakes_are_one_line(self):
        base = ("area", str(PHOTO), "--rect", "700,1130,60,60")
        for args, words in (
            ((*base, "--surface", "tin"), "no surface"),
            ((*base, "--surface", "short-fur", "--school", "lights"), "key=value"),
            ((*base, "--surface", "short-fur", "--school", "lights=never"), "never"),
            ((*base, "--surface", "short-fur", "--coat", "plaid"), "plaid"),
            ((*base, "--surface", "short-fur", "--medium", "pastel", "--kit", "pencils"), "own medium"),
            (("area", str(PHOTO), "--rect", "5,5,-4,9", "--surface", "short-fur"), "no inside"),
        ):
            code, out, err = run(*args, "--json")
            self.assertEqual((code, out, err.count("\n")), (2, "", 1), (args, err))
            self.assertIn(words, err.lower())

    def test_json_is_plain_ascii_safe_and_ends_with_a_line(self):
        code, out, _err = run("techniques", "--json")
        self.assertEqual((code, out.count("\n"), out[-1]), (0, out.strip().count("\n") + 1, "\n"))
        self.assertIsInstance(json.loads(out), dict)


if __name__ == "__main__":
    unittest.main()
