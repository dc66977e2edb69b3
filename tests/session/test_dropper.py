"""A touched spot: what it is, against what lies round it, and what gives it on paper."""

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import srgb_to_lab
from hanabira.core.optics.stack import predict
from hanabira.core.solver.two_layers import best_two
from hanabira.craft.supplies import paper, shipped_kit
from tests.session.test_session import Case


class Dropper(Case):
    def test_a_spot_is_told_with_its_surround_and_a_stack_that_gives_it(self):
        pixels = self.session.view.pixels
        pixels[144:156, 124:136] = (40, 70, 140)
        self.session.dropper.touch(130, 150)
        spot = self.session.dropper.last
        np.testing.assert_allclose(spot.lab, srgb_to_lab(np.array([40, 70, 140]) / 255), atol=0.6)
        self.assertGreater(np.linalg.norm(spot.lab - spot.around), 20)
        said = self.said[-1].what
        self.assertIn(f"L* {spot.lab[0]:.0f}, step 4", said)
        self.assertIn("cool", said)
        self.assertIn("beside what lies round it", said)
        self.assertIn(f"Nearest pencil {spot.pencil} {self.session.kit.get(spot.pencil).name}", said)
        end = predict(self.session.paper, self.session.kit, spot.stack.layers)[-1].lab
        self.assertAlmostEqual(float(delta_e00(end, spot.target)), spot.stack.delta_e00, places=2)

    def test_a_burnt_spot_is_not_told_as_if_it_were_known(self):
        self.session.dropper.touch(130, 150)
        self.assertFalse(self.session.dropper.last.lost)
        self.assertNotIn("Burnt out", self.said[-1].what)
        self.session.view.pixels[130:170, 110:150] = (255, 240, 160)
        self.session.dropper.touch(130, 150)
        self.assertTrue(self.session.dropper.last.lost)
        self.assertTrue(self.said[-1].what.startswith("Burnt out or crushed: the photo does not know this spot"), self.said[-1].what)

    def test_it_can_be_kept_as_a_note_and_taken_back(self):
        self.assertFalse(self.session.dropper.keep())
        self.session.dropper.touch(130, 150)
        self.assertTrue(self.session.dropper.keep())
        self.assertIn("Nearest pencil", self.session.commission.notes)
        self.session.undo.undo()
        self.assertEqual(self.session.commission.notes, "")

    def test_outside_the_photo_nothing_is_said(self):
        before = len(self.said)
        self.session.dropper.touch(-50, 10)
        self.assertEqual((len(self.said), self.session.dropper.last), (before, None))


class TwoLayers(Case):
    def test_two_layers_beat_every_single_one_or_are_not_proposed(self):
        kit, on = shipped_kit(), paper("hotpress")
        rng = np.random.default_rng(4)
        pairs = 0
        for _ in range(6):
            wanted = np.array([rng.uniform(25, 85), rng.uniform(-15, 30), rng.uniform(-20, 40)])
            found = best_two(kit, on, wanted)
            told = predict(on, kit, found.layers)[-1].lab
            self.assertAlmostEqual(float(delta_e00(told, wanted)), found.delta_e00, places=3)
            alone = min(
                float(delta_e00(predict(on, kit, [type(found.layers[0])(p.code, q)])[-1].lab, wanted)) for p in kit for q in range(1, 6)
            )
            self.assertLessEqual(found.delta_e00, alone + 1e-6)
            pairs += len(found.layers) == 2
        self.assertGreaterEqual(pairs, 3)
