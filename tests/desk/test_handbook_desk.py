"""The handbook in its window, dotted words on the spot, and the studio's own cards for what is asked."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
from PIL import Image
from pypdf import PdfReader
from PyQt6.QtCore import Qt, QTimer, QUrl
from PyQt6.QtGui import QIcon, QImage
from PyQt6.QtTest import QTest

from hanabira.desk import ask
from hanabira.desk.book import print_book, whole_book
from hanabira.desk.controls import PetalButton, Words
from hanabira.desk.handbook import libraries
from hanabira.desk.paint import mapped
from hanabira.desk.widgets.word_picture import PICTURES, WordPicture
from hanabira.handbook import pages as book
from hanabira.studio.cache import cache_folder
from tests.desk.test_desk import DemoCase


class InTheWindow(DemoCase):
    def test_f1_opens_the_page_of_the_open_stage_and_links_lead_on_and_back(self):
        for name in ("Areas", "Plan"):
            self.desk.go(name)
            self.settle()
            self.desk.actions_["Handbook: the page of this stage"].trigger()
            self.assertEqual(self.desk.handbook.now, name.lower())
        shown = self.desk.handbook
        self.assertTrue(shown.isVisible())
        self.assertEqual(self.desk.actions_["Handbook: the page of this stage"].shortcut().toString(), "F1")
        shown.reader.anchorClicked.emit(QUrl("words.md#check-strip"))
        self.assertEqual(shown.now, "words")
        self.assertGreater(shown.reader.verticalScrollBar().value(), 100)
        shown.go_back()
        self.assertEqual(shown.now, "plan")
        self.key(shown, Qt.Key.Key_Escape)
        self.assertFalse(shown.isVisible())

    def test_all_pages_are_searched(self):
        self.desk.open_handbook()
        shown = self.desk.handbook
        everything = shown.list.count()
        shown.search.setText("kneaded eraser")
        self.assertEqual([shown.list.item(k).data(Qt.ItemDataRole.UserRole) for k in range(shown.list.count())], ["words"])
        self.assertIn("kneaded", shown.list.item(0).text())
        shown.search.setText("")
        self.assertEqual(shown.list.count(), everything)
        self.assertEqual(everything, len(book.ORDER) + 1)

    def test_about_says_where_the_studio_lies_and_leads_to_its_backups(self):
        self.desk.open_handbook("about")
        words = self.desk.handbook.reader.toPlainText()
        self.assertIn(str(self.session.store.folder), words)
        self.assertIn(str(cache_folder()), words)
        self.assertIn("General Public License", words)
        self.assertIn("Open Font License", words)
        for name in ("PyQt6", "scipy", "reportlab"):
            self.assertIn(name, words)
        self.assertTrue(all(licence for _n, _v, licence in libraries()))
        before = len(self.session.store.backups())
        self.desk.handbook.reader.anchorClicked.emit(QUrl("act:backup"))
        self.settle()
        self.assertEqual(len(self.session.store.backups()), before + 1)
        opened = []
        self.desk.open_file = opened.append
        self.desk.handbook.reader.anchorClicked.emit(QUrl("act:folder"))
        self.assertEqual(opened, [self.session.store.folder])

    def test_a_measures_card_leads_to_its_mathematics(self):
        self.desk.explain("hair")
        card = self.desk.explanation
        more = next(q for q in card.findChildren(PetalButton) if "mathematics" in q.text())
        more.click()
        self.assertEqual(self.desk.handbook.now, "measures")
        self.assertGreater(self.desk.handbook.reader.verticalScrollBar().value(), 100)

    def test_a_dotted_word_opens_two_sentences_and_a_picture(self):
        words = Words("The tooth is full, so burnish nothing.", "small", "ink", self.desk)
        words.setGeometry(20, 120, 360, 40)
        words.show()
        self.assertEqual(words.stop_keys(), ["word tooth", "word burnish"])
        plain = Words("Lay it over the light of this area.", "small", "ink", self.desk)
        plain.setGeometry(20, 180, 360, 40)
        self.assertEqual(plain.stop_keys(), [], "what everybody reads is not dotted")
        for key in ("tooth", "burnish"):
            r = next(r for word, r in words._places(360) if word == key)
            picture = words.grab().toImage()
            rows = [y for y in range(int(r.top()), min(picture.height(), int(r.bottom()) + 2))]
            inked = sum(picture.pixelColor(x, y).lightness() < 200 for y in rows[-4:] for x in range(int(r.left()), int(r.right())))
            self.assertGreater(inked, r.width() / 4)
        self.click(words, words.click_point("word tooth"))
        card = self.desk.explanation
        self.assertIn(book.glossary()["tooth"].words, card.accessibleName())
        self.assertEqual(card.findChildren(WordPicture)[0].name, "tooth")
        next(q for q in card.findChildren(PetalButton) if q.text() == "All words").click()
        self.assertEqual(self.desk.handbook.now, "words")

    def test_each_picture_shows_something_of_its_own(self):
        seen = []
        for name in PICTURES:
            widget = WordPicture(name, self.desk)
            widget.resize(320, 110)
            image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
            bits = image.constBits()
            bits.setsize(image.sizeInBytes())
            pixels = np.frombuffer(bytes(bits), np.uint8)
            self.assertGreater(len(np.unique(pixels)), 4, name)
            self.assertTrue(all(not np.array_equal(pixels, other) for other in seen), name)
            seen.append(pixels)

    def test_the_book_is_printed_with_every_page_and_its_number(self):
        with tempfile.TemporaryDirectory() as folder:
            path = print_book(Path(folder) / "book.pdf")
            reader = PdfReader(path)
            text = " ".join(" ".join(p.extract_text() for p in reader.pages).split())
            letter = PdfReader(print_book(Path(folder) / "letter.pdf", "Letter"))
        self.assertGreaterEqual(len(reader.pages), len(book.ORDER))
        for page in book.pages().values():
            self.assertIn(page.title, text)
        self.assertIn("first time", text, "no joined letters that cannot be searched")
        self.assertAlmostEqual(float(reader.pages[0].mediabox.width) / 72 * 25.4, 210, delta=0.6)
        self.assertAlmostEqual(float(letter.pages[0].mediabox.width) / 72 * 25.4, 215.9, delta=0.6)
        self.assertIn("2", reader.pages[1].extract_text().split())
        self.assertNotIn("<!--", "".join(whole_book()))


class Cards(DemoCase):
    """Cards that ask; none of them blocks a test: what a person does is done while they are open."""

    def soon(self, do) -> None:
        def guarded() -> None:
            try:
                do()
            except BaseException as error:  # an open card would wait for ever
                self.gone_wrong = error
                for card in self.desk.findChildren(ask.Card):
                    card.reject()

        QTimer.singleShot(0, guarded)

    gone_wrong: BaseException | None = None

    def tearDown(self) -> None:
        super().tearDown()
        if self.gone_wrong is not None:
            raise self.gone_wrong

    def open_card(self) -> ask.Card:
        return next(q for q in self.desk.findChildren(ask.Card) if q.isVisible())

    def test_a_question_gives_the_key_of_its_answer_and_escape_the_harmless_one(self):
        answers = {"remove": "Remove it", "keep": "Keep it"}
        self.soon(lambda: next(q for q in self.open_card().findChildren(PetalButton) if q.text() == "Remove it").click())
        self.assertEqual(ask.question(self.desk, "Remove for good", "Really?", "It is gone then.", answers, "remove", "keep"), "remove")
        self.soon(lambda: QTest.keyClick(self.open_card(), Qt.Key.Key_Escape))
        self.assertEqual(ask.question(self.desk, "Remove for good", "Really?", "", answers, "remove", "keep"), "keep")
        self.soon(lambda: QTest.keyClick(self.open_card().focusWidget() or self.open_card(), Qt.Key.Key_Return))
        self.assertEqual(ask.question(self.desk, "Remove for good", "Really?", "", answers, "remove", "keep"), "keep")

    def test_a_note_of_more_lines_is_kept_by_enter(self):
        def write() -> None:
            card = self.open_card()
            QTest.keyClicks(card.field, "lid softer")
            QTest.keyClick(card.field, Qt.Key.Key_Return, Qt.KeyboardModifier.ShiftModifier)
            QTest.keyClicks(card.field, "rim darker")
            QTest.keyClick(card.field, Qt.Key.Key_Return)

        self.soon(write)
        self.assertEqual(ask.note(self.desk, "Note", "Your note to this step."), "lid softer\nrim darker")
        self.soon(lambda: self.open_card().give("away"))
        self.assertEqual(ask.note(self.desk, "Note", "Your note to this step."), "")

    def test_a_pencil_is_found_by_a_few_letters(self):
        kit = self.session.kit
        some = kit.pencils[7]

        def take() -> None:
            card = self.open_card()
            self.assertEqual(card.list.item(0).data(Qt.ItemDataRole.UserRole), some.code, "what is near stands first")
            QTest.keyClicks(card.field, kit.pencils[3].name[:7])
            QTest.keyClick(card.field, Qt.Key.Key_Return)

        self.soon(take)
        got = ask.pencil(self.desk, "Another pencil", "Which one?", kit, [some.code])
        self.assertIn(kit.pencils[3].name[:7].lower(), kit.get(got).name.lower())

        def nothing() -> None:
            card = self.open_card()
            lab = kit.masstone_lab[kit.index[kit.pencils[0].code]]
            for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):
                shown = card.list.item(0).icon().pixmap(card.list.iconSize(), mode).toImage()
                self.assertEqual(shown.pixelColor(shown.width() // 2, shown.height() // 2), mapped(lab), "a chosen swatch keeps its colour")
            card.field.setText("no such pencil at all")
            self.assertFalse(card.usual.isEnabled())
            card.give("away")

        self.soon(nothing)
        self.assertEqual(ask.pencil(self.desk, "Another pencil", "Which one?", kit), "")

    def test_a_picture_is_chosen_by_its_preview(self):
        with tempfile.TemporaryDirectory() as temp:
            folder = Path(temp)
            (folder / "older").mkdir()
            Image.new("RGB", (640, 400), (200, 40, 40)).save(folder / "rabbit.png")
            (folder / "broken.jpg").write_bytes(b"no picture")
            (folder / "letter.txt").write_text("no picture at all")
            Image.new("RGB", (300, 300), (1, 2, 3)).save(folder / "older" / "cat.png")

            def choose() -> None:
                card = self.open_card()
                names = [card.list.item(k).text() for k in range(card.list.count())]
                self.assertEqual(set(names), {"rabbit.png", "broken.jpg", "older/"})
                card.list.setCurrentRow(names.index("broken.jpg"))
                self.settle()
                self.assertIn("cannot be shown", card.facts.words)
                card.list.setCurrentRow(names.index("rabbit.png"))
                self.settle()
                self.assertIn("640 × 400", card.facts.words)
                shown = card.view.pixmap().toImage()
                self.assertEqual(shown.pixelColor(shown.width() // 2, shown.height() // 2).name(), "#c82828")
                card.enter(folder / "nowhere")
                self.assertIn("cannot be read", card.facts.words)
                card.list.setCurrentRow(names.index("older/"))
                card.give("take")  # a folder is entered
                self.assertEqual(card.list.item(0).text(), "cat.png")
                QTest.keyClick(card, Qt.Key.Key_Backspace)
                self.assertEqual(card.folder, folder)
                card.list.setCurrentRow([card.list.item(k).text() for k in range(card.list.count())].index("rabbit.png"))
                card.give("take")

            self.soon(choose)
            self.assertEqual(
                ask.picture(self.desk, "Choose a picture file", folder, self.session.jobs, lambda: ""), str(folder / "rabbit.png")
            )
            self.soon(lambda: self.open_card()._by_system())
            self.assertEqual(ask.picture(self.desk, "Choose a picture file", folder, self.session.jobs, lambda: "/x/y.png"), "/x/y.png")

    def test_cards_hold_at_every_size(self):
        from tests.desk import survey

        wrong = []
        for where in self.at_sizes((1.0, (1280, 800)), (1.5, (1024, 700)), (2.0, (1024, 700))):
            for card in (
                ask.NoteCard(self.desk, "Note", "Your note to this step."),
                ask.PencilCard(self.desk, "Another pencil", "Which one was used instead?", self.session.kit),
                ask.PictureCard(self.desk, "Choose a picture file", Path(__file__).parent, self.session.jobs, lambda: ""),
            ):
                card.show()
                self.settle()
                wrong += [f"{where} {card.windowTitle()}: {q}" for q in survey.cut(card) + survey.astray(card) + survey.nameless(card)]
                card.close()
        self.assertEqual(wrong, [], "\n".join(wrong))


if __name__ == "__main__":
    unittest.main()
