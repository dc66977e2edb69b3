"""Strips above the value rule: what is being done, and what has to be said."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QElapsedTimer, QEvent, QObject, QRectF, Qt, QTimer
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QWidget

from hanabira.desk import icon as icons
from hanabira.desk.controls import PetalButton
from hanabira.desk.drawn import Drawn
from hanabira.desk.paint import hatch, height, painting, text
from hanabira.desk.theme import role, scale

if TYPE_CHECKING:
    from hanabira.desk.jobs import JobRunner
    from hanabira.session.messages import Message

SHOW_AFTER_MS = 200
SIGN_UNDER = 460.0
"""Design width of a message under which its button is a sign alone, so that the words have the room."""
LONG_WORD = 14
"""A word of more letters (a file's path) may go on in the next line."""


def breakable(words: str) -> str:
    """Words whose paths begin at the person's own folder and may be broken anywhere: a path that is cut names nothing.

    >>> breakable("It lies in /x/photographs-of-1.png.").replace(chr(0x200B), "|")
    'It lies in /|x/|phot|ogra|phs-|of-|1.|png.|'
    """
    home = str(Path.home())
    if len(home) > 1:
        words = words.replace(f"{home}/", "~/")
    parts = (re.sub(r"([/_.-]|[^/_.-]{4}(?=[^/_.-]))", "\\1\u200b", q) if len(q) > LONG_WORD else q for q in words.split(" "))
    return " ".join(parts)


class _Progress(Drawn):
    """Words and a bar for the job that has been running longest."""

    def __init__(self) -> None:
        super().__init__("Progress")
        self.words, self.share, self.more = "", 0.0, 0

    def design_size(self, width: float) -> tuple[float, float]:
        return 200, 50

    def paint(self, p: QPainter, w: float, h: float) -> None:
        extra = f" · {self.more} more" if self.more else ""
        text(p, QRectF(18, 6, w - 24, 20), self.words + extra, "strong", "ink", elide=True)
        r = QRectF(18, 30, w - 30, 8)
        p.fillRect(r, role("well"))
        p.fillRect(QRectF(r.left(), r.top(), r.width() * self.share, r.height()), role("ink"))
        hatch(p, QRectF(r.left() + r.width() * self.share, r.top(), r.width() * (1 - self.share), r.height()), "edge", 6)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(role("edge"), 1))
        p.drawRect(r)


class _Floating(QWidget):
    """Lies over the foot of another widget instead of taking room beside it: what comes and goes must not move the picture under the hand."""

    # of the class: an event may come while the window is taken down and the object is already empty
    _below: QWidget | None = None

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._foot: Callable[[], int] = lambda: 0
        self.setProperty("floats", True)

    def float_over(self, below: QWidget, foot: Callable[[], int]) -> None:
        """Lie over the foot of a widget of the same parent; ``foot`` pixels of it stay free."""
        self._below, self._foot = below, foot
        below.installEventFilter(self)

    def place(self) -> None:
        """Come to lie where the widget is now."""
        if self._below is not None:
            r = self._below.geometry()
            self.fit(r.width() / scale())
            layout = self.layout()
            high = layout.heightForWidth(r.width()) if layout is not None and layout.hasHeightForWidth() else self.sizeHint().height()
            self.setGeometry(r.left(), r.bottom() + 1 - high - self._foot(), r.width(), high)
            self.raise_()

    def fit(self, wide: float) -> None:
        """It will be so many design units wide."""

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if watched is self._below and event.type() in (QEvent.Type.Resize, QEvent.Type.Move) and self.isVisible():
            self.place()
        elif watched is not self._below and event.type() in (QEvent.Type.Show, QEvent.Type.Hide) and self.isVisible():
            QTimer.singleShot(0, self.place)  # a strip that it stands on came or went
        return super().eventFilter(watched, event)


class JobStrip(_Floating):
    """Shown while work takes longer than 0.2 s; Cancel stops it."""

    def __init__(self, jobs: JobRunner, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.jobs = jobs
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 8, 0)
        self.bar = _Progress()
        self.cancel = PetalButton("Cancel", "away", tip="Stop this; nothing of it is kept")
        self.cancel.clicked.connect(self._cancel)
        box.addWidget(self.bar, 1)
        box.addWidget(self.cancel)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(SHOW_AFTER_MS)
        self._timer.timeout.connect(self._show)
        jobs.changed.connect(self._on_changed)
        self.hide()

    def _visible_jobs(self) -> list:
        return [j for j in self.jobs.running if not j.quiet]

    def _on_changed(self) -> None:
        jobs = self._visible_jobs()
        if not jobs:
            self._timer.stop()
            self.hide()
            return
        if not self.isVisible() and not self._timer.isActive():
            self._timer.start()
        first = jobs[0]
        self.bar.words, self.bar.share, self.bar.more = first.words, first.share, len(jobs) - 1
        self.bar.setAccessibleName(f"{first.words}, {100 * first.share:.0f} %")
        self.bar.update()

    def _show(self) -> None:
        if self._visible_jobs():
            self.place()
            self.show()
            self.raise_()

    def _cancel(self) -> None:
        for job in self._visible_jobs():
            self.jobs.cancel(job.key)
        self._on_changed()

    def paintEvent(self, _) -> None:  # noqa: ANN001
        with painting(self) as p:
            p.fillRect(self.rect(), role("card"))


class _Words(Drawn):
    def __init__(self) -> None:
        super().__init__("Message")
        self.message: Message | None = None

    def _body(self) -> str:
        m = self.message
        return breakable(" ".join(q for q in (m.kept, m.do) if q)) if m else ""

    def _head(self) -> str:
        return breakable(self.message.what) if self.message else ""

    def design_size(self, width: float) -> tuple[float, float]:
        if self.message is None:
            return 200, 30
        room = max(120, width - 62)
        body = self._body()
        return 200, 18 + height(self._head(), room, "strong") + (height(body, room, "small") + 2 if body else 0)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        m = self.message
        if m is None:
            return
        if m.kind != "remark":
            hatch(p, QRectF(0, 0, 10, h), "ink", 5, 1.4)
        icons.draw(p, "wilt" if m.kind != "remark" else "petal", QRectF(20, 7, 22, 22), "ink")
        room = w - 58
        high = height(self._head(), room, "strong")
        text(p, QRectF(52, 8, room, high + 2), self._head(), "strong", "ink", wrap=True)
        if self._body():
            text(p, QRectF(52, 10 + high, room, h - high - 10), self._body(), "small", "ink2", wrap=True)


class MessageStrip(_Floating):
    """The last thing said; it stays until it is put away or its stage is left, a remark only for a while."""

    REMARK_MS, FRESH_MS = 6000, 1500

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Maximum)
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 8, 0)
        self.words = _Words()
        self.close_button = PetalButton("Put away", "away", tip="Put this message away (Esc)")
        self.close_button.clicked.connect(self.hide)
        box.addWidget(self.words, 1)
        box.addWidget(self.close_button, 0, Qt.AlignmentFlag.AlignTop)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)
        self._since = QElapsedTimer()
        self.hide()

    def fit(self, wide: float) -> None:
        self.close_button.signs_only = wide < SIGN_UNDER
        self.close_button.updateGeometry()

    def leave(self) -> None:
        """Its stage is left: what was said of it goes too, unless it was said only now."""
        if self.isVisible() and self._since.elapsed() > self.FRESH_MS:
            self.hide()

    @property
    def message(self) -> Message | None:
        """What is shown."""
        return self.words.message if self.isVisible() else None

    def say(self, message: Message) -> None:
        """Show a message; a remark does not push away a fault."""
        if message.kind == "remark" and self.isVisible() and self.words.message and self.words.message.kind != "remark":
            return
        self.words.message = message
        self.words.setAccessibleName(" ".join(q for q in (message.what, message.kept, message.do) if q))
        self.words.refresh()
        self._timer.stop()
        if message.kind == "remark":
            self._timer.start(self.REMARK_MS)
        self._since.start()
        self.place()
        self.show()
        self.raise_()

    def paintEvent(self, _) -> None:  # noqa: ANN001
        with painting(self) as p:
            p.fillRect(self.rect(), role("raised"))
            p.setPen(QPen(role("ink"), 1))
            p.drawLine(0, 0, self.width(), 0)
