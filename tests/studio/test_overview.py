"""Where commissions stand, in words; templates; printed pages with words that are markup elsewhere."""

import datetime
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from pypdf import PdfReader

from hanabira.core.area.shape import rectangle
from hanabira.core.faults import Fault
from hanabira.core.schedule.handling import LOOK_MIN
from hanabira.core.schedule.work import LOW, Pace
from hanabira.core.solver.layer import Layer
from hanabira.session.words import hours_words, span
from hanabira.sheets.approval import Approval, write_approval
from hanabira.sheets.bench_book import Book, BookDay, BookStep, Ready, write_bench_book
from hanabira.sheets.record import Record, RecordRow, write_record
from hanabira.studio.overview import as_template, overviews
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe, Shot, Terms
from tests.studio.case import StoreCase

TODAY = datetime.date(2026, 3, 2)
AWKWARD = "Fern & <Moss> “Ötz”"


class Shelf(StoreCase):
    def setUp(self):
        super().setUp()
        self.c = Commission("c", "Moss", "Ada Fenn", "grey cat", due="2026-03-09", notes="one torn ear", created="2026-01-01T00:00:00")
        self.store.edit([self.c])

    def one(self):
        return overviews(self.store)[0]

    def test_a_commission_goes_from_order_to_delivery(self):
        edit, states = self.store.edit, []

        def note():
            states.append((self.one().state, self.one().words))

        note()
        edit([Photo("p", "c", "0" * 64, ".png", "moss.png", 1000, 1250, (0.0, 0.0, 1000.0, 1250.0))])
        note()
        edit([Area("a", "c", "p", 1, "Ear", "short-fur", rectangle(100, 100, 300, 300))])
        note()
        layers = tuple(Layer("general", "203", 2, 2, "everywhere", "flick", 5.0, id=str(k)) for k in range(3))
        edit([Recipe("a", layers)])
        note()
        for k in range(3):
            edit(
                [
                    LogRow(
                        f"r{k}",
                        "c",
                        f"a:{k}",
                        "a",
                        "Ear",
                        "short-fur",
                        "general",
                        "203",
                        2,
                        9.0,
                        8.0,
                        f"2026-03-0{k + 1}T10:00:00",
                        state="skipped" if k == 1 else "done",
                    )
                ]
            )
            note()
        edit([LogRow("last", "c", "last look", "", "", "", "last look", "", 0, 20.0, 0.0, "2026-03-04T10:00:00")])
        note()
        edit([replace(self.c, delivered="2026-03-05")])
        note()
        self.assertEqual(
            [s for s, _w in states], ["ordered", "ordered", "drawn", "planned", "begun", "begun", "begun", "finished", "delivered"]
        )
        self.assertEqual(states[0][1], "no photo yet")
        self.assertEqual(states[3][1], "planned, 4 steps")
        self.assertEqual(states[5][1], "under way, 2 of 4 steps done")
        self.assertEqual(states[-1][1], "delivered on 5 March 2026")

    def test_hours_left_fall_with_every_step_and_follow_the_pace(self):
        self.store.edit(
            [
                Photo("p", "c", "0" * 64, ".png", "moss.png", 1000, 1250, (0.0, 0.0, 1000.0, 1250.0)),
                Area("a", "c", "p", 1, "Ear", "short-fur", rectangle(0, 0, 1000, 1250)),
                Recipe("a", tuple(Layer("general", "203", 2, 2, "everywhere", "flick", 3.0, id=str(k)) for k in range(4))),
            ]
        )
        before, slow = self.one(), overviews(self.store, Pace(2.0))[0]
        # the last look takes as long for everybody
        looks = 20 + 2 * LOOK_MIN * LOW  # the last look and the two before it follow no pace: they belong to no surface
        self.assertAlmostEqual(slow.low_min - looks, 2 * (before.low_min - looks))
        self.assertRegex(before.hours_left, r"^\d+–\d+ h left$")
        self.store.edit([LogRow("r", "c", "a:0", "a", "Ear", "short-fur", "general", "203", 2, 9.0, 8.0, "2026-03-01T10:00:00")])
        self.assertLess(self.one().high_min, before.high_min)
        self.store.edit(
            [
                Shot("s", "c", "1" * 64, ".jpg", "x.jpg", 10, 10, "2026-03-01T10:00:00"),
                Shot("t", "c", "2" * 64, ".jpg", "y.jpg", 10, 10, "2026-03-02T10:00:00"),
            ]
        )
        self.assertEqual(self.one().shot.id, "t")

    def test_days_left_and_search(self):
        words = {
            n: replace(self.one(), commission=replace(self.c, due=(TODAY + datetime.timedelta(days=n)).isoformat())).days_left(TODAY)
            for n in (-2, -1, 0, 1, 30)
        }
        self.assertEqual(words, {-2: "2 days ago", -1: "1 day ago", 0: "today", 1: "tomorrow", 30: "in 30 days"})
        self.assertTrue(
            self.one().matches("CAT fenn") and self.one().matches("torn") and not self.one().matches("cat dog") and self.one().matches("")
        )

    def test_a_template_keeps_how_and_drops_whom(self):
        c = replace(
            self.c,
            width_mm=321.0,
            school=(("lights", "indent"),),
            tray=("203",),
            terms=Terms("left", 2.0, rate=30.0, start="2026-01-01", moved=(("a", "b"),), photo_permission=True, wanted=("main",)),
            delivered="2026-01-01",
            archived=True,
        )
        made = as_template(c, datetime.datetime(2026, 3, 2, 9))
        self.assertEqual(
            (made.width_mm, made.school, made.tray, made.terms.hand, made.terms.rate, made.terms.wanted),
            (321.0, c.school, ("203",), "left", 30.0, ("main",)),
        )
        self.assertEqual(
            (made.client, made.animal, made.notes, made.due, made.delivered, made.archived, made.stage),
            ("", "", "", None, "", False, "Brief"),
        )
        self.assertEqual((made.terms.start, made.terms.moved, made.terms.photo_permission), ("", (), False))
        self.assertNotEqual(made.id, c.id)


class Words(unittest.TestCase):
    @given(st.floats(0, 500), st.floats(1, 3))
    def test_a_span_is_never_upside_down_and_always_has_its_unit(self, low, factor):
        words = span(low, low * factor)
        self.assertTrue(words.endswith(" min"))
        numbers = [int(q) for q in words.replace("under ", "").replace("up to ", "").removesuffix(" min").split("–")]
        self.assertEqual(numbers, sorted(numbers))
        self.assertRegex(hours_words([]), "^0–0 h$")


class Pages(unittest.TestCase):
    """Words of the person are printed as they are; long content flows over pages."""

    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.path = Path(temp.name) / "x.pdf"
        self.pixels = np.random.default_rng(1).integers(0, 255, (300, 400, 3), np.uint8)

    def text(self) -> str:
        return " ".join(p.extract_text() for p in PdfReader(self.path).pages)

    def test_a_long_bench_book_repeats_its_heads(self):
        grey = np.array([50.0, 0.0, 0.0])
        step = BookStep(1, f"1 {AWKWARD}, general", "203 Peat & ash", grey, "pressure 2, flick 4 mm", "3–6 min", "Lights come last.")
        days = [BookDay(TODAY + datetime.timedelta(days=k), "09:00 to 12:00", [step] * 30) for k in range(3)]
        book = Book(
            AWKWARD,
            "cat & dog",
            self.pixels,
            [("Sheet", "<240> mm"), ("Empty", "")],
            days,
            [Ready("203 Peat & ash", grey, "2 mm", True)],
            ["Ear dries; 30 minutes."],
            ["No flame < 3 m"],
        )
        write_bench_book(book, self.path)
        text = self.text()
        for words in (AWKWARD, "<240> mm", "No flame < 3 m", "reorder", "Monday 2 March 2026", "Wednesday 4 March 2026"):
            self.assertIn(words, text)
        self.assertNotIn("Empty", text)
        pages = len(PdfReader(self.path).pages)
        self.assertGreaterEqual(pages, 4)
        self.assertGreaterEqual(text.count("Why now"), 3)
        self.assertEqual(text.count(f"bench book · {pages}"), 1)

    def test_record_and_approval_with_and_without_pictures(self):
        row = RecordRow("2 Mar 10:00", f"{AWKWARD}, gap", None, "solvent", "4 min", "“soft & pale”")
        write_record(Record("Moss", "a line", [("Sheet", "240 mm")], [], [("1 Ear", "0.5 h", "0.4–0.8 h")], [], [row]), self.path)
        self.assertIn("soft & pale", self.text())
        write_record(
            Record(
                "Moss",
                "a line",
                [],
                [(self.pixels, f"photo {k}") for k in range(5)],
                [],
                [(np.array([30.0, 0, 0]), "401 Soot", "2 layers")],
                [],
            ),
            self.path,
        )
        for k in range(5):
            self.assertIn(f"photo {k}", self.text())
        lab = np.array([60.0, 10.0, 20.0])
        sheet = Approval(
            "Moss", "line", self.pixels, [("Ready", "9 March")], [(lab, "Ear", "fawn · step 6")] * 12, ["Price: 300–400 €."], page="Letter"
        )
        write_approval(sheet, self.path)
        reader = PdfReader(self.path)
        self.assertEqual((len(reader.pages), [round(float(v)) for v in reader.pages[0].mediabox[2:]]), (1, [612, 792]))
        self.assertIn("Your photo, cut to the sheet", self.text())
        with self.assertRaises(Fault):
            write_approval(sheet, self.path / "no" / "such.pdf")
