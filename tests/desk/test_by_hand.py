"""Pointer, wheel and keys on the picture, and commands by menu: each gesture changes the session and can be taken back."""

import math

import cv2
import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from hanabira.core.area.shape import ring_area
from hanabira.core.swatch.layout import sheet
from hanabira.demo.pictures import PHOTO
from hanabira.desk.explain import TOPICS
from hanabira.devices.scanner import Scanning, scan
from hanabira.devices.simulated_paper import SimulatedSheet
from tests.desk.test_desk import DemoCase

Key, Shift = Qt.Key, Qt.KeyboardModifier.ShiftModifier


def wheel(widget, at: QPointF, notches: float) -> None:
    """Turn the wheel over a place of a widget."""
    turn = QPoint(0, int(120 * notches))
    none = Qt.KeyboardModifier.NoModifier
    event = QWheelEvent(
        at, QPointF(widget.mapToGlobal(at.toPoint())), QPoint(), turn, Qt.MouseButton.NoButton, none, Qt.ScrollPhase.NoScrollPhase, False
    )
    QApplication.sendEvent(widget, event)


class OnTheStudy(DemoCase):
    def setUp(self):
        super().setUp()
        self.desk.go("Study")
        self.settle()
        self.stage, self.mat = self.desk.current, self.desk.current.mat
        self.stage.choose_way("frame")

    def inside(self) -> None:
        """The frame keeps the paper's proportions and stays on the photo."""
        x, y, w, h = self.session.photo.crop
        self.assertTrue(x >= 0 and y >= 0 and x + w <= 2000 + 1e-6 and y + h <= 1600 + 1e-6)
        pw, ph = self.session.commission.picture_mm
        self.assertAlmostEqual(w / h, pw / ph, places=4)

    def test_the_wheel_scales_about_the_pointer_and_one_turn_is_one_edit(self):
        start = self.session.photo.crop
        at = QPointF(start[0] + 0.3 * start[2], start[1] + 0.6 * start[3])
        place = self.mat.widget_point(at.x(), at.y())
        for _ in range(4):
            wheel(self.mat, place, 1)
        self.assertAlmostEqual(self.session.photo.crop[2] / start[2], 0.94**4, places=3)
        after = self.mat.widget_point(at.x(), at.y())
        self.assertLess(math.hypot(after.x() - place.x(), after.y() - place.y()), 1.5)
        self.inside()
        for _ in range(60):
            wheel(self.mat, place, -1)
        self.inside()
        for _ in range(90):
            wheel(self.mat, place, 1)
        self.inside()
        self.assertGreaterEqual(self.session.photo.crop[2], 40 - 1e-6)
        self.desk.take_back()
        self.assertEqual(self.session.photo.crop, start)

    def test_arrow_keys_move_the_photo_by_millimetres(self):
        wheel(self.mat, self.mat.widget_point(1000, 800), 6)
        start, px = self.session.photo.crop, 1 / self.mat.mm_per_px
        self.key(self.mat, Key.Key_Left)
        self.assertAlmostEqual(self.session.photo.crop[0] - start[0], 5 * px, delta=0.01)
        self.key(self.mat, Key.Key_Right, Shift)
        self.assertAlmostEqual(self.session.photo.crop[0] - start[0], 4 * px, delta=0.01)
        before = None
        while self.session.photo.crop != before:  # until the photo's edge lies on the sheet's
            before = self.session.photo.crop
            for _ in range(3):
                self.key(self.mat, Key.Key_Up)
        self.assertAlmostEqual(before[1] + before[3], 1600, delta=0.5)
        self.inside()
        self.desk.actions_["As much of the photo as fits"].trigger()
        self.assertAlmostEqual(self.session.photo.crop[3], 1600, places=3)

    def test_a_drag_beside_the_sheet_moves_the_view_not_the_photo(self):
        crop, origin = self.session.photo.crop, QPointF(self.mat.origin)
        # beside the paper, on the mat
        self.drag(self.mat, [QPointF(60, 300), QPointF(90, 320), QPointF(120, 340)])
        self.assertEqual(self.session.photo.crop, crop)
        self.assertGreater(self.mat.origin.x(), origin.x() + 20)
        self.key(self.mat, Key.Key_Plus)
        zoom = self.mat.zoom
        self.key(self.mat, Key.Key_Minus)
        self.assertAlmostEqual(self.mat.zoom, zoom * 0.8, places=6)

    def test_a_held_space_bar_takes_the_hand_whatever_the_pencil(self):
        crop, origin = self.session.photo.crop, QPointF(self.mat.origin)
        middle = self.mat.widget_point(1000, 800)
        QTest.keyPress(self.mat, Key.Key_Space)
        self.drag(self.mat, [middle, middle + QPointF(20, 0), middle + QPointF(40, 10)])
        QTest.keyRelease(self.mat, Key.Key_Space)
        self.assertEqual(self.session.photo.crop, crop)
        self.assertNotEqual(self.mat.origin, origin)

    def test_several_photos_are_chosen_and_removed_and_come_back(self):
        self.stage.choose_way("look")
        second = self.folder.parent / "side view.png"
        cv2.imwrite(str(second), np.full((900, 1200, 3), 140, np.uint8))
        first = self.session.photo
        self.session.add_photo(second)
        self.settle()
        self.assertEqual([p.original_name for p in self.session.photos], ["side view.png", first.original_name])
        use = next(b for b in self.desk.bench.findChildren(type(self.desk.bench.next)) if b.text() == first.original_name)
        self.click(use)
        self.settle()
        self.assertEqual(self.session.photo.id, first.id)
        self.assertEqual(self.session.view.size, (2000, 1600))
        away = next(b for b in self.desk.bench.findChildren(type(self.desk.bench.next)) if b.text() == "Remove")
        self.click(away)
        self.settle()
        self.assertEqual([p.id for p in self.session.photos], [first.id])
        self.desk.take_back()
        self.settle()
        self.assertEqual(len(self.session.photos), 2)
        self.assertEqual(len(self.session.areas), 12)

    def test_looks_hold_and_pin_on_the_study(self):
        for letter, look in (("V", "shapes"), ("H", "hues")):
            QTest.keyPress(self.mat, letter)
            self.settle()
            self.assertIsNotNone(self.mat.look)
            self.assertEqual(self.stage.look, look)
            QTest.keyRelease(self.mat, letter)
            self.app.processEvents()
            self.assertIsNone(self.mat.look)
        self.click_stop(self.stage.roll, "look shapes")
        self.settle()
        self.assertEqual(self.stage.look, "shapes")
        image = self.mat.look
        self.assertLessEqual(len({image.pixel(x, y) for x in range(0, image.width(), 7) for y in range(0, image.height(), 7)}), 10)
        self.click_stop(self.stage.roll, "look shapes")
        self.assertEqual((self.stage.look, self.mat.look), ("", None))


class OnTheAreas(DemoCase):
    def setUp(self):
        super().setUp()
        self.desk.go("Areas")
        self.settle()
        self.stage, self.mat = self.desk.current, self.desk.current.mat

    def test_corners_close_at_the_first_and_step_back(self):
        self.stage.choose_way("corners")
        places = [(1560.0, 150.0), (1640.0, 150.0), (1640.0, 260.0), (1560.0, 260.0)]
        inside_crop = self.session.photo.crop[0] + self.session.photo.crop[2] - 150
        places = [(x - 1560 + inside_crop, y) for x, y in places]
        for q in places[:3]:
            self.click(self.mat, self.mat.widget_point(*q))
        self.click(self.mat, self.mat.widget_point(places[0][0] + 40, 400))
        self.key(self.mat, Key.Key_Backspace)
        self.click(self.mat, self.mat.widget_point(*places[3]))
        self.click(self.mat, self.mat.widget_point(*places[0]))
        self.assertEqual(len(self.session.areas), 13)
        self.assertEqual(len(self.session.area.ring), 4)
        self.assertAlmostEqual(abs(ring_area(self.session.area.ring)), 80 * 110, delta=500)
        # Esc drops what is under way
        self.click(self.mat, self.mat.widget_point(places[0][0], 500))
        self.key(self.mat, Key.Key_Escape)
        self.key(self.mat, Key.Key_Return)
        self.assertEqual(len(self.session.areas), 13)
        self.desk.take_back()
        self.assertEqual(len(self.session.areas), 12)

    def test_a_loop_by_keys(self):
        self.stage.choose_way("loop")
        self.mat.setFocus()
        self.key(self.mat, Key.Key_Right)
        self.key(self.mat, Key.Key_Return)
        for key in (Key.Key_Right, Key.Key_Down, Key.Key_Left, Key.Key_Up):
            for _ in range(3):
                self.key(self.mat, key)
        self.key(self.mat, Key.Key_Return)
        self.assertEqual(len(self.session.areas), 13)
        self.assertAlmostEqual(abs(ring_area(self.session.area.ring)), (12 / self.session.mm_per_px) ** 2, delta=2)

    def test_a_click_without_a_stroke_chooses_and_esc_drops_a_stroke(self):
        self.stage.choose_way("loop")
        self.click(self.mat, self.mat.widget_point(1000, 975))
        self.assertEqual((self.session.area.name, len(self.session.areas)), ("Eye", 12))
        start = self.mat.widget_point(800, 1250)
        QTest.mousePress(self.mat, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start.toPoint())
        for dx, dy in ((30, 0), (40, 30), (0, 40)):
            QTest.mouseMove(self.mat, (start + QPointF(dx, dy)).toPoint())
        self.key(self.mat, Key.Key_Escape)
        QTest.mouseRelease(self.mat, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start.toPoint())
        self.assertEqual(len(self.session.areas), 12)

    def test_reshape_by_keys_is_one_edit_a_corner(self):
        self.session.choose_area("demo-area-9")
        self.settle()
        self.stage.choose_way("reshape")
        self.mat.setFocus()
        start, mm = self.session.area.ring, 1 / self.session.mm_per_px
        self.key(self.mat, Key.Key_Period)
        for _ in range(3):
            self.key(self.mat, Key.Key_Right)
        self.key(self.mat, Key.Key_Down, Shift)
        moved = [k for k, (a, b) in enumerate(zip(start, self.session.area.ring, strict=True)) if a != b]
        self.assertEqual(len(moved), 1)
        k = moved[0]
        self.assertAlmostEqual(self.session.area.ring[k][0] - start[k][0], 3 * mm, delta=0.01)
        self.assertAlmostEqual(self.session.area.ring[k][1] - start[k][1], 0.2 * mm, delta=0.01)
        self.desk.take_back()
        self.assertEqual(self.session.area.ring, start)
        self.key(self.mat, Key.Key_Escape)
        self.key(self.mat, Key.Key_Left, Qt.KeyboardModifier.AltModifier)
        shift = np.array(self.session.area.ring) - start
        np.testing.assert_allclose(shift, np.tile([-mm, 0], (len(start), 1)), atol=0.01)

    def test_a_corner_is_never_taken_from_a_triangle(self):
        self.stage.choose_way("corners")
        x = self.session.photo.crop[0] + 60
        for q in ((x, 200), (x + 120, 200), (x + 60, 330)):
            self.click(self.mat, self.mat.widget_point(*q))
        self.key(self.mat, Key.Key_Return)
        self.assertEqual(len(self.session.area.ring), 3)
        self.stage.choose_way("reshape")
        self.mat.setFocus()
        self.key(self.mat, Key.Key_Period)
        self.key(self.mat, Key.Key_Delete)
        self.assertEqual(len(self.session.area.ring), 3)

    def test_a_name_can_be_typed_before_and_after_the_measures_come(self):
        x = self.session.photo.crop[0] + 60
        for k, words in enumerate(("", "Sha")):
            self.stage.choose_way("corners")
            for q in ((x, 150 + 200 * k), (x + 90, 150 + 200 * k), (x + 90, 240 + 200 * k)):
                self.click(self.mat, self.mat.widget_point(*q))
            self.key(self.mat, Key.Key_Return)
            self.type(self.stage.name_field, words)
            self.settle()
            self.assertIsNotNone(self.session.measures(self.session.area_id))
            field = QApplication.focusWidget()
            self.assertIs(field, self.stage.name_field)
            self.assertEqual(field.selectedText(), "" if words else self.session.area.name)
            self.type(field, "de")
            self.key(QApplication.focusWidget(), Key.Key_Return)
            self.settle()
            self.assertEqual((self.desk.current, self.session.area.name), (self.stage, words + "de"))

    def test_menu_commands_go_round_the_areas(self):
        seen = []
        for _ in range(12):
            self.desk.actions_["Next area"].trigger()
            seen.append(self.session.area.number)
        self.assertEqual(sorted(seen), list(range(1, 13)))
        self.desk.actions_["Area before"].trigger()
        self.assertEqual(self.session.area.number, seen[-2])
        self.desk.actions_["Name the area"].trigger()
        self.assertTrue(self.stage.name_field.hasFocus())
        self.assertEqual(self.stage.name_field.selectedText(), self.session.area.name)


class ByMenu(DemoCase):
    def test_the_recipe_by_commands_alone(self):
        self.desk.go("Recipe")
        self.settle()
        stage, do = self.desk.current, self.desk.actions_
        stage._choose(0)
        start = stage.layers
        pressure = start[0].pressure
        step = "Press harder" if pressure < 5 else "Press lighter"
        do[step].trigger()
        self.assertEqual(abs(stage.layers[0].pressure - pressure), 1)
        do["One pass more"].trigger()
        self.assertEqual(stage.layers[0].passes, start[0].passes + 1)
        do["One pass less"].trigger()
        self.assertEqual(stage.layers[0].passes, start[0].passes)
        for _ in range(12):
            do["One pass less"].trigger()
        self.assertEqual(stage.layers[0].passes, 1)
        do["Take the best other pencil"].trigger()
        self.assertNotEqual(stage.layers[0].code, start[0].code)
        do["Show the stack in the light"].trigger()
        self.assertEqual(stage.strata.cut.band, "light")
        while self.session.undo.can_undo:
            self.desk.take_back()
        self.assertEqual(stage.layers, start)

    def test_every_figure_tells_how_it_is_measured(self):
        for topic, (title, words) in TOPICS.items():
            self.desk.explain(topic)
            self.assertEqual(self.desk.explanation.accessibleName(), title)
            self.assertGreater(len(words), 60)
            self.desk.explanation.close()

    def test_printing_without_a_recipe_says_what_to_do(self):
        asked = []
        self.desk.ask_save_path = lambda name: asked.append(name) or ""
        for key in list(self.session.recipes):
            self.session.choose_area(key)
            self.desk.stages["Areas"].delete()
        self.desk.records.recipe_card()
        self.assertEqual(asked, [])
        self.assertIn("no recipe", self.said[-1].what)

    def test_a_ruler_makes_true_size_true(self):
        self.desk.calibrate_screen()
        ruler = self.desk.screen_ruler
        ruler.field.setValue(100.0)
        keep = next(b for b in ruler.findChildren(type(self.desk.bench.next)))
        self.click(keep)
        self.assertFalse(ruler.isVisible())
        self.assertAlmostEqual(self.session.settings.get("screen_px_per_mm"), 4.0, places=6)
        self.desk.go("Study")
        self.settle()
        self.desk.actions_["True size"].trigger()
        mat = self.desk.current.mat
        self.assertAlmostEqual(mat.sheet_rect.width() / self.session.commission.width_mm, self.desk.px_per_mm, places=3)

    def test_text_grows_and_shrinks_within_its_steps(self):
        size = self.session.settings.get("text_size")
        self.desk.actions_["Larger text"].trigger()
        self.assertGreater(self.session.settings.get("text_size"), size)
        for _ in range(9):
            self.desk.actions_["Smaller text"].trigger()
        self.assertLessEqual(self.session.settings.get("text_size"), size)
        self.session.settings.set("text_size", 1.0)
        self.desk.restyle()


class APhotographedSheet(DemoCase):
    def test_a_picture_of_a_filled_sheet_is_read_from_its_file(self):
        self.click_stop(self.desk.thread_, "room Kit")
        self.settle()
        room = self.desk.current
        room.find_field.setText("20")
        codes = room.sheet_codes()
        self.assertGreaterEqual(len(codes), 3)
        page = sheet(room.kit, codes, self.session.settings.get("card_paper"))[0]
        photo, truth = scan(page, SimulatedSheet(room.kit), Scanning(px_per_mm=7.0, seed=11))
        path = self.folder.parent / "sheet.png"
        cv2.imwrite(str(path), photo[..., ::-1])
        self.desk.ask_open_path = lambda: str(path)
        room.reading.ask_photo()
        self.wait_until(lambda: not self.session.jobs.busy, 60)
        self.assertEqual(len(room.reading.rows), len(page.cells))
        read = np.array([q.lab for q in room.reading.rows])
        self.assertLess(float(np.median(np.abs(read[:, 0] - np.array(truth)[:, 0]))), 1.5)
        # another picture is no sheet: said, and what was read stays
        self.desk.ask_open_path = lambda: str(PHOTO)
        room.reading.ask_photo()
        self.wait_until(lambda: not self.session.jobs.busy, 60)
        self.assertEqual(len(room.reading.rows), len(page.cells))
        self.assertTrue(self.said[-1].what)
