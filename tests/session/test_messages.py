"""The one door for words: faults and remarks as they are, a bug as a report, once."""

import os
import sys
import tempfile
import unittest
from contextlib import redirect_stderr
from io import StringIO
from pathlib import Path
from unittest import mock

from hanabira import __version__
from hanabira.core.faults import Fault
from hanabira.session.messages import MessageDoor


class Door(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.reports = Path(temp.name) / "deep" / "reports"
        self.door = MessageDoor(self.reports)
        self.said: list = []
        self.door.said.connect(self.said.append)

    def raised(self, error: BaseException) -> tuple:
        try:
            raise error
        except BaseException:
            return sys.exc_info()

    def test_a_fault_keeps_its_three_parts_and_a_remark_its_words(self):
        self.door.fault(Fault("The disk is full.", "Nothing was written.", "Make room."))
        self.door.remark("The card is written.")
        fault, remark = self.said
        self.assertEqual(
            (fault.kind, fault.what, fault.kept, fault.do), ("fault", "The disk is full.", "Nothing was written.", "Make room.")
        )
        self.assertEqual((remark.kind, remark.what, remark.kept, remark.do), ("remark", "The card is written.", "", ""))

    def test_a_bug_becomes_a_report_once_for_each(self):
        for _ in range(3):
            self.door.hook(*self.raised(ValueError("seven")))
        self.door.hook(*self.raised(ValueError("eight")))
        reports = sorted(self.reports.glob("*.txt"))
        self.assertEqual((len(reports), [m.kind for m in self.said]), (2, ["bug", "bug"]))
        text = reports[0].read_text("utf-8")
        self.assertIn(f"Hanabira {__version__}", text)
        self.assertIn("ValueError: seven", text)
        self.assertIn("ValueError", self.said[0].what)
        self.assertIn(str(reports[0]), self.said[0].do)
        self.assertEqual(self.said[0].kept, "Your work is stored.")

    def test_a_fault_that_nobody_caught_is_said_as_a_fault(self):
        self.door.hook(*self.raised(Fault("The studio is locked.")))
        self.assertEqual((self.said[0].kind, self.said[0].what), ("fault", "The studio is locked."))
        self.assertFalse(self.reports.exists())

    def test_an_interrupt_from_the_keyboard_is_no_bug(self):
        with mock.patch.object(sys, "__excepthook__") as usual:
            self.door.hook(*self.raised(KeyboardInterrupt()))
        usual.assert_called_once()
        self.assertEqual(self.said, [])

    def test_where_no_report_can_be_written_it_goes_to_the_terminal(self):
        self.reports.parent.mkdir()
        self.reports.write_text("in the way")
        out = StringIO()
        with redirect_stderr(out):
            self.door.hook(*self.raised(RuntimeError("nine")))
        self.assertIn("RuntimeError: nine", out.getvalue())
        self.assertEqual(self.said[0].do, "The report stands in the terminal.")
        self.assertTrue(os.path.isfile(self.reports))


if __name__ == "__main__":
    unittest.main()
