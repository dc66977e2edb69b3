"""The handbook beside the desk: its pages, a search over all of them, the words of the craft, about this studio."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from importlib import metadata
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QKeySequence, QResizeEvent, QShortcut, QTextCursor
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem, QTextBrowser, QVBoxLayout, QWidget

from hanabira import __version__, fonts
from hanabira.desk import theme
from hanabira.desk.book import BookDocument
from hanabira.desk.controls import act_button, row
from hanabira.handbook import pages as book
from hanabira.studio.cache import cache_folder

if TYPE_CHECKING:
    from hanabira.studio.backups import Backup

ABOUT = "about"
_RUN_BY = ("PyQt6", "numpy", "scipy", "opencv-python-headless", "scikit-image", "pillow", "pillow-heif", "imagecodecs", "tifffile", "reportlab",
           "SQLAlchemy", "alembic", "shapely", "icalendar", "platformdirs")  # fmt: skip
"""Libraries that the application runs on."""


class Reader(QTextBrowser):
    """One page, its pictures as wide as the view."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Page of the handbook")
        self.setOpenLinks(False)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.text = ""

    def read(self, text: str) -> None:
        """Show a page."""
        self.text = text
        room = max(200, self.viewport().width() - theme.u(56))
        page = BookDocument(room, theme.scale(), theme.role("ink").name(), theme.role("ink2").name())
        page.setParent(self)
        page.setDocumentMargin(theme.u(24))
        page.show(["\n".join(line for line in text.splitlines() if not line.startswith("<!--"))])
        old = self.document()
        self.setDocument(page)
        if isinstance(old, BookDocument):
            old.deleteLater()
        self.verticalScrollBar().setValue(0)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if event is not None and event.size().width() != event.oldSize().width() and self.text:
            at = self.verticalScrollBar().value()
            self.read(self.text)
            self.verticalScrollBar().setValue(at)

    def to_heading(self, heading: str) -> bool:
        """Scroll to a heading by its anchor or its words; whether there is one."""
        block = self.document().begin()
        while block.isValid():
            if block.blockFormat().headingLevel() and heading in (book.anchor(block.text()), block.text()):
                cursor = QTextCursor(block)
                self.setTextCursor(cursor)
                bar = self.verticalScrollBar()
                bar.setValue(bar.value() + self.cursorRect(cursor).top() - theme.u(16))
                return True
            block = block.next()
        return False


class Handbook(QWidget):
    """Pages at the left, one of them at the right; F1 opens it on the open stage's page, Esc puts it away."""

    def __init__(
        self, parent: QWidget, acts: Mapping[str, Callable[[], object]], about: Callable[[], str], printed: Callable[[], object]
    ) -> None:
        """``acts`` are what links ``act:…`` on a page do; ``about`` writes the page about this studio."""
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle("Handbook – Hanabira")
        self.setAccessibleName("Handbook")
        self._acts, self._about = acts, about
        self._studio = ""
        self._past: list[tuple[str, str]] = []
        self.now = ""
        self.search, self.list, self.reader = QLineEdit(), QListWidget(), Reader()
        self.search.setPlaceholderText("Find in all pages")
        self.search.setAccessibleName("Find in all pages")
        self.search.setClearButtonEnabled(True)
        self.list.setAccessibleName("Pages")
        self.list.setWordWrap(True)
        self.back = act_button("Page before", "back", self.go_back, "The page that was read before (Alt+Left)")
        left = QVBoxLayout()
        left.addWidget(self.search)
        left.addWidget(self.list, 1)
        left.addLayout(row(self.back, None))
        left.addLayout(row(act_button("Print the book", "sheet", printed, "All pages as one PDF"), None))
        both = QHBoxLayout(self)
        both.setContentsMargins(theme.u(12), theme.u(12), 0, theme.u(8))
        both.addLayout(left, 3)
        both.addWidget(self.reader, 8)
        self.search.textChanged.connect(self._fill)
        self.list.itemActivated.connect(self._chosen)
        self.list.itemClicked.connect(self._chosen)
        self.reader.anchorClicked.connect(self._follow)
        for keys, act in (("Escape", self.close), ("Alt+Left", self.go_back), ("Ctrl+F", self.search.setFocus), ("F1", self.close)):
            QShortcut(QKeySequence(keys), self, act)
        self._fill("")

    # -- pages -----------------------------------------------------------------
    def open_page(self, name: str, heading: str = "") -> None:
        """Show a page, from a heading on when one is named."""
        if self.now and (self.now, "") != (name, heading):
            self._past.append((self.now, ""))
        self._show(name, heading)

    def _show(self, name: str, heading: str) -> None:
        self.now = name
        if name == ABOUT:
            self._studio = self._about()
        self.reader.read(self._studio if name == ABOUT else book.pages()[name].text)
        if heading:
            self.reader.to_heading(heading)
        for k in range(self.list.count()):
            item = self.list.item(k)
            if item is not None and item.data(Qt.ItemDataRole.UserRole) == name:
                self.list.setCurrentRow(k)
        self.back.setEnabled(bool(self._past))

    def go_back(self) -> None:
        """The page that was read before."""
        if self._past:
            self._show(*self._past.pop())

    def _titles(self) -> list[tuple[str, str, str]]:
        """(name, title, text) of every page that can be listed."""
        return [*((p.name, p.title, p.text) for p in book.pages().values()), (ABOUT, "About this studio", self._studio)]

    def _fill(self, words: str) -> None:
        """The pages that hold all words; what is found stands under the title."""
        wanted = words.lower().split()
        self.list.clear()
        for name, title, text in self._titles():
            flat = text.lower()
            if not all(w in flat for w in wanted):
                continue
            item = QListWidgetItem(title if not wanted else f"{title}\n{_around(text, wanted[0])}")
            item.setData(Qt.ItemDataRole.UserRole, name)
            self.list.addItem(item)

    def _chosen(self, item: QListWidgetItem) -> None:
        self.open_page(item.data(Qt.ItemDataRole.UserRole))

    def _follow(self, link: QUrl) -> None:
        """A link to a page, to a heading of one, or to something that can be done."""
        target = link.toString()
        if target.startswith("act:"):
            act = self._acts.get(target[4:])
            if act is not None:
                act()
            return
        page, _hash, heading = target.partition("#")
        name = Path(page).stem if page else self.now
        if name in book.pages() or name == ABOUT:
            self.open_page(name, heading)


def _around(text: str, word: str) -> str:
    """A few words round the first place where a word stands."""
    flat = re.sub(r"[#*`|>\[\]!]|\(\S+\)|<!--.*?-->", "", text)
    flat = " ".join(flat.split())
    at = flat.lower().find(word)
    return f"… {flat[max(0, at - 20) : at + 40]} …" if at >= 0 else ""


def about_page(folder: Path, backups: list[Backup], page_of_today: str = "") -> str:
    """The page about this studio: version, where it lies, how it is backed up, and the licences of what it is built from."""
    last = f"The last of {len(backups)} is of {backups[-1].made:%d %B %Y, %H:%M}." if backups else "There is none yet."
    lines = [
        "# About this studio", "", f"Hanabira {__version__}. It plans animal portraits in coloured pencil and pastel.", page_of_today, "",
        "## Where it lies", "", f"`{folder}`", "",
        "One database, the photos as files, and the backups. The whole folder can be copied to another machine. [Open the folder](act:folder)", "",
        "## Backups", "", f"A backup is made on every day you work. {last}", "",
        "- [Make a backup now](act:backup)", "- [Go back to a backup](act:go-back): what the studio is now is set aside first", "",
        "## What was worked out", "",
        f"Measures, plans and verdicts are kept in `{cache_folder()}`, so that nothing is worked out twice. Nothing of yours lies there: delete it whenever you like.", "",
        "## Licences", "", "Hanabira is free software under the GNU General Public License, version 3 or later.", "",
        f"Typefaces: Lato and Vollkorn, SIL Open Font License 1.1 (`{fonts.FOLDER / 'OFL.txt'}`).", "",
        "| Library | Version | Licence |", "|---|---|---|",
    ]  # fmt: skip
    lines += [f"| {name} | {version} | {licence} |" for name, version, licence in libraries()]
    return "\n".join(lines)


def libraries() -> list[tuple[str, str, str]]:
    """Name, version and licence of each library that the application runs on, as it says itself."""
    out = []
    for name in _RUN_BY:
        try:
            told = metadata.metadata(name)
        except metadata.PackageNotFoundError:
            continue
        licence = told.get("License-Expression") or next(
            (c.split("::")[-1].strip() for c in told.get_all("Classifier") or [] if c.startswith("License")), told.get("License") or ""
        )
        out.append((name, told["Version"], licence.splitlines()[0][:60] if licence else "see the library"))
    return out
