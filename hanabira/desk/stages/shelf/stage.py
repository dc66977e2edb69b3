"""Shelf: all commissions of the studio."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPainterPath, QPen, QResizeEvent, QTransform
from PyQt6.QtWidgets import QBoxLayout, QFileDialog, QFrame, QLineEdit, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from hanabira.craft.supplies import papers
from hanabira.demo import studio as demo
from hanabira.demo.place import demo_folder
from hanabira.desk import icon as icons
from hanabira.desk.controls import Caption, Pick, Words, act_button, row
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.images import to_image
from hanabira.desk.paint import RIGHT, height, petal, text
from hanabira.desk.stage import Stage
from hanabira.desk.theme import role, scale, u
from hanabira.desk.widgets.first_shelf import FirstShelf
from hanabira.session import words as session_words
from hanabira.session.edits import EditBrief
from hanabira.studio import bundle as bundles
from hanabira.studio import overview, planning
from hanabira.studio.records import Commission, LogRow, Photo, Shot, is_part
from hanabira.studio.store import default_folder

if TYPE_CHECKING:
    from hanabira.core.clock import Clock
    from hanabira.core.token import Token
    from hanabira.desk.window import Desk
    from hanabira.studio.overview import Overview

"""It draws photos and plans whole commissions, and hardly anyone asks for it."""
ROW, HIGH_ROW, LINE_TOP = 128.0, 150.0, 87.0
"""Height of a board; the least of one whose line of facts may take more lines; where that line begins."""
WORDS_LEAST = 250.0
"""Design width that a commission's words want beside its pictures; with less, the pictures stand one over the other."""
HEAD_LEAST = 640.0
"""Design width under which search and filter stand one over the other."""
FILTERS = (("all", "All"), ("now", "Under way"), ("delivered", "Delivered"), ("archive", "Archive"), ("practice", "Practice"))
SHARE = {"ordered": 0.1, "drawn": 0.25, "planned": 0.4, "finished": 1.0, "delivered": 1.0}


class Boards(Drawn):
    """Commissions standing on shelf boards, each with the client's photo, the work as it stands, and what is known of it."""

    wanted = pyqtSignal(str)
    opened = pyqtSignal(str)

    def __init__(self, clock: Clock) -> None:
        super().__init__("Commissions on the shelf")
        self.clock = clock
        self.rows: list[Overview] = []
        self.pictures: dict[str, QImage] = {}
        self.open_id = ""
        self.empty = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)

    def design_size(self, width: float) -> tuple[float, float]:
        return 220, 24 + self._row(width) * max(1, len(self.rows))

    @staticmethod
    def _narrow(w: float) -> bool:
        return w - 32 - 218 - 12 < WORDS_LEAST

    def _row(self, w: float) -> float:
        if not self._narrow(w):
            return ROW
        room = w - 32 - 82 - 12
        return max([HIGH_ROW, *(LINE_TOP + height(self.line(o), room) + 20 for o in self.rows)])

    def _board(self, k: int, w: float) -> QRectF:
        """Where the board of the row ``k`` hangs."""
        return QRectF(16, 12 + k * self._row(w), w - 32, self._row(w) - 8)

    def _frames(self, r: QRectF, w: float) -> tuple[QRectF, QRectF]:
        """Where the client's photo and the work stand on a board: beside each other, or one over the other where words need the room."""
        if self._narrow(w):
            high = (r.height() - 22) / 2
            return QRectF(r.left() + 10, r.top() + 8, 56, high), QRectF(r.left() + 10, r.top() + 14 + high, 56, high)
        return QRectF(r.left() + 10, r.top() + 8, 92, r.height() - 16), QRectF(r.left() + 110, r.top() + 8, 92, r.height() - 16)

    def line(self, o: Overview) -> str:
        """When it is due, and the hours left."""
        if o.state == "unreadable":
            return f"Cannot be read: {o.causes[0]}"
        when = o.days_left(self.clock.today())
        due = "" if o.state == "delivered" else session_words.due_words(o.commission.due) + (f", {when}" if when else "")
        n = len(o.causes)
        bad = f"{n} record{'' if n == 1 else 's'} cannot be read" if n else ""
        return " · ".join(q for q in (due, o.hours_left, bad) if q)

    def stops(self, w: float, h: float) -> list[Stop]:
        return [
            Stop(
                o.commission.id,
                self._board(k, w),
                f"{o.commission.name}, {o.words}, {self.line(o)}",
                f"Choose {o.commission.name}; twice opens it",
                lambda key=o.commission.id: self.wanted.emit(key),
            )
            for k, o in enumerate(self.rows)
        ]

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        stop = self.at(event.position())
        if stop is not None:
            self.opened.emit(stop.key)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("mat"))
        if not self.rows and self.empty:
            text(p, QRectF(24, 30, w - 48, 60), self.empty, "name", "mat_ink", wrap=True)
        for k, o in enumerate(self.rows):
            c = o.commission
            r = self._board(k, w)
            if not r.adjusted(0, -8, 0, 8).intersects(self.exposed):
                continue
            path = QPainterPath()
            path.addRoundedRect(r, 6, 6)
            p.fillPath(path, role("card"))
            if c.id == self.open_id:
                p.setPen(QPen(role("ink"), 2.4))
                p.drawPath(path)
            elif self.hovered == c.id:
                p.setPen(QPen(role("edge"), 1.4))
                p.drawPath(path)
            frames = self._frames(r, w)
            for key, frame in zip((c.id, f"{c.id} work"), frames, strict=True):
                image = self.pictures.get(key)
                if image is not None:
                    f = min(frame.width() / image.width(), frame.height() / image.height())
                    size = (image.width() * f, image.height() * f)
                    p.drawImage(QRectF(frame.center().x() - size[0] / 2, frame.center().y() - size[1] / 2, *size), image)
                elif key == c.id:
                    icons.draw(p, "photo", QRectF(frame.center().x() - 16, frame.center().y() - 16, 32, 32), "ink2")
            x = frames[1].right() + 16
            tail = 168.0 if r.right() - x > 380 else 0.0
            room = r.right() - x - 12
            text(p, QRectF(x, r.top() + 10, room - tail, 32), c.name, "title", "ink", elide=True)
            who = " · ".join(q for q in (c.animal, f"for {c.client}" if c.client else "") if q)
            text(p, QRectF(x, r.top() + 43, room, 18), who, "body", "ink2", elide=True)
            size_ = (
                ""
                if o.state == "unreadable"
                else (
                    f"{c.width_mm:.0f} × {c.height_mm:.0f} mm, {papers()[c.paper_id].name.lower() if c.paper_id in papers() else c.paper_id}"
                )
            )
            text(p, QRectF(x, r.top() + 65, room, 18), size_, "small", "ink2", elide=True)
            line = QRectF(x, r.top() + LINE_TOP, room, r.height() - LINE_TOP - 8 if self._narrow(w) else 20)
            text(p, line, self.line(o), "body", "ink", wrap=self._narrow(w), elide=not self._narrow(w))
            if tail:
                self._state(p, o, QRectF(r.right() - tail - 12, r.top() + 12, tail, 42))

    @staticmethod
    def _state(p: QPainter, o: Overview, r: QRectF) -> None:
        """A petal filled by what is done, with the words."""
        share = o.done / o.steps if o.state == "begun" and o.steps else SHARE.get(o.state, 0.0)
        leaf = QTransform().translate(r.right() - 20, r.top() + 26).rotate(-62).map(petal(26, 7.5))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(role("ink"), 1.4))
        p.drawPath(leaf)
        p.save()
        box = leaf.boundingRect()
        p.setClipRect(
            QRectF(box.left(), box.bottom() - box.height() * share, box.width(), box.height() * share + 1), Qt.ClipOperation.IntersectClip
        )
        p.fillPath(leaf, role("ink"))
        p.restore()
        words = {"begun": f"{100 * share:.0f} % of its plan"}.get(o.state, o.state)
        text(p, QRectF(r.left(), r.top() + 6, r.width() - 34, 22), words, "strong", "ink", RIGHT, elide=True)


class _Head(QWidget):
    """Search and filter: beside each other, or one over the other where the type is large or the window small."""

    def __init__(self, search: QLineEdit, pick: Pick) -> None:
        super().__init__()
        self.setObjectName("shelfhead")
        self._box = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        self._box.setContentsMargins(u(16), u(8), u(16), u(8))
        self._box.setSpacing(u(12))
        self._box.addWidget(search, 1)
        self._box.addWidget(pick, 1)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.turn()
        super().resizeEvent(event)

    def turn(self) -> None:
        """Take the direction that the width allows."""
        below = self.width() / scale() < HEAD_LEAST
        self._box.setDirection(QBoxLayout.Direction.TopToBottom if below else QBoxLayout.Direction.LeftToRight)


class ShelfRoom(Stage):
    """The studio's room with all commissions."""

    name = "Shelf"
    with_rule = False

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.boards = Boards(self.session.clock)
        self.search = QLineEdit()
        self.search.setAccessibleName("Search the shelf")
        self.search.setPlaceholderText("Search by name, animal, client or notes")
        self.search.setClearButtonEnabled(False)
        self.search.textEdited.connect(lambda _s: self.refresh())
        self.filter = Pick("Which commissions", FILTERS, "all")
        self.filter.picked.connect(lambda _k: self.refresh())
        head = _Head(self.search, self.filter)
        scroll = QScrollArea()
        scroll.setObjectName("shelf")
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setFocusPolicy(scroll.focusPolicy().NoFocus)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(self.boards)
        self.centre = QWidget()
        box = QVBoxLayout(self.centre)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(head)
        box.addWidget(scroll, 1)
        self.first = FirstShelf(self.look_round)
        box.addWidget(self.first, 1)
        self.take_drops(self.first)
        self.head, self.scroll = head, scroll
        self.all: tuple[Overview, ...] = ()
        self._of: dict[str, str] = {}
        self._read = -1
        self.boards.wanted.connect(self._choose)
        self.boards.opened.connect(self._open)
        self.ask_bundle_path = lambda: QFileDialog.getOpenFileName(self.desk, "Take in a bundle", "", "Bundles (*.zip)")[0]
        for signal in (self.session.commissions_changed, self.session.log_changed):
            signal.connect(lambda: self.refresh() if self.open else None)
        self.session.commission_changed.connect(lambda: self.refresh() if self.open else None)

    # -- choosing and opening ---------------------------------------------------
    def _choose(self, key: str) -> None:
        if self.session.commission is not None and self.session.commission.id == key:
            return
        o = next((o for o in self.all if o.commission.id == key), None)
        if o is not None and o.state == "unreadable":
            self.desk.say(
                f"“{o.commission.name}” cannot be read: {'; '.join(o.causes)}.", "It stays in the database as it is; everything else opens.",
                "Go back to a backup of a day when it was whole, or take it in again from a bundle.",
            )  # fmt: skip
            return
        self.session.open_commission(key, stay=True)
        self.refresh()

    def _open(self, key: str) -> None:
        self._choose(key)
        if self.session.commission is not None:
            self.desk.go(self.session.commission.stage)

    # -- acts -----------------------------------------------------------------------
    def take_in(self, path: str = "") -> None:
        """Take a bundle into the studio and choose it; which one is asked when none is named."""
        path = path or self.ask_bundle_path()
        if not path:
            return
        store = self.session.store

        def done(made: bundles.TakenIn) -> None:
            c = made.commission
            self.session.messages.remark(" ".join([f"{c.name} is on the shelf.", *made.remarks]))
            self.session.commissions_changed.emit()
            if self.open:  # somebody who works elsewhere by now is not torn away from it
                self.session.open_commission(c.id, stay=True)

        self.session.jobs.run(
            "take in bundle",
            f"Taking in {Path(path).name}",
            lambda token: bundles.import_bundle(store, Path(path), token),
            done,
            lasting=True,
        )

    def duplicate(self, key: str) -> None:
        """A new commission made and agreed like this one, without its animal, client and photos."""
        c = self.session.store.get(Commission, key)
        if c is None:
            return
        made = overview.as_template(c, self.session.clock.now())
        if not self.session.take_up(made):
            return
        self.desk.go("Brief")
        self.session.messages.remark(f"{made.name} has the sheet, kit, school and terms of {c.name}.")

    def archive(self, key: str) -> None:
        """Put a commission out of sight, or back; one undoable edit."""
        c = self.session.commission
        if c is None or c.id != key:
            return
        if self.session.do(EditBrief(self.session, "archive" if not c.archived else "out of the archive", False, archived=not c.archived)):
            self.session.messages.remark(f"{c.name} is {'on the shelf again' if c.archived else 'in the archive'}.")

    def remove(self, key: str) -> None:
        """Remove a commission with all its files, after a clear question; one that holds nothing yet goes at once."""
        c = next((q for q in self.session.commissions if q.id == key), None)
        if c is None:
            return
        areas, photos, rows = self.session.belongings(key)
        if areas or photos or rows:
            holds = f"{areas} areas, {photos} photos and {rows} rows of the log"
            if not self.desk.ask_remove(
                f"Remove “{c.name}” with its {holds}? This cannot be taken back, and its photo files leave the disk."
            ):
                return
        self.session.remove_commission(key)
        self.refresh()

    # -- what is shown ----------------------------------------------------------------
    def shown(self) -> list[Overview]:
        """What filter and search leave."""
        by = {
            "all": lambda o: not o.commission.archived,
            "now": lambda o: not o.commission.archived and o.state != "delivered",
            "delivered": lambda o: not o.commission.archived and o.state == "delivered",
            "archive": lambda o: o.commission.archived,
            "practice": lambda _o: True,
        }[self.filter.chosen]
        practice = self.filter.chosen == "practice"
        return [o for o in self.all if is_part(o.commission.id) == practice and by(o) and o.matches(self.search.text())]

    def restyle(self) -> None:
        self.head.turn()
        super().restyle()

    def refresh(self) -> None:
        store = self.session.store
        if self._read != store.edits:  # typing in the search reads nothing anew
            self._read = store.edits
            self.all = overview.overviews(store, planning.pace_of(store.all(LogRow))) if store.keys(Commission) else ()
        rows = self.shown()
        for o in rows:
            if o.photo is not None:
                self._picture(o.commission.id, o.photo)
            if o.shot is not None:
                self._picture(f"{o.commission.id} work", o.shot)
        self.boards.rows = rows
        self.boards.empty = "Nothing here fits the search." if self.all else ""
        self.boards.open_id = self.session.commission.id if self.session.commission else ""
        self.boards.refresh()
        empty = not self.all
        self.first.setVisible(empty)
        self.head.setVisible(not empty)
        self.scroll.setVisible(not empty)
        if empty:
            self._begin()
            return
        n = sum(not is_part(o.commission.id) for o in self.all)
        chosen = next((o for o in rows if o.commission.id == self.boards.open_id), None)
        self.desk.mark_values(None)
        take_in = act_button("Take in a bundle", "shelf", self.take_in)
        if chosen is None:
            self.desk.bench.head.set("", "Shelf", f"{n} commission{'' if n == 1 else 's'} in this studio" if n else "an empty studio")
            words = (
                "Choose a commission to go on with it."
                if n
                else "A commission is one portrait: the animal, the client’s photo, the paper, the date. Make the first one, then add the photo."
            )
            self.desk.bench.set_parts([Words(words, "body", "ink"), Caption("From another studio"), row(take_in, None)])
            self.desk.set_next("New commission", "add")
            return
        c = chosen.commission
        self.desk.bench.head.set("", c.name, chosen.words)
        facts = [self.boards.line(chosen), f"{chosen.areas} areas, {chosen.steps} steps" if chosen.areas else "", c.notes, *chosen.causes]
        keep = self.desk.records
        self.desk.bench.set_parts(
            [
                *(Words(q, "body", "ink") for q in facts if q),
                Caption("With this commission"),
                row(
                    act_button(
                        "Duplicate as a template", "add", lambda: self.duplicate(c.id), "Sheet, kit, school and terms without the animal"
                    ),
                    None,
                ),
                row(
                    act_button(
                        "Out of the archive" if c.archived else "Into the archive",
                        "back" if c.archived else "away",
                        lambda: self.archive(c.id),
                    ),
                    None,
                ),
                row(act_button("Write a bundle", "write", keep.bundle), None),
                row(act_button("Remove for good", "crumple", lambda: self.remove(c.id), "With all its photos; asks first"), None),
                Caption("On the shelf"),
                row(act_button("New commission", "add", self.desk.new_commission), take_in, None),
                *self._of_demo(),
            ]
        )
        self.desk.set_next(f"Go on with {c.name}" if len(c.name) < 16 else "Go on", "petal")

    def _of_demo(self) -> list:
        """What a demo studio offers besides."""
        if self.session.store.folder.resolve() != demo_folder().resolve():
            return []
        return [
            Caption("This is the demo studio"),
            row(
                act_button("Make it anew", "back", self.anew, "As it was at first; asks before"),
                act_button("To your own studio", "shelf", lambda: self.desk.open_studio(default_folder())), None,
            ),
        ]  # fmt: skip

    def _begin(self) -> None:
        """The bench of an empty shelf: what is needed, other ways in, and where things are."""
        self.desk.mark_values(None)
        self.desk.bench.head.set("", "An empty shelf", "the first commission takes about ten minutes")
        kits = list(self.session.kits().values())
        self.desk.bench.set_parts(
            [
                Caption("To begin you need"),
                Words("A photo", "name", "ink"),
                Words("JPEG, PNG, TIFF or WebP; best with the eye over 200 pixels wide. Drop it on the pictures here."),
                Words("The size of the sheet", "name", "ink"),
                Words("240 × 300 mm stands ready; change it at any time."),
                Words("Your pencils", "name", "ink"),
                Words(
                    f"{len(kits)} kits are there: {' and '.join(kits)}. Tick what you own in the kit room, or read a swatch sheet of yours there."
                ),
                Caption("You bring work with you?"),
                row(act_button("Take in a bundle", "shelf", self.take_in), None),
                Caption("Where things are"),
                Words("Ctrl+N: a new commission", "small", "ink"),
                Words("/: every command, by its name", "small", "ink"),
                Words("Ctrl+Z: take back, in every stage", "small", "ink"),
            ]
        )
        self.desk.set_next("New commission", "add")

    def dropped(self, path: Path) -> None:
        """A photo dropped on the empty shelf is the first commission, named after its file."""
        name = path.stem.replace("_", " ").replace("-", " ").strip().title()
        if self.session.new_commission(name or "New commission") is not None:
            self.desk.go("Brief")
            self.session.add_photo(path)

    def look_round(self) -> None:
        """Open the demo studio in this window's place; it is made first where it is not there yet."""
        folder = demo_folder()

        def done(_made: int) -> None:
            self.desk.open_studio(folder)

        self.session.jobs.run("demo", "Making the demo studio", lambda token: demo.build_demo(folder, token, self.session.clock), done, asked=True)

    def anew(self) -> None:
        """Make the demo studio anew, after a question: what was tried in it goes."""
        if self.desk.ask_remove("Make the demo studio anew? What you tried in it goes; your own studio is another folder and stays."):
            folder = self.session.store.folder
            self.desk.open_studio(folder, lambda: demo.forget_demo(folder, self.session.clock))

    def _picture(self, key: str, photo: Photo | Shot) -> None:
        if key in self.boards.pictures and self._of.get(key) == photo.id:
            return
        self._of[key] = photo.id
        store, size = self.session.store, photo.width_px
        crop = photo.crop if isinstance(photo, Photo) else (0.0, 0.0, float(photo.width_px), float(photo.height_px))

        def work(token: Token) -> QImage:
            pixels = store.read_photo(photo, 400, token).pixels
            k = pixels.shape[1] / size
            x, y, w, h = (max(0, int(v * k)) for v in crop)
            return to_image(pixels[y : y + max(1, h), x : x + max(1, w)])

        def done(image: QImage) -> None:
            self.boards.pictures[key] = image
            self.boards.update()

        self.session.jobs.run(f"shelf {key}", "Opening pictures", work, done, quiet=True, failed=lambda _fault: None)

    def next(self) -> None:
        c = self.session.commission
        if c is not None and any(o.commission.id == c.id for o in self.shown()):
            self.desk.go(c.stage)
        else:
            self.desk.new_commission()
