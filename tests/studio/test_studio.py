"""The studio on disk: transactions, lock, backups, damage, migrations, sudden death."""

import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import create_engine

from hanabira.core.faults import Fault, LostStudio, PhotoFault, StudioFault
from hanabira.core.solver.layer import Layer
from hanabira.demo.pictures import PHOTO
from hanabira.studio import store as store_module
from hanabira.studio.backups import KEPT as BACKUPS_KEPT
from hanabira.studio.database import DATABASE, HEAD
from hanabira.studio.migrations.schema import metadata
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe, cover_crop
from hanabira.studio.store import Store
from hanabira.studio.tables import TABLES
from hanabira.studio.writing import write_file


class Case(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.folder = Path(temp.name) / "studio"

    def filled(self) -> Store:
        store = Store.open(self.folder)
        self.addCleanup(store.close)
        c = Commission("c", "Tansy")
        p = Photo("p", "c", "d" * 64, ".jpg", "t.jpg", 200, 100, cover_crop(200, 100, 0.8))
        a = Area("a", "c", "p", 1, "Eye", "eye", ((1.5, 2.25), (30, 4), (5, 60)))
        store.edit([c, p, a, Recipe("a", (Layer("gap", "401", 3, 1, "gaps", why="because"),), "note “é”")])
        return store


class Records(Case):
    def test_everything_comes_back_as_it_was(self):
        store = self.filled()
        before = [store.all(kind) for kind in (Commission, Photo, Area, Recipe)]
        store.close()
        with Store.open(self.folder) as again:
            self.assertEqual([again.all(kind) for kind in (Commission, Photo, Area, Recipe)], before)
            self.assertIsNone(again.get(Area, "none"))
            self.assertEqual(again.setting("theme", "day"), "day")

    def test_a_failing_edit_leaves_nothing_half_done(self):
        store = self.filled()
        with self.assertRaises(StudioFault):
            store.edit([Commission("c2", "Second"), Photo("p2", "missing", "e" * 64, ".jpg", "x", 1, 1, (0, 0, 1, 1))])
        self.assertIsNone(store.get(Commission, "c2"))
        with self.assertRaises(StudioFault):
            store.edit([replace(store.all(Commission)[0], width_mm=-5)])
        self.assertEqual(store.all(Commission)[0].width_mm, 240)

    def test_deleting_takes_what_belongs_to_it(self):
        store = self.filled()
        store.edit(drop=[store.all(Commission)[0]])
        self.assertEqual([store.all(kind) for kind in (Photo, Area, Recipe)], [(), (), ()])


class Files(Case):
    def test_photos_are_kept_once_by_content(self):
        store = self.filled()
        digest, suffix, size = store.take_in(PHOTO)
        self.assertEqual((suffix, size), (".jpg", (2000, 1600)))
        self.assertEqual(store.take_in(PHOTO)[0], digest)
        kept = [p for p in (self.folder / "photos").rglob("*") if p.is_file()]
        self.assertEqual(len(kept), 1)
        self.assertEqual(kept[0].read_bytes(), PHOTO.read_bytes())
        bad = self.folder.parent / "bad.jpg"
        bad.write_text("no")
        with self.assertRaises(PhotoFault):
            store.take_in(bad)
        self.assertEqual(len([p for p in (self.folder / "photos").rglob("*") if p.is_file()]), 1)


class Safety(Case):
    def test_lock_and_reading_only(self):
        store = self.filled()
        with Store.open(self.folder) as other:
            self.assertIn("another window", other.read_only)
            self.assertEqual(len(other.all(Area)), 1)
            for act in (lambda: other.edit([Commission("x", "x")]), lambda: other.take_in(PHOTO)):
                with self.assertRaises(StudioFault):
                    act()
            other.keep_setting("theme", "evening")
        self.assertIsNone(store.setting("theme"))
        store.close()
        with Store.open(self.folder) as free:
            self.assertEqual(free.read_only, "")

    def test_backups_daily_and_ten_kept(self):
        store = self.filled()
        self.assertEqual(len(store.backups()), 1)
        made = [store.backup() for _ in range(14)]
        self.assertEqual([b.path for b in store.backups() if b.reason == "asked"], [b.path for b in made[-BACKUPS_KEPT:]])
        copy = sqlite3.connect(made[-1].path)
        self.assertEqual(copy.execute("select name from commission").fetchall(), [("Tansy",)])
        copy.close()

    def test_damage_is_said_with_the_way_back(self):
        self.filled().close()
        shutil.rmtree(self.folder / "journal")
        for f in self.folder.glob("*.sqlite-*"):
            f.unlink()
        path = self.folder / DATABASE
        data = bytearray(path.read_bytes())
        data[100:4000] = b"\x55" * 3900
        path.write_bytes(data)
        with self.assertRaises(StudioFault) as caught:
            Store.open(self.folder)
        self.assertIn("backups", str(caught.exception))

    def test_a_newer_studio_is_left_alone(self):
        self.filled().close()
        db = sqlite3.connect(self.folder / DATABASE)
        db.execute("update alembic_version set version_num = '9999'")
        db.commit()
        db.close()
        with self.assertRaises(StudioFault) as caught:
            Store.open(self.folder)
        self.assertIn("newer", str(caught.exception))

    def test_a_database_that_does_not_say_its_version_is_told_in_words(self):
        for empty in ("delete from alembic_version", "update alembic_version set version_num = ''", "drop table alembic_version"):
            shutil.rmtree(self.folder, ignore_errors=True)
            self.filled().close()
            shutil.rmtree(self.folder / "backups")
            db = sqlite3.connect(self.folder / DATABASE)
            db.execute(empty)
            db.commit()
            db.close()
            before = (self.folder / DATABASE).read_bytes()
            with self.assertRaises(LostStudio) as caught:
                Store.open(self.folder)
            self.assertIn("does not say which version", str(caught.exception))
            self.assertNotIn("Error", str(caught.exception))
            self.assertEqual((self.folder / DATABASE).read_bytes(), before)

    def test_a_folder_that_cannot_be_made(self):
        blocked = self.folder.parent / "file"
        blocked.write_text("x")
        with self.assertRaises(StudioFault):
            Store.open(blocked / "studio")

    def test_migrations_make_the_tables_and_end_at_head(self):
        self.filled().close()
        engine = create_engine(f"sqlite:///{self.folder / DATABASE}")
        with engine.connect() as connection:
            found = compare_metadata(MigrationContext.configure(connection), metadata)
        self.assertEqual(
            {(t.name, t.key, (*t.columns, "version")) for t in TABLES.values()},
            {(t.name, t.primary_key.columns.keys()[0], tuple(t.columns.keys())) for t in metadata.tables.values() if t.name != "setting"},
        )
        # indices of columns with a foreign key are reported as removed and added again, unchanged
        self.assertEqual([d for d in found if "index" not in str(d[0])], [])
        engine.dispose()
        scripts = ScriptDirectory(str(Path(store_module.__file__).parent / "migrations"))
        self.assertEqual(scripts.get_current_head(), HEAD)

    def test_ending_the_process_by_force_loses_no_acknowledged_edit(self):
        """A process makes areas, changes one and logs steps, saying each once it is kept; it is killed at a random moment. A hundred times."""
        self.filled().close()
        random.seed(7)
        nursery = subprocess.Popen(
            [sys.executable, "-c", NURSERY, str(self.folder)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, bufsize=1
        )
        assert nursery.stdin is not None and nursery.stdout is not None
        said, early, warm = {"area": set(), "log": set(), "name": set()}, 0, 0.0
        for round_ in range(101):
            print(1000 * round_, file=nursery.stdin, flush=True)
            pid, began = int(nursery.stdout.readline()), time.monotonic()
            if not warm:  # how long this machine takes to the first edit
                nursery.stdout.readline()
                warm = time.monotonic() - began
            timer = threading.Timer(random.uniform(0.0, 3 * warm), os.kill, (pid, signal.SIGKILL))
            timer.start()
            acknowledged = 0
            for line in iter(nursery.stdout.readline, "gone\n"):
                kind, number = line.split()
                said[kind].add(int(number))
                acknowledged += 1
            timer.join()
            early += not acknowledged
            with Store.open(self.folder) as store:
                areas, log = store.all(Area), store.all(LogRow)
            self.assertLessEqual({f"a{n}" for n in said["area"]}, {a.id for a in areas})
            self.assertLessEqual({f"r{n}" for n in said["log"]}, {r.id for r in log})
            if said["name"]:
                now = next(a.name for a in areas if a.id == "changing")
                self.assertGreaterEqual(int(now), max(said["name"]))
        nursery.stdin.close()
        self.assertEqual(nursery.wait(), 0)
        nursery.stdout.close()
        # some died while they opened the studio, most in the middle of their work
        self.assertGreater(len(said["area"]) + len(said["log"]) + len(said["name"]), 60, "a busy machine acknowledges fewer")
        self.assertTrue(5 <= early <= 80, early)


NURSERY = """
import os, sys
from hanabira.studio.records import Area, LogRow
from hanabira.studio.store import Store
folder, ring = sys.argv[1], ((0, 0), (9, 0), (0, 9))
for line in sys.stdin:
    start = int(line)
    pid = os.fork()
    if pid == 0:
        store = Store.open(folder)
        for n in range(start, start + 1000):
            store.edit([Area(f"a{n}", "c", "p", n, "one", "eye", ring)])
            os.write(1, f"area {n}\\n".encode())
            store.edit([LogRow(f"r{n}", "c", f"a{n}:0", f"a{n}", "one", "eye", "ground", "203", 2, 4.0, 3.0, "2026-01-05T10:00:00")])
            os.write(1, f"log {n}\\n".encode())
            store.edit([Area("changing", "c", "p", 0, str(n), "eye", ring)])
            os.write(1, f"name {n}\\n".encode())
        os._exit(0)
    os.write(1, f"{pid}\\n".encode())
    os.waitpid(pid, 0)
    os.write(1, b"gone\\n")
"""
"""Starts warm processes, so that a hundred of them can be ended in seconds."""


class Writing(unittest.TestCase):
    def test_a_file_is_replaced_whole_or_not_at_all(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "kit.csv"
            write_file(path, "täglich\n")
            self.assertEqual(path.read_text("utf-8"), "täglich\n")
            write_file(path, b"\x00new")
            self.assertEqual(path.read_bytes(), b"\x00new")
            with mock.patch("os.replace", side_effect=OSError(28, "No space left on device")), self.assertRaises(Fault) as caught:
                write_file(path, b"half")
            self.assertIn("kit.csv could not be written: the disk is full", str(caught.exception))
            self.assertEqual((path.read_bytes(), [p.name for p in Path(folder).iterdir()]), (b"\x00new", ["kit.csv"]))
            for impossible in (Path(folder) / "none" / "a.pdf", path / "a.pdf"):
                with self.assertRaises(Fault):
                    write_file(impossible, b"x")
