"""What every stage has: a centre, a bench card, keys to hold, and one next thing."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, QSize, Qt
from PyQt6.QtGui import QColor, QDropEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from hanabira.desk.images import wrap
from hanabira.desk.widgets.mat import Mat
from hanabira.desk.widgets.roll import Roll, Way
from hanabira.session.looks import LOOKS

if TYPE_CHECKING:
    from hanabira.desk.window import Desk
    from hanabira.session.session import Session


UNOPENED = "The photo could not be opened"


def column(*parts: QWidget) -> QWidget:
    """Widgets stacked without gaps; the first takes the room."""
    w = QWidget()
    box = QVBoxLayout(w)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(0)
    for k, part in enumerate(parts):
        box.addWidget(part, 1 if k == 0 else 0)
    return w


def over(strip: QWidget, part: QWidget) -> QWidget:
    """A strip over a widget that takes the room."""
    w = column(part)
    box = w.layout()
    assert isinstance(box, QVBoxLayout)
    box.insertWidget(0, strip)
    return w


def scrolled(part: QWidget) -> QScrollArea:
    """A view on a widget that keeps its least size: where the room is smaller it is moved about."""
    view = QScrollArea()
    view.setWidgetResizable(True)
    view.setFrameShape(QFrame.Shape.NoFrame)
    view.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    view.setWidget(part)
    return view


class Pages(QStackedWidget):
    """Views of which one is open; that one alone says how much room it needs."""

    def minimumSizeHint(self) -> QSize:
        now = self.currentWidget()
        return now.minimumSizeHint() if now is not None else super().minimumSizeHint()


class Stage(QObject):
    """Base of the stages. ``centre`` is the widget beside the bench."""

    name = ""
    holds: Mapping[str, str] = {}
    """Letters that this stage lets be held, with the look each gives; they go before the looks of the photo."""
    with_rule = True
    """Whether values are judged here, so that the value rule stands below."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.desk = desk
        self.centre: QWidget = QWidget()
        self._drops_on: QWidget | None = None

    @property
    def session(self) -> Session:
        """The session behind the desk."""
        return self.desk.session

    @property
    def open(self) -> bool:
        """Whether this stage is shown now."""
        return self.desk.current is self

    @property
    def full(self) -> bool:
        """Whether the bench gives way to the centre."""
        return False

    @property
    def foot(self) -> int:
        """Pixels at the foot of the centre that nothing may lie over."""
        return 0

    def enter(self) -> None:
        """The stage is shown."""
        self.refresh()

    def leave(self) -> None:
        """Another stage is shown."""

    def take_focus(self) -> None:
        """The keyboard goes to what this stage is about."""
        self.centre.setFocus()

    def refresh(self) -> None:
        """Bring centre and bench up to date."""

    def next(self) -> None:
        """Do the one next thing."""

    def hold(self, look: str) -> None:
        """A look's key went down, or up when ``look`` is empty."""

    def restyle(self) -> None:
        """Theme or text size changed."""
        self.refresh()

    # -- files dropped on the picture --------------------------------------------
    def take_drops(self, mat: QWidget) -> None:
        """Let picture files be dropped on this widget; `dropped` gets them."""
        self._drops_on = mat
        mat.setAcceptDrops(True)
        mat.installEventFilter(self)

    def dropped(self, path: Path) -> None:
        """A file was dropped."""

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        # entering, moving and dropping are all drop events to the toolkit: only the last one brings a file
        if isinstance(event, QDropEvent) and watched is self._drops_on:
            data = event.mimeData()
            paths = [Path(q.toLocalFile()) for q in data.urls() if q.isLocalFile()] if data is not None else []
            if paths:
                event.acceptProposedAction()
                if event.type() == QEvent.Type.Drop:
                    self.dropped(paths[0])
            return True
        return super().eventFilter(watched, event)


class PictureStage(Stage):
    """A stage around one mat with the photo on the sheet."""

    margins = (18.0, 18.0)
    without = ""
    """What stands on the sheet while there is no photo."""
    forecasts = False
    """Whether the portrait can be looked at as it will be."""

    def __init__(self, desk: Desk, ways: tuple[Way, ...] = (), with_roll: bool = True) -> None:
        super().__init__(desk)
        self.mat = self.make_mat()
        self.mat.margins = self.margins
        self.mat.marked = self.session.awake
        looks = tuple((key, LOOKS[key][0], LOOKS[key][1], LOOKS[key][2]) for key in LOOKS if self.forecasts or key != "forecast")
        self.roll = Roll(ways, looks, self.pin)
        if not with_roll:  # a part that has no parent yet must not be shown: it would open as a window of its own and take the keyboard
            self.roll.hide()
        self.beside = Mat()
        self.beside.ruled = False
        self.beside.hide()
        self.beside_id = ""
        pair = QWidget()
        both = QHBoxLayout(pair)
        both.setContentsMargins(0, 0, 0, 0)
        both.setSpacing(1)
        both.addWidget(self.mat, 3)
        both.addWidget(self.beside, 2)
        self.centre = column(pair, self.roll)
        self._held, self._pinned = "", ""
        self.mat.value_under.connect(self._value)
        self.mat.view_moved.connect(self._keep_view)
        self.mat.spot_touched.connect(lambda x, y: self.session.dropper.touch(x, y))
        m = self.session
        m.view_ready.connect(self._on_view)
        m.look_ready.connect(self._on_look)
        m.photo_changed.connect(self._if_open)
        m.commission_changed.connect(self._if_open)
        m.other_ready.connect(lambda _key: self.open and self._fill_beside())
        self.beside.value_under.connect(self._value)

    # -- another photo beside it -----------------------------------------------
    def show_beside(self, key: str) -> None:
        """Put another photo of the commission beside this one, or away with an empty key."""
        self.beside_id = key
        self._fill_beside()
        self.refresh()

    def _fill_beside(self) -> None:
        photo = next((p for p in self.session.photos if p.id == self.beside_id and p is not self.session.photo), None)
        self.beside.setVisible(photo is not None)
        if photo is None:
            self.beside_id = ""
            return
        view = self.session.darkroom.other(photo)
        k = 240.0 / photo.width_px
        self.beside.photo = view
        self.beside.empty_words = "" if view else "Opening the photo"
        self.beside.show_sheet(
            (240.0, photo.height_px * k), 0.0, QColor("#8f8f8f"), (0.0, 0.0, float(photo.width_px), float(photo.height_px))
        )
        self.beside.fit()

    def make_mat(self) -> Mat:
        """The mat of this stage."""
        return Mat()

    def _value(self, lab: object) -> None:
        if self.open:
            self.desk.rule.point_at(lab)

    def _if_open(self) -> None:
        if self.open:
            self.refresh()

    def _on_view(self) -> None:
        if self.open:
            self.mat.photo = self.session.view
            self._show_look()
            self.refresh()

    # -- the sheet -----------------------------------------------------------
    def show_sheet(self) -> None:
        """Put sheet and photo of the commission on the mat."""
        c, photo = self.session.commission, self.session.photo
        if c is None:
            return
        crop = photo.crop if photo else (0.0, 0.0, *c.picture_mm)
        self.mat.photo = self.session.view if photo else None
        self.mat.empty_words = self.without if photo is None else UNOPENED if photo.digest == self.session.unopened else "Opening the photo"
        self.mat.marked = self.session.awake
        self.mat.show_sheet((c.width_mm, c.height_mm), c.border_mm, QColor(c.ground_hex), crop)
        if self.beside_id:
            self._fill_beside()

    def _view_key(self) -> str:
        c = self.session.commission
        return f"{c.id} {self.name}" if c else ""

    def _keep_view(self) -> None:
        if self.open and self._view_key():
            views = dict(self.session.settings.get("views"))
            views[self._view_key()] = self.mat.view_state()
            self.session.settings.set("views", views)

    def enter(self) -> None:
        self.show_sheet()
        self.mat.restore_view(self.session.settings.get("views").get(self._view_key(), []))
        self._show_look()
        super().enter()

    def leave(self) -> None:
        self.hold("")

    def take_focus(self) -> None:
        self.mat.setFocus()

    def restyle(self) -> None:
        self.roll.refresh()
        self.mat.refresh()
        super().restyle()

    # -- looks --------------------------------------------------------------
    def hold(self, look: str) -> None:
        if look == "forecast" and not self.forecasts:
            return
        self._held = look
        if look:
            self.session.want_look(look)
        self._show_look()

    def pin(self, look: str) -> None:
        if look == "forecast" and not self.forecasts:
            self.session.messages.remark("The forecast is shown in Recipe and at the easel.")
            return
        self._pinned = "" if self._pinned == look else look
        self.roll.pinned = self._pinned
        self.roll.update()
        if self._pinned:
            self.session.want_look(self._pinned)
        self._show_look()

    def _on_look(self, _look: str) -> None:
        if self.open:
            self._show_look()

    def _show_look(self) -> None:
        look, view = self._held or self._pinned, self.session.view
        self.mat.mirrored = look == "mirror"
        seen = view.looks.get(look) if view and look and look != "mirror" else None
        self.mat.look = wrap(seen) if seen is not None else None
        self.mat.refresh()

    @property
    def look(self) -> str:
        """The look that is shown now."""
        return self._held or self._pinned
