"""The colour card and the quote, in millimetres and colours, with what they must say and what goes overleaf."""

import re
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from pypdf import PdfReader

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import srgb_to_lab
from hanabira.sheets.colour_card import EVEN, PETAL_MM, ColourCard, Shade, write_colour_card
from hanabira.sheets.quote import Quote, QuotedWork, write_quote
from hanabira.sheets.record import Record, write_record
from hanabira.sheets.sender import NOBODY, Sender
from tests.printed import Printed

TALL = np.full((500, 400, 3), (90, 120, 60), np.uint8)
LABS = [np.array(q) for q in ((22.0, 3.0, 5.0), (91.0, 1.0, 6.0), (64.0, 18.0, 40.0), (48.0, -8.0, -12.0))]
CARD = ColourCard(
    "Moss", "A portrait of your grey cat in coloured pencil", [Shade(lab, f"{100 + k} Pencil {k}", "Brow, Cheek") for k, lab in enumerate(LABS)], TALL,
    [("Pencils", "Own tray"), ("Paper", "Hot-press, warm white")], "Ada Brook", "28 November 2026", Sender("Studio Brook"),
)  # fmt: skip
QUOTE = Quote(
    "Moss", "A portrait of your grey cat in coloured pencil", [("Sheet", "320 × 400 mm"), ("Delivery", ""), ("Ready", "18 December 2026")],
    [QuotedWork("Brow", 1.0, 2.0), QuotedWork("Eye", 0.5, 0.9), QuotedWork("Back", 2.0, 3.5)], "3.9–5.8 h",
    [("3.9–5.8 h at 30 € an hour", "117–174 €"), ("Materials", "12 €"), ("Together", "129–186 €")],
    [("Deposit, 30 %", "39–56 €"), ("On delivery", "90–130 €")], ["Not in this price: 2 of 5 areas have no layers yet."], TALL, "Ada Brook",
    "28 November 2026", Sender("Studio Brook"),
)  # fmt: skip
COLUMN = (210 - 2 * 15 - 5 * 4) / 6


class Sheets(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.path = Path(temp.name) / "a.pdf"

    def card(self, **changes) -> list[Printed]:
        return [Printed(p) for p in PdfReader(write_colour_card(replace(CARD, **changes), self.path)).pages]

    def quote(self, **changes) -> list[Printed]:
        return [Printed(p) for p in PdfReader(write_quote(replace(QUOTE, **changes), self.path)).pages]


class Colours(Sheets):
    def test_petals_run_from_light_to_dark_in_the_colours_said(self):
        (page,) = self.card()
        self.assertEqual(len(page.shapes), 4)
        order = sorted(LABS, key=lambda q: -q[0])
        for k, (((x, _y, wide, _h), colour), lab) in enumerate(zip(page.shapes, order, strict=True)):
            self.assertLess(float(delta_e00(srgb_to_lab(np.array(colour)), lab)), 0.3)
            self.assertAlmostEqual(x, 15 + 2 * (k % 3) * (COLUMN + 4), delta=0.02)
            self.assertAlmostEqual(wide, PETAL_MM[0], delta=0.02)
        self.assertLess(page.text.index("101 Pencil 1"), page.text.index("100 Pencil 0"))

    def test_it_says_what_it_is_made_with_and_what_a_print_cannot_say(self):
        (page,) = self.card()
        text = " ".join(page.text.split())
        for words in (
            "For Ada Brook",
            "28 November 2026",
            "Hot-press, warm white",
            "4 pencils, from the lightest",
            EVEN,
            "Studio Brook",
            "Moss, colours · 1",
        ):
            self.assertEqual(text.count(words), 1, words)
        self.assertIn("1 pencil, from", self.card(shades=CARD.shades[:1])[0].text)
        self.assertIn("No pencils yet", self.card(shades=[])[0].text)

    def test_the_picture_gives_way_to_thirty_pencils_and_stays_one(self):
        (few,) = self.card()
        many = [Shade(np.array([90.0 - 2 * k, 5, 9]), f"{k} Soft grey", "Brow, Cheek, Back, Muzzle") for k in range(30)]
        (page,) = self.card(shades=many)
        self.assertLess(page.images[0][3], few.images[0][3] - 10)
        self.assertGreaterEqual(page.images[0][3], 60)
        for picture in (few.images[0], page.images[0]):
            self.assertAlmostEqual(picture[2] / picture[3], 0.8, delta=0.005)
        self.assertEqual(len(page.shapes), 30)
        self.assertLess(max(y + h for (_x, y, _w, h), _c in page.shapes), 297 - 14)
        pages = self.card(shades=many * 3)
        self.assertEqual(sum(len(p.shapes) for p in pages), 90)
        self.assertIn("colours · 2", pages[1].text)

    def test_without_a_photo_and_on_letter(self):
        (page,) = self.card(picture=None, page="Letter")
        self.assertEqual(page.images, [])
        self.assertAlmostEqual(page.size[0], 215.9, delta=0.1)
        self.assertIn("Own tray", page.text)


class Quotes(Sheets):
    def bars(self, page: Printed) -> list[tuple[float, float]]:
        """Millimetres of the pale and the dark bar of each part."""
        found = [(r, c) for r, c in page.boxes if abs(r[3] - 2.6) < 0.02]
        return [(pale[0][2], dark[0][2]) for pale, dark in zip(found[::2], found[1::2], strict=True)]

    def test_bars_are_as_long_as_their_hours_on_the_axis_under_them(self):
        (page,) = self.quote()
        bars = self.bars(page)
        wide = 3 * COLUMN + 2 * 4  # three columns from 0 to the last tick, 3.5 hours
        for (pale, dark), part in zip(bars, QUOTE.parts, strict=True):
            self.assertAlmostEqual(pale, part.high / 3.5 * wide, delta=0.05)
            self.assertAlmostEqual(dark, part.low / 3.5 * wide, delta=0.05)
        self.assertIn("3.5 h", page.text)
        self.assertEqual(len(re.findall(r"^\d+(?:\.\d)?–\d+(?:\.\d)? h$", page.text, re.M)), 3)

    def test_price_payment_and_what_is_not_counted_stand_once(self):
        (page,) = self.quote()
        for words in (
            "For Ada Brook",
            "3.9–5.8 h at 30 €",
            "129–186 €",
            "Deposit, 30 %",
            "On delivery",
            "Not in this price: 2 of 5 areas",
            "Agreed",
            "quote · 1",
        ):
            self.assertEqual(page.text.count(words), 1, words)
        self.assertNotIn("Delivery\n", page.text, "what was not agreed takes no line")
        self.assertEqual(page.text.count("Studio Brook"), 2, "at the foot and under the artist's line")

    def test_many_areas_shrink_the_picture_before_they_go_overleaf(self):
        (few,) = self.quote()
        (some,) = self.quote(parts=[QuotedWork(f"Area {k}", 0.5, 1.0) for k in range(14)])
        self.assertLess(some.images[0][3], few.images[0][3])
        pages = self.quote(parts=[QuotedWork(f"Area {k}", 0.5, 1.0) for k in range(60)])
        self.assertEqual(sum(len(self.bars(p)) for p in pages), 60)
        self.assertIn("1 h", pages[0].text, "the axis stands on every page")
        self.assertIn("Agreed", pages[-1].text)

    def test_without_a_photo_the_order_takes_the_whole_width(self):
        (page,) = self.quote(picture=None, page="Letter", client="", sender=NOBODY)
        self.assertEqual(page.images, [])
        self.assertIn("client", page.text)
        self.assertIn("artist", page.text)

    def test_the_studios_mark_stands_beside_its_name_at_the_foot_of_every_page(self):
        tall, wide = np.full((120, 60, 3), 40, np.uint8), np.full((40, 400, 3), 40, np.uint8)
        record = Record("Moss", "grey cat", [("Sheet", "320 × 400 mm")], [], [(f"Area {k}", "1 h", "1–2 h") for k in range(90)], [], [])
        for mark, size in ((tall, (4.5, 9.0)), (wide, (32.0, 3.2))):
            whose = Sender("Studio Brook", mark)
            pages = [*self.card(picture=None, sender=whose), *self.quote(picture=None, sender=whose)]
            pages += [Printed(p) for p in PdfReader(write_record(replace(record, sender=whose), self.path)).pages]
            self.assertGreater(len(pages), 3)
            for page in pages:
                (at,) = page.images
                np.testing.assert_allclose(at[2:], size, atol=0.05)
                self.assertTrue(13 <= at[0] <= 20 and at[1] > 297 - 18 and at[1] + at[3] < 297 - 3, at)
                self.assertIn("Studio Brook", page.text)
        for page in [*self.card(picture=None), *self.quote(picture=None)]:
            self.assertEqual(page.images, [])


if __name__ == "__main__":
    unittest.main()
