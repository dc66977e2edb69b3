"""Kits and papers: what ships, and files of the user's own."""

import tempfile
import unittest
from pathlib import Path

import numpy as np

from hanabira.core.colour.spaces import chroma
from hanabira.core.faults import KitFault
from hanabira.core.optics.film import scattering_of
from hanabira.craft.kitfile import kit_csv, kit_gpl, parse_csv, parse_gpl, read_kit
from hanabira.craft.supplies import paper, papers, shipped_kit, surfaces

HEAD = "code,name,hex,opacity,lightfast,binder,hardness,owned"


class Shipped(unittest.TestCase):
    def test_sizes_and_spread(self):
        for kit_id, n, medium in (("pencils", 72, "pencil"), ("pastels", 60, "pastel")):
            kit = shipped_kit(kit_id)
            self.assertEqual((len(kit), kit.medium), (n, medium))
            lab = kit.masstone_lab
            self.assertLess(lab[:, 0].min(), 17)
            self.assertGreater(lab[:, 0].max(), 94)
            coloured = lab[np.asarray(chroma(lab)) > 15]
            sectors = set((np.degrees(np.arctan2(coloured[:, 2], coloured[:, 1])) % 360 // 60).astype(int))
            self.assertEqual(sectors, {0, 1, 2, 3, 4, 5})
            # the masstone in bands is the colour in the file
            np.testing.assert_allclose(lab, [p.lab for p in kit], atol=0.6)

    def test_papers_and_surfaces(self):
        self.assertEqual(set(papers()), {"bristol", "hotpress", "vellum", "film", "sanded", "blackcard"})
        self.assertEqual(len(papers()["sanded"].grounds), 3)
        self.assertTrue({"short-fur", "long-fur", "contour-feathers", "eye", "nose", "bare-skin-and-folds"} <= set(surfaces()))
        with self.assertRaises(KitFault):
            paper("papyrus")
        with self.assertRaises(KitFault):
            shipped_kit("crayons")


class Files(unittest.TestCase):
    def test_round_trip_keeps_everything(self):
        text = HEAD + ",shelf\n7,Moss,#40502a,0.25,3,wax,0.4,no,top left\n8,Sky,#88aadd,,,,,,\n"
        kit = parse_csv(text, "mine")
        self.assertFalse(kit.get("7").owned)
        self.assertEqual(dict(kit.get("7").extra)["shelf"], "top left")
        self.assertEqual(parse_csv(kit_csv(kit), "mine"), kit)

    def test_opacity_is_scattering(self):
        self.assertAlmostEqual(scattering_of(0, "oil"), 0.28)
        self.assertAlmostEqual(scattering_of(1, "wax"), 1.1)
        self.assertAlmostEqual(scattering_of(1, "pastel"), 4.4)

    def test_gpl(self):
        kit = parse_gpl("GIMP Palette\nName: x\n#\n 12 200  90\tGrass\n255 255 255\n", "p")
        self.assertEqual([p.hex for p in kit], ["#0cc85a", "#ffffff"])
        self.assertEqual([p.hex for p in parse_gpl(kit_gpl(kit), "p")], ["#0cc85a", "#ffffff"])

    def test_faults_name_file_line_and_reason(self):
        cases = {
            "code,name\n1,x\n": "hex is missing",
            HEAD + "\n1,Red,#zz0000\n": "line 2",
            HEAD + "\n1,Red,#aa0000,very\n": "not a number",
            HEAD + "\n1,Red,#aa0000,1.5\n": "outside 0–1",
            HEAD + "\n1,Red,#aa0000,.5,9\n": "outside 1–5",
            HEAD + "\n1,Red,#aa0000,.5,2,egg\n": "egg",
            HEAD + "\n1,Red,#aa0000,.5,2,oil,.5,perhaps\n": "neither yes nor no",
            HEAD + "\n1,Red,#aa0000\n1,Blue,#0000aa\n": "stands twice",
            HEAD + "\n1,Red,#aa0000,.5,2,oil,.5,yes,extra\n": "more fields",
            HEAD + "\n": "no pencils",
            "": "missing",
        }
        with tempfile.TemporaryDirectory() as folder:
            for text, reason in cases.items():
                path = Path(folder) / "kit.csv"
                path.write_text(text, "utf-8")
                with self.assertRaises(KitFault) as caught:
                    read_kit(path)
                self.assertIn("kit.csv", str(caught.exception))
                self.assertIn(reason, str(caught.exception))
            path.write_bytes(b"\xff\xfe\x00code")
            with self.assertRaises(KitFault):
                read_kit(path)
            with self.assertRaises(KitFault):
                read_kit(Path(folder) / "none.csv")
