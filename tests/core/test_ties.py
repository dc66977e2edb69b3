"""What lies beside an area: the eye's colour comes back round it, and two areas that hardly differ have a pencil in common where they meet."""

import unittest
from dataclasses import replace

import numpy as np

from hanabira.core.colour.spaces import chroma
from hanabira.core.places.place import Place
from hanabira.core.solver.form import Tie
from hanabira.core.solver.layer import Layer
from hanabira.craft.hand import form_rules
from hanabira.craft.rules import school
from hanabira.craft.supplies import paper, shipped_kit
from hanabira.studio.beside import EYE_C, marks, ties_of
from hanabira.studio.records import Area
from tests.recipes import by_hand, plan

KIT, ON = shipped_kit(), paper("hotpress")
SKIN = {"gap": (30, 8, 9), "general": (48, 12, 15), "light": (62, 11, 14), "highlight": (72, 8, 10)}
CRAFT = by_hand(blend="soft", kind="skin", school=school("pencil"))


def meeting(*codes, at="light", off=(0.0, 0.0, 0.0)):
    """A neighbour whose colour at the border is that of one of our places, or so far off it."""
    lab = tuple(float(a + b) for a, b in zip(SKIN[at], off, strict=True))
    return Tie("border", ((lab, frozenset(codes)),))


class Borders(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.plain = plan(KIT, ON, SKIN, CRAFT)
        cls.used = {q.code for q in cls.plain.layers if q.code}

    def test_the_neighbours_pencil_comes_over_the_border_where_they_meet(self):
        self.assertNotIn("211", self.used)
        found = plan(KIT, ON, SKIN, CRAFT, ties=(meeting("211"),))
        (over,) = [q for q in found.layers if q.code == "211"]
        self.assertEqual(over.on, ("light",))
        self.assertIn("neighbour" if "neighbour" in over.why else "over the border", over.why)
        self.assertNotIn("echo", over.role)
        for b, s in found.prediction.bands.items():
            self.assertLessEqual(s.delta_e00, self.plain.prediction.band(b).delta_e00 + form_rules().may_cost + 0.3, b)

    def test_colours_that_differ_have_an_edge_and_nothing_in_common(self):
        far = plan(KIT, ON, SKIN, CRAFT, ties=(meeting("211", off=(25.0, 20.0, 0.0)),))
        self.assertEqual(far.layers, self.plain.layers)

    def test_what_they_have_in_common_already_is_enough(self):
        mine = next(q.code for q in self.plain.layers if q.code and "light" in q.on)
        self.assertEqual(plan(KIT, ON, SKIN, CRAFT, ties=(meeting(mine),)).layers, self.plain.layers)

    def test_a_colour_that_costs_too_much_stays_away(self):
        self.assertFalse([q for q in plan(KIT, ON, SKIN, CRAFT, ties=(meeting("309"),)).layers if q.code == "309"], "a blue is no way over into skin")

    def test_sticks_do_it_too(self):
        sticks, sanded = shipped_kit("pastels"), paper("sanded")
        craft = replace(by_hand(kind="skin", medium="pastel", school=school("pastel")), blend="soft")
        plain = plan(sticks, sanded, SKIN, craft)
        used = {q.code for q in plain.layers if q.code}
        lab = sticks.masstone_lab
        near = [p.code for k, p in enumerate(sticks) if p.code not in used and np.linalg.norm(lab[k] - np.array(SKIN["light"])) < 16]
        self.assertTrue(near)
        found = plan(sticks, sanded, SKIN, craft, ties=(meeting(*near),))
        self.assertTrue({q.code for q in found.layers if "light" in q.on} & set(near))


class RoundEyes(unittest.TestCase):
    def test_the_iris_comes_back_as_a_veil(self):
        plain = plan(KIT, ON, SKIN, CRAFT)
        used = {q.code for q in plain.layers if q.code}
        iris = next(c for c in ("213", "215", "225") if c not in used)
        found = plan(KIT, ON, SKIN, CRAFT, ties=(Tie("eye", (((40.0, 20.0, 30.0), frozenset([iris])),)),))
        (veil,) = [q for q in found.layers if q.code == iris]
        self.assertTrue("eye" in veil.why or "iris" in veil.why, veil.why)

    def test_only_coloured_pencils_of_the_iris_count(self):
        layers = (
            Layer("ground", "423", 2, 1, "x", on=("iris outer", "pupil")), Layer("general", "207", 2, 1, "x", on=("iris outer",)),
            Layer("accent", "401", 4, 1, "x", on=("pupil",)), Layer("blend", "", 1, 1, "x", on=("iris outer",), tool="stump"),
        )  # fmt: skip
        places = tuple(Place(k, k, "part", "eye", (40.0, 10.0, 20.0), 0.3, (0, 0, 5, 5), k == "catchlight") for k in ("iris outer", "pupil", "catchlight"))
        ((lab, codes),) = marks(layers, places, KIT, True)
        self.assertEqual((lab, codes), ((40.0, 10.0, 20.0), frozenset(["207"])))
        self.assertLess(float(chroma(KIT.masstone_lab[KIT.index["423"]])), EYE_C)
        self.assertEqual({k for _lab, c in marks(layers, places, KIT, False) for k in c}, {"423", "207", "401"})


class Nearness(unittest.TestCase):
    def area(self, key, x, surface="short-fur", wide=100.0):
        return Area(key, "c", "p", 1, key, surface, ((x, 0.0), (x + wide, 0.0), (x + wide, 100.0), (x, 100.0)))

    def test_what_is_near_ties_and_what_has_an_edge_does_not(self):
        place = (Place("iris outer", "iris", "part", "eye", (40.0, 10.0, 20.0), 0.3, (0, 0, 5, 5)),)
        done = ((Layer("general", "207", 2, 1, "x", on=("iris outer",)),), place)
        eye, brow, far = self.area("eye", 0, "eye"), self.area("brow", 150), self.area("far", 700)
        cheek, nose = self.area("cheek", 254), self.area("nose", 360, "nose")
        everyone = [eye, brow, far, cheek, nose]
        planned = {a.id: done for a in everyone}
        kinds = lambda a, mm=0.5: [t.kind for t in ties_of(a, everyone, planned, KIT, mm)]  # noqa: E731
        self.assertEqual(kinds(brow), ["eye", "border"])  # 50 px from an eye of 100, 4 px (2 mm) from the cheek
        self.assertEqual(kinds(brow, 2.0), ["eye"], "4 px are 8 mm there")
        self.assertEqual(kinds(far), [])
        self.assertEqual(kinds(nose), [])
        self.assertEqual(kinds(cheek), ["border"], "the nose has an edge of its own, and the eye lies too far off")
        self.assertEqual(ties_of(brow, everyone, {}, KIT, 0.5), ())


if __name__ == "__main__":
    unittest.main()
