"""The demo on any day: it is dated from the day on which it is made, and every one of a year gives a sensible one."""

import datetime
import os
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from icalendar import Calendar

from hanabira.core.clock import MACHINE, VARIABLE, Clock
from hanabira.demo import history
from hanabira.demo.sitters import sitters
from hanabira.demo.studio import _recipes, rabbit
from hanabira.sheets.calendar_file import Sitting, write_calendar
from hanabira.studio import planning
from hanabira.studio.checking import check
from hanabira.studio.overview import Overview
from hanabira.studio.records import Photo

FIRST = datetime.date(2027, 7, 1)
YEAR = tuple(FIRST + datetime.timedelta(days=n) for n in range(366))
"""A year with a leap day, all month ends, week ends and both changes of the clocks."""
ODD = tuple(
    d
    for d in YEAR
    if (d.month, d.day) in ((2, 28), (2, 29), (3, 1)) or d.day == 1 or (d + datetime.timedelta(days=1)).day == 1 or d.toordinal() % 11 == 0
)
"""Month ends, the days round the leap day, and every eleventh, so that all days of the week come."""


class Dates(unittest.TestCase):
    def test_the_year_holds_what_dates_stumble_over(self):
        self.assertIn(datetime.date(2028, 2, 29), ODD)
        self.assertEqual({d.weekday() for d in ODD}, set(range(7)))
        self.assertEqual(len([d for d in ODD if (d + datetime.timedelta(days=1)).day == 1]), 12)

    def test_what_is_delivered_was_finished_and_what_is_under_way_began(self):
        for today in ODD:
            for sitter in sitters(today):
                c = sitter.commission
                photo = Photo(f"{c.id}-photo", c.id, "0" * 64, ".jpg", sitter.file_name, 1600, 1600, sitter.crop)
                areas = sitter.records(photo.id)
                recipes = _recipes(areas)
                last = sitter.last_day(today)
                self.assertEqual(last, today - datetime.timedelta(days=11 if c.delivered else 1))
                c = history.begun(c, photo, areas, recipes, sitter.share, last)
                check(c)
                rows = history.log(c, photo, areas, recipes, sitter.share, seed=3)
                days = [datetime.date.fromisoformat(r.at[:10]) for r in rows]
                for r in rows:
                    check(r)
                self.assertEqual(days, sorted(days), today)
                self.assertLessEqual(days[-1], last, today)
                self.assertTrue(all(d.weekday() in c.terms.weekdays for d in days), today)
                self.assertGreaterEqual(days[0].isoformat(), c.terms.start, today)
                if c.delivered:
                    self.assertLess(c.delivered, c.due)
                    self.assertLess(c.due, today.isoformat())
                else:
                    self.assertGreater(c.due, today.isoformat())
                    # what is left begins today or later, on a working day
                    work = planning.work_of(c, photo, areas, recipes)
                    begins = planning.days_of(c, today, start=today)
                    _steps, calendar = planning.plan(c, work, begins, log=rows)
                    done = {r.step for r in rows}
                    left = {q.start.date() for q in calendar.placed if q.step.key not in done}
                    self.assertGreaterEqual(min(left), today)
                    self.assertTrue(all(d.weekday() in c.terms.weekdays for d in left), today)

    def test_the_order_that_is_due_says_the_same_distance_on_every_day(self):
        for today in YEAR:
            c = rabbit(today).commission
            check(c)
            board = Overview(c, "planned", 12, 10, 0, 60.0, 90.0, None, None)
            self.assertEqual(board.days_left(today), "in 26 days")
            self.assertEqual(board.days_left(datetime.date.fromisoformat(c.due)), "today")


class SummerTime(unittest.TestCase):
    """A calendar file is stamped in universal time, whatever the clocks do that night."""

    def setUp(self):
        zone = mock.patch.dict(os.environ, {"TZ": "CET-1CEST,M3.5.0,M10.5.0/3"})
        self.addCleanup(time.tzset)
        zone.start()
        self.addCleanup(zone.stop)
        time.tzset()

    def test_the_stamp_is_universal_time_on_both_sides_of_the_change(self):
        with tempfile.TemporaryDirectory() as folder:
            for local, stamp in (
                ("2028-03-26T01:30:00", "20280326T003000Z"),  # clocks go from 2 to 3 o'clock
                ("2028-03-26T03:30:00", "20280326T013000Z"),
                ("2027-10-31T00:30:00", "20271030T223000Z"),
                ("2027-10-31T04:00:00", "20271031T030000Z"),
            ):
                now = datetime.datetime.fromisoformat(local)
                path = write_calendar("Moss", "m", [Sitting(now, now, "the mane")], None, Path(folder) / "a.ics", now)
                (event,) = Calendar.from_ical(path.read_bytes()).walk("VEVENT")
                self.assertEqual(event["DTSTAMP"].to_ical().decode(), stamp)
                self.assertEqual(event["DTSTART"].to_ical().decode(), now.strftime("%Y%m%dT%H%M%S"), "sessions stay in local time")


class MachineClock(unittest.TestCase):
    def test_it_begins_where_the_variable_says_and_runs_on(self):
        with mock.patch.dict(os.environ, {VARIABLE: "2028-02-29T23:59:58"}):
            first = MACHINE.now()
            self.assertGreaterEqual(first, datetime.datetime(2028, 2, 29, 23, 59, 58))
            time.sleep(0.002)
            self.assertGreater(MACHINE.now(), first)

    def test_without_it_the_machine_tells(self):
        with mock.patch.dict(os.environ), tempfile.NamedTemporaryFile() as fresh:
            del os.environ[VARIABLE]
            written = datetime.datetime.fromtimestamp(Path(fresh.name).stat().st_mtime)
            self.assertLessEqual(abs((MACHINE.now() - written).total_seconds()), 60)

    def test_one_that_stands_stays(self):
        clock = Clock.at("2027-12-31T23:59:59.999999")
        self.assertEqual((clock.today(), clock.stamp()), (datetime.date(2027, 12, 31), "2027-12-31T23:59:59"))
