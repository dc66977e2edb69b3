"""Card, book and log from the terminal: the same content as the window's, in millimetres and colours."""

import json
from pathlib import Path

import numpy as np
import pypdf

from hanabira.core.colour.spaces import lab_to_srgb
from hanabira.core.optics.stack import apply, bare
from hanabira.core.solver.area import judged_band
from hanabira.core.solver.layer import goes_over
from hanabira.core.solver.library import opaque_order
from hanabira.session.from_bundle import measured, session_of
from hanabira.session.recipe_card import card_content
from hanabira.studio.bundle import write_bundle
from hanabira.studio.records import Recipe
from hanabira.studio.store import Store
from tests.demo_studio import OnDemo
from tests.terminal.test_cli import ask, run

MM = 72 / 25.4


class Sheets(OnDemo):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        with Store.open(cls.root / "demo") as store:
            # of the rabbit only three areas are solved: brow, eye and cheek
            store.edit([], [r for r in store.all(Recipe) if r.area_id.startswith("demo-area") and r.area_id[10:] not in ("4", "5", "8")])
            cls.bundles = {name: write_bundle(store, name, cls.root / f"{name}.zip").path for name in ("Tansy", "Bracken")}

    def text(self, path: Path) -> str:
        return "\n".join(page.extract_text() for page in pypdf.PdfReader(path).pages)

    def test_a_card_with_every_area_or_with_some(self):
        out = self.root / "card.pdf"
        d = ask("card", str(self.bundles["Tansy"]), "--out", str(out))
        self.assertEqual([a["name"] for a in d["areas"]], ["Brow", "Eye", "Marigold cheek"])
        self.assertIn("Muzzle", d["without"])
        self.assertEqual(len(d["without"]), 9)
        reader = pypdf.PdfReader(out)
        self.assertAlmostEqual(float(reader.pages[0].mediabox.width) / MM, 210, delta=0.1)
        text = self.text(out)
        for words in ("Tansy", "Eye", "Brow", "Marigold cheek", "340 × 420 mm"):
            self.assertIn(words, text)
        ask("card", str(self.bundles["Tansy"]), "--out", str(out), "--area", "5", "--letter")
        text = self.text(out)
        self.assertIn("Eye", text)
        self.assertNotIn("Brow", text)
        self.assertAlmostEqual(float(pypdf.PdfReader(out).pages[0].mediabox.width) / MM, 215.9, delta=0.1)

    def test_the_colour_beside_a_layer_is_the_one_after_it(self):
        """Every layer's swatch on the card has the predicted colour with that layer on, not the one before it."""
        with session_of(self.bundles["Tansy"]) as session:
            measured(session)
            card = card_content(session)
            opaque = opaque_order(session.kit, session.paper)
            for area in card.areas:
                record = next(a for a in session.areas if a.number == area.number)
                layers = session.recipe_layers(record.id)
                self.assertEqual(len(layers), len(area.layers))
                for k, printed in enumerate(area.layers):
                    band, spot = judged_band(layers[k], opaque), bare(session.paper)
                    for q in layers[: k + 1]:
                        if goes_over(q, band):
                            spot = apply(spot, session.kit, q.as_pass)
                    np.testing.assert_allclose(printed.after, spot.lab, atol=1e-6, err_msg=f"{area.name}, layer {k + 1}")
            # and that is the colour that is printed
            out = self.root / "colours.pdf"
            run("card", str(self.bundles["Tansy"]), "--out", str(out))
            drawn = b"".join(page.get_contents().get_data() for page in pypdf.PdfReader(out).pages)
            colours = {
                tuple(round(float(v), 2) for v in line.split()[:3]) for line in drawn.decode("latin-1").splitlines() if line.endswith(" rg")
            }
            for area in card.areas:
                for q in area.layers:
                    if q.role == "reserve":
                        continue  # nothing is laid, and no colour is printed for it
                    rgb = tuple(round(float(v), 2) for v in lab_to_srgb(q.after).clip(0, 1))
                    self.assertTrue(
                        any(max(abs(a - b) for a, b in zip(rgb, c, strict=True)) <= 0.011 for c in colours), (area.name, q.role)
                    )

    def test_a_book_and_its_log(self):
        out = self.root / "book.pdf"
        d = ask("book", str(self.bundles["Bracken"]), "--out", str(out))
        self.assertGreater(d["steps"], 20)
        self.assertIn("Bracken", self.text(out))
        log = ask("log", str(self.bundles["Bracken"]))
        self.assertEqual(log["format"], "hanabira record 1")
        self.assertGreater(len(log["log"]), 25)
        self.assertAlmostEqual(log["hours"]["taken"], sum(r["minutes"] for r in log["log"] if r["state"] == "done") / 60, places=1)
        code, text, err = run("log", str(self.bundles["Bracken"]))
        self.assertEqual((code, err, text.count("\n")), (0, "", len(log["log"]) + 1))
        self.assertEqual(json.dumps(log["commission"]), '"Bracken"')

    def test_mistakes_are_one_line(self):
        good = str(self.bundles["Tansy"])
        for args, words in (
            (("card", good, "--out", "x.txt"), ".pdf"),
            (("card", good, "--out", str(self.root / "x.pdf"), "--area", "99"), "no area 99"),
            (("card", good, "--out", str(self.root / "x.pdf"), "--area", "7"), "no recipe"),
            (("card", good, "--out", "/nonexistent/x.pdf"), "could not be written"),
            (("book", str(self.root / "none.zip"), "--out", str(self.root / "x.pdf")), "no file"),
            (("log", str(self.root)), "no file"),
        ):
            code, out, err = run(*args)
            self.assertEqual((code, out, err.count("\n")), (2, "", 1), (args, err))
            self.assertIn(words, err)
