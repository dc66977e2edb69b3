"""Check by hand: the verdict on screen, faults by keys, held looks, into the plan, meant so, corners under a lens, the morning look, refusals."""


import numpy as np
from PIL import Image
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QKeyEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from hanabira.core.clock import MACHINE
from hanabira.desk import paint
from hanabira.desk.controls import PetalButton
from hanabira.desk.stages.check.pictures import to_mm
from hanabira.desk.widgets.fault_list import FaultList
from hanabira.studio.records import PhotoCheck
from hanabira.studio.store import Store
from tests.base import DeskCase
from tests.demo_studio import demo_copy


class CheckCase(DeskCase):
    mornings = False
    commission = "demo-bracken"

    def prepare(self, folder):
        demo_copy(folder)
        with Store.open(folder) as store:
            store.keep_setting("mornings", self.mornings)
            store.keep_setting("commission", self.commission)

    def setUp(self):
        super().setUp()
        self.desk.go("Check")
        self.settle()
        self.stage = self.desk.current
        self.settle()

    def button(self, words: str) -> PetalButton:
        return next(q for q in self.desk.bench.findChildren(PetalButton) if q.text() == words)

    def hold(self, key: Qt.Key, text: str, down: bool) -> None:
        kind = QKeyEvent.Type.KeyPress if down else QKeyEvent.Type.KeyRelease
        QApplication.sendEvent(self.stage.mat, QKeyEvent(kind, key, Qt.KeyboardModifier.NoModifier, text))
        self.app.processEvents()


class Check(CheckCase):
    def test_the_verdict_stands_at_once_and_the_pictures_follow(self):
        s = self.stage
        self.assertIsNotNone(s.judged)
        self.assertEqual(s.fault["kind"], "green")
        self.assertEqual(s.verdict.sentence, s.fault["sentence"])
        self.assertIn("fault 1 of", s.verdict.count)
        self.assertTrue(s.pair.isVisible())
        self.assertEqual(s.pair.first.width(), s.judged.sheet.shape[1])
        self.assertEqual(self.desk.bench.next.text(), "Into the plan")
        self.assertEqual(len(s.session.undo or ()), 0)  # pictures alone are no edit
        a, b = s.pair.frames(456, 420)
        self.assertEqual(s.pair.shown_mm(a).size(), s.pair.shown_mm(b).size())
        found, wanted, told = next(iter(self.desk.rule.pairs.values()))
        self.assertAlmostEqual(found, s.fault["found_lab"][0])
        self.assertAlmostEqual(wanted, s.fault["wanted_lab"][0])
        self.assertFalse(told)  # a green fault is no matter of value

    def test_faults_by_keys_by_the_list_and_by_touch(self):
        s = self.stage
        faults = [f["key"] for f in s.faults]
        self.assertGreaterEqual(len(faults), 2)
        s.mat.setFocus()
        self.key(s.mat, Qt.Key.Key_Down)
        self.assertEqual(s.fault["key"], faults[1])
        self.key(s.mat, Qt.Key.Key_Up)
        self.assertEqual(s.fault["key"], faults[0])
        rows = self.desk.bench.findChild(FaultList)
        self.click_stop(rows, faults[1])
        self.assertEqual(s.fault["key"], faults[1])
        mane = next(a for a in self.session.areas if a.name == "Mane")
        x, y = np.mean(mane.ring, 0)
        mm = to_mm(self.session, x, y)
        self.click(s.mat, s.mat.px(*mm))
        self.assertEqual(s.fault["area_id"], mane.id)

    def test_held_keys_show_the_other_picture_and_let_go(self):
        s = self.stage
        for key, letter, look in (
            (Qt.Key.Key_W, "w", "wanted"),
            (Qt.Key.Key_V, "v", "values"),
            (Qt.Key.Key_K, "k", "client"),
            (Qt.Key.Key_M, "m", "mirror"),
        ):
            self.hold(key, letter, True)
            self.assertEqual(s._held, look)
            if look == "wanted":
                self.assertIs(s.pair.first, s.pictures.image("wanted", False))
            if look == "mirror":
                self.assertTrue(s.mat.mirrored and s.pair.mirrored)
            if look == "values":
                c = s.pair.first.pixelColor(400, 300)
                self.assertLess(max(c.red(), c.green(), c.blue()) - min(c.red(), c.green(), c.blue()), 3)
            self.hold(key, letter, False)
            self.assertEqual((s._held, s.mat.mirrored), ("", False))

    def test_into_the_plan_once_and_done_at_the_easel(self):
        s, f = self.stage, self.stage.fault
        before = self.session.recipe_layers(f["area_id"])
        s.mat.setFocus()
        self.key(s.mat, Qt.Key.Key_Return)
        added = self.session.recipe_layers(f["area_id"])[len(before) :]
        self.assertTrue(added and all(q.role == "correct" for q in added))
        self.assertFalse(self.desk.bench.next.isEnabled())  # it stands there already
        self.assertIn("already", self.desk.bench.next.toolTip())
        self.desk.go("Plan")
        self.settle()
        self.desk.go("Easel")
        self.settle()
        keys = [q.key for q in self.session.planner.planned().ordered.steps]
        self.assertIn(f"{f['area_id']}:{added[0].id}", keys)
        self.desk.take_back()
        self.assertEqual(self.session.recipe_layers(f["area_id"]), before)

    def test_meant_so_goes_to_the_foot_and_comes_back(self):
        s = self.stage
        key = s.fault["key"]
        s.mat.setFocus()
        self.key(s.mat, Qt.Key.Key_X)
        self.assertNotIn(key, [f["key"] for f in s.faults])
        rows = self.desk.bench.findChild(FaultList)
        self.assertTrue(rows.rows[-1].meant)
        self.click_stop(rows, key)
        self.assertIn(key, [f["key"] for f in s.faults])

    def test_photos_on_the_stem_and_one_that_was_never_judged(self):
        s = self.stage
        self.assertEqual([q.state for q in s.stem.photos], ["", "judged", "judged"])
        self.click_stop(s.stem, s.stem.photos[1].key)
        self.settle()
        self.assertEqual(s.shot.id, "demo-bracken-shot-2")
        self.assertIsNotNone(s.judged)
        self.key(s.mat, Qt.Key.Key_Left)
        self.settle()
        self.assertEqual(s.shot.id, "demo-bracken-shot-1")
        self.assertIsNotNone(self.session.store.get(PhotoCheck, s.shot.id))
        self.assertIn(s.stem.photos[0].state, ("judged", "refused"))

    def test_a_dropped_picture_is_taken_in_and_refused_with_its_cure(self):
        s = self.stage
        path = self.folder.parent / "night.png"
        Image.fromarray(np.full((900, 1200, 3), 6, np.uint8)).save(path)
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(path))])
        for at, kind in ((40, QDragEnterEvent), (50, QDragMoveEvent), (60, QDropEvent)):
            point = QPointF(at, at) if kind is QDropEvent else QPoint(at, at)
            event = kind(point, Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
            QApplication.sendEvent(s.mat, event)
            self.assertTrue(event.isAccepted())
        self.settle()
        self.assertEqual([q.original_name for q in s.shots].count("night.png"), 1)
        self.assertEqual(s.shots[-1].original_name, "night.png", [m.what for m in self.said])
        self.assertIs(s.shot.id, s.shots[-1].id)
        s.read_again()
        self.settle()
        self.assertTrue(s.verdict.sentence.startswith("Not judged. The photo is black"))
        self.assertFalse(s.pair.isVisible())
        self.assertEqual(self.desk.bench.next.text(), "Take another")

    def test_corners_are_dragged_moved_by_keys_and_taken(self):
        s = self.stage
        s.mat.setFocus()
        self.key(s.mat, Qt.Key.Key_O)
        self.assertEqual(self.desk.bench.next.text(), "Take these corners")
        before = [QPointF(q) for q in s.pins.corners]
        at = s.mat.widget_point(before[1].x(), before[1].y())
        self.drag(s.mat, [at, at + QPointF(12, 9)])
        moved = s.pins.corners[1] - before[1]
        self.assertGreater(moved.x() * moved.y(), 0)
        self.key(s.mat, Qt.Key.Key_3)
        self.key(s.mat, Qt.Key.Key_Left)
        self.key(s.mat, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(s.pins.corners[2] - before[2], QPointF(-1, -10))
        self.key(s.mat, Qt.Key.Key_O)  # from the start again
        s.set_corners()
        self.key(s.mat, Qt.Key.Key_Return)
        self.settle()
        self.assertIsNone(s.pins)
        self.assertEqual(s.data["sheet"]["found_by"], "corners")
        s.set_corners()
        self.key(s.mat, Qt.Key.Key_Escape)
        self.assertIsNone(s.pins)

    def test_reading_can_be_cancelled_and_leaves_nothing_half(self):
        s = self.stage
        kept = self.session.checkroom.kept()
        s.read_again()
        self.assertEqual(self.desk.bench.next.text(), "Cancel")
        self.click(self.desk.bench.next)
        self.settle()
        self.assertEqual(self.session.checkroom.kept(), kept)
        self.assertFalse(s.working)
        self.assertEqual(self.desk.bench.next.text(), "Into the plan")

    def test_a_small_window_and_large_text_cut_nothing(self):
        s = self.stage
        for size, text in (((1024, 700), 1.0), ((1280, 800), 1.5)):
            self.session.settings.set("text_size", text)
            self.desk.restyle()
            self.desk.resize(*size)
            self.settle()
            s.refresh()
            self.assertFalse(s.pair.isVisible() and s.mat.isVisible())
            s.swap_pages()
            self.assertTrue(s.pair.isVisible())
            s.swap_pages()
            self.settle()
            paint.CLIPPED.clear()
            self.desk.grab()
            self.assertEqual(paint.CLIPPED, [])
        self.assertTrue(s.stem.folded)


class Late(CheckCase):
    def setUp(self):
        DeskCase.setUp(self)

    def test_pictures_come_when_the_clients_photo_comes_late(self):
        self.desk.go("Check")
        self.stage = self.desk.current
        self.settle()
        self.session.checkroom.judged.clear()
        view, self.session.view = self.session.view, None
        self.stage.enter()
        self.settle()
        self.assertIsNone(self.stage.judged)
        self.session.show_view(view)
        self.settle()
        self.assertIsNotNone(self.stage.judged)
        self.assertTrue(self.stage.pair.isVisible())


class Empty(CheckCase):
    commission = "demo-tansy"

    def test_without_a_photo_it_asks_for_one_and_offers_the_strip(self):
        self.assertEqual(self.desk.bench.next.text(), "Take a photo")
        self.assertIn("check strip", self.stage.verdict.remedy)
        path = self.folder.parent / "strip.pdf"
        self.desk.ask_save_path = lambda _name: str(path)
        self.desk.open_file = lambda _p: None
        self.click(self.button("Print the strip"))
        self.settle()
        self.assertTrue(path.read_bytes().startswith(b"%PDF"))


class Morning(CheckCase):
    mornings = True

    def test_the_numbers_wait_for_a_word_and_ten_seconds(self):
        s, look = self.stage, self.stage.morning
        self.assertTrue(s.looking_first)
        self.assertFalse(self.desk.rule.isVisible())
        self.assertFalse(self.desk.bench.next.isEnabled())
        look.sheet.setFocus()
        self.key(look.sheet, Qt.Key.Key_4)
        self.key(look.sheet, Qt.Key.Key_C)
        self.assertEqual((look.word, look.certain), (4, True))
        self.assertFalse(look.ready)
        r = look.sheet.frame(look.sheet.width(), look.sheet.height())
        mane = next(a for a in self.session.areas if a.name == "Mane")
        x, y = np.mean(mane.ring, 0)
        mm = to_mm(self.session, x, y)
        c = self.session.commission
        self.click(look.sheet, QPointF(r.left() + mm[0] / c.width_mm * r.width(), r.top() + mm[1] / c.height_mm * r.height()))
        self.assertEqual(look.area_id, mane.id)
        for _ in range(10):
            look.tick()
        self.assertTrue(look.ready and self.desk.bench.next.isEnabled())
        self.click(self.desk.bench.next)
        self.settle()
        self.assertFalse(s.looking_first)
        self.assertTrue(self.desk.rule.isVisible())
        self.assertIn("Mane too cool, certain. The measure agrees.", look.said_words(s.shot))
        self.desk.go("Plan")
        self.desk.go("Check")
        self.assertFalse(self.desk.current.looking_first)  # once a photo

    def test_arrows_choose_an_area_and_not_today_skips(self):
        look = self.stage.morning
        look.sheet.setFocus()
        self.key(look.sheet, Qt.Key.Key_Right)
        self.assertEqual(look.area_id, self.session.areas[0].id)
        self.key(look.sheet, Qt.Key.Key_Return)
        self.assertTrue(self.stage.looking_first)
        self.click(self.button("Not today"))
        self.assertFalse(self.stage.looking_first)
        self.assertEqual(self.session.settings.get("mornings_skipped"), 1)
        self.assertEqual(self.stage.now().date(), MACHINE.today())
        QTest.qWait(1)
