"""A studio's folder that is not ours alone: what other programs do to its files while it is open or closed, and that no acknowledged edit is lost by it."""

import contextlib
import os
import random
import shutil
import sqlite3
import stat
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

from hanabira.core.clock import Clock
from hanabira.core.faults import DisplacedStudio, LostStudio, StaleRecord, StudioFault
from hanabira.demo.pictures import PHOTO
from hanabira.session.messages import MessageDoor
from hanabira.studio import backups, database, healing, journal
from hanabira.studio.database import DATABASE
from hanabira.studio.records import Area, Commission, Photo
from hanabira.studio.store import MOST_LOG, Store

RING = ((10.0, 10.0), (90.0, 10.0), (50.0, 80.0))
CLOCK = Clock.at("2026-05-05T10:00:00")


class Case(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.root = Path(temp.name)
        self.folder = self.root / "studio"
        self.path = self.folder / DATABASE

    def opened(self) -> Store:
        store = Store.open(self.folder, CLOCK)
        self.addCleanup(store.close)
        return store

    def filled(self) -> Store:
        store = self.opened()
        store.edit([Commission("c", "Tansy", client="Oda"), Photo("p", "c", "d" * 64, ".jpg", "t.jpg", 200, 100, (0, 0, 80, 100))])
        return store

    def names(self, store: Store) -> set[str]:
        return {a.name for a in store.all(Area)}


class RandomMoments(Case):
    """Removed, truncated or swapped, under an open window or a closed one, sixty times: what `edit` returned from is there at the next opening."""

    def edits(self, store: Store, rng: random.Random, known: set[str], count: int) -> None:
        """Edits of all kinds; each counts once it has returned."""
        for _ in range(count):
            name = f"n{rng.randrange(10**9)}"
            if rng.random() < 0.25 and known:
                gone = rng.choice(sorted(known))
                store.edit(drop=[a for a in store.all(Area) if a.name == gone])
                known.discard(gone)
            else:
                store.edit([Area(name, "c", "p", 1, name, "eye", RING)])
                known.add(name)
            if rng.random() < 0.1:
                store.backup()

    def harm(self, rng: random.Random, older: Path) -> str:
        how = rng.choice(("remove", "truncate", "swap", "overwrite", "foreign"))
        if how == "remove":
            self.path.unlink()
        elif how == "truncate":
            os.truncate(self.path, rng.randrange(0, max(1, self.path.stat().st_size)))
        elif how == "swap":
            shutil.copyfile(older, self.root / "older")
            os.replace(self.root / "older", self.path)
        elif how == "overwrite":
            shutil.copyfile(older, self.path)
        else:
            self.path.write_bytes(rng.randbytes(30_000))
        if rng.random() < 0.3:
            for name in (f"{DATABASE}-wal", f"{DATABASE}-shm"):
                (self.folder / name).unlink(missing_ok=True)
        return how

    def test_sixty_random_moments(self):
        met = set()
        for seed in range(60):
            with self.subTest(seed=seed):
                rng = random.Random(seed)
                shutil.rmtree(self.folder, ignore_errors=True)
                store, known = self.filled(), set()
                self.edits(store, rng, known, rng.randrange(1, 12))
                older = self.root / f"older-{seed}"
                with contextlib.closing(sqlite3.connect(self.path)) as a, contextlib.closing(sqlite3.connect(older)) as b:
                    a.backup(b)
                self.edits(store, rng, known, rng.randrange(0, 12))
                if rng.random() < 0.4:
                    store.close()
                    if rng.random() < 0.5:
                        store = self.opened()
                        self.edits(store, rng, known, 2)
                        store.close()
                    met.add(("closed", self.harm(rng, older)))
                else:
                    met.add(("open", self.harm(rng, older)))
                    with self.assertRaises(DisplacedStudio):
                        self.edits(store, rng, set(), 1)
                    self.assertTrue(store.displaced.mine.is_file(), "what the window held is saved")
                    self.assertEqual(self.names(store), known, "and it goes on showing it")
                    store.close()
                with Store.open(self.folder, CLOCK) as again:
                    self.assertEqual(self.names(again), known)
                    self.assertEqual(again.get(Commission, "c").client, "Oda")
                    again.edit([Area("last", "c", "p", 1, "last", "eye", RING)])
                with Store.open(self.folder, CLOCK) as again:
                    self.assertEqual(self.names(again), {*known, "last"}, "and the journal goes on")
                    self.assertEqual(again.remarks, ())
        self.assertEqual(len(met), 10, met)


class UnderAnOpenWindow(Case):
    def test_a_folder_that_was_taken_away_is_said_and_what_was_held_comes_back(self):
        store = self.filled()
        shutil.rmtree(self.folder)
        self.assertFalse(store.look())
        with self.assertRaises(DisplacedStudio) as caught:
            store.edit([Commission("d", "Vesper")])
        self.assertIn("taken away", str(caught.exception))
        self.assertIn("rescue", str(caught.exception))
        self.assertEqual(store.displaced.how, "gone")
        self.assertIsNone(store.displaced.theirs)
        self.assertEqual([c.name for c in store.all(Commission)], ["Tansy"])
        self.assertRaises(DisplacedStudio, store.backup)
        self.assertRaises(StudioFault, store.take_in, PHOTO)
        store.close()
        with Store.open(self.folder, CLOCK) as again:
            self.assertEqual([c.name for c in again.all(Commission)], ["Tansy"])
            self.assertIn("built up again from what the last window had saved", again.remarks[0])

    def test_another_studio_put_in_its_place_stays_as_it_was_found_and_ours_is_offered(self):
        with Store.open(self.root / "other", CLOCK) as other:
            other.edit([Commission("x", "Foreign")])
        for in_place in (False, True):
            shutil.rmtree(self.folder, ignore_errors=True)
            store = self.filled()
            theirs = (self.root / "other" / DATABASE).read_bytes()
            if in_place:
                self.path.write_bytes(theirs)
            else:
                (self.folder / "new").write_bytes(theirs)
                os.replace(self.folder / "new", self.path)
            with self.assertRaises(DisplacedStudio):
                store.edit([Commission("d", "Vesper")])
            mine, found = store.displaced.mine, store.displaced.theirs
            self.assertEqual(found.read_bytes(), theirs)
            store.close()
            self.assertEqual(self.path.read_bytes(), theirs, "closing writes nothing into it")
            self.assertFalse(self.path.with_name(f"{DATABASE}-wal").exists())
            # the one way: what lies there
            with Store.open(self.folder, CLOCK) as again:
                self.assertEqual([c.name for c in again.all(Commission)], ["Foreign"])
                self.assertIn(str(mine), again.remarks[0])
            # the other way: what the window held
            aside = backups.restore(self.folder, mine)
            self.assertTrue((aside / DATABASE).is_file(), "nothing is deleted")
            with Store.open(self.folder, CLOCK) as again:
                self.assertEqual([c.name for c in again.all(Commission)], ["Tansy"])

    def test_a_file_that_is_only_read_or_copied_disturbs_nobody(self):
        store = self.filled()
        shutil.copytree(self.folder, self.root / "copy")
        with contextlib.closing(sqlite3.connect(f"file:{self.path}?mode=ro", uri=True)) as c:
            self.assertEqual(c.execute("SELECT name FROM commission").fetchall(), [("Tansy",)])
        backups.make(self.folder, "asked")
        store.edit([Commission("d", "Vesper")])
        self.assertTrue(store.look())

    def test_a_long_session_folds_its_log_and_is_still_ours(self):
        store, sizes = self.filled(), []
        with mock.patch("hanabira.studio.store.MOST_LOG", 100_000):
            for n in range(60):
                store.edit([replace(store.get(Commission, "c"), notes=f"{n} " + 1000 * "note")])
                sizes.append(self.path.with_name(f"{DATABASE}-wal").stat().st_size)
        self.assertLess(max(sizes), 150_000)
        self.assertLess(100_000, MOST_LOG)
        self.assertTrue(store.look())
        store.close()
        with Store.open(self.folder, CLOCK) as again:
            self.assertTrue(again.get(Commission, "c").notes.startswith("59 "))
            self.assertEqual(again.remarks, ())

    def test_a_journal_that_was_taken_away_begins_again(self):
        store = self.filled()
        shutil.rmtree(self.folder / "journal")
        store.edit([Commission("d", "Vesper")])
        self.assertEqual(len(list((self.folder / "journal").glob("*.jsonl"))), 1)
        store.close()
        self.path.unlink()
        with Store.open(self.folder, CLOCK) as again:
            self.assertEqual({c.name for c in again.all(Commission)}, {"Tansy", "Vesper"})


    def test_a_log_of_a_killed_window_is_not_laid_over_another_file(self):
        """Killed, and the database exchanged before the next start: the log beside it would be taken for its own."""
        store = self.filled()
        older = self.root / "older"
        store.edit([Area("first", "c", "p", 1, "first", "eye", RING)])
        store._fold_log()
        shutil.copyfile(self.path, older)
        store.edit([Area("second", "c", "p", 1, "second", "eye", RING)])
        store._fold_log()
        store.edit([Area("third", "c", "p", 1, "third", "eye", RING)])
        crashed = self.root / "crashed"
        shutil.copytree(self.folder, crashed)  # as the disk is when a process is ended by force
        self.assertGreater((crashed / f"{DATABASE}-wal").stat().st_size, 0)
        shutil.copyfile(older, crashed / DATABASE)
        with Store.open(crashed, CLOCK) as again:
            self.assertEqual(self.names(again), {"first", "second", "third"})
            self.assertIn("Another program had written", again.remarks[0])
        undisturbed = self.root / "undisturbed"
        shutil.copytree(self.folder, undisturbed)
        os.utime(undisturbed / DATABASE, ns=(0, self.path.stat().st_mtime_ns))
        with Store.open(undisturbed, CLOCK) as again:
            self.assertEqual((self.names(again), again.remarks), ({"first", "second", "third"}, ()))

    def test_what_is_half_another_programs_is_not_taken_for_what_the_window_held(self):
        """Written over in place, the rest in the log: it reads without a fault, and lacks what was in the file."""
        store = self.filled()
        older = self.root / "older"
        store.edit([Area(f"a{n}", "c", "p", 1, f"before {n}", "eye", tuple((float(k), float(n)) for k in range(200))) for n in range(40)])
        store._fold_log()
        shutil.copyfile(self.path, older)
        store.edit([replace(a, name=a.name.replace("before", "after_")) for a in store.all(Area)])  # not a page more or less
        store._fold_log()
        store.edit([replace(store.get(Commission, "c"), notes="last")])
        # what is read now comes from the file, not from what a connection remembers
        fresh, kept = database._tuned(self.path, "rw"), store._connections._idle[:]
        store._connections._idle[:] = [fresh]
        for connection in kept:
            connection.close()
        store._watch.take()
        shutil.copyfile(older, self.path)
        with self.assertRaises(DisplacedStudio):
            store.edit([Commission("d", "Vesper")])
        with contextlib.closing(sqlite3.connect(store.displaced.mine)) as c:
            self.assertEqual(c.execute("SELECT count(*) FROM area WHERE name LIKE 'after%'").fetchone()[0], 40)
            self.assertEqual(c.execute("SELECT notes FROM commission").fetchall(), [("last",)])

    def test_a_file_that_is_exchanged_while_an_edit_is_written_is_no_success(self):
        store, add = self.filled(), journal.Journal.add

        def meanwhile(own, *args):
            (self.folder / "new").write_bytes(b"another file")
            os.replace(self.folder / "new", self.path)
            return add(own, *args)

        with mock.patch.object(journal.Journal, "add", meanwhile), self.assertRaises(DisplacedStudio):
            store.edit([Commission("d", "Vesper")])
        self.assertEqual(store.displaced.how, "swapped")
        with contextlib.closing(sqlite3.connect(store.displaced.mine)) as c:
            self.assertEqual(c.execute("SELECT count(*) FROM commission").fetchone()[0], 2, "and it is not lost either")

    def test_the_engine_moves_nothing_into_the_file_unasked(self):
        """More than a thousand pages in the log, at which the engine would do so by itself: then our own writing would look like another program's."""
        store = self.filled()
        ring = tuple((float(k), float(k % 7)) for k in range(400))
        with mock.patch("hanabira.studio.store.MOST_LOG", 1 << 40):
            for n in range(16):
                store.edit([Area(f"{n}-{k}", "c", "p", 1, "x", "eye", tuple((x, y + n) for x, y in ring)) for k in range(60)])
        self.assertGreater(self.path.with_name(f"{DATABASE}-wal").stat().st_size, 1100 * 4096)
        self.assertTrue(store.look())


class Closed(Case):
    def test_a_closed_store_writes_nothing_into_the_files_that_the_next_one_holds(self):
        closed = self.opened()
        closed.edit([Commission("c", "Tansy", created="2026-01-01T00:00:00")])
        closed.close()
        mine = self.opened()
        before = mine._watch._now()
        closed.keep_setting("opening", "c")
        with self.assertRaisesRegex(StudioFault, "is closed"):
            closed.edit([Commission("d", "Late", created="2026-01-01T00:00:00")])
        self.assertEqual([c.name for c in closed.all(Commission)], ["Tansy"], "a job that comes too late may still read")
        self.assertEqual(mine._watch._now(), before)
        self.assertTrue(mine.look())
        mine.edit([Commission("e", "Bracken", created="2026-01-01T00:00:00")])
        self.assertEqual({c.name for c in mine.all(Commission)}, {"Tansy", "Bracken"})


class Alone(Case):
    def test_a_deleted_lock_file_lets_no_second_window_write(self):
        store = self.filled()
        (self.folder / "studio.lock").unlink()
        with Store.open(self.folder, CLOCK) as second:
            self.assertIn("another window", second.read_only)
            self.assertRaises(StudioFault, second.edit, [Commission("d", "Vesper")])
        self.assertRaises(StudioFault, backups.restore, self.folder, store.backup().path)
        store.edit([Commission("e", "Bracken")])

    def test_whoever_gets_past_the_locks_reverts_nobody(self):
        one = self.filled()
        with mock.patch("fcntl.flock"):
            two = Store.open(self.folder, CLOCK)
        self.addCleanup(two.close)
        self.assertEqual(two.read_only, "")
        for store in (one, two):
            store.get(Commission, "c")
            # the watch is for programs that are not ours; here the rows themselves are looked at
            store._watch.changed = lambda: ""
        two.edit([replace(two.get(Commission, "c"), client="Halden")])
        with self.assertRaises(StaleRecord) as caught:
            one.edit([replace(Commission("c", "Tansy", client="Oda"), notes="a little back")])
        self.assertIn("“Tansy” was changed by another window", caught.exception.what)
        now = one.get(Commission, "c")
        self.assertEqual((now.client, now.notes), ("Halden", ""))
        one.edit([replace(now, notes="a little back")])
        self.assertEqual(two.get(Commission, "c").client, "Halden")

    def test_only_what_has_changed_is_written(self):
        store = self.filled()
        before = store.get(Commission, "c")
        store.edit([replace(before, notes="x")])
        op = journal.newest(self.folder).lines[-1].said["ops"]
        self.assertEqual(op, [["put", "commission", "c", {"notes": "x"}]])
        store.edit([replace(before, notes="x")])
        self.assertEqual(journal.newest(self.folder).lines[-1].said["ops"], op, "nothing has changed, so nothing is written")

    def test_a_record_that_went_and_came_back_can_be_changed(self):
        store = self.filled()
        area = Area("a", "c", "p", 1, "Eye", "eye", RING)
        for _ in range(2):
            store.edit([area])
            store.edit([replace(area, name="Left eye")])
            store.edit(drop=[area])
        store.edit([area])
        store.edit([replace(store.get(Area, "a"), name="Right eye")])
        self.assertEqual(self.names(store), {"Right eye"})


class Journals(Case):
    def test_a_line_that_was_not_finished_is_left_out(self):
        self.filled().close()
        chapter = next(c for c in journal.chapters(self.folder) if c.lines)
        whole = chapter.path.read_bytes()
        for cut in (1, 9, 30):
            chapter.path.write_bytes(whole[:-cut])
            self.assertEqual(journal.read_chapter(chapter.path).ends.number, chapter.ends.number - 1)
        chapter.path.write_bytes(whole.replace(b"Tansy", b"Fansy"))
        self.assertEqual(journal.read_chapter(chapter.path).lines, (), "a line that was changed is not believed")

    def test_a_backup_begins_a_chapter_and_old_ones_go(self):
        store = self.filled()
        for n in range(10):
            store.edit([Commission(f"n{n}", "x")])
            store.backup()
        self.assertEqual(len(list((self.folder / "journal").glob("*.jsonl"))), journal.CHAPTERS_KEPT)
        store.close()
        for b in store.backups()[-3:]:  # the newest backups are damaged, too
            b.path.write_bytes(b"no database")
        self.path.unlink()
        with Store.open(self.folder, CLOCK) as again:
            self.assertEqual(len(again.all(Commission)), 11)

    def test_where_a_line_is_missing_nothing_is_claimed(self):
        store = self.filled()
        for n in range(4):
            store.edit([Commission(f"n{n}", "x")])
        store.close()
        chapter = journal.newest(self.folder)
        lines = chapter.path.read_bytes().splitlines(keepends=True)
        found = journal.chapters(self.folder)
        self.assertEqual(len(journal.lines_after(found, found[0].begins)), len(found[0].lines) + sum(len(c.lines) for c in found[1:]))
        for b in store.backups():
            b.path.unlink()
        self.path.unlink()
        chapter.path.write_bytes(b"".join(lines))
        self.assertRaises(LostStudio, Store.open, self.folder, CLOCK)

    def test_an_edit_that_the_database_refuses_leaves_no_line(self):
        store = self.filled()
        before = journal.newest(self.folder).ends
        with self.assertRaises(StudioFault):
            store.edit([Area("a", "nobody", "p", 1, "Eye", "eye", RING)])
        self.assertEqual(journal.newest(self.folder).ends, before)
        with mock.patch.object(journal.os, "fsync", side_effect=OSError(28, "No space left on device")), self.assertRaises(StudioFault) as caught:
            store.edit([Commission("d", "Vesper")])
        self.assertIn("the disk is full", str(caught.exception))
        self.assertEqual([c.name for c in store.all(Commission)], ["Tansy"])
        store.edit([Commission("d", "Vesper")])
        self.assertEqual(journal.newest(self.folder).ends.number, before.number + 1)

    def test_a_commit_that_fails_takes_its_line_back(self):
        store = self.filled()
        before = journal.newest(self.folder).ends
        with mock.patch("hanabira.studio.store.keep", side_effect=sqlite3.OperationalError("no")), self.assertRaises(StudioFault):
            store.edit([Commission("d", "Vesper")])
        self.assertEqual(journal.newest(self.folder).ends, before)
        store.edit([Commission("e", "Bracken")])
        self.assertEqual(journal.newest(self.folder).ends.number, before.number + 1)
        store.close()
        with Store.open(self.folder, CLOCK) as again:
            self.assertEqual(({c.name for c in again.all(Commission)}, again.remarks), ({"Tansy", "Bracken"}, ()))

    def test_a_process_that_dies_between_line_and_commit_leaves_a_studio_that_opens(self):
        store = self.filled()
        with mock.patch.object(journal.Journal, "take_back"), mock.patch("hanabira.studio.store.keep", side_effect=KeyboardInterrupt), contextlib.suppress(KeyboardInterrupt):
            store.edit([Commission("d", "Vesper")])
        store._lock.close()
        store._lock = None
        with Store.open(self.folder, CLOCK) as again:
            self.assertEqual({c.name for c in again.all(Commission)}, {"Tansy", "Vesper"})
            self.assertIn("last change", again.remarks[0])

    def test_going_back_to_a_backup_is_not_undone_by_the_journal(self):
        store = self.filled()
        store.backup()
        store.edit([Commission("d", "Vesper")])
        store.close()
        first = next(b for b in store.backups() if b.commissions == 1)
        backups.restore(self.folder, first.path)
        with Store.open(self.folder, CLOCK) as again:
            self.assertEqual([c.name for c in again.all(Commission)], ["Tansy"])
            self.assertEqual(again.remarks, ())

    def test_a_studio_of_a_version_without_a_journal_gets_one_from_a_backup_on(self):
        self.filled().close()
        shutil.rmtree(self.folder / "journal")
        with contextlib.closing(database.connect(self.path, "rw")) as c:
            c.execute("DELETE FROM setting WHERE key = 'journal'")
        with Store.open(self.folder, CLOCK) as store:
            store.edit([Commission("d", "Vesper")])
        self.path.unlink()
        with Store.open(self.folder, CLOCK) as again:
            self.assertEqual({c.name for c in again.all(Commission)}, {"Tansy", "Vesper"})


class Private(Case):
    def test_only_the_person_may_read_a_studio(self):
        old = os.umask(0o022)
        self.addCleanup(os.umask, old)
        store = self.filled()
        store.take_in(PHOTO)
        store.backup()
        MessageDoor(self.folder / "reports").bug(ValueError("x"), "trace of Oda")
        self.path.with_name("copy").write_bytes(b"")
        os.replace(self.path.with_name("copy"), self.path)
        store.look()  # and what is saved when other hands were at it
        store.close()
        for path in (self.folder, *self.folder.rglob("*")):
            mode = stat.S_IMODE(path.stat().st_mode)
            self.assertEqual(mode, 0o700 if path.is_dir() else 0o600, path)

    def test_a_studio_that_all_could_read_is_closed_to_them(self):
        self.filled().close()
        self.folder.chmod(0o755)
        self.path.chmod(0o644)
        Store.open(self.folder, CLOCK).close()
        self.assertEqual([stat.S_IMODE(p.stat().st_mode) for p in (self.folder, self.path)], [0o700, 0o600])

    def test_what_a_killed_take_in_left_is_swept(self):
        self.filled().close()
        (self.folder / "photos").mkdir(exist_ok=True)
        for name in ("photos/tmpabc.part", "backups/.12-1.part", f"{DATABASE}.part"):
            (self.folder / name).write_bytes(b"half")
        (self.folder / "incoming" / "x").mkdir(parents=True)
        (self.folder / "incoming" / "x" / "client.jpg").write_bytes(b"half")
        reader = Store.open(self.folder, CLOCK)
        reader.close()
        self.assertFalse([p for p in self.folder.rglob("*") if p.name.endswith(".part") or p.name == "incoming"])


class Rescued(Case):
    def test_what_cannot_be_saved_is_said_with_another_way(self):
        store = self.filled()
        with mock.patch.object(healing, "_saved", return_value=False):
            self.path.unlink()
            with self.assertRaises(DisplacedStudio) as caught:
                store.edit([Commission("d", "Vesper")])
        self.assertIn("could not be saved", str(caught.exception))
        self.assertIn("bundle", caught.exception.do)


if __name__ == "__main__":
    unittest.main()
