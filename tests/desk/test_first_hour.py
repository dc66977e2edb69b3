"""The first hour by the keyboard alone: from an empty studio to a printed card of one's own photo, each screen saying what is next."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
from PIL import Image
from pypdf import PdfReader
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tests.base import DeskCase

Key = Qt.Key


class ByKeysAlone(DeskCase):
    """Nothing is clicked; what has the keyboard gets the keys."""

    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.place = Path(temp.name)
        rng = np.random.default_rng(5)
        y, x = np.mgrid[0:600, 0:480]
        fur = 130 + 40 * np.sin(x / 5 + 0.4 * np.sin(y / 9)) + rng.normal(0, 6, (600, 480))
        photo = np.stack([fur, 0.75 * fur, 0.5 * fur], -1)
        photo[(np.hypot(x - 240, y - 300) > 210)] = (150, 170, 150)
        self.photo = self.place / "Moss.jpg"
        Image.fromarray(np.clip(photo, 0, 255).astype(np.uint8)).save(self.photo, quality=95)
        super().setUp()

    def press(self, key: str | Key, mods: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        target = self.desk.focusWidget() or self.desk
        (QTest.keyClicks if isinstance(key, str) and len(key) > 1 else QTest.keyClick)(target, key, mods)
        self.app.processEvents()

    def command(self, words: str) -> None:
        """Find a command and do it."""
        self.desk.find_command()
        QTest.keyClicks(self.desk.command_list.field, words)
        QTest.keyClick(self.desk.command_list.field, Key.Key_Return)
        self.app.processEvents()

    def shortcut(self, words: str) -> None:
        """A shortcut of the menu: offscreen the keys are given to the act that has them."""
        self.desk.actions_[words].trigger()
        self.app.processEvents()

    def next_words(self) -> str:
        return self.desk.bench.next.text()

    def enter_next(self) -> None:
        """Go to the one next thing and take it, as Tab and Enter do."""
        self.desk.bench.next.setFocus(Qt.FocusReason.TabFocusReason)
        self.press(Key.Key_Space)
        self.settle()

    def test_from_nothing_to_a_printed_card(self):
        desk, card = self.desk, self.place / "card.pdf"
        desk.ask_open_path = lambda: str(self.photo)
        desk.ask_save_path = lambda _name: str(card)
        desk.open_file = lambda _path: None
        self.assertEqual(desk.current.name, "Shelf")
        self.assertTrue(self.next_words())
        self.shortcut("New commission")
        self.settle()
        self.assertEqual(desk.current.name, "Brief")
        self.press("Moss")  # the name is selected: typing replaces it
        self.assertEqual(self.session.commission.name, "Moss")
        self.shortcut("Add a photo")
        self.settle()
        self.assertIsNotNone(self.session.photo)
        self.assertIn("tudy", self.next_words())
        self.enter_next()
        self.assertEqual(desk.current.name, "Study")
        self.assertIn("areas", self.next_words().lower())
        self.enter_next()
        self.assertEqual(desk.current.name, "Areas")
        self.command("draw an area by corners")
        mat = desk.current.mat
        mat.setFocus(Qt.FocusReason.OtherFocusReason)
        for key, times in ((Key.Key_Left, 8), (Key.Key_Right, 18), (Key.Key_Down, 18), (Key.Key_Left, 18)):
            for _ in range(times):
                self.press(key)
            self.press(Key.Key_Return)  # a corner where the hand is
            self.assertIn("Enter sets a corner", mat.gesture.hint)
        self.assertTrue(mat._by_keys)
        self.press(Key.Key_Return)  # once more in the same place closes
        self.settle()
        self.assertEqual(len(self.session.areas), 1)
        self.assertIsNotNone(self.session.measures(self.session.area_id))
        self.assertIn("ecipe", self.next_words())
        self.enter_next()
        self.assertEqual(desk.current.name, "Recipe")
        self.assertTrue(self.session.recipe_layers(self.session.area_id))
        self.shortcut("Print the recipe card")
        self.settle()
        text = "\n".join(p.extract_text() for p in PdfReader(card).pages)
        self.assertIn("Moss", text)
        self.assertIn(self.session.recipe_layers(self.session.area_id)[0].code, text)
        for stage in ("Plan", "Easel", "Check"):
            self.shortcut(stage)
            self.settle()
            self.assertTrue(self.next_words() or desk.current.full, stage)


if __name__ == "__main__":
    unittest.main()
