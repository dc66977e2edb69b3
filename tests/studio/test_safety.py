"""Nothing is lost: threads, migrations ended by force, odd folders, full disks, backups and the way back."""

import contextlib
import os
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import threading
import unittest
from pathlib import Path
from unittest import mock

from hanabira.core.faults import LostStudio, StudioFault
from hanabira.core.solver.layer import Layer
from hanabira.demo.pictures import PHOTO
from hanabira.studio import backups, database
from hanabira.studio.bundle import contents_of, import_bundle, read_bundle, write_bundle
from hanabira.studio.database import DATABASE, HEAD
from hanabira.studio.overview import overviews
from hanabira.studio.records import Area, Commission, Photo, Recipe, cover_crop
from hanabira.studio.store import Store
from hanabira.studio.writing import write_file

RING = ((10.0, 10.0), (90.0, 10.0), (50.0, 80.0))


class Case(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.root = Path(temp.name)
        self.folder = self.root / "studio"

    def filled(self, folder: Path | None = None) -> Store:
        store = Store.open(folder or self.folder)
        self.addCleanup(store.close)
        c = Commission("c", "Tansy")
        digest, suffix, (w, h) = store.take_in(PHOTO)
        p = Photo("p", "c", digest, suffix, "t.jpg", w, h, cover_crop(w, h, 0.8))
        store.edit([c, p, Area("a", "c", "p", 1, "Eye", "eye", RING), Recipe("a", (Layer("gap", "401", 3, 1, "gaps"),))])
        return store


class Threads(Case):
    def test_edits_stay_whole_while_other_threads_read_and_write_bundles(self):
        """Five records an edit; a reader must never see two of them differ, and none of an acknowledged edit may be missing."""
        store = self.filled()
        store.edit([Area(f"five{k}", "c", "p", k, "0", "eye", RING) for k in range(5)])
        torn, failed, stop = [], [], threading.Event()

        def read() -> None:
            while not stop.is_set():
                try:
                    names = {a.name for a in store.all(Area, commission_id="c") if a.id.startswith("five")}
                    if len(names) > 1:
                        torn.append(names)
                    with store.snapshot():
                        first = {a.name for a in store.all(Area) if a.id.startswith("five")}
                        again = {a.name for a in store.all(Area) if a.id.startswith("five")}
                    if first != again:
                        torn.append((first, again))
                except Exception as error:
                    failed.append(error)

        def bundle() -> None:
            n = 0
            while not stop.is_set():
                try:
                    path = write_bundle(store, "c", self.root / f"{n}.zip").path
                    names = {a.name for a in read_bundle(path).areas if a.id.startswith("five")}
                    if len(names) > 1:
                        torn.append(names)
                except Exception as error:
                    failed.append(error)
                n += 1

        def write(mark: str) -> None:
            for n in range(40):
                try:
                    store.edit([Area(f"{mark}{n}-{k}", "c", "p", 9, mark, "eye", RING) for k in range(5)])
                    if mark == "x":
                        store.edit([Area(f"five{k}", "c", "p", k, str(n), "eye", RING) for k in range(5)])
                except Exception as error:
                    failed.append(error)

        helpers = [threading.Thread(target=f) for f in (read, read, bundle)]
        writers = [threading.Thread(target=write, args=(m,)) for m in "xyz"]
        for t in (*helpers, *writers):
            t.start()
        for t in writers:
            t.join(120)
        stop.set()
        for t in helpers:
            t.join(120)
        self.assertEqual(failed, [])
        self.assertEqual(torn, [])
        ids = {a.id for a in store.all(Area)}
        self.assertLessEqual({f"{m}{n}-{k}" for m in "xyz" for n in range(40) for k in range(5)}, ids)

    def test_a_good_bundle_comes_in_while_the_window_reads(self):
        store = self.filled()
        path = write_bundle(store, "c", self.root / "b.zip").path
        stop = threading.Event()

        def read() -> None:
            while not stop.is_set():
                overviews(store)
                contents_of(store, "c")

        reader = threading.Thread(target=read)
        reader.start()
        try:
            names = [import_bundle(store, path).commission.name for _ in range(10)]
        finally:
            stop.set()
            reader.join(60)
        self.assertEqual(names, ["Tansy (copy)"] * 10)
        self.assertEqual(len(store.all(Commission)), 11)


def old_studio(folder: Path, revision: str) -> None:
    """A studio as a version with this schema left it."""
    folder.mkdir(parents=True)
    path = folder / DATABASE
    database.migrate(path, revision, fresh=True)
    surface = "mane" if revision < "0004" else "mane-and-tail"
    with contextlib.closing(database.connect(path, "rw")) as c:
        c.execute(
            "INSERT INTO commission (id, name, client, animal, paper_id, ground_hex, width_mm, height_mm, border_mm, kit_id, notes, stage, created)"
            " VALUES ('c', 'Old friend', '', 'pony', 'hotpress', '#f4f3ef', 240, 300, 10, 'pencils', '', 'Areas', '2025-05-05T10:00:00')"
        )
        c.execute(
            "INSERT INTO photo (id, commission_id, digest, suffix, original_name, width_px, height_px, crop, part, position)"
            f" VALUES ('p', 'c', '{'d' * 64}', '.jpg', 'pony.jpg', 200, 100, '[60, 0, 78, 100]', 'main', 0)"
        )
        for n in range(300):
            c.execute(
                "INSERT INTO area (id, commission_id, photo_id, number, name, surface_id, ring, smooth)"
                f" VALUES ('a{n}', 'c', 'p', {n}, 'Mane {n}', '{surface}', '[[60, 0], [90, 0], [70, 40]]', 1)"
            )
        c.execute(
            """INSERT INTO recipe (area_id, layers, note) VALUES ('a0', '[{"role": "gap", "code": "401", "pressure": 3, "passes": 1, "where": "gaps"}]', 'mine')"""
        )


def whole(test: unittest.TestCase, folder: Path) -> None:
    """Everything an old studio held is there and up to date."""
    with Store.open(folder) as store:
        test.assertEqual(store.unreadable(), ())
        test.assertEqual([c.name for c in store.all(Commission)], ["Old friend"])
        areas = store.all(Area)
        test.assertEqual((len(areas), {a.surface_id for a in areas}), (300, {"mane-and-tail"}))
        test.assertEqual([(r.note, r.layers[0].code) for r in store.all(Recipe)], [("mine", "401")])
    test.assertEqual(database.version(folder / DATABASE), HEAD)


DYING = """
import os, random, signal, sys, threading, time
from sqlalchemy import event
from sqlalchemy.engine import Engine
from hanabira.studio.store import Store
import alembic.command, alembic.config  # warm
folder = sys.argv[1]
for line in sys.stdin:
    how, value, where = line.split()
    pid = os.fork()
    if pid == 0:
        count = 0
        def at(conn, cursor, statement, parameters, context, executemany):
            global count
            count += 1
            if how == "statement" and count == int(value):
                os.kill(os.getpid(), 9)
        event.listen(Engine, "after_cursor_execute", at)
        if how == "seconds":
            threading.Timer(float(value), os.kill, (os.getpid(), 9)).start()
        Store.open(where)
        os.write(1, f"{count}\\n".encode())
        os._exit(0)
    _pid, status = os.waitpid(pid, 0)
    os.write(1, b"died\\n" if os.WIFSIGNALED(status) else b"lived\\n")
"""
"""Opens studios in processes that end at a given statement or after so many seconds, from one warm start."""


class Migrations(Case):
    EARLIER = [f"{n:04d}" for n in range(1, int(HEAD))]

    def test_every_earlier_revision_comes_up_to_date_with_a_copy_from_before(self):
        for revision in self.EARLIER:
            with self.subTest(revision=revision):
                folder = self.root / revision
                old_studio(folder, revision)
                whole(self, folder)
                kept = [b for b in backups.backups(folder) if b.reason == "before-update"]
                self.assertEqual([(b.revision, b.commissions) for b in kept], [(revision, 1)])
                # opening it again makes no other copy and never touches this one
                data = kept[0].path.read_bytes()
                whole(self, folder)
                self.assertEqual(kept[0].path.read_bytes(), data)

    def test_ended_by_force_at_any_moment_it_opens_again_and_nothing_is_missing(self):
        """At every statement of the way from each revision, and at random moments of the longest one."""
        process = subprocess.Popen([sys.executable, "-c", DYING, ""], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, bufsize=1)
        assert process.stdin is not None and process.stdout is not None
        died = 0

        def end(how: str, value: float, folder: Path) -> list[str]:
            print(how, value, folder, file=process.stdin, flush=True)
            said = []
            while not said or said[-1] not in ("died", "lived"):
                said.append(process.stdout.readline().strip())
            return said

        for revision in self.EARLIER:
            model = self.root / f"model {revision}".replace(" ", "-")
            old_studio(model, revision)
            count = int(end("none", 0, shutil.copytree(model, self.root / f"count-{revision}"))[0])
            self.assertGreater(count, 4)
            # all statements of the longest way; the others are ends of it, and begin and end in ways of their own
            for k in range(1, count + 1) if revision == "0001" else sorted({1, 2, 4, count - 1, count}):
                folder = shutil.copytree(model, self.root / f"s-{revision}-{k}")
                died += end("statement", k, folder)[-1] == "died"
                whole(self, folder)
        for k in range(12):
            folder = shutil.copytree(self.root / "model-0001", self.root / f"t-{k}")
            died += end("seconds", 0.004 * (k + 1), folder)[-1] == "died"
            rescue = [b for b in backups.backups(folder) if b.reason == "before-update"]
            kept = {b.path: b.path.read_bytes() for b in rescue}
            whole(self, folder)
            for path, data in kept.items():  # the next start overwrites no copy
                self.assertEqual(path.read_bytes(), data)
        process.stdin.close()
        self.assertEqual(process.wait(60), 0)
        process.stdout.close()
        self.assertGreater(died, 40, "most of them died on the way")

    def test_a_migration_that_fails_is_said_with_its_copy_and_changes_nothing(self):
        old_studio(self.folder, "0003")
        before = (self.folder / DATABASE).read_bytes()
        with mock.patch("alembic.op.create_table", side_effect=RuntimeError("no such luck")), self.assertRaises(StudioFault) as caught:
            Store.open(self.folder)
        (copy,) = backups.backups(self.folder)
        self.assertIn(str(copy.path), str(caught.exception))
        self.assertIn("no such luck", str(caught.exception))
        self.assertEqual(database.version(self.folder / DATABASE), "0003")
        self.assertEqual(len((self.folder / DATABASE).read_bytes()), len(before))
        whole(self, self.folder)

    def test_loose_ends_stop_a_migration(self):
        old_studio(self.folder, "0004")
        with contextlib.closing(database.connect(self.folder / DATABASE, "rw")) as c:
            c.execute("PRAGMA foreign_keys = OFF")
            c.execute("DELETE FROM commission")
        with self.assertRaises(StudioFault) as caught:
            Store.open(self.folder)
        self.assertIn("records name others that are not there", str(caught.exception))


class Folders(Case):
    def test_folders_with_signs_of_addresses_hold_their_own_studio(self):
        for name in ("a%b", "50%25", "what?", "no #1", "mode=ro&x", "blanks  and ü", "100%", "a'b\"c", "semi;colon"):
            with self.subTest(name=name):
                folder = self.root / name / "studio"
                store = self.filled(folder)
                store.close()
                self.assertTrue((folder / DATABASE).stat().st_size > 0)
                with Store.open(folder) as again:
                    self.assertEqual([c.name for c in again.all(Commission)], ["Tansy"])
                    with Store.open(folder) as second:
                        self.assertIn("another window", second.read_only)
                        self.assertEqual([c.name for c in second.all(Commission)], ["Tansy"])
        # nothing went to another place
        self.assertEqual({p.name for p in self.root.rglob("*.sqlite") if p.parent.name == "studio"}, {DATABASE})
        self.assertEqual(len([p for p in self.root.rglob(DATABASE)]), 9)

    def test_a_database_that_is_empty_or_gone_beside_photos_is_a_fault_with_the_way_back(self):
        self.filled().close()
        shutil.rmtree(self.folder / "journal")
        path = self.folder / DATABASE
        for change in (lambda: path.write_bytes(b""), path.unlink):
            change()
            with self.assertRaises(LostStudio) as caught:
                Store.open(self.folder)
            self.assertIn("backups", str(caught.exception))
        self.assertFalse(path.exists())  # and no empty studio was made in its place
        best = [b for b in backups.backups(self.folder) if b.commissions][-1]
        backups.restore(self.folder, best.path)
        with Store.open(self.folder) as store:
            self.assertEqual([c.name for c in store.all(Commission)], ["Tansy"])

    def test_a_start_that_was_ended_before_its_first_table_is_begun_anew(self):
        self.folder.mkdir()
        (self.folder / DATABASE).write_bytes(b"")
        with Store.open(self.folder) as store:
            self.assertEqual(store.all(Commission), ())

    def test_the_lock_is_let_go_when_a_studio_does_not_open(self):
        self.filled().close()
        shutil.rmtree(self.folder / "journal")
        (self.folder / DATABASE).write_bytes(b"x" * 4096)
        for _ in range(2):
            with self.assertRaises(LostStudio):
                Store.open(self.folder)
        backups.restore(self.folder, [b for b in backups.backups(self.folder) if b.commissions][-1].path)
        Store.open(self.folder).close()


class Telling(Case):
    """Full, locked, closed and damaged are told apart; only damage sends anyone to a backup."""

    def test_what_the_database_says_becomes_words(self):
        self.folder.mkdir()

        def error(name: str) -> sqlite3.OperationalError:
            e = sqlite3.OperationalError("words of the engine")
            e.sqlite_errorname = name  # type: ignore[misc]
            return e

        kinds = {
            "SQLITE_FULL": "full", "SQLITE_BUSY": "locked", "SQLITE_BUSY_SNAPSHOT": "locked", "SQLITE_LOCKED": "locked", "SQLITE_READONLY_DBMOVED": "readonly",
            "SQLITE_CANTOPEN": "closed", "SQLITE_CORRUPT": "damaged", "SQLITE_NOTADB": "damaged", "SQLITE_CONSTRAINT_FOREIGNKEY": "misfit", "SQLITE_IOERR_READ": "other",
        }  # fmt: skip
        for name, kind in kinds.items():
            self.assertEqual(database.kind_of(error(name), self.folder), kind, name)
        for name in kinds:
            self.assertEqual("room" in database.said(error(name), self.folder)[1].lower(), kinds[name] == "full", name)
        with mock.patch("os.fsync", side_effect=OSError(28, "No space left on device")):
            self.assertEqual(database.kind_of(error("SQLITE_IOERR_SHMSIZE"), self.folder), "full")
            self.assertEqual(database.kind_of(error("SQLITE_CORRUPT"), self.folder), "damaged")

    def test_a_locked_or_closed_database_is_not_called_damaged(self):
        self.filled().close()
        with contextlib.closing(database.connect(self.folder / DATABASE, "rw")) as other:
            other.execute("PRAGMA locking_mode = EXCLUSIVE")
            other.execute("PRAGMA journal_mode = DELETE")
            other.execute("BEGIN EXCLUSIVE")
            with mock.patch.object(database, "WAIT_S", 0.05), self.assertRaises(StudioFault) as caught:
                Store.open(self.folder)
            self.assertNotIsInstance(caught.exception, LostStudio)
            self.assertIn("another program", str(caught.exception))
            other.execute("ROLLBACK")

    def test_damage_is_said_and_the_files_stay(self):
        self.filled().close()
        shutil.rmtree(self.folder / "journal")
        path = self.folder / DATABASE
        data = bytearray(path.read_bytes())
        data[200:9000] = os.urandom(8800)
        path.write_bytes(data)
        with self.assertRaises(LostStudio) as caught:
            Store.open(self.folder)
        self.assertIn("backups", str(caught.exception))
        self.assertEqual(path.read_bytes(), bytes(data))


FULL = """
import resource, sys, json
from dataclasses import replace
from pathlib import Path
from hanabira.core.faults import Fault, LostStudio
from hanabira.demo.pictures import PHOTO
from hanabira.studio.records import Commission, Area
from hanabira.studio.store import Store
from hanabira.studio.bundle import write_bundle, import_bundle
from hanabira.studio.writing import write_file
from hanabira.demo.studio import build_demo
folder, out = Path(sys.argv[1]), {}
def limit(size):
    resource.setrlimit(resource.RLIMIT_FSIZE, (size, resource.RLIM_INFINITY))
def told(name, act):
    try:
        act()
        out[name] = "done"
    except Fault as fault:
        out[name] = [type(fault).__name__, str(fault)]
store = Store.open(folder)
c = store.all(Commission)[0]
bundle = write_bundle(store, c.id, folder.parent / "good.zip").path
limit(2000)
told("edit", lambda: store.edit([replace(c, notes="n" * 60000), Commission("late", "Late")]))
told("setting", lambda: store.keep_setting("theme", "evening" * 5000))
told("photo", lambda: store.take_in(PHOTO))
told("backup", lambda: store.backup())
told("bundle", lambda: write_bundle(store, c.id, folder.parent / "full.zip"))
told("import", lambda: import_bundle(store, bundle))
told("file", lambda: write_file(folder.parent / "list.csv", "x" * 5000))
limit(resource.RLIM_INFINITY)
store.close()
limit(2000)
told("start", lambda: Store.open(folder).close())
told("new", lambda: Store.open(folder.parent / "new").close())
told("demo", lambda: build_demo(folder.parent / "demo"))
limit(resource.RLIM_INFINITY)
print(json.dumps(out))
"""
"""A disk without room: files may not grow beyond two thousand bytes. The limit is the process's own."""


class FullDisk(Case):
    def test_every_write_is_refused_in_words_and_nothing_is_half(self):
        self.filled().close()
        before = [p for p in (self.folder / "photos").rglob("*") if p.is_file()]
        (self.root / "list.csv").write_text("old")
        # -B: byte code cut short by the limit would be kept, and read by all other tests
        told = subprocess.run([sys.executable, "-B", "-c", FULL, str(self.folder)], capture_output=True, text=True, check=True, timeout=300)
        import json

        out = json.loads(told.stdout)
        for name in ("edit", "setting", "photo", "backup", "bundle", "import", "file", "new", "demo"):
            self.assertNotEqual(out[name], "done", name)
            self.assertIn("full", out[name][1], name)
            self.assertIn("Make room on the disk", out[name][1], name)
        # a start on a full disk either opens the studio or says that the disk is full: never that it is damaged
        self.assertTrue(out["start"] == "done" or ("full" in out["start"][1] and out["start"][0] == "StudioFault"), out["start"])
        self.assertEqual((self.root / "list.csv").read_text(), "old")
        self.assertFalse((self.root / "full.zip").exists())
        self.assertFalse((self.root / "new" / DATABASE).exists())
        self.assertEqual([p for p in self.root.rglob("*.part")], [])
        with Store.open(self.folder) as store:
            self.assertEqual([(c.id, c.notes) for c in store.all(Commission)], [("c", "")])
            self.assertIsNone(store.setting("theme"))
            self.assertEqual([p for p in (self.folder / "photos").rglob("*") if p.is_file()], before)
        with Store.open(self.root / "new") as store:
            self.assertEqual(store.all(Commission), ())

    def test_room_is_asked_for_only_when_it_lacks(self):
        store = self.filled()
        with self.assertRaises(StudioFault) as caught:
            store.edit([Photo("p2", "nobody", "e" * 64, ".jpg", "x", 10, 10, (0.0, 0.0, 9.0, 9.0))])
        self.assertNotIn("room", str(caught.exception))
        with self.assertRaises(Exception) as refused:
            write_file(self.root / "none" / "x.csv", "x")
        self.assertNotIn("room", str(refused.exception))

    def test_settings_hold_for_the_session_when_the_disk_refuses_them(self):
        from hanabira.session.settings import Settings

        store, said = self.filled(), []
        settings = Settings(store, said.append)
        with mock.patch.object(Store, "keep_setting", side_effect=StudioFault("The change could not be stored: the disk is full.")):
            settings.set("theme", "evening")
            settings.set("text_size", 1.5)
        self.assertEqual((settings.get("theme"), settings.get("text_size")), ("evening", 1.5))
        self.assertEqual(len(said), 1)
        self.assertIsNone(store.setting("theme"))
        settings.set("theme", "evening")
        self.assertEqual(store.setting("theme"), "evening")


class NoScreen(unittest.TestCase):
    def test_opening_a_window_without_a_display_is_one_line(self):
        environment = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
        for more in ({}, {"DISPLAY": ":7777"}):
            told = subprocess.run(
                [sys.executable, "-m", "hanabira", "open", "/nonexistent"],
                env=environment | more,
                capture_output=True,
                text=True,
                timeout=60,
            )
            self.assertEqual((told.returncode, told.stderr.count("\n"), told.stdout), (2, 1, ""))
            self.assertIn("no display", told.stderr)
