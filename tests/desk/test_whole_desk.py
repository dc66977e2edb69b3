"""Parting the whole animal on the desk, by pointer and keys: asked for, shown, looked at, accepted, left."""

from unittest import mock

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from hanabira.desk.controls import PetalButton, Stepper, Words
from hanabira.desk.stages.areas import whole as whole_card
from hanabira.desk.widgets import overlays
from hanabira.desk.widgets.patch_picture import PatchPicture
from hanabira.session.edits import ChangeAreas
from hanabira.session.first import First
from tests.desk.test_areas_desk import AreasCase


class WholeCase(AreasCase):
    def setUp(self):
        super().setUp()
        # recipes in the background are tried in tests/session/test_first.py; here they would only be waited for
        self.want = mock.patch.object(First, "want").start()
        self.addCleanup(mock.patch.stopall)
        self.eye = next(a.eye for a in self.session.areas if a.surface_id == "eye")
        self.rings = [a.ring for a in self.session.areas]
        self.session.do(ChangeAreas(self.session, "none", list(self.session.areas), []))
        self.settle()

    @property
    def whole(self):
        return self.session.whole

    def press(self, words: str) -> None:
        """A button of the card."""
        button = next(b for b in self.desk.bench.findChildren(PetalButton) if b.text() == words)
        button.click()
        self.settle()

    def card(self) -> str:
        return " ".join(q.words for q in self.desk.bench.findChildren(Words))

    def parted(self) -> None:
        """Parted through the main button and a loop drawn with the pointer."""
        self.desk.bench.next.click()
        self.settle()
        x, y, w, h = self.session.photo.crop
        loop = [(x + a * w, y + b * h) for a, b in ((0.25, 0.05), (0.6, 0.04), (0.7, 0.3), (0.68, 0.6), (0.95, 0.68), (0.95, 0.97), (0.1, 0.97), (0.05, 0.75), (0.2, 0.4))]
        points = [self.at(*p).toPoint() for p in (*loop, loop[0])]
        QTest.mousePress(self.mat, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, points[0])
        for p, q in zip(points, points[1:], strict=False):
            for k in (1, 2, 3):
                QTest.mouseMove(self.mat, QPoint(p.x() + (q.x() - p.x()) * k // 3, p.y() + (q.y() - p.y()) * k // 3))
            self.app.processEvents()
        QTest.mouseRelease(self.mat, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, points[-1])
        self.settle()
        self.settle()

    def test_from_an_empty_photo_to_areas_over_all_of_it(self):
        self.assertIn("Part the whole animal", self.desk.bench.next.text())
        self.desk.bench.next.click()
        self.settle()
        self.assertIs(self.mat.gesture, self.stage.gestures[whole_card.LOOP])
        self.assertIn("loosely round the whole animal", self.card())
        self.whole.end()
        self.parted()
        n = len(self.whole.patches)
        self.assertGreater(n, 4)
        self.assertEqual(self.session.areas, ())
        self.assertEqual(len(self.stage.shown_areas()), n)
        self.assertIn("nothing is stored yet", self.desk.bench.head.line)
        self.assertTrue(self.want.called, "recipes are asked for in the background")
        self.assertIn(f"First plan, 0 of {n} areas accepted", self.card())
        self.assertRegex(self.card(), r"\d+–\d+\u2009h")
        self.assertIn("no recipe yet", self.card())
        self.assertEqual([s.key for s in self.mat._stops if s.key.startswith("patch ")], [a.id for a in self.whole.patches])
        self.stage.choose_way(whole_card.EYE)
        for p in self.eye:
            QTest.mouseClick(self.mat, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, self.at(*p).toPoint())
        self.settle()
        self.settle()
        self.assertEqual(self.whole.patches[0].name, "Eye")
        n = len(self.whole.patches)
        self.assertIn(f"Accept all {n}", self.desk.bench.next.text())
        self.desk.bench.next.click()
        self.settle()
        self.assertEqual(len(self.session.areas), n)
        self.assertFalse(self.stage.parting)
        self.assertEqual((self.desk.bench.head.name, self.desk.bench.next.text()), ("The whole animal", f"Solve all {n}"))
        with mock.patch.object(self.session.portrait, "solve_all") as solve:
            self.desk.bench.next.click()
        self.assertTrue(solve.called)
        self.desk.take_back()
        self.settle()
        self.assertEqual(self.session.areas, (), "one step takes all of them back")

    def test_a_patch_is_looked_at_accepted_or_taken_out(self):
        self.parted()
        a, b = self.whole.patches[0], self.whole.patches[1]
        x, y = overlays._place(a.ring, a.smooth, a.holes, ())
        QTest.mouseClick(self.mat, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, self.at(x, y).toPoint())
        self.settle()
        self.assertEqual(self.whole.chosen, a.id)
        self.assertEqual(self.desk.bench.head.name, a.name)
        self.press("Accept this patch")
        self.assertEqual([q.name for q in self.session.areas], [a.name])
        self.stage.choose_key(b.id)
        self.settle()
        self.press("Not the animal")
        self.assertNotIn(b.id, {q.id for q in self.whole.patches})
        self.assertEqual(len(self.session.areas), 1)

    def test_few_or_many_and_leaving(self):
        self.parted()
        (count,) = (q for q in self.desk.bench.findChildren(Stepper) if q.accessibleName() == "Patches of coat")
        count.changed.emit(12)
        self.settle()
        self.assertEqual(len(self.whole.patches), 12)
        self.press("Leave the proposal")
        self.assertFalse(self.stage.parting)
        self.assertEqual((self.session.areas, self.stage.shown_areas()), ((), ()))
        self.assertIn("Part the whole animal", self.desk.bench.next.text())

    def test_what_is_proposed_is_basted_and_what_is_stored_is_sewn(self):
        self.parted()
        self.whole.accept(self.whole.patches[0].id)
        self.settle()
        loose = [self.stage.outlines.loose(a) for a in self.stage.shown_areas()]
        self.assertEqual(loose, [False, *[True] * len(self.whole.patches)])
        drawn = []
        with mock.patch.object(overlays, "two_tone", lambda _p, _path, _width, dash=None, *_more: drawn.append(tuple(dash or ()))):
            self.mat.resize(self.mat.width() - 3, self.mat.height())
            self.mat.grab()
        self.assertEqual(drawn.count(overlays.SEWN), 1)
        self.assertEqual(drawn.count(overlays.BASTED), len(self.whole.patches))

    def test_one_area_can_still_be_drawn_by_itself(self):
        self.press("Draw one area")
        self.assertIs(self.mat.gesture, self.stage.gestures["loop"])
        self.assertFalse(self.stage.parting)

    def test_questions_are_asked_with_a_picture_and_answered_by_a_button(self):
        self.whole.few = 3  # the drawn animal is small
        self.parted()
        asked = self.whole.asked
        pictures = self.desk.bench.findChildren(PatchPicture)
        self.assertEqual(len(pictures), len(asked))
        self.assertIn("one", {q.kind for q in asked})
        about = next(q for q in asked if q.kind == "one")
        rings = [a.ring for a in self.whole.patches if a.id in about.patches]
        shown = next(q for q in pictures if list(q.rings) == rings)
        at = shown.shown()
        self.assertTrue(all(at.left() <= x <= at.right() and at.top() <= y <= at.bottom() for r in rings for x, y in r), "all of both is in the picture")
        n = len(self.whole.patches)
        self.press("One")
        self.assertEqual(len(self.whole.patches), n - 1)
        self.assertNotIn("One patch or two?", self.card())
