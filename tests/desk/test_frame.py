"""The frame of the desk: stages and rooms, the list of commands, messages, files that are asked for, type and theme."""

import gc
import math
import threading
import unittest
import weakref
from pathlib import Path

import numpy as np
from PIL import Image
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtWidgets import QWidget

from hanabira.core.faults import Fault
from hanabira.demo.pictures import PHOTO
from hanabira.desk.acts import MENUS
from hanabira.desk.save_dialog import save_dialog
from hanabira.studio.records import Area, Commission
from hanabira.studio.store import Store
from tests.desk.test_desk import DemoCase


def circle(mat, cx: float, cy: float, r: float, n: int = 40) -> list[QPointF]:
    """Widget points round a place of the photo."""
    return [mat.widget_point(cx + r * math.cos(2 * math.pi * k / n), cy + r * math.sin(2 * math.pi * k / n)) for k in range(n + 1)]


class Frame(DemoCase):
    def test_every_stage_and_room_opens_and_says_the_next_thing(self):
        for name in ("Brief", "Study", "Areas", "Recipe", "Plan", "Easel", "Check", "Shelf", "Kit", "Practice"):
            key = f"room {name}" if name in ("Shelf", "Kit", "Practice") else f"stage {name}"
            self.click_stop(self.desk.thread_, key)
            self.settle()
            self.assertEqual(self.desk.current.name, name)
            self.assertTrue(self.desk.bench.next.text())

    def test_what_was_closed_is_gone_before_qt_walks_through_all_widgets(self):
        """Qt steps on a widget that a search for garbage deletes while it restyles them all: seen as a crash of Qt's own code."""
        found: list[tuple[bool, bool]] = []

        class Watch(QWidget):
            def changeEvent(self, event: QEvent) -> None:
                if event.type() == QEvent.Type.StyleChange:
                    found.append((gc.isenabled(), closed() is None))

        watch, slip = Watch(), QWidget()
        watch.ensurePolished()
        slip.itself = slip  # a closed slip that its own parts still know: only a search for garbage finds it
        closed = weakref.ref(slip)
        del slip
        self.assertTrue(gc.isenabled())
        self.desk.switch_theme()
        self.assertEqual(set(found), {(False, True)})
        self.assertTrue(gc.isenabled())
        watch.close()

    def test_nothing_is_cut_at_any_text_size_theme_or_window(self):
        from hanabira.desk import paint

        cut: list[str] = []
        for theme_, size, window in (
            ("day", 1.0, (1280, 800)),
            ("evening", 1.25, (1280, 800)),
            ("day", 1.5, (1280, 800)),
            ("day", 2.0, (1280, 800)),
            ("day", 1.0, (1024, 700)),
            ("day", 1.0, (2560, 1440)),
        ):
            self.session.settings.set("theme", theme_)
            self.session.settings.set("text_size", size)
            self.desk.resize(*window)
            self.desk.restyle()
            for name in ("Brief", "Study", "Areas", "Recipe", "Plan"):
                self.desk.go(name)
                self.settle()
                paint.CLIPPED.clear()
                self.desk.grab()
                cut += [f"{name} {size} {window}: {c}" for c in paint.CLIPPED]
        self.assertEqual(cut, [])

    def test_find_a_command(self):
        self.desk.find_command()
        listing = self.desk.command_list
        listing.field.setText("evening")
        self.assertEqual(listing.list.count(), 1)
        self.key(listing.field, Qt.Key.Key_Return)
        from hanabira.desk import theme

        self.assertEqual(theme.current(), "evening")
        self.desk.switch_theme()

    def test_commands_stand_by_stage_under_their_petals_the_open_one_first(self):
        self.desk.go("Plan")
        self.desk.find_command()
        listing = self.desk.command_list
        rows = [listing.list.item(k) for k in range(listing.list.count())]
        heads = [q.text() for q in rows if q.flags() == Qt.ItemFlag.NoItemFlags]
        self.assertEqual(heads[0], "Plan")
        self.assertEqual(sorted(heads), sorted(MENUS))
        self.assertEqual(listing.list.currentRow(), 1, "a heading is no command")
        self.assertEqual(len(rows) - len(heads), len(self.desk.actions_))
        for _ in range(len(rows)):
            self.key(listing.field, Qt.Key.Key_Down)
            self.assertTrue(listing.list.currentItem().data(Qt.ItemDataRole.UserRole))
        self.assertGreater(listing.pos().x(), self.desk.mapToGlobal(self.desk.rect().center()).x() - listing.width() // 2)
        listing.hide()

    def test_a_command_that_is_off_says_why_and_looks_it(self):
        self.desk.find_command()
        listing = self.desk.command_list
        listing.field.setText("do again")
        item = listing.list.item(0)
        self.assertFalse(item.flags() & Qt.ItemFlag.ItemIsEnabled)
        self.assertRegex(item.text(), r"^Do again .+: \w+")

        def darkest(of) -> int:
            picture = listing.list.grab(listing.list.visualItemRect(of)).toImage()
            return min(picture.pixelColor(x, y).lightness() for x in range(picture.width()) for y in range(picture.height()))

        off = darkest(item)
        listing.field.setText("print")
        chosen = listing.list.currentItem()
        on = [q for q in map(listing.list.item, range(listing.list.count())) if q is not chosen and q.flags() & Qt.ItemFlag.ItemIsEnabled]
        self.assertGreater(off, darkest(on[0]) + 20)
        listing.hide()

    def test_a_file_to_write_is_asked_for_by_its_kind(self):
        for name, kind in (
            ("Moss 1.2 areas.svg", "Drawing (*.svg)"),
            ("Moss.ora", "Layered picture (*.ora)"),
            ("Moss card.pdf", "PDF (*.pdf)"),
        ):
            dialog = save_dialog(self.desk, name)
            self.assertEqual((dialog.nameFilters(), dialog.defaultSuffix()), ([kind], name[-3:]))
            self.assertEqual(Path(dialog.selectedFiles()[0]).name, name)
            dialog.deleteLater()
        asked = []
        self.desk.ask_save_path = lambda name: asked.append(name) or "/tmp/key card 1.2"
        self.assertEqual(self.desk.ask_target("Moss/Fern keys.pdf"), Path("/tmp/key card 1.2.pdf"))
        self.assertEqual(asked, ["Moss-Fern keys.pdf"])

    def test_undo_crosses_stages(self):
        self.desk.go("Brief")
        brief = self.desk.stages["Brief"]
        brief._fields["client"].setFocus()
        brief._fields["client"].selectAll()
        self.type(brief._fields["client"], "Noor Vale")
        self.desk.go("Recipe")
        self.settle()
        self.assertEqual(self.desk.bench.back.text(), "Take back: client")
        self.click(self.desk.bench.back)
        self.assertEqual(self.session.commission.client, "Oda Merrin")

    def test_a_second_window_reads_only(self):

        other = Store.open(self.folder)
        try:
            self.assertIn("another window", other.read_only)
            with self.assertRaises(Fault):
                other.edit([Commission("x", "x")])
            self.assertEqual(len(other.all(Area, commission_id=self.session.commission.id)), 12)
        finally:
            other.close()

    def test_a_broken_photo_is_refused_and_nothing_changes(self):
        bad = self.folder.parent / "broken.jpg"
        bad.write_bytes(PHOTO.read_bytes()[:40_000])
        before = (self.session.photos, self.session.areas)
        self.session.add_photo(bad)
        self.settle()
        self.assertIn("broken.jpg", self.said[-1].what)
        self.assertTrue(self.desk.message_strip.isVisible())
        self.assertEqual((self.session.photos, self.session.areas), before)
        good = self.folder.parent / "dog.png"
        Image.fromarray(np.full((300, 500, 3), 120, np.uint8)).save(good)
        self.session.add_photo(good)
        self.settle()
        self.assertEqual(self.session.photo.original_name, "dog.png")
        self.assertEqual(self.session.areas, ())
        self.desk.take_back()
        self.settle()
        self.assertEqual((self.session.photos, self.session.areas), before)

    def test_a_message_lies_over_the_mat_and_leaves_with_its_stage(self):
        self.desk.go("Areas")
        self.settle()
        mat, strip = self.desk.current.mat, self.desk.message_strip
        before = mat.geometry()
        self.desk.say("The border leaves no picture.", "The sheet stays as it was.", "Choose a narrower border or a larger sheet.")
        self.app.processEvents()
        self.assertEqual(mat.geometry(), before)
        self.assertTrue(self.desk.pages.geometry().adjusted(0, 0, 0, 1).contains(strip.geometry()))
        gate = threading.Event()
        self.addCleanup(gate.set)
        self.session.jobs.run("slow", "Waiting", lambda _token: gate.wait(60), lambda _result: None)
        self.wait_until(self.desk.job_strip.isVisible, 20, "the strip of the work under way")
        self.wait_until(lambda: strip.geometry().bottom() <= self.desk.job_strip.geometry().top(), 5, "the message to give way")
        gate.set()
        self.settle()
        self.desk.go("Recipe")
        self.assertTrue(strip.isVisible(), "what was said only now is still read")
        strip.FRESH_MS = -1
        self.desk.go("Areas")
        self.assertFalse(strip.isVisible())

    def test_a_bug_writes_a_report_and_the_window_lives_on(self):
        self.session.messages.hook(ValueError, ValueError("boom"), None)
        self.assertEqual(self.said.pop().kind, "bug")
        reports = list((self.folder / "reports").glob("*.txt"))
        self.assertIn("boom", reports[0].read_text())
        self.assertTrue(self.desk.isVisible())

    def test_a_sheet_that_leaves_no_picture_is_refused(self):
        self.desk.go("Brief")
        self.desk.stages["Brief"]._fields["border_mm"].setValue(100)
        self.desk.stages["Brief"]._fields["width_mm"].setValue(205)
        self.assertEqual(self.session.commission.width_mm, 340)
        self.assertEqual(self.desk.stages["Brief"]._fields["width_mm"].value(), 340)
        self.assertIn("border", self.said[-1].what)


if __name__ == "__main__":
    unittest.main()
