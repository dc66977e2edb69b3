"""The recipe workshop by hand: way, advice, portrait, files; each change can be taken back."""

import json
import zipfile

import numpy as np
from pypdf import PdfReader

from hanabira.core.colour.difference import delta_e00
from hanabira.desk.controls import Choice, Pick
from hanabira.desk.stages.recipe import cards as recipe_cards
from tests.desk.test_desk import DemoCase


class WorkshopCase(DemoCase):
    def setUp(self):
        super().setUp()
        self.desk.go("Recipe")
        self.settle()
        self.stage, self.workshop = self.desk.current, self.session.workshop
        self.area = self.session.area

    def card(self, key: str) -> None:
        tabs = next(q for q in self.desk.bench.findChildren(Pick) if q.accessibleName() == "What the recipe card shows")
        self.click_stop(tabs, key)

    def choose(self, name: str, key: str) -> None:
        q = next(c for c in self.desk.bench.findChildren(Choice) if c.accessibleName() == name)
        q.setCurrentIndex(q.findData(key))
        q.activated.emit(q.currentIndex())
        self.settle()


class Way(WorkshopCase):
    def test_school_coat_and_finish_change_the_next_solve(self):
        session = self.session
        session.choose_area(next(a.id for a in session.areas if a.name == "Brow"))
        self.settle()
        self.card("way")
        self.choose("Lights", "indent")
        self.assertEqual(dict(session.commission.school), {"lights": "indent"})
        self.stage.solve()
        self.settle()
        self.assertEqual(self.stage.layers[0].tool, "indent", self.said)
        self.choose("Lights", "reserved")
        self.assertEqual(session.commission.school, ())
        self.stage.solve()
        self.settle()
        self.assertFalse([q for q in self.stage.layers if q.tool == "indent"])
        self.choose("Coat of the area", "black")
        self.assertEqual((session.area.coat, self.workshop.craft(session.area).coat), ("black", "black"))
        self.desk.take_back()
        self.assertEqual(session.area.coat, "")
        # the eye should go to the eye: what lies far from it is laid more loosely
        from hanabira.session.edits import SetPrep

        session.do(SetPrep(session, session.photo, "focal point", focal=(1000.0, 975.0)))
        near = next(a for a in session.areas if a.name == "Eye")
        far = next(a for a in session.areas if a.name == "Shoulder")
        self.assertGreater(self.workshop.finish(near), self.workshop.finish(far))

    def test_a_layer_is_dragged_to_another_place(self):
        strata = self.stage.strata
        before = self.session.recipe_layers(self.area.id)
        place = max((p.id for p in self.session.places(self.area.id)), key=lambda k: sum(k in q.on for q in before))
        self.stage.show_band(place)
        low, middle, high = (q.at for q in strata.cut.strata[:3])
        self.drag(strata, [strata.click_point(f"layer {k}") for k in (low, middle, high)])
        self.settle()
        wanted = list(before)
        wanted.insert(high, wanted.pop(low))
        self.assertEqual(self.session.recipe_layers(self.area.id), tuple(wanted))
        self.desk.take_back()
        self.assertEqual(self.session.recipe_layers(self.area.id), before)

    def test_the_same_again_and_a_layer_parted(self):
        session = self.session
        source, target = self.area, next(a for a in session.areas if a.name == "Temple")
        self.desk.go("Areas")
        self.settle()
        self.desk.go("Recipe")
        self.workshop.same_again(source, target, True)
        there = set(session.measures(target.id).places.ids)
        common = [q for q in session.recipe_layers(source.id) if set(q.on) & there]
        copied = session.recipe_layers(target.id)
        self.assertEqual([(q.code, q.pressure, q.passes, q.role) for q in copied], [(q.code, q.pressure, q.passes, q.role) for q in common])
        self.assertEqual([set(q.on) for q in copied], [set(q.on) & there for q in common])
        self.assertIn("Temple beside Marigold cheek", self.said[-1].what)
        gone = len(session.recipe_layers(source.id)) - len(copied)
        self.assertEqual("found no place here" in self.said[-1].what, gone > 0)
        self.desk.take_back()
        self.workshop.same_again(source, target, False)
        self.settle()
        own = {q.code for q in session.recipe_layers(source.id) if q.code}
        self.assertTrue({q.code for q in session.recipe_layers(target.id) if q.code} <= own)
        n = len(self.stage.layers)
        k = next(n for n, q in enumerate(self.stage.layers) if len(q.on) > 1 and q.code)
        whole = self.stage.layers[k]
        self.stage._choose(k)
        recipe_cards.split(self.stage)
        self.assertEqual(len(self.stage.layers), n + 1)
        low, high = self.stage.layers[k : k + 2]
        self.assertEqual((low.code, high.code, low.id), (whole.code, whole.code, whole.id))
        self.assertEqual((set(low.on) | set(high.on), set(low.on) & set(high.on)), (set(whole.on), set()))
        told = session.prediction(self.area.id)[0]
        self.assertLess(max(told.band(b).target[0] for b in low.on), min(told.band(b).target[0] for b in high.on) + 1e-9)


class AdviceAndPortrait(WorkshopCase):
    def test_a_substitute_is_taken_and_cards_have_no_cut_words(self):
        from hanabira.core.solver.advice import substitutes

        before = self.stage.layers
        self.card("advice")
        q = before[self.stage.at]
        found = substitutes(self.session.paper, self.session.kit.usable, q.code, q.pressure, 3)
        recipe_cards.take_advice(self.stage, found[0])
        self.assertNotIn(q.code, [p.code for p in self.stage.layers[self.stage.at : self.stage.at + len(found[0].layers)]])
        self.desk.take_back()
        self.assertEqual(self.stage.layers, before)
        self.card("portrait")
        used = self.workshop.palette()
        self.assertEqual(sum(n for _c, n, _a in used), sum(bool(q.code) for a in self.session.areas for q in self.session.recipe_layers(a.id)))
        self.assertTrue(all(isinstance(words, str) for words in self.workshop.jumps()))

    def test_a_filled_scrap_test_is_read_back(self):
        from PIL import Image

        from hanabira.core.swatch.layout import SCRAP_NUMBER, scrap_page
        from hanabira.devices.scanner import Scanning, scan
        from hanabira.devices.simulated_paper import SimulatedSheet

        stacks = self.workshop.stacks()
        self.assertGreater(len(stacks), 4)
        page = scrap_page(stacks)
        photo, truth = scan(page, SimulatedSheet(self.session.kit), Scanning(px_per_mm=6.0, seed=4))
        path = self.folder.parent / "scrap.png"
        Image.fromarray(photo).save(path)
        self.desk.show_room("Kit")
        self.settle()
        reading = self.desk.current.reading
        reading.read_photo(str(path))
        self.settle()
        self.assertEqual(page.number, SCRAP_NUMBER)
        self.assertEqual(len(reading.rows), len(page.cells))
        off = [float(delta_e00(r.lab, t)) for r, t in zip(reading.rows, truth, strict=True)]
        self.assertLess(float(np.median(off)), 3.0)

    def test_everything_is_written(self):
        folder = self.folder.parent
        self.desk.ask_save_path = lambda name: str(folder / name)
        self.desk.go("Areas")
        self.settle()
        self.desk.go("Recipe")
        self.settle()
        for _words, run in self.desk.writers.all:
            run()
            self.settle()
        d = json.loads((folder / "Tansy recipes.json").read_text())
        self.assertEqual((d["format"], len(d["areas"])), ("hanabira recipes 1", 12))
        self.assertEqual(len((folder / "Tansy recipes.csv").read_text().splitlines()), 1 + sum(len(a["layers"]) for a in d["areas"]))
        with zipfile.ZipFile(folder / "Tansy layers.ora") as z:
            self.assertEqual(z.testzip(), None)
        scrap = PdfReader(folder / "Tansy scrap test.pdf").pages
        self.assertIn("for reading back", scrap[0].extract_text())
        self.assertIn("What I see", scrap[1].extract_text())
        self.assertIn("harlequin rabbit", PdfReader(folder / "Tansy colours.pdf").pages[0].extract_text())
        # the technique comes back on another area
        self.desk.ask_technique_path = lambda: str(folder / "Tansy technique.toml")
        source = self.stage.layers
        self.session.choose_area(next(a.id for a in self.session.areas if a.name == "Temple"))
        self.settle()
        self.desk.writers.open_technique()
        there = set(self.session.places(self.session.area_id).ids)
        self.assertEqual([q.code for q in self.stage.layers], [q.code for q in source if set(q.on) & there])
