"""The client's page, in millimetres: the grid, an eye at true size, colours that are what they say, and what it leaves to a second page."""

import re
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from pypdf import PdfReader

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import srgb_to_lab
from hanabira.session.commission_sheets import NOOK_MM2, _without_nooks
from hanabira.session.words import likeness_marks
from hanabira.sheets.approval import NOTE, Approval, write_approval
from hanabira.sheets.sender import Sender
from tests.printed import Printed

LABS = [np.array([l_, 12.0, 22.0]) for l_ in (82.0, 66.0, 48.0, 33.0)]
SHEET = Approval(
    "Moss", "A portrait of your grey cat in coloured pencil", np.full((500, 400, 3), (90, 120, 60), np.uint8),
    [("Sheet", "320 × 400 mm, border 10 mm"), ("Backdrop", "the bare paper"), ("Delivery", ""), ("Ready", "18 December 2026")],
    [(lab, f"Area {k}", "fawn · step 8") for k, lab in enumerate(LABS)], ["Price: 300–400 €, 90–120 € as deposit.", "Changes after this day are agreed anew."],
    "Ada Brook", "27 November 2026", "320 × 400 mm", np.full((800, 640, 3), (200, 60, 40), np.uint8), "How it will look on the paper, as forecast",
    np.full((300, 300, 3), (20, 40, 220), np.uint8), 57.0, ("One ear a little back", "No collar"), Sender("Studio Brook"),
)  # fmt: skip


class Page(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.path = Path(temp.name) / "a.pdf"

    def written(self, sheet: Approval = SHEET):
        reader = PdfReader(write_approval(sheet, self.path))
        return reader, [p.extract_text() for p in reader.pages]

    def test_all_of_it_stands_on_one_page_once(self):
        reader, (text,) = self.written()
        self.assertTrue(text.startswith("Moss"))
        for words in ("For Ada Brook", "27 November 2026", "as forecast", "Your photo, cut to the sheet", "Colours of the coat", "What you get",
                      "What makes it Moss", "No collar", "Go on like this", "Price: 300–400", "Studio Brook", "for approval · 1"):  # fmt: skip
            self.assertEqual(text.count(words), 1, words)
        self.assertNotIn("Delivery", text, "what was not agreed takes no line")
        self.assertIn(NOTE.split(".")[0], " ".join(text.split()))
        self.assertAlmostEqual(float(reader.pages[0].mediabox.width) / 72 * 25.4, 210, delta=0.1)

    def test_pictures_keep_to_the_grid_and_the_eye_is_true_in_millimetres(self):
        reader, (text,) = self.written()
        forecast, photo, eye = Printed(reader.pages[0]).images
        column = (210 - 2 * 15 - 5 * 4) / 6
        self.assertAlmostEqual(forecast[2] / forecast[3], 0.8, delta=0.002)
        self.assertGreaterEqual(forecast[0], 15 - 0.01)
        self.assertLessEqual(forecast[2], 4 * column + 3 * 4 + 0.01)
        for box in (photo, eye):
            self.assertAlmostEqual(box[0], 15 + 4 * (column + 4), delta=0.01)
            self.assertLessEqual(box[0] + box[2], 195.01)
        self.assertAlmostEqual(eye[2], 57.0, delta=0.4)
        self.assertAlmostEqual(eye[3], eye[2], delta=0.01)
        self.assertAlmostEqual(eye[1] + eye[3], forecast[1] + forecast[3], delta=0.01, msg="one common foot line")
        self.assertGreater(eye[1], photo[1] + photo[3] + 4)
        scale = float(re.search(r"here 1 : ([\d.]+)", text).group(1))
        self.assertAlmostEqual(320 / forecast[2], scale, delta=0.06)

    def test_the_colours_printed_are_the_colours_said(self):
        reader, _texts = self.written()
        patches = [(r, c) for r, c in Printed(reader.pages[0]).boxes if c is not None and abs(r[3] - 8.0) < 0.02]
        self.assertEqual(len(patches), len(LABS))
        for (_r, colour), lab in zip(patches, LABS, strict=True):
            self.assertLess(float(delta_e00(srgb_to_lab(np.array(colour)), lab)), 0.3)
        for (one, _c), (two, _d) in zip(patches, patches[1:], strict=False):
            self.assertAlmostEqual(one[0] + one[2], two[0], delta=0.02, msg="patches touch, so that they can be compared")

    def test_long_words_wrap_and_go_overleaf_before_they_shrink(self):
        marks = tuple(f"Mark number {k} with rather more words than fit into one line of its column" for k in range(12))
        long = replace(SHEET, likeness=marks, facts=[*SHEET.facts, *((f"Fact {k}", "a good many words about it, " * 4) for k in range(9))])
        reader, texts = self.written(long)
        self.assertEqual(len(reader.pages), 2)
        self.assertIn("for approval · 2", texts[1])
        self.assertIn("Go on like this", texts[1])
        self.assertIn("Price", texts[1])

    def test_without_a_forecast_the_photo_takes_its_place_and_nothing_is_promised(self):
        _reader, (text,) = self.written(replace(SHEET, forecast=None, eye=None, colours=[], likeness=()))
        self.assertNotIn("as forecast", text)
        self.assertNotIn("Colours of the coat", text)
        self.assertNotIn("What makes it", text)
        self.assertEqual(text.count("Your photo, cut to the sheet"), 1)


class Nooks(unittest.TestCase):
    def test_small_gaps_between_areas_are_closed_and_large_ones_stay_and_are_told(self):
        side = 600
        inside = np.ones((side, side), bool)
        inside[:20] = inside[-20:] = inside[:, :20] = inside[:, -20:] = False
        painted = np.full((side, side, 3), (90, 60, 40), np.uint8)
        nook = np.s_[100:160, 100:160]  # 10 × 10 mm at six pixels a millimetre
        hole = np.s_[300 : 300 + int(6 * NOOK_MM2**0.5) + 30, 300 : 300 + int(6 * NOOK_MM2**0.5) + 30]
        for box in (nook, hole):
            inside[box] = False
        painted[~inside] = (250, 250, 248)
        mended, holes = _without_nooks(painted, [inside])
        self.assertTrue(holes)
        self.assertLess(np.abs(mended[nook].astype(int) - (90, 60, 40)).max(), 12)
        self.assertEqual(mended[310, 310].tolist(), [250, 250, 248])
        self.assertEqual(mended[5, 5].tolist(), [250, 250, 248], "the border is paper")
        inside[hole] = True
        self.assertFalse(_without_nooks(painted, [inside])[1])

    def test_marks_of_likeness_are_one_a_sentence(self):
        self.assertEqual(
            likeness_marks("One ear back; the blaze runs left.\nNo collar."), ["One ear back", "the blaze runs left", "No collar"]
        )
        self.assertEqual(likeness_marks(""), [])


if __name__ == "__main__":
    unittest.main()
