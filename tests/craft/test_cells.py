"""Tables that leave: no spreadsheet works anything out that an artist or a client wrote, and everything is read back as it was."""

import csv
import io
import re
import unittest
from dataclasses import replace

from hypothesis import example, given
from hypothesis import strategies as st

from hanabira.craft.cells import Figure, read_cell, safe_cell, table_csv
from hanabira.craft.kitfile import kit_csv, parse_csv
from hanabira.craft.recipe_data import COLUMNS, recipes_csv
from hanabira.craft.supplies import shipped_kit
from hanabira.craft.swatchfile import parse_swatches, swatches_csv

EVIL = ("=1+1", "+cmd", "-2+3", "@sum(a1)", "\t=1", "'=x")
HARMFUL = re.compile(r"[=+\-@\t\r]")


def texts(csv_text: str) -> list[str]:
    """All cells that are no numbers."""
    out = []
    for cell in (c for row in csv.reader(io.StringIO(csv_text)) for c in row):
        try:
            float(cell)
        except ValueError:
            out.append(cell)
    return out


class Cells(unittest.TestCase):
    @given(st.text(st.characters(codec="utf-8", exclude_characters="\0")))
    @example("'")
    @example("''=")
    def test_every_text_comes_back(self, text):
        cell = safe_cell(text)
        self.assertEqual(read_cell(cell), text)
        self.assertFalse(HARMFUL.match(cell))

    def test_numbers_stay_numbers(self):
        self.assertEqual(table_csv(("a", "=b"), [(-3, Figure("-1.50")), (None, "-1.50")]), "a,'=b\n-3,-1.50\n,'-1.50\n")


class WhatLeaves(unittest.TestCase):
    def test_a_kit(self):
        kit = shipped_kit()
        evil = replace(
            kit,
            pencils=tuple(
                replace(p, name=f"{e} {p.name}", extra=((f"={n}", e.strip()), ("price", "-4"))) for n, (p, e) in enumerate(zip(kit.pencils, EVIL, strict=False))
            ),
        )
        text = kit_csv(evil)
        self.assertFalse([c for c in texts(text) if HARMFUL.match(c)])
        again = parse_csv(text, kit.name)
        self.assertEqual([p.name for p in again], [p.name for p in evil])
        self.assertEqual([dict(p.extra)["price"] for p in again], ["-4"] * len(EVIL))
        self.assertEqual(dict(again.pencils[0].extra)["=0"], "=1+1")

    def test_recipes(self):
        layer = dict.fromkeys(COLUMNS, "") | {"covers": ["=a", "b"], "reason": "=HYPERLINK(1)"} if "reason" in COLUMNS else dict.fromkeys(COLUMNS, "=x")
        text = recipes_csv([{"number": 1, "name": "=cmd|calc", "surface": "eye", "layers": [layer]}])
        self.assertIn("'=cmd|calc", text)
        self.assertFalse([c for c in texts(text) if HARMFUL.match(c)])

    def test_swatches(self):
        rows = [("", "white", (95.0, -0.5, 2.25)), ("203:1:2", "#808080", (50.0, -12.125, -3.0))]
        text = swatches_csv(rows)
        self.assertIn("50.000,-12.125,-3.000", text, "figures are figures")
        self.assertEqual([(g, lab) for _n, _s, g, lab in parse_swatches(text)], [(g, lab) for _s, g, lab in rows])


if __name__ == "__main__":
    unittest.main()
