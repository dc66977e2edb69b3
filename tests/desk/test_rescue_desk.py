"""The window when something is wrong: a studio that does not open, a bad row, a start that broke, work that is still written."""

import contextlib
import shutil
import threading
from dataclasses import replace
from pathlib import Path
from unittest import mock

from PIL import Image
from PyQt6.QtCore import QEvent
from PyQt6.QtGui import QPainter
from PyQt6.QtTest import QTest

from hanabira.demo.pictures import PHOTO
from hanabira.desk import start
from hanabira.desk.drawn import Drawn
from hanabira.desk.rescue import Rescue
from hanabira.desk.window import Desk
from hanabira.session.edits import EditBrief
from hanabira.studio import backups, bundle, database
from hanabira.studio.database import DATABASE
from hanabira.studio.records import Commission, Photo
from hanabira.studio.store import Store
from tests.base import DeskCase


class TwoCommissions(DeskCase):
    def prepare(self, folder: Path) -> None:
        with Store.open(folder) as store:
            store.edit([Commission("c", "Tansy", created="2026-01-01T00:00:00"), Commission("d", "Moss", created="2026-01-02T00:00:00")])
            store.keep_setting("commission", "c")


class WayBack(TwoCommissions):
    def windows(self, kind: type) -> list:
        return [w for w in self.app.topLevelWidgets() if isinstance(w, kind) and w.isVisible()]

    def tearDown(self) -> None:
        for w in self.windows(Rescue):
            w.close()
        for w in self.windows(Desk):
            if w is not self.desk:
                w.close()
                w.deleteLater()
        start._windows.clear()
        self.app.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        super().tearDown()

    def test_a_damaged_studio_offers_its_backups_and_opens_with_one(self):
        self.close_desk()
        shutil.rmtree(self.folder / "journal")  # with it, it would be built up again unasked
        (self.folder / DATABASE).write_bytes(b"\x55" * 8192)
        window = start.open_window(self.folder)
        assert isinstance(window, Rescue)
        window.show()
        self.app.processEvents()
        self.assertIn("damaged", window.words.accessibleName() or window.words.words)
        # the newest one that holds work is chosen already
        self.assertIsNotNone(window.list.backup)
        self.assertEqual(window.list.backup.commissions, 2)
        self.click(window.back)
        (desk,) = self.windows(Desk)
        self.assertEqual({c.name for c in desk.session.commissions}, {"Tansy", "Moss"})
        self.assertEqual(self.windows(Rescue), [])
        (aside,) = (self.folder / backups.ASIDE).iterdir()
        self.assertEqual((aside / DATABASE).read_bytes(), b"\x55" * 8192)

    def test_what_a_backup_does_not_cure_offers_to_try_again_only(self):
        self.close_desk()
        with contextlib.closing(database.connect(self.folder / DATABASE, "rw")) as c:
            c.execute("UPDATE alembic_version SET version_num = '9999'")
        window = start.open_window(self.folder)
        assert isinstance(window, Rescue)
        window.show()
        self.app.processEvents()
        self.assertFalse(window.back.isVisible())
        with contextlib.closing(database.connect(self.folder / DATABASE, "rw")) as c:
            c.execute(f"UPDATE alembic_version SET version_num = '{database.HEAD}'")
        self.click(window.again)
        self.assertEqual(len(self.windows(Desk)), 1)

    def test_from_an_open_window_back_to_the_day_before(self):
        session = self.session
        self.desk.actions_["Make a backup now"].trigger()
        self.settle()
        session.do(EditBrief(session, "name", name="Ruined"))
        self.desk.show_studio = lambda folder: start.open_window(folder).show()
        self.desk.actions_["Go back to a backup"].trigger()
        rescue = self.desk.rescue
        self.app.processEvents()
        self.assertFalse(rescue.back.isEnabled())  # nothing is chosen for the person here
        asked = next(b for b in rescue.list.rows if b.reason == "asked")
        rescue.list.choose(asked.path.name)
        self.click(rescue.back)
        (desk,) = [w for w in self.windows(Desk) if w is not self.desk]
        self.assertEqual({c.name for c in desk.session.commissions}, {"Tansy", "Moss"})
        # what was left is one of the backups, too: nothing is lost by going back
        self.assertTrue(any(b.reason == "closing" for b in backups.backups(self.folder)))

    def test_the_day_changes_under_an_open_window(self):
        before = len(self.session.store.backups())
        self.session.look_at_the_day()
        self.settle()
        self.assertEqual(len(self.session.store.backups()), before)
        for b in self.session.store.backups():
            b.path.rename(b.path.with_name(b.path.name.replace(f"{b.made:%Y-%m-%d}", "2026-01-01")))
        self.session.look_at_the_day()
        self.settle()
        self.assertEqual(len(self.session.store.backups()), before + 1)


class BadRow(TwoCommissions):
    def prepare(self, folder: Path) -> None:
        super().prepare(folder)
        with contextlib.closing(database.connect(folder / DATABASE, "rw")) as c:
            c.execute("UPDATE commission SET width_mm = 1e308 WHERE id = 'c'")

    def test_it_is_one_row_that_says_why_and_the_rest_opens(self):
        shelf = self.desk.stages["Shelf"]
        self.assertEqual(self.session.commission.id, "d")
        self.desk.show_room("Shelf")
        self.settle()
        rows = {o.commission.id: o for o in shelf.all}
        self.assertEqual(rows["c"].state, "unreadable")
        self.click_stop(shelf.boards, "c")
        self.assertIn("width in mm", self.said[-1].what)
        self.assertEqual(self.session.commission.id, "d")
        self.desk.grab()


class BrokenStart(TwoCommissions):
    def prepare(self, folder: Path) -> None:
        super().prepare(folder)
        with Store.open(folder) as store:
            store.keep_setting("opening", "c")  # as a start that ended in the middle leaves it

    def test_the_commission_that_broke_it_is_not_opened_again(self):
        self.assertIsNone(self.session.commission)
        self.assertIs(self.desk.current, self.desk.stages["Shelf"])
        self.assertTrue(
            any("Tansy" in m.what for m in self.said)
            or "Tansy" in (self.desk.message_strip.message.what if self.desk.message_strip.message else "")
        )
        self.desk.stages["Shelf"].boards.opened.emit("c")
        self.settle()
        self.assertEqual(self.session.commission.id, "c")
        self.close_desk()
        with Store.open(self.folder) as store:
            self.assertEqual(store.setting("opening"), "")
        self.open_desk()
        self.assertEqual(self.session.commission.id, "c")


class StillWriting(TwoCommissions):
    def hold(self):
        """Work that writes and waits to be let on."""
        go, done = threading.Event(), []

        def work(token):
            go.wait(30)
            token.check()
            return "written"

        self.session.jobs.run("write", "Writing the bundle", work, done.append, lasting=True)
        return go, done

    def test_another_commission_does_not_stop_it(self):
        go, done = self.hold()
        self.session.open_commission("d")
        go.set()
        self.settle()
        self.assertEqual(done, ["written"])

    def test_a_bundle_comes_in_while_another_commission_is_chosen(self):
        with Store.open(self.folder.parent / "other") as store:
            store.edit([Commission("e", "Bracken", created="2026-01-01T00:00:00")])
            path = bundle.write_bundle(store, "e", self.folder.parent / "e.zip").path
        shelf, go = self.desk.stages["Shelf"], threading.Event()
        real = bundle.import_bundle

        def slow(*args):
            go.wait(30)
            return real(*args)

        self.desk.show_room("Shelf")
        shelf.ask_bundle_path = lambda: str(path)
        with mock.patch("hanabira.studio.bundle.import_bundle", slow):
            shelf.take_in()
            self.click_stop(shelf.boards, "d")
            go.set()
            self.settle()
        self.assertIn("Bracken", {c.name for c in self.session.commissions})

    def test_a_photo_goes_to_the_commission_it_was_meant_for(self):
        self.session.add_photo(PHOTO)
        self.session.open_commission("d")
        self.settle()
        self.assertEqual(self.session.photos, ())
        self.assertEqual([p.commission_id for p in self.session.store.all(Photo)], ["c"])
        self.session.open_commission("c")
        self.settle()
        self.desk.take_back()
        self.assertEqual(self.session.photos, ())

    def test_asked_work_that_is_stopped_is_named(self):
        go = threading.Event()
        self.session.jobs.run("solve x", "Solving the layers of Cheek", lambda t: go.wait(30), lambda _r: self.fail("stale"), asked=True)
        self.session.open_commission("d")
        go.set()
        self.settle()
        self.assertTrue(any("Solving the layers of Cheek" in m.what for m in self.said))

    def test_closing_asks_and_waits_or_stops(self):
        go, done = self.hold()
        asked = []
        self.desk.ask_leave = lambda words: asked.append(words) or "stay"
        self.assertFalse(self.desk.close())
        self.assertIn("Writing the bundle", asked[0])
        self.desk.ask_leave = lambda words: "wait"
        self.assertFalse(self.desk.close())
        self.assertTrue(self.desk.isVisible())
        go.set()
        self.wait_until(lambda: not self.desk.isVisible(), what="the window to close by itself")
        self.assertEqual(done, ["written"])

    def test_closing_stops_it_when_that_is_wanted(self):
        go, done = self.hold()
        self.desk.ask_leave = lambda words: "stop"
        threading.Timer(0.2, go.set).start()
        self.assertTrue(self.desk.close())
        self.assertEqual(done, [])


class Painting(TwoCommissions):
    def test_a_widget_that_fails_while_it_paints_ends_its_painter_and_is_reported_once(self):
        class Broken(Drawn):
            def paint(self, p: QPainter, w: float, h: float) -> None:
                raise ZeroDivisionError("no width")

        q = Broken("broken")
        q.resize(80, 40)
        q.show()
        QTest.qWaitForWindowExposed(q)
        for _ in range(3):
            q.repaint()
        self.app.processEvents()
        q.close()
        q.deleteLater()
        bugs = [m for m in self.said if m.kind == "bug"]
        self.assertEqual(len(bugs), 1)
        self.assertEqual(len(list((self.folder / "reports").iterdir())), 1)
        self.said[:] = [m for m in self.said if m.kind != "bug"]
        self.desk.grab()  # Qt itself would warn of a painter that is still active


class LostFile(DeskCase):
    def prepare(self, folder: Path) -> None:
        with Store.open(folder) as store:
            digest, suffix, (w, h) = store.take_in(PHOTO)
            store.edit([Commission("c", "Tansy"), Photo("p", "c", digest, suffix, "tansy.jpg", w, h, (0.0, 0.0, float(w), float(h)))])
            store.photo_path(store.all(Photo)[0]).unlink()

    def test_it_is_named_and_the_same_file_heals_it(self):
        self.assertTrue(any("tansy.jpg" in m.what and "Add the same file again" in m.do for m in self.said))
        self.assertIsNone(self.session.view)
        self.session.add_photo(PHOTO)
        self.settle()
        self.assertEqual(len(self.session.photos), 1)
        self.assertIsNotNone(self.session.view)
        self.assertIn("back in its place", self.said[-1].what)


class Watched(TwoCommissions):
    def test_a_file_that_is_written_with_pauses_is_taken_when_it_is_whole(self):
        card = self.folder.parent / "card"
        card.mkdir()
        whole = self.folder.parent / "shot.jpg"
        with Image.open(PHOTO) as image:
            image.resize((400, 320)).save(whole, quality=92)
        data = whole.read_bytes()
        (card / "begun.jpg").write_bytes(data[:3000])  # there at the start, but still being written
        log, settings = self.session.logbook, self.session.settings
        settings.set("camera", "folder")
        settings.set("camera_folder", str(card))

        def looks(n: int) -> list[str]:
            for _ in range(n):
                log.poll()
                self.settle()
            return sorted(s.original_name for s in log.shots())

        self.assertEqual(looks(4), [])
        for part in (4000, len(data) // 2, len(data) - 2):
            (card / "slow.jpg").write_bytes(data[:part])
            self.assertEqual(looks(5), [], part)
        (card / "slow.jpg").write_bytes(data)
        (card / "begun.jpg").write_bytes(data + b"\0")
        self.assertEqual(looks(5), ["begun.jpg", "slow.jpg"])
        self.assertEqual(looks(5), ["begun.jpg", "slow.jpg"])


class Kits(DeskCase):
    def prepare(self, folder: Path) -> None:
        with Store.open(folder) as store:
            store.edit([Commission("c", "Mine", created="2026-01-01T00:00:00")])

    def test_a_kit_from_elsewhere_never_replaces_mine_nor_is_dropped(self):
        from hanabira.craft.kitfile import kit_csv
        from hanabira.session.edits import EditKit

        with Store.open(self.folder.parent / "other") as store:
            from hanabira.craft.supplies import shipped_kit
            from hanabira.studio.records import StudioKit

            six = shipped_kit().subset([p.code for p in shipped_kit()][:6])
            swatches = "stack,ground,L,a,b\n203:1:2,white,60,1,2\n"
            store.edit(
                [
                    StudioKit("pencils", "Hollin & Wray, 72 pencils", kit_csv(six), swatches),
                    Commission("t", "Theirs", created="2026-01-01T00:00:00"),
                ]
            )
            path = bundle.write_bundle(store, "t", self.folder.parent / "t.zip").path
        session = self.session
        self.assertEqual(len(session.kit), 72)
        shelf = self.desk.stages["Shelf"]
        self.desk.show_room("Shelf")
        shelf.ask_bundle_path = lambda: str(path)
        shelf.take_in()
        self.settle()
        self.assertEqual((session.commission.name, len(session.kit)), ("Theirs", 6))
        self.assertEqual(session.kit_record(session.kit_id).swatches, swatches)
        self.assertNotEqual(session.kit_id, "pencils")
        self.assertTrue(any("came in beside it" in m.what for m in self.said))
        session.open_commission("c")
        self.settle()
        self.assertEqual(len(session.kit), 72)
        # an edited kit of mine, and the same bundle again: mine stays, and theirs is there once
        kit = session.kit
        fewer = replace(kit, pencils=kit.pencils[:50])
        session.do(EditKit.of(session, "pencils", fewer, "fewer pencils"))
        self.desk.show_room("Shelf")
        shelf.take_in()
        self.settle()
        self.assertEqual(len(session.kit_of("pencils")), 50)
        self.assertEqual(len(session.store.all(StudioKit)), 2)
        # theirs came with the shipped kit while mine is edited: theirs keeps the shipped one
        with Store.open(self.folder.parent / "third") as store:
            store.edit([Commission("u", "Third", created="2026-01-01T00:00:00")])
            path2 = bundle.write_bundle(store, "u", self.folder.parent / "u.zip").path
        shelf.ask_bundle_path = lambda: str(path2)
        self.desk.show_room("Shelf")
        shelf.take_in()
        self.settle()
        self.assertEqual((session.commission.name, len(session.kit)), ("Third", 72))
