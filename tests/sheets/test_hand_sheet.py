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

MM = 72 / 25.4


class Printed(unittest.TestCase):
    def test_every_sheet_has_its_parts_where_they_are_read(self):
        for key, sheet in sheets().items():
            with self.subTest(drill=key), tempfile.TemporaryDirectory() as folder:
                page = pypdf.PdfReader(write_hand_sheet(sheet, drills()[key].how[0][1], Path(folder) / "sheet.pdf")).pages[0]
                high = float(page.mediabox.height) / MM
                self.assertAlmostEqual(float(page.mediabox.width) / MM, 210, delta=0.2)
                self.assertAlmostEqual(high, 297, delta=0.2)
                boxes, fill, last = [], None, None
                for operands, operator in pypdf.generic.ContentStream(page.get_contents(), None).operations:
                    v = [float(q) for q in operands] if operator in (b"rg", b"re", b"g") else []
                    if operator == b"rg":
                        fill = tuple(v)
                    elif operator == b"g":
                        fill = (v[0],) * 3
                    elif operator == b"re":
                        x, y, w, h = (q / MM for q in v)
                        last = (x, high - y - h, w, h)
                    elif operator in (b"f", b"f*", b"S", b"s", b"B", b"B*", b"b") and last is not None:
                        boxes.append((last, fill))
                    if operator not in (b"re", b"rg", b"g"):
                        last = None
                found = lambda rect, boxes=boxes: [c for r, c in boxes if np.allclose(r, rect, atol=0.02)]  # noqa: E731
                for cell in sheet.page.cells:
                    self.assertEqual(len(found(cell.rect)), 1)
                for mx, my in sheet.page.marks:
                    self.assertTrue(found((mx - MARK_MM / 2, my - MARK_MM / 2, MARK_MM, MARK_MM)))
                for rect, value in sheet.page.greys:
                    np.testing.assert_allclose(found(rect)[0], lab_to_srgb([value, 0, 0]), atol=0.01)
                self.assertEqual([bool(found(rect)) for rect, _on in sheet.page.code], [on for _rect, on in sheet.page.code])
                text = page.extract_text()
                self.assertIn(sheet.page.title, text)
                self.assertIn("Print at 100 %", text)

    def test_guides_are_paler_than_what_counts_as_drawn(self):
        self.assertGreater(min(GUIDE.rgb()), 0.8)


if __name__ == "__main__":
    unittest.main()
