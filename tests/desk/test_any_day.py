"""Plan and Shelf on every day of a year: nothing is cut, whatever the date, in the largest type."""

import datetime
import unittest
from dataclasses import replace

from hanabira.core.clock import Clock
from hanabira.desk import paint
from hanabira.session.edits import EditBrief
from tests.demo.test_year import ODD, YEAR
from tests.desk.test_desk import DemoCase


class AnyDay(DemoCase):
    size = (1920, 1080)

    def on(self, today: datetime.date) -> None:
        """Be there on that day, with the order due as far ahead as it was."""
        self.session.clock = Clock.at(datetime.datetime.combine(today, datetime.time(9, 30)))
        self.session.commission = replace(self.session.commission, due=(today + datetime.timedelta(days=26)).isoformat())
        self.session.planner._kept = None

    def test_the_days_of_a_plan_can_be_read_on_every_day(self):
        self.desk.go("Plan")
        self.settle()
        stage = self.desk.current
        # nothing else is at work, so that days differ by their dates alone
        cut, strip = [], stage.strip
        for _text, _size in self.at_sizes((2.0, (1920, 1080))):
            for today in YEAR:
                self.on(today)
                stage._strip(self.session.planner.planned())
                strip.grab()
                cut += [f"{today} {q}" for q in paint.CLIPPED]
                paint.CLIPPED.clear()
                self.assertIn(today + datetime.timedelta(days=26), [d.date for d in strip.days if d.kind == "due"])
        self.none_wrong(cut)

    def test_the_whole_of_plan_and_shelf_can_be_read_at_the_ends_of_months(self):
        cut = []
        for text, size in self.at_sizes((2.0, (1920, 1080)), (1.0, (1024, 700))):
            for today in ODD[::3]:
                self.session.clock = Clock.at(datetime.datetime.combine(today, datetime.time(9, 30)))
                self.session.do(EditBrief(self.session, "due date", False, due=(today + datetime.timedelta(days=26)).isoformat()))
                for name, open_it in (("Plan", self.desk.go), ("Shelf", self.desk.show_room)):
                    open_it(name)
                    self.settle()
                    paint.CLIPPED.clear()
                    self.desk.grab()
                    cut += [f"{today} {name} at {text}, {size}: {q}" for q in paint.CLIPPED]
        self.none_wrong(cut)


if __name__ == "__main__":
    unittest.main()
