"""Every card, slip and window of its own at every size and type, what a studio shows before there is anything, and how well all words stand out."""

import itertools
import unittest
from collections.abc import Callable, Iterator
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QLabel, QWidget

from hanabira.core.faults import LostStudio, StudioFault
from hanabira.desk import ask, paint
from hanabira.desk.drawn import Drawn
from hanabira.desk.explain import TOPICS
from hanabira.desk.rescue import Rescue
from hanabira.handbook.pages import glossary
from hanabira.studio.records import Commission
from hanabira.studio.store import Store
from tests.desk import inks, survey
from tests.desk.test_desk import DemoCase
from tests.desk.test_layout import HARD, SIZES, TEXTS, LayoutCase

EVERY = tuple((text, size) for size in SIZES for text in TEXTS)


def wrong_in(card: QWidget) -> list[str]:
    """What the survey finds on a card or a window."""
    return (
        inks.unreadable(card) + survey.cut(card) + survey.astray(card) + survey.nameless(card) + survey.small(card) + survey.too_wide(card)
    )


class Dialogs(DemoCase):
    def prepare(self, folder: Path) -> None:
        super().prepare(folder)
        with Store.open(folder) as store:
            store.backup()

    def dialogs(self) -> Iterator[tuple[str, Callable[[], QWidget]]]:
        """Everything that opens over the desk or beside it, by name."""
        desk, session = self.desk, self.session
        answers = {"remove": "Remove it with all its files", "keep": "Keep the commission"}

        def question() -> QWidget:
            card = ask.Card(desk, "Remove Tansy for good?", "Photos, areas, recipes and the log go with it.", "It cannot be taken back.")
            card.answers(answers, "keep", "remove")
            return card

        def opened(what: Callable[[], object], which: Callable[[], QWidget]) -> Callable[[], QWidget]:
            return lambda: (what(), which())[1]

        yield "question", question
        yield "note", lambda: ask.NoteCard(desk, "Note", "Your note to this step.")
        yield "pencil", lambda: ask.PencilCard(desk, "Another pencil", "Which one was used instead?", session.kit)
        yield "picture", lambda: ask.PictureCard(desk, "Choose a picture file", Path(__file__).parent, session.jobs, lambda: "")
        for topic in TOPICS:
            yield f"how {topic}", opened(lambda topic=topic: desk.explain(topic), lambda: desk.explanation)
        for word in ("tooth", max(glossary(), key=lambda q: len(glossary()[q].words))):
            yield f"word {word}", opened(lambda word=word: desk.open_word(word, desk.bench), lambda: desk.explanation)
        yield "commands", opened(desk.find_command, lambda: desk.command_list)
        yield "ruler", opened(desk.calibrate_screen, lambda: desk.screen_ruler)
        for page in ("first", "measures", "words", "about"):
            yield f"handbook {page}", opened(lambda page=page: desk.open_handbook(page), lambda: desk.handbook)
        yield "way back", lambda: Rescue(self.folder, None, lambda: None)
        yield "lost", lambda: Rescue(self.folder, LostStudio("The studio’s database is damaged.", do="Go back to a backup."), lambda: None)
        yield "locked", lambda: Rescue(self.folder, StudioFault("Another program holds the studio.", do="Close it there."), lambda: None)

    def test_every_card_slip_and_window_at_every_size_and_type(self):
        wrong: list[str] = []
        for text, size in self.at_sizes(*EVERY):
            for name, make in self.dialogs():
                card = make()
                if isinstance(card, Rescue):  # a window of its own: the artist's screen is as large as the desk
                    card.resize(card.size().boundedTo(QSize(*size)))
                card.show()
                self.settle()
                found = wrong_in(card)
                if card.width() > size[0] or card.height() > size[1]:
                    found.append(f"{card.width()}x{card.height()} is larger than the window")
                wrong += [f"{name} at {text} in {size}: {q}" for q in found]
                card.close()
                self.app.processEvents()
        self.none_wrong(wrong)

    def test_their_words_and_the_keyboards_place_stand_out_in_both_themes(self):
        wrong: list[str] = []
        for theme in self.in_both_themes():
            for name, make in self.dialogs():
                card = make()
                card.show()
                self.settle()
                wrong += [f"{name} by {theme}: {q}" for q in inks.faint(card) + survey.unmarked(card)]
                card.close()
                self.app.processEvents()
        self.none_wrong(wrong)

    def test_a_filled_sheet_as_it_is_read(self):
        self.desk.show_room("Kit")
        self.settle()
        room = self.desk.current
        room.reading.simulate_scan()
        self.settle()
        wrong: list[str] = []
        for where in self.at_sizes(*HARD):
            wrong += [f"reading at {where}: {q}" for q in wrong_in(self.desk)]
        self.none_wrong(wrong)


class Words(LayoutCase):
    """Contrast of every painted word on every stage, room and card."""

    def test_all_words_stand_out_in_both_themes(self):
        wrong: list[str] = []
        for theme in self.in_both_themes():
            for name in itertools.chain(self.places(), self.opened_cards()):
                wrong += [f"{name} by {theme}: {q}" for q in inks.faint(self.desk)]
        self.none_wrong(wrong)

    def test_faint_words_are_found(self):
        """A check that cannot fail is none."""

        class Page(Drawn):
            ink = "ink"

            def paint(self, p, w, h) -> None:  # noqa: ANN001
                p.fillRect(QRectF(0, 0, w, h), QColor("#f4f3ef"))
                paint.text(p, QRectF(10, 10, 200, 30), "Fifteen hours", "body", self.ink)

        page = Page("A page")
        page.resize(240, 60)
        page.show()
        self.assertEqual(inks.faint(page), [])
        for ink in (QColor("#dddddd"), QColor(0, 0, 0, 60)):
            with mock.patch.object(Page, "ink", ink):
                self.assertIn("Fifteen hours", "".join(inks.faint(page)))
        with mock.patch.object(
            Page, "paint", lambda _s, p, _w, _h: [paint.text(p, QRectF(10, 10, 200, 30), q) for q in ("Fifteen hours", "of work")]
        ):
            self.assertTrue(inks.unreadable(page))
        self.assertEqual(inks.unreadable(page), [])
        long = lambda _s, p, _w, _h: paint.text(p, QRectF(10, 10, 60, 30), "Fifteen hours of work", elide=True)  # noqa: E731
        with mock.patch.object(Page, "paint", long):
            self.assertEqual(inks.unreadable(page), [])
            self.assertEqual(page.tip(QPointF(30, 25)), "Fifteen hours of work")
            self.assertEqual(page.tip(QPointF(200, 25)), "")
            with mock.patch.object(Page, "tip", lambda _s, _at: ""):
                self.assertIn("not told", "".join(inks.unreadable(page)))
        self.assertEqual(inks.unreadable(page), [])
        page.close()
        box = QWidget()
        for n, ink in enumerate(("#1b1b1b", "#b0b0b0")):
            label = QLabel("Fifteen hours", box)
            label.setGeometry(4, 4 + 40 * n, 200, 32)
            label.setStyleSheet(f"color: {ink}; background: #f1f1f1;")
        box.resize(220, 90)
        box.show()
        (only,) = inks.faint(box)
        self.assertIn("QLabel", only)
        box.close()


class Nothing(LayoutCase):
    """Stages of a commission that has a name and nothing else, and a studio without one."""

    def prepare(self, folder: Path) -> None:
        with Store.open(folder) as store:
            store.edit([Commission("c", "Tansy")])

    def test_every_stage_and_room_at_every_size_and_type(self):
        self.walk_stages()

    def test_words_stand_out_before_there_is_a_photo(self):
        wrong: list[str] = []
        for theme in self.in_both_themes():
            for name in self.places():
                wrong += [f"{name} by {theme}: {q}" for q in inks.faint(self.desk)]
        self.none_wrong(wrong)


if __name__ == "__main__":
    unittest.main()
