"""Practice by hand: the first spot stands, figure keys and the ruler answer, what was right lies on the picture, the round is kept, nothing of a commission changes."""

import csv
import datetime
import json

import numpy as np
from PIL import Image
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from hanabira.core.practice.hand import sheets
from hanabira.core.practice.profile import Learner
from hanabira.core.practice.round import play
from hanabira.core.practice.wider import overlap
from hanabira.craft.drills import drills
from hanabira.desk.controls import Words
from hanabira.desk.theme import scale
from hanabira.devices.hand_filled import SimulatedHand, photo_of
from hanabira.devices.simulated_paper import SimulatedSheet
from hanabira.studio.records import PracticeRound, is_part
from hanabira.studio.store import Store
from tests.base import DeskCase
from tests.demo_studio import demo_copy

DAY = datetime.datetime(2026, 11, 27, 10, 0)


class Room(DeskCase):
    """The practice room of a studio in which nobody has practised yet; no test of it may touch the commission."""

    def prepare(self, folder):
        with Store.open(demo_copy(folder)) as store:  # an artist who has not practised yet
            store.edit([], list(store.all(PracticeRound)))

    def setUp(self):
        super().setUp()
        self.stage = self.desk.stages["Practice"]
        self.stage.now = self.session.practising.now = lambda: DAY
        self.desk.show_room("Practice")
        self.settle()
        self.page = self.stage.picture
        self.page.setFocus()
        self.areas = self.session.areas, self.session.recipes, self.session.commission

    def tearDown(self):
        if self.desk is not None:
            self.assertEqual((self.session.areas, self.session.recipes, self.session.commission), self.areas)
        super().tearDown()


class Practice(Room):
    def test_the_first_spot_stands_and_a_figure_key_begins(self):
        s = self.stage
        self.assertEqual((s.drill.id, s.running), ("value-step", False))
        self.assertIn("No profile yet", self.session.practising.proposal().why)
        self.assertIn("Begin", self.desk.bench.next.text())
        self.key(self.page, Qt.Key.Key_5)
        self.assertTrue(s.running)
        self.assertEqual(self.desk.rule.guess, 45.0)
        self.key(self.page, Qt.Key.Key_Right)
        self.assertEqual(self.desk.rule.guess, 47.5)
        self.key(self.page, Qt.Key.Key_Return)
        a = s.last
        self.assertAlmostEqual(a.said_step, 4.75)
        self.assertAlmostEqual(a.is_step * 10, float(s.question.truth))
        self.assertTrue(self.page.answered)
        self.assertEqual(list(self.desk.rule.pairs.values())[0][:2], (47.5, float(s.question.truth)))
        first = s.question.key
        self.key(self.page, Qt.Key.Key_Return)
        self.assertNotEqual(s.question.key, first)

    def test_the_ruler_takes_an_answer_by_pointer(self):
        rule = self.desk.rule
        QTest.mouseClick(rule, Qt.MouseButton.LeftButton, pos=QPointF(rule.x(rule.width() / scale(), 30) * scale(), 30).toPoint())
        self.assertAlmostEqual(self.stage.guess, 30, delta=1.3)

    def test_a_whole_round_is_kept_with_its_level_and_told(self):
        s = self.stage
        for n in range(s.drill.questions):
            if n == 0:
                s.begin()
            s.set_guess(float(s.question.truth) + 12)
            self.key(self.page, Qt.Key.Key_Return)
            self.key(self.page, Qt.Key.Key_Return)
        (kept,) = self.session.store.all(PracticeRound)
        self.assertEqual((kept.drill, kept.at), ("value-step", DAY.isoformat()))
        told = self.session.practising.profile()
        self.assertEqual(told.whole.answers, 12)
        self.assertAlmostEqual(told.whole.bias, 1.2, delta=0.15)
        self.assertFalse(told.whole.claimed)  # twelve answers prove nothing yet
        self.assertTrue(self.session.practising.done_today())
        self.assertEqual(len(s.stem.leaves), 1)
        self.assertEqual(len(s.stem.stop_keys()), 1)

    def test_stopping_keeps_what_was_done_and_an_empty_round_is_none(self):
        s = self.stage
        s.begin()
        self.key(self.page, Qt.Key.Key_Escape)
        self.assertEqual(self.session.store.all(PracticeRound), ())
        s.begin()
        s.set_guess(40)
        self.key(self.page, Qt.Key.Key_Return)
        self.key(self.page, Qt.Key.Key_R)  # once more, without counting
        s.set_guess(60)
        self.key(self.page, Qt.Key.Key_Return)
        self.assertAlmostEqual(s.last.said_step, 6.0)
        self.desk.show_room("Shelf")
        self.assertEqual([a.said_step for a in self.session.practising.answers()], [4.0])

    def test_choices_and_orders_by_keys_and_by_touch(self):
        s = self.stage
        s.choose_drill("which")
        self.page.setFocus()
        self.key(self.page, Qt.Key.Key_1 if s.question.truth == 0 else Qt.Key.Key_2)
        self.assertTrue(s.last.right)
        s.choose_drill("order-six")
        self.page.setFocus()
        truth = s.question.truth
        self.click(self.page, self.page.spot_at(truth[0]) * scale())
        self.assertEqual(s.order, (truth[0],))
        self.key(self.page, Qt.Key.Key_Backspace)
        self.assertEqual(s.order, ())
        for n in truth:
            self.key(self.page, Qt.Key(Qt.Key.Key_1 + n))
        self.key(self.page, Qt.Key.Key_Return)
        self.assertTrue(s.last.right)
        for drill in ("white-or-not", "foretell"):
            s.choose_drill(drill)
            self.page.setFocus()
            self.key(self.page, Qt.Key(Qt.Key.Key_1 + s.question.truth))
            self.assertTrue(s.last.right, drill)
            self.assertIn(s.question.why, s.head.sentence)

    def test_held_keys_and_nothing_is_cut_at_any_size(self):
        s = self.stage
        for look in ("neutral", "grey", "hide", ""):
            s.hold(look)
            self.assertEqual(self.page.held, look)
        for where in self.at_sizes((1.0, (1024, 700)), (2.0, (1280, 800))):
            for drill in ("value-step", "order-six", "foretell"):
                s.choose_drill(drill)
                self.settle()
                s.refresh()
                self.settle()
                self.uncut((where, drill))

    def test_answers_as_a_table_and_forgotten(self):
        s = self.stage
        s.begin()
        s.set_guess(70)
        self.key(self.page, Qt.Key.Key_Return)
        s.stop_here()
        path = self.folder.parent / "practice.csv"
        self.desk.ask_save_path = lambda _name: str(path)
        s.write_table()
        self.settle()
        rows = list(csv.DictReader(path.open()))
        self.assertEqual([(r["drill"], float(r["said_step"])) for r in rows], [("value-step", 7.0)])
        self.desk.ask_remove = lambda _words: False
        s.forget()
        self.assertEqual(len(self.session.practising.answers()), 1)
        self.desk.ask_remove = lambda _words: True
        s.forget()
        self.assertEqual(self.session.practising.answers(), [])

    def test_what_check_found_is_what_is_proposed(self):
        self.stage.begin()
        self.stage.set_guess(50)
        self.key(self.page, Qt.Key.Key_Return)
        self.stage.stop_here()
        self.session.open_commission("demo-bracken")
        self.settle()
        self.areas = self.session.areas, self.session.recipes, self.session.commission
        proposal = self.session.practising.proposal()
        kinds = [f["kind"] for q in self.session.logbook.shots() for f in self.session.checkroom.faults(q)]
        self.assertIn("green", kinds)
        self.assertIn(proposal.drill.id, ("which", "value-step"))
        if proposal.drill.id == "which":
            self.assertTrue(any(f"too {kind}" in proposal.why for kind in kinds), proposal.why)


class Wider(Room):
    """The drills that are drawn, stacked and compared, by keys alone and by pointer; and the spot on neutral."""

    def start(self, drill: str):
        self.stage.choose_drill(drill)
        self.settle()
        self.page.setFocus()
        return self.stage.question

    def test_a_shape_is_drawn_with_arrows_and_space_and_with_the_pointer(self):
        q = self.start("darkest-shape")
        for keys in ((Qt.Key.Key_Left,) * 8, (Qt.Key.Key_Right,) * 16, (Qt.Key.Key_Down,) * 9):
            for key in keys:
                self.key(self.page, key)
            self.key(self.page, Qt.Key.Key_Space)
        self.assertEqual(len(self.page.hand.ring), 3)
        self.assertAlmostEqual(self.page.hand.ring[1][0] - self.page.hand.ring[0][0], 0.32)
        self.key(self.page, Qt.Key.Key_Return)
        self.assertAlmostEqual(self.stage.last.score, overlap(q.extra, self.page.hand.ring))
        self.assertIn("share", self.stage.why)
        self.key(self.page, Qt.Key.Key_Return)
        _part, frame = self.page._frame(self.page.width() / scale(), self.page.height() / scale())
        self.drag(
            self.page,
            [
                QPointF(frame.left() + x * frame.width(), frame.top() + y * frame.height()) * scale()
                for x, y in ((0.2, 0.2), (0.7, 0.2), (0.7, 0.7), (0.2, 0.7))
            ],
        )
        self.assertGreater(len(self.page.hand.ring), 3)
        self.assertTrue(self.page.hand.ready)

    def test_strokes_are_turned_by_keys_and_drawn_by_the_pointer(self):
        self.start("comb-it")
        self.key(self.page, Qt.Key.Key_1)
        self.key(self.page, Qt.Key.Key_Left)
        self.key(self.page, Qt.Key.Key_2)
        for _ in range(3):
            self.key(self.page, Qt.Key.Key_Right)
        self.assertEqual(self.page.hand.strokes[:2], [95.0, 75.0])
        self.key(self.page, Qt.Key.Key_Return)
        self.assertIsNone(self.stage.last, "one ring has no stroke yet")
        c = self.page.spot_at(2) * scale()
        self.drag(self.page, [c, c + QPointF(20, -20), c + QPointF(30, -30)])
        self.assertAlmostEqual(self.page.hand.strokes[2], 45, delta=4)
        self.key(self.page, Qt.Key.Key_Return)
        self.assertIsNotNone(self.stage.last)
        self.assertLessEqual(self.stage.last.score, 90)

    def test_a_stack_by_two_figures_and_one_taken_back(self):
        q = self.start("guess-stack")
        for key in (Qt.Key.Key_4, Qt.Key.Key_4, Qt.Key.Key_2, Qt.Key.Key_Backspace, Qt.Key.Key_9):
            self.key(self.page, key)
        self.assertEqual(self.stage.order, (3, 8))
        self.key(self.page, Qt.Key.Key_Return)
        self.assertAlmostEqual(self.stage.last.score, float(q.extra[3, 8]))

    def test_the_changed_place_and_the_next_step_by_a_figure(self):
        for drill in ("find-fault", "what-next"):
            q = self.start(drill)
            self.assertEqual(self.page.second is not None, drill == "find-fault")
            self.key(self.page, Qt.Key(Qt.Key.Key_1 + int(q.truth)))
            self.assertTrue(self.stage.last.right, drill)

    def test_a_misled_spot_is_asked_for_on_neutral_and_both_are_kept(self):
        self.start("value-step")
        s = self.stage
        for _ in range(12):
            if abs(s.question.lift) >= 1:
                break
            s.round.ask()
        self.assertGreaterEqual(abs(s.question.lift), 1)
        self.key(self.page, Qt.Key.Key_3)
        self.key(self.page, Qt.Key.Key_Return)
        self.assertIsNone(s.last)
        self.assertTrue(self.page.on_neutral)
        self.key(self.page, Qt.Key.Key_6)
        self.key(self.page, Qt.Key.Key_Return)
        self.assertEqual((s.last.said_step, s.on_neutral), (2.5, 55.0))
        self.assertEqual([(a.neutral, a.said_step) for a in s.round.answers], [(False, 2.5), (True, 5.5)])
        self.assertFalse(self.page.on_neutral)
        s.stop_here()
        kept = self.session.practising.profile()
        self.assertEqual((kept.whole.answers, kept.on_neutral.answers), (1, 1))

    def test_nothing_is_cut_at_any_size(self):
        for where in self.at_sizes((1.0, (1280, 800)), (1.5, (1024, 700)), (2.0, (1280, 800))):
            for drill in ("darkest-shape", "comb-it", "guess-stack", "find-fault", "what-next"):
                self.start(drill)
                self.uncut((where, drill))


class Benches(Room):
    """Sheets for the hand, parts, and the profile, by keys and by what the bench offers."""

    def start(self, drill: str):
        self.stage.choose_drill(drill)
        self.settle()
        return self.stage

    def words(self) -> str:
        return " ".join(q.words for q in self.desk.findChildren(Words) if q.isVisible())

    def test_a_sheet_is_printed_then_its_photo_is_read_and_kept(self):
        s = self.start("gaps-only")
        self.assertTrue(s.hand.widget.isVisible())
        self.assertFalse(self.page.isVisible())
        self.assertIn("Print the sheet", self.desk.bench.next.text())
        target = self.folder / "gaps.pdf"
        self.desk.ask_target = lambda _name: str(target)
        self.key(s.hand.widget, Qt.Key.Key_P)
        self.settle()
        self.assertTrue(target.read_bytes().startswith(b"%PDF"))
        self.assertIn("Read a photo", self.desk.bench.next.text())
        photo = self.folder / "filled.png"
        Image.fromarray(photo_of(sheets()["gaps-only"], SimulatedHand(over=0.3), SimulatedSheet(self.session.kit))).save(photo)
        self.desk.ask_open_path = lambda *_a, **_k: str(photo)
        self.key(s.hand.widget, Qt.Key.Key_Return)
        self.settle()
        ((_at, kept),) = self.session.practising.hand_results()
        self.assertAlmostEqual(kept.figures["over"], 0.3, delta=0.1)
        self.assertIsNotNone(s.hand.widget.image)
        self.assertIn("of the locks were gone over", self.words())
        self.key(s.hand.widget, Qt.Key.Key_Return)
        self.assertIsNone(s.hand.widget.image, "once more")

    def test_a_photo_of_something_else_is_told_and_nothing_is_kept(self):
        s = self.start("lift")
        photo = self.folder / "other.png"
        Image.fromarray(np.full((500, 400, 3), 190, np.uint8)).save(photo)
        self.desk.ask_open_path = lambda *_a, **_k: str(photo)
        self.key(s.hand.widget, Qt.Key.Key_O)
        self.settle()
        self.assertEqual(self.session.practising.hand_results(), [])
        self.assertIsNone(s.hand.result)

    def test_the_simulated_hand_is_shown_and_never_kept_as_the_artists(self):
        s = self.start("flicks")
        s.hand.simulate()
        self.settle()
        self.assertGreater(len(s.hand.widget.marks), 20)
        self.assertIn("not yours", self.words())
        self.assertEqual(self.session.practising.rounds(), ())

    def test_the_profile_opens_by_a_key_with_a_sentence_for_every_part(self):
        s = self.start("value-step")
        r = self.session.practising.begin("value-step", s.pictures(), 3)
        play(r, Learner(1.0, 0.4), 24, 3)
        self.session.practising.keep(r, 3, 5.0)
        self.page.setFocus()
        self.key(self.page, Qt.Key.Key_Y)
        self.assertTrue(s.plate.plant.isVisible())
        names = [q.name for q in s.plate.plant.stops(850, 430)]
        self.assertEqual(len(names), 13)
        self.assertTrue(any("not measured yet" in n for n in names))
        self.assertIn("too light", self.words())
        for where in self.at_sizes((1.0, (1024, 700)), (2.0, (1280, 800))):
            self.uncut(where)
        target = self.folder / "practice.json"
        self.desk.ask_target = lambda _name: str(target)
        s.write_data()
        self.settle()
        self.assertEqual(json.loads(target.read_text())["values"]["answers"], 24)
        self.key(s.plate.plant, Qt.Key.Key_Escape)
        self.assertFalse(s.plate.plant.isVisible())


class EveryDrill(Room):
    def test_each_of_them_stands_uncut_with_large_type_in_both_themes_and_takes_the_keys(self):
        for theme, text, size in (("day", 1.5, (1024, 700)), ("evening", 2.0, (1280, 800))):
            self.session.settings.set("theme", theme)
            for where in self.at_sizes((text, size)):
                for drill in drills():
                    self.stage.choose_drill(drill)
                    self.settle()
                    self.uncut((theme, where, drill))
                    self.assertTrue(self.stage.middle.isVisible(), drill)
                    self.assertIs(self.stage.centre.focusProxy(), self.stage.middle)
                    self.assertTrue(self.desk.bench.next.text(), drill)


class PartsDesk(DeskCase):
    def prepare(self, folder):
        demo_copy(folder)

    def test_a_part_opens_at_recipe_and_stands_on_a_shelf_of_its_own(self):
        self.session.open_commission("demo-tansy")
        self.desk.show_room("Practice")
        self.settle()
        s = self.desk.stages["Practice"]
        s.choose_drill("part-paw")
        self.settle()
        self.assertFalse(self.desk.bench.next.isEnabled() and "Begin with" in self.desk.bench.next.text(), "no paw on this animal")
        s.choose_drill("part-eye")
        self.settle()
        s.next()
        self.settle()
        made = self.session.commission
        self.assertTrue(is_part(made.id))
        self.assertEqual(self.desk.current.name, "Recipe")
        self.desk.show_room("Shelf")
        self.settle()
        shelf = self.desk.current
        self.assertNotIn(made.id, [o.commission.id for o in shelf.shown()])
        shelf.filter.chosen = "practice"
        shelf.refresh()
        self.assertEqual([o.commission.id for o in shelf.shown()], [made.id])
