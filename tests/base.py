"""The one base of interface tests: offscreen, a studio of its own, wait-until, gestures, clean-up."""

from __future__ import annotations

import gc
import sys
import tempfile
import time
import traceback
import unittest
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer, QtMsgType, qInstallMessageHandler
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QWidget

from hanabira.desk import paint
from hanabira.desk.ask import Card
from hanabira.desk.jobs import JobRunner
from hanabira.desk.start import make_app
from hanabira.desk.window import Desk
from hanabira.session.session import Session
from hanabira.studio.store import Store

ANSWER_MS = 60_000
"""How long a card may stand open before the test fails, in milliseconds."""


class DeskCase(unittest.TestCase):
    """Opens a window on a fresh studio. A warning of Qt or a bug report fails the test."""

    size = (1280, 800)

    def setUp(self) -> None:
        self.app: QApplication = make_app()
        self._warnings: list[str] = []
        self._old = qInstallMessageHandler(self._on_qt)
        self._temp = tempfile.TemporaryDirectory()
        self.folder = Path(self._temp.name) / "studio"
        self.said: list = []
        self.desk: Desk | None = None
        self.addCleanup(self._temp.cleanup)
        self.addCleanup(setattr, sys, "excepthook", sys.__excepthook__)
        self.addCleanup(qInstallMessageHandler, self._old)
        self.addCleanup(self.close_desk)
        # a dialog that nobody answers would wait for ever
        unanswered = mock.patch.object(QFileDialog, "exec", side_effect=AssertionError("a file dialog was opened that no test answers"))
        unanswered.start()
        self.addCleanup(unanswered.stop)
        waiting = mock.patch.object(Card, "exec", self._exec_watched)
        waiting.start()
        self.addCleanup(waiting.stop)
        self.prepare(self.folder)
        self.open_desk()

    @property
    def _exec_watched(self) -> Callable[[Card], int]:
        """`Card.exec` that puts a card away, and fails the test, when nobody has answered it in time."""
        warned = self._warnings

        def watched(card: Card) -> int:
            watch = QTimer(card)
            watch.setSingleShot(True)
            watch.timeout.connect(lambda: (warned.append(f"the card {card.windowTitle()!r} was opened and never answered"), card.reject()))
            watch.start(ANSWER_MS)
            done = QDialog.exec(card)
            watch.stop()
            return done

        return watched

    def prepare(self, folder: Path) -> None:
        """Fill the studio before the window opens."""

    def open_desk(self) -> Desk:
        """Open a window on the studio, as a start of the application does."""
        self.session = Session(Store.open(self.folder), JobRunner())
        self.session.messages.said.connect(self.said.append)
        sys.excepthook = self._on_exception
        self.desk = Desk(self.session)
        self.desk.camera.ask_time = lambda _name, _when, now: now  # pictures of the repository are as old as its checkout
        self.desk.resize(*self.size)
        self.desk.show()
        QTest.qWaitForWindowExposed(self.desk)
        self.settle()
        return self.desk

    def close_desk(self) -> None:
        """Close the window as a person does."""
        if self.desk is not None:
            self.desk.close()
            self.desk.deleteLater()
            self.desk = None
            self.app.sendPostedEvents(None, QEvent.Type.DeferredDelete)
            self.app.processEvents()
            gc.collect()

    def tearDown(self) -> None:
        self.close_desk()
        if any(m.kind == "bug" for m in self.said):
            reports = sorted((self.folder / "reports").glob("*.txt"))
            self.fail("\n".join(r.read_text() for r in reports) or "a bug without a report")
        self.assertEqual(self._warnings, [])

    def _on_exception(self, kind: type[BaseException], error: BaseException, tb: object) -> None:
        traceback.print_exception(error)
        self.session.messages.hook(kind, error, tb)  # type: ignore[arg-type]

    def _on_qt(self, kind: QtMsgType, _context: object, words: str) -> None:
        # the offscreen platform says what it has no screen for
        if kind not in (QtMsgType.QtDebugMsg, QtMsgType.QtInfoMsg) and not words.startswith("This plugin does not support"):
            self._warnings.append(words)

    # -- waiting ------------------------------------------------------------
    def wait_until(self, condition: Callable[[], bool], seconds: float = 120.0, what: str = "") -> None:
        """Process events until something is so."""
        end = time.monotonic() + seconds
        while not condition():
            if time.monotonic() > end:
                self.fail(f"waited {seconds:.0f} s for {what or condition}; said: {[m.what for m in self.said]}")
            self.app.processEvents()
            time.sleep(0.005)
        self.app.processEvents()

    def settle(self) -> None:
        """Let all work finish."""
        self.wait_until(lambda: not self.session.jobs.busy, what="the work to finish")
        for _ in range(3):
            self.app.processEvents()
        self.wait_until(lambda: not self.session.jobs.busy)
        self.clear_away()

    def clear_away(self) -> None:
        """Let go of what a window that runs would have let go of by now; kept, it would make every restyling and every event dearer."""
        self.app.sendPostedEvents(None, QEvent.Type.DeferredDelete)

    # -- gestures -------------------------------------------------------------
    def click(self, widget: QWidget, at: QPointF | None = None, double: bool = False) -> None:
        """Click a widget, in its middle or at a place."""
        point = at.toPoint() if at is not None else widget.rect().center()
        (QTest.mouseDClick if double else QTest.mouseClick)(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, point)
        self.app.processEvents()

    def click_stop(self, widget, key: str) -> None:  # noqa: ANN001
        """Click one thing in a drawn widget."""
        self.click(widget, widget.click_point(key))

    def drag(self, widget: QWidget, points: list[QPointF]) -> None:
        """Press, move along the points, let go."""
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, points[0].toPoint())
        for q in points[1:]:
            QTest.mouseMove(widget, q.toPoint())
            self.app.processEvents()
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, points[-1].toPoint())
        self.app.processEvents()

    def key(self, widget: QWidget, key: Qt.Key | str, mods: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """Press and release a key."""
        QTest.keyClick(widget, key, mods)
        self.app.processEvents()

    def at_sizes(self, *sizes: tuple[float, tuple[int, int]]) -> Iterator[tuple[float, tuple[int, int]]]:
        """The window at one text size (1 is the usual) and window size after the other, settled and with nothing said to be cut yet."""
        for text, size in sizes:
            if text != self.session.settings.get("text_size"):
                self.session.settings.set("text_size", text)
                self.desk.restyle()
            self.desk.resize(*size)
            self.settle()
            paint.CLIPPED.clear()
            yield text, size

    def in_both_themes(self) -> Iterator[str]:
        """The window by day and in the evening."""
        for name in ("day", "evening"):
            self.session.settings.set("theme", name)
            self.desk.restyle()
            yield name

    def none_wrong(self, wrong: Sequence[str]) -> None:
        """Nothing was found; else all of it is told at once."""
        self.assertEqual(list(wrong), [], "\n".join(wrong))

    def uncut(self, where: object) -> None:
        """Nothing that is painted now is cut."""
        paint.CLIPPED.clear()
        self.desk.grab()
        self.assertEqual(paint.CLIPPED, [], where)

    def type(self, widget: QWidget, words: str) -> None:
        """Type words."""
        QTest.keyClicks(widget, words)
        self.app.processEvents()

    @staticmethod
    def near(p: QPointF, dx: float = 0, dy: float = 0) -> QPoint:
        """A widget point beside another."""
        return QPoint(round(p.x() + dx), round(p.y() + dy))
