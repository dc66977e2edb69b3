"""Backups and the way back; single bad records and lost photos that leave the rest as it is."""

import contextlib
import datetime
import io
import shutil
from dataclasses import replace
from pathlib import Path
from unittest import mock

from hanabira.core.clock import MACHINE
from hanabira.core.faults import PhotoFault, RecordFault, StudioFault
from hanabira.demo.pictures import PHOTO
from hanabira.studio import backups, database
from hanabira.studio.bundle import import_bundle, write_bundle
from hanabira.studio.database import DATABASE
from hanabira.studio.overview import overviews
from hanabira.studio.records import Area, Commission, LogRow, Photo
from hanabira.studio.store import Store
from hanabira.terminal.commands import main
from tests.studio.test_safety import RING, Case


class Backups(Case):
    NOW = datetime.datetime(2026, 5, 5, 10, 0)

    def days(self, reason: str = "day") -> list[str]:
        return [f"{b.made:%m-%d}" for b in backups.backups(self.folder) if b.reason == reason and b.commissions]

    def make(self, day: datetime.datetime, reason: str = "day") -> None:
        backups.make(self.folder, reason, now=day)

    def test_at_opening_once_a_day_at_closing_and_when_the_day_changes(self):
        store = self.filled()
        self.assertEqual([b.reason for b in store.backups()], ["day"])
        self.assertIsNone(store.backup_of_the_day())
        tomorrow = MACHINE.now() + datetime.timedelta(days=1)
        self.assertTrue(backups.due(self.folder, tomorrow))
        store.close()
        kept = backups.backups(self.folder)
        self.assertEqual([(b.reason, b.commissions) for b in kept], [("day", 0), ("closing", 1)])
        Store.open(self.folder).close()  # nothing was edited: nothing to back up
        self.assertEqual(len(backups.backups(self.folder)), 2)

    def test_ten_of_each_are_kept_the_newest(self):
        self.filled()
        for n in range(15):
            self.make(self.NOW + datetime.timedelta(days=n))
            self.make(self.NOW + datetime.timedelta(days=n, hours=8), "closing")
        self.assertEqual(self.days(), [f"05-{d:02d}" for d in range(10, 20)])
        self.assertEqual(self.days("closing"), [f"05-{d:02d}" for d in range(10, 20)])

    def test_a_clock_that_was_set_back_deletes_none(self):
        self.filled()
        for n in range(10):
            self.make(self.NOW + datetime.timedelta(days=n))
        before = {b.path for b in backups.backups(self.folder)}
        for n in range(6):
            self.make(datetime.datetime(2026, 1, 1, 9) + datetime.timedelta(days=n))
        self.assertLessEqual(before, {b.path for b in backups.backups(self.folder)})
        self.assertEqual(len([b for b in backups.backups(self.folder) if b.made.month == 5 and b.commissions]), 10)

    def test_empty_ones_never_push_out_those_that_hold_work(self):
        store = self.filled()
        for n in range(5):
            self.make(self.NOW + datetime.timedelta(days=n))
        store.edit(drop=store.all(Commission))
        for n in range(5, 40):
            self.make(self.NOW + datetime.timedelta(days=n))
        kept = backups.backups(self.folder)
        self.assertEqual(len([b for b in kept if b.commissions]), 5)
        self.assertLessEqual(len([b for b in kept if not b.commissions]), backups.EMPTY_KEPT + 1)

    def test_going_back_sets_everything_aside_together_and_deletes_nothing(self):
        store = self.filled()
        store.edit([LogRow("r", "c", "a:0", "a", "Eye", "eye", "gap", "401", 3, 4.0, 3.0, "2026-01-05T10:00:00")])
        good = store.backup()
        self.assertEqual((good.commissions, good.log_rows), (1, 1))
        store.edit([replace(store.all(Commission)[0], name="After")])
        with self.assertRaises(StudioFault) as caught:  # not under an open window
            backups.restore(self.folder, good.path)
        self.assertIn("Another window", str(caught.exception))
        # the window is ended by force: its last edits lie in the log beside the database
        crashed = self.root / "crashed"
        shutil.copytree(self.folder, crashed)
        self.assertGreater((crashed / f"{DATABASE}-wal").stat().st_size, 0)
        newest = {n: (crashed / n).read_bytes() for n in (DATABASE, f"{DATABASE}-wal")}
        aside = backups.restore(crashed, crashed / "backups" / good.path.name)
        self.assertEqual({n: (aside / n).read_bytes() for n in newest}, newest)
        self.assertFalse((crashed / f"{DATABASE}-wal").exists())
        with Store.open(crashed) as again:
            self.assertEqual([c.name for c in again.all(Commission)], ["Tansy"])
            self.assertTrue(again.holds(again.all(Photo)[0]))
        # what was set aside opens as it was
        rescued = self.root / "rescued"
        rescued.mkdir()
        for name in newest:
            shutil.copy(aside / name, rescued / name)
        with Store.open(rescued) as newer:
            self.assertEqual([c.name for c in newer.all(Commission)], ["After"])

    def test_a_backup_that_cannot_be_used_is_refused_and_the_studio_stays(self):
        self.filled().close()
        before = (self.folder / DATABASE).read_bytes()
        bad = self.folder / "backups" / "00099-2026-01-01-100000-day.sqlite"
        bad.write_bytes(b"nothing of ours" * 300)
        self.assertIn("cannot be used", [b for b in backups.backups(self.folder) if b.path == bad][0].words)
        for path in (bad, self.root / "none.sqlite"):
            with self.assertRaises(StudioFault):
                backups.restore(self.folder, path)
        good = [b for b in backups.backups(self.folder) if b.commissions][-1]
        with mock.patch("shutil.copyfile", side_effect=OSError(28, "No space left on device")), self.assertRaises(StudioFault) as caught:
            backups.restore(self.folder, good.path)
        self.assertIn("Make room", str(caught.exception))
        self.assertEqual((self.folder / DATABASE).read_bytes(), before)
        self.assertEqual(list(self.folder.glob("*.part")), [])

    def test_backups_from_the_terminal(self):
        self.filled().close()

        def run(*args: str) -> tuple[int, str, str]:
            out, err = io.StringIO(), io.StringIO()
            with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
                code = main(["backup", "--studio", str(self.folder), *args])
            return code, out.getvalue(), err.getvalue()

        import json

        code, out, _err = run("--json")
        made = json.loads(out)["backups"][0]
        self.assertEqual((code, made["reason"], made["commissions"]), (0, "asked", 1))
        listed = json.loads(run("--list", "--json")[1])["backups"]
        self.assertEqual([b["reason"] for b in listed], ["day", "closing", "asked"])
        with Store.open(self.folder) as store:
            store.edit(drop=store.all(Commission))
        code, out, _err = run("--restore", Path(made["file"]).name, "--json")
        self.assertEqual(code, 0)
        self.assertTrue((Path(json.loads(out)["aside"]) / DATABASE).exists())
        with Store.open(self.folder) as store:
            self.assertEqual(len(store.all(Commission)), 1)
        code, _out, err = run("--restore", "none.sqlite")
        self.assertEqual((code, err.count("\n")), (2, 1))


class BadRows(Case):
    """One bad record never disables the studio."""

    def spoil(self, statement: str) -> None:
        with contextlib.closing(database.connect(self.folder / DATABASE, "rw")) as c:
            c.execute(statement)

    def test_a_commission_that_makes_no_sense_is_one_row_that_says_why(self):
        store = self.filled()
        store.edit([Commission("good", "Good", created="2026-01-01T00:00:00")])
        self.spoil("UPDATE commission SET width_mm = 1e308 WHERE id = 'c'")
        self.assertEqual([c.id for c in store.all(Commission)], ["good"])
        rows = {o.commission.id: o for o in overviews(store)}
        self.assertEqual(rows["good"].state, "ordered")
        self.assertEqual((rows["c"].state, rows["c"].commission.name), ("unreadable", "Tansy"))
        self.assertIn("width in mm", rows["c"].causes[0])
        # nothing is written over what could not be read
        with self.assertRaises(RecordFault):
            store.edit([Commission("c", "Over it")])

    def test_bad_parts_leave_the_rest_of_a_commission(self):
        store = self.filled()
        store.edit([Area("b", "c", "p", 2, "Ear", "short-fur", RING)])
        for statement, words in (
            ("UPDATE area SET ring = '[[1, 2]]' WHERE id = 'b'", "1 point"),
            ("UPDATE area SET ring = 'no json' WHERE id = 'b'", "understood"),
            ("UPDATE area SET ring = '[[1, 2], [NaN, 3], [4, 4]]' WHERE id = 'b'", "nowhere"),
            ("UPDATE area SET surface_id = 'velvet' WHERE id = 'b'", "velvet"),
            ("UPDATE area SET smooth = 'perhaps' WHERE id = 'b'", "smooth"),
            ("UPDATE area SET name = CAST(x'ff41' AS TEXT) WHERE id = 'b'", "cannot be written"),
        ):
            with self.subTest(words=words):
                self.spoil("UPDATE area SET surface_id = 'eye', smooth = 1, ring = '[[1,1],[9,1],[5,8]]' WHERE id = 'b'")
                self.assertEqual(len(store.all(Area)), 2)
                self.spoil(statement)
                self.assertEqual([a.id for a in store.all(Area)], ["a"])
                (row,) = overviews(store)
                self.assertEqual(row.state, "planned")
                self.assertIn(words, row.causes[0])
        got = write_bundle(store, "c", self.root / "rest.zip")
        self.assertEqual(len(got.remarks), 1)
        with Store.open(self.root / "other") as other:
            import_bundle(other, got.path)
            self.assertEqual([a.name for a in other.all(Area)], ["Eye"])


class LostPhotos(Case):
    def test_a_lost_photo_is_named_healed_and_does_not_stop_the_bundle(self):
        store = self.filled()
        (photo,) = store.all(Photo)
        path = store.photo_path(photo)
        for harm in (path.unlink, lambda: path.write_bytes(b"not what it was")):
            harm()
            self.assertFalse(store.holds(photo))
            with self.assertRaises(PhotoFault) as caught:
                store.read_photo(photo)
            self.assertIn("t.jpg", str(caught.exception))
            self.assertIn("Add the same file again", str(caught.exception))
            got = write_bundle(store, "c", self.root / "without.zip")
            self.assertIn("t.jpg", got.remarks[0])
            self.assertEqual(store.heal(PHOTO), (photo,))
            self.assertEqual(path.read_bytes(), PHOTO.read_bytes())
            self.assertEqual(store.heal(PHOTO), ())
        with Store.open(self.root / "other") as other:
            made = import_bundle(other, self.root / "without.zip")
            self.assertIn("lacks the file of t.jpg", made.remarks[0])
            self.assertFalse(other.holds(other.all(Photo)[0]))
            self.assertEqual(len(other.heal(PHOTO)), 1)
            self.assertEqual(other.read_photo(other.all(Photo)[0], 200).size, photo.size)
