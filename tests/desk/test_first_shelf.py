"""The empty shelf: three results and three ways on; a dropped photo is the first commission; the demo is a studio of its own that can be made anew."""

import shutil
from unittest import mock

from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from PyQt6.QtWidgets import QApplication

from hanabira.core.faults import StudioFault
from hanabira.demo.pictures import PHOTO
from hanabira.demo.studio import forget_demo
from hanabira.desk.controls import Words
from hanabira.desk.widgets.first_shelf import SHEETS, picture
from hanabira.studio.records import Commission
from hanabira.studio.store import Store
from tests.base import DeskCase
from tests.demo_studio import demo_copy
from tests.desk.test_desk import DemoCase


class FirstShelf(DeskCase):
    def setUp(self):
        super().setUp()
        self.settle()
        self.stage = self.desk.current

    def words(self) -> str:
        return " ".join(q.words for q in self.desk.findChildren(Words) if q.isVisible())

    def test_it_shows_three_results_and_says_what_is_next(self):
        self.assertEqual(self.stage.name, "Shelf")
        self.assertTrue(self.stage.first.isVisible())
        self.assertFalse(self.stage.head.isVisible())
        for name, title, _words in SHEETS:
            self.assertFalse(picture(name).isNull())
            self.assertIn(title, self.stage.first.accessibleDescription())
        self.assertEqual(self.desk.bench.next.text(), "New commission")
        self.assertIn("72 pencils", self.words())
        self.click(self.desk.bench.next)
        self.settle()
        self.assertEqual((self.desk.current.name, len(self.session.commissions)), ("Brief", 1))
        self.desk.show_room("Shelf")
        self.settle()
        self.assertFalse(self.stage.first.isVisible())

    def test_nothing_is_cut_at_any_size(self):
        for where in self.at_sizes((1.0, (1280, 800)), (1.0, (1024, 700)), (1.5, (1024, 700)), (2.0, (1280, 800)), (1.0, (1920, 1080))):
            self.uncut(where)
            first = self.stage.first
            self.assertTrue(first.rect().contains(first.button.geometry()), where)

    def test_a_dropped_photo_is_the_first_commission_named_after_its_file(self):
        photo = self.folder.parent / "old_brown-mare.jpg"
        shutil.copy(PHOTO, photo)
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(photo))])
        for kind in (QDragEnterEvent, QDragMoveEvent, QDropEvent):
            at = QPointF(80, 90) if kind is QDropEvent else QPoint(80, 90)
            event = kind(at, Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
            QApplication.sendEvent(self.stage.first, event)
        self.settle()
        (c,) = self.session.commissions
        self.assertEqual((c.name, self.desk.current.name), ("Old Brown Mare", "Brief"))
        self.assertEqual(len(self.session.photos), 1)

    def test_the_demo_is_made_beside_and_opened_in_this_windows_place(self):
        beside, shown = self.folder.parent / "demo", []
        self.desk.show_studio = shown.append
        build = lambda folder, _token=None, _clock=None: demo_copy(folder) and 3  # noqa: E731
        with (
            mock.patch("hanabira.desk.stages.shelf.stage.demo_folder", lambda: beside),
            mock.patch("hanabira.demo.studio.build_demo", build),
        ):
            self.click(self.stage.first.button)
            self.settle()
        self.assertEqual(shown, [beside])
        self.assertFalse(self.desk.isVisible())
        with Store.open(self.folder) as own:
            self.assertEqual(own.all(Commission), ())
        with Store.open(beside) as demo:
            self.assertEqual(len(demo.all(Commission)), 3)


class InTheDemo(DemoCase):
    def test_the_demo_offers_to_be_made_anew_and_the_own_studio_does_not(self):
        self.desk.show_room("Shelf")
        self.settle()
        self.assertEqual(self.desk.current._of_demo(), [])
        asked, shown = [], []
        self.desk.ask_remove = lambda words: asked.append(words) or True
        self.desk.show_studio = shown.append
        with (
            mock.patch("hanabira.desk.stages.shelf.stage.demo_folder", lambda: self.folder),
            mock.patch("hanabira.demo.studio.forget_demo") as forget,
        ):
            self.assertTrue(self.desk.current._of_demo())
            self.desk.current.anew()
        self.assertEqual(shown, [self.session.store.folder])
        forget.assert_called_once_with(self.session.store.folder, self.session.clock)
        self.assertIn("your own studio is another folder", asked[0])


class Forgetting(DeskCase):
    def test_a_folder_that_is_no_demo_is_refused_and_stays(self):
        self.session.new_commission("Mine")
        self.close_desk()
        with self.assertRaises(StudioFault):
            forget_demo(self.folder)
        with Store.open(self.folder) as store:
            self.assertEqual([c.name for c in store.all(Commission)], ["Mine"])
