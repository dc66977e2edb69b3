"""The handbook as a document of the toolkit: pages with their headings in our type, pictures to the width, links kept; and printed as one PDF."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF, Qt, QUrl
from PyQt6.QtGui import (
    QColor,
    QFont,
    QImage,
    QPageLayout,
    QPageSize,
    QPdfWriter,
    QTextBlockFormat,
    QTextCharFormat,
    QTextCursor,
    QTextDocument,
    QTextFormat,
)

from hanabira.desk.theme import font
from hanabira.handbook import pages as handbook
from hanabira.studio.writing import write_file

PICTURES = handbook.FOLDER / "pictures"
_HEAD = {1: ("title", 24), 2: ("name", 17), 3: ("strong", 14)}


class BookDocument(QTextDocument):
    """Pages as they are read. Pictures come from the handbook's own folder, no wider than ``room`` pixels."""

    def __init__(self, room: int, scale: float = 1.0, ink: str = "#1b1b1b", quiet: str = "#4d4d4d") -> None:
        super().__init__()
        self.room, self.scale, self.ink, self.quiet = room, scale, QColor(ink), QColor(quiet)
        base = QFont(font("body"))
        base.setPixelSize(round(14 * scale))
        base.setFeature(QFont.Tag("liga"), 0)  # a printed page is searched and read aloud: a joined “ti” has no letter of its own
        self.setDefaultFont(base)
        self.setDocumentMargin(0)

    def loadResource(self, kind: int, name: QUrl) -> object:
        if kind == QTextDocument.ResourceType.ImageResource.value:
            path = PICTURES / (Path(name.path()).stem + ".jpg")
            image = QImage(str(path))
            if not image.isNull() and image.width() > self.room:
                image = image.scaledToWidth(self.room, Qt.TransformationMode.SmoothTransformation)
            return image
        return super().loadResource(kind, name)

    def show(self, texts: Iterable[str], breaks: bool = False) -> None:
        """Fill with pages; with ``breaks`` each begins on a new sheet."""
        self.clear()
        cursor = QTextCursor(self)
        for n, text in enumerate(texts):
            if n:
                cursor.movePosition(QTextCursor.MoveOperation.End)
                cursor.insertBlock(QTextBlockFormat(), QTextCharFormat())
            start = cursor.position()
            cursor.insertMarkdown(text, QTextDocument.MarkdownFeature.MarkdownDialectGitHub)
            if n and breaks:
                first = QTextCursor(self)
                first.setPosition(start)
                new = first.blockFormat()
                new.setPageBreakPolicy(QTextFormat.PageBreakFlag.PageBreak_AlwaysBefore)
                first.setBlockFormat(new)
        self._dress()

    def _dress(self) -> None:
        """Headings and paragraphs in our type, air between them."""
        block = self.begin()
        while block.isValid():
            cursor = QTextCursor(block)
            level = block.blockFormat().headingLevel()
            new = QTextBlockFormat()
            if level:
                name, size = _HEAD.get(level, ("strong", 14))
                head = QFont(font(name))
                head.setPixelSize(round(size * self.scale))
                head.setFeature(QFont.Tag("liga"), 0)
                chars = QTextCharFormat()
                chars.setFont(head)
                chars.setForeground(self.ink)
                cursor.select(QTextCursor.SelectionType.BlockUnderCursor)
                cursor.mergeCharFormat(chars)
                new.setTopMargin((6 if level == 1 else 16) * self.scale)
                new.setBottomMargin(5 * self.scale)
            else:
                new.setBottomMargin((3 if block.textList() is not None else 9) * self.scale)
                new.setLineHeight(128, QTextBlockFormat.LineHeightTypes.ProportionalHeight.value)
            cursor.mergeBlockFormat(new)
            block = block.next()


def whole_book() -> list[str]:
    """The texts of all pages, the comments that choose pictures left out."""
    return [_plain(p.text) for p in handbook.pages().values()]


def _plain(text: str) -> str:
    return "\n".join(line for line in text.splitlines() if not line.startswith("<!--"))


def print_book(target: Path, page: str = "A4") -> Path:
    """Write the whole handbook as one PDF with page numbers; ``page`` is A4 or Letter. Returns where it was written."""

    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setTitle("Hanabira handbook")
    writer.setCreator("Hanabira")
    writer.setResolution(96)
    size = QPageSize.PageSizeId.Letter if page == "Letter" else QPageSize.PageSizeId.A4
    writer.setPageLayout(
        QPageLayout(QPageSize(size), QPageLayout.Orientation.Portrait, QMarginsF(20, 18, 20, 18), QPageLayout.Unit.Millimeter)
    )
    document = BookDocument(writer.width(), 0.86)
    document.show(whole_book(), breaks=True)
    document.print(writer)
    del writer  # it is complete when it is gone
    return write_file(target, buffer.data().data())
