"""Fitting to swatches, held against papers and pencils of another physics (devices.simulated_paper)."""

import io
import json
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from functools import cache
from pathlib import Path

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import lab_hex
from hanabira.core.faults import KitFault
from hanabira.core.optics.fit import MeasuredPatch, expected_error, fit_kit, hand_and_paper
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import bare, predict
from hanabira.core.optics.tooth import STANDARD_PRESSURES
from hanabira.core.solver.library import build
from hanabira.core.solver.search import solve
from hanabira.core.solver.target import reach
from hanabira.core.swatch.layout import chip_page
from hanabira.craft.kitfile import kit_csv, parse_csv
from hanabira.craft.supplies import paper, paper_for, shipped_kit
from hanabira.craft.swatchfile import cgats_text, parse_stack, read_swatches, stack_text, swatches_csv
from hanabira.devices.simulated_paper import TRUTHS, SimulatedSheet, Truth
from hanabira.terminal.commands import main

KIT, BASE = shipped_kit(), paper("hotpress")
CODES = [p.code for p in KIT][::2]
PATCHES = ((1, 1, "white"), (3, 1, "white"), (5, 2, "white"), (5, 2, "black"))


def swatch(sheet: SimulatedSheet, stack, ground: str, rng, noise: float = 0.35) -> MeasuredPatch:
    lab = sheet.lay(stack, ground, rng) + rng.normal(0, noise, 3)
    return MeasuredPatch(tuple(stack), tuple(sheet.ground_lab(ground)), tuple(lab))


@cache
def swatches(truth: Truth, patches: int = 4, chips: bool = True) -> tuple[MeasuredPatch, ...]:
    sheet, rng = SimulatedSheet(KIT, truth), np.random.default_rng(7)
    use = PATCHES if patches == 4 else PATCHES[2 : 2 + patches]
    out = [swatch(sheet, (Pass(c, p, n),), g, rng) for c in CODES for p, n, g in use]
    if chips:
        out += [swatch(sheet, c.layers, "white", rng) for c in chip_page(KIT, CODES, count=30).cells]
    return tuple(out)


@cache
def fitted(truth: Truth, patches: int = 4, chips: bool = True):
    return fit_kit(swatches(truth, patches, chips), BASE, KIT)


def unseen(truth: Truth, kit: Kit, layers: int, n: int = 70, ground: str = "white", seed: int = 99) -> np.ndarray:
    """ΔE00 between prediction and truth on stacks that no swatch showed."""
    sheet, rng, out = SimulatedSheet(KIT, truth), np.random.default_rng(seed), []
    on = paper_for(kit, BASE, lab_hex(sheet.ground_lab(ground)))
    for _ in range(n):
        codes = sorted(rng.choice(CODES, layers, replace=False), key=lambda c: -KIT.get(str(c)).lab[0])
        stack = [Pass(str(c), int(p)) for c, p in zip(codes, sorted(rng.choice([1, 3, 5], layers)), strict=True)]
        out.append(float(delta_e00(predict(on, kit, stack)[-1].lab, sheet.lay(stack, ground))))
    return np.array(out)


class AgainstAnotherPhysics(unittest.TestCase):
    def test_swatches_are_met(self):
        for truth in TRUTHS:
            f = fitted(truth)
            self.assertTrue(f.paper_fitted)
            self.assertLess(f.median, 1.0)
            self.assertLess(f.p95, 2.6)

    def test_unseen_stacks(self):
        for truth in TRUTHS:
            two, three = unseen(truth, fitted(truth).kit, 2), unseen(truth, fitted(truth).kit, 3)
            self.assertLess(np.median(two), 3.0)
            self.assertLess(np.median(three), 3.5)
            self.assertLess(np.percentile(np.concatenate([two, three]), 95), 11)

    def test_black_card_needs_its_patch_and_then_works(self):
        with_patch = np.median(unseen(TRUTHS[0], fitted(TRUTHS[0]).kit, 1, 40, "black"))
        self.assertLess(with_patch, 4.5)

    def test_unfitted_kits_are_worse_and_say_so(self):
        truth = TRUTHS[1]
        blind = np.median(unseen(truth, KIT, 2))
        one = fitted(truth, 1, False)
        sparse, full = np.median(unseen(truth, one.kit, 2)), np.median(unseen(truth, fitted(truth).kit, 2))
        self.assertLess(full, 0.6 * sparse)
        self.assertLess(full, 0.6 * blind)
        told_one, told_full = one.kit.pencils[0].spread_de, fitted(truth).kit.pencils[0].spread_de
        self.assertGreater(told_one, 2 * told_full)
        self.assertLess(abs(np.log(sparse / told_one)), np.log(2))
        self.assertLess(abs(np.log(full / told_full)), np.log(2))
        self.assertGreater(expected_error(0, 0), expected_error(4, 0))

    def test_planned_stacks_beat_single_pencils_in_the_truth(self):
        """End to end: plan on the fitted kit and lay it in the other physics; the best single pencil is laid there too."""
        for truth, most in zip(TRUTHS, (0.65, 0.65, 0.85), strict=True):
            kit, sheet = fitted(truth).kit, SimulatedSheet(KIT, truth)
            on = paper_for(kit, BASE)
            library, limits = build(kit, on), reach(kit, on)
            rng = np.random.default_rng(4)
            planned, single = [], []
            for _ in range(30):
                target = limits.paper_target([rng.uniform(25, 80), rng.uniform(-5, 25), rng.uniform(-8, 40)])
                for passes, out in ((3, planned), (1, single)):
                    out.append(float(delta_e00(sheet.lay(solve(kit, on, library, target, passes).best.layers), target)))
            self.assertLess(np.median(planned), most * np.median(single))


class Figures(unittest.TestCase):
    def test_zero_is_the_standard_hand(self):
        hand, on = hand_and_paper(np.zeros(11), BASE)
        np.testing.assert_allclose(hand.deposit, STANDARD_PRESSURES.deposit)
        np.testing.assert_allclose(hand.reach, STANDARD_PRESSURES.reach)
        self.assertEqual(on, BASE)

    def test_own_model_is_recovered(self):
        """Swatches made by the film model itself come back almost without error."""
        small = KIT.subset(["203", "229", "309", "401", "501", "104"])
        rows = [(Pass(p.code, q, n),) for p in small for q, n in ((1, 1), (3, 1), (5, 2))]
        rows += [(Pass("203", 5), Pass("309", 5)), (Pass("229", 1), Pass("401", 3)), (Pass("104", 5), Pass("501", 5))]
        white = tuple(bare(BASE).lab)
        data = [MeasuredPatch(r, white, tuple(predict(BASE, small, r)[-1].lab)) for r in rows]
        f = fit_kit(data, BASE)
        self.assertLess(f.median, 0.25)
        self.assertEqual({p.code for p in f.kit}, {p.code for p in small})

    def test_nothing_to_fit(self):
        with self.assertRaises(KitFault):
            fit_kit([], BASE)


class Files(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.folder = Path(temp.name)

    def rows(self, truth=TRUTHS[0]):
        sheet = SimulatedSheet(KIT, truth)
        bare_rows = [("", g, tuple(sheet.ground_lab(g))) for g in ("white", "black")]
        grounds = {tuple(sheet.ground_lab(g)): g for g in ("white", "black")}
        return bare_rows + [(stack_text(s.layers), grounds[s.ground_lab], s.lab) for s in swatches(truth)]

    def cli(self, *args: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            code = main(args)
        return code, out.getvalue(), err.getvalue()

    def test_calibrate_then_predict(self):
        source, target = self.folder / "s.csv", self.folder / "kit.csv"
        source.write_text(swatches_csv(self.rows()))
        code, out, err = self.cli("calibrate", str(source), "--out", str(target), "--json")
        self.assertEqual((code, err), (0, ""))
        told = json.loads(out)
        self.assertEqual(set(told), {"pencils", "fit_de00", "paper_fitted"})
        self.assertEqual((told["pencils"], told["paper_fitted"]), (len(CODES), True))
        self.assertLess(told["fit_de00"]["median"], 1.3)
        sheet, rng, off = SimulatedSheet(KIT, TRUTHS[0]), np.random.default_rng(3), []
        for _ in range(8):
            codes = sorted(map(str, rng.choice(CODES, 2, replace=False)), key=lambda c: -KIT.get(c).lab[0])
            stack = [Pass(codes[0], 3), Pass(codes[1], 3)]
            layers = [x for q in stack for x in ("--layer", f"{q.code}:{q.pressure}:{q.passes}")]
            d = json.loads(self.cli("predict", "--paper", "hotpress", "--kit", str(target), *layers, "--json")[1])
            off.append(float(delta_e00(d["layers"][-1]["lab_after"], sheet.lay(stack))))
        self.assertLess(np.median(off), 3.0)
        r = json.loads(self.cli("recipe", "--target", "#8c5a2f", "--kit", str(target), "--json")[1])
        self.assertLess(r["recipes"][0]["expected_de00"], 4)

    def test_a_fitted_kit_file_keeps_its_figures(self):
        kit = fitted(TRUTHS[0]).kit
        again = parse_csv(kit_csv(kit), kit.name)
        np.testing.assert_allclose(again.masstones, kit.masstones, atol=1e-5)
        np.testing.assert_allclose(again.film.scattering, kit.film.scattering, rtol=1e-3)
        np.testing.assert_allclose(again.hand.deposit, kit.hand.deposit, atol=1e-5)
        self.assertAlmostEqual(again.fit.cap, kit.fit.cap, places=4)
        self.assertEqual(again.get(CODES[0]).name, KIT.get(CODES[0]).name)

    def test_cgats_and_csv_say_the_same(self):
        rows = self.rows()[:30]
        (self.folder / "a.csv").write_text(swatches_csv(rows))
        (self.folder / "a.txt").write_text(cgats_text(rows))
        self.assertEqual(read_swatches(self.folder / "a.csv"), read_swatches(self.folder / "a.txt"))
        self.assertEqual(parse_stack(stack_text(parse_stack("203:1:2+401:5"))), (Pass("203", 1, 2), Pass("401", 5, 1)))

    def test_faults_name_file_and_line(self):
        head = "stack,ground,L,a,b\n"
        for text, reason in {
            "stack,L,a,b\n": "ground is missing",
            head + "203:9:1,white,50,0,0\n": "line 2",
            head + "203,white,50,0,0\n": "CODE:PRESSURE:PASSES",
            head + "203:1:1,pink,50,0,0\n": "neither white",
            head + "203:1:1,white,x,0,0\n": "must be numbers",
            head + "203:1:1,white,500,0,0\n": "no Lab",
            head + ",white,95,0,0\n": "no row with a stack",
            "BEGIN_DATA_FORMAT\nSAMPLE_ID\nEND_DATA_FORMAT\nBEGIN_DATA\n1\nEND_DATA\n": "SAMPLE_NAME",
        }.items():
            path = self.folder / "bad.csv"
            path.write_text(text)
            code, out, err = self.cli("calibrate", str(path), "--out", str(self.folder / "k.csv"))
            self.assertEqual((code, out), (2, ""), text)
            self.assertIn(reason, err)
            self.assertIn("bad.csv", err)
        self.assertFalse((self.folder / "k.csv").exists())
