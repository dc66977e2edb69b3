"""Easel by hand: do, skip and take back steps, turn the sheet, photograph it; the log on the bench and its files."""

import csv
import datetime
import json
import math
import re
from pathlib import Path

import numpy as np
from PIL import Image
from pypdf import PdfReader
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from hanabira.core.places.outlines import outlines
from hanabira.core.progress.find import find_sheet
from hanabira.core.progress.strip import find_strip
from hanabira.core.solver.layer import Layer
from hanabira.demo.pictures import PHOTO
from hanabira.desk.controls import Choice, Number, Stepper
from hanabira.desk.widgets.timeline import Timeline
from hanabira.devices.easel_camera import WatchedFolder
from hanabira.session.easel import AtTheEasel
from hanabira.session.edits import SetLayers
from hanabira.studio.bundle import read_bundle
from hanabira.studio.records import LogRow, Shot
from hanabira.studio.store import Store
from tests.desk.test_plan_desk import PlanCase


class Easel(PlanCase):
    stage_name = "Easel"

    def test_after_the_window_went_away_it_asks_until_when(self):
        stage, clock = self.stage, self.session.clock
        key = stage.step().key
        begun = clock.now() - datetime.timedelta(minutes=40)
        seen = (begun + datetime.timedelta(minutes=9)).isoformat(timespec="seconds")
        left = {"step": key, "start": begun.isoformat(timespec="seconds"), "end": seen, "seconds": 540.0, "why": "running", "row": ""}
        asked: list[tuple[str, str]] = []
        until = (begun + datetime.timedelta(minutes=25)).strftime("%H:%M")
        for told, minutes in ((until, 25), ("", 9), ("noon", 9)):
            self.session.store.keep_setting(f"worked {self.session.commission.id}", None)
            self.session.store.keep_setting(f"working {self.session.commission.id}", left)
            self.desk.go("Plan")
            stage.at = AtTheEasel(self.session)
            stage.ask_words = lambda title, words, told=told: asked.append((title, words)) or told
            self.desk.go("Easel")
            self.settle()
            self.assertIn("Worked until", asked[-1][0])
            self.assertIn(left["start"][11:16], asked[-1][1])
            self.assertAlmostEqual(stage.at.worked.free_s(key) / 60, minutes, delta=1.01)
        self.assertIn("no time", self.said[-1].what)
        self.assertEqual(len(asked), 3, "it is asked once")

    def test_when_all_is_done_the_way_leads_to_the_check(self):
        session, c = self.session, self.session.commission
        steps = [s.key for s in self.planner.planned().ordered.steps]
        session.apply(put=[LogRow(f"all{n}", c.id, k, "", "", "", "general", "", 0, 1.0, 1.0, "2026-03-03T10:00:00") for n, k in enumerate(steps)])
        self.settle()
        self.stage.refresh()
        self.assertEqual(self.desk.bench.next.text(), "To the check")
        self.assertIn("to the check", [k.words for k in self.stage.strip.keys])
        self.stage.next()
        self.assertEqual(self.desk.current.name, "Check")

    def test_done_skip_note_other_pencil_and_back(self):
        session, stage = self.session, self.stage
        kept = stage.step()
        self.assertEqual((kept.layer.title, kept.area.surface_id), ("Wash", "eye"))
        # looking round is no work: the clock stands until the first step is begun
        self.assertTrue(stage.at.clock.paused)
        self.assertIn("begin", [k.words for k in stage.strip.keys])
        self.key(stage.mat, Qt.Key.Key_Return)
        self.assertFalse(stage.at.clock.paused)
        self.assertEqual(self.planner.log(), ())
        self.key(stage.mat, Qt.Key.Key_Return)
        first = stage.step()
        self.assertEqual(stage.card.now.code, first.layer.pencil)
        self.key(stage.mat, Qt.Key.Key_Return)
        (washed, row) = self.planner.log()
        self.assertEqual((washed.step, washed.pencil), (kept.key, kept.layer.pencil))
        self.assertEqual((row.step, row.state, row.pencil), (first.key, "done", first.layer.pencil))
        # it is on disk before anything else happens
        with Store.open(self.folder) as other:
            self.assertEqual(other.all(LogRow, commission_id=session.commission.id), (washed, row))
        second = stage.step()
        stage.ask_words = lambda title, _w: "the lid is softer" if title == "Note" else "403"
        self.key(stage.mat, Qt.Key.Key_N)
        self.key(stage.mat, Qt.Key.Key_C)
        self.assertIn("Ivory black", stage.card.now.why)
        self.click(self.desk.bench.next)
        rows = self.planner.log()[1:]
        self.assertEqual([r.state for r in rows], ["done", "note", "done"])
        self.assertEqual(
            (rows[-1].pencil, rows[-1].differs), ("403", f"instead of {second.layer.pencil} {session.kit.get(second.layer.pencil).name}")
        )
        self.assertEqual(rows[1].note, "the lid is softer")
        self.key(stage.mat, Qt.Key.Key_X)
        self.assertEqual(self.planner.log()[-1].state, "skipped")
        self.key(stage.mat, Qt.Key.Key_Backspace)
        self.key(stage.mat, Qt.Key.Key_Backspace)
        self.assertEqual(stage.step().key, second.key)
        self.desk.take_back()
        self.assertEqual(self.planner.done_keys(), {kept.key, first.key, second.key})
        # what lies here
        self.click(stage.mat, stage.mat.widget_point(998, 975))
        self.assertEqual((stage.tab, stage.touched), ("here", "demo-area-5"))

    def test_the_clock_pauses_and_a_wet_area_waits_while_others_go_on(self):
        stage, session = self.stage, self.session
        key = "demo-area-4"
        area = next(a for a in session.areas if a.id == key)
        layers = session.recipe_layers(key)
        wet = Layer("blend", "", 1, 1, "all but the highlights", "circle", tool="solvent", why="It must dry.")
        session.do(SetLayers(session, area, (layers[0], wet, *layers[1:]), "solvent"))
        # however many layers lie before it
        while (s := stage.step()) is not None and s.layer.tool != "solvent":
            stage.done()
        self.assertEqual(stage.step().layer.tool, "solvent")
        self.assertTrue(any("no flame" in q for q in stage.card.now.cautions))
        self.assertTrue(stage.card.now.cautions[-1].startswith("Follow the maker"))
        stage.done()
        self.assertNotEqual(stage.step().area.id, key)
        self.assertIn("Brow dries", " ".join(stage.card.now.waits))
        stage.pause()
        before = stage.at.minutes
        self.wait_until(lambda: True)
        self.assertEqual(stage.at.minutes, before)
        self.assertTrue(stage.card.now.paused)

    def test_bench_and_rule_give_way_and_come_back(self):
        stage, desk = self.stage, self.desk
        self.assertFalse(desk.bench.isVisible() or desk.rule.isVisible())
        self.key(stage.mat, Qt.Key.Key_Escape)
        self.assertTrue(desk.bench.isVisible())
        self.key(stage.mat, Qt.Key.Key_Escape)
        self.assertFalse(desk.bench.isVisible())
        desk.go("Brief")
        self.assertTrue(desk.bench.isVisible() and desk.rule.isVisible())

    def test_the_picture_turns_with_the_sheet_and_the_pointer_follows(self):
        mat = self.stage.mat
        middle = QPointF(998, 975)
        for _ in range(3):
            self.key(mat, Qt.Key.Key_Left)
        self.assertEqual(mat.turn_deg, 45)
        # a place right of the middle goes up by the same angle
        a, b = mat.widget_point(998, 975), mat.widget_point(1098, 975)
        self.assertAlmostEqual(math.degrees(math.atan2(a.y() - b.y(), b.x() - a.x())), 45, places=3)
        found = mat.photo_at(mat._flat(mat.widget_point(middle.x(), middle.y())))
        self.assertAlmostEqual((found - middle).manhattanLength(), 0, places=6)
        self.click(mat, mat.widget_point(998, 975))
        self.assertEqual((self.stage.tab, self.stage.touched), ("here", "demo-area-5"))
        self.key(mat, Qt.Key.Key_Home)
        self.assertEqual(mat.turn_deg, 0)
        for _ in range(25):
            self.stage.turn(-15)
        self.assertEqual(mat.turn_deg, -15)
        at = QPointF(mat.rect().center())
        wheel = QWheelEvent(
            at, mat.mapToGlobal(at), QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton, Qt.KeyboardModifier.ShiftModifier,
            Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        self.app.sendEvent(mat, wheel)
        self.assertEqual(mat.turn_deg, -9)

    def test_the_forecast_shows_what_is_done_on_bare_paper(self):
        stage, session = self.stage, self.session
        while (s := stage.step()) and s.area is not None and s.area.id == "demo-area-5":
            stage.done()
        self.key(stage.mat, "f")
        self.assertIsNone(stage.mat.look)  # let go before it was laid
        QTest.keyPress(stage.mat, "f")
        self.wait_until(lambda: stage.mat.look is not None)
        self.settle()
        image = stage.mat.look
        k = image.width() / session.photo.width_px
        colour = lambda x, y: QColor(image.pixel(round(x * k), round(y * k)))  # noqa: E731
        bare = colour(700, 1300)
        self.assertLess(max(abs(bare.red() - 0xF4), abs(bare.green() - 0xF3), abs(bare.blue() - 0xEF)), 4)
        self.assertLess(colour(998, 975).lightness(), 100)
        QTest.keyRelease(stage.mat, "f")
        self.assertIsNone(stage.mat.look)
        # in Recipe it goes up to the chosen layer
        session.choose_area("demo-area-8")
        self.desk.go("Recipe")
        self.settle()
        marigold = []
        for at in (0, len(session.recipe_layers("demo-area-8")) - 1):
            session.choose_layer(at)
            QTest.keyPress(self.desk.current.mat, "f")
            self.settle()
            image = self.desk.current.mat.look
            marigold.append(np.mean([colour(x, 1180).lightness() for x in range(780, 1120, 4)]))
            QTest.keyRelease(self.desk.current.mat, "f")
        self.assertGreater(marigold[0], marigold[1] + 15)

    def test_a_touched_spot_names_only_the_layers_that_reach_it(self):
        stage, session = self.stage, self.session
        key = "demo-area-8"
        layers = session.recipe_layers(key)
        rows = [
            LogRow(f"t{k}", session.commission.id, f"{key}:{q.id}", key, "Marigold cheek", "fluffy-down", q.role, q.code or q.tool, q.pressure, 4.0, 4.0, "2026-01-05T10:00:00")
            for k, q in enumerate(layers)
        ]  # fmt: skip
        session.apply(put=rows)
        self.settle()
        stage.touched = key
        shown = {}
        shapes = outlines(session.places(key))
        for band in ("gap", "marking"):
            stage.touched_l, stage.touched_at = 40.0, shapes[band].middle
            stage.show_tab("here")
            (timeline,) = self.desk.bench.findChildren(Timeline)
            shown[band] = {r.step for r in timeline.items}
            self.assertEqual(shown[band], {f"{key}:{q.id}" for q in layers if band in q.on})
        self.assertNotEqual(shown["gap"], shown["marking"])

    def test_a_row_is_set_right_and_the_pace_follows(self):
        stage, session = self.stage, self.session
        stage.done()  # the catchlight is kept free
        stage.done()
        self.key(stage.mat, Qt.Key.Key_Escape)
        kept, row = self.planner.log()
        (timeline,) = self.desk.bench.findChildren(Timeline)
        self.click_stop(timeline, row.id)
        find = lambda kind, name: next(q for q in self.desk.bench.findChildren(kind) if q.accessibleName() == name)  # noqa: E731
        find(Number, "Minutes of the row").setValue(33.0)
        self.assertEqual(self.planner.log()[1].minutes, 33.0)
        self.assertNotEqual(self.planner.planned().pace.factor("eye"), 1.0)
        self.click_stop(find(Stepper, "Pressure of the row"), "more")
        pencil = find(Choice, "Pencil of the row")
        pencil.setCurrentIndex(pencil.findData("403"))
        pencil.activated.emit(pencil.currentIndex())
        note = find(QLineEdit, "Note of the row")
        note.setFocus()
        self.type(note, "lid first")
        self.key(note, Qt.Key.Key_Return)
        now = self.planner.log()[1]
        self.assertEqual((now.pencil, now.pressure, now.note), ("403", row.pressure + 1, "lid first"))
        self.assertIn(f"pressure {row.pressure + 1} instead of {row.pressure}", now.differs)
        self.assertTrue(any(w.code == "403" and w.worn_mm > 0 for w in session.logbook.wear()))
        self.assertEqual(len(self.planner.done_keys()), 2)
        for _ in range(4):
            self.desk.take_back()
        self.assertEqual(self.planner.log(), (kept, row))

    def test_every_act_has_a_command(self):
        stage, session, run = self.stage, self.session, lambda words: self.desk.actions_[words].trigger()
        stage.ask_words = lambda title, _w: "warmer" if title == "Note" else "403"
        self.desk.camera.ask_path = lambda: str(PHOTO)
        stage.choose_camera("file")
        self.desk.go("Brief")
        first = stage.step().key
        for words in (
            "Step done",
            "Skip the step",
            "Note to the step",
            "Another pencil was used",
            "Photograph the work",
            "The step before",
        ):
            run(words)
            self.assertEqual(self.desk.current.name, "Easel")
            self.settle()
        self.assertEqual([(r.step, r.state) for r in self.planner.log()], [(first, "done"), ("demo-area-5:2", "note")])
        self.assertEqual(stage.step().key, "demo-area-5:1")
        self.assertEqual([q.original_name for q in session.logbook.shots()], [PHOTO.name])
        self.assertEqual(stage.at.swapped, "403")
        for words, turned in (("Turn the picture to the left", 15), ("Turn the picture a little to the right", 12), ("Picture upright", 0)):
            run(words)
            self.assertEqual(stage.mat.turn_deg, turned)
        run("Pause or go on")
        self.assertTrue(stage.at.clock.paused)
        for words, tab in (
            ("Hours of the log", "hours"),
            ("Pencils used and worn", "pencils"),
            ("What did I use here", "here"),
            ("Where photos of the work come from", "write"),
        ):
            run(words)
            self.assertEqual((stage.tab, self.desk.bench.isVisible()), (tab, True))
        run("Show or hide the log")
        self.assertFalse(self.desk.bench.isVisible())
        for words, card in (
            ("Show the hours", "hours"),
            ("Show the materials", "materials"),
            ("Show how it is worked and the days", "days"),
            ("Show the chosen step", "step"),
        ):
            run(words)
            self.assertEqual((self.desk.current.name, self.desk.current.card), ("Plan", card))

    def test_keys_on_the_strip_can_be_touched_and_large_type_is_kept(self):
        stage = self.stage
        first = stage.step()
        self.click_stop(stage.strip, "larger")
        self.assertTrue(self.session.settings.get("easel_large") and stage.card.large)
        self.click_stop(stage.strip, "begin")
        self.click_stop(stage.strip, "done")
        self.assertEqual(self.planner.done_keys(), {first.key})
        self.click_stop(stage.strip, "step before")
        self.assertEqual(self.planner.done_keys(), set())
        self.click_stop(stage.strip, "pause")
        self.assertIn("go on", [k.words for k in stage.strip.keys])

    def test_the_simulated_camera_sees_what_the_log_laid(self):
        stage, session = self.stage, self.session
        stage.choose_camera("simulated")
        while (s := stage.step()) and s.area is not None and s.area.id == "demo-area-5":
            stage.done()
        self.key(stage.mat, Qt.Key.Key_K)
        self.settle()
        (shot,) = session.logbook.shots()
        self.assertEqual(shot.step, stage.step().key)
        with Store.open(self.folder) as other:
            self.assertEqual(other.all(Shot, commission_id=session.commission.id), (shot,))
        with Image.open(session.store.photo_path(shot)) as image:
            pixels = np.asarray(image.convert("RGB"))
        # the eye is the only dark thing on a pale sheet, and stands where it stands in the photo
        c, photo = session.commission, session.photo
        k = c.picture_mm[0] / photo.crop[2]
        eye = np.array([(998 - photo.crop[0]) * k + c.border_mm, (975 - photo.crop[1]) * k + c.border_mm])
        lies = find_sheet(pixels, (c.width_mm, c.height_mm), None, find_strip(pixels))

        def lightness(mm: np.ndarray) -> float:
            x, y = lies.to_photo(mm[None])[0].round().astype(int)
            return float(np.median(pixels[y - 12 : y + 13, x - 12 : x + 13]))

        self.assertLess(lightness(eye), 75)
        for off in ((60, 0), (-60, 0), (0, 60), (0, -60)):
            self.assertGreater(lightness(eye + np.array(off)), 140)
        # it is one edit, and stands in the timeline
        stage.show_tab("log")
        self.settle()
        (timeline,) = self.desk.bench.findChildren(Timeline)
        self.click_stop(timeline, shot.id)
        self.settle()
        self.assertTrue(stage.beside.isVisible() and stage.beside.photo is not None)
        self.desk.take_back()
        self.assertEqual(session.logbook.shots(), ())
        self.assertFalse(stage.beside.isVisible())

    def test_pictures_that_come_into_a_watched_folder_are_taken_in_once(self):
        stage, session = self.stage, self.session
        folder = self.folder.parent / "card"
        folder.mkdir()
        Image.new("RGB", (60, 40), "#998877").save(folder / "old.jpg")
        self.desk.camera.ask_folder = lambda: str(folder)
        stage.choose_camera("folder")
        self.desk.camera.take()
        Image.new("RGB", (60, 40), "#887766").save(folder / "new.jpg")
        (folder / "broken.jpg").write_bytes(b"no picture")
        for _ in range(WatchedFolder.PATIENCE + 4):
            session.logbook.poll("demo-area-5:0")
            self.settle()
        self.assertEqual([q.original_name for q in session.logbook.shots()], ["new.jpg"])
        self.assertEqual(len([m for m in self.said if "broken.jpg" in m.what]), 1)

    def test_a_photo_of_the_work_that_is_gone_is_said_once(self):
        self.session.open_commission("demo-bracken")
        self.settle()
        shots = self.session.logbook.shots()
        self.session.store.photo_path(shots[0]).unlink()
        self.desk.go("Easel")
        stage = self.desk.current
        for _ in range(3):
            stage.show_tab("log")
            self.settle()
        self.assertEqual(len([m for m in self.said if m.kind == "fault"]), 1)
        self.assertIsNotNone(self.session.logbook.thumb(shots[1]))
        stage.show_shot(shots[0].id)
        self.settle()
        self.assertTrue(stage.beside.isVisible())

    def test_keys_never_overlap_and_the_next_act_stands_at_the_right(self):
        strip = self.stage.strip
        for width in (500, 640, 900, 1280, 1900):
            w, h = float(width), strip.design_size(width)[1]
            rects, shown = strip._rects(w, h), strip.shown(w)
            self.assertEqual(len(rects), len(shown))
            self.assertTrue(
                shown == strip.keys if width > 700 else {k.cap for k in shown} >= {"Esc", "P", "N", "K", "C", "X", "Back", "Enter"}
            )
            self.assertTrue(all(a.right() <= b.left() + 1e-6 for a, b in zip(rects, rects[1:], strict=False)))
            self.assertAlmostEqual(rects[-1].right(), w - 8, delta=1)
            self.assertGreaterEqual(rects[0].left(), 0)

    def test_files_of_the_record(self):
        session, desk, out = self.session, self.desk, self.folder.parent
        session.open_commission("demo-bracken")
        desk.go("Plan")
        self.settle()
        desk.open_file = lambda _p: None

        def write(run, name: str) -> Path:
            desk.ask_save_path = lambda _n: str(out / name)
            run()
            self.settle()
            return out / name

        log, shots = session.logbook.rows(), session.logbook.shots()
        rows = list(csv.DictReader(write(desk.records.log_csv, "log.csv").read_text("utf-8").splitlines()))
        self.assertEqual([(r["at"], float(r["minutes"])) for r in rows], [(q.at, q.minutes) for q in log])
        data = json.loads(write(desk.records.record_json, "record.json").read_text("utf-8"))
        self.assertAlmostEqual(data["hours"]["taken"], sum(q.minutes for q in log) / 60, places=2)
        of_areas = sum(q.minutes for q in log if q.area_id) / 60  # lines rubbed out and seams are no area's
        self.assertAlmostEqual(sum(a["taken"] for a in data["hours"]["areas"]), of_areas, delta=0.05)
        self.assertEqual([q["at"] for q in data["photos"]], [q.at for q in shots])
        self.assertTrue(any("times our guess" in q for q in data["learned"]))
        text = " ".join(p.extract_text() for p in PdfReader(write(desk.records.record_pdf, "record.pdf")).pages)
        for words in ("Bracken", "What was learned", "Every step as it happened", log[-1].area_name, "pressure"):
            self.assertIn(words, text)
        book = " ".join(p.extract_text() for p in PdfReader(write(desk.records.bench_book, "book.pdf")).pages)
        for words in ("Lay ready", "Follow the maker’s data sheet", "Keep the long lashes"):
            self.assertIn(words, book)
        sheet = PdfReader(write(desk.records.approval, "approval.pdf"))
        self.assertEqual(len(sheet.pages), 1)
        text = sheet.pages[0].extract_text()
        for words in ("Price:", "as deposit", "Head collar left out", "Colours of the coat", "permission"):
            self.assertIn(words, text)
        price = re.search(r"Price: (.+?€)", text).group(1)
        quote = PdfReader(write(desk.records.quote, "quote.pdf"))
        self.assertEqual(len(quote.pages), 1)
        said = quote.pages[0].extract_text()
        squeezed = lambda q: "".join(q.split())  # noqa: E731 - a thin space comes out as it likes
        self.assertEqual(squeezed(said).count(squeezed(price)), 1, (price, said))
        for area in session.planner.planned().work:
            self.assertIn(area.name, said)
        self.assertIn("Lines, seams and looks", said)
        got = read_bundle(write(desk.records.bundle, "all.zip"))
        self.assertEqual((got.log, got.shots), (log, shots))
