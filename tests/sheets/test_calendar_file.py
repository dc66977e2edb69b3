"""The plan as a calendar file, read back line by line as RFC 5545 says."""

import datetime
import tempfile
import unittest
from pathlib import Path

from hanabira.core.faults import Fault
from hanabira.sheets.calendar_file import Sitting, write_calendar

DAY = datetime.datetime(2027, 3, 1, 9, 0, 0, 123456)


def sessions(words: str = "Eye, ground") -> list[Sitting]:
    return [Sitting(DAY + datetime.timedelta(days=k), DAY + datetime.timedelta(days=k, hours=2), words) for k in range(3)]


def written(*args: object) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        return write_calendar(*args, Path(folder) / "plan.ics", DAY).read_bytes()


def unfolded(data: bytes) -> list[str]:
    """Content lines, put together again where they were folded (3.1)."""
    return data.decode("utf-8").replace("\r\n ", "").rstrip("\r\n").split("\r\n")


def events(data: bytes) -> list[dict[str, str]]:
    out: list[dict[str, str]] = []
    for line in unfolded(data):
        name, _, value = line.partition(":")
        if line == "BEGIN:VEVENT":
            out.append({})
        elif out and name.partition(";")[0] not in ("BEGIN", "END"):
            out[-1][name] = value
    return out


class CalendarFile(unittest.TestCase):
    def test_every_sitting_and_the_due_date_stand_in_it(self):
        found = events(written("Tansy", "c1", sessions(), datetime.date(2027, 3, 20)))
        self.assertEqual(len(found), 4)
        for k, e in enumerate(found[:3]):
            self.assertEqual(e["DTSTART"], f"2027030{1 + k}T090000", "the artist's own clock, whole seconds")
            self.assertEqual(e["DTEND"], f"2027030{1 + k}T110000")
            self.assertEqual(e["SUMMARY"], f"Tansy: session {k + 1}")
            self.assertTrue(e["DTSTAMP"].endswith("Z"))
        self.assertEqual((found[3]["DTSTART;VALUE=DATE"], found[3]["SUMMARY"]), ("20270320", "Tansy is due"))
        self.assertEqual(len(events(written("Tansy", "c1", sessions(), None))), 3)

    def test_the_same_plan_keeps_its_ids_and_another_has_others(self):
        ids = [[e["UID"] for e in events(written("Tansy", key, sessions(), None))] for key in ("c1", "c1", "c2")]
        self.assertEqual(ids[0], ids[1])
        self.assertEqual(len(set(ids[0] + ids[2])), 6)

    def test_commas_lines_and_long_words_are_escaped_and_folded(self):
        words = "Eye, ground; then\nthe lid – " + "weiches Fell über dem Auge " * 8
        data = written("Kater „Äpfelchen“, grau", "c1", sessions(words), None)
        self.assertEqual(data.count(b"\n"), data.count(b"\r\n"))
        for line in data.split(b"\r\n"):
            self.assertLessEqual(len(line), 75)
            line.decode("utf-8")  # no letter is cut in two
        e = events(data)[0]
        self.assertEqual(e["DESCRIPTION"].replace("\\n", "\n").replace("\\,", ",").replace("\\;", ";"), words)
        self.assertIn("\\,", e["DESCRIPTION"])
        lines = unfolded(data)
        self.assertEqual((lines[0], lines[-1]), ("BEGIN:VCALENDAR", "END:VCALENDAR"))
        self.assertIn("VERSION:2.0", lines)

    def test_a_place_that_cannot_be_written_is_said(self):
        with self.assertRaises(Fault):
            write_calendar("Tansy", "c1", sessions(), None, Path("/nonexistent/plan.ics"), DAY)


if __name__ == "__main__":
    unittest.main()
