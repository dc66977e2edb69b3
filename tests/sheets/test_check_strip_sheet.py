"""The check strip as printed: marks, greys and boxes where the reader looks for them, in millimetres and colours."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import pypdf

from hanabira.core.colour.spaces import lab_to_srgb
from hanabira.core.progress.strip import GREYS, MARK_MM, MARKS_MM, SIZE_MM, chosen, rects
from hanabira.sheets.check_strip import AT_MM, write_check_strip
from tests.portrait import KIT
from tests.printed import Printed


class CheckStrip(unittest.TestCase):
    def test_every_patch_lies_where_it_is_read(self):
        with tempfile.TemporaryDirectory() as folder:
            pencils = [(c, KIT.get(c).name) for c in chosen(KIT)]
            page = Printed(pypdf.PdfReader(write_check_strip(pencils, Path(folder) / "strip.pdf")).pages[0], AT_MM)
        self.assertAlmostEqual(page.size[0], 210, delta=0.2)
        colour_at = page.colours_at

        for rect, value in zip(rects()[:7], GREYS, strict=True):
            np.testing.assert_allclose(colour_at(rect)[0], lab_to_srgb([value, 0, 0]), atol=0.01)
        for rect in rects()[7:]:
            self.assertEqual(len(colour_at(rect)), 1)
        for k, (mx, my) in enumerate(MARKS_MM):
            about = [(r, c) for r, c in page.shapes if abs(r[0] + r[2] / 2 - mx) < 1 and abs(r[1] + r[3] / 2 - my) < 1]
            self.assertEqual([c[0] for _r, c in about], [0, 1, 0, 1][: 3 + (k == 0)])  # the left one has a hole
            np.testing.assert_allclose(about[0][0], (mx - MARK_MM / 2, my - MARK_MM / 2, MARK_MM, MARK_MM), atol=0.02)
            for (_x, _y, wide, high), _c in about[1:]:
                self.assertLess(max(wide, high), MARK_MM * 0.8)
        self.assertTrue(colour_at((0, 0, *SIZE_MM)))
        for code, name in pencils:
            self.assertIn(f"{code} {name}", page.text)
        # nothing is printed in the white between the patches
        names = [r for r, _c in page.boxes if 0 <= r[1] < SIZE_MM[1] and 24 < r[0] < 148]
        self.assertEqual(len(names), 14)
