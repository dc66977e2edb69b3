"""The studio's own cards for what has to be asked: a question, a note, a pencil, a picture file with its preview. The system's file dialog stays one button away."""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PIL import Image, ImageOps
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QIcon, QImage, QKeyEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QDialog, QLabel, QLineEdit, QListWidget, QListWidgetItem, QPlainTextEdit, QVBoxLayout, QWidget

from hanabira.desk.controls import PetalButton, Words, act_button, row
from hanabira.desk.images import plain_icon
from hanabira.desk.paint import mapped, painting
from hanabira.desk.theme import role, scale, u
from hanabira.studio.picture_kinds import SUFFIXES

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QLayout

    from hanabira.core.optics.kit import Kit
    from hanabira.core.token import Token
    from hanabira.desk.jobs import JobRunner


class Card(QDialog):
    """A paper card over the desk: a title, words, what is asked, and its answers; the one that Enter takes is filled."""

    def __init__(self, parent: QWidget, title: str, words: str = "", more: str = "", wide: int = 420) -> None:
        super().__init__(parent, Qt.WindowType.Dialog | Qt.WindowType.FramelessWindowHint)
        self.setWindowTitle(f"{title} – Hanabira")
        self.setAccessibleName(title)
        self.setAttribute(Qt.WidgetAttribute.WA_TranslucentBackground)
        self.answer = self.away = ""
        self.usual: PetalButton
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(u(26), u(18), u(20), u(10))
        self.box.setSpacing(u(6))
        self.box.addWidget(Words(title, "title", "ink"))
        for text, ink in ((words, "ink"), (more, "ink2")):
            if text:
                self.box.addWidget(Words(text, "body", ink))
        self.setFixedWidth(min(u(wide), max(parent.width() - u(40), u(240))))

    def answers(self, names: Mapping[str, str], usual: str, harm: str = "") -> dict[str, PetalButton]:
        """Buttons for the answers by key, the ``usual`` one filled and at the right. The last key stands for putting the card away."""
        buttons = {}
        order = [k for k in names if k != usual] + [usual]
        self.away = list(names)[-1]
        for key in order:
            q = PetalButton(names[key], "crumple" if key == harm else None, main=key == usual)
            q.clicked.connect(lambda _=False, key=key: self.give(key))
            buttons[key] = q
        self.box.addSpacing(u(4))
        self.box.addLayout(row(None, *(buttons[k] for k in order)))
        buttons[usual].setFocus()
        self.usual = buttons[usual]
        return buttons

    def give(self, key: str) -> None:
        """Answer and go."""
        self.answer = key
        self.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.give(self.away)
        elif event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            now = self.focusWidget()
            (now if isinstance(now, PetalButton) else self.usual).click()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """A card with a deckle edge at its left, as the bench has."""
        with painting(self) as p:
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            rng, path, y = random.Random(9), QPainterPath(QPointF(4, 1)), 1.0
            while y < self.height() - 1:
                y += rng.uniform(5, 13)
                path.lineTo(4 + rng.uniform(-1.8, 1.8), min(y, self.height() - 1))
            path.lineTo(self.width() - 1, self.height() - 1)
            path.lineTo(self.width() - 1, 1)
            path.closeSubpath()
            p.fillPath(path, role("card"))
            p.setPen(QPen(role("edge"), max(1.0, scale())))
            p.drawPath(path)


def question(parent: QWidget, title: str, words: str, more: str, answers: Mapping[str, str], harm: str, usual: str) -> str:
    """Ask with answers by name; the key that was given. The last one stands for putting the card away."""
    card = Card(parent, title, words, more)
    card.answers(answers, usual, harm)
    card.exec()
    return card.answer or list(answers)[-1]


class NoteCard(Card):
    """A few lines in the artist's words. Enter keeps them, Shift with Enter makes a new line."""

    def __init__(self, parent: QWidget, title: str, words: str) -> None:
        super().__init__(parent, title, words)
        self.field = QPlainTextEdit()
        self.field.setAccessibleName(title)
        self.field.setTabChangesFocus(True)
        self.field.setFixedHeight(u(92))
        self.field.installEventFilter(self)
        self.box.addWidget(self.field)
        self.answers({"keep": "Keep it", "away": "Not now"}, "keep")
        self.field.setFocus()

    def eventFilter(self, watched, event) -> bool:  # noqa: ANN001
        if isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.KeyPress and watched is self.field:
            plain = not event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and plain:
                self.give("keep")
                return True
        return super().eventFilter(watched, event)

    @property
    def words(self) -> str:
        """What was written, when it is to be kept."""
        return self.field.toPlainText().strip() if self.answer == "keep" else ""


def note(parent: QWidget, title: str, words: str) -> str:
    """A note in the artist's words; empty when it is put away."""
    card = NoteCard(parent, title, words)
    card.exec()
    return card.words


class PencilCard(Card):
    """A pencil of the kit, found by a few letters of its code or name, each beside its own colour on grey."""

    def __init__(self, parent: QWidget, title: str, words: str, kit: Kit, first: Sequence[str] = ()) -> None:
        super().__init__(parent, title, words, wide=460)
        self.kit = kit
        order = {code: n for n, code in enumerate(first)}
        self._pencils = sorted(kit, key=lambda p: order.get(p.code, len(order)))
        self.field, self.list = QLineEdit(), QListWidget()
        self.field.setPlaceholderText("Code or name")
        self.field.setAccessibleName("Find a pencil by code or name")
        self.list.setAccessibleName("Pencils")
        self.list.setIconSize(QSize(u(34), u(24)))
        self.list.setFixedHeight(min(u(250), round(0.4 * parent.height())))
        # a pencil's colour is not judged beside plum
        ground, ink, line = (role(q).name() for q in ("well", "ink", "edge"))
        self.list.setStyleSheet(f"QListWidget::item:selected {{ background: {ground}; color: {ink}; border: 1px solid {line}; }}")
        for part in (self.field, self.list):
            self.box.addWidget(part)
        self.field.textChanged.connect(self._fill)
        self.field.installEventFilter(self)
        self.list.itemActivated.connect(lambda _q: self.give("take"))
        self.answers({"take": "Take it", "away": "Not now"}, "take")
        self._fill("")
        self.field.setFocus()

    def _fill(self, words: str) -> None:
        wanted = words.lower().split()
        self.list.clear()
        for p in self._pencils:
            if all(w in f"{p.code} {p.name}".lower() for w in wanted):
                item = QListWidgetItem(self._swatch(p.code), f"{p.code}  {p.name}" + ("" if p.owned else "  (not in the drawer)"))
                item.setData(Qt.ItemDataRole.UserRole, p.code)
                self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.usual.setEnabled(self.list.count() > 0)

    def _swatch(self, code: str) -> QIcon:
        image = QPixmap(u(34), u(24))
        image.fill(role("bed"))
        with painting(image) as p:
            p.fillRect(QRectF(u(4), u(4), u(26), u(16)), mapped(self.kit.masstone_lab[self.kit.index[code]]))
        return plain_icon(image)

    def eventFilter(self, watched, event) -> bool:  # noqa: ANN001
        if isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.KeyPress and watched is self.field:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
            if step and self.list.count():
                self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.list.currentItem() is not None:
                self.give("take")
                return True
        return super().eventFilter(watched, event)

    @property
    def code(self) -> str:
        """Code of the pencil that was taken; empty when the card was put away."""
        item = self.list.currentItem()
        return str(item.data(Qt.ItemDataRole.UserRole)) if self.answer == "take" and item is not None else ""


def pencil(parent: QWidget, title: str, words: str, kit: Kit, first: Sequence[str] = ()) -> str:
    """A pencil's code; those named ``first`` stand on top. Empty when it is put away."""
    card = PencilCard(parent, title, words, kit, first)
    card.exec()
    return card.code


class PictureCard(Card):
    """Pictures of a folder by name and day, the newest first, and a preview of the chosen one with its size."""

    def __init__(self, parent: QWidget, title: str, folder: Path, jobs: JobRunner, system: Callable[[], str]) -> None:
        super().__init__(parent, title, wide=720)
        self.folder, self._jobs, self._system, self.path = folder, jobs, system, ""
        self.where = QLineEdit()
        self.where.setAccessibleName("Folder")
        self.where.returnPressed.connect(lambda: self.enter(Path(self.where.text()).expanduser()))
        self.list = QListWidget()
        self.list.setAccessibleName("Pictures and folders")
        side = self.side = min(u(250), round(0.36 * parent.height()), round(0.3 * parent.width()), parent.height() - u(270))
        self.list.setFixedHeight(side + u(20))
        self.list.setMinimumWidth(u(160))
        self.list.currentItemChanged.connect(lambda now, _before: self._preview(now))
        self.list.itemActivated.connect(self._open)
        self.view, self.facts = QLabel(), Words("", "small", "ink2")
        self.view.setAccessibleName("Preview")
        self.view.setFixedSize(side, side)
        self.view.setAlignment(Qt.AlignmentFlag.AlignCenter)
        up = act_button("Up", "up", lambda: self.enter(self.folder.parent), "The folder above (Backspace)")
        system_s = act_button("System’s own dialog", "find", self._by_system, "For places that this list does not reach")
        self.box.addLayout(row(up, self.where, system_s))
        both: QLayout = row(self.list, self.view)
        self.box.addLayout(both)
        self.box.addWidget(self.facts)
        self.answers({"take": "Take it", "away": "Not now"}, "take")
        self.enter(folder)
        self.list.setFocus()

    def enter(self, folder: Path) -> None:
        """List a folder; one that cannot be read says so and leaves the list as it was."""
        try:
            entries = [(p, p.is_dir(), p.stat().st_mtime) for p in folder.iterdir() if not p.name.startswith(".")]
        except OSError as error:
            self.facts.set(f"{folder} cannot be read: {error.strerror or error}.")
            return
        self.folder = folder
        self.where.setText(str(folder))
        self.list.clear()
        folders = sorted((e for e in entries if e[1]), key=lambda e: e[0].name.lower())
        files = sorted((e for e in entries if not e[1] and e[0].suffix.lower() in SUFFIXES), key=lambda e: -e[2])
        for path, is_folder, _at in [*files, *folders]:
            item = QListWidgetItem(f"{path.name}/" if is_folder else path.name)
            item.setData(Qt.ItemDataRole.UserRole, str(path))
            if is_folder:
                item.setForeground(role("ink2"))
            self.list.addItem(item)
        self.view.clear()
        self.facts.set("" if files else "There is no picture in this folder.")
        self.list.setCurrentRow(0 if self.list.count() else -1)
        self.usual.setEnabled(self.list.count() > 0)

    def _chosen(self) -> Path | None:
        item = self.list.currentItem()
        return Path(item.data(Qt.ItemDataRole.UserRole)) if item is not None else None

    def _open(self, _item: QListWidgetItem | None = None) -> None:
        path = self._chosen()
        if path is not None and path.is_dir():
            self.enter(path)
        elif path is not None:
            self.give("take")

    def give(self, key: str) -> None:
        path = self._chosen()
        if key == "take" and path is not None and path.is_dir():
            self.enter(path)
            return
        if key == "take" and path is not None:
            self.path = str(path)
        super().give(key)

    def _by_system(self) -> None:
        path = self._system()
        if path:
            self.path = path
            super().give("take")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Backspace and not self.where.hasFocus():
            self.enter(self.folder.parent)
            return
        super().keyPressEvent(event)

    def _preview(self, item: QListWidgetItem | None) -> None:
        path = Path(item.data(Qt.ItemDataRole.UserRole)) if item is not None else None
        self.view.clear()
        if path is None or path.is_dir():
            return
        self._jobs.run("preview", "Opening the preview", lambda _t: preview_of(path, self.side, _t), lambda got: self._show(path, got))

    def _show(self, path: Path, got: tuple[QImage | None, str]) -> None:
        if path != self._chosen():
            return
        image, words = got
        if image is not None:
            self.view.setPixmap(QPixmap.fromImage(image))
        self.facts.set(words)


def preview_of(path: Path, side: int, token: Token | None = None) -> tuple[QImage | None, str]:
    """A picture no larger than ``side`` pixels, and its size in words; None where it cannot be read, with the reason."""
    try:
        with Image.open(path) as opened:
            wide, high = opened.size
            opened.draft("RGB", (side, side))
            small = ImageOps.exif_transpose(opened).convert("RGB")
            small.thumbnail((side, side))
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        return None, f"It cannot be shown: {error}."
    if token is not None:
        token.check()
    image = QImage(small.tobytes(), small.width, small.height, 3 * small.width, QImage.Format.Format_RGB888).copy()
    return image, f"{wide} × {high}\u2009px, {wide * high / 1e6:.1f} megapixels"


def picture(parent: QWidget, title: str, folder: Path, jobs: JobRunner, system: Callable[[], str]) -> str:
    """Path of a picture file; empty when it is put away."""
    card = PictureCard(parent, title, folder, jobs, system)
    card.exec()
    return card.path
