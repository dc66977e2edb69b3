"""A start loads no more than it shows: heavy libraries and the other stages come when they are needed, or in quiet moments."""

import os
import subprocess
import sys
import tempfile
import threading
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QWidget

from hanabira.desk import start
from hanabira.desk.jobs import JobRunner
from hanabira.desk.stage_set import WHERE, StageSet, load
from hanabira.desk.window import Desk
from hanabira.session.session import Session
from hanabira.studio.records import Commission
from hanabira.studio.store import Store
from tests.demo_studio import demo_copy
from tests.desk.test_desk import DemoCase

MATHEMATICS = ("numpy", "cv2", "PIL.Image", "shapely", "scipy")
STARTED = """
import sys
from pathlib import Path
from hanabira.__main__ import load_late
load_late()
from hanabira.core.later import Waiting
from hanabira.desk.start import make_app, open_window
app = make_app(); window = open_window(Path(sys.argv[1])); window.show(); app.processEvents()
there = {m for m, what in sys.modules.items() if not isinstance(what, Waiting)}
print(*sorted(m for m in there if m.count(".") == 0 or m == "PIL.Image" or m.startswith(("hanabira.desk.stages", "hanabira.demo."))))
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


HURRIED = """
import os, sys, time
from PyQt6.QtWidgets import QApplication
from hanabira.__main__ import run
from hanabira.core import later
def hurry():
    app = QApplication.instance()
    (desk,) = [w for w in app.topLevelWidgets() if w.inherits("QMainWindow")]
    said = []
    desk.session.messages.said.connect(said.append)
    awake = [desk.session.awake]
    for name in ("Recipe", "Areas", "Kit", "Easel", "Study", "Check", "Shelf", "Plan", "Practice", "Brief", "Areas"):
        desk.show_room(name) if name in ("Shelf", "Kit", "Practice") else desk.go(name)
        desk.session.choose_area(desk.session.areas[len(name) % 3].id)
        app.processEvents()
    end = time.monotonic() + 90
    while (desk.session.jobs.busy or not desk.session.awake or desk.stages._timer.isActive()) and time.monotonic() < end:
        app.processEvents()
        time.sleep(0.005)
    print(awake[0], desk.session.awake, desk.session.view is not None, desk.session.measures(desk.session.area_id) is not None, [m.what for m in said if m.kind != "remark"])
    print(later.waiting(), *(not isinstance(sys.modules.get(m, later.Waiting(m)), later.Waiting) for m in ("hanabira.session.workshop", "hanabira.demo.studio")))
    desk.close()
    sys.stdout.flush()
    os._exit(0)
QApplication.exec = staticmethod(hurry)
sys.argv = ["hanabira", *sys.argv[1:]]
run()
"""


def told(code: str, *args: object) -> subprocess.CompletedProcess[str]:
    """What a process of its own tells, in which nothing is loaded yet."""
    command = [sys.executable, "-c", code, *map(str, args)]
    return subprocess.run(
        command, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"}, capture_output=True, text=True, check=True, timeout=200
    )


class Lean(unittest.TestCase):
    def test_who_hurries_through_the_stages_while_the_rest_is_loaded_meets_no_fault(self):
        with tempfile.TemporaryDirectory() as temp:
            hurried = told(HURRIED, "open", "--studio", demo_copy(Path(temp) / "demo"))
        asleep_at_first, rest = hurried.stdout.splitlines()
        self.assertEqual((asleep_at_first, hurried.stderr), ("False True True True []", ""))
        self.assertEqual(rest, "[] True False", "all that a hand may need is there, and no more")

    def test_garbage_is_searched_for_again_once_the_window_stands_and_what_stands_is_passed_over(self):
        with tempfile.TemporaryDirectory() as temp:
            opened = told(OPENED, "open", "--studio", demo_copy(Path(temp) / "demo"))
        self.assertEqual(opened.stdout.split(), ["True", "True"])

    def started_in(self, stage: str) -> set[str]:
        """Libraries and stages that are loaded when a window stands on a commission that was left in a stage."""
        with tempfile.TemporaryDirectory() as temp:
            studio = demo_copy(Path(temp) / "demo")
            with Store.open(studio) as store:
                store.edit([replace(c, stage=stage) for c in store.all(Commission)])
            return set(told(STARTED, studio).stdout.split())

    def test_the_stages_of_the_photo_stand_before_the_mathematics_is_loaded(self):
        for stage in ("Brief", "Study", "Areas"):
            loaded = self.started_in(stage)
            self.assertIn(f"hanabira.desk.stages.{stage.lower()}.stage", loaded)
            for name in MATHEMATICS:
                self.assertNotIn(name, loaded, stage)

    def test_an_empty_shelf_stands_before_the_mathematics_is_loaded(self):
        with tempfile.TemporaryDirectory() as temp:
            Store.open(Path(temp) / "new").close()
            loaded = set(told(STARTED, Path(temp) / "new").stdout.split())
        self.assertIn("hanabira.desk.stages.shelf.stage", loaded)
        for name in MATHEMATICS:
            self.assertNotIn(name, loaded)

    def test_a_start_waits_for_no_library_that_it_does_not_show(self):
        loaded = self.started_in("Recipe")
        self.assertIn("numpy", loaded)
        for name in ("scipy", "skimage", "reportlab", "icalendar", "alembic", "sqlalchemy", "tifffile", "imagecodecs"):
            self.assertNotIn(name, loaded)
        stages = {m.split(".")[3] for m in loaded if m.count(".") >= 4 and m.endswith(".stage")}
        self.assertFalse([m for m in loaded if m.startswith("hanabira.demo.") and m != "hanabira.demo.place"])
        self.assertEqual(len(stages), 1, f"one stage is shown, these were loaded: {stages}")


class Waking(DemoCase):
    """A window that stands on records alone, and what comes when the mathematics is loaded."""

    def prepare(self, folder):
        super().prepare(folder)
        with Store.open(folder) as store:
            store.edit([replace(store.all(Commission)[0], stage="Areas")])

    def open_desk(self):
        self.session = Session(Store.open(self.folder), JobRunner())
        self.session.messages.said.connect(self.said.append)
        self.session.awake = False
        self.desk = Desk(self.session)
        stand = self.session.wake
        self.session.wake = lambda: None  # so that a test can look at what stands before
        start.stand(self.desk)
        self.session.wake = stand
        return self.desk

    def test_what_stands_first_claims_nothing_that_is_not_known_yet(self):
        mat = self.desk.current.mat
        self.assertEqual(self.desk.current.name, "Areas")
        self.assertEqual((mat.photo, mat.empty_words), (None, "Opening the photo"))
        self.assertEqual(mat.stops(900.0, 600.0), [])
        self.assertEqual((self.desk.rule.darkest, self.desk.rule.lightest), (0, 100))
        for stage in ("Areas", "Recipe", "Plan", "Easel", "Check"):
            self.assertEqual(self.session.share_done(stage), 0.0)
        self.assertGreater(self.session.share_done("Brief"), 0.0)
        self.assertFalse(self.session.jobs.busy, "nothing is worked at before the window is painted")
        self.assertIsNone(self.session.measures(self.session.areas[0].id))
        self.session.want_measures(self.session.areas[0].id)
        self.assertFalse(self.session.jobs.busy)

    def test_photo_outlines_reach_and_petals_come_when_it_is_awake(self):
        self.session.wake()
        self.settle()
        mat = self.desk.current.mat
        self.assertTrue(self.session.awake)
        self.assertIsNotNone(mat.photo)
        self.assertEqual({s.key for s in mat.stops(mat.width(), mat.height())}, {a.id for a in self.session.areas})
        self.assertEqual(self.desk.rule.darkest, self.session.reach.darkest_l)
        self.assertGreater(self.session.share_done("Areas"), 0.0)
        self.wait_until(lambda: self.session.measures(self.session.area_id) is not None, what="the chosen area to be measured")
        self.session.wake()  # once is enough
        self.assertFalse([j for j in self.session.jobs.running if j.key == "wake"])

    def test_the_chosen_area_is_measured_before_the_others_and_each_once(self):
        self.session.choose_area(self.session.areas[7].id)
        with mock.patch.object(self.session.jobs, "run", wraps=self.session.jobs.run) as run:
            self.session.wake()
            self.wait_until(lambda: all(self.session.measures(a.id) for a in self.session.areas), what="all areas to be measured")
        asked = [(c.args[0], c.kwargs["first"]) for c in run.call_args_list if c.args[0].startswith("measure ")]
        self.assertEqual(asked[0], (f"measure {self.session.area_id}", True))
        self.assertEqual(sorted(key for key, _first in asked), sorted(f"measure {a.id}" for a in self.session.areas))
        self.assertEqual([first for _key, first in asked[1:]], [False] * 11)

    def test_another_commission_opened_meanwhile_is_the_one_that_is_shown(self):
        other = next(c for c in self.session.commissions if c.id != self.session.commission.id)
        self.session.wake()
        self.session.open_commission(other.id)
        self.settle()
        self.assertTrue(self.session.awake)
        self.assertEqual(self.session.commission.id, other.id)
        self.assertEqual(self.session.view.shows, self.session.light_sign(self.session.photo))
        self.assertEqual([m for m in self.said if m.kind == "remark"], [], "nobody had asked for what was stopped")

    def test_a_photo_that_came_early_is_not_shown_on_another_commission(self):
        other = next(c for c in self.session.commissions if c.id != self.session.commission.id)
        waking = self.session.waking
        with mock.patch.object(waking, "_load"):  # the rest takes its time
            waking._photo()
            self.wait_until(lambda: waking.early is not None and not self.session.jobs.busy, what="the photo")
            self.assertIsNone(self.session.view, "it is held back until everything on it can be shown")
            with mock.patch.object(self.session.darkroom, "load"):
                self.session.open_commission(other.id)
            self.assertIsNone(waking.early)
        waking._all()
        self.assertIsNone(self.session.view)

    def test_a_window_closed_before_it_is_awake_just_closes(self):
        self.session.wake()
        self.close_desk()
        self.assertEqual([m for m in self.said if m.kind == "bug"], [])

    def test_a_photo_that_cannot_be_read_is_said_on_the_sheet(self):
        photo = self.session.photo
        self.session.store.photo_path(photo).write_bytes(b"no picture")
        self.session.wake()
        self.settle()
        self.assertEqual(self.desk.current.mat.empty_words, "The photo could not be opened")
        self.assertEqual(len([m for m in self.said if m.kind == "fault"]), 1)
        self.desk.go("Study")
        self.assertEqual(self.desk.current.mat.empty_words, "The photo could not be opened")
        self.session.take_up(Commission("new", "Rook"))
        self.desk.go("Areas")
        self.assertEqual(self.desk.current.mat.empty_words, "Add the client’s photo first, in Brief.")


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
        self.session.jobs.run("slow", "Waiting", lambda _t: gate.wait(20), lambda _r: None)
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
