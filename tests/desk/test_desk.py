"""The whole path through the window, as a person goes it: from a photo to a printed recipe."""

import math
import threading
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from pypdf import PdfReader
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QLineEdit

from hanabira.core.area.shape import ring_area
from hanabira.demo.pictures import PHOTO
from hanabira.desk.controls import Stepper
from hanabira.desk.stages.areas.stage import AreasStage
from hanabira.desk.stages.recipe.stage import RecipeStage
from hanabira.desk.widgets.layer_list import LayerList
from hanabira.studio.records import Commission
from hanabira.studio.store import Store
from tests.base import DeskCase
from tests.demo_studio import demo_copy


def circle(mat, cx: float, cy: float, r: float, n: int = 40) -> list[QPointF]:
    """Widget points round a place of the photo."""
    return [mat.widget_point(cx + r * math.cos(2 * math.pi * k / n), cy + r * math.sin(2 * math.pi * k / n)) for k in range(n + 1)]


class Path_(DeskCase):
    def test_from_a_photo_to_a_printed_card_and_back_after_a_restart(self):
        desk, session = self.desk, self.session
        pdf = self.folder.parent / "card.pdf"
        opened = []
        desk.ask_open_path, desk.ask_save_path, desk.open_file = lambda: str(PHOTO), lambda _name: str(pdf), opened.append

        # an empty studio says what to do first
        self.assertEqual(desk.current.name, "Shelf")
        self.assertEqual(desk.bench.next.text(), "New commission")
        self.click(desk.bench.next)
        self.assertEqual(desk.current.name, "Brief")
        name = next(q for q in desk.bench.findChildren(QLineEdit) if q.accessibleName() == "Name")
        self.assertTrue(name.hasFocus())
        self.type(name, "Bramble")
        self.assertEqual(session.commission.name, "Bramble")
        client = next(q for q in desk.bench.findChildren(QLineEdit) if q.accessibleName() == "Client")
        self.type(client, "Ilse Tarn")
        brief = desk.stages["Brief"]
        brief._fields["width_mm"].setValue(200)
        brief._fields["height_mm"].setValue(250)
        self.assertEqual((session.commission.width_mm, session.commission.height_mm), (200, 250))

        # the photo
        self.assertEqual(desk.bench.next.text(), "Add the client’s photo")
        self.click(desk.bench.next)
        self.settle()
        self.assertEqual((session.photo.width_px, session.photo.height_px), (2000, 1600))
        self.assertTrue(session.view.full)
        w, h = session.commission.picture_mm
        self.assertAlmostEqual(session.photo.crop[2] / session.photo.crop[3], w / h, places=3)

        # study, frame, look
        self.click(desk.bench.next)
        self.assertEqual(desk.current.name, "Study")
        self.settle()
        study = desk.current
        self.key(study.mat, "2")
        study.choose_way("frame")
        before = session.photo.crop
        c = study.mat.widget_point(before[0] + before[2] / 2, 800)
        self.drag(study.mat, [c, c + QPointF(30, 0), c + QPointF(60, 0)])
        self.assertLess(session.photo.crop[0], before[0] - 5)
        desk.take_back()
        self.assertEqual(session.photo.crop, before)

        # areas: a loop, a name, a surface
        self.click(desk.bench.next)
        areas = desk.current
        assert isinstance(areas, AreasStage)
        self.drag(areas.mat, circle(areas.mat, 1000, 975, 120))
        self.assertEqual(len(session.areas), 1)
        self.assertAlmostEqual(abs(ring_area(session.areas[0].ring)), math.pi * 120**2, delta=0.06 * math.pi * 120**2)
        self.assertTrue(areas.name_field.hasFocus())
        self.type(areas.name_field, "Left eye")
        self.key(areas.name_field, Qt.Key.Key_Return)
        self.settle()
        self.assertEqual(session.area.name, "Left eye")
        areas.surface_field.setCurrentIndex(areas.surface_field.findData("eye"))
        areas.surface_field.activated.emit(areas.surface_field.currentIndex())
        self.settle()
        self.assertEqual(session.area.surface_id, "eye")
        m = session.measures(session.area_id)
        self.assertIsNone(m.hair.direction_deg)
        self.assertLess(m.values.gap, 15)
        self.assertEqual(
            {k: round(v) for k, v in desk.rule.values.items()},
            {k: round(getattr(m.values, k)) for k in ("gap", "general", "light", "highlight")},
        )

        # a second area by corners
        areas.choose_way("corners")
        for x, y in ((760, 1180), (1000, 1180), (1000, 1330), (760, 1330)):
            self.click(areas.mat, areas.mat.widget_point(x, y))
        self.key(areas.mat, Qt.Key.Key_Return)
        self.settle()
        self.assertEqual(len(session.areas), 2)
        self.assertFalse(session.area.smooth)
        self.assertIsNotNone(session.measures(session.area_id).hair.direction_deg)

        # its recipe
        self.click(desk.bench.next)
        self.settle()
        recipe = desk.current
        assert isinstance(recipe, RecipeStage)
        self.assertGreater(len(recipe.layers), 2)
        prediction, _ = session.prediction(session.area_id)
        self.assertLess(prediction.band("general").delta_e00, 4)
        self.assertEqual(recipe.strata.cut.band, "general")

        # what is not solved comes next, then area by area, at last the card
        self.assertEqual(desk.bench.next.text(), "Solve the last area")
        self.click(desk.bench.next)
        self.settle()
        self.assertEqual(session.portrait.unsolved(), ())
        self.assertEqual(desk.bench.next.text(), "Print the recipe card")
        self.click(desk.bench.next)
        self.settle()
        self.assertEqual(opened, [pdf])
        text = "\n".join(page.extract_text() for page in PdfReader(pdf).pages)
        for words in ("Bramble", "Ilse Tarn", "Area 2", "tooth left", "pressure"):
            self.assertIn(words, text)
        for q in recipe.layers:
            self.assertIn(session.kit.get(q.code).name, text)

        # everything is as it was after a restart
        before = (session.commission, session.photo, session.areas, session.recipes, session.area_id)
        self.close_desk()
        desk = self.open_desk()
        self.assertEqual((self.session.commission, self.session.photo, self.session.areas, self.session.recipes, self.session.area_id), before)
        self.assertEqual(desk.current.name, "Recipe")
        self.assertIsNotNone(desk.current.strata.cut)


class DemoCase(DeskCase):
    """A window on a demo studio of its own."""

    def prepare(self, folder: Path) -> None:
        with Store.open(demo_copy(folder)) as store:
            # start where nothing has to be measured; tests go where they want
            store.edit([replace(store.all(Commission)[0], stage="Brief")])


class AreaEdits(DemoCase):
    def setUp(self):
        super().setUp()
        self.desk.go("Areas")
        self.settle()
        self.stage = self.desk.current

    def test_choosing_by_pointer_margin_and_keys(self):
        mat, session = self.stage.mat, self.session
        self.click(mat, mat.widget_point(1000, 975))
        self.assertEqual(session.area.name, "Eye")
        self.click_stop(mat, "demo-area-1")
        self.assertEqual(session.area.name, "Far ear")
        self.key(mat, Qt.Key.Key_N)
        self.assertEqual(session.area.number, 2)
        self.assertEqual(len(mat.stop_keys()), 12)

    def test_reshape_move_corner_delete_and_undo_to_the_start(self):
        mat, session = self.stage.mat, self.session
        start = session.areas
        session.choose_area("demo-area-9")
        self.settle()
        self.stage.choose_way("reshape")
        x, y = session.area.ring[0]
        self.drag(mat, [mat.widget_point(x, y), mat.widget_point(x + 20, y + 10), mat.widget_point(x + 40, y + 20)])
        moved = session.area.ring[0]
        self.assertLess(math.hypot(moved[0] - x - 40, moved[1] - y - 20), 6)
        self.assertEqual(session.area.ring[1:], start[8].ring[1:])
        c = np.mean(session.area.ring, 0)
        ring = session.area.ring
        self.drag(mat, [mat.widget_point(*c), mat.widget_point(c[0] + 10, c[1]), mat.widget_point(c[0] + 30, c[1])])
        shift = np.array(session.area.ring) - ring
        self.assertLess(np.ptp(shift, axis=0).max(), 1e-6)
        self.assertGreater(shift[0, 0], 20)
        n = len(session.area.ring)
        a, b = session.area.ring[3], session.area.ring[4]
        self.click(mat, mat.widget_point((a[0] + b[0]) / 2, (a[1] + b[1]) / 2), double=True)
        self.assertEqual(len(session.area.ring), n + 1)
        self.key(mat, Qt.Key.Key_Delete)
        self.assertEqual(len(session.area.ring), n)
        self.desk.actions_["Delete the area"].trigger()
        self.assertEqual(len(session.areas), 11)
        while self.session.undo.can_undo:
            self.desk.take_back()
        self.assertEqual(session.areas, start)
        while self.session.undo.can_redo:
            self.desk.do_again()
        self.assertEqual(len(session.areas), 11)

    def test_an_area_with_a_recipe_comes_back_with_it(self):
        session = self.session
        session.choose_area("demo-area-8")
        layers = session.recipe_layers("demo-area-8")
        self.assertTrue(layers)
        self.stage.delete()
        self.assertNotIn("demo-area-8", session.recipes)
        self.desk.take_back()
        self.assertEqual(session.recipe_layers("demo-area-8"), layers)

    def test_drawing_with_keys_alone(self):
        mat, session = self.stage.mat, self.session
        self.stage.choose_way("corners")
        mat.setFocus()
        self.key(mat, Qt.Key.Key_Right)
        self.key(mat, Qt.Key.Key_Return)
        for key in (Qt.Key.Key_Right, Qt.Key.Key_Down, Qt.Key.Key_Left):
            for _ in range(3):
                self.key(mat, key)
            self.key(mat, Qt.Key.Key_Return)
        self.key(mat, Qt.Key.Key_Return)
        self.assertEqual(len(session.areas), 13)
        side = 12 / self.session.mm_per_px
        self.assertAlmostEqual(abs(ring_area(session.area.ring)), side**2, delta=1)

    def test_a_scribble_without_inside_adds_nothing(self):
        mat = self.stage.mat
        self.stage.choose_way("loop")
        outside = [QPointF(30, 60), QPointF(60, 90), QPointF(40, 120), QPointF(30, 60), QPointF(33, 70)]
        self.drag(mat, outside)
        self.assertEqual(len(self.session.areas), 12)

    def test_holding_a_key_looks_and_letting_go_returns(self):
        mat = self.stage.mat
        for letter, look in (("S", "squint"), ("L", "lift"), ("G", "grey"), ("M", "mirror")):
            QTest.keyPress(mat, letter)
            self.settle()
            self.assertEqual(self.stage.look, look)
            self.assertTrue(mat.mirrored if look == "mirror" else mat.look is not None)
            QTest.keyRelease(mat, letter)
            self.app.processEvents()
            self.assertEqual((self.stage.look, mat.mirrored, mat.look), ("", False, None))
        # in a text field the same letter is a letter
        self.stage.name_field.setFocus()
        self.stage.name_field.clear()
        self.type(self.stage.name_field, "sml")
        self.assertEqual(self.stage.name_field.text(), "sml")
        self.assertEqual(self.stage.look, "")

    def test_zoom_stays_at_the_pointer_and_fit_returns(self):
        mat = self.stage.mat
        at = mat.photo_px(900, 700)
        mat.zoom_at(at, 3.0)
        after = mat.photo_at(at)
        self.assertLess(math.hypot(after.x() - 900, after.y() - 700), 0.01)
        self.desk.actions_["True size"].trigger()
        self.assertAlmostEqual(mat.zoom, self.desk.px_per_mm, places=6)
        self.desk.actions_["Whole sheet"].trigger()
        self.assertTrue(mat.inner.contains(mat.sheet_rect))

    def test_the_value_under_the_pointer(self):
        mat = self.stage.mat
        QTest.mouseMove(mat, mat.widget_point(850, 800).toPoint())
        self.app.processEvents()
        self.assertIsNotNone(self.desk.rule.caret)
        self.assertGreater(self.desk.rule.caret, 60)
        self.assertIn("step", self.desk.rule.caret_words)


class RecipeEdits(DemoCase):
    def setUp(self):
        super().setUp()
        self.desk.go("Recipe")
        self.settle()
        self.stage = self.desk.current
        self.stage.show_tab("layer")

    def test_every_edit_changes_the_prediction_at_once_and_can_be_undone(self):
        session, stage = self.session, self.stage
        start = stage.layers
        self.assertGreaterEqual(len(start), 4)
        last = len(start) - 1
        place = start[last].on[0]
        stage.show_band(place)
        self.click_stop(stage.strata, f"layer {last}")
        self.assertEqual(stage.at, last)

        def end() -> float:
            return float(session.prediction(session.area_id)[0].band(place).lab[0])

        seen = [end()]
        self.click_stop(stage.pressure_control, "pressure 1" if start[last].pressure != 1 else "pressure 5")
        seen.append(end())
        self.click_stop(stage.passes_control, "more")
        seen.append(end())
        stage.swap("104")
        seen.append(end())
        self.assertEqual(stage.layers[last].code, "104")
        under = max(k for k, q in enumerate(start[:last]) if place in q.on)
        stage.move_layer(last, under)
        seen.append(end())
        stage.remove_layer(under)
        seen.append(end())
        self.assertTrue(all(abs(a - b) > 1e-6 for a, b in zip(seen, seen[1:], strict=False)), seen)
        self.assertEqual(len(stage.layers), last)
        for value in reversed(seen[:-1]):
            self.desk.take_back()
            self.assertAlmostEqual(end(), value, places=9)
        self.assertEqual(stage.layers, start)

    def test_swap_list_is_clicked(self):
        from hanabira.core.solver import area
        from hanabira.desk.widgets.layer_card import Swaps

        on: list[threading.Thread] = []
        real = area.swaps

        def watched(*args, **more):
            on.append(threading.current_thread())
            return real(*args, **more)

        with mock.patch.object(area, "swaps", watched):
            self.stage.swaps = None
            self.stage.refresh()
            self.settle()
            self.stage.refresh()
            self.settle()
        self.assertEqual(len(on), 1, "what is found is not looked for again")
        self.assertIsNot(on[0], threading.main_thread())
        table = self.desk.bench.findChildren(Swaps)[-1]
        other = table.rows[1].code
        self.desk.bench.area.ensureWidgetVisible(table)
        self.click_stop(table, f"swap {other}")
        self.assertEqual(self.stage.layers[self.stage.at].code, other)
        self.assertEqual(self.desk.bench.back.text(), "Take back: swap")

    def test_a_caution_is_cured_with_its_button(self):
        from hanabira.core.solver.layer import Layer
        from hanabira.desk.widgets.layer_card import CautionCard
        from hanabira.session.edits import SetLayers

        area = self.session.area
        self.session.do(
            SetLayers(self.session, area, (Layer("general", "255", 3, 1, "everywhere"), Layer("gap", "401", 3, 1, "gaps")), "layers")
        )
        self.session.choose_layer(0)
        card = next(q for q in self.desk.bench.findChildren(CautionCard) if q.caution.kind == "fugitive" and q.button)
        self.click(card.button)
        self.assertNotEqual(self.stage.layers[0].code, "255")
        self.assertNotIn("fugitive", {c.kind for c in self.session.prediction(area.id)[1]})

    def test_bands_and_keys_in_the_strata(self):
        strata = self.stage.strata
        self.click_stop(strata, "band gap")
        self.assertEqual(strata.cut.band, "gap")
        strata.setFocus()
        k = max(q.at for q in strata.cut.strata)
        self.click_stop(strata, f"layer {k}")
        before = self.stage.layers
        self.key(strata, Qt.Key.Key_Delete)
        self.assertEqual(self.stage.layers, (*before[:k], *before[k + 1 :]))

    def test_the_list_shows_every_layer_with_what_it_covers(self):
        self.stage.show_tab("layers")
        listing = self.desk.bench.findChildren(LayerList)[-1]
        self.assertEqual([row.at for row in listing.rows], list(range(len(self.stage.layers))))
        for row, q in zip(listing.rows, self.stage.layers, strict=True):
            self.assertEqual(row.on, q.on)
            self.assertEqual(row.here, self.stage.band in q.on)
        other = next(row for row in listing.rows if not row.here)
        self.click_stop(listing, f"layer {other.at}")
        self.assertEqual((self.stage.at, self.stage.tab), (other.at, "layers"))
        self.assertIn(self.stage.band, other.on)
        listing = self.desk.bench.findChildren(LayerList)[-1]
        listing.setFocus()
        self.key(listing, Qt.Key.Key_Return)
        self.assertEqual(self.stage.tab, "layer")

    def test_a_place_is_corrected_on_the_picture_and_the_correction_taken_back(self):
        session, stage = self.session, self.stage
        stage.show_tab("layers")
        stage.show_band("gap")
        before = session.places(session.area_id).get("gap").share
        xs, ys = zip(*session.area.ring, strict=True)
        x, y, r = sum(xs) / len(xs), sum(ys) / len(ys), 0.2 * (max(xs) - min(xs))
        stage.correct_place("add")
        at = [stage.mat.widget_point(x + r * math.cos(t), y + r * math.sin(t)) for t in np.linspace(0, 6.2, 16)]
        self.drag(stage.mat, at)
        self.settle()
        self.assertIsNone(stage.mat.gesture)
        self.assertEqual(len(session.area.place_edits), 1)
        self.assertGreater(session.places(session.area_id).get("gap").share, before + 0.02)
        self.desk.take_back()
        self.settle()
        self.assertEqual(session.area.place_edits, ())
        self.assertAlmostEqual(session.places(session.area_id).get("gap").share, before, places=4)

    def test_a_place_is_taken_from_a_layer_and_its_target_moved_by_choice(self):
        session, stage = self.session, self.stage
        k = next(n for n, q in enumerate(stage.layers) if len(q.on) > 1 and q.code)
        stage._choose(k)
        before, gone = stage.layers, stage.layers[k].on[-1]
        name = session.places(session.area_id).get(gone).name
        box = next(q for q in self.desk.bench.findChildren(QCheckBox) if q.accessibleName() == f"The layer goes on the {name}")
        self.click(box, QPointF(10, box.height() / 2))
        self.assertEqual(stage.layers[k].on, before[k].on[:-1])
        self.assertTrue(name not in stage.layers[k].where or "everywhere but" in stage.layers[k].where, stage.layers[k].where)
        self.desk.take_back()
        self.assertEqual(stage.layers, before)
        stage.show_tab("layers")
        stage.show_band("general")
        target = session.targets(session.area_id)["general"][0]
        lighter = next(q for q in self.desk.bench.findChildren(Stepper) if q.accessibleName().startswith("Lighter"))
        self.click_stop(lighter, "more")
        self.assertAlmostEqual(session.targets(session.area_id)["general"][0], target + 5, places=6)
        self.assertIn("general", self.desk.rule.aims)
        self.desk.take_back()
        self.assertEqual(self.desk.rule.aims, {})

    def test_a_note_is_one_edit_and_is_printed(self):
        self.stage.note_field.setFocus()
        self.type(self.stage.note_field, "mind the edge")
        self.assertEqual(self.session.recipes[self.session.area_id].note, "mind the edge")
        self.desk.take_back()
        self.assertEqual(self.session.recipes[self.session.area_id].note, "")

    def test_solving_anew_is_the_same_again(self):
        start = self.stage.layers
        self.session.choose_area("demo-area-10")
        self.settle()
        self.assertEqual(self.desk.bench.next.text(), "Recipe of area 11")
        self.desk.actions_["Solve the layers anew"].trigger()
        self.settle()
        first = self.stage.layers
        self.assertTrue(first, self.said)
        self.desk.actions_["Solve the layers anew"].trigger()
        self.settle()
        self.assertEqual(self.stage.layers, first)
        self.assertNotEqual(first, start)
