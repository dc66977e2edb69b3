"""The simulated paper's own physics: what lies there, and what tools take off again."""

import unittest

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.optics.passes import Pass
from hanabira.craft.supplies import shipped_kit
from hanabira.devices.simulated_paper import TRUTHS, SimulatedSheet


class SimulatedPaperTest(unittest.TestCase):
    def setUp(self) -> None:
        self.kit = shipped_kit()
        dark = sorted(self.kit, key=lambda p: p.lab[0])
        self.stack = [Pass(dark[0].code, 3, 2)]

    def _l(self, sim: SimulatedSheet, *tools: Pass, ground: str = "white") -> float:
        return float(sim.lay([*self.stack, *tools], ground)[0])

    def test_each_dab_lightens_and_erasing_comes_near_the_paper(self) -> None:
        for truth in TRUTHS:
            sim = SimulatedSheet(self.kit, truth)
            laid, paper = self._l(sim), float(sim.ground_lab("white")[0])
            dabs = [self._l(sim, Pass(tool="lift", passes=n)) for n in (1, 2, 3)]
            with self.subTest(seed=truth.seed):
                self.assertLess(laid + 1, dabs[0])
                self.assertLess(dabs[0] + 1, dabs[1])
                self.assertLess(dabs[1] + 1, dabs[2])
                erased = self._l(sim, Pass(tool="erase"))
                self.assertGreater(erased, dabs[2])
                self.assertGreater((erased - laid) / (paper - laid), 0.4, "most of the way back")
                self.assertLess(erased, paper - 1, "pigment in the hollows stays")

    def test_other_tools_leave_no_trace_and_draw_no_chance(self) -> None:
        sim = SimulatedSheet(self.kit)
        plain = sim.lay(self.stack, "white", np.random.default_rng(3))
        for tool in ("solvent", "stump", "indent", "reserve"):
            with self.subTest(tool=tool):
                self.assertTrue(np.array_equal(sim.lay([*self.stack, Pass(tool=tool)], "white", np.random.default_rng(3)), plain))

    def test_no_two_dabs_are_alike(self) -> None:
        sim, lift = SimulatedSheet(self.kit), Pass(tool="lift", passes=2)
        hand = np.random.default_rng(1)
        seen = [sim.lay([*self.stack, lift], "white", hand) for _ in range(12)]
        self.assertGreater(float(np.std([v[0] for v in seen])), 0.2)

    def test_what_was_laid_on_a_lifted_place_holds(self) -> None:
        sim = SimulatedSheet(self.kit)
        again = sim.lay([*self.stack, Pass(tool="erase"), *self.stack])
        self.assertLess(float(delta_e00(again, sim.lay(self.stack))), 6)


if __name__ == "__main__":
    unittest.main()
