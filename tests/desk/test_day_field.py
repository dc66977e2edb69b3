"""The due date by hand: typed, by keys, from the month; in Brief and in Plan."""

import datetime
import unittest

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from hanabira.core.clock import Clock
from hanabira.desk import theme
from hanabira.desk.widgets.day_field import DayField
from tests.desk.test_desk import DemoCase

TODAY = datetime.date(2026, 12, 1)


class Due(DemoCase):
    def setUp(self):
        super().setUp()
        self.session.clock = Clock.at("2026-12-01T09:00:00")
        self.desk.go("Brief")
        self.settle()
        self.field: DayField = self.desk.current._fields["due"]
        self.steps = lambda: self.session.undo.at

    def due(self) -> str | None:
        return self.session.commission.due

    def type_over(self, words: str, end: Qt.Key | None = Qt.Key.Key_Return) -> None:
        line = self.desk.current._fields["due"].line if self.desk.current.name == "Brief" else self.field.line
        line.setFocus()
        line.selectAll()
        QTest.keyClicks(line, words)
        if end is not None:
            QTest.keyClick(line, end)
        self.settle()

    def test_what_is_typed_in_any_form_is_one_edit(self):
        for words, day in (("20 December 2026", "2026-12-20"), ("24.12.", "2026-12-24"), ("in 3 weeks", "2026-12-22"), ("2027-01-09", "2027-01-09")):
            before = self.steps()
            self.type_over(words)
            self.assertEqual((self.due(), self.steps()), (day, before + 1), words)
            said = datetime.date.fromisoformat(day)
            self.assertEqual(self.field.line.text(), f"{said.day} {said:%B %Y}")
            self.assertIn(f"{said:%A}", self.field.told.words)
        self.desk.take_back()
        self.assertEqual((self.due(), self.field.line.text()), ("2026-12-22", "22 December 2026"))

    def test_nothing_is_kept_before_it_is_whole_and_leaving_the_field_keeps_it(self):
        kept = self.due()
        self.type_over("20 Decem", None)
        self.assertEqual(self.due(), kept)
        self.assertIn("Sunday 20 December 2026, in 19 days. Enter keeps it.", self.field.told.words)
        QTest.keyClick(self.field.line, Qt.Key.Key_Tab)
        self.settle()
        self.assertEqual(self.due(), "2026-12-20")

    def test_what_is_no_date_stays_in_the_field_with_its_cure(self):
        kept, before = self.due(), self.steps()
        self.type_over("31 Febuary")
        self.assertEqual((self.due(), self.steps(), self.field.line.text()), (kept, before, "31 Febuary"))
        self.assertIn("is no date", self.field.told.words)
        self.assertIn("Write it as", self.field.told.words)
        QTest.keyClick(self.field.line, Qt.Key.Key_Escape)
        self.assertNotIn("Febuary", self.field.line.text())
        self.assertEqual(self.field.day.isoformat(), kept)

    def test_it_can_be_emptied(self):
        self.field.line.setFocus()
        self.field.line.selectAll()
        QTest.keyClick(self.field.line, Qt.Key.Key_Delete)
        QTest.keyClick(self.field.line, Qt.Key.Key_Return)
        self.settle()
        self.assertIsNone(self.due())
        self.assertEqual(self.field.told.words, "No date is set.")
        QTest.keyClick(self.field.line, Qt.Key.Key_Up)  # the arrow begins at today, not at the beginning of time
        self.assertEqual(self.due(), TODAY.isoformat())
        for key, day in ((Qt.Key.Key_Up, "2026-12-02"), (Qt.Key.Key_PageUp, "2026-12-09"), (Qt.Key.Key_Down, "2026-12-08"), (Qt.Key.Key_PageDown, "2026-12-01")):
            QTest.keyClick(self.field.line, key)
            self.assertEqual(self.due(), day)

    def test_the_month_opens_at_the_day_else_at_today_and_a_click_takes_a_day(self):
        self.type_over("9 Jan")
        self.field.open_month()
        sheet = self.field.sheet
        self.assertEqual((sheet.on.isoformat(), sheet.accessibleName()), ("2027-01-09", "January 2027"))
        self.click_stop(sheet, "earlier")
        self.assertEqual(sheet.accessibleName(), "December 2026")
        self.click_stop(sheet, "2026-12-17")
        self.settle()
        self.assertEqual(self.due(), "2026-12-17")
        self.assertIsNone(self.field.month)
        self.field.take(None)
        self.field.open_month()
        self.assertEqual(self.field.sheet.on, TODAY)

    def test_the_month_goes_by_keys(self):
        self.type_over("20.12.")
        QTest.keyClick(self.field.line, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
        sheet = self.field.sheet
        self.assertIs(QApplication.focusWidget(), sheet)
        for key in (Qt.Key.Key_Right, Qt.Key.Key_Down, Qt.Key.Key_PageDown, Qt.Key.Key_Up, Qt.Key.Key_Left):
            QTest.keyClick(sheet, key)
        self.assertEqual(sheet.on.isoformat(), "2027-01-20")  # +1, +7, a month on, -7, -1
        QTest.keyClick(sheet, Qt.Key.Key_Return)
        self.settle()
        self.assertEqual(self.due(), "2027-01-20")
        self.field.open_month()
        QTest.keyClick(self.field.sheet, Qt.Key.Key_Escape)
        self.settle()
        self.assertIsNone(self.field.month)
        self.assertEqual(self.due(), "2027-01-20")

    def test_the_month_marks_days_off_other_orders_and_today(self):
        bracken = next(c for c in self.session.commissions if c.name == "Bracken")
        due = datetime.date.fromisoformat(bracken.due)
        self.field.take(due)
        self.assertIn("Bracken is due then, too", self.field.told.words)
        self.field.open_month()
        sheet = self.field.sheet
        words = {s.key: s.name for s in sheet._stops}
        self.assertIn("Bracken is due", words[due.isoformat()])
        saturday = due + datetime.timedelta(days=(5 - due.weekday()) % 7)
        if saturday.month != due.month:
            saturday -= datetime.timedelta(days=7)
        self.assertIn("a day off", words[saturday.isoformat()])
        self.assertEqual(len([k for k in words if k[0] == "2"]), (due.replace(day=28) + datetime.timedelta(days=4)).replace(day=1).toordinal() - due.replace(day=1).toordinal())
        sheet.go(TODAY)
        self.assertIn("today", {s.key: s.name for s in sheet._stops}[TODAY.isoformat()])
        # and it shows: a day off has another ground than a working day
        image, s = sheet.grab().toImage(), theme.scale()
        ground = lambda day: image.pixelColor(*(round(v * s) for v in (sheet.cell(sheet.days().index(day)).left() + 5, sheet.cell(sheet.days().index(day)).top() + 5))).name()  # noqa: E731
        self.assertNotEqual(ground(datetime.date(2026, 12, 5)), ground(datetime.date(2026, 12, 4)))
        self.assertEqual(ground(datetime.date(2026, 12, 5)), theme.role("well").name())

    def test_the_month_begins_on_monday_whatever_the_month(self):
        self.field.open_month()
        sheet = self.field.sheet
        for n in range(26):
            sheet.turn(1)
            first = next(k for k, d in enumerate(sheet.days()) if d.day == 1)
            self.assertEqual(sheet.days()[0].weekday(), 0)
            self.assertEqual(first, sheet.days()[first].weekday(), n)

    def test_plan_asks_for_it_where_it_counts(self):
        self.desk.go("Plan")
        self.settle()
        stage = self.desk.current
        stage.show_card("days")
        fields = {q.line.accessibleName(): q for q in self.desk.bench.findChildren(DayField)}
        self.assertEqual(set(fields), {"First day", "Due date"})
        self.field = fields["Due date"]
        self.type_over("in 8 weeks")
        self.assertEqual(self.due(), "2027-01-26")
        self.assertIn("due", {d.kind for d in stage.strip.days})
        self.field = next(q for q in self.desk.bench.findChildren(DayField) if q.line.accessibleName() == "First day")
        self.type_over("14 Dec")
        self.assertEqual(self.session.commission.terms.start, "2026-12-14")
        self.field = next(q for q in self.desk.bench.findChildren(DayField) if q.line.accessibleName() == "First day")
        self.type_over("")
        self.assertEqual(self.session.commission.terms.start, "2026-12-14")


if __name__ == "__main__":
    unittest.main()
