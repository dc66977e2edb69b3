"""Swatch sheets: printed, filled and photographed by the simulated scanner, read back."""

import itertools
import tempfile
import unittest
from functools import cache
from pathlib import Path

import cv2
import numpy as np
from pypdf import PdfReader

from hanabira.core.colour.difference import delta_e00
from hanabira.core.faults import KitFault, PhotoFault
from hanabira.core.swatch.layout import GREYS_L, PATCHES, sheet
from hanabira.core.swatch.marks import mark_shapes, nested_marks
from hanabira.core.swatch.read import find_marks, read_sheet
from hanabira.craft.supplies import shipped_kit
from hanabira.devices.colorimeter import SimulatedColorimeter, measure_cells
from hanabira.devices.scanner import Scanning, scan
from hanabira.devices.simulated_paper import SimulatedSheet
from hanabira.sheets.swatch_sheet import write_swatch_sheet

KIT = shipped_kit()
CODES = [p.code for p in KIT][:24]
PAPER = SimulatedSheet(KIT)


@cache
def pages(page: str = "A4"):
    return tuple(sheet(KIT, CODES, page))


def errors(reading, truth) -> np.ndarray:
    return np.array([float(delta_e00(r.lab, t)) for r, t in zip(reading.cells, truth, strict=True)])


def shoelace(points: np.ndarray) -> float:
    x, y = points.T
    return abs(float(x @ np.roll(y, -1) - y @ np.roll(x, -1))) / 2


class Marks(unittest.TestCase):
    """A printed mark of our own, and the squares of sheets that were printed before."""

    @staticmethod
    def paper(forms, side: float, turn_deg: float = 0.0) -> np.ndarray:
        """A mark of ``side`` pixels in the middle of 120 × 120; 255 where it is dark, as the readers take it."""
        out = np.zeros((120, 120), np.uint8)
        c, s = np.cos(np.radians(turn_deg)), np.sin(np.radians(turn_deg))
        for points, dark in forms:
            corners = points @ np.array([[c, s], [-s, c]]) * side + 59.5
            cv2.fillPoly(out, [np.round(corners * 16).astype(np.int32)], 255 if dark else 0, shift=4)
        return out

    def test_forms_have_the_areas_that_the_readers_weigh(self):
        forms = mark_shapes(True)
        self.assertEqual([dark for _, dark in forms], [True, False, True, False])
        for (points, _), share in zip(forms, (1.0, 0.62, 0.34, 0.14), strict=True):
            self.assertAlmostEqual(shoelace(points), share**2, delta=0.004)
            np.testing.assert_allclose(points.mean(0), 0, atol=1e-9)
        for (outer, _), (inner, _) in itertools.pairwise(forms[1:]):
            self.assertLess(np.hypot(*inner.T).max(), np.hypot(*outer.T).min())  # each lies whole within the one before
        self.assertLess(np.hypot(*forms[1][0].T).max(), 0.5)
        self.assertEqual(len(mark_shapes(False)), 3)

    def test_a_mark_is_found_at_any_turn_and_size(self):
        for side in (24.0, 40.0, 90.0):
            for turn in (0.0, 17.0, 45.0, 80.0):
                for holed in (True, False):
                    (mark,) = nested_marks(self.paper(mark_shapes(holed), side, turn))
                    np.testing.assert_allclose(mark.centre, 59.5, atol=0.6)
                    self.assertAlmostEqual(mark.size / side, 1, delta=0.08)
                    self.assertEqual(mark.holed, holed)

    def test_squares_in_squares_of_an_earlier_print_are_found_too(self):
        square = mark_shapes(False)[0][0]
        for holed in (True, False):
            shares = (1.0, 0.62, 0.34, 0.14)[: 4 if holed else 3]
            (mark,) = nested_marks(self.paper([(square * share, k % 2 == 0) for k, share in enumerate(shares)], 40.0, 20.0))
            self.assertEqual(mark.holed, holed)

    def test_other_dark_things_are_not_taken_for_a_mark(self):
        square = mark_shapes(False)[0][0]
        for forms in (
            [(square, True)],
            [(square, True), (square * 0.62, False)],
            [(square, True), (square * 0.95, False), (square * 0.34, True)],
        ):
            self.assertEqual(nested_marks(self.paper(forms, 60.0)), [])


class Layout(unittest.TestCase):
    def test_cells_stay_on_the_page_and_do_not_touch(self):
        for name in ("A4", "Letter"):
            for page in sheet(KIT, [p.code for p in KIT], name):
                w, h = page.size
                boxes = [c.rect for c in page.cells] + [r for r, _ in page.greys] + [r for r, _ in page.code]
                boxes += [(x - 4.5, y - 4.5, 9, 9) for x, y in page.marks]
                for i, (x, y, bw, bh) in enumerate(boxes):
                    self.assertTrue(x >= 4 and x + bw <= w - 4 and y >= 4 and y + bh <= h - 4, (name, page.title, boxes[i]))
                    for x2, y2, w2, h2 in boxes[:i]:
                        self.assertFalse(x < x2 + w2 and x2 < x + bw and y < y2 + h2 and y2 < y + bh)

    def test_every_pencil_has_its_four_patches_and_chips_are_heavy_over_heavy_too(self):
        got = {(c.layers, c.ground) for p in pages()[:-1] for c in p.cells}
        self.assertEqual(len(got), len(CODES) * len(PATCHES))
        chips = pages()[-1].cells
        self.assertGreaterEqual(sum(all(q.pressure == 5 for q in c.layers) for c in chips), 8)
        self.assertGreaterEqual(sum(len(c.layers) == 3 for c in chips), 8)
        with self.assertRaises(KitFault):
            sheet(KIT, [])
        with self.assertRaises(KitFault):
            sheet(KIT, CODES, "A3")

    def test_the_pdf_names_every_pencil(self):
        with tempfile.TemporaryDirectory() as folder:
            path = write_swatch_sheet(pages(), Path(folder) / "s.pdf", "Hot-press")
            pdf = PdfReader(path)
            self.assertEqual(len(pdf.pages), len(pages()))
            self.assertAlmostEqual(float(pdf.pages[0].mediabox.width) / 72 * 25.4, 210, delta=0.1)
            text = "".join(p.extract_text() for p in pdf.pages)
            for code in CODES:
                self.assertIn(f"{code} {KIT.get(code).name}"[:12], text)


class Reading(unittest.TestCase):
    def test_tilted_unevenly_lit_and_cast(self):
        """Ten degrees, 30 % gradient, 500 K either way: within ΔE00 1.0 in the median."""
        for shot, n in ((Scanning(), 0), (Scanning(cast_kelvin=500, quarter_turns=1, gamma=1.1), 1)):
            photo, truth = scan(pages()[n], PAPER, shot)
            got = read_sheet(photo, pages(), PAPER.ground_lab("white"), kit=KIT)
            self.assertEqual(got.page.number, n + 1)
            off = errors(got, truth)
            self.assertLess(np.median(off), 1.0)
            self.assertLess(np.percentile(off, 95), 2.5)
            self.assertLess(got.grey_error, 1.0)
            self.assertEqual(len(pages()[n].greys), 2 * len(GREYS_L))

    def test_marks_are_found_to_a_fraction_of_a_millimetre(self):
        photo, _ = scan(pages()[0], PAPER, Scanning(tilt_deg=6, gradient=0.2))
        got = read_sheet(photo, pages(), PAPER.ground_lab("white"))
        x, y = pages()[0].cells[40].rect[:2]
        q = got.to_photo @ np.array([x, y, 1])
        # the same corner by an independent way: the four marks as a bilinear patch are not exact, a homography is
        marks = find_marks(photo)
        back = np.linalg.inv(got.to_photo) @ np.column_stack([marks, np.ones(4)]).T
        np.testing.assert_allclose((back[:2] / back[2]).T, pages()[0].marks, atol=0.05)
        self.assertTrue(0 < q[0] / q[2] < photo.shape[1])

    def test_spoiled_cells_are_flagged(self):
        dark = [
            i
            for i, c in enumerate(pages()[0].cells)
            if c.ground == "white" and KIT.get(c.layers[0].code).lab[0] < 60 and c.layers[0].pressure == 5
        ]
        spoil = {dark[0]: "stained", dark[1]: "half", dark[2]: "empty"}
        photo, _ = scan(pages()[0], PAPER, Scanning(tilt_deg=4), spoil)
        got = read_sheet(photo, pages(), PAPER.ground_lab("white"), kit=KIT)
        self.assertTrue(all(got.cells[i].flag for i in spoil), [got.cells[i].flag for i in spoil])
        self.assertEqual(got.cells[dark[2]].flag, "empty")
        others = [r.flag for i, r in enumerate(got.cells) if i not in spoil]
        self.assertLessEqual(sum(bool(f) for f in others), 2)

    def test_what_is_no_sheet(self):
        with self.assertRaises(PhotoFault) as caught:
            read_sheet(np.full((600, 500, 3), 180, np.uint8), pages())
        self.assertIn("corner marks", str(caught.exception))
        photo, _ = scan(pages()[-1], PAPER, Scanning(tilt_deg=2, gradient=0.1))
        with self.assertRaises(PhotoFault) as caught:
            read_sheet(photo, pages()[:1])
        self.assertIn("code", str(caught.exception))


class Instrument(unittest.TestCase):
    def test_the_simulated_colorimeter_reads_the_truth_with_its_noise(self):
        cells = pages()[0].cells[:30]
        labs = measure_cells(SimulatedColorimeter(PAPER, cells), cells)
        truth = [PAPER.lay(c.layers, c.ground) for c in cells]
        off = [float(delta_e00(a, b)) for a, b in zip(labs, truth, strict=True)]
        self.assertTrue(0.05 < np.median(off) < 2.0)
