"""A drill's sheet as printed: fields, marks, wedges and code where the reader looks for them, in millimetres and colours; what is printed in a field is pale."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import pypdf

from hanabira.core.colour.spaces import lab_to_srgb
from hanabira.core.practice.hand import sheets
from hanabira.core.swatch.layout import MARK_MM
from hanabira.craft.drills import drills
from hanabira.sheets.hand_sheet import GUIDE, write_hand_sheet
from tests.printed import Printed, is_mark


class HandSheets(unittest.TestCase):
    def test_every_sheet_has_its_parts_where_they_are_read(self):
        for key, sheet in sheets().items():
            with self.subTest(drill=key), tempfile.TemporaryDirectory() as folder:
                page = Printed(pypdf.PdfReader(write_hand_sheet(sheet, drills()[key].how[0][1], Path(folder) / "sheet.pdf")).pages[0])
                np.testing.assert_allclose(page.size, (210, 297), atol=0.2)
                found = page.colours_at
                for cell in sheet.page.cells:
                    self.assertEqual(len(found(cell.rect)), 1)
                for k, middle in enumerate(sheet.page.marks):
                    self.assertTrue(is_mark(page, middle, MARK_MM, holed=k == 0))
                for rect, value in sheet.page.greys:
                    np.testing.assert_allclose(found(rect)[0], lab_to_srgb([value, 0, 0]), atol=0.01)
                self.assertEqual([bool(found(rect)) for rect, _on in sheet.page.code], [on for _rect, on in sheet.page.code])
                self.assertIn(sheet.page.title, page.text)
                self.assertIn("Print at 100 %", page.text)

    def test_guides_are_paler_than_what_counts_as_drawn(self):
        self.assertGreater(min(GUIDE.rgb()), 0.8)


if __name__ == "__main__":
    unittest.main()
