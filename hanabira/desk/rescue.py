"""The way back: what is wrong with a studio that does not open, and its backups to go back to."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from hanabira.core.faults import Fault, LostStudio
from hanabira.desk import ask
from hanabira.desk import icon as icons
from hanabira.desk.controls import Caption, PetalButton, Words
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import painting, text
from hanabira.desk.theme import role, u
from hanabira.desk.widgets.notices import breakable
from hanabira.studio import backups

if TYPE_CHECKING:
    import datetime

    from hanabira.studio.backups import Backup
    from hanabira.studio.healing import Displaced

ROW = 54.0


def day_words(b: Backup) -> str:
    """When a backup was made, in words."""
    return f"{b.made:%A}, {b.made.day} {b.made:%B %Y}, {b.made:%H:%M}"


def two_ways(parent: QWidget, lost: Displaced) -> Callable[[Path, datetime.datetime], object] | None:
    """Ask how to go on when another program changed the files of an open studio; what is to be done once its window is closed, or None for later."""
    answers = {}
    if lost.mine is not None:
        answers["mine"] = "Put it back" if lost.how == "gone" else "Go on with what this window holds"
    if lost.how != "gone":
        answers["theirs"] = "Open what lies there now"
    answers["stay"] = "Look on, decide later"
    held = f"saved in {breakable(str(lost.mine.parent))}" if lost.mine is not None else "not saved: it could not be"
    way = ask.question(
        parent,
        "The studio’s files are gone" if lost.how == "gone" else "The studio’s files were changed by another program",
        f"Nothing is stored any more until you choose. What this window holds is {held}.",
        "Nothing is deleted either way: what is not chosen is set aside in the studio’s folder.", answers, "", next(iter(answers)),
    )  # fmt: skip
    if way == "stay":
        return None
    if way == "mine":
        assert lost.mine is not None
        mine = lost.mine
        return lambda folder, now: backups.restore(folder, mine, now)
    return lambda _folder, _now: None


class BackupList(Drawn):
    """Backups, the newest first: when each was made, what it holds, why it was made. One is chosen."""

    def __init__(self) -> None:
        super().__init__("Backups of this studio")
        self.rows: list[Backup] = []
        self.chosen = ""
        self.on_choice: Callable[[], None] = lambda: None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)

    def design_size(self, width: float) -> tuple[float, float]:
        return 320, 16 + ROW * max(1, len(self.rows))

    def stops(self, w: float, h: float) -> list[Stop]:
        return [
            Stop(
                b.path.name, QRectF(8, 8 + k * ROW, w - 16, ROW - 6), f"{day_words(b)}, {b.words}", "Choose this backup",
                None if b.fault else (lambda key=b.path.name: self.choose(key)), b.words if b.fault else "",
            )
            for k, b in enumerate(self.rows)
        ]  # fmt: skip

    def choose(self, key: str) -> None:
        """Choose a backup by its file's name."""
        self.chosen = key
        self.on_choice()
        self.update()

    @property
    def backup(self) -> Backup | None:
        """The chosen one."""
        return next((b for b in self.rows if b.path.name == self.chosen), None)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        if not self.rows:
            text(p, QRectF(16, 10, w - 32, 40), "There are no backups in this folder.", "body", "ink2", wrap=True)
        for k, b in enumerate(self.rows):
            r = QRectF(8, 8 + k * ROW, w - 16, ROW - 6)
            path = QPainterPath()
            path.addRoundedRect(r, 6, 6)
            p.fillPath(path, role("plum_wash" if b.path.name == self.chosen else "raised"))
            p.setPen(QPen(role("ink" if b.path.name == self.chosen else "edge"), 1.8 if b.path.name == self.chosen else 1))
            p.drawPath(path)
            if b.path.name == self.chosen:
                icons.draw(p, "petal", QRectF(r.left() + 10, r.center().y() - 10, 20, 20), "ink")
            text(
                p, QRectF(r.left() + 40, r.top() + 4, r.width() - 52, 20), day_words(b), "strong", "ink2" if b.fault else "ink", elide=True
            )
            text(p, QRectF(r.left() + 40, r.top() + 24, r.width() - 52, 20), b.words, "small", "ink2", elide=True)


class Rescue(QWidget):
    """Says why a studio does not open and offers to go back to a backup; or, from an open one, only the latter.

    ``reopen`` opens the studio's window again; ``release`` lets an open one go first and tells whether it did.
    """

    def __init__(self, folder: Path, fault: Fault | None, reopen: Callable[[], object], release: Callable[[], bool] = lambda: True) -> None:
        super().__init__()
        self.folder, self._reopen, self._release = folder, reopen, release
        self.setWindowTitle("Go back to a backup – Hanabira" if fault is None else "This studio does not open – Hanabira")
        self.setMinimumSize(560, 420)
        screen = self.screen()
        room = screen.availableSize() if screen is not None else self.maximumSize()
        self.resize(QSize(u(720), u(600)).boundedTo(room - QSize(24, 48)))  # large type on a small screen
        box = QVBoxLayout(self)
        box.setContentsMargins(u(24), u(20), u(24), u(16))
        box.setSpacing(u(8))
        self.words = Words("", "strong", "ink")
        self.more = Words("", "body", "ink2")
        box.addWidget(Words("Go back to a backup" if fault is None else "This studio does not open", "title", "ink"))
        box.addWidget(self.words)
        box.addWidget(self.more)
        self.list = BackupList()
        self.list.on_choice = self._chosen
        offer = fault is None or isinstance(fault, LostStudio)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.list)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        if offer:
            box.addWidget(Caption("Backups, the newest first"))
            box.addWidget(scroll, 1)
        else:
            box.addStretch(1)
        line = QHBoxLayout()
        self.back = PetalButton("Go back to this backup", "back", main=True)
        self.again = PetalButton("Try again" if fault is not None else "Stay as it is", "away")
        self.back.clicked.connect(self.go_back)
        self.again.clicked.connect(self._try_again if fault is not None else self.close)
        self.back.setVisible(offer)
        line.addWidget(self.again)
        line.addStretch(1)
        line.addWidget(self.back)
        box.addLayout(line)
        if fault is None:
            self._say(
                "The studio becomes what it was then.", "What it is now is set aside in its folder, not deleted. Photos stay as they are."
            )
        else:
            self._say(fault.what, " ".join(q for q in (fault.kept, fault.do) if q))
        if offer:
            found = list(reversed(backups.backups(folder)))
            self.list.rows = sorted(found, key=lambda b: b.reason != "rescued")  # what a window held is the newest of all
            best = next((b for b in self.list.rows if not b.fault and b.commissions), None)
            if best is not None and fault is not None:
                self.list.chosen = best.path.name
            self.list.refresh()
        self._chosen()

    def _say(self, what: str, more: str) -> None:
        self.words.set(what)
        self.more.set(more)

    def _chosen(self) -> None:
        b = self.list.backup
        self.back.setEnabled(b is not None)
        self.back.setToolTip(f"The studio as of {day_words(b)}" if b is not None else "Choose a backup first")

    def _try_again(self) -> None:
        self.close()
        self._reopen()

    def go_back(self) -> None:
        """Put the chosen backup in place and open the studio."""
        b = self.list.backup
        if b is None or not self._release():
            return
        try:
            backups.restore(self.folder, b.path)
        except Fault as fault:
            self._say(fault.what, " ".join(q for q in (fault.kept, fault.do) if q))
            return
        self.close()
        self._reopen()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        with painting(self) as p:
            p.fillRect(self.rect(), role("card"))
