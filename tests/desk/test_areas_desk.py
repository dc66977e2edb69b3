"""Areas by hand: touch, eye, push, comb, join, cut, order, templates, twin, marking, through real gestures; each can be taken back."""

import math
import threading
from dataclasses import replace
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QTransform
from PyQt6.QtTest import QTest

from hanabira.core.area.outline import Outline
from hanabira.core.area.seams import seam
from hanabira.core.area.shape import ring_area
from hanabira.desk.controls import Pick, Words
from hanabira.desk.stages.areas import cards as areas_cards
from hanabira.desk.widgets import overlays
from hanabira.desk.widgets.measure_cards import ValuePatches
from hanabira.session import area_edits
from hanabira.session.edits import ReshapeArea
from tests.desk.test_desk import DemoCase


class AreasCase(DemoCase):
    def setUp(self):
        super().setUp()
        self.desk.go("Areas")
        self.settle()
        self.stage, self.mat = self.desk.current, self.desk.current.mat

    def at(self, x: float, y: float) -> QPointF:
        return self.mat.widget_point(x, y)

    def choose(self, name: str):
        area = next(a for a in self.session.areas if a.name == name)
        self.session.choose_area(area.id)
        self.settle()
        return area

    def back_to(self, areas) -> None:
        """The edit is undone by one step."""
        self.desk.take_back()
        self.settle()
        self.assertEqual(self.session.areas, areas)

    def sweep(self, points, mods) -> None:
        """A drag with a key held."""
        q = [self.at(*p).toPoint() for p in points]
        QTest.mousePress(self.mat, Qt.MouseButton.LeftButton, mods, q[0])
        for p in q[1:]:
            QTest.mouseMove(self.mat, p)
            self.app.processEvents()
        QTest.mouseRelease(self.mat, Qt.MouseButton.LeftButton, mods, q[-1])
        self.settle()


def size(area) -> float:
    return abs(ring_area(area.ring)) - sum(abs(ring_area(h)) for h in area.holes)


class Drawing(AreasCase):
    def test_a_touch_finds_fur_and_a_wide_drag_takes_more(self):
        before = self.session.areas
        self.key(self.mat, "3")
        self.settle()
        self.click(self.mat, self.at(1500, 1250))
        self.settle()
        small = size(self.session.area)
        self.assertEqual(len(self.session.areas), 13)
        self.assertGreater(small, 4000)
        self.back_to(before)
        self.drag(self.mat, [self.at(1500, 1250), self.at(1440, 1180), self.at(1330, 1090)])
        self.settle()
        self.assertGreater(size(self.session.area), small)

    def test_two_clicks_make_an_eye_with_its_parts(self):
        before = self.session.areas
        self.key(self.mat, "4")
        self.click(self.mat, self.at(1000, 975))
        self.click(self.mat, self.at(1080, 975))
        self.settle()
        area = self.session.area
        self.assertEqual((area.surface_id, len(area.eye)), ("eye", 2))
        np.testing.assert_allclose(np.mean(area.ring, 0), (998, 975), atol=18)
        eye = self.session.measures(area.id).eye
        self.assertIsNotNone(eye.catchlight)
        self.assertTrue(90 < eye.catchlight.angle_deg < 180)
        self.stage.show_tab("parts")
        self.assertIn("Iris", " ".join(w.words for w in self.desk.bench.findChildren(type(self.words()))))
        self.back_to(before)

    def words(self):
        from hanabira.desk.controls import Words

        return Words("")

    def test_a_template_is_placed_in_a_box_in_one_edit(self):
        before = self.session.areas
        self.stage.choose_template("head-side")
        self.drag(self.mat, [self.at(520, 560), self.at(900, 900), self.at(1500, 1500)])
        self.settle()
        made = self.session.areas[12:]
        self.assertEqual([a.name for a in made][:2], ["Eye", "Nose"])
        self.assertTrue(all(510 <= x <= 1510 and 550 <= y <= 1510 for a in made for x, y in a.ring))
        self.assertIsNotNone(self.session.measures(made[0].id).eye)
        # a second box at once fits it anew
        self.drag(self.mat, [self.at(620, 660), self.at(900, 900), self.at(1400, 1400)])
        again = self.session.areas[12:]
        self.assertEqual([a.name for a in again], [a.name for a in made])
        self.assertTrue(all(610 <= x <= 1410 and 650 <= y <= 1410 for a in again for x, y in a.ring))
        self.back_to(before)


class Shaping(AreasCase):
    def test_shift_joins_and_alt_cuts_and_holes_are_closed(self):
        area = self.choose("Marigold cheek")
        before = self.session.areas
        x0, y0 = np.min(area.ring, 0)
        self.stage.choose_way("loop")
        loop = lambda x, y, r: [(x + r * math.cos(t), y + r * math.sin(t)) for t in np.linspace(0, 2 * math.pi, 24)]  # noqa: E731
        self.sweep(loop(690, 1170, 60), Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(len(self.session.areas), 12)
        joined = size(self.session.area)
        self.assertGreater(joined, size(area) + 2000)
        self.sweep(loop(930, 1180, 40), Qt.KeyboardModifier.AltModifier)
        self.assertEqual(len(self.session.area.holes), 1)
        self.assertAlmostEqual(size(self.session.area), joined - math.pi * 40**2, delta=500)
        area_edits.close_holes(self.session)
        self.settle()
        self.assertEqual(self.session.area.holes, ())
        for _ in range(2):
            self.desk.take_back()
        self.back_to(before)
        self.sweep(loop(300, 1400, 30), Qt.KeyboardModifier.ShiftModifier)
        self.assertIn("do not touch", self.said[-1].what)
        self.assertEqual(self.session.areas, before)

    def test_the_edge_is_pushed(self):
        area = self.choose("Marigold cheek")
        before = self.session.areas
        self.key(self.mat, "6")
        low = max(area.ring, key=lambda q: q[1])
        self.drag(self.mat, [self.at(*low), self.at(low[0], low[1] + 20), self.at(low[0], low[1] + 45)])
        self.settle()
        self.assertGreater(max(y for _, y in self.session.area.ring), low[1] + 25)
        self.back_to(before)

    def test_overlap_is_shared_and_can_be_turned_over(self):
        # the eye lies on the brow: its pixels are not brow
        brow, eye = self.choose("Brow"), next(a for a in self.session.areas if a.name == "Eye")
        big = area_edits.add(self.session, Outline(((880, 850), (1120, 850), (1120, 1100), (880, 1100))), "Socket")
        self.settle()
        self.assertIn(eye.id, [a.id for a in self.session.areas_over(self.session.area)])
        with_hole = self.session.measures(big.id).pixels
        area_edits.lay(self.session, 1)
        self.settle()
        self.assertNotIn(eye.id, [a.id for a in self.session.areas_over(self.session.area)])
        self.assertGreater(self.session.measures(big.id).pixels, with_hole + 10_000)
        self.assertEqual(brow.number, 4)

    def test_a_name_dragged_onto_another_takes_its_place(self):
        before = {a.name: a.number for a in self.session.areas}
        eye = next(a for a in self.session.areas if a.name == "Eye")
        first = next(a for a in self.session.areas if a.name == "Far ear")
        self.assertEqual(before["Eye"], 5)
        self.drag(self.mat, [self.mat.click_point(eye.id), self.mat.click_point(eye.id) + QPointF(0, -40), self.mat.click_point(first.id)])
        self.settle()
        after = {a.name: a.number for a in self.session.areas}
        self.assertEqual((after["Eye"], after["Far ear"], after["Brow"], after["Throat"]), (1, 2, 5, 12))
        self.assertEqual(sorted(after.values()), list(range(1, 13)))
        area_edits.step_order(self.session, 1)
        self.desk.take_back()
        self.desk.take_back()
        self.assertEqual({a.name: a.number for a in self.session.areas}, before)

    def test_a_twin_on_the_other_side(self):
        ear = self.choose("Near ear")
        # in profile the nose is at the rim: over it the twin would lie outside
        area_edits.mirror_over(self.session)
        self.settle()
        self.assertIn("outside the photo", self.said[-1].what)
        self.choose("Nose and lip")
        self.stage.delete()
        self.choose("Near ear")
        area_edits.mirror_over(self.session)
        self.settle()
        self.settle()
        twin = self.session.area
        self.assertEqual((twin.name, len(self.session.areas)), ("Far ear", 12))
        self.assertAlmostEqual(size(twin), size(ear), delta=0.05 * size(ear))
        self.assertLess(np.mean(twin.ring, 0)[0], np.mean(ear.ring, 0)[0])


class CombingAndMarking(AreasCase):
    def test_one_stroke_gives_root_and_tip_and_crossing_strokes_correct(self):
        area = self.choose("Shoulder")
        before = self.session.areas
        m = self.session.measures(area.id)
        self.assertIsNone(m.combed)
        axis = math.radians(m.hair.direction_deg)
        c = np.array((1520.0, 1330.0))
        tip = c + 90 * np.array([math.cos(axis), -math.sin(axis)])
        self.key(self.mat, "7")
        self.drag(self.mat, [self.at(*c), self.at(*(c + tip) / 2), self.at(*tip)])
        self.settle()
        combed = self.session.measures(area.id).combed
        self.assertIsNotNone(combed)
        self.assertLess(abs((combed.mean_deg - math.degrees(axis) + 180) % 360 - 180), 45)
        # the other way round turns every hair
        self.desk.take_back()
        self.drag(self.mat, [self.at(*tip), self.at(*(c + tip) / 2), self.at(*c)])
        self.settle()
        turned = self.session.measures(area.id).combed
        self.assertGreater(abs((turned.mean_deg - combed.mean_deg + 180) % 360 - 180), 120)
        across = 90 * np.array([math.sin(axis), math.cos(axis)])
        self.drag(self.mat, [self.at(*c), self.at(*(c + across / 2)), self.at(*(c + across))])
        self.settle()
        fixed = self.session.measures(area.id).field
        i, j = int((c[1] + across[1] / 2 - m.origin[1]) / fixed.step_px), int((c[0] + across[0] / 2 - m.origin[0]) / fixed.step_px)
        wanted = (math.degrees(axis) + 90) % 180
        self.assertLess(abs((fixed.direction_deg[i, j] - wanted + 90) % 180 - 90), 15)
        self.desk.take_back()
        self.back_to(before)

    def test_the_artist_says_the_class_and_traces_the_marking(self):
        path = self.folder.parent / "cheek.svg"
        self.desk.ask_save_path = lambda _n: str(path)
        area = self.choose("Marigold cheek")
        self.stage.show_tab("marking")
        area_edits.change(self.session, "class of the marking", area.__class__(**{**area.__dict__, "marking_kind": "patches"}))
        self.settle()
        m = self.session.measures(area.id)
        self.assertEqual((m.marking.kind, m.marking.confidence), ("patches", 1.0))
        self.assertTrue(self.session.marking_rings(area.id))
        cover = m.pattern.coverage
        self.stage.trace("away")
        x, y = np.mean(m.pattern.outlines[0].ring, 0)
        self.drag(self.mat, [self.at(x + 60 * math.cos(t), y + 60 * math.sin(t)) for t in np.linspace(0, 6.2, 14)])
        self.settle()
        self.assertNotEqual(self.session.measures(area.id).pattern.coverage, cover)
        self.desk.actions_["Write the marking as SVG"].trigger()
        self.settle()
        text = path.read_text()
        self.assertIn('width="320.00mm"', text)
        self.assertGreaterEqual(text.count("M"), 2)

    def test_a_figure_shows_its_sample_on_the_photo(self):
        self.choose("Marigold cheek")
        patches = self.desk.bench.findChildren(ValuePatches)[0]
        self.click_stop(patches, "value light")
        self.settle()
        image, where = self.mat.patch
        self.assertGreater(where.width(), 300)
        self.click_stop(self.desk.bench.findChildren(ValuePatches)[0], "value light")
        self.assertIsNone(self.mat.patch)

    def test_neighbours_and_tabs(self):
        area = self.choose("Soot blaze")
        near = {a.name: d for a, d in self.session.neighbours(area)}
        self.assertGreater(near["Brow"], 10)
        tabs = next(q for q in self.desk.bench.findChildren(Pick) if q.accessibleName() == "What the card shows")
        self.assertEqual(tabs.stop_keys(), ["read", "marking", "shape"])

    def test_the_combing_is_drawn_once_for_each_view_of_it(self):
        area = self.choose("Shoulder")
        haired = [a for a in self.session.areas if (m := self.session.measures(a.id)) is not None and m.hair.direction_deg is not None]
        other = next(a for a in haired if a.id != area.id)
        self.assertIn(area, haired)
        with mock.patch.object(overlays, "draw_combing", wraps=overlays.draw_combing) as drawn:

            def times(change) -> int:
                before = drawn.call_count
                change()
                self.settle()
                self.mat.repaint()
                first = drawn.call_count - before
                self.mat.repaint()
                self.mat.repaint()
                self.assertEqual(drawn.call_count - before, first if not self.mat.turn_deg else first + 2)
                return first

            times(lambda: None)
            self.assertEqual(times(lambda: None), 0)
            picture = self.mat.grab().toImage()
            self.assertGreater(times(lambda: self.mat.zoom_at(self.at(900, 700), 1.5)), 0)
            self.assertGreater(times(self.mat.fit), 0)
            self.assertGreater(times(lambda: self.session.choose_area(other.id)), 0)
            self.assertGreater(times(lambda: self.session.choose_area(area.id)), 0)
            self.assertEqual(self.mat.grab().toImage(), picture, "from the picture that was kept it looks as it did")
            # what lies in a turned window's corners is outside a picture of its size: there it is drawn at every paint
            self.assertGreater(times(lambda: self.mat.turn(30.0)), 0)

    def test_on_a_turned_sheet_no_name_is_cut(self):
        outlines = next(q for q in self.mat.overlays if isinstance(q, overlays.Outlines))
        told = []
        with mock.patch.object(outlines, "_name", lambda _p, s, _here: told.append(s)):
            self.mat.repaint()
            flat = {s.area.name for s in told}
            self.assertEqual(flat, {a.name for a in self.session.areas})
            told.clear()
            self.mat.turn(25.0)
            self.settle()
            told.clear()
            self.mat.repaint()
            self.assertLess({s.area.name for s in told}, flat)
            self.assertGreater(len(told), 6)
            corner = self.mat.inner.center()
            turned = QTransform().translate(corner.x(), corner.y()).rotate(-25).translate(-corner.x(), -corner.y())
            for s in told:
                self.assertTrue(self.mat.inner.contains(turned.mapRect(outlines._words(s))), s.area.name)

    def test_seams_are_looked_for_beside_the_work_each_once_and_again_where_an_area_changed(self):
        looked = []

        def watched(pixels, a, b, *ways):
            looked.append(threading.current_thread())
            return seam(pixels, a, b, *ways)

        def told() -> list[str]:
            return [q.words for q in self.desk.bench.findChildren(Words) if q.words.startswith("Seam with")]

        self.session.workings.folder = self.folder / "nothing-known-yet"
        with mock.patch("hanabira.session.measuring.seam", watched):
            area = self.choose("Soot blaze")
            self.assertTrue(looked, "this area meets others")
            self.assertNotIn(threading.main_thread(), looked)
            said, times = told(), len(looked)
            self.assertTrue(said)
            self.stage.refresh()
            self.settle()
            self.assertEqual((told(), len(looked)), (said, times), "what is known is not looked for again")
            found = self.session.measuring.seams(area, 4.0)
            self.assertEqual([f.length_px for _a, f in found], sorted((f.length_px for _a, f in found), reverse=True))
            moved = tuple((x + 6, y) for x, y in area.ring)
            self.session.do(ReshapeArea(self.session, area, moved))
            self.settle()
            self.assertGreater(len(looked), times, "the area moved, and with it its seams")
            self.assertTrue(told())


class Faces(AreasCase):
    """Points of the face are proposed, moved under a lens, and count only when they are confirmed."""

    def words(self) -> str:
        return " ".join(q.words for q in self.desk.findChildren(Words) if q.isVisible())

    def test_nostrils_are_moved_by_keys_and_by_the_pointer_before_they_count(self):
        area = self.choose("Nose and lip")
        self.stage.show_tab("parts")
        self.settle()
        before = self.session.areas
        start = ((500.0, 1240.0), (540.0, 1250.0))
        self.stage.pin(start, self.stage.confirm_nostrils)
        self.key(self.mat, Qt.Key.Key_PageDown)
        self.key(self.mat, Qt.Key.Key_Right)
        self.drag(self.mat, [self.at(500, 1240), self.at(500, 1260), self.at(505, 1280)])
        self.assertEqual(self.session.areas, before, "nothing is kept while the pins move")
        self.key(self.mat, Qt.Key.Key_Return)
        self.settle()
        (lx, ly), (rx, ry) = self.session.area.eye
        self.assertEqual((self.session.area.id, rx, ry), (area.id, 541.0, 1250.0))
        self.assertAlmostEqual(lx, 505, delta=2)
        self.assertAlmostEqual(ly, 1280, delta=2)
        self.assertTrue(self.session.measures(area.id).nose.confirmed)
        self.assertIn("The nostrils lie", self.words())
        self.back_to(before)

    def test_an_ears_tip_is_proposed_and_counts_once_it_is_confirmed(self):
        area = self.choose("Far ear")
        self.stage.show_tab("parts")
        self.settle()
        self.assertIn("Until it is confirmed nothing is measured from it", self.words())
        self.assertEqual(self.session.measuring.face().tips_mm, ())
        far = areas_cards.tip_of(self.stage)
        middle = self.session.measuring.face_middle()
        self.assertEqual(far, max(area.ring, key=lambda q: math.dist(q, middle)))
        before = self.session.areas
        self.stage.confirm_tip((far,))
        self.settle()
        self.assertEqual(self.session.area.eye, (far,))
        self.assertIn("Its tip is where you set it", self.words())
        self.back_to(before)

    def test_rows_of_feathers_are_set_by_two_clicks(self):
        area = self.choose("Far ear")
        area_edits.change(self.session, "surface", replace(area, surface_id="contour-feathers", eye=()))
        self.settle()
        self.stage.show_tab("parts")
        self.settle()
        before = self.session.areas
        self.stage.choose_way("rows")
        x, y = np.mean(area.ring, 0)
        self.click(self.mat, self.at(x, y))
        self.click(self.mat, self.at(x + 30, y - 40))
        self.settle()
        f = self.session.measures(area.id).feathers
        self.assertTrue(f.said)
        self.assertAlmostEqual(f.row_px, 50, delta=3)
        self.assertIn("as you set them", self.words())
        self.back_to(before)
