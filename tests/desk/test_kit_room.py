"""The kit room by hand: choosing, owning, wear, files, swatch sheets, fit; and what follows for recipes."""

import csv

import numpy as np
from pypdf import PdfReader
from PyQt6.QtCore import Qt

from hanabira.core.solver.area import follow
from hanabira.core.solver.cautions import recipe_cautions
from hanabira.core.solver.kit_facts import holes, mixing_strip, neighbours, pressures
from hanabira.core.solver.layer import Layer
from hanabira.core.solver.target import reach
from hanabira.core.token import SILENT
from hanabira.craft.kitfile import fact, read_kit
from hanabira.craft.supplies import paper, papers, shipped_kit
from hanabira.craft.tools import tools
from hanabira.studio.records import StudioKit
from tests.desk.test_desk import DemoCase
from tests.recipes import plan


class Room(DemoCase):
    def setUp(self):
        super().setUp()
        self.click_stop(self.desk.thread_, "room Kit")
        self.settle()
        self.room = self.desk.current

    def test_every_pencil_stands_in_the_chart_without_covering_another(self):
        chart = self.room.chart
        self.assertEqual(len(chart.stop_keys()), 72)
        pts = np.array(chart._pts)
        for i in range(len(pts)):
            d = np.abs(pts[:i] - pts[i])
            self.assertFalse(((d[:, 0] < 24) & (d[:, 1] < 36)).any(), chart.stop_keys()[i])
        self.click_stop(chart, "209")
        self.assertEqual(self.desk.bench.head.name, "Burnt honey 209")
        chart.setFocus()
        self.key(chart, Qt.Key.Key_Right)
        self.key(chart, Qt.Key.Key_Return)
        self.assertNotEqual(self.room.chosen, "209")

    def test_filters(self):
        room = self.room
        room.find_field.setText("umber")
        self.assertEqual(len(room.chart.shown), 2)
        room.find_field.clear()
        room.hue_field.setCurrentText("blues")
        self.assertTrue(6 <= len(room.chart.shown) <= 16)
        room.value_field.setCurrentText("dark, steps 1–3")
        dark = [room.kit.masstone_lab[i, 0] for i in room.chart.shown]
        self.assertTrue(dark and max(dark) < 30)
        room.hue_field.setCurrentText("all hues")
        room.value_field.setCurrentText("all values")
        room.more_field.setCurrentText("lasting, 1–2")
        self.assertTrue(all(room.kit.pencils[i].lightfast <= 2 for i in room.chart.shown))

    def test_owned_worn_priced_and_ordered(self):
        room = self.room
        room.choose("209")
        room.owned_box.click()
        self.assertFalse(room.kit.get("209").owned)
        self.desk.take_back()
        self.assertTrue(room.kit.get("209").owned)
        room.left_field.setValue(20)
        room.price_field.setValue(2.5)
        self.assertEqual((fact(room.kit.get("209"), "left"), fact(room.kit.get("209"), "price")), (0.2, 2.5))
        self.assertEqual([p.code for p in room.to_order()], ["209"])
        target = self.folder.parent / "order.csv"
        self.desk.ask_save_path = lambda _n: str(target)
        room.order_list()
        with open(target, newline="") as f:
            self.assertEqual(next(csv.DictReader(f)), {"code": "209", "name": "Burnt honey", "why": "20 % left", "price": "2.50"})
        # kept after a restart
        self.close_desk()
        self.open_desk()
        self.assertEqual(fact(self.session.kit.get("209"), "left"), 0.2)

    def test_kits_in_and_out(self):
        room = self.room
        out = self.folder.parent / "mine.csv"
        self.desk.ask_save_path, self.desk.ask_kit_path = lambda _n: str(out), lambda: str(out)
        room.export_kit(".csv")
        self.assertEqual(len(read_kit(out)), 72)
        out.write_text("code,name,hex\nA,Red,#a03228\nB,Blue,#2c4a90\n")
        room.import_kit()
        self.assertEqual([p.code for p in self.session.kit], ["A", "B"])
        self.assertEqual(len(self.session.store.all(StudioKit)), 1)
        # recipes of the other kit say nothing wrong: they wait for a kit that has their pencils
        self.assertIsNone(self.session.prediction("demo-area-8"))
        self.desk.take_back()
        self.assertEqual(self.session.kit_id, "pencils")
        out.write_text("name\nx\n")
        room.import_kit()
        self.assertIn("missing", self.said[-1].what)
        gpl = self.folder.parent / "mine.gpl"
        self.desk.ask_save_path = lambda _n: str(gpl)
        room.export_kit(".gpl")
        self.assertEqual(len(read_kit(gpl)), 72)

    def test_papers_in_the_drawer(self):
        self.room.show_papers()
        self.assertEqual(self.desk.bench.next.text(), "Back to the pencils")
        self.room.paper_boxes["film"].click()
        self.assertNotIn("film", self.session.settings.get("papers"))
        self.desk.go("Brief")
        field = self.desk.stages["Brief"]._fields["paper_id"]
        self.assertIn("not in the drawer", field.itemText(field.findData("film")))

    def test_tools_in_the_drawer(self):
        self.room.show_papers()
        self.assertIsNone(self.session.workshop.tools())
        self.room.tool_boxes["solvent"].click()
        self.assertEqual(self.session.workshop.tools(), frozenset(tools()) - {"solvent"})
        self.desk.go("Recipe")
        self.settle()
        asked = self.session.workshop.asked(self.session.areas[0])
        self.assertEqual(asked.tools, frozenset(tools()) - {"solvent"})
        self.assertEqual(asked.craft_and_rules(asked.measured(SILENT))[0].tools, asked.tools)
        self.room.show_papers()
        for key in set(tools()) - {"solvent"}:
            self.room.tool_boxes[key].click()
        self.assertEqual(self.session.workshop.tools(), frozenset(), "an empty drawer holds nothing, not everything")

    def test_tray_and_limited_palette(self):
        room, session = self.room, self.session
        room.choose("315")
        room.tray_box.click()
        self.assertEqual(session.commission.tray, ("315",))
        room.lay_primaries()
        self.assertEqual(len(session.commission.tray), 5)
        room.limit()
        self.desk.go("Areas")
        self.settle()
        session.choose_area("demo-area-9")
        self.settle()
        session.solve("demo-area-9")
        self.settle()
        self.assertTrue({q.code for q in session.recipe_layers("demo-area-9")} <= set(session.commission.tray))

    def test_print_scan_correct_and_fit(self):
        room, session = self.room, self.session
        room.find_field.setText("2")
        room.value_field.setCurrentText("dark, steps 1–3")
        codes = room.sheet_codes()
        self.assertTrue(4 <= len(codes) <= 24)
        pdf, opened = self.folder.parent / "sheet.pdf", []
        self.desk.ask_save_path, self.desk.open_file = lambda _n: str(pdf), opened.append
        self.assertEqual(self.desk.bench.next.text(), "Print a swatch sheet")
        self.click(self.desk.bench.next)
        self.settle()
        self.assertEqual(opened, [pdf])
        self.assertEqual(len(PdfReader(pdf).pages), 2)
        room.reading.simulate_scan()
        self.wait_until(lambda: not session.jobs.busy, 60)
        reading = room.reading
        self.assertEqual(len(reading.rows), 4 * len(codes) + 30)
        self.assertEqual(len(reading.view.stop_keys()), 4 * len(codes))
        self.click_stop(reading.view, "cell 3")
        before = reading.rows[reading.at].lab
        reading.lab_fields[0].setValue(before[0] + 5)
        self.assertAlmostEqual(reading.rows[reading.at].lab[0], before[0] + 5, delta=0.06)
        reading.change(lab=before)
        self.assertEqual(self.desk.bench.next.text(), "Fit the kit")
        unfitted = session.kit
        self.click(self.desk.bench.next)
        self.wait_until(lambda: not session.jobs.busy, 60)
        self.assertIsNotNone(session.kit.fit)
        self.assertTrue(all(session.kit.get(c).spread_de for c in codes))
        self.assertIsNone(session.kit.get("104").spread_de)
        self.assertIn("fitted", self.said[-1].what)
        self.assertTrue(session.kit_record("pencils").swatches)
        self.desk.take_back()
        self.assertEqual(session.kit, unfitted)

    def test_the_colorimeter_and_a_file(self):
        room = self.room
        room.find_field.setText("401")
        room.reading.simulate_colorimeter()
        self.settle()
        self.assertEqual(len(room.reading.rows), 4)
        path = self.folder.parent / "m.csv"
        path.write_text("stack,ground,L,a,b\n401:5:2,white,14,0,-1\n")
        self.desk.ask_kit_path = lambda: str(path)
        room.reading.ask_file()
        self.assertEqual(len(room.reading.rows), 1)
        room.reading.fit()
        self.settle()
        self.assertGreater(self.session.kit.get("401").spread_de, 4)


class Workshop(DemoCase):
    def test_lock_tools_and_other_ways(self):
        self.desk.go("Recipe")
        self.settle()
        stage, session = self.desk.current, self.session
        stage._choose(1)
        kept = stage.layers[1]
        stage.lock()
        self.assertTrue(stage.layers[1].locked)
        stage.swap("315")
        odd = stage.layers[1]
        self.assertTrue(odd.locked)
        stage.solve()
        self.settle()
        self.assertIn(odd, stage.layers)
        stage.add_tool("solvent")
        self.assertEqual(stage.layers[stage.at].tool, "solvent")
        self.assertIsNotNone(session.prediction(session.area_id))
        stage._choose(0)
        stage.add_layer()
        self.assertEqual((stage.at, stage.layers[1].code), (1, stage.layers[0].code))
        self.desk.take_back()
        stage._choose(1)
        stage.burnish()
        self.assertEqual(stage.layers[stage.at].code, "104")
        self.desk.take_back()
        stage._choose(1)
        stage.keep_pencil()
        self.settle()
        self.assertIn("315", [q.code for q in stage.layers])
        stage.other_ways()
        self.settle()
        self.assertGreaterEqual(len(stage._variants[1]), 2)
        self.assertNotEqual(kept.code, "315")


class Facts(DemoCase):
    """Plain computations; the window stays as it is."""

    def test_neighbours_holes_strips_and_pressures(self):
        kit, on = shipped_kit(), paper("hotpress")
        near = neighbours(kit, "401")
        self.assertEqual([n.delta_e00 for n in near], sorted(n.delta_e00 for n in near))
        greens = [p.code for p in kit if p.code.startswith("5")]
        without = kit.subset([p.code for p in kit if p.code not in greens])
        self.assertIn("no green", [h.name for h in holes(without)])
        self.assertNotIn("no green", [h.name for h in holes(kit)])
        strip = mixing_strip(on, kit, "120", "309")
        self.assertEqual(len(strip), 7)
        self.assertGreater(strip[0][2], 40)
        self.assertLess(strip[-1][2], -20)
        values = [q[0] for q in pressures(on, kit, "229")]
        self.assertEqual(values, sorted(values, reverse=True))

    def test_locks_hold_and_cautions_name_the_way_out(self):
        kit, on = shipped_kit(), paper("hotpress")
        fur = {"gap": [21, 6.8, 11.8], "general": [33, 12.4, 26.2], "light": [66, 17, 42], "highlight": [74, 13, 38]}
        from hanabira.core.solver.area import paper_targets

        targets = paper_targets(reach(kit, on), {k: np.array(v, float) for k, v in fur.items()})
        locked = Layer("general", "261", 1, 1, "all but the lights", locked=True)
        layers = plan(kit, on, fur, locked=(locked,)).layers
        self.assertIn(locked, layers)
        indent = Layer("indent", "", 3, 1, "everywhere", tool="indent")
        blend = Layer("blend", "", 3, 1, "everywhere", tool="solvent")
        told = follow(on, kit, (indent, *layers, blend), targets)
        kinds = {c.kind for c in recipe_cautions(on, kit, (indent, *layers, blend), targets, told)}
        self.assertIn("solvent on indented lines", kinds)
        green = {k: np.array([v[0], -60.0, 40.0]) for k, v in fur.items()}
        out = recipe_cautions(on, kit, layers, green, follow(on, kit, layers, green), papers=tuple(papers().values()))
        missed = next(c for c in out if c.kind == "out of reach")
        self.assertIn("a pencil like #", missed.cure.lower())
        strict = recipe_cautions(on, kit, layers, targets, follow(on, kit, layers, targets), floor=1)
        self.assertIn("fugitive", {c.kind for c in strict})
