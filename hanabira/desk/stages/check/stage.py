"""Check: the sheet as a photo found it, the same place as the plan wants it now, one sentence, one cure."""

from __future__ import annotations

import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer
from PyQt6.QtGui import QColor, QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from hanabira.desk.gestures.outlines import Choose, photo_path
from hanabira.desk.gestures.pins import Pins
from hanabira.desk.images import wrap
from hanabira.desk.stage import Pages, Stage, column
from hanabira.desk.stages.check import cards
from hanabira.desk.stages.check.morning import Morning
from hanabira.desk.stages.check.pictures import Pictures, marks, on_sheet, to_mm
from hanabira.desk.theme import scale
from hanabira.desk.widgets.fault_list import FaultRow
from hanabira.desk.widgets.key_line import KeyLine, LineKey
from hanabira.desk.widgets.mat import Mat
from hanabira.desk.widgets.pair import SheetPair
from hanabira.desk.widgets.photo_stem import PhotoStem, StemCurve, StemPhoto
from hanabira.desk.widgets.verdict_strip import VerdictStrip
from hanabira.session.view import View
from hanabira.studio.overlaps import box_of

if TYPE_CHECKING:
    from hanabira.desk.window import Desk
    from hanabira.session.checkroom import Judged
    from hanabira.studio.records import Area, Shot

NARROW = 720
"""Design pixels of the centre under which sheet and pair take turns (key Z)."""
LOW, LOWEST = 560, 330
"""Design pixels of height under which the stem folds."""
KEYS = (
    ("Up", "the fault before"), ("Down", "the next fault"), ("Left", "an earlier photo"), ("Right", "a later photo"), ("Return", "the correction goes into the plan"),
    ("X", "I meant it so"), ("C", "a new photo"), ("Z", "whole sheet or the pair"), ("O", "set the sheet’s corners"), ("R", "read the photo again"),
)  # fmt: skip
"""Keys of Check with what they do, for the printed card."""


class CheckStage(Stage):
    """A photo of the work against the plan. Everything shown is a verdict that is kept; nothing here computes."""

    name = "Check"
    holds = {"W": "wanted", "V": "values", "M": "mirror", "K": "client"}

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.verdict = VerdictStrip(lambda: desk.explain("check"))
        self.mat = Mat()
        self.mat.margins = (14.0, 12.0)
        self.mat.overlays = [lambda p, mat: marks(self, p, mat)]
        self.take_drops(self.mat)
        self.pair = SheetPair()
        self.stem = PhotoStem(self.choose_shot)
        self.keys = KeyLine()
        both = QWidget()
        box = QHBoxLayout(both)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.mat, 47)
        box.addWidget(self.pair, 50)
        sheet = QWidget()
        inner = column(both, self.keys, self.stem)
        outer = QHBoxLayout(sheet)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(inner)
        layout = inner.layout()
        assert layout is not None
        layout.insertWidget(0, self.verdict)  # type: ignore[attr-defined]
        self.morning = Morning(self)
        self.pages = Pages()
        self.pages.addWidget(sheet)
        self.pages.addWidget(self.morning)
        self.centre = self.pages
        self.shot_id = self.fault_key = ""
        self.pair_on = False
        self.pins: Pins | None = None
        self.pictures = Pictures(self)
        self._held = ""
        self.now = self.session.clock.now
        self._timer = QTimer(self)
        self._timer.setInterval(1000)
        self._timer.timeout.connect(lambda: self.session.logbook.poll())
        m = self.session
        for event in (m.checks_changed, m.log_changed):
            event.connect(self._if_open)
        m.view_ready.connect(self._on_view)
        m.shot_ready.connect(lambda _k: self._if_open())
        m.recipe_changed.connect(lambda _k: self._if_open())
        m.commission_changed.connect(self._other)
        self._shortcuts: dict[str, QShortcut] = {}
        acts = {
            "Up": lambda: self.step_fault(-1), "Down": lambda: self.step_fault(1), "Left": lambda: self.step_shot(-1), "Right": lambda: self.step_shot(1),
            "Return": self.next, "Enter": self.next, "X": self.meant_so, "C": self.new_photo, "Z": self.swap_pages, "O": self.set_corners, "R": self.read_again,
            "Escape": self.escape,
        }  # fmt: skip
        for key, act in acts.items():
            q = QShortcut(QKeySequence(key), sheet)
            q.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            q.activated.connect(act)
            self._shortcuts[key] = q

    def dropped(self, path: Path) -> None:
        """A picture dropped on the mat is a photo of the work."""
        self.shot_id = self.fault_key = ""
        self.session.logbook.add_shot(path)

    # -- what is shown ----------------------------------------------------------------
    @property
    def with_rule(self) -> bool:  # type: ignore[override]
        """The value rule hangs under a cloth while the morning look is on."""
        return not self.looking_first

    @property
    def looking_first(self) -> bool:
        """Whether the morning look is on."""
        return self.pages.currentWidget() is self.morning

    @property
    def shots(self) -> tuple[Shot, ...]:
        """Photos of the work, by time."""
        return self.session.logbook.shots()

    @property
    def shot(self) -> Shot | None:
        """The photo that is shown: the chosen one, else the last."""
        shots = self.shots
        return next((q for q in shots if q.id == self.shot_id), shots[-1] if shots else None)

    @property
    def data(self) -> dict[str, Any] | None:
        """What the shown photo told."""
        return self.session.checkroom.verdict(self.shot) if self.shot is not None else None

    @property
    def judged(self) -> Judged | None:
        """Pictures of the shown photo when they are there."""
        return self.session.checkroom.judged.get(self.shot.id) if self.shot is not None else None

    @property
    def faults(self) -> list[dict[str, Any]]:
        """Faults of the shown photo, the most urgent first."""
        return self.session.checkroom.faults(self.shot) if self.shot is not None else []

    @property
    def fault(self) -> dict[str, Any] | None:
        """The chosen fault: as chosen, else the most urgent."""
        faults = self.faults
        return next((f for f in faults if f["key"] == self.fault_key), faults[0] if faults else None)

    @property
    def working(self) -> bool:
        """Whether the shown photo is being read."""
        return self.shot is not None and self.session.checkroom.working == self.shot.id

    @property
    def stale(self) -> int:
        """Steps that were done since the last photo."""
        return self.session.checkroom.stale(self.shots[-1]) if self.shots else 0

    def fault_rows(self) -> list[FaultRow]:
        """Rows of the bench's list, what is meant so at the foot."""
        data, room = self.data or {}, self.session.checkroom
        meant = room.meant()
        every = data.get("faults", [])
        worst = max((f["urgency"] for f in every), default=1.0) or 1.0
        open_ = [f for f in every if not room.is_meant(f, meant)]
        out = [
            FaultRow(f["key"], n, f["name"], self._place_words(f), cards.cure_word(f), f["urgency"] / worst) for n, f in enumerate(open_, 1)
        ]
        return out + [
            FaultRow(f["key"], 0, f["name"], f"meant so: {f['what']}", "say again", 0.2, True) for f in every if room.is_meant(f, meant)
        ]

    def _place_words(self, f: dict[str, Any]) -> str:
        return f["what"] if f["what"] else f["sentence"]

    # -- entering and leaving --------------------------------------------------------------
    def _other(self) -> None:
        if self.session.commission is None or not any(q.id == self.shot_id for q in self.shots):
            self.shot_id = self.fault_key = ""
            self.pictures.forget()
            self.pins = None
        self._if_open()

    def _if_open(self) -> None:
        if self.open:
            self.refresh()

    def _on_view(self) -> None:
        """The client's photo came after this stage was opened: now what is wanted can be painted."""
        if self.open:
            self.refresh()
            self._want_pictures()

    def enter(self) -> None:
        shot = self.shot
        if shot is not None and not self.shot_id and self.session.checkroom.morning(shot, self.now()):
            self.look_first()
        else:
            self.pages.setCurrentIndex(0)
        self.mat.fit()
        super().enter()
        self._timer.start()
        self._want_pictures()

    def leave(self) -> None:
        self._held = ""
        self.pins = None
        self._timer.stop()
        self.morning.stop()

    def take_focus(self) -> None:
        (self.morning if self.looking_first else self.mat).setFocus()

    def look_first(self) -> None:
        """The morning look: the sheet alone, without a number."""
        self.pages.setCurrentWidget(self.morning)
        self.morning.begin()
        self.desk.make_room()

    def show_numbers(self) -> None:
        """The check screen after the morning look."""
        self.morning.stop()
        self.pages.setCurrentIndex(0)
        self.desk.make_room()
        self._want_pictures()
        self.refresh()
        self.mat.setFocus()

    def _want_pictures(self) -> None:
        """Pictures of a verdict that is kept are made again; a photo that was never judged is judged now."""
        shot, room = self.shot, self.session.checkroom
        view = self.session.view
        if shot is None or room.working or self.judged is not None or view is None or not view.full or self.session.store.read_only:
            return
        data = self.data
        if data is None:
            room.check(shot)
        elif not data.get("refused"):
            room.check(shot, keep=False)

    # -- refresh ---------------------------------------------------------------------------------
    def refresh(self) -> None:
        for key in ("Up", "Down", "Left", "Right", "Return", "Enter"):  # the pins take these themselves
            self._shortcuts[key].setEnabled(self.pins is None)
        if self.looking_first:
            self.morning.refresh_all()
            return
        self._fold()
        self._say()
        self._show_sheet()
        self._show_pair()
        self._show_stem()
        self._values()
        cards.fill(self)
        self._keys()
        self._next()
        self.mat.refresh()

    def _fold(self) -> None:
        high = self.pages.height() / scale()
        self.stem.folded = 0 < high < LOW
        self.stem.updateGeometry()
        self.keys.setVisible(not 0 < high < LOWEST)  # they are on the key card and in the menu as well
        narrow = 0 < self.pages.width() / scale() < NARROW
        paired = self.judged is not None and self.pins is None
        self.pair.setVisible(paired and (not narrow or self.pair_on))
        self.mat.setVisible(not (narrow and self.pair_on and paired))

    def _say(self) -> None:
        data, shot, f = self.data, self.shot, self.fault
        if self.pins is not None:
            self.verdict.set(
                "Set the sheet’s four corners",
                "Drag the pins, or 1–4 and the arrow keys; clockwise from the picture’s top left. Enter takes them.",
            )
        elif shot is None:
            self.verdict.set("No photo of the work yet", "Lay the check strip beside the sheet and take a photo.")
        elif self.working:
            self.verdict.set(
                f"{self.session.checkroom.step or 'Reading the photo'} …",
                "The photo stands at once, its verdict in a few seconds.",
                working=True,
            )
        elif data is None:
            self.verdict.set("This photo was not judged yet", "Press R to read it.")
        elif data.get("refused"):
            self.verdict.set(f"Not judged. {data['refused']['reason']}", data["refused"]["cure"])
        elif f is None:
            self.verdict.set(
                data["sentence"] if not data.get("faults") else "What this photo shows is meant so",
                " ".join(data["remarks"][:1]) or self._old_words(),
            )
        else:
            faults = self.faults
            n = next(k for k, q in enumerate(faults, 1) if q["key"] == f["key"])
            self.verdict.set(f["sentence"], f["remedy"], f"fault {n} of {len(faults)}")

    def _old_words(self) -> str:
        n = self.stale
        return f"This photo is older than {n} step{'s' if n != 1 else ''}." if n else ""

    def _show_sheet(self) -> None:
        c, shot = self.session.commission, self.shot
        if c is None:
            return
        mat, j = self.mat, self.judged
        mat.mirrored = self._held == "mirror"
        mat.gesture = self.pins or Choose(self._touched)
        if j is not None and self.pins is None:
            h, w = j.sheet.shape[:2]
            mat.ruled = True
            if mat.photo is None or mat.photo.pixels is not j.sheet:
                mat.photo = View.of(j.sheet, (w, h))
            which = {"wanted": "wanted", "client": "client"}.get(self._held, "sheet")
            mat.look = self.pictures.image(which, self._held == "values") if which != "sheet" or self._held == "values" else None
            mat.show_sheet((c.width_mm, c.height_mm), 0.0, QColor(c.ground_hex), (0.0, 0.0, float(w), float(h)))
            return
        mat.look = None
        if shot is None:
            mat.ruled, mat.photo = True, None
            mat.empty_words = "Your sheet, with the check strip beside it"
            mat.show_sheet((c.width_mm, c.height_mm), c.border_mm, QColor(c.ground_hex), (0.0, 0.0, *c.picture_mm))
            return
        view = self.session.logbook.view(shot)
        mat.ruled, mat.photo, mat.empty_words = False, view, "" if view else "Opening the photo"
        mat.show_sheet(
            (240.0, 240.0 * shot.height_px / shot.width_px), 0.0, QColor("#8f8f8f"), (0.0, 0.0, float(shot.width_px), float(shot.height_px))
        )

    @property
    def held(self) -> str:
        """The look whose key is held."""
        return self._held

    def area_of(self, key: str) -> Area | None:
        """An area by its id."""
        return next((a for a in self.session.areas if a.id == key), None)

    def _show_pair(self) -> None:
        c, f = self.session.commission, self.fault
        p = self.pair
        if c is None or self.judged is None:
            p.first = p.second = None
            p.update()
            return
        shot = self.shot
        p.sheet_mm, p.mirrored = (c.width_mm, c.height_mm), self._held == "mirror"
        p.first, p.second = (
            self.pictures.image("wanted" if self._held == "wanted" else "sheet", self._held == "values"),
            self.pictures.image("client" if self._held == "client" else "wanted", self._held == "values"),
        )
        at = f"{datetime.datetime.fromisoformat(shot.at):%d %B %H:%M}".lstrip("0") if shot is not None else ""
        p.words = (f"on your sheet, {at}", "the client’s photo" if self._held == "client" else "as the plan wants it now")
        area = self.area_of(f["area_id"]) if f is not None else None
        if area is not None:
            left, top, right, bottom = box_of(area.ring, area.smooth)
            a, b = to_mm(self.session, left, top), to_mm(self.session, right, bottom)
            path = photo_path(area.ring, area.smooth).toFillPolygon()
            ring = [to_mm(self.session, path[k].x(), path[k].y()) for k in range(0, path.count(), max(1, path.count() // 200))]
            p.show_place(QRectF(QPointF(*a), QPointF(*b)), ring)
        else:
            p.show_place(QRectF(0, 0, c.width_mm, c.height_mm), ())

    def _touched(self, at: QPointF) -> bool:
        """A touched area's fault is chosen."""
        j, c = self.judged, self.session.commission
        if j is None or c is None:
            return False
        g = j.sheet.shape[1] / c.width_mm
        for f in self.faults:
            a = self.area_of(f["area_id"])
            if a is not None and on_sheet(self.session, a, g).contains(at):
                self.choose_fault(f["key"])
                return True
        return False

    def _show_stem(self) -> None:
        room, shots = self.session.checkroom, self.shots
        kept = room.kept()
        index = {q.at: k for k, q in enumerate(shots)}
        curves = {}
        names = {a.id: a.name for a in self.session.areas}
        for key, points in room.curves().items():
            curves[key] = StemCurve(key, names.get(key, "an area"), tuple((index[at], de, sure) for at, de, sure in points if at in index))
        petals = []
        for q in shots:
            data = room.verdict(q) if q.id in kept else None
            petals.append(
                StemPhoto(q.id, datetime.datetime.fromisoformat(q.at), "" if data is None else "refused" if data.get("refused") else "judged")
            )
        shot = self.shot
        thumb = self.session.logbook.thumb(shot) if shot is not None else None
        f = self.fault
        self.stem.set(
            petals,
            {k: c for k, c in curves.items() if c.points},
            shot.id if shot else "",
            f["area_id"] if f else "",
            wrap(thumb) if thumb is not None else None,
        )

    def _values(self) -> None:
        """Found and wanted of the chosen place on the value rule, bound where the difference is told."""
        f = self.fault
        self.desk.mark_values(None)
        if f is None or f["found_lab"] is None or self.judged is None:
            return
        self.desk.rule.compare({f["place_name"] or f["name"]: (f["found_lab"][0], f["wanted_lab"][0], f["kind"] in ("lighter", "darker"))})

    def _keys(self) -> None:
        held = (("W", "as wanted"), ("V", "values"), ("M", "mirror"), ("K", "client’s"))
        acts = [LineKey("↑↓", "faults", lambda: self.step_fault(1)), LineKey("←→", "photos", lambda: self.step_shot(-1))]
        if self.fault is not None:
            acts.append(LineKey("X", "meant so", self.meant_so))
        acts += [LineKey("O", "corners", self.set_corners), LineKey("C", "photo", self.new_photo)]
        if self.pages.width() / scale() < NARROW and self.judged is not None:
            acts.insert(0, LineKey("Z", "sheet" if self.pair_on else "pair", self.swap_pages))
        self.keys.set("Hold", held if self.judged is not None else (), acts)

    def _next(self) -> None:
        f, data, desk = self.fault, self.data, self.desk
        if self.pins is not None:
            desk.set_next("Take these corners", "petal")
        elif self.working:
            desk.set_next("Cancel", "away")
        elif self.shot is None or self.stale:
            desk.set_next("Take a photo", "photo")
        elif data is None:
            desk.set_next("Read the photo", "loupe")
        elif data.get("refused"):
            desk.set_next("Take another", "photo")
        elif f is not None:
            off = "" if cards.can_be_planned(self, f) else cards.why_not(self, f)
            desk.set_next("Into the plan", "hours", off)
        else:
            done = self.session.share_done("Easel") >= 1
            desk.set_next("To the record" if done else "To the easel", "sheet" if done else "pencil")

    # -- acts ------------------------------------------------------------------------------------
    def hold(self, look: str) -> None:
        if look != self._held:
            self._held = look
            if self.looking_first:
                self.morning.hold(look)
                return
            self._show_sheet()
            self._show_pair()
            self.mat.refresh()

    def choose_shot(self, key: str) -> None:
        """Show another photo."""
        self.shot_id, self.fault_key, self.pins = key, "", None
        self.refresh()
        self._want_pictures()

    def step_shot(self, step: int) -> None:
        """The photo before, or after."""
        shots = self.shots
        if shots and self.shot is not None:
            k = [q.id for q in shots].index(self.shot.id)
            self.choose_shot(shots[max(0, min(len(shots) - 1, k + step))].id)

    def choose_fault(self, key: str) -> None:
        """Show another fault."""
        self.fault_key = key
        self.refresh()

    def step_fault(self, step: int) -> None:
        """The next fault, or the one before."""
        faults = self.faults
        if faults and self.fault is not None:
            k = [f["key"] for f in faults].index(self.fault["key"])
            self.choose_fault(faults[(k + step) % len(faults)]["key"])

    def meant_so(self) -> None:
        """The chosen fault is no fault: it is kept and not said again."""
        f, shot = self.fault, self.shot
        if f is not None and shot is not None and self.session.checkroom.mean(shot, f["key"]):
            self.fault_key = ""
            self.session.messages.remark(f"“{f['name']}: {f['what']}” is meant so and is not said again. It stands at the list’s foot.")

    def say_again(self, key: str) -> None:
        """What was meant so is said again."""
        if self.shot is not None:
            self.session.checkroom.mean(self.shot, key, False)

    def swap_pages(self) -> None:
        """Whole sheet or pair, where there is no room for both."""
        self.pair_on = not self.pair_on
        self.refresh()

    def read_again(self) -> None:
        """Judge the shown photo anew."""
        if self.shot is not None and not self.working:
            self.session.checkroom.check(self.shot)

    def set_corners(self) -> None:
        """Set the sheet's corners by hand on the photo."""
        shot = self.shot
        if shot is None or self.working:
            return
        w, h = shot.width_px, shot.height_px
        start = ((0.12 * w, 0.1 * h), (0.88 * w, 0.1 * h), (0.88 * w, 0.9 * h), (0.12 * w, 0.9 * h))
        j = self.judged
        if j is not None:
            start = tuple((float(x), float(y)) for x, y in j.corners)  # type: ignore[assignment]
        self.pins = Pins(start, lambda: wrap(self.mat.photo.levels[0]) if self.mat.photo is not None else None, self._corners_taken)
        self.pair.hide()
        self.refresh()
        self.mat.fit()
        self.mat.setFocus()

    def _corners_taken(self, corners: tuple[tuple[float, float], ...]) -> None:
        shot, self.pins = self.shot, None
        if shot is not None:
            self.session.checkroom.check(shot, np.array(corners))
        self.refresh()
        self.mat.fit()

    def escape(self) -> None:
        """Put away what stands in the way."""
        if self.pins is not None:
            self.pins = None
            self.refresh()
            self.mat.fit()
        else:
            self.desk.message_strip.hide()

    def new_photo(self) -> None:
        """A photo of the work as it stands, from where the studio takes them."""
        self.shot_id = self.fault_key = ""
        self.desk.camera.take()

    def use_second(self) -> None:
        """Read the shown photo together with the one before it, taken with the lamp on the other side, against sheen."""
        shots, shot = self.shots, self.shot
        k = [q.id for q in shots].index(shot.id) if shot is not None else 0
        if shot is None or k < 1:
            self.desk.say(
                "Gloss is taken out by two photos.", "Nothing was changed.", "Move the lamp to the other side and take one more photo."
            )
            return
        self.session.checkroom.check(shot, second=shots[k - 1])

    def next(self) -> None:
        f, data = self.fault, self.data
        if self.looking_first:
            self.morning.next()
        elif self.pins is not None:
            self.pins.take()
        elif self.working:
            self.session.jobs.cancel("check")
            self.session.checkroom.stopped()
        elif self.shot is None or self.stale or (data is not None and data.get("refused")):
            self.new_photo()
        elif data is None:
            self.read_again()
        elif f is not None:
            self.into_plan()
        elif self.session.share_done("Easel") >= 1:
            self.desk.records.record_pdf()
        else:
            self.desk.go("Easel")

    def into_plan(self) -> None:
        """The chosen fault's correction becomes steps of the plan."""
        f, shot = self.fault, self.shot
        if f is None or shot is None:
            return
        if not cards.can_be_planned(self, f):
            self.desk.say(cards.why_not(self, f), "Nothing was changed.")
            return
        if self.session.checkroom.into_plan(shot, f["key"]):
            self.session.messages.remark(f"The correction of {f['name']} stands in the plan. Photograph the place again when it is done.")
