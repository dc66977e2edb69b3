"""What is said of a recipe's layers, and what would bring an unreachable colour within reach."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import lab_hex
from hanabira.core.optics.kit import Kit, Pencil
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import bare, predict
from hanabira.core.solver.place_words import joined, places_in_words, role_of, run_in_words, run_of
from hanabira.core.solver.reach_help import missing_pencil, other_paper
from hanabira.craft.supplies import paper, papers, shipped_kit

BLUE, BROWN, OCHRE = (np.array(q, float) for q in ((40, 5, -45), (35, 15, 25), (65, 15, 55)))
GREY = np.array([50.0, 0.5, 1.0])


class Roles(unittest.TestCase):
    def role(self, covered, pencil=BROWN, target=BROWN, before=70.0, after=50.0, below=(), above=(), opaque=False) -> str:
        lab = lambda v: np.array([v, 5.0, 10.0])  # noqa: E731
        return role_of(covered, np.asarray(pencil), np.asarray(target), lab(before), lab(after), set(below), set(above), opaque)

    def test_each_role_has_its_case(self):
        for wanted, told in (
            ("outline", self.role(["edge"])),
            ("light hair", self.role(["light"], opaque=True)),
            ("highlight", self.role(["highlight"], opaque=True)),
            ("glaze", self.role(["highlight"], below=["highlight"])),
            ("general", self.role(["highlight"])),
            ("undertone", self.role(["general"], pencil=BLUE, target=OCHRE, above=["general"])),
            ("ground", self.role(["general"], pencil=OCHRE, target=BROWN, above=["general"])),
            ("general", self.role(["general"])),
            ("glaze", self.role(["general"], pencil=BLUE, target=OCHRE, before=50, after=45, below=["general"])),
            ("deepen", self.role(["general"], pencil=BLUE, target=OCHRE, before=50, after=38, below=["general"])),
            ("gap", self.role(["gap"], below=["gap"], before=30, after=25)),
            ("gap", self.role(["gap"], below=["gap"])),
            ("gap", self.role(["gap", "nostril"], below=["gap"])),
            ("deepen", self.role(["general", "gap"], below=["general"])),
            ("glaze", self.role(["general"], before=50, after=49, below=["general"])),
        ):
            self.assertEqual(told, wanted)

    def test_a_pale_or_a_neutral_pencil_turns_nothing(self):
        self.assertEqual(self.role(["general"], pencil=(80, 3, -3), target=OCHRE, above=["general"]), "ground")
        self.assertEqual(self.role(["general"], pencil=BROWN, target=GREY, above=["general"]), "undertone", "colour under a grey turns it")


class Sentences(unittest.TestCase):
    NAMES = {k: k for k in ("gap", "general", "light", "highlight")}

    def test_places_as_a_hand_would_be_told(self):
        self.assertEqual(places_in_words(tuple(self.NAMES), self.NAMES), "everywhere")
        self.assertEqual(places_in_words(("gap", "general"), self.NAMES), "everywhere but the light and highlight")
        self.assertEqual(places_in_words(("gap",), self.NAMES), "gap")
        self.assertEqual(places_in_words(("light", "gap"), {"gap": "gap", "light": "lid"}), "everywhere")
        self.assertEqual(joined(["a", "b", "c"]), "a, b and c")

    @given(st.lists(st.sampled_from(["", "203", "401"]), min_size=1, max_size=9), st.data())
    @settings(max_examples=80)
    def test_a_run_is_as_long_as_the_pencil_stays_and_no_longer(self, codes, data):
        at = data.draw(st.integers(0, len(codes) - 1))
        low, high = run_of(codes, at)
        self.assertTrue(low <= at <= high)
        if not codes[at]:
            self.assertEqual((low, high), (at, at))
            return
        self.assertEqual(set(codes[low : high + 1]), {codes[at]})
        self.assertTrue(low == 0 or codes[low - 1] != codes[at])
        self.assertTrue(high == len(codes) - 1 or codes[high + 1] != codes[at])

    def test_layers_of_one_pencil_read_as_one_sentence(self):
        self.assertEqual(run_in_words(("gap",), (1,)), "gap")
        self.assertIn("again, twice: gap", run_in_words(("everywhere", "gap"), (1, 2)))


class Reach(unittest.TestCase):
    def test_a_pencil_as_described_brings_the_colour_as_near_as_promised(self):
        """The promise is kept by the exact film, with that pencil in the drawer."""
        kit, on = shipped_kit(), paper("hotpress")
        for target in (np.array([45.0, -30, -20]), np.array([70.0, 40, 45]), np.array([30.0, 30, -40])):
            found = missing_pencil(on, kit, target)
            mine = Kit("Drawer", (*kit, Pencil("NEW", "New one", lab_hex(found.lab), opacity=0.45)))
            stacks = [[Pass("NEW", pressure, passes)] for pressure in (1, 3, 5) for passes in (1, 2, 3)]
            near = min(float(delta_e00(predict(on, mine, stack)[-1].lab, target)) for stack in stacks)
            self.assertLess(near, found.delta_e00 + 1.0)
            self.assertIn(lab_hex(found.lab), found.words)

    def test_on_paper_a_masstone_is_darker_and_stronger_than_what_it_leaves(self):
        found = missing_pencil(paper("hotpress"), shipped_kit(), np.array([75.0, 15, 30]))
        self.assertLessEqual(found.lab[0], 75.0)
        self.assertGreaterEqual(float(np.hypot(*found.lab[1:])), float(np.hypot(15, 30)) - 0.5)

    def test_on_dark_paper_a_pale_target_needs_a_covering_pencil(self):
        dark = min(papers().values(), key=lambda p: bare(p).lab[0])
        self.assertLess(bare(dark).lab[0], 45, "a dark paper ships")
        found = missing_pencil(dark, shipped_kit(), np.array([60.0, 5, 20]))
        self.assertGreaterEqual(found.lab[0], 59.5, "what lies over dark paper must be lighter than it shall look")
        self.assertLess(found.delta_e00, 8)

    def test_another_paper_is_named_only_where_room_is_what_is_missing(self):
        every = tuple(papers().values())
        smooth = min(every, key=lambda p: p.cap)
        self.assertEqual(other_paper(smooth, every, 0.4, False), "")
        for tooth, light in ((0.95, False), (0.4, True)):
            told = other_paper(smooth, every, tooth, light)
            named = [p for p in every if p.name in told]
            self.assertTrue(named and all(p.cap > 1.15 * smooth.cap for p in named), told)
        told = other_paper(smooth, every, 0.95, False)
        named = next(p for p in every if p.name in told)
        self.assertIn(f"{named.cap / smooth.cap:.1f}", told)
        for q in every:  # a dark paper is no cure for a light one, nor the other way round
            for other in every:
                if other.name in other_paper(q, (other,), 0.95, False):
                    self.assertEqual(bare(q).lab[0] > 60, bare(other).lab[0] > 60)
        roomiest = max(every, key=lambda p: p.cap)
        self.assertEqual(other_paper(roomiest, every, 0.95, True), "")


if __name__ == "__main__":
    unittest.main()
