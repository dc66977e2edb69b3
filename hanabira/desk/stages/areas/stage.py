"""Areas: draw them on the photo, name them, read what each one shows."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6 import sip
from PyQt6.QtCore import QPointF, QTimer
from PyQt6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QWidget

from hanabira.core.area import outline as shaping
from hanabira.core.area.shape import Point, ring_area
from hanabira.core.faults import Fault
from hanabira.craft.supplies import surfaces
from hanabira.craft.templates import templates
from hanabira.desk.controls import Choice, act_button, label, row
from hanabira.desk.gestures.marks import DragBox, Grow, Push, Spots, Stroke
from hanabira.desk.gestures.outlines import Corners, Gesture, Loop, OpLoop, Reshape, lies_inside
from hanabira.desk.gestures.pins import Pins
from hanabira.desk.images import to_image, wrap
from hanabira.desk.stage import PictureStage
from hanabira.desk.stages.areas import cards as areas_cards
from hanabira.desk.stages.areas import none_chosen
from hanabira.desk.stages.areas import whole as whole_card
from hanabira.desk.stages.areas.mat import AreasMat
from hanabira.desk.theme import u
from hanabira.desk.widgets.area_marks import Anatomy, CombStrokes, Lost, Tracing, Uncovered, sample_picture
from hanabira.desk.widgets.mat import Mat
from hanabira.desk.widgets.overlays import Combing, Outlines
from hanabira.desk.widgets.roll import Way
from hanabira.session import area_edits
from hanabira.session.edits import AddArea, DeleteArea, RenameArea, ReshapeArea, SetSurface

if TYPE_CHECKING:
    from hanabira.core.area.measures import Measures
    from hanabira.desk.window import Desk
    from hanabira.studio.records import Area

AT_ONCE = 20
"""Areas whose measures are asked for in one go."""
WAYS = (
    Way("loop", "loop", "Loop", "1", "Draw round an area in one stroke; with Shift join it to the chosen area, with Alt cut it away"),
    Way("corners", "corners", "Corners", "2", "Set corner after corner; the first corner or Enter closes"),
    Way("touch", "grow", "Touch", "3", "Touch fur and let go; drag outward to take more of what looks alike"),
    Way("eye", "iris", "Eye", "4", "Click an eye’s centre, then its rim"),
    Way("reshape", "reshape", "Reshape", "5", "Drag a corner, drag the inside to move, double-click the edge for a new corner"),
    Way("push", "push", "Push", "6", "Push the edge of the chosen area; the wheel sets how wide"),
    Way("comb", "comb", "Comb", "7", "Stroke the fur from root to tip; it corrects the direction where it was read wrongly"),
)


class AreasStage(PictureStage):
    """The photo with outlines, margin names and the combing; the chosen area's measures on the bench card."""

    name = "Areas"
    without = "Add the client’s photo first, in Brief."
    margins = (176.0, 18.0)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk, WAYS)
        m = self.session
        self.mat.reordered.connect(lambda key, onto: area_edits.reorder(self.session, key, onto))  # type: ignore[attr-defined]
        self.mat.overlays = [
            Tracing(lambda: self.session.marking_rings(self.session.area_id) if self.tab == "marking" else ()),
            Anatomy(lambda: self.session.measures(self.session.area_id) if self.tab == "parts" else None, lambda: areas_cards.tip_of(self)),
            Uncovered(lambda: self.session.planner.covering().gaps if self.gaps_shown else ()),
            Lost(lambda: self.session.measures(self.session.area_id)),
            Combing(lambda: self.session.area, lambda: self.session.measures(self.session.area_id)),
            CombStrokes(lambda: self.session.area, lambda: self.roll.chosen == "comb"),
            self.outlines,
        ]
        self.gestures: dict[str, Gesture] = {
            "loop": OpLoop(self._drawn, self.choose_at, self._operate),
            "corners": Corners(self._drawn, self.choose_at),
            "reshape": Reshape(
                lambda: (self.session.area.ring, self.session.area.smooth) if self.session.area else None, self._reshaped, self.choose_at
            ),
            "touch": Grow(self._try_touch, self._touched),
            "eye": Spots(2, self._eye_clicked, ring=True),
            "nostrils": Spots(2, self._nostrils_clicked),
            "rows": Spots(2, self._rows_clicked),
            "push": Push(lambda: (self.session.area.ring, self.session.area.smooth) if self.session.area else None, self._pushed),
            "comb": Stroke(self._combed, 2.0, arrow=True),
            "template": DragBox(self._template_box),
            "trace add": Stroke(lambda line: self._trace("add", line), 1.6),
            "trace away": Stroke(lambda line: self._trace("away", line), 1.6),
            whole_card.LOOP: Loop(lambda ring, _smooth: self.session.whole.draw_loop(tuple(ring)), lambda _at: False),
            whole_card.EYE: Spots(2, self._whole_eye, ring=True),
            whole_card.NOSE: Spots(1, self._whole_nose),
        }
        self.tab, self.template, self.op, self.gaps_shown = "read", "", "", False
        """Whether what lies under no area is hatched: lines over fur are in the way while it is drawn round."""
        self._placed: tuple[str, int] | None = None
        self.sample, self._drawn_sample = "", None  # type: str, tuple | None
        self._touchable: tuple[object, shaping.Touchable] | None = None
        self.beside.gesture = Loop(self._borrow_ring, lambda _at: False)
        self.roll.way_chosen.connect(self.choose_way)
        self.choose_way("loop")
        m.areas_changed.connect(self._on_areas)
        m.area_chosen.connect(self._if_open)
        m.measures_changed.connect(self._on_measures)
        m.recipe_changed.connect(lambda _key: self._if_open())
        m.whole_changed.connect(self._on_whole)
        m.first_changed.connect(self._on_first)
        self.name_field: QLineEdit | None = None
        self.surface_field: QComboBox | None = None

    def make_mat(self) -> Mat:
        self._shown_areas: tuple[object, object, tuple[Area, ...]] = (None, None, ())
        self.outlines = Outlines(self.shown_areas, self._chosen_key, self.note, loose=lambda a: self.is_patch(a.id))
        return AreasMat(self.outlines, self.choose_key)

    @property
    def parting(self) -> bool:
        """Whether the whole animal is being parted; asks for no part of the session that nobody has used."""
        return "whole" in self.session.__dict__ and self.session.whole.open

    def is_patch(self, key: str) -> bool:
        """Whether an id is that of a proposed patch."""
        return self.parting and self.session.whole.holds(key)

    def shown_areas(self) -> Sequence[Area]:
        """Stored areas, and the patches that are proposed; the same sequence as long as neither changed."""
        stored, patches = self.session.areas, self.session.whole.patches if self.parting else ()
        if not patches:
            return stored
        if self._shown_areas[0] is not stored or self._shown_areas[1] is not patches:
            self._shown_areas = (stored, patches, (*stored, *patches))
        return self._shown_areas[2]

    def _chosen_key(self) -> str:
        return self.session.whole.chosen if self.parting and self.session.whole.chosen else self.session.area_id

    def choose_key(self, key: str) -> None:
        """Choose a stored area or a proposed patch."""
        if self.is_patch(key):
            self.session.whole.choose(key)
        else:
            if self.parting:
                self.session.whole.choose("")
            self.session.choose_area(key)

    # -- the whole animal -----------------------------------------------------------
    def part_whole(self) -> None:
        """Propose areas over the whole animal."""
        self.session.choose_area("")
        self.session.whole.begin()
        if self.parting and self.session.whole.needs_loop:
            self.choose_way(whole_card.LOOP)
        self.mat.setFocus()

    def to_cut_out(self) -> None:
        """Go to Study, where strokes set the cut-out right."""
        self.desk.go("Study")
        self.desk.current.choose_way("cut")  # type: ignore[attr-defined]

    def _whole_eye(self, points: tuple[Point, ...]) -> None:
        self.choose_way("loop")
        self.session.whole.show_eye(points[0], points[1])

    def _whole_nose(self, points: tuple[Point, ...]) -> None:
        self.choose_way("loop")
        self.session.whole.show_nose(points[0])

    def _on_whole(self) -> None:
        if self.open:
            if not self.parting or (self.mat.gesture is self.gestures[whole_card.LOOP] and not self.session.whole.needs_loop):
                self.choose_way("loop")
            self.session.first.want()
            self.refresh()

    def _on_first(self) -> None:
        if self.open and self.parting:
            self.refresh()

    # -- on the picture --------------------------------------------------------
    def choose_way(self, way: str) -> None:
        """Take another pencil from the roll."""
        for gesture in self.gestures.values():
            gesture.cancel()
        self.mat.gesture = self.gestures[way]
        if way in {w.id for w in WAYS}:
            self.roll.choose(way)
            self.op = ""
        if way == "touch":
            self._want_touchable()
        if way in ("comb", "push", "reshape") and self.session.area is None and self.open:
            self.desk.say("No area is chosen.", "Nothing was changed.", "Click an area or its name first.")
        self.mat.refresh()

    def _nostrils_clicked(self, spots: Sequence[Point]) -> None:
        self.confirm_nostrils(tuple(spots))
        self.choose_way("loop")

    def _rows_clicked(self, spots: Sequence[Point]) -> None:
        area = self.session.area
        if area is not None:
            area_edits.change(self.session, "rows of feathers", replace(area, eye=tuple((float(x), float(y)) for x, y in spots)))
        self.choose_way("loop")

    def confirm_nostrils(self, spots: Sequence[Point]) -> None:
        """Keep two places as the chosen nose's nostrils."""
        area = self.session.area
        if area is not None and len(spots) == 2:
            area_edits.change(self.session, "nostrils", replace(area, eye=tuple((float(x), float(y)) for x, y in spots)))

    def pin(self, points: Sequence[Point], taken: Callable[[tuple[Point, ...]], object]) -> None:
        """Let points be dragged, or moved by keys, under a lens until Enter takes them."""

        def end(found: tuple[Point, ...]) -> None:
            self.choose_way("loop")
            taken(found)

        self.gestures["pins"] = Pins(points, lambda: wrap(self.mat.photo.levels[0]) if self.mat.photo is not None else None, end)
        self.choose_way("pins")
        self.mat.setFocus()

    def confirm_tip(self, spots: Sequence[Point]) -> None:
        """Keep a place as the chosen ear's tip."""
        area = self.session.area
        if area is not None and len(spots) == 1:
            area_edits.change(self.session, "ear tip", replace(area, eye=tuple((float(x), float(y)) for x, y in spots)))

    def show_gaps(self) -> None:
        """Hatch what of the animal lies under no area, or leave it again."""
        self.gaps_shown = not self.gaps_shown
        self.mat.refresh()
        self.refresh()

    def show_tab(self, tab: str) -> None:
        """Show another part of the chosen area's card."""
        self.tab = tab
        self.show_sample("")
        self.refresh()

    def show_sample(self, sample: str) -> None:
        """Show on the photo which pixels a figure was read from; again puts it away."""
        self.sample = "" if sample == self.sample else sample
        self._draw_sample()

    def _draw_sample(self) -> None:
        m, area, view = self.session.measures(self.session.area_id), self.session.area, self.session.view
        if not self.sample or m is None or area is None or view is None or m.borrowed:
            self._drawn_sample = None
            self.mat.patch = None
            self.mat.refresh()
            return
        sign, sample = (self.sample, id(m)), self.sample
        if sign == self._drawn_sample:
            return
        region = self.session.region_of(area)

        def done(found: tuple) -> None:
            if self.sample == sample:
                self._drawn_sample = sign
                self.mat.patch = (to_image(found[0]), found[1])
                self.mat.refresh()

        self.session.jobs.run("sample", "Looking for the sample", lambda _t: sample_picture(region(), m, sample, view), done, quiet=True)

    def choose_at(self, at: QPointF) -> bool:
        """Choose the smallest area, or proposed patch, over a photo pixel; whether there was one."""
        found = [a for a in self.shown_areas() if lies_inside(a, at)]
        if found:
            self.choose_key(min(found, key=lambda a: abs(ring_area(a.ring))).id)
        return bool(found)

    def _drawn(self, ring: tuple[Point, ...], smooth: bool) -> None:
        photo = self.session.photo
        if photo is None or self.session.commission is None:
            return
        x0, y0, w, h = photo.crop
        held = tuple((min(max(x, x0), x0 + w), min(max(y, y0), y0 + h)) for x, y in ring)
        if self.op and self.session.area is not None:
            self._operate(held, smooth, self.op)
            return
        if len(held) < 3 or abs(ring_area(held)) < 64:
            self.desk.say("The outline has no inside on the sheet.", "Nothing was added.", "Draw it again on the photo.")
            return
        command = AddArea(self.session, held, smooth)
        if self.session.do(command):
            self.session.choose_area(command.area.id)
            if self.name_field is not None:
                self.name_field.setFocus()
                self.name_field.selectAll()

    def _reshaped(self, ring: tuple[Point, ...], words: str, gesture: int) -> None:
        area = self.session.area
        if area is not None and self.session.do(ReshapeArea(self.session, area, ring, words, gesture)):
            self.session.want_measures(area.id)

    # -- touch, eye, push, comb, cut and join, templates ---------------------------
    def _want_touchable(self) -> None:
        view = self.session.view
        if view is None or (self._touchable and self._touchable[0] is view):
            return

        def done(ready: shaping.Touchable) -> None:
            self._touchable = (view, ready)

        self.session.jobs.run("touch", "Getting ready for touch", lambda _t: shaping.touchable(view.preview()), done)

    def _grown(self, at: Point, reach: float) -> shaping.Outline | None:
        view = self.session.view
        if view is None or self._touchable is None or self._touchable[0] is not view:
            return None
        k = view.preview().shape[1] / view.size[0]
        found = shaping.grow(self._touchable[1], (at[0] * k, at[1] * k), reach)
        up = lambda ring: tuple((x / k, y / k) for x, y in ring)  # noqa: E731
        return shaping.Outline(up(found.ring), False, tuple(map(up, found.holes)))

    def _try_touch(self, at: Point, reach: float) -> tuple[Point, ...] | None:
        try:
            found = self._grown(at, reach)
        except Fault:
            return None
        return found.ring if found else None

    def _touched(self, at: Point, reach: float) -> None:
        if self._touchable is None:
            self.desk.say("The photo is still being made ready.", "Nothing was added.", "Touch again in a moment.")
            return
        try:
            found = self._grown(at, reach)
        except Fault as fault:
            self.session.messages.fault(fault)
            return
        if found is not None and area_edits.add(self.session, found) is not None and self.name_field is not None:
            self.name_field.setFocus()
            self.name_field.selectAll()

    def _eye_clicked(self, points: tuple[Point, ...]) -> None:
        area_edits.add_eye(self.session, points[0], points[1])

    def _pushed(self, at: Point, by: Point, radius: float) -> None:
        area = self.session.area
        if area is not None:
            self._reshaped(shaping.push(area.ring, at, by, radius), "edge", 0)

    def _combed(self, line: tuple[Point, ...]) -> None:
        area = self.session.area
        if area is None:
            self.desk.say("No area is chosen.", "Nothing was changed.", "Click an area, then comb it.")
            return
        area_edits.change(self.session, "combing stroke", replace(area, combing=(*area.combing, line)))

    def _operate(self, ring: tuple[Point, ...], smooth: bool, op: str) -> None:
        area_edits.operate(self.session, op or self.op, shaping.Outline(tuple(ring), smooth))
        self.op = ""

    def next_loop(self, op: str) -> None:
        """The next loop joins the chosen area, is cut away from it, or makes a hole."""
        if op and self.session.area is None:
            self.desk.say("No area is chosen.", "Nothing was changed.", "Click an area or its name first.")
            return
        self.choose_way("loop")
        self.op = op
        self.mat.setFocus()

    def choose_template(self, key: str) -> None:
        """Take a template; a box drawn on the photo places it."""
        self.template = key
        self.choose_way("template")
        self.session.messages.remark(f"{templates()[key].name}: draw a box round it on the photo, or press Enter for the whole picture.")
        self.mat.setFocus()

    def _template_box(self, box: tuple[float, float, float, float]) -> None:
        """Place the template; another box at once fits it anew instead of adding a second one."""
        stack = self.session.undo
        if stack is not None and self._placed == (self.template, stack.at) and stack.can_undo:
            stack.undo()
        area_edits.place_template(self.session, self.template, box)
        if stack is not None:
            self._placed = (self.template, stack.at)
        self.session.messages.remark("Draw the box again to fit it better; then reshape the areas one by one.")

    def trace(self, how: str) -> None:
        """The next stroke adds to the marking or takes away from it."""
        self.choose_way(f"trace {how}")
        self.mat.setFocus()

    def _trace(self, how: str, line: tuple[Point, ...]) -> None:
        area = self.session.area
        if area is not None and len(line) > 2:
            area_edits.change(self.session, "marking", replace(area, marking_edits=(*area.marking_edits, (how, line))))

    def _borrow_ring(self, ring: tuple[Point, ...], _smooth: bool) -> None:
        area = self.session.area
        if area is not None and self.beside_id:
            area_edits.change(self.session, "values from another photo", replace(area, colour_photo_id=self.beside_id, colour_ring=ring))

    def name_area(self) -> None:
        """Put the caret into the chosen area's name."""
        if self.name_field is not None:
            self.name_field.setFocus()
            self.name_field.selectAll()

    def set_surface(self) -> None:
        """Open the chosen area's list of surfaces."""
        if self.surface_field is not None:
            self.surface_field.setFocus()
            self.surface_field.showPopup()

    def delete(self) -> None:
        """Delete the chosen area with its recipe."""
        if self.session.area is not None:
            self.session.do(DeleteArea(self.session, self.session.area))

    def note(self, area: Area) -> str:
        """Value range and temperature of an area, for its margin name; of a proposed patch what it is planned as."""
        if self.is_patch(area.id):
            return f"{surfaces()[area.surface_id].name.lower()}, proposed"
        m = self.session.measures(area.id)
        if m is None:
            return surfaces()[area.surface_id].name.lower() if area.surface_id in surfaces() else ""
        return m.brief

    # -- bench ---------------------------------------------------------------------
    def enter(self) -> None:
        super().enter()
        # the stage is shown before the work on it begins
        QTimer.singleShot(0, self._measure_all)

    def _measure_all(self) -> None:
        if self.open:
            self.mat.repaint()
            self._measure_some(list(dict.fromkeys([self.session.area_id, *(a.id for a in self.session.areas)])))

    def _measure_some(self, keys: list[str]) -> None:
        """Ask for measures a few at a time, so that two hundred areas leave room for the hand in between."""
        if not self.open:
            return
        for key in keys[:AT_ONCE]:
            self.session.want_measures(key)
        if keys[AT_ONCE:]:
            QTimer.singleShot(0, lambda: self._measure_some(keys[AT_ONCE:]))

    def _on_view(self) -> None:
        super()._on_view()
        if self.open and self.session.view is not None and self.session.view.full:
            for a in self.session.areas:
                self.session.want_measures(a.id)

    def _on_areas(self) -> None:
        if self.open:
            # an area drawn over others takes pixels from them
            for a in self.session.areas:
                if self.session.measures(a.id) is None:
                    self.session.want_measures(a.id)
            self.refresh()

    def _on_measures(self, key: str) -> None:
        if self.open:
            self.mat.refresh()
            if key == self.session.area_id:
                self.refresh()

    def refresh(self) -> None:
        self.show_sheet()
        self._draw_sample()
        area = self.session.area
        if self.parting and (area is None or self.session.whole.chosen):
            self._whole_card()
            return
        if area is None:
            self.name_field = self.surface_field = None
            self.desk.mark_values(None)
            none_chosen.show(self)
            return
        self._area_card(area)

    def _whole_card(self) -> None:
        whole, bench = self.session.whole, self.desk.bench
        self.name_field = self.surface_field = None
        self.desk.mark_values(None)
        bench.head.set(*whole_card.head(whole, bool(self.session.areas)))
        bench.set_parts(whole_card.parts(self, whole))
        n = len(whole.patches)
        if whole.needs_loop:
            self.desk.set_next("Draw the loop", "loop")
        else:
            self.desk.set_next(f"Accept all {n}" if n > 1 else "Accept it" if n else "Accept all", "petal", "" if n else "The animal is being parted")

    def _area_card(self, area: Area) -> None:
        m, bench = self.session.measures(area.id), self.desk.bench
        surface = surfaces().get(area.surface_id)
        mm2 = f"{m.mm2:,.0f} mm²".replace(",", "\u2009") if m and m.mm2 else "being measured"
        marking = ""
        if m and m.marking.kind and m.marking.kind != "plain":
            marking = f" · {m.marking.kind}" + ("?" if m.marking.ask else "")
        bench.head.set(str(area.number), area.name, f"{mm2} · {surface.name.lower() if surface else area.surface_id}{marking}")
        if not self._editing_name(area):
            away = row(act_button("Delete this area", "crumple", self.delete, "It can be taken back (Ctrl+Z)"), None)
            bench.set_parts([self._identity(area), *self._measure_parts(m, area), 6, away])
        self.desk.mark_values(m.clipping.known(m.values.band_lab) if m else None)
        has = area.id in self.session.recipes
        self.desk.set_next(
            f"Recipe for area {area.number}" if not has else f"To the recipe of area {area.number}",
            "strata",
            "" if m else "The area is being measured",
        )

    def _editing_name(self, area: Area) -> bool:
        """While the artist types a name the card is left alone, except for the measures that came."""
        q = alive(self.name_field)
        return bool(
            q is not None and q.hasFocus() and q.property("area") == area.id and self._shown == (area.id, self.session.measures(area.id))
        )

    _shown: tuple = ("", None)

    def _identity(self, area: Area) -> QWidget:
        self._shown = (area.id, self.session.measures(area.id))
        old = alive(self.name_field)
        keep = old.text() if old is not None and old.hasFocus() and old.property("area") == area.id else None
        box = QWidget()
        fields = QGridLayout(box)
        fields.setContentsMargins(0, u(2), 0, u(5))
        fields.setHorizontalSpacing(u(8))
        name = QLineEdit(keep if keep is not None else area.name)
        name.setProperty("area", area.id)
        name.setAccessibleName("Name of the area")
        name.setMaxLength(60)
        name.editingFinished.connect(lambda: self._rename(area.id, name.text()))
        self.name_field = name
        surface = Choice()
        surface.setAccessibleName("Surface of the area")
        for q in surfaces().values():
            surface.addItem(q.name, q.id)
        surface.setCurrentIndex(max(0, surface.findData(area.surface_id)))
        surface.activated.connect(lambda _i: self._set_surface(area.id, surface.currentData()))
        self.surface_field = surface
        if self.desk.bench.width() / u(1) < 330:
            fields.addWidget(label("Name"), 0, 0)
            fields.addWidget(name, 0, 1)
            fields.addWidget(label("Surface"), 1, 0)
            fields.addWidget(surface, 1, 1)
        else:
            fields.addWidget(name, 0, 0)
            fields.addWidget(surface, 0, 1)
            fields.setColumnStretch(0, 1)
            fields.setColumnStretch(1, 1)
        return box

    def _rename(self, key: str, words: str) -> None:
        area = next((a for a in self.session.areas if a.id == key), None)
        words = words.strip()
        if area is not None and words and words != area.name:
            self.session.do(RenameArea(self.session, area, words))

    def _set_surface(self, key: str, surface_id: str) -> None:
        area = next((a for a in self.session.areas if a.id == key), None)
        if area is not None and surface_id != area.surface_id and self.session.do(SetSurface(self.session, area, surface_id)):
            self.session.want_measures(key)

    def _measure_parts(self, m: Measures | None, area: Area) -> list:
        return areas_cards.parts(self, m, area)

    def next(self) -> None:
        area = self.session.area
        if self.session.photo is None:
            self.desk.ask_photo()
        elif self.parting and (area is None or self.session.whole.chosen):
            if self.session.whole.needs_loop:
                self.choose_way(whole_card.LOOP)
                self.mat.setFocus()
            else:
                self.session.whole.accept_all()
        elif area is not None:
            self.desk.go("Recipe")
            if area.id not in self.session.recipes:
                self.session.solve(area.id)
        else:
            none_chosen.next_step(self)

    def take_loop(self) -> None:
        """The next stroke on the photo draws an area."""
        self.next_loop("")


def alive(q: QLineEdit | None) -> QLineEdit | None:
    """The field, unless its card was replaced."""
    return None if q is None or sip.isdeleted(q) else q
