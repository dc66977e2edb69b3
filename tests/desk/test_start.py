"""A start loads no more than it shows: heavy libraries and the other stages come when they are needed, or in quiet moments."""

import os
import subprocess
import sys
import tempfile
import threading
import unittest
from pathlib import Path

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QWidget

from hanabira.core.later import Later
from hanabira.desk.stage_set import WHERE, StageSet, load
from tests.demo_studio import demo_copy
from tests.desk.test_desk import DemoCase

STARTED = """
import sys
from pathlib import Path
from hanabira.desk.start import make_app, open_window
app = make_app(); window = open_window(Path(sys.argv[1])); window.show(); app.processEvents()
print(*sorted(m for m in sys.modules if m.count(".") == 0 or m.startswith(("hanabira.desk.stages", "hanabira.demo."))))
window.close()
"""


OPENED = """
import gc, sys
from PyQt6.QtWidgets import QApplication
from hanabira.__main__ import run
QApplication.exec = staticmethod(lambda: print(gc.isenabled(), gc.get_freeze_count() > 20_000) or 0)
sys.argv = ["hanabira", *sys.argv[1:]]
sys.exit(run())
"""


class Lean(unittest.TestCase):
    def test_garbage_is_searched_for_again_once_the_window_stands_and_what_stands_is_passed_over(self):
        with tempfile.TemporaryDirectory() as temp:
            told = subprocess.run(
                [sys.executable, "-c", OPENED, "open", "--studio", str(demo_copy(Path(temp) / "demo"))],
                env={**os.environ, "QT_QPA_PLATFORM": "offscreen"}, capture_output=True, text=True, check=True, timeout=120,
            )  # fmt: skip
        self.assertEqual(told.stdout.split(), ["True", "True"])

    def test_a_start_waits_for_no_library_that_it_does_not_show(self):
        with tempfile.TemporaryDirectory() as temp:
            studio = demo_copy(Path(temp) / "demo")
            env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
            told = subprocess.run(
                [sys.executable, "-c", STARTED, str(studio)], env=env, capture_output=True, text=True, check=True, timeout=120
            )
        loaded = set(told.stdout.split())
        self.assertIn("numpy", loaded)
        for name in ("scipy", "skimage", "reportlab", "icalendar", "alembic", "sqlalchemy", "tifffile", "imagecodecs"):
            self.assertNotIn(name, loaded)
        stages = {m.split(".")[3] for m in loaded if m.count(".") >= 4 and m.endswith(".stage")}
        self.assertFalse([m for m in loaded if m.startswith("hanabira.demo.") and m != "hanabira.demo.place"])
        self.assertEqual(len(stages), 1, f"one stage is shown, these were loaded: {stages}")

    def test_a_later_module_is_loaded_at_the_first_look(self):
        name = "this_is_no_module_at_all"
        later = Later(name)
        with self.assertRaises(ModuleNotFoundError):
            later.anything  # noqa: B018
        self.assertIs(Later("math").pi, __import__("math").pi)
        with self.assertRaises(AttributeError):
            Later("math").no_such_thing  # noqa: B018


class Ready(DemoCase):
    def test_the_other_stages_are_made_in_quiet_moments_each_once(self):
        self.wait_until(lambda: len(self.desk.stages._there) == len(WHERE), 60, "the stages to be made")
        for name in WHERE:
            self.assertIsInstance(self.desk.stages[name], load(name))
            self.assertGreaterEqual(self.desk.pages.indexOf(self.desk.stages[name].centre), 0)
        self.assertEqual(self.desk.pages.count(), len(WHERE))
        self.assertFalse(self.desk.stages._timer.isActive())
        opened = []
        waiting = StageSet(self.desk, lambda _stage: None)
        gate = threading.Event()
        self.addCleanup(gate.set)
        self.model.jobs.run("slow", "Waiting", lambda _t: gate.wait(20), lambda _r: None)
        waiting._one_more()
        self.assertEqual(waiting._there, {}, "work comes first")
        gate.set()
        self.settle()

        class Watch(QObject):
            def eventFilter(self, watched, event):
                if event.type() == QEvent.Type.Show and isinstance(watched, QWidget) and watched.isWindow():
                    opened.append(watched)
                return False

        watch = Watch()
        self.app.installEventFilter(watch)
        self.addCleanup(self.app.removeEventFilter, watch)
        again = StageSet(self.desk, lambda stage: self.desk.pages.addWidget(stage.centre))
        for name in WHERE:
            again[name]
            self.app.processEvents()
        self.assertEqual(opened, [], "a stage that is made in a quiet moment opens no window and takes no keyboard")
        told = []
        few = StageSet(self.desk, told.append)
        self.assertEqual(few._there, {})
        plan = few["Plan"]
        self.assertIs(few["Plan"], plan)
        self.assertEqual(told, [plan])
        self.assertNotIn("Cellar", self.desk.stages)
        few.get_ready()
        sip.delete(few._timer)  # as when the window goes before its code is loaded
        self.settle()
        self.assertEqual([m.what for m in self.said if m.kind == "bug"], [])


if __name__ == "__main__":
    unittest.main()
