"""The recipe card of an area by places: read back from the PDF in millimetres, words and colours."""

import re
from dataclasses import replace

import numpy as np
import pypdf
from reportlab.pdfbase import pdfmetrics

from hanabira.core.colour.spaces import lab_to_srgb
from hanabira.core.solver.layer import Layer
from hanabira.craft.gesture_names import told_gestures
from hanabira.session.edits import Aim, SetLayers
from hanabira.session.recipe_card import card_content
from hanabira.sheets.card_places import CHIP, LADDER, MAP_H, MAP_W, RUB
from hanabira.sheets.recipe_card import write_recipe_card
from tests.session.test_session import Case
from tests.sheets.test_in_millimetres import MM, images_and_lines


def boxes(path) -> list[tuple[tuple[float, float, float], float, float, bool]]:
    """Every rectangle: its fill colour (0–1), width and height in millimetres, and whether it is filled."""
    out = []
    for page in pypdf.PdfReader(path).pages:
        fill, last = (0.0, 0.0, 0.0), None
        for operands, operator in pypdf.generic.ContentStream(page.get_contents(), page.pdf if hasattr(page, "pdf") else None).operations:
            if operator == b"rg":
                fill = tuple(float(v) for v in operands)
            elif operator == b"re":
                last = float(operands[2]) / MM, float(operands[3]) / MM
            elif operator in (b"f", b"f*", b"S", b"B", b"B*") and last is not None:
                out.append((fill, *last, operator in (b"f", b"f*")))
                last = None
    return out


def lines(path, page: int) -> list[tuple[str, float, float, float]]:
    """Every line of words of a page with its place and size in points."""
    out: list[tuple[str, float, float, float]] = []

    def keep(text, matrix, position, _font, size) -> None:  # noqa: ANN001
        if text.strip():
            out.append((text.strip("\n"), position[4], position[5], size))

    pypdf.PdfReader(path).pages[page].extract_text(visitor_text=keep)
    return out


class CardByPlaces(Case):
    def setUp(self):
        super().setUp()
        self.session.open_commission("c")
        self.session.solve("a")
        self.path = self.root / "card.pdf"
        self.card = card_content(self.session)
        write_recipe_card(self.card, self.path)
        self.words = re.sub(r"\s+", " ", " ".join(page.extract_text() for page in pypdf.PdfReader(self.path).pages))

    def test_nobody_needs_the_screen(self):
        """Every pencil, pressure, place and the whole of every reason stands on paper."""
        for n, q in enumerate(self.session.recipe_layers("a"), 1):
            self.assertIn(re.sub(r"\s+", " ", q.why), self.words, n)
            self.assertIn(f"On: {q.where}", self.words)
            if q.code:
                self.assertIn(f"{q.code} {self.session.kit.get(q.code).name}", self.words)
                self.assertIn(f"{LADDER[q.pressure - 1]}, {q.pressure} of 5", self.words)
                self.assertIn(told_gestures()[q.gesture].name, self.words)
                self.assertIn(told_gestures()[q.gesture].aim, self.words)
        for p in self.session.recipes["a"].places:
            self.assertIn(p.name, self.words)
        for name in ("side", "flick", "hatch", "circle", "squiggle", "dot"):
            self.assertIn(name, self.words)
        self.assertIn("mm apart", self.words)

    def test_a_pencil_of_many_areas_stays_in_its_column(self):
        many = tuple(replace(self.card.areas[0], number=n) for n in (1, 3, 5, 7, 9, 11, 13, 15, 17, 19, 21, 23, 25, 26, 27, 28))
        write_recipe_card(replace(self.card, areas=many), self.path)
        ends, rows = [], {}
        for words, x, y, size in lines(self.path, 0):
            found = re.fullmatch(r"(\S+) .*  \((.*)\)", words)
            if found and found[1] in self.session.kit.index:
                self.assertIn("25–28", words)
                rows.setdefault(round(y), []).append((x, x + pdfmetrics.stringWidth(words, "lato", size)))
        for places in rows.values():
            places.sort()
            ends += [b[0] - a[1] for a, b in zip(places, places[1:], strict=False)]
        self.assertTrue(ends)
        self.assertGreater(min(ends), 20, "the next column begins with a swatch of 16 points")

    def test_neighbouring_layers_of_one_pencil_read_as_one_step(self):
        ids = [p.id for p in self.session.recipes["a"].places]
        laid = [Layer("ground", "231", 2, 1, "everywhere", on=tuple(ids), why="Under all."), Layer("deepen", "231", 3, 1, "general", on=("general",), why="Deeper."),
                Layer("gap", "231", 4, 2, "gap", on=("gap",), why="Depth."), Layer("gap", "401", 4, 1, "gap", on=("gap",), why="Black.")]  # fmt: skip
        self.session.do(SetLayers(self.session, self.session.areas[0], tuple(laid), "layers", self.session.recipes["a"].places))
        write_recipe_card(card_content(self.session), self.path)
        words = re.sub(r"\s+", " ", " ".join(page.extract_text() for page in pypdf.PdfReader(self.path).pages))
        name = self.session.kit.get("231").name
        self.assertIn("Layers 1 to 3, one pencil: everywhere; again: general; again, twice: gap.", words)
        self.assertEqual(words.count(f"231 {name}"), 2)  # among the pencils to have ready, and at its first layer
        self.assertEqual(words.count("231 again"), 2)
        self.assertIn(f"401 {self.session.kit.get('401').name}", words)

    def test_the_map_keeps_its_shape_and_has_the_places_on_it(self):
        area = self.card.areas[0]
        h, w = area.map.shape[:2]
        images, _points = images_and_lines(self.path)
        _x, _y, wide, high = images[1]  # the first is the whole picture
        self.assertAlmostEqual(wide / high, w / h, delta=0.01)
        self.assertAlmostEqual(max(wide / (MAP_W / MM), high / (MAP_H / MM)), 1.0, delta=0.01)
        # the cheek is a rectangle of 120 × 100 photo pixels: its places together are as wide and as high
        ring = np.array([v for p in area.places for r in p.rings for v in r])
        self.assertAlmostEqual(float(np.ptp(ring[:, 0]) / np.ptp(ring[:, 1])), 1.2, delta=0.06)

    def test_each_place_has_its_own_colours_after_each_of_its_own_layers(self):
        told = self.session.prediction("a")[0]
        found = boxes(self.path)
        chips = [c for c, w, h, filled in found if filled and abs(w - CHIP / MM) < 0.05 and abs(h - CHIP / MM) < 0.05]
        wanted = [
            told.band(p.id).labs[i + 1]
            for p in sorted(self.session.recipes["a"].places, key=lambda p: float(told.band(p.id).target[0]))
            for i, q in enumerate(self.session.recipe_layers("a"))
            if p.id in q.on and q.tool != "reserve"
        ]
        self.assertEqual(len(chips), len(wanted))
        for chip, lab in zip(chips, wanted, strict=True):
            np.testing.assert_allclose(chip, np.clip(lab_to_srgb(np.asarray(lab)), 0, 1), atol=0.004)

    def test_a_box_to_rub_for_every_pencil_layer_at_true_size(self):
        rub = [1 for _c, w, h, filled in boxes(self.path) if not filled and abs(w - RUB[0] / MM) < 0.05 and abs(h - RUB[1] / MM) < 0.05]
        self.assertEqual(len(rub), sum(1 for q in self.session.recipe_layers("a") if q.code))
        self.assertEqual((round(RUB[0] / MM, 3), round(RUB[1] / MM, 3)), (12.0, 8.0))

    def test_what_was_moved_by_choice_says_so(self):
        self.assertNotIn("by choice", self.words)
        self.session.do(Aim(self.session, self.session.recipes["a"], "general", (10.0, 0.0, 0.0)))
        write_recipe_card(card_content(self.session), self.path)
        text = " ".join(page.extract_text() for page in pypdf.PdfReader(self.path).pages)
        target = self.session.targets("a")["general"][0]
        self.assertRegex(re.sub(r"\s+", " ", text), rf"L\* ?{target:.0f}, by choice")

    def test_long_reasons_and_many_layers_go_on_over_the_page(self):
        area = self.session.areas[0]
        long = tuple(
            replace(q, id="", why=f"{q.why} {'And the hand rests between two passes. ' * 6}End {k}.")
            for k, q in enumerate((*self.session.recipe_layers("a"),) * 4)
        )
        self.session.do(SetLayers(self.session, area, tuple(Layer(**q.__dict__) for q in long), "long"))
        write_recipe_card(card_content(self.session), self.path)
        pages = pypdf.PdfReader(self.path).pages
        text = re.sub(r"\s+", " ", " ".join(page.extract_text() for page in pages))
        for k in range(len(long)):
            self.assertIn(f"End {k}.", text)
        self.assertGreater(len(pages), 3)
        _images, points = images_and_lines(self.path)
        self.assertGreater(min(y for _x, y in points), 10)

    def test_many_places_with_many_layers_stay_on_the_page_to_the_last_patch(self):
        area = self.card.areas[0]
        after = tuple((n, area.places[0].target) for n in range(1, 41))
        full = replace(area, places=tuple(replace(area.places[0], name=f"spot{n}.", after=after) for n in range(14)))
        for layers in range(len(area.layers)):  # the second area begins at another height each time
            first = replace(area, places=area.places[:1], layers=area.layers[:layers])
            write_recipe_card(replace(self.card, areas=(first, full)), self.path)
            narrow = [w for _c, w, h, filled in boxes(self.path) if filled and abs(h - CHIP / MM) < 0.05 and w < CHIP / MM - 0.05]
            self.assertEqual(len(narrow), 14 * len(after))
            heights: list[float] = []
            for page in pypdf.PdfReader(self.path).pages:
                page.extract_text(
                    visitor_text=lambda text, cm, tm, _f, _s, heights=heights: heights.append(tm[5] + cm[5]) if "spot" in text else None
                )
            self.assertEqual(len(heights), 14)
            self.assertGreater(min(heights), 20 * MM, layers)
