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
from tests.printed import Printed, is_mark


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
        for k, middle in enumerate(MARKS_MM):
            self.assertTrue(is_mark(page, middle, MARK_MM, holed=k == 0))
            self.assertFalse(is_mark(page, middle, MARK_MM, holed=k != 0))
        self.assertTrue(colour_at((0, 0, *SIZE_MM)))
        for code, name in pencils:
            self.assertIn(f"{code} {name}", page.text)
        # nothing is printed in the white between the patches
        names = [r for r, _c in page.boxes if 0 <= r[1] < SIZE_MM[1] and 24 < r[0] < 148]
        self.assertEqual(len(names), 14)
