"""The rules of the house: files stay short, examples run, colours are neutral, text can be read."""

import ast
import doctest
import importlib
import importlib.util
import pkgutil
import tomllib
import unittest
from pathlib import Path

import hanabira
from hanabira.core.faults import Cancelled
from hanabira.core.token import Token

ROOT = Path(__file__).parent.parent
MODULES = [m.name for m in pkgutil.walk_packages(hanabira.__path__, "hanabira.")]


class House(unittest.TestCase):
    def test_no_file_is_over_600_lines(self):
        for path in (q for f in ("hanabira", "tests", "benchmarks", "tools") for q in (ROOT / f).rglob("*.py")):
            self.assertLessEqual(len(path.read_text("utf-8").splitlines()), 600, path)

    def test_pins_name_no_host(self):
        for name in ("requirements.txt", "requirements-dev.txt"):
            for line in (ROOT / name).read_text().splitlines():
                self.assertNotIn("://", line)
                if line and not line.startswith(("#", "-r")):
                    self.assertRegex(line, r"^[A-Za-z0-9_.-]+==[\w.]+$")

    def test_one_place_asks_the_machine_what_day_it_is(self):
        """Everything else is handed a clock, so that any day can be tried. What looks at the age of files compares the machine with itself."""
        own = {"hanabira/core/clock.py": {"now"}, "hanabira/studio/files.py": {"time"}}
        asks = {"now", "today", "utcnow", "fromtimestamp", "time", "localtime", "gmtime", "strftime", "currentDate", "currentDateTime", "currentTime"}
        of = {"datetime", "date", "time", "QDate", "QDateTime", "QTime"}
        found: dict[str, set[str]] = {}
        for path in (q for f in ("hanabira", "tests", "tools") for q in (ROOT / f).rglob("*.py")):
            for node in ast.walk(ast.parse(path.read_text("utf-8"))):
                if not isinstance(node, ast.Attribute) or node.attr not in asks:
                    continue
                named = node.value.attr if isinstance(node.value, ast.Attribute) else getattr(node.value, "id", "")
                timed = named == "datetime" and node.attr in ("time", "strftime", "date") or node.attr == "fromtimestamp"
                if named in of and not timed:
                    found.setdefault(str(path.relative_to(ROOT)), set()).add(node.attr)
        self.assertEqual(found, own)

    def test_every_module_says_what_it_is(self):
        for name in MODULES:
            if "migrations" not in name:
                self.assertTrue(importlib.import_module(name).__doc__, name)

    def test_data_files_ship(self):
        patterns = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["setuptools"]["package-data"]["*"]
        for path in (ROOT / "hanabira").rglob("*"):
            if path.is_file() and path.suffix not in (".py", ".pyc"):
                self.assertIn(f"*{path.suffix}", patterns, path)


class Tokens(unittest.TestCase):
    def test_report_and_cancel(self):
        seen = []
        token = Token(lambda share, words: seen.append((share, words)))
        token.report(2, "x")
        self.assertEqual(seen, [(1.0, "x")])
        token.cancel()
        with self.assertRaises(Cancelled):
            token.report(0.1)


class Look(unittest.TestCase):
    def test_greys_are_neutral_and_text_can_be_read(self):
        from hanabira.desk import theme

        self.assertEqual(theme.audit(), [])

    def test_every_icon_that_is_asked_for_is_there(self):
        """The second word of a button names its icon; a missing one would only be found by whoever meets that button."""
        from hanabira.desk import icon

        asked = 0
        for path in (ROOT / "hanabira" / "desk").rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text("utf-8"))):
                name = getattr(getattr(node, "func", None), "id", "")
                if isinstance(node, ast.Call) and name in ("act_button", "PetalButton") and len(node.args) > 1:
                    for word in ast.walk(node.args[1]):
                        if isinstance(word, ast.Constant) and isinstance(word.value, str):
                            asked += 1
                            self.assertIn(word.value, icon.names(), f"{path.name}:{node.lineno}")
        self.assertGreater(asked, 40)

    def test_icons_are_one_stroke_and_short(self):
        import re

        from hanabira.desk import icon

        self.assertGreaterEqual(len(icon.names()), 30)
        for name in icon.names():
            svg = (icon.FOLDER / f"{name}.svg").read_text()
            self.assertIn('stroke="currentColor" stroke-width="1.6"', svg)
            self.assertNotRegex(svg.replace('fill="none"', ""), "fill=")
            self.assertLessEqual(len(re.findall("M", svg)) + svg.count("<circle"), 8, name)

    def test_settings_stay_within_bounds(self):
        from hanabira.session.settings import ALL

        self.assertEqual(ALL["theme"].clean("pink"), "day")
        self.assertEqual(ALL["text_size"].clean(3.0), 1.0)
        self.assertEqual(ALL["screen_px_per_mm"].clean(500.0), 20.0)
        self.assertEqual(ALL["screen_px_per_mm"].clean(float("nan")), ALL["screen_px_per_mm"].default)
        self.assertEqual(ALL["views"].clean([1]), {})


class Renderer(unittest.TestCase):
    def test_a_small_rabbit_with_its_truth(self):
        import numpy as np

        from demo_making.animals.engine import PART
        from demo_making.animals.render import render

        picture, truth = render("rabbit", "harlequin", size=(200, 160), seed=1, ss=1.0)
        again, _ = render("rabbit", "harlequin", size=(200, 160), seed=1, ss=1.0)
        np.testing.assert_array_equal(picture, again)
        self.assertEqual(picture.shape, (160, 200, 3))
        direction = truth["direction"]
        self.assertGreater(np.isfinite(direction).mean(), 0.25)
        self.assertTrue(((direction >= 0) & (direction <= 180))[np.isfinite(direction)].all())
        self.assertTrue({PART["coat"], PART["background"], PART["ear_inside"]} <= set(np.unique(truth["part"])))
        # the shipped photo is this scene: same shapes at a tenth of its size
        from PIL import Image

        from hanabira.demo.pictures import PHOTO

        with Image.open(PHOTO) as f:
            small = np.asarray(f.resize((200, 160), Image.Resampling.BOX), float)
        self.assertGreater(np.corrcoef(small.mean(2).ravel(), picture.mean(2).ravel())[0, 1], 0.8)


def load_tests(loader, tests, _pattern):  # noqa: ANN001
    """Examples in docstrings are tests."""
    for name in MODULES:
        if name.startswith(("hanabira.core", "hanabira.studio", "hanabira.craft", "hanabira.session")) and "migrations" not in name:
            tests.addTests(doctest.DocTestSuite(importlib.import_module(name), optionflags=doctest.NORMALIZE_WHITESPACE)) if _has_examples(
                name
            ) else None
    return tests


def _has_examples(name: str) -> bool:
    path = Path(importlib.import_module(name).__file__)
    return ">>>" in path.read_text("utf-8")
