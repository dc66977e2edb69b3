"""Shelf and brief by hand: search, choose, archive, templates, bundles; photos wanted, permission, terms and the price."""


import numpy as np
from PIL import Image
from pypdf import PdfReader
from PyQt6.QtWidgets import QCheckBox, QLabel, QLineEdit

from hanabira.core.clock import MACHINE
from hanabira.desk.controls import Choice, PetalButton, Pick
from hanabira.session.sender import sender
from hanabira.studio.records import Commission
from tests.desk.test_desk import DemoCase
from tests.printed import Printed


class Shelf(DemoCase):
    def setUp(self):
        super().setUp()
        self.desk.show_room("Shelf")
        self.settle()
        self.stage = self.desk.current

    def names(self) -> list[str]:
        return [o.commission.name for o in self.stage.boards.rows]

    def test_states_search_and_filters(self):
        states = {o.commission.name: o.state for o in self.stage.boards.rows}
        self.assertEqual(states, {"Tansy": "planned", "Bracken": "begun", "Vesper": "delivered"})
        bracken = next(o for o in self.stage.boards.rows if o.commission.name == "Bracken")
        self.assertIn("in 54 days", self.stage.boards.line(bracken))
        self.assertRegex(self.stage.boards.line(bracken), r"\d+–\d+ h left")
        self.assertEqual({k for k in self.stage.boards.pictures if k.endswith(" work")}, {"demo-bracken work", "demo-vesper work"})
        self.type(self.stage.search, "lash pony")
        self.assertEqual(self.names(), ["Bracken"])
        self.stage.search.clear()
        self.click_stop(self.stage.filter, "delivered")
        self.assertEqual(self.names(), ["Vesper"])
        self.click_stop(self.stage.filter, "now")
        self.assertEqual(self.names(), ["Bracken", "Tansy"])

    def test_choose_then_go_on(self):
        self.click_stop(self.stage.boards, "demo-bracken")
        self.assertEqual((self.session.commission.name, self.desk.current.name), ("Bracken", "Shelf"))
        self.assertEqual(self.desk.bench.next.text(), "Go on with Bracken")
        self.settle()
        self.click(self.desk.bench.next)
        self.assertEqual(self.desk.current.name, "Easel")

    def test_archive_is_an_edit_and_a_template_takes_the_terms_only(self):
        self.stage.archive("demo-tansy")
        self.assertEqual(self.names(), ["Vesper", "Bracken"])
        self.click_stop(self.stage.filter, "archive")
        self.assertEqual(self.names(), ["Tansy"])
        self.desk.take_back()
        self.assertFalse(self.session.commission.archived)
        self.stage.duplicate("demo-bracken")
        made = self.session.commission
        old = self.session.store.get(Commission, "demo-bracken")
        self.assertEqual(self.desk.current.name, "Brief")
        self.assertEqual(
            (made.paper_id, made.width_mm, made.kit_id, made.terms.rate), (old.paper_id, old.width_mm, old.kit_id, old.terms.rate)
        )
        self.assertEqual((made.client, made.due, made.notes, made.terms.photo_permission, self.session.photos), ("", None, "", False, ()))

    def test_removing_asks_and_keeps_what_is_not_agreed(self):
        asked: list[str] = []
        self.desk.ask_remove = lambda words: asked.append(words) or False
        before = len(self.session.commissions)
        self.stage.remove("demo-tansy")
        self.assertEqual(len(self.session.commissions), before)
        self.assertRegex(asked[0], r"with its \d+ areas, \d+ photos and \d+ rows of the log")
        self.desk.ask_remove = lambda words: True
        self.stage.remove("demo-tansy")
        self.assertNotIn("demo-tansy", [c.id for c in self.session.commissions])
        self.assertEqual(len(self.session.commissions), before - 1)

    def test_a_bundle_out_and_in(self):
        path = self.folder.parent / "b.zip"
        self.stage._choose("demo-vesper")
        self.settle()
        self.desk.ask_save_path = lambda _n: str(path)
        self.desk.records.bundle()
        self.settle()
        self.stage.ask_bundle_path = lambda: str(path)
        self.stage.take_in()
        self.settle()
        self.assertIn("Vesper (copy)", self.names())
        self.assertNotEqual(self.session.commission.id, "demo-vesper")
        self.assertEqual(len(self.session.logbook.shots()), 4)
        path.write_bytes(path.read_bytes()[:2000])
        self.stage.take_in()
        self.settle()
        self.assertIn("is no bundle", self.said[-1].what)
        self.assertEqual(len(self.session.commissions), 4)


class Brief(DemoCase):
    def setUp(self):
        super().setUp()
        self.desk.go("Brief")
        self.settle()
        self.stage = self.desk.current

    def find(self, kind, name: str):
        return next(q for q in self.desk.bench.findChildren(kind) if q.accessibleName() == name)

    def words(self) -> str:
        return " ".join(getattr(q, "words", "") for q in self.desk.bench.findChildren(object) if isinstance(getattr(q, "words", None), str))

    def test_photos_wanted_and_got_with_permission_and_accessories(self):
        self.stage.show_tab("photos")
        self.assertIn("Still to ask for: eye in detail, true coat colour", self.words())
        self.find(QCheckBox, "Pose").click()
        self.assertIn("pose", self.session.commission.terms.wanted)
        self.assertIn("pose", self.words())
        permission = self.find(QCheckBox, "The owner allows their use")
        self.assertTrue(permission.isChecked())
        permission.click()
        self.assertFalse(self.session.commission.terms.photo_permission)
        field = self.find(QLineEdit, "Accessories")
        field.setFocus()
        self.type(field, "bell off")
        self.assertEqual(self.session.commission.terms.accessories, "bell off")
        self.desk.take_back()
        self.assertEqual(self.session.commission.terms.accessories, "")
        self.desk.take_back()
        self.assertTrue(self.session.commission.terms.photo_permission)

    def test_a_mark_is_chosen_seen_on_the_quote_and_taken_away(self):
        self.stage.show_tab("agreement")
        path = self.folder.parent / "mark.png"
        Image.new("RGB", (90, 45), (120, 30, 90)).save(path)
        self.desk.ask_open_path = lambda: str(path)
        self.click(self.button("Add a mark"))
        self.settle()
        self.assertEqual(sender(self.session.settings).mark.shape, (45, 90, 3))
        shown = next(q for q in self.desk.bench.findChildren(QLabel) if q.accessibleName() == "The studio’s mark").pixmap().toImage()
        self.assertEqual(shown.pixelColor(shown.width() // 2, shown.height() // 2).name(), "#781e5a")
        target = self.folder.parent / "quote.pdf"
        self.desk.ask_save_path = lambda _name: str(target)
        self.desk.open_file = lambda _path: None
        self.click(self.button("Quote"))
        self.settle()
        page = Printed(PdfReader(target).pages[0])
        self.assertTrue([r for r in page.images if np.allclose(r[2:], (18, 9), atol=0.1)], page.images)
        (self.folder.parent / "bad.png").write_text("no picture")
        self.desk.ask_open_path = lambda: str(self.folder.parent / "bad.png")
        self.click(self.button("Change it"))
        self.settle()
        self.assertEqual(self.said[-1].kind, "fault")
        self.assertIsNotNone(sender(self.session.settings).mark, "the one before stays")
        self.click(self.button("Remove it"))
        self.assertIsNone(sender(self.session.settings).mark)

    def button(self, words: str) -> PetalButton:
        return next(q for q in self.desk.bench.findChildren(PetalButton) if q.text() == words)

    def test_the_price_follows_rate_materials_deposit_and_school(self):
        self.stage.show_tab("agreement")
        before = self.words()
        self.assertIn("€", before)
        from hanabira.studio.planning import quote

        def price():
            plan = self.session.planner.planned()
            return quote(self.session.commission, plan.work, plan.pace)

        q = price()
        self.assertAlmostEqual(q["price"][0], q["rate"] * q["hours"][0] + 22, delta=q["rate"] * 0.06)
        self.session.planner.set_terms("rate an hour", rate=72.0)
        self.assertAlmostEqual(price()["price"][0] - 22, 2 * (q["price"][0] - 22), places=1)
        self.assertNotEqual(self.words(), before)
        self.click_stop(self.find(Pick, "Drawing hand"), "left")
        self.assertEqual(self.session.commission.terms.hand, "left")
        choice = self.find(Choice, "Black pencil")
        choice.setCurrentIndex(choice.findData("mixed-blacks-only"))
        choice.activated.emit(choice.currentIndex())
        self.assertEqual(dict(self.session.commission.school), {"black": "mixed-blacks-only"})
        cost = sum(w.cost for w in self.session.logbook.wear())
        self.assertGreater(cost, 0.1)
        self.session.planner.set_terms("materials", materials=cost)
        self.desk.take_back()
        self.assertEqual(self.session.commission.terms.materials, 22)

    def test_delivered_today_and_not_after_all(self):
        from hanabira.session.easel import deliver

        today = MACHINE.today().isoformat()
        deliver(self.session, today)
        self.assertEqual(self.session.commission.delivered, today)
        self.desk.take_back()
        self.assertEqual(self.session.commission.delivered, "")
