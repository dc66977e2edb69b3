"""Swatch sheets: printed, filled and photographed by the simulated scanner, read back."""

import tempfile
import unittest
from functools import cache
from pathlib import Path

import numpy as np
from pypdf import PdfReader

from hanabira.core.colour.difference import delta_e00
from hanabira.core.faults import KitFault, PhotoFault
from hanabira.core.swatch.layout import GREYS_L, PATCHES, sheet
from hanabira.core.swatch.read import find_marks, read_sheet
from hanabira.craft.supplies import shipped_kit
from hanabira.devices.colorimeter import SimulatedColorimeter, measure_cells
from hanabira.devices.scanner import Shot, scan
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
        for shot, n in ((Shot(), 0), (Shot(cast_kelvin=500, quarter_turns=1, gamma=1.1), 1)):
            photo, truth = scan(pages()[n], PAPER, shot)
            got = read_sheet(photo, pages(), PAPER.ground_lab("white"), kit=KIT)
            self.assertEqual(got.page.number, n + 1)
            off = errors(got, truth)
            self.assertLess(np.median(off), 1.0)
            self.assertLess(np.percentile(off, 95), 2.5)
            self.assertLess(got.grey_error, 1.0)
            self.assertEqual(len(pages()[n].greys), 2 * len(GREYS_L))

    def test_marks_are_found_to_a_fraction_of_a_millimetre(self):
        photo, _ = scan(pages()[0], PAPER, Shot(tilt_deg=6, gradient=0.2))
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
        photo, _ = scan(pages()[0], PAPER, Shot(tilt_deg=4), spoil)
        got = read_sheet(photo, pages(), PAPER.ground_lab("white"), kit=KIT)
        self.assertTrue(all(got.cells[i].flag for i in spoil), [got.cells[i].flag for i in spoil])
        self.assertEqual(got.cells[dark[2]].flag, "empty")
        others = [r.flag for i, r in enumerate(got.cells) if i not in spoil]
        self.assertLessEqual(sum(bool(f) for f in others), 2)

    def test_what_is_no_sheet(self):
        with self.assertRaises(PhotoFault) as caught:
            read_sheet(np.full((600, 500, 3), 180, np.uint8), pages())
        self.assertIn("corner marks", str(caught.exception))
        photo, _ = scan(pages()[-1], PAPER, Shot(tilt_deg=2, gradient=0.1))
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
