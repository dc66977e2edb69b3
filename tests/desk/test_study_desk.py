"""Study by hand: what is set on a photo, measured on it and printed from it, through real gestures."""

import math

import cv2
import numpy as np
from pypdf import PdfReader
from PyQt6.QtCore import QPointF
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from hanabira.core.colour.spaces import bytes_to_lab, parse_hex
from hanabira.core.study.prepare import move_points
from hanabira.desk.controls import Pick
from hanabira.desk.gestures.marks import reading
from tests.desk.test_desk import DemoCase

ROUND_THE_RABBIT = [
    (760, 60), (1000, 30), (1300, 10), (1420, 200), (1400, 500), (1290, 800), (1690, 1150), (1690, 1590), (560, 1590), (470, 1400), (440, 1200),
    (600, 900), (760, 700), (720, 300), (760, 60),
]  # fmt: skip


class StudyCase(DemoCase):
    def setUp(self):
        super().setUp()
        self.desk.go("Study")
        self.settle()
        self.stage, self.mat = self.desk.current, self.desk.current.mat

    def pick(self, name: str, key: str) -> None:
        """Choose one of a few words on the bench card."""
        widget = next(q for q in self.desk.bench.findChildren(Pick) if q.accessibleName() == name)
        self.click_stop(widget, key)

    def button(self, words: str):
        return next(b for b in self.desk.bench.findChildren(type(self.desk.bench.next)) if b.text() == words)

    def at(self, x: float, y: float) -> QPointF:
        return self.mat.widget_point(x, y)

    def saves(self, name: str):
        path = self.folder.parent / name
        self.desk.ask_save_path, self.desk.open_file = lambda _n: str(path), lambda _p: None
        return path


class Frame(StudyCase):
    def test_a_level_line_straightens_and_everything_stays_on_the_animal(self):
        session, areas, photo = self.session, self.session.areas, self.session.photo
        self.key(self.mat, "2")
        self.pick("Tool", "level")
        a, b = (700.0, 1000.0), (1300.0, 1063.0)
        self.drag(self.mat, [self.at(*a), self.at(1000, 1030), self.at(*b)])
        self.settle()
        tilt = session.photo.prep.tilt_deg
        self.assertAlmostEqual(tilt, math.degrees(math.atan2(63, 600)), delta=0.3)
        for before, after in zip(areas, session.areas, strict=True):
            np.testing.assert_allclose(after.ring, move_points(before.ring, photo.size, (0, False), (tilt, False)), atol=0.02)
        # the eye's area still lies on the eye
        eye = next(q for q in session.areas if q.name == "Eye")
        colour = session.view.at(*np.mean(eye.ring, 0))
        self.assertLess(bytes_to_lab(colour[None, None])[0, 0, 0], 25)
        self.assertLessEqual(session.photo.crop[2], photo.crop[2])
        self.desk.take_back()
        self.settle()
        self.assertEqual((session.photo, session.areas), (photo, areas))

    def test_mirrored_for_good_and_the_focal_point_on_a_third(self):
        session = self.session
        ear = session.areas[0].ring[0]
        self.stage.choose_way("frame")
        self.click(self.button("Mirror for good"))
        self.settle()
        self.assertAlmostEqual(session.areas[0].ring[0][0], 2000 - ear[0], places=1)
        self.pick("Tool", "focal")
        x, y, w, h = session.photo.crop
        self.click(self.mat, self.at(x + 0.6 * w, y + 0.55 * h))
        self.assertAlmostEqual(session.photo.prep.focal[0], x + 0.6 * w, delta=4)
        before = session.photo.crop
        self.stage.to_third(2, 1)
        fx = (session.photo.prep.focal[0] - session.photo.crop[0]) / session.photo.crop[2]
        self.assertLess(abs(fx - 2 / 3), abs((session.photo.prep.focal[0] - before[0]) / before[2] - 2 / 3) + 1e-6)


class LightOnThePhoto(StudyCase):
    def test_a_grey_pick_a_guess_exposure_and_back(self):
        session, digest = self.session, self.session.photo.digest
        self.stage.choose_way("light")
        # a whitish ear rim stands for something white
        self.click(self.mat, self.at(1180, 560))
        self.settle()
        white = session.photo.prep.light.white
        self.assertIsNotNone(white)
        lab = bytes_to_lab(session.view.at(1180, 560)[None, None])[0, 0]
        self.assertLess(math.hypot(lab[1], lab[2]), 3.5)
        # picking the same place again gives the same light: it is measured on the photo as taken
        self.click(self.mat, self.at(1180, 560))
        self.settle()
        np.testing.assert_allclose(session.photo.prep.light.white, white, rtol=1e-6)
        before = bytes_to_lab(session.view.at(1000, 1400)[None, None])[0, 0, 0]
        self.stage.expose(1.0)
        self.settle()
        self.assertGreater(bytes_to_lab(session.view.at(1000, 1400)[None, None])[0, 0, 0], before + 3)
        self.click(self.button("As taken"))
        self.settle()
        self.assertTrue(session.photo.prep.light.as_taken)
        self.assertEqual(session.photo.digest, digest)
        self.click(self.button("Guess it"))
        self.settle()
        self.assertIn("guess", session.photo.prep.light_how)

    def test_areas_are_measured_in_the_light_that_was_set(self):
        self.desk.go("Areas")
        self.settle()
        first = self.session.measures(self.session.area_id).values.general
        self.desk.go("Study")
        self.stage.expose(0.8)
        self.desk.go("Areas")
        self.settle()
        self.assertGreater(self.session.measures(self.session.area_id).values.general, first + 3)

    def test_where_the_light_comes_from_is_drawn_and_kept(self):
        self.stage.choose_way("light")
        self.pick("Tool", "sun")
        self.drag(self.mat, [self.at(700, 300), self.at(800, 400), self.at(900, 500)])
        self.assertAlmostEqual(self.session.photo.prep.sun_deg, 135, delta=2)
        self.assertEqual(self.session.side(next(a for a in self.session.areas if a.name == "Shoulder")), "on the shadow side")


class CutOut(StudyCase):
    def test_outline_backdrop_strokes_and_what_the_eye_sees(self):
        session = self.session
        self.stage.choose_way("cut")
        self.drag(self.mat, [self.at(*q) for q in ROUND_THE_RABBIT])
        self.settle()
        self.assertTrue(session.photo.prep.cut_out)
        ground = np.round(parse_hex(session.commission.ground_hex) * 255)
        np.testing.assert_allclose(session.view.at(470, 200), ground, atol=2)
        self.assertGreater(np.abs(session.view.at(900, 1200).astype(float) - ground).max(), 40)
        said = [w.words for w in self.desk.bench.findChildren(type(self.stage_words())) if "on the backdrop" in w.words]
        self.assertEqual(len(said), 3)
        # the old surroundings while B is held
        QTest.keyPress(self.mat, "B")
        self.settle()
        self.assertIsNotNone(self.mat.look)
        self.assertLess(
            self.mat.look.pixelColor(int(470 * self.mat.look.width() / 2000), int(200 * self.mat.look.height() / 1600)).lightness(), 200
        )
        QTest.keyRelease(self.mat, "B")
        # what lies between the ears is dropped by a stroke
        before = session.view.at(1015, 300).astype(int)
        self.pick("Tool", "drop")
        self.drag(self.mat, [self.at(1020, 250), self.at(1022, 350), self.at(1022, 480)])
        self.settle()
        self.assertEqual(len(session.photo.prep.drop), 1)
        self.assertGreater(int(session.view.at(1015, 300).astype(int).sum()), int(before.sum()) + 60)
        # another backdrop, by its digits; nonsense is said and changes nothing
        self.pick("Backdrop", "colour")
        field = next(q for q in self.desk.bench.findChildren(QLineEdit) if q.accessibleName() == "Backdrop colour")
        field.setText("#35414f")
        field.editingFinished.emit()
        self.settle()
        np.testing.assert_allclose(session.view.at(470, 200), (0x35, 0x41, 0x4F), atol=2)
        field = next(q for q in self.desk.bench.findChildren(QLineEdit) if q.accessibleName() == "Backdrop colour")
        field.setText("mossy")
        field.editingFinished.emit()
        self.assertEqual(session.commission.backdrop, "#35414f")
        self.assertIn("not a colour", self.said[-1].what)
        self.pick("What is shown", "off")
        self.settle()
        self.assertFalse(session.photo.prep.cut_out)
        self.assertGreater(len(session.photo.prep.outline), 5)

    def stage_words(self):
        from hanabira.desk.controls import Words

        return Words("")

    def test_warm_and_cool_and_one_shape_alone(self):
        QTest.keyPress(self.mat, "T")
        self.settle()
        self.assertEqual(self.stage.look, "temperature")
        self.assertIsNotNone(self.mat.look)
        QTest.keyRelease(self.mat, "T")
        self.pick("One value shape alone", "1")
        self.settle()
        self.assertEqual(self.stage.look, "shapes")
        image = self.mat.look
        pale = sum(image.pixelColor(x, y).red() == 236 for x in range(0, image.width(), 9) for y in range(0, image.height(), 9))
        self.assertGreater(pale, 0.4 * (image.width() // 9) * (image.height() // 9))


class GridAndPrint(StudyCase):
    def test_a_measuring_line_reads_paper_millimetres(self):
        self.stage.choose_way("grid")
        self.drag(self.mat, [self.at(600, 800), self.at(800, 800), self.at(1000, 800)])
        told = reading(self.stage.gestures["line"].kept, self.mat.mm_per_px)
        self.assertAlmostEqual(float(told.split()[0]), 400 * 320 / 1280, delta=1.2)
        self.assertTrue(told.endswith("level"))
        self.pick("Tool", "angle")
        for q in ((600, 800), (800, 800), (800, 600)):
            self.click(self.mat, self.at(*q))
        self.assertTrue(reading(self.stage.gestures["angle"].kept, self.mat.mm_per_px).startswith("90°"))

    def test_true_size_sheets_hold_the_whole_picture(self):
        path = self.saves("true.pdf")
        self.stage.choose_way("grid")
        self.pick("Grid shown", "on")
        self.click(self.button("Print the photo"))
        self.settle()
        pages = PdfReader(path).pages
        self.assertEqual(len(pages), 4)  # 320 × 400 mm on A4
        text = pages[0].extract_text()
        self.assertIn("true size", text)
        self.assertIn("sheet 1·1", text)
        self.assertIn("a", text.split())
        before = path.stat().st_size
        self.click(self.button("Lines only"))
        self.settle()
        self.assertLess(path.stat().st_size, 0.5 * before)

    def test_an_impossible_wedge_reading_is_said_and_not_kept(self):
        from hanabira.desk.stages.study import printing as study_print

        path = self.saves("wedge.pdf")
        self.stage.choose_way("grid")
        study_print.print_wedge(self.stage)
        self.settle()
        self.assertIn("Grey wedge", PdfReader(path).pages[0].extract_text())
        study_print.keep(self.stage, [5.0, 12.0, 8.0, 16.0, 20.0])
        self.assertIn("cannot be", self.said[-1].what)
        self.assertEqual(self.session.settings.get("printer"), [])
        study_print.keep(self.stage, [3.0, 8.0, 12.0, 16.0, 20.0])
        self.assertEqual(self.session.settings.get("printer"), [3.0, 8.0, 12.0, 16.0, 20.0])


class SeveralPhotos(StudyCase):
    def test_beside_with_its_part_and_colours_taken_from_it(self):
        session = self.session
        main, other = session.photo, self.folder.parent / "true coat.png"
        cv2.imwrite(str(other), np.full((600, 800, 3), (60, 110, 190), np.uint8))
        session.add_photo(other)
        self.settle()
        from hanabira.session.edits import ChoosePhoto, SetPart

        session.do(ChoosePhoto(session, main))
        self.settle()
        coat = next(p for p in session.photos if p.id != main.id)
        session.do(SetPart(session, coat, "colour"))
        self.click(self.button("Beside"))
        self.settle()
        self.assertTrue(self.stage.beside.isVisible())
        self.assertEqual(self.stage.beside.photo.size, (800, 600))
        self.desk.go("Areas")
        self.settle()
        areas = self.desk.current
        session.choose_area(next(a.id for a in session.areas if a.name == "Marigold cheek"))
        self.settle()
        key = session.area_id
        before = session.measures(key)
        areas.show_tab("shape")
        areas.show_beside(coat.id)
        self.settle()
        mat = areas.beside
        self.drag(mat, [mat.widget_point(x, y) for x, y in ((200, 200), (500, 200), (500, 400), (200, 400), (200, 210))])
        self.settle()
        after = session.measures(key)
        self.assertEqual(after.borrowed, "true coat.png")
        np.testing.assert_allclose(after.values.band_lab["general"], bytes_to_lab(np.uint8([[[190, 110, 60]]]))[0, 0], atol=1.5)
        self.assertEqual(after.hair.direction_deg, before.hair.direction_deg)
        self.desk.take_back()
        self.settle()
        self.assertEqual(session.measures(key).borrowed, "")
