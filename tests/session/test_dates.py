"""Days as they are typed: held against the calendar of the standard library and against a table written by hand."""

import calendar
import datetime
import unittest

from hypothesis import given
from hypothesis import strategies as st

from hanabira.core.faults import Fault
from hanabira.session.dates import distance_words, parse_day, told_day

TODAY = datetime.date(2026, 12, 1)
"""A Tuesday."""
TYPED = {
    "20 December 2026": "2026-12-20", "20.12.": "2026-12-20", "20.12": "2026-12-20", "20.12.27": "2027-12-20", "20/12/2027": "2027-12-20",
    "20-12-2027": "2027-12-20", "20 Dec": "2026-12-20", "Dec 20": "2026-12-20", "20th of December": "2026-12-20", "December 20, 2027": "2027-12-20",
    "Sunday 20 Dec": "2026-12-20", "20. Dec. 2026": "2026-12-20", "2026-12-20": "2026-12-20", "2027.2.3": "2027-02-03", "3 March": "2027-03-03",
    "1 dec": "2026-12-01", "30 nov": "2027-11-30", "29 feb": "2028-02-29", "3 sept": "2027-09-03", "in 3 weeks": "2026-12-22", "3 weeks": "2026-12-22",
    "in two weeks": "2026-12-15", "a fortnight": "2026-12-15", "in 10 days": "2026-12-11", "in 3 months": "2027-03-01", "next month": "2027-01-01",
    "in a year": "2027-12-01", "today": "2026-12-01", "Tomorrow": "2026-12-02", "the day after tomorrow": "2026-12-03", "friday": "2026-12-04",
    "Fri": "2026-12-04", "next friday": "2026-12-11", "tuesday": "2026-12-08", "on sunday": "2026-12-06", "end of March": "2027-03-31",
    "end of february": "2027-02-28", "end of Dec": "2026-12-31", "end of feb 2028": "2028-02-29",
}  # fmt: skip
NONSENSE = ("soon", "31.2.", "30 Feb 2027", "99.99.", "12", "20 Decembber", "ju 3", "in many weeks", "2026-13-01", "in 9999 years", "20.12.1999", "0.1.", "20 12", "3 dec jan")


class Typed(unittest.TestCase):
    def test_usual_forms(self):
        for words, day in TYPED.items():
            self.assertEqual(str(parse_day(words, TODAY)), day, words)
            self.assertEqual(str(parse_day(f"  {words.upper()} ", TODAY)), day, words)

    def test_nothing_is_no_date_and_nonsense_is_said_with_its_cure(self):
        for words in ("", "  ", "not set"):
            self.assertIsNone(parse_day(words, TODAY))
        for words in NONSENSE:
            with self.assertRaises(Fault, msg=words) as caught:
                parse_day(words, TODAY)
            self.assertIn("Write it as", caught.exception.do)
            self.assertIn("stayed as it was", caught.exception.kept)

    @given(st.dates(datetime.date(2000, 1, 1), datetime.date(2199, 12, 31)))
    def test_every_day_comes_back_in_every_form(self, day):
        for words in (day.isoformat(), f"{day.day}.{day.month}.{day.year}", f"{day.day} {day:%B %Y}", f"{day:%b} {day.day}, {day.year}", f"{day:%A} {day.day} {day:%b} {day.year}"):
            self.assertEqual(parse_day(words, TODAY), day, words)

    @given(st.dates(datetime.date(2000, 1, 1), datetime.date(2180, 12, 31)), st.integers(0, 800))
    def test_without_a_year_it_is_the_next_such_day(self, today, ahead):
        named = today + datetime.timedelta(days=ahead)
        found = parse_day(f"{named.day} {named:%b}", today)
        self.assertGreaterEqual(found, today)
        self.assertEqual((found.day, found.month), (named.day, named.month))
        between = [y for y in range(today.year, found.year) if named.day <= calendar.monthrange(y, named.month)[1]]
        self.assertFalse([y for y in between if datetime.date(y, named.month, named.day) >= today])

    @given(st.dates(datetime.date(2000, 1, 1), datetime.date(2190, 1, 1)), st.sampled_from(list(calendar.day_name)))
    def test_a_weekday_is_within_a_week_and_the_next_one_in_the_week_to_come(self, today, name):
        found, later = parse_day(name, today), parse_day(f"next {name}", today)
        self.assertEqual((f"{found:%A}", f"{later:%A}"), (name, name))
        self.assertTrue(1 <= (found - today).days <= 7)
        monday = today - datetime.timedelta(days=today.weekday())
        self.assertTrue(7 <= (later - monday).days <= 14)

    @given(st.text(max_size=40))
    def test_whatever_is_typed_is_a_day_nothing_or_a_fault(self, words):
        try:
            found = parse_day(words, TODAY)
        except Fault:
            return
        self.assertTrue(found is None or isinstance(found, datetime.date))


class Told(unittest.TestCase):
    def test_distances(self):
        for n, words in ((0, "today"), (1, "tomorrow"), (-1, "yesterday"), (2, "in 2 days"), (-30, "30 days ago")):
            self.assertEqual(distance_words(TODAY + datetime.timedelta(days=n), TODAY), words)
        self.assertEqual(told_day(datetime.date(2027, 1, 3), TODAY), "Sunday 3 January 2027, in 33 days")


if __name__ == "__main__":
    unittest.main()
