"""Brief: what is ordered, on which paper, for when, and the client's photo."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSignalBlocker
from PyQt6.QtWidgets import QApplication, QComboBox, QDoubleSpinBox, QLineEdit, QPlainTextEdit, QWidget

from hanabira.craft.supplies import papers
from hanabira.desk import theme
from hanabira.desk.controls import Caption, Choice, Number, PetalButton, Pick, Words, form, label, row
from hanabira.desk.images import wrap
from hanabira.desk.stage import PictureStage
from hanabira.desk.stages.brief import cards as brief_cards
from hanabira.desk.theme import u
from hanabira.desk.widgets.day_field import DayField, due_field
from hanabira.desk.widgets.sheet_shapes import SheetShapes
from hanabira.session.edits import EditBrief

if TYPE_CHECKING:
    from hanabira.desk.window import Desk
    from hanabira.studio.records import Commission


class BriefStage(PictureStage):
    """Form on the bench card; the sheet at its proportions on the mat, where a photo can be dropped."""

    name = "Brief"
    without = "The client’s photo goes here. Drop a picture file on the sheet, or use the button."

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk, with_roll=False)
        self.take_drops(self.mat)
        self._built_for = ""
        self._fields: dict[str, QWidget] = {}
        self.tab = "order"
        self._shown: tuple | None = None
        self._shown_shapes: tuple[object, ...] = ()

    def dropped(self, path: Path) -> None:
        """A picture dropped on the mat is a photo of the client's."""
        self.session.add_photo(path)

    # -- form ---------------------------------------------------------------------
    def refresh(self) -> None:
        c = self.session.commission
        if c is None:
            return
        self.show_sheet()
        mm = f"{c.width_mm:.0f} × {c.height_mm:.0f} mm on {papers()[c.paper_id].name.lower()}"
        self.desk.bench.head.set("", c.name, mm)
        if self.tab != "order":
            self._cards(c)
        else:
            typing = isinstance(QApplication.focusWidget(), QLineEdit | QPlainTextEdit | QDoubleSpinBox)
            if self._built_for != c.id or not self._fields or (self._lies(c) != self._shown_shapes and not typing):
                self._build()
            self._fill()
        self.desk.set_next("Study the photo" if self.session.photo else "Add the client’s photo", "squint" if self.session.photo else "photo")
        self.desk.mark_values(None)

    def enter(self) -> None:
        self._built_for, self._shown = "", None
        super().enter()

    def restyle(self) -> None:
        self._built_for, self._shown = "", None
        super().restyle()

    def show_tab(self, tab: str) -> None:
        """Show another card: the order, the photos, what was agreed."""
        self.tab, self._built_for, self._shown = tab, "", None
        self.refresh()

    def _pick(self) -> Pick:
        pick = Pick("What the card shows", (("order", "Order and sheet"), ("photos", "Photos"), ("agreement", "Agreement")), self.tab)
        pick.picked.connect(self.show_tab)
        return pick

    def _cards(self, c: Commission) -> None:
        """Photos or agreement; what is being typed is not built anew under the hand."""
        self._fields = {}
        focus = QApplication.focusWidget()
        typing = isinstance(focus, QLineEdit) and self.desk.bench.isAncestorOf(focus)
        sign = (c.id, self.tab, theme.scale(), theme.current())
        if typing and self._shown == sign:
            return
        self._shown = sign
        body = brief_cards.photos(self) if self.tab == "photos" else brief_cards.agreement(self)
        self.desk.bench.set_parts([self._pick(), *body])

    def next(self) -> None:
        if self.session.photo:
            self.desk.go("Study")
        else:
            self.desk.ask_photo()

    def _line(self, key: str, words: str) -> QLineEdit:
        q = QLineEdit()
        q.setAccessibleName(words)
        q.setMaxLength(120)
        q.textEdited.connect(lambda s: self._edit(words.lower(), True, **{key: s}))
        self._fields[key] = q
        return q

    def _mm(self, key: str, words: str, low: float, high: float) -> QDoubleSpinBox:
        q = Number()
        q.setAccessibleName(words)
        q.setRange(low, high)
        q.setDecimals(0)
        q.setSuffix("\u2009mm")
        q.setKeyboardTracking(False)
        q.valueChanged.connect(lambda v: self._edit(words.lower(), False, **{key: float(v)}))
        self._fields[key] = q
        return q

    def _choice(self, key: str, words: str, items: list[tuple[str, str]], then: Callable[[str], dict]) -> QComboBox:
        q = Choice()
        q.setAccessibleName(words)
        for value, name in items:
            q.addItem(name, value)
        q.activated.connect(lambda _i: self._edit(words.lower(), False, **then(q.currentData())))
        self._fields[key] = q
        return q

    def _build(self) -> None:
        c = self.session.commission
        assert c is not None
        self._built_for, self._fields = c.id, {}
        order = form()
        order.addRow(label("Name"), self._line("name", "Name"))
        order.addRow(label("Animal"), self._line("animal", "Animal"))
        order.addRow(label("Client"), self._line("client", "Client"))
        due = due_field(self.session, lambda day: self._edit("due date", False, due=day.isoformat() if day is not None else None))
        self._fields["due"] = due
        order.addRow(label("Due"), due)
        paper = form()
        drawer = set(self.session.settings.get("papers")) or set(papers())
        items = [
            (p.id, p.name if p.id in drawer else f"{p.name} (not in the drawer)")
            for p in sorted(papers().values(), key=lambda p: p.id not in drawer)
        ]
        paper.addRow(
            label("Paper"), self._choice("paper_id", "Paper", items, lambda v: {"paper_id": v, "ground_hex": papers()[v].ground_hex})
        )
        grounds = [(hex_, name) for name, hex_ in papers()[c.paper_id].grounds]
        paper.addRow(label("Colour"), self._choice("ground_hex", "Paper colour", grounds, lambda v: {"ground_hex": v}))
        size = row(self._mm("width_mm", "Width", 50, 2000), label("×"), self._mm("height_mm", "Height", 50, 2000))
        paper.addRow(label("Sheet"), size)
        paper.addRow(label("Border"), self._mm("border_mm", "Border", 0, 100))
        kits = list(self.session.kits().items())
        paper.addRow(label("Kit"), self._choice("kit_id", "Kit", kits, lambda v: {"kit_id": v}))
        notes = QPlainTextEdit()
        notes.setAccessibleName("Notes")
        notes.setPlaceholderText("What makes it this animal and no other")
        notes.setTabChangesFocus(True)
        notes.setFixedHeight(u(76))
        notes.textChanged.connect(lambda: self._edit("notes", True, notes=notes.toPlainText()))
        self._fields["notes"] = notes
        add = PetalButton(
            "Add another photo" if self.session.photo else "Add the photo", "photo", tip="Take a picture file into the studio (Ctrl+O)"
        )
        add.clicked.connect(self.desk.ask_photo)
        self._note = Words(papers()[c.paper_id].note, "aside")
        self.desk.bench.set_parts(
            [self._pick(), Caption("The order"), order, Caption("The sheet"), *self._shapes(c), paper, self._note, Caption("Likeness"), notes, 4, add]
        )

    def _lies(self, c: Commission) -> tuple[object, ...]:
        """What the shapes of the sheet are drawn from; another one builds the card anew."""
        photo, view = self.session.photo, self.session.view
        if photo is None or view is None or not self.session.awake:
            return ()
        return photo.digest, photo.prep.pixels, photo.crop, (c.width_mm, c.height_mm, c.border_mm, c.ground_hex), view.full

    def _shapes(self, c: Commission) -> list[QWidget]:
        """The photo on three sheets, and what the frame leaves off; nothing until the photo is open."""
        self._shown_shapes = self._lies(c)
        session, photo = self.session, self.session.photo
        if not self._shown_shapes or photo is None or session.view is None:
            return []
        place = session.framing.place()
        assert place is not None
        shapes = session.framing.shapes()
        drawn = SheetShapes(shapes, *place, wrap(session.view.levels[-1]), photo.size, c.border_mm, c.ground_hex, session.framing.take, [session.framing.hours(q) for q in shapes])
        rests = "Hours are estimated by size and surface until the areas have their recipes." if session.portrait.unsolved() or not session.areas else ""
        if not session.areas and not place[1]:
            rests = "Hours are a first guess, as if short fur filled half of the place where the animal seems to be. Part the animal in Areas for better ones."
        return [drawn, *(Words(q, "small", "ink") for q in session.framing.words()), *([Words(rests)] if rests else [])]

    def _edit(self, words: str, typed: bool, **fields: object) -> None:
        c = self.session.commission
        if c is None or all(getattr(c, k) == v for k, v in fields.items()):
            return
        w, h, b = (fields.get(k, getattr(c, k)) for k in ("width_mm", "height_mm", "border_mm"))
        if w - 2 * b < 20 or h - 2 * b < 20:  # type: ignore[operator]
            self.desk.say("The border leaves no picture.", "The sheet stays as it was.", "Choose a narrower border or a larger sheet.")
            self._fill()
            return
        if "paper_id" in fields:
            self._built_for = ""
        self.session.do(EditBrief(self.session, words, typed, **fields))

    def _fill(self) -> None:
        """Show what is kept, without taking it for an edit; the field being typed in keeps its caret."""
        c = self.session.commission
        if c is None:
            return
        for key, q in self._fields.items():
            value = getattr(c, key)
            with QSignalBlocker(q):
                if isinstance(q, QLineEdit) and q.text() != value:
                    q.setText(value)
                elif isinstance(q, QPlainTextEdit) and q.toPlainText() != value:
                    q.setPlainText(value)
                elif isinstance(q, QDoubleSpinBox):
                    q.setValue(value)
                elif isinstance(q, DayField):
                    q.set_day(datetime.date.fromisoformat(value) if value else None)
                elif isinstance(q, QComboBox):
                    at = q.findData(value)
                    if at < 0:
                        q.addItem(value, value)
                        at = q.count() - 1
                    q.setCurrentIndex(at)
