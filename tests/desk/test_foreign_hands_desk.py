"""What a window says and offers when another program changes the files of its studio."""

import shutil
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

from PyQt6.QtTest import QTest

from hanabira.desk import ask
from hanabira.desk.rescue import Rescue
from hanabira.session.edits import EditBrief
from hanabira.studio.database import DATABASE
from hanabira.studio.records import Commission
from hanabira.studio.store import Store
from tests.base import DeskCase


class TwoWays(DeskCase):
    def prepare(self, folder: Path) -> None:
        with Store.open(folder) as store:
            store.edit([Commission("c", "Tansy", created="2026-01-01T00:00:00")])
        with Store.open(folder.parent / "other") as store:
            store.edit([Commission("x", "Foreign", created="2026-01-01T00:00:00")])

    def rename(self, name: str) -> bool:
        return self.session.do(EditBrief(self.session, "name", False, name=name))

    def swap(self) -> None:
        shutil.copyfile(self.folder.parent / "other" / DATABASE, self.folder / "new")
        (self.folder / "new").replace(self.folder / DATABASE)

    def asked(self, answer: str) -> tuple[list, list]:
        """What the card asks and which studios are opened when it is answered so."""
        asked, shown = [], []
        self.desk.show_studio = shown.append

        def question(_parent, title, words, more, answers, _harm, usual):
            asked.append((title, words, more, dict(answers), usual))
            return answer

        with mock.patch.object(ask, "question", question):
            self.assertFalse(self.rename("Tansy Merrin"), "what is not stored is not said to be")
            self.settle()
        return asked, shown

    def names(self) -> list[str]:
        with Store.open(self.folder) as store:
            return [c.name for c in store.all(Commission)]

    def test_it_is_said_once_and_what_the_window_holds_can_be_taken(self):
        self.assertTrue(self.rename("Tansy the second"))
        self.swap()
        asked, shown = self.asked("mine")
        ((title, words, more, answers, usual),) = asked
        self.assertIn("changed by another program", title)
        self.assertIn("/rescue/", words.replace("\u200b", ""))
        self.assertIn("Nothing is deleted", more)
        self.assertEqual((list(answers), usual), (["mine", "theirs", "stay"], "mine"))
        self.assertTrue(any("another program put other files in its place" in m.what for m in self.said), [m.what for m in self.said])
        self.assertEqual(shown, [self.folder])
        self.assertFalse(self.desk.isVisible())
        self.assertEqual(self.names(), ["Tansy the second"])

    def test_what_lies_there_can_be_taken_and_ours_is_offered_later(self):
        self.swap()
        _asked, shown = self.asked("theirs")
        self.assertEqual((shown, self.names()), ([self.folder], ["Foreign"]))
        window = Rescue(self.folder, None, lambda: None)
        self.addCleanup(window.close)
        self.assertEqual(window.list.rows[0].reason, "rescued")
        self.assertIn("1 commission", window.list.rows[0].words)

    def test_later_leaves_the_window_open_and_is_not_asked_at_every_edit(self):
        self.swap()
        asked, shown = self.asked("stay")
        with mock.patch.object(ask, "question", side_effect=AssertionError("asked again")):
            self.assertFalse(self.rename("once more"))
            self.settle()
        self.assertEqual((len(asked), shown, self.desk.isVisible()), (1, [], True))
        self.assertEqual(self.session.commission.name, "Tansy")

    def test_a_folder_that_is_gone_can_be_put_back(self):
        shutil.rmtree(self.folder)
        asked, shown = self.asked("mine")
        self.assertIn("are gone", asked[0][0])
        self.assertEqual(list(asked[0][3]), ["mine", "stay"])
        self.assertEqual((shown, self.names()), ([self.folder], ["Tansy"]))

    def test_it_is_noticed_without_an_edit(self):
        self.swap()
        with mock.patch.object(ask, "question", return_value="stay") as question:
            self.desk._each_minute()
            self.settle()
        self.assertEqual(question.call_count, 1)

    def test_the_card_has_room_in_large_type(self):
        self.swap()
        self.assertFalse(self.session.store.look())
        seen = []
        for text, size in self.at_sizes((2.0, (1024, 700)), (1.0, (1280, 800))):
            with mock.patch("hanabira.desk.ask.Card.exec", lambda card: (card.show(), self.app.processEvents(), seen.append(card.size()), card.reject())[-1]):
                self.desk.choose_studio()
            self.assertLessEqual(seen[-1].width(), size[0], text)
            self.assertLessEqual(seen[-1].height(), size[1], text)
        self.assertEqual(len(seen), 2)


class Remarks(DeskCase):
    def prepare(self, folder: Path) -> None:
        with Store.open(folder) as store:
            store.edit([Commission("c", "Tansy", created="2026-01-01T00:00:00")])
        (folder / DATABASE).write_bytes(b"\x55" * 9000)

    def test_what_was_built_up_again_is_said(self):
        self.assertEqual([c.name for c in self.session.commissions], ["Tansy"])
        self.assertEqual(self.desk.message_strip.message.what, "The studio’s database was damaged.")
        self.assertIn("nothing is missing", self.desk.message_strip.message.kept)
        self.said.clear()


class OneAfterTheOther(DeskCase):
    def prepare(self, folder: Path) -> None:
        with Store.open(folder) as store:
            store.edit([Commission("c", "Tansy", created="2026-01-01T00:00:00")])

    def test_a_closed_window_changes_nothing_under_the_next_one(self):
        first = self.desk
        first.session.open_commission("c")
        late = []
        first._after(30, lambda: late.append(first))
        first.close()
        self.addCleanup(first.deleteLater)
        self.open_desk()
        QTest.qWait(80)
        self.assertFalse(late)
        self.assertFalse(any(t.isActive() for t in first._waits))
        self.assertTrue(self.session.do(EditBrief(self.session, "notes", False, notes="a little back")))
        self.assertIsNone(self.session.store.displaced)


class Stale(DeskCase):
    def prepare(self, folder: Path) -> None:
        with Store.open(folder) as store:
            store.edit([Commission("c", "Tansy", client="Oda", created="2026-01-01T00:00:00")])

    def test_what_another_window_wrote_is_shown_after_it_is_said(self):
        with mock.patch("fcntl.flock"):
            other = Store.open(self.folder)
        other._watch.changed = self.session.store._watch.changed = lambda: ""
        other.edit([replace(other.get(Commission, "c"), client="Halden")])
        self.assertFalse(self.session.do(EditBrief(self.session, "notes", False, notes="a little back")))
        self.assertEqual(self.session.commission.client, "Halden")
        self.assertTrue(self.session.do(EditBrief(self.session, "notes", False, notes="a little back")))
        self.assertEqual(other.get(Commission, "c").client, "Halden")
        self.session.store.close()
        other.close()


if __name__ == "__main__":
    unittest.main()
