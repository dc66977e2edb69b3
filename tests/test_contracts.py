"""The import contracts see every edge: each forbidden import is planted in a copy of the program, and the check names it."""

import ast
import os
import re
import shutil
import subprocess
import sys
import tempfile
import tomllib
import unittest
from pathlib import Path

ROOT = Path(__file__).parent.parent
PLANTED = (
    # where, what is written there, and the edge that the check must name
    ("session/events.py", "import PyQt6.QtCore", "hanabira.session.events -> PyQt6"),
    ("session/undo.py", "def f():\n    from PyQt6 import QtGui", "hanabira.session.undo -> PyQt6"),
    ("sheets/pages.py", "from PyQt6.QtGui import QImage", "hanabira.sheets.pages -> PyQt6"),
    ("core/study/grid.py", "import PyQt6", "hanabira.core.study.grid -> PyQt6"),
    ("devices/lens.py", "import PyQt6", "hanabira.devices.lens -> PyQt6"),
    ("craft/cells.py", "import sqlalchemy", "hanabira.craft.cells -> sqlalchemy"),
    ("session/dates.py", "from sqlalchemy import text", "hanabira.session.dates -> sqlalchemy"),
    ("desk/images.py", "import sqlite3", "hanabira.desk.images -> sqlite3"),
    ("desk/paint.py", "from reportlab import platypus", "hanabira.desk.paint -> reportlab"),
    ("core/colour/ranks.py", "from hanabira.core.solver import layer", "hanabira.core.colour.ranks -> hanabira.core.solver.layer"),
    ("core/area/hair.py", "from hanabira.core.places.place import Place", "hanabira.core.area.hair -> hanabira.core.places.place"),
    ("core/optics/tooth.py", "from hanabira.core.forecast import portrait", "hanabira.core.optics.tooth -> hanabira.core.forecast.portrait"),
    ("core/faults.py", "from hanabira.craft import supplies", "hanabira.core.faults -> hanabira.craft.supplies"),
    ("core/sentences.py", "import PIL", "hanabira.core.sentences -> PIL"),
    ("studio/locks.py", "from hanabira.session import words", "hanabira.studio.locks -> hanabira.session.words"),
    ("session/sender.py", "from hanabira.desk import theme", "hanabira.session.sender -> hanabira.desk.theme"),
    ("desk/stages/plan/stage.py", "from hanabira.desk.stages.areas import cards", "hanabira.desk.stages.plan.stage -> hanabira.desk.stages.areas.cards"),
    ("desk/stages/brief/cards.py", "def f():\n    import hanabira.desk.stages.kit.stage", "hanabira.desk.stages.brief.cards -> hanabira.desk.stages.kit.stage"),
    ("desk/widgets/mat.py", "from hanabira.desk import window", "hanabira.desk.widgets.mat -> hanabira.desk.window"),
    ("desk/theme.py", "from hanabira.desk.widgets import bench", "hanabira.desk.theme -> hanabira.desk.widgets.bench"),
    ("desk/gestures/marks.py", "from hanabira.desk.widgets import mat", "hanabira.desk.gestures.marks -> hanabira.desk.widgets.mat"),
)
BY_NAME = {"core/later.py", "session/members.py", "session/waking.py", "desk/stage_set.py", "studio/packing.py"}
"""Modules that may load others by their names; everybody else writes an import, which the contracts see."""
LOADERS = {"import_module", "__import__", "loaded", "find_spec", "exec_module", "exec", "run_module", "run_path"}


def loads_by_name(home: Path) -> dict[str, set[str]]:
    """Which modules under ``home`` load others by name, and the names that stand in them: strings and beginnings of formatted ones."""
    out: dict[str, set[str]] = {}
    for path in home.rglob("*.py"):
        tree = ast.parse(path.read_text("utf-8"))
        called = {n.func.attr if isinstance(n.func, ast.Attribute) else getattr(n.func, "id", "") for n in ast.walk(tree) if isinstance(n, ast.Call)}
        called |= {q.name for n in ast.walk(tree) if isinstance(n, ast.ImportFrom) and n.module == "importlib" for q in n.names}  # whatever it is called there
        calls_app = "exec" in called and not any(isinstance(n, ast.Call) and getattr(n.func, "id", "") == "exec" for n in ast.walk(tree))
        if called & (LOADERS - ({"exec"} if calls_app else set())):  # `exec` of a card or of the application shows it
            strings = {n.value for n in ast.walk(tree) if isinstance(n, ast.Constant) and isinstance(n.value, str)}
            out[str(path.relative_to(home))] = {s.rstrip(".") for s in strings if re.fullmatch(r"[A-Za-z_]\w*(\.\w*)+", s)}
    return out


def layer_of(module: str) -> int:
    """Which layer of the program a module stands in, the topmost first."""
    contracts = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["importlinter"]["contracts"]
    (rows,) = (c["layers"] for c in contracts if c["name"] == "Imports run downward only")
    layers = [[q.strip() for q in line.split("|")] for line in rows]
    return next(n for n, row in enumerate(layers) if any(module == q or module.startswith(f"{q}.") for q in row))


class Contracts(unittest.TestCase):
    def test_every_planted_import_is_found(self):
        with tempfile.TemporaryDirectory() as temp:
            home = Path(temp) / "hanabira"
            shutil.copytree(ROOT / "hanabira", home, ignore=shutil.ignore_patterns("__pycache__", "*.jpg", "*.npz", "*.ttf", "*.md"))
            shutil.copy(ROOT / "pyproject.toml", temp)
            for name, line, _edge in PLANTED:
                path = home / name
                path.write_text(f"{path.read_text('utf-8')}\n\n{line}\n", "utf-8")
            command = [str(Path(sys.executable).with_name("lint-imports")), "--no-cache", "--config", str(Path(temp) / "pyproject.toml")]
            told = subprocess.run(
                command, cwd=temp, env={**os.environ, "PYTHONPATH": temp, "PYTHONDONTWRITEBYTECODE": "1", "COLUMNS": "300"}, capture_output=True, text=True, timeout=300
            )  # fmt: skip
        self.assertNotEqual(told.returncode, 0)
        for _name, _line, edge in PLANTED:
            with self.subTest(edge=edge):
                self.assertIn(edge, re.sub(r"\s+", " ", told.stdout))

    def test_every_planted_line_of_its_own_is_what_breaks_them(self):
        """The tree as it is breaks nothing, and this holds the list above to files that there are."""
        for name, line, _edge in PLANTED:
            self.assertNotIn(line, (ROOT / "hanabira" / name).read_text("utf-8"))

    def test_the_tree_keeps_all_of_them_and_each_package_has_its_floor(self):
        command = [str(Path(sys.executable).with_name("lint-imports")), "--no-cache"]
        told = subprocess.run(
            command, cwd=ROOT, env={**os.environ, "PYTHONPATH": str(ROOT), "PYTHONDONTWRITEBYTECODE": "1", "COLUMNS": "300"}, capture_output=True, text=True, timeout=300
        )  # fmt: skip
        self.assertEqual(told.returncode, 0, told.stdout[-2000:])

    def test_few_load_by_name_and_only_what_lies_below_them(self):
        found = loads_by_name(ROOT / "hanabira")
        self.assertEqual(set(found), BY_NAME)
        for name, strings in found.items():
            here = layer_of("hanabira." + name.removesuffix(".py").replace("/", "."))
            for what in strings:
                self.assertNotRegex(what, r"^PyQt6", name)
                if what.startswith("hanabira."):
                    self.assertLessEqual(here, layer_of(what), f"{name} may not load {what}")

    def test_a_load_by_name_that_is_planted_is_found(self):
        with tempfile.TemporaryDirectory() as temp:
            for n, line in enumerate(
                (
                    'import importlib\nimportlib.import_module("PyQt6.QtCore")',
                    'from importlib import import_module as im\nim("hanabira.desk.window")',
                    '__import__("hanabira.desk")',
                    'from hanabira.core.later import loaded\nloaded("hanabira.desk.window")',
                    'exec("import PyQt6")',
                )
            ):
                (Path(temp) / f"m{n}.py").write_text(line)
            (Path(temp) / "card.py").write_text("card.exec()\nimport math\n")
            self.assertEqual(set(loads_by_name(Path(temp))), {f"m{n}.py" for n in range(5)})
