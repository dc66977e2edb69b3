"""The terminal contract: JSON alone on standard output, faults in one line with exit code 2."""

import contextlib
import io
import json
import re
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from PIL import Image

from hanabira.core.colour.difference import delta_e00
from hanabira.core.optics.kit import Fit
from hanabira.core.optics.tooth import STANDARD_PRESSURES
from hanabira.craft.kitfile import kit_csv
from hanabira.craft.supplies import shipped_kit
from hanabira.demo.pictures import PHOTO, PHOTOS
from hanabira.terminal.commands import main


def run(*args: str) -> tuple[int, str, str]:
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            code = main(args)
        except SystemExit as stop:
            code = stop.code
    return code, out.getvalue(), err.getvalue()


def ask(*args: str) -> dict:
    code, out, err = run(*args, "--json")
    assert (code, err) == (0, ""), (code, err)
    return json.loads(out)


class Bare(unittest.TestCase):
    def test_without_a_command_the_studio_opens_as_with_open(self):
        with mock.patch("hanabira.desk.start.start", return_value=7) as start:
            for asked in ((), ("open",)):
                self.assertEqual(run(*asked)[0], 7)
        self.assertEqual(start.call_args_list, [mock.call(None)] * 2)

    def test_it_says_so_where_there_is_no_display(self):
        with mock.patch("hanabira.desk.start.has_display", return_value=False):
            code, out, err = run()
        self.assertEqual((code, out, err.count("\n")), (2, "", 1))
        self.assertIn("no display", err)

    def test_an_unknown_word_is_still_no_command(self):
        self.assertEqual(run("portrait")[0], 2)


class Contract(unittest.TestCase):
    def test_measure(self):
        d = ask("measure", str(PHOTO), "--rect", "700,1130,330,200", "--mm-per-px", "0.25")
        self.assertEqual(d["area"]["mm2"], 4125.0)
        self.assertEqual(set(d["hair"]), {"direction_deg", "spread_deg", "coherence", "length_mm", "length_px", "clump_px", "reason"})
        self.assertEqual(set(d["palette"][0]), {"lab", "hex", "share", "name", "temperature"})
        d = ask("measure", str(PHOTO), "--polygon", "700,1130 1030,1130 1030,1330 700,1330")
        self.assertEqual(d["area"], {"pixels": 66000, "mm2": None})
        d = ask("measure", str(PHOTO), "--rect", "930,910,140,130")
        self.assertIsNone(d["hair"]["direction_deg"])
        self.assertTrue(d["hair"]["reason"])

    def test_measure_gives_eye_nose_feathers_and_whiskers(self):
        eye = ask("measure", str(PHOTO), "--rect", "900,880,190,180", "--eye", "998,975,1086,975")["eye"]
        self.assertAlmostEqual(eye["iris_px"], 88, delta=14)
        self.assertFalse(eye["shine"])
        nose = ask("measure", str(PHOTO), "--rect", "500,1140,100,95", "--look-for", "nose", "whiskers")
        self.assertFalse(nose["nose"]["confirmed"])
        self.assertIsNone(nose["nose"]["axis_deg"])
        self.assertIn("count", nose["whiskers"])
        bird = ask("measure", str(PHOTOS["jackdaw"]), "--rect", "600,700,260,220", "--look-for", "feathers")
        self.assertIn("row_px", bird["feathers"])
        self.assertEqual(len(bird["coat"]), 2)

    def test_a_target_beyond_the_kit_is_said_to_be_compressed(self):
        black, mild = ask("recipe", "--target", "#000000", "--target", "#8c7a6a")["recipes"]
        self.assertTrue(black["asked"]["compressed"])
        self.assertIn("compressed into the kit's reach", black["asked"]["words"])
        self.assertAlmostEqual(black["asked"]["target_de00"], float(delta_e00(black["asked"]["lab"], black["paper_target"])), places=1)
        self.assertAlmostEqual(black["asked"]["result_de00"], float(delta_e00(black["asked"]["lab"], black["lab"])), places=1)
        self.assertLess(mild["asked"]["target_de00"], black["asked"]["target_de00"])

    def test_a_kit_fitted_on_another_paper_gives_guesses(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "mine.csv"
            kit = replace(shipped_kit().subset(["203", "215", "401"]), fit=Fit(STANDARD_PRESSURES, paper_id="vellum"))
            path.write_text(kit_csv(kit))
            told = ask("predict", "--kit", str(path), "--paper", "hotpress", "--layer", "203:3:1")
            self.assertEqual(told["guess"], "The kit was fitted on Vellum, cold-press; on Hot-press its figures are guesses.")
            self.assertNotIn("guess", ask("predict", "--kit", str(path), "--paper", "vellum", "--layer", "203:3:1"))
            self.assertNotIn("guess", ask("predict", "--paper", "hotpress", "--layer", "203:3:1"))

    def test_recipe_agrees_with_predict(self):
        d = ask("recipe", "--target", "#8c5a2f", "--target", "#20304a")
        self.assertEqual(len(d["recipes"]), 2)
        for r in d["recipes"]:
            self.assertEqual(
                set(r), {"target", "layers", "paper_target", "asked", "predicted", "lab", "delta_e00", "expected_de00", "cautions", "ms"}
            )
            self.assertAlmostEqual(float(delta_e00(r["lab"], r["paper_target"])), r["delta_e00"], places=2)
            args = [x for q in r["layers"] for x in ("--layer", f"{q['pencil']}:{q['pressure']}:{q['passes']}")]
            told = ask("predict", "--paper", "hotpress", *args)
            self.assertEqual(told["hex"], r["predicted"])
            self.assertEqual([q["tooth_left"] for q in told["layers"]], [q["tooth_left"] for q in r["layers"]])
        value = {p["code"]: p["lab"][0] for p in ask("kit")["pencils"]}
        for school, sign in (("light-to-dark", -1), ("dark-to-light", 1)):
            for r in ask("recipe", "--target", "#8c5a2f", "--target", "#20304a", "--target", "#5d6b4f", "--school", school)["recipes"]:
                steps = [sign * (value[b["pencil"]] - value[a["pencil"]]) for a, b in zip(r["layers"], r["layers"][1:], strict=False)]
                self.assertTrue(all(q >= -0.01 for q in steps), (school, r["layers"]))
                self.assertLess(r["delta_e00"], 4)
        one = ask("recipe", "--target", "#8c5a2f", "--max-layers", "1")["recipes"][0]
        self.assertEqual(sum(q["passes"] for q in one["layers"]), 1)
        self.assertGreater(one["expected_de00"], d["recipes"][0]["expected_de00"])

    def test_predict_with_tools_and_grounds(self):
        d = ask("predict", "--paper", "sanded", "--ground", "#242325", "--kit", "pastels", "--layer", "P01:5:2", "--layer", "stump")
        self.assertEqual([q.get("tool") for q in d["layers"]], [None, "stump"])
        self.assertLess(d["paper_lab"][0], 20)
        self.assertGreater(d["layers"][0]["lab_after"][0], 70)
        value = {w: ask("predict", "--paper", "hotpress", "--layer", f"203:2:1:1:{w}")["layers"][0]["lab_after"][0] for w in ("", "sharp", "blunt", "powder")}
        self.assertTrue(value["sharp"] < value[""] < value["blunt"] and value["powder"] != value[""], value)

    def test_kit_and_a_kit_file(self):
        d = ask("kit")
        self.assertEqual(len(d["pencils"]), 72)
        self.assertTrue({"bristol", "hotpress", "vellum", "film", "sanded"} <= {p["id"] for p in d["papers"]})
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "mine.csv"
            path.write_text("code,name,hex\nA,Red,#a03228\nB,Blue,#2c4a90\nC,Yellow,#e0b02a\nD,White,#f7f6f2\nE,Black,#222222\n")
            self.assertEqual([p["code"] for p in ask("kit", "--kit", str(path))["pencils"]], list("ABCDE"))
            codes = {q["pencil"] for q in ask("recipe", "--target", "#6a4a3a", "--kit", str(path))["recipes"][0]["layers"]}
            self.assertTrue(codes <= set("ABCDE"))

    def test_demo_builds_a_studio_once(self):
        with tempfile.TemporaryDirectory() as folder:
            self.assertEqual(ask("demo", f"{folder}/d")["commissions"], 3)
            self.assertEqual(ask("demo", f"{folder}/d")["commissions"], 3)

    def test_faults_are_one_line_and_exit_2(self):
        for args, words in (
            (("measure", "nothing.jpg", "--rect", "0,0,9,9"), "nothing.jpg"),
            (("measure", str(PHOTO), "--rect", "0,0,0,9"), "no inside"),
            (("measure", str(PHOTO), "--rect", "1,2,3"), "rectangle"),
            (("measure", str(PHOTO), "--rect", "9000,0,50,50"), "outside"),
            (("measure", str(PHOTO), "--polygon", "1,1 2,2"), "three corners"),
            (("measure", str(PHOTO)), "required"),
            *((("measure", str(PHOTO), "--rect", "0,0,50,50", "--mm-per-px", v), "mm-per-px") for v in ("-1", "0", "nan", "inf", "wide")),
            (("area", str(PHOTO), "--rect", "0,0,50,50", "--surface", "short-fur", "--mm-per-px", "0"), "mm-per-px"),
            (("plan", "none.zip", "--start", "9999-12-31"), "not a date"),
            (("plan", "none.zip", "--start", "0001-01-01"), "not a date"),
            (("backup", "--studio", "/nonexistent"), "no studio"),
            (("recipe", "--target", "brown"), "not a colour"),
            (("recipe", "--target", "#8c5a2f", "--paper", "wood"), "no paper"),
            (("recipe", "--target", "#8c5a2f", "--max-layers", "0"), "max-layers"),
            (("recipe", "--target", "#8c5a2f", "--kit", "none.csv"), "none.csv"),
            (("recipe", "--target", "#8c5a2f", "--school", "x"), "school"),
            (("predict", "--paper", "hotpress", "--layer", "999"), "no pencil 999"),
            (("predict", "--paper", "hotpress", "--layer", "203:7"), "pressure"),
            (("predict", "--paper", "hotpress", "--layer", "203:a:b"), "whole numbers"),
            (("predict", "--paper", "hotpress", "--layer", "203:2:1:1:hammered"), "no way to bring colour on"),
            (("predict", "--paper", "hotpress", "--ground", "grey", "--layer", "203"), "not a colour"),
            (("dance",), "invalid choice"),
        ):
            code, out, err = run(*args, "--json")
            self.assertEqual((code, out), (2, ""), args)
            self.assertEqual(err.count("\n"), 1, err)
            self.assertIn(words.lower(), err.lower())

    def test_readable_without_json(self):
        code, out, _ = run("recipe", "--target", "#8c5a2f")
        self.assertEqual(code, 0)
        self.assertIn("tooth left", out)
        self.assertEqual(run("kit")[0], 0)
        self.assertIn("general", run("measure", str(PHOTO), "--rect", "700,1130,330,200")[1])

    def test_photos_of_one_tone_give_figures_or_a_fault_never_nan(self):
        with tempfile.TemporaryDirectory() as folder:
            out = str(Path(folder) / "out.png")
            for value in (0, 1, 128, 255):
                path = str(Path(folder) / f"{value}.png")
                Image.fromarray(np.full((200, 260, 3), value, np.uint8)).save(path)
                for args in (
                    ("measure", path, "--rect", "20,20,150,150", "--mm-per-px", "0.5"),
                    ("area", path, "--rect", "20,20,150,150", "--surface", "short-fur"),
                    ("study", path, "--squint", "2", "--neutral", "auto", "--out", out),
                    ("study", path, "--value-shapes", "4", "--out", out),
                ):
                    code, said, err = run(*args, "--json")
                    with self.subTest(value=value, args=args[0]):
                        if code:
                            self.assertEqual((code, said, err.count("\n")), (2, "", 1))
                        else:
                            self.assertFalse({"NaN", "Infinity", "-Infinity"} & set(re.findall(r"[-\w]+", said)))
            self.assertIn("too dark", run("study", str(Path(folder) / "0.png"), "--squint", "2", "--neutral", "auto", "--out", out)[2])
