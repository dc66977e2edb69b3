"""The film model against the design's vectors, its limits and what every pencil must do."""

import json
import unittest
from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import chroma, hue_deg, lch_to_lab, parse_hex, srgb_to_lab, srgb_to_xyz
from hanabira.core.faults import KitFault, RecipeFault
from hanabira.core.optics.bands import FINE_XYZ, NODES_NM, _smoothest, colour_to_reflectance, reflectance_to_lab, reflectance_to_xyz
from hanabira.core.optics.film import film_of, over, reflect_transmit
from hanabira.core.optics.kit import Kit, Pencil
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import bare, lay, predict, use_tool, wet
from hanabira.core.optics.tools import TOOLS
from hanabira.core.optics.tooth import Tooth, lay_pass, tooth_used
from hanabira.craft.supplies import paper, papers, shipped_kit

VECTORS = json.loads((Path(__file__).parent.parent / "data" / "optics_vectors.json").read_text())
LEVEL = {"light": 1, "medium": 3, "heavy": 5}


def film(hex_: str, scattering: float):
    return film_of(colour_to_reflectance(srgb_to_xyz(parse_hex(hex_)))[0], scattering)


def kit_of(*rows) -> Kit:
    return Kit("test", tuple(Pencil(str(i), f"P{i}", h, strength=s) for i, (h, s) in enumerate(rows)))


class Vectors(unittest.TestCase):
    def test_upsampling(self):
        for v in VECTORS["upsampling"]:
            got = colour_to_reflectance(srgb_to_xyz(parse_hex(v["hex"])))[0]
            np.testing.assert_allclose(got, v["bands"], atol=0.004, err_msg=v["hex"])

    def test_56_stacks(self):
        off, tooth = [], []
        for stack in VECTORS["stacks"]:
            spot = bare(paper(stack["paper"], stack["paper_hex"]))
            for layer, after in zip(stack["layers"], stack["after"], strict=True):
                spot = (
                    use_tool(spot, layer)
                    if isinstance(layer, str)
                    else lay(spot, film(layer["hex"], layer["scattering"]), LEVEL[layer["pressure"]])
                )
                off.append(float(delta_e00(spot.lab, after["lab"])))
                tooth.append(abs(spot.used - after["tooth_used"]))
        self.assertEqual(len(VECTORS["stacks"]), 56)
        self.assertLess(np.percentile(off, 95), 0.1)
        self.assertLess(max(off), 0.2)
        self.assertLess(max(tooth), 1e-4)


class Spectra(unittest.TestCase):
    def test_colour_survives_the_way_to_bands_and_back(self):
        labs = np.array([lch_to_lab(l, c, h) for l in (25, 50, 75) for c in (0, 20, 35) for h in range(0, 360, 45)])
        from hanabira.core.colour.spaces import lab_to_xyz

        bands = colour_to_reflectance(lab_to_xyz(labs))
        self.assertTrue(((bands > 0) & (bands < 1)).all())
        off = delta_e00(reflectance_to_lab(bands), labs)
        self.assertLess(np.percentile(off, 95), 0.01)

    def test_eight_bands_agree_with_thirty_six(self):
        """Stacks of two films in 36 bands against the same in eight: the coarser spectrum must not show."""
        rng = np.random.default_rng(4)
        labs = np.column_stack([rng.uniform(20, 85, 60), rng.uniform(-20, 35, 60), rng.uniform(-30, 45, 60)])
        from hanabira.core.colour.spaces import lab_to_xyz, xyz_to_lab

        fine, ok = _smoothest(lab_to_xyz(labs), 60)
        fine = fine[ok]
        at = (NODES_NM - 380) // 10
        off = []
        for a, b in zip(fine[:-1:2], fine[1::2], strict=False):
            full, few = np.full(36, 0.85), np.full(8, 0.85)
            for r in (a, b):
                for t, s in ((0.3, 0.6),):
                    full = over(*reflect_transmit(film_of(r, s), t), full)
                    few = over(*reflect_transmit(film_of(r[at], s), t), few)
            off.append(float(delta_e00(xyz_to_lab(full @ FINE_XYZ), xyz_to_lab(reflectance_to_xyz(few)))))
        self.assertLess(np.percentile(off, 95), 0.35)
        self.assertLess(np.median(off), 0.1)

    def test_white_is_white(self):
        np.testing.assert_allclose(reflectance_to_lab(np.ones(8)), [100, 0, 0], atol=1e-3)


class Limits(unittest.TestCase):
    def test_no_layer_is_the_paper(self):
        for p in papers().values():
            np.testing.assert_allclose(bare(p).lab, srgb_to_lab(parse_hex(p.ground_hex)), atol=0.02)
            self.assertEqual(bare(p).used, 0)

    def test_no_thickness_changes_nothing_and_endless_thickness_is_the_masstone(self):
        f = film("#6b5538", 0.5)
        ground = np.full(8, 0.6)
        np.testing.assert_allclose(over(*reflect_transmit(f, 1e-12), ground), ground, atol=1e-6)
        masstone = colour_to_reflectance(srgb_to_xyz(parse_hex("#6b5538")))[0]
        np.testing.assert_allclose(over(*reflect_transmit(f, 1e4), ground), masstone, atol=1e-6)

    def test_film_formula_against_the_hyperbolic_form(self):
        """Kubelka's own form with coth, written independently of the code."""
        k, s, t, rg = 0.7, 0.9, 0.45, 0.8
        a = 1 + k / s
        b = np.sqrt(a * a - 1)
        coth = 1 / np.tanh(b * s * t)
        expected = (1 - rg * (a - b * coth)) / (a - rg + b * coth)
        from hanabira.core.optics.film import Film

        got = over(*reflect_transmit(Film(np.array([k]), np.array([s])), t), np.array([rg]))
        self.assertAlmostEqual(float(got[0]), expected, places=12)

    @settings(max_examples=40)
    @given(st.sampled_from(sorted(papers())), st.lists(st.tuples(st.integers(0, 71), st.integers(1, 5)), min_size=1, max_size=9))
    def test_bounds(self, paper_id, layers):
        kit = shipped_kit()
        passes = [Pass(kit.pencils[i].code, q) for i, q in layers]
        used = 0.0
        for spot in predict(paper(paper_id), kit, passes):
            self.assertTrue(np.isfinite(spot.lab).all())
            self.assertTrue(((spot.zones >= 0) & (spot.zones <= 1)).all())
            self.assertTrue(0 <= spot.used <= 1)
            self.assertGreaterEqual(spot.used, used - 1e-12)
            used = spot.used


class Behaviour(unittest.TestCase):
    def test_y_falls_with_pressure_for_every_pencil(self):
        kit, on = shipped_kit(), paper("hotpress")
        for p in kit:
            if p.lab[0] < 90:
                values = [predict(on, kit, [Pass(p.code, q)])[-1].lab[0] for q in range(1, 6)]
                self.assertEqual(values, sorted(values, reverse=True), p.name)

    @settings(max_examples=30)
    @given(st.integers(0, 71), st.sampled_from(("bristol", "hotpress", "vellum", "film")), st.integers(1, 4), st.integers(1, 4))
    def test_more_passes_and_more_pressure_never_visibly_lighten_a_dark_pencil(self, i, paper_id, pressure, passes):
        """Heavy strokes crush the tooth, so later passes hold less: where the tooth is full that may cost 0.13 of L*, which no eye sees."""
        kit, on = shipped_kit(), paper(paper_id)
        p = kit.pencils[i]
        if p.lab[0] > 60:
            return
        less = predict(on, kit, [Pass(p.code, pressure, passes)])[-1].lab[0]
        self.assertLessEqual(predict(on, kit, [Pass(p.code, pressure + 1, passes)])[-1].lab[0], less + (1e-6 if passes == 1 else 0.2))
        self.assertLessEqual(predict(on, kit, [Pass(p.code, pressure, passes + 1)])[-1].lab[0], less + 1e-6)

    def test_blue_over_yellow_is_green(self):
        kit = kit_of(("#f2c81e", 0.65), ("#2b3f94", 0.35))
        lab = predict(paper("hotpress"), kit, [Pass("0", 5), Pass("1", 3)])[-1].lab
        self.assertTrue(105 <= float(hue_deg(lab)) <= 150, hue_deg(lab))
        self.assertGreater(float(chroma(lab)), 40)

    def test_bluish_black_over_marigold_goes_olive_and_a_dark_red_between_keeps_it_warm(self):
        kit = kit_of(("#e09a1a", 0.55), ("#20262b", 0.6), ("#5c1f1c", 0.45))
        on = paper("hotpress")
        plain = predict(on, kit, [Pass("0", 3, 2), Pass("1", 3)])
        warm = predict(on, kit, [Pass("0", 3, 2), Pass("2", 1), Pass("1", 3)])
        self.assertGreater(float(hue_deg(plain[-1].lab)), 80)
        self.assertLess(plain[-1].lab[0], plain[0].lab[0] - 15)
        self.assertLess(float(hue_deg(warm[-1].lab)), float(hue_deg(plain[-1].lab)) - 10)

    def test_black_in_rose_loses_chroma_and_violet_dulls_tangerine(self):
        on = paper("hotpress")
        for under, over_, share in ((("#d9748c", 0.55), ("#262626", 0.6), 0.6), (("#f07d1e", 0.45), ("#5b3f86", 0.3), 0.8)):
            spots = predict(on, kit_of(under, over_), [Pass("0", 5), Pass("1", 3)])
            self.assertLess(float(chroma(spots[1].lab)), share * float(chroma(spots[0].lab)))

    def test_white_over_colour_lightens_and_goes_chalky(self):
        spots = predict(paper("hotpress"), kit_of(("#a8452c", 0.45), ("#fbfbf8", 1.1)), [Pass("0", 3, 1), Pass("1", 5)])
        self.assertGreater(spots[1].lab[0], spots[0].lab[0] + 3)
        self.assertLess(float(chroma(spots[1].lab)), 0.85 * float(chroma(spots[0].lab)))

    def test_white_on_black_card(self):
        on = paper("blackcard")
        pencil = predict(on, kit_of(("#fbfbf8", 1.1)), [Pass("0", 3)])[-1].lab[0] - bare(on).lab[0]
        pastel = predict(paper("sanded", "#242325"), kit_of(("#fbfbf8", 4.4)), [Pass("0", 3)])[-1].lab[0] - bare(on).lab[0]
        self.assertTrue(30 < pencil < 45, pencil)
        self.assertTrue(50 < pastel < 65, pastel)

    def test_tools(self):
        kit, on = shipped_kit(), paper("hotpress")
        before = predict(on, kit, [Pass("203", 3, 3), Pass("229", 3)])[-1]
        after = {t: use_tool(before, t) for t in TOOLS}
        self.assertEqual(after["indent"], before)
        self.assertLess(after["solvent"].used, before.used)
        one = predict(on, kit, [Pass("229", 1)])[-1]
        self.assertLess(use_tool(one, "solvent").lab[0], one.lab[0] - 2)
        self.assertGreaterEqual(after["stump"].used, before.used)
        for t in ("lift", "erase", "scrape"):
            self.assertGreater(after[t].lab[0], before.lab[0])
            self.assertLess(after[t].used, before.used)
        self.assertGreater(after["erase"].lab[0], after["lift"].lab[0])
        with self.assertRaises(RecipeFault):
            use_tool(before, "hammer")

    @given(st.lists(st.tuples(st.integers(0, 71), st.integers(1, 5), st.integers(1, 2)), min_size=1, max_size=5))
    @settings(max_examples=60)
    def test_solvent_never_lightens_what_is_darker_than_its_paper(self, stack):
        kit, on = shipped_kit(), paper("hotpress")
        before = predict(on, kit, [Pass(kit.pencils[i].code, q, n) for i, q, n in stack])[-1]
        after = use_tool(before, "solvent")
        if before.lab[0] < bare(on).lab[0] - 0.2:
            self.assertLessEqual(after.lab[0], before.lab[0] + 1e-6)
        self.assertTrue((after.zones >= 0).all() and (after.zones <= 1).all())

    def test_a_heavy_black_over_pale_layers_comes_out_deeper(self):
        kit, on = shipped_kit(), paper("hotpress")
        white, black = kit.get("104").code, kit.get("401").code
        before = predict(on, kit, [Pass(white, 5, 2), Pass(black, 5, 2)])[-1]
        self.assertLess(use_tool(before, "solvent").lab[0], before.lab[0])

    def test_wet_is_darker_than_dry_as_the_light_goes_round_in_the_liquid(self):
        """Light that is thrown back at the liquid's surface, a share 1 − 1/n² each time, summed step by step."""
        for n in (1.33, 1.44):
            for dry in (0.05, 0.3, 0.9):
                out, inside = 0.0, dry
                for _ in range(2000):
                    out += inside / n**2
                    inside *= (1 - 1 / n**2) * dry
                self.assertAlmostEqual(float(wet(np.array(dry), n)), out, places=9)
        np.testing.assert_allclose(wet(np.array([0.0, 1.0])), [0.0, 1.0])
        spot = predict(paper("hotpress"), shipped_kit(), [Pass("229", 3, 2)])[-1]
        self.assertLess(reflectance_to_lab(wet(spot.reflectance))[0], spot.lab[0] - 3)

    def test_tooth_fills_sooner_on_smooth_paper(self):
        def share(paper_id: str) -> float:
            tooth = Tooth.fresh()
            for _ in range(3):
                *_, tooth = lay_pass(paper(paper_id), tooth, 3)
            return tooth_used(paper(paper_id), tooth)

        order = [share(p) for p in ("film", "bristol", "hotpress", "vellum", "sanded")]
        self.assertEqual(order, sorted(order, reverse=True))
        with self.assertRaises(KitFault):
            lay_pass(paper("film"), Tooth.fresh(), 6)
