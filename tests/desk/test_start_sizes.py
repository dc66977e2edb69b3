"""A start, not a running window, in each type size and window size, with the commission left in each stage: it stands where it was left, and nothing is cut."""

import gc
import unittest
from dataclasses import replace

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtWidgets import QScrollBar

from hanabira.desk import start, theme
from hanabira.desk.jobs import JobRunner
from hanabira.desk.widgets.notices import MessageStrip, breakable
from hanabira.desk.window import Desk
from hanabira.session.messages import Message
from hanabira.session.session import Session
from hanabira.studio.records import STAGES, Commission
from hanabira.studio.store import Store
from tests.desk import survey
from tests.desk.test_desk import DemoCase

SIZES = ((1280, 800), (1024, 700), (1920, 1080))
PATH = "/home/somebody/.local/share/hanabira/studio/reports/report-20260915-102000-123456.txt"


class Starts(DemoCase):
    """The first window of the case is closed; each test starts windows of its own on the same studio."""

    def setUp(self):
        super().setUp()
        self.close_desk()

    def started(self, text: float, size: tuple[int, int], stage: str, awake: bool) -> Desk:
        """A window as `hanabira open` makes it."""
        with Store.open(self.folder) as store:
            store.keep_setting("text_size", text)
            store.keep_setting("window", list(size))
            store.edit([replace(c, stage=stage) for c in store.all(Commission)])
        self.session = Session(Store.open(self.folder), JobRunner())
        self.session.messages.said.connect(self.said.append)
        self.session.awake = False
        self.desk = Desk(self.session)
        wake, self.session.wake = self.session.wake, lambda: None
        start.stand(self.desk)
        if awake:
            wake()
            self.settle()
        return self.desk

    def gone(self) -> None:
        """Close the window without looking for garbage each time."""
        desk, self.desk = self.desk, None
        desk.close()
        desk.deleteLater()
        self.app.sendPostedEvents(None, QEvent.Type.DeferredDelete)

    def wrong(self, desk: Desk, stage: str) -> list[str]:
        """What is wrong with a window that stands."""
        out = [f"opened in {desk.current.name}"] if desk.current.name != stage else []
        out += [m.what for m in self.said if m.kind != "remark"]
        out += [f"plain scroll bar {q.objectName()}" for q in desk.findChildren(QScrollBar) if q.orientation() == Qt.Orientation.Horizontal and q.isVisible()]
        return out + survey.cut(desk) + survey.astray(desk) + survey.too_wide(desk)

    def test_every_start_stands_where_it_was_left(self):
        found = []
        for text in theme.TEXT_SIZES:
            for size in SIZES:
                for stage in STAGES:
                    self.said.clear()
                    found += [f"{text} {size} {stage}: {q}" for q in self.wrong(self.started(text, size, stage, False), stage)]
                    self.gone()
            gc.collect()
        self.said.clear()
        self.none_wrong(found)

    def test_the_photo_comes_without_harm_in_the_largest_type(self):
        found = []
        for stage in STAGES:
            found += [f"{stage}: {q}" for q in self.wrong(self.started(2.0, (1280, 800), stage, True), stage)]
            self.gone()
        self.none_wrong(found)

    def test_a_studio_whose_last_commission_is_gone_opens_the_shelf(self):
        for text, size in ((1.0, (1280, 800)), (2.0, (1280, 800)), (2.0, (1024, 700))):
            with Store.open(self.folder) as store:
                store.keep_setting("commission", "")
                store.edit(drop=store.all(Commission))
            desk = self.started(text, size, "Brief", True)
            self.assertEqual(self.wrong(desk, "Shelf"), [])
            self.gone()


class Notices(DemoCase):
    def test_a_path_is_told_whole_in_a_narrow_window_and_leaves_most_of_it_free(self):
        for text, size in self.at_sizes((2.0, (1280, 800)), (2.0, (1024, 700)), (1.5, (1024, 700)), (1.0, (1280, 800))):
            self.desk.show_room("Shelf")
            self.settle()
            strip: MessageStrip = self.desk.message_strip
            strip.say(Message("fault", "The change could not be stored.", "Everything before it is safe.", f"A report lies in {PATH}."))
            self.app.processEvents()
            self.uncut((text, size))
            self.assertIn(PATH, strip.words._body().replace("\u200b", ""))
            self.assertIn(PATH, strip.words.accessibleName())
            self.assertLess(strip.height(), 0.62 * self.desk.pages.height(), (text, size))
            self.assertGreater(strip.words.width(), 0.7 * self.desk.pages.width(), (text, size))
            self.assertEqual(strip.close_button.accessibleName(), "Put away")

    def test_short_words_stay_as_they_are(self):
        self.assertEqual(breakable("Make room on the disk, then try again."), "Make room on the disk, then try again.")


class ShelfHead(DemoCase):
    def test_search_stands_over_the_filter_where_both_have_no_room(self):
        shelf = self.desk.stages["Shelf"]
        self.desk.show_room("Shelf")
        for text, size in self.at_sizes((1.0, (1280, 800)), (2.0, (1280, 800)), (2.0, (1024, 700)), (1.0, (1920, 1080))):
            search, pick = shelf.search.geometry(), shelf.filter.geometry()
            below = search.bottom() < pick.top()
            self.assertEqual(below, text == 2.0, (text, size))
            self.assertFalse(search.intersects(pick))
            self.assertGreater(search.width(), 200 * min(text, 1.3))
            # what is known of each commission has its room
            for k, o in enumerate(shelf.boards.rows):
                board = shelf.boards._board(k, shelf.boards.design_width)
                frames = shelf.boards._frames(board, shelf.boards.design_width)
                self.assertFalse(frames[0].intersects(frames[1]))
                self.assertTrue(board.contains(frames[0]) and board.contains(frames[1]), o.commission.name)
                self.assertGreater(board.right() - frames[1].right(), 120)


if __name__ == "__main__":
    unittest.main()
