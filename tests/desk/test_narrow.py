"""What gives way in a narrow or low window, part by part: rows wrap, strips fold, days turn like pages, pencils lose their words, a section turns."""

import datetime
import unittest
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import QRect, QSize, Qt, qInstallMessageHandler
from PyQt6.QtWidgets import QComboBox, QLineEdit, QSizePolicy, QWidget

from hanabira.desk import theme
from hanabira.desk.controls import Choice, Stepper, act_button, form, label, row
from hanabira.desk.rows import Row
from hanabira.desk.start import make_app
from hanabira.desk.widgets.day_strip import LEAST_PX, Day, DayStrip
from hanabira.desk.widgets.easel_card import EaselCard, Now
from hanabira.desk.widgets.practice_stem import APART, Leaf, PracticeStem
from hanabira.desk.widgets.roll import Roll, Way
from hanabira.desk.widgets.thread import Thread
from hanabira.desk.widgets.value_rule import ValueRule
from tests.desk.test_desk import DemoCase

STAGES = ("Brief", "Study", "Areas", "Recipe", "Plan", "Easel", "Check")


class Sized(QWidget):
    """A widget that says how large it wants to be, and least."""

    def __init__(self, wished: int, least: int, high: int = 20, grows: bool = False) -> None:
        super().__init__()
        self._wished, self._least, self._high = wished, least, high
        self.setSizePolicy(QSizePolicy.Policy.Expanding if grows else QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(self._wished, self._high)

    def minimumSizeHint(self) -> QSize:
        return QSize(self._least, self._high)


class Plain(unittest.TestCase):
    """Parts on their own, without a desk."""

    @classmethod
    def setUpClass(cls):
        cls.app = make_app()
        cls.warned = []

        def heard(_kind, _context, words: str) -> None:
            if not words.startswith("This plugin does not support"):  # the offscreen platform says what it has no screen for
                cls.warned.append(words)

        cls.addClassCleanup(qInstallMessageHandler, qInstallMessageHandler(heard))

    def tearDown(self):
        self.assertEqual(self.warned, [])

    def setUp(self):
        theme.use("day", 1.0)
        self.addCleanup(theme.use, "day", 1.0)

    def laid(self, width: int, *parts: Sized | None) -> tuple[list[QRect], int]:
        holder = QWidget()
        box = Row(4)
        holder.setLayout(box)
        for q in parts:
            box.add_spring() if q is None else box.addWidget(q)
            if q is not None:
                q.show()
        holder.resize(width, 500)
        holder.setAttribute(Qt.WidgetAttribute.WA_DontShowOnScreen)
        holder.show()
        box.setGeometry(QRect(0, 0, width, 500))
        self.addCleanup(holder.deleteLater)
        return [q.geometry() for q in parts if q is not None], box.heightForWidth(width)


class Rows(Plain):
    def test_what_fits_stands_side_by_side_and_a_spring_pushes_the_rest_away(self):
        (a, b), high = self.laid(300, Sized(80, 40), None, Sized(60, 30))
        self.assertEqual((a.x(), a.width(), b.width(), high), (0, 80, 60, 20))
        self.assertEqual(b.right(), 299)

    def test_a_row_is_squeezed_before_it_is_broken(self):
        (a, b), high = self.laid(120, Sized(100, 50), Sized(100, 50))
        self.assertEqual((high, a.y(), b.y()), (20, 0, 0))
        self.assertEqual(a.width() + b.width() + 4, 120)

    def test_what_does_not_fit_goes_on_below_in_reading_order(self):
        places, high = self.laid(150, *(Sized(70, 60) for _ in range(5)))
        self.assertEqual([(p.x() > 0, p.y()) for p in places], [(False, 0), (True, 0), (False, 24), (True, 24), (False, 48)])
        self.assertEqual(high, 68)

    def test_a_widget_that_wants_to_grow_takes_what_is_left_of_its_line(self):
        (a, b), _high = self.laid(300, Sized(60, 60), Sized(80, 40, grows=True))
        self.assertEqual((a.width(), b.width()), (60, 236))

    @settings(max_examples=80)
    @given(
        width=st.integers(60, 700),
        sizes=st.lists(st.tuples(st.integers(10, 60), st.integers(0, 160), st.integers(12, 60)), min_size=1, max_size=7),
    )
    def test_nothing_is_ever_outside_or_over_something_else(self, width, sizes):
        parts = [Sized(least + more, least, high) for least, more, high in sizes]
        places, high = self.laid(width, *parts)
        whole = QRect(0, 0, width, max(high, 1))
        for k, p in enumerate(places):
            self.assertTrue(whole.contains(p), (p, whole))
            self.assertGreaterEqual(p.width(), sizes[k][0])
            for q in places[k + 1 :]:
                self.assertTrue(p.intersected(q).isEmpty())

    def test_hidden_widgets_take_no_room(self):
        parts = [Sized(60, 60), Sized(60, 60)]
        box = Row(4)
        holder = QWidget()
        holder.setLayout(box)
        for q in parts:
            box.addWidget(q)
        parts[0].hide()
        holder.show()
        self.assertEqual(box.heightForWidth(70), 20)
        self.assertEqual(box.minimumSize().width(), 60)
        self.assertEqual(box.count(), 2)
        self.assertIsNone(box.itemAt(2))
        self.assertIsNotNone(box.takeAt(0))
        self.assertEqual(box.count(), 1)

    def test_a_forms_labels_go_over_their_fields_where_both_have_no_room(self):
        holder = QWidget()
        fields = form()
        holder.setLayout(fields)
        field = QLineEdit()
        field.setMinimumWidth(150)
        name = label("A rather long label")
        fields.addRow(name, field)
        for width, above in ((420, False), (180, True)):
            holder.resize(width, 200)
            holder.show()
            self.app.processEvents()
            self.assertEqual(field.y() > name.y() + 10, above, width)

    def test_a_choice_that_is_cut_says_its_words_and_never_hides_a_tooltip_of_its_own(self):
        q = Choice()
        q.addItems(["short", "A long name of a kit that no narrow field can hold"])
        q.resize(120, 30)
        q.setCurrentIndex(1)
        q.show()
        self.assertEqual(q.toolTip(), q.currentText())
        q.setCurrentIndex(0)
        self.assertEqual(q.toolTip(), "")
        q.setToolTip("What it is for")
        q.setCurrentIndex(1)
        self.assertEqual(q.toolTip(), "What it is for")
        self.assertLessEqual(q.minimumSizeHint().width(), 110)
        self.assertIsInstance(q, QComboBox)

    def test_a_steppers_words_go_under_it(self):
        q = Stepper("Warmer", -6, 6, 2, "steps of two units toward orange")
        wide, narrow = q.heightForWidth(600), q.heightForWidth(130)
        self.assertEqual(wide, 32)
        self.assertGreater(narrow, wide + 12)
        self.assertLessEqual(q.minimumSizeHint().width(), 100)

    def test_rows_of_buttons_keep_their_words(self):
        buttons = [act_button(words, "sheet", lambda: None) for words in ("Record as PDF", "Log as CSV", "Record as JSON")]
        holder = QWidget()
        holder.setLayout(row(*buttons, None))
        for text in (1.0, 2.0):
            theme.use("day", text)
            for q in buttons:
                q.updateGeometry()
            for width in (180, 420, 900):
                holder.resize(round(width * text), 900)
                holder.show()
                self.app.processEvents()
                for q in buttons:
                    self.assertGreaterEqual(q.width(), q.minimumSizeHint().width(), (text, width))


class Strips(Plain):
    def test_a_folded_thread_keeps_every_stage_and_room_to_point_at(self):
        thread = Thread(STAGES, lambda _name: 0.5)
        thread.set("Moss", "a cat for Ada", "Recipe", "")
        for width in (470, 640, 1024):
            thread.resize(width, 60)
            for folded in (False, True):
                thread.fold(folded)
                thread.refresh()
                keys = thread.stop_keys()
                self.assertEqual(sum(k.startswith("stage ") for k in keys), 7)
                self.assertEqual(sum(k.startswith("room ") for k in keys), 3)
                for a, b in zip(thread._stops, thread._stops[1:], strict=False):
                    if a.key.startswith("stage") and b.key.startswith("stage"):
                        self.assertLessEqual(a.rect.right(), b.rect.left() + 8, (width, folded, a.key))
            self.assertLess(thread.design_size(width)[1], 50)
        thread.fold(False)
        self.assertGreaterEqual(thread.design_size(470)[1], 62)

    def test_a_folded_rule_keeps_its_marks_and_where_it_is_pressed(self):
        rule = ValueRule()
        rule.resize(848, 62)
        rule.set({"gap": 20.0, "light": 70.0}, 12.0, 95.0)
        before = [s.rect.center().x() for s in rule._stops]
        self.assertEqual(rule.design_size(848)[1], 62)
        rule.fold(True)
        self.assertEqual(rule.design_size(848)[1], 30)
        rule.resize(848, 30)
        self.assertEqual([s.rect.center().x() for s in rule._stops], before)
        for s in rule._stops:
            self.assertLessEqual(s.rect.bottom(), 30)
        got = []
        rule.pressed.connect(got.append)
        from PyQt6.QtTest import QTest

        rule.show()
        QTest.mouseClick(rule, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QRect(424, 12, 1, 1).topLeft())
        self.assertAlmostEqual(got[0], 50.0, delta=0.3)

    def test_pencils_of_the_roll_lose_their_words_before_they_lose_their_place(self):
        ways = [
            Way(f"w{k}", "loop", name, str(k), f"What {name} does")
            for k, name in enumerate(("Loop", "Corners", "Touch", "Eye", "Reshape", "Push", "Comb"), 1)
        ]
        roll = Roll(ways, (), lambda _look: None)
        roll.resize(700, 60)
        self.assertTrue(roll._named(700))
        self.assertEqual(len(roll._cloths(700)), 1)
        self.assertFalse(roll._named(300))
        for width in (150, 235, 300, 700):
            places = roll._places(width)
            self.assertEqual(len(places), 7)
            for k, p in enumerate(places):
                self.assertLessEqual(p.right(), width)
                self.assertGreaterEqual(p.width(), 24)
                self.assertTrue(all(p.intersected(q).isEmpty() for q in places[k + 1 :]))
        self.assertGreater(roll.design_size(150)[1], roll.design_size(700)[1])
        roll.choose("w5")
        wide = roll._places(235)
        self.assertGreater(wide[4].width(), wide[3].width(), "the chosen one keeps its word")
        roll.refresh()
        self.assertTrue(all(s.help.startswith(w.name) for s, w in zip(roll._stops, ways, strict=True)))


class Days(Plain):
    def strip(self, count: int = 40) -> DayStrip:
        day = datetime.date(2026, 3, 2)
        kinds = ["work", "work", "off", "slack", "slack"]
        days = [Day(day + datetime.timedelta(days=k), kinds[k % 5]) for k in range(count - 1)]
        strip = DayStrip()
        strip.set("Moss", "", [*days, Day(day + datetime.timedelta(days=count - 1), "due")], 3.0, day)
        return strip

    def test_days_turn_like_pages_and_none_is_too_narrow(self):
        for text in (1.0, 1.5, 2.0):
            theme.use("day", text)
            strip = self.strip()
            strip.resize(round(560 * text), 200)
            strip.refresh()
            seen: list[str] = []
            for _ in range(60):
                stops = {s.key: s for s in strip._stops}
                dates = [k for k in stops if k[0] == "2"]
                for k in dates:
                    self.assertGreaterEqual(stops[k].rect.width() * text, LEAST_PX - 0.6)
                    self.assertLessEqual(stops[k].rect.right(), 560)
                seen += [k for k in dates if k not in seen]
                if stops["later"].off:
                    break
                stops["later"].act()
            self.assertEqual(seen, [d.date.isoformat() for d in strip.days], text)
            self.assertEqual(stops["earlier"].off, "")
            stops["earlier"].act()
            self.assertLess(strip.first, len(strip.days) - 1)

    def test_a_wide_window_is_used_and_needs_no_pages(self):
        strip = self.strip(20)
        strip.resize(1900, 200)
        strip.refresh()
        self.assertNotIn("later", strip.stop_keys())
        self.assertGreater(strip._cells(1900, 200)[-1].right(), 1300)
        same = strip.days
        strip.first = 7
        strip.set("Moss", "new words", same, 3.0, same[0].date)
        self.assertEqual(strip.first, 7, "the same days stay where they were turned to")
        strip.set("Moss", "", [replace(d, date=d.date + datetime.timedelta(days=1)) for d in same], 3.0, same[0].date)
        self.assertEqual(strip.first, 0)

    def test_the_newest_rounds_of_a_week_are_the_ones_that_find_room(self):
        today = datetime.date(2026, 3, 6)
        leaves = [Leaf(datetime.date(2026, 3, 2) + datetime.timedelta(days=k // 3), f"drill {k}", "3 of 4") for k in range(12)]
        stem = PracticeStem(today)
        stem.resize(560, 118)
        stem.set(leaves, (), 0, today)
        rects = [s.rect for s in stem._stops]
        self.assertGreater(len(rects), 1)
        self.assertIn("drill 11", stem._stops[-1].name)
        for a, b in zip(rects, rects[1:], strict=False):
            self.assertAlmostEqual(b.left() - a.left(), APART, delta=0.01)
            self.assertGreaterEqual(a.width(), 24)
            self.assertTrue(a.intersected(b).isEmpty())


class Turned(DemoCase):
    def test_a_sections_flap_turns_where_picture_and_section_have_no_room(self):
        self.desk.go("Recipe")
        self.settle()
        stage = self.desk.current
        for _ in self.at_sizes((1.0, (1280, 800))):
            self.assertFalse(stage.flap.isVisible())
            self.assertTrue(stage.mat.isVisible() and stage.strata.isVisible())
        for _ in self.at_sizes((1.0, (1024, 700))):
            self.assertTrue(stage.flap.isVisible())
            self.assertTrue(stage.mat.isVisible())
            self.assertFalse(stage._scroll.isVisible())
            stage.flap.setFocus()
            self.key(stage.flap, Qt.Key.Key_Return)
            self.assertFalse(stage.mat.isVisible())
            self.assertTrue(stage.strata.isVisible())
            self.assertEqual(stage.flap.words, "Picture")
            self.click(stage.flap, stage.flap.click_point("turn"))
            self.assertTrue(stage.mat.isVisible())

    def test_discs_give_way_on_a_small_picture_and_the_chosen_one_stays(self):
        from hanabira.desk.widgets.overlays import APART as DISC
        from hanabira.desk.widgets.overlays import _apart

        self.desk.go("Areas")
        self.session.choose_area("demo-area-8")
        self.settle()
        mat = self.desk.current.mat
        outlines = next(q for q in mat.overlays if hasattr(q, "spots"))
        whole = _apart(outlines.spots(mat), "demo-area-8")
        for _ in self.at_sizes((2.0, (1024, 700))):
            few = _apart(outlines.spots(mat), "demo-area-8")
            self.assertLess(len(few), len(whole))
            self.assertEqual(few[-1].area.id, "demo-area-8", "it is drawn last, over the others")
            for k, a in enumerate(few):
                for b in few[k + 1 :]:
                    self.assertGreaterEqual((a.at.x() - b.at.x()) ** 2 + (a.at.y() - b.at.y()) ** 2, DISC**2)

    def test_the_easels_type_grows_with_the_window(self):
        def highest(width: int, high: int) -> int:
            card = EaselCard()
            card.set(Now(step="Step 3 of 9", title="Lay the ground", why=""), 4.0)
            card.resize(width, high)
            image = card.grab().toImage()
            ground = image.pixelColor(2, 2).name()
            rows = [y for y in range(image.height()) if any(image.pixelColor(x, y).name() != ground for x in range(0, image.width(), 3))]
            runs = [1]
            for a, b in zip(rows, rows[1:], strict=False):
                runs = [*runs[:-1], runs[-1] + 1] if b == a + 1 else [*runs, 1]
            return max(runs)

        small, usual, large = highest(300, 260), highest(760, 640), highest(1500, 1300)
        self.assertLess(small, usual)
        self.assertGreater(large, 1.4 * usual)

    def test_a_search_that_finds_no_pencil_says_what_to_do(self):
        self.desk.show_room("Kit")
        self.settle()
        room = self.desk.current
        before = room.chart.grab().toImage()
        room.find_field.setText("no such pencil")
        self.app.processEvents()
        self.assertEqual(room.chart.shown, [])
        self.assertIn("No pencil of this kit is like that", room.chart.accessibleDescription())
        self.assertNotEqual(room.chart.grab().toImage(), before)
        room.find_field.setText("")
        self.assertGreater(len(room.chart.shown), 50)


if __name__ == "__main__":
    unittest.main()
