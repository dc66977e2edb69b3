"""Recipe: the layers of the chosen area as strata, each one open to change."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

import cv2
import numpy as np
from PyQt6.QtCore import QEvent, QRectF, Qt, QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QWidget

from hanabira.core.colour import difference, spaces
from hanabira.core.solver import area as recipe_changes
from hanabira.core.solver import kit_facts, library
from hanabira.core.solver.layer import WHISKER, Layer, goes_over
from hanabira.craft import techniques
from hanabira.craft.gesture_names import title_of
from hanabira.craft.supplies import papers
from hanabira.craft.tools import step_name
from hanabira.desk.controls import Caption, PetalButton, Words
from hanabira.desk.gestures.marks import Stroke
from hanabira.desk.images import to_image, wrap
from hanabira.desk.stage import PictureStage, column, over
from hanabira.desk.stages.recipe import by_place, one_layer
from hanabira.desk.stages.recipe import cards as recipe_cards
from hanabira.desk.stages.recipe.where import WhereOutline
from hanabira.desk.theme import u
from hanabira.desk.widgets.area_marks import draw_whiskers
from hanabira.desk.widgets.flap import Flap
from hanabira.desk.widgets.layer_card import CautionCard
from hanabira.desk.widgets.overlays import DrawnOnce, band_range, draw_combing, grey_base, layer_picture
from hanabira.desk.widgets.place_marks import PlaceMarks
from hanabira.desk.widgets.strata import FULL_W, LEAST_W, Cut, Strata, Stratum
from hanabira.session import view as views
from hanabira.session.edits import ChangeAreas, SetLayers

if TYPE_CHECKING:
    from PyQt6.QtGui import QPainter

    from hanabira.core.area.measures import Measures
    from hanabira.core.area.shape import Point
    from hanabira.core.optics.kit import Kit
    from hanabira.core.places.place import Places
    from hanabira.core.solver.cautions import Caution
    from hanabira.core.token import Token
    from hanabira.desk.widgets.mat import Mat
    from hanabira.desk.window import Desk
    from hanabira.studio.records import Area

PICTURE_SHARE = 0.45
"""The picture keeps at least this share of the window's width."""
SHORT = {
    "greenish dark": "olive", "mud": "mud", "chalky": "chalky", "neon": "too strong", "tooth full": "tooth full", "fugitive": "fades", "no effect": "no effect",
    "pale on pale": "no step", "cannot cover": "no cover", "flat": "flat",
}  # fmt: skip


_TOOL_WHY = {
    "solvent": "Evens and deepens what lies there; let it dry before the next layer.",
    "stump": "Rubs the layers into one another; too much flattens the colour.",
    "lift": "Takes a little colour away again.",
    "erase": "Clears the place for a light.",
    "scrape": "Scratches fine lights out of the filled dark.",
    "indent": "Lines pressed in before any colour stay white; no solvent and no stump across them.",
}


def _in(mask: np.ndarray, row: float, column: float) -> bool:
    i, j = int(row), int(column)
    return 0 <= i < mask.shape[0] and 0 <= j < mask.shape[1] and bool(mask[i, j])


def _where_it_goes(m: Measures, places: Places | None, view: views.View, q: Layer) -> Callable[[float, float], bool]:
    """Whether a layer goes to a place in photo pixels: by the places it names, else by value, which the view must know then."""
    if places is not None:
        mask, (left, top), k = places.mask(q.on), places.origin, 1 / places.scale
        return lambda x, y: _in(mask, (y - top) * k, (x - left) * k)
    values = view.values
    assert values is not None
    low, high = band_range(m, q.where)
    there, k = (values >= low) & (values <= high), values.shape[1] / view.size[0]
    return lambda x, y: _in(there, y * k, x * k)


class RecipeStage(PictureStage):
    """Left the picture with the place of the chosen layer, in the middle the strata, on the bench the layer itself."""

    name = "Recipe"
    forecasts = True
    # of the class: an event may come while the window is taken down and the object is already empty
    _fits: QWidget | None = None

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.strata = Strata()
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(self.strata)
        self._scroll = scroll
        left = self._left = column(self.mat, self.roll)
        both = QWidget()
        row = QHBoxLayout(both)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self.section = False
        self.flap = Flap(self.turn_flap)
        row.addWidget(left, 1)
        row.addWidget(scroll)
        self.centre = over(self.flap, both)
        self.mat.overlays = [self._comb, WhereOutline(self), PlaceMarks(lambda: by_place.marked(self))]
        self.mat.inset = True
        self._fits = self.centre
        self._fits.installEventFilter(self)
        self.band = "general"
        self.strata.chosen_layer.connect(self._choose)
        self.strata.band_wanted.connect(self.show_band)
        self.strata.move_wanted.connect(self.move_layer)
        self.strata.remove_wanted.connect(self.remove_layer)
        m = self.session
        m.recipe_changed.connect(self._on_recipe)
        m.area_chosen.connect(self._on_area)
        m.areas_changed.connect(self._on_areas)
        m.layer_chosen.connect(self._if_open)
        m.measures_changed.connect(lambda key: self._if_open() if key == m.area_id else None)
        self._patch_for: object = None
        self._combed = DrawnOnce()
        self._base_for: object = None

    def _fit_columns(self) -> None:
        """Section beside the picture, which keeps its share of the window; where both have no room a flap turns from one to the other."""
        room, least = self.centre.width(), round(PICTURE_SHARE * self.desk.width())
        bar = u(10) if self._scroll.verticalScrollBar().isVisible() else 0
        narrow = room - u(LEAST_W) - bar < least
        self.flap.setVisible(narrow)
        self._left.setVisible(not (narrow and self.section))
        self._scroll.setVisible(not narrow or self.section)
        self.flap.set(
            *(("Picture", "photo", "Turn back to the picture") if self.section else ("Section", "strata", "Turn to the layers’ section"))
        )
        self._scroll.setFixedWidth(max(100, room) if narrow else max(u(LEAST_W) + bar, min(u(FULL_W) + bar, room - least)))

    def turn_flap(self) -> None:
        """From the picture to the layers' section, or back, where a narrow window shows one of them."""
        self.section = not self.section
        self._fit_columns()

    def eventFilter(self, watched, event) -> bool:  # noqa: ANN001
        if event.type() == QEvent.Type.Resize and watched is self._fits:
            self._fit_columns()
        return super().eventFilter(watched, event)

    # -- what is shown -----------------------------------------------------------
    @property
    def layers(self) -> tuple[Layer, ...]:
        """Layers of the chosen area."""
        return self.session.recipe_layers(self.session.area_id)

    @property
    def at(self) -> int:
        """The chosen layer."""
        return max(0, min(self.session.layer_at, len(self.layers) - 1))

    def _on_area(self) -> None:
        if self.open:
            self._look_at_area()
            self.refresh()

    def _on_areas(self) -> None:
        if self.open:
            if self.session.area_id and self.session.measures(self.session.area_id) is None:
                self.session.want_measures(self.session.area_id)  # an outline or a place was changed or brought back
            self.refresh()

    def _on_recipe(self, key: str) -> None:
        if self.open and key == self.session.area_id and not self._typing_note:
            self.refresh()
        elif self.open and self.layers:
            words, icon, _run = by_place.next_thing(self)
            self.desk.set_next(words, icon)

    def _choose(self, k: int) -> None:
        layers = self.layers
        if 0 <= k < len(layers):
            if self.tab == "layers":
                self.tab = "layer"
            if not goes_over(layers[k], self.band):
                self.band = recipe_changes.judged_band(layers[k], library.opaque_order(self.session.kit, self.session.paper))
            self.session.choose_layer(k)

    def show_band(self, band: str) -> None:
        """Show what lies in a place, or in the place that stands for a band."""
        told = self.session.prediction(self.session.area_id)
        self.band = told[0].aliases.get(band, band) if told is not None and band not in told[0].bands else band
        self.refresh()

    def step_place(self, by: int) -> None:
        """Show the next lighter place (+1) or the next darker one (−1)."""
        told = self.session.prediction(self.session.area_id)
        if told is not None:
            order = by_place.by_value(told[0])
            self.show_band(order[max(0, min(len(order) - 1, order.index(self.band) + by))])

    def enter(self) -> None:
        if self.session.area is None and self.session.areas:
            self.session.choose_area(self.session.areas[0].id)
        if self.session.area_id:
            self.session.want_measures(self.session.area_id)
        super().enter()
        QTimer.singleShot(0, self._look_at_area)

    def _keep_view(self) -> None:
        """The view follows the chosen area; it is not kept."""

    def _look_at_area(self) -> None:
        area, c = self.session.area, self.session.commission
        if area is None or c is None or not self.open:
            return
        xs, ys = [q[0] for q in area.ring], [q[1] for q in area.ring]
        k, b = self.mat.mm_per_px, self.mat.border_mm
        crop = self.mat.crop
        box = QRectF(b + (min(xs) - crop[0]) * k, b + (min(ys) - crop[1]) * k, (max(xs) - min(xs)) * k, (max(ys) - min(ys)) * k)
        pad = 0.28 * max(box.width(), box.height())
        self.mat.fit(box.adjusted(-pad, -pad, pad, pad))

    # -- edits ---------------------------------------------------------------------
    def _set(self, layers: tuple[Layer, ...], words: str) -> None:
        area = self.session.area
        if area is not None and layers != self.layers:
            self.session.do(SetLayers(self.session, area, layers, words))

    def _insert(self, layer: Layer, at: int, words: str) -> None:
        layers = self.layers
        self.session.layer_at = at
        self._set((*layers[:at], layer, *layers[at:]), words)

    def change(self, words: str, **fields: object) -> None:
        """Change the chosen layer."""
        if self.layers:
            self._set(recipe_changes.with_layer(self.layers, self.at, **fields), words)

    def swap(self, code: str) -> None:
        """Put another pencil in the chosen layer's place."""
        self.change("swap", code=code)

    def cure(self, caution: Caution) -> None:
        """Make the change that cures a caution."""
        if caution.cure_code and 0 <= caution.layer < len(self.layers):
            self._set(recipe_changes.with_layer(self.layers, caution.layer, code=caution.cure_code), "cure")

    def remove_layer(self, k: int | None = None) -> None:
        """Remove a layer, the chosen one when none is named."""
        k = self.at if k is None else k
        if 0 <= k < len(self.layers):
            self._set(recipe_changes.without_layer(self.layers, k), "layer")

    def move_layer(self, k: int, to: int) -> None:
        """Move a layer to another place."""
        if 0 <= k < len(self.layers) and 0 <= to < len(self.layers):
            self.session.layer_at = to
            self._set(recipe_changes.moved_layer(self.layers, k, to), "order")

    def move_up(self) -> None:
        """Lay the chosen layer later."""
        self.move_layer(self.at, self.at + 1)

    def move_down(self) -> None:
        """Lay the chosen layer earlier."""
        self.move_layer(self.at, self.at - 1)

    def add_layer(self) -> None:
        """Add a layer over the chosen one, of the same pencil, to be changed."""
        if self.layers:
            q = self.layers[self.at]
            new = Layer(q.role, q.code, q.pressure, 1, q.where, q.stroke, q.stroke_mm, why="Added by hand.", on=q.on)
            self._insert(new, self.at + 1, "new layer")

    def add_tool(self, tool: str) -> None:
        """Lay a tool over the chosen layer: solvent, stump, lift, erase, scrape."""
        role = {"solvent": "blend", "stump": "blend", "scrape": "scrape", "indent": "indent"}.get(tool, "lift")
        where, on = (self.layers[self.at].where, self.layers[self.at].on) if self.layers else ("everywhere", ())
        at = 0 if tool == "indent" else self.at + 1
        new = Layer(
            role, "", 3, passes=1, where=where, stroke="side", stroke_mm=0.0, tool=tool, why=_TOOL_WHY[tool], on=on,
        )
        self._insert(new, at, tool)

    def burnish(self) -> None:
        """Lay a heavy pass of the kit's whitest pencil over the chosen layer: it lightens, evens and closes the tooth."""
        kit = self.session.kit.usable
        white = kit.pencils[int(kit.masstone_lab[:, 0].argmax())]
        where, on = (self.layers[self.at].where, self.layers[self.at].on) if self.layers else ("everywhere", ())
        why = "White burnish: it lightens, evens what lies below and closes the tooth."
        new = Layer("blend", white.code, 5, 1, where, "side", 0.0, why=why, on=on)
        self._insert(new, self.at + 1, "burnish")

    def correct_place(self, how: str) -> None:
        """The next stroke on the picture adds to the shown place or takes from it; one edit, Escape stops."""
        area, places = self.session.area, self.session.places(self.session.area_id)
        place = places.get(self.band) if places is not None else None
        if area is None or place is None or not self.session.by_places(area.id):
            self.desk.say("No place is shown.", "Nothing was changed.", "Choose a place of a recipe that is planned by places.")
            return

        def given(line: tuple[Point, ...]) -> None:
            self.mat.gesture = None
            if len(line) > 2:
                self.session.do(
                    ChangeAreas(self.session, "place", [area], [replace(area, place_edits=(*area.place_edits, (place.id, how, line)))])
                )
                self.session.want_measures(area.id)

        self.mat.gesture = Stroke(given)
        self.mat.setFocus()
        words = f"Draw round what belongs to the {place.name}." if how == "add" else f"Draw round what does not belong to the {place.name}."
        self.session.messages.remark(words)

    def lock(self) -> None:
        """Keep the chosen layer when the area is solved anew, or let it go again."""
        if self.layers:
            q = self.layers[self.at]
            self.change("unlock" if q.locked else "lock", locked=not q.locked)

    def keep_pencil(self) -> None:
        """Solve the area anew with this pencil in it, at the pressure that serves best."""
        if self.layers and self.layers[self.at].code and self.session.area_id:
            self.session.solve(self.session.area_id, keep=self.layers[self.at])

    def other_ways(self) -> None:
        """Solve the area in three ways and offer them on the bench."""
        area = self.session.area
        if area is not None:

            def done(found: tuple) -> None:
                self._variants = (area.id, found)
                if self.open:
                    self.refresh()

            self.session.workshop.offer_variants(area.id, done)

    tab = "layers"

    def show_tab(self, tab: str) -> None:
        """Show another card of the recipe."""
        self.tab = tab
        self.refresh()

    _variants: tuple = ("", ())

    def _variant_parts(self, area: Area) -> list:
        if self._variants[0] != area.id or not self._variants[1]:
            return []
        parts: list = [Caption("Other ways to lay it")]
        for v in self._variants[1]:
            take = PetalButton("Now laid" if v.layers == self.layers else "Take it", "strata", tip=v.words)
            take.setEnabled(v.layers != self.layers)
            take.clicked.connect(lambda _=False, v=v: self._set(v.layers, "other way"))
            parts += [Words(v.words, "small", "ink"), take]
        return parts

    def solve(self) -> None:
        """Solve the layers of the chosen area anew."""
        if self.session.area_id:
            self.session.solve(self.session.area_id)

    # -- drawing -----------------------------------------------------------------------
    def refresh(self) -> None:
        self.show_sheet()
        self._fit_columns()
        area, bench = self.session.area, self.desk.bench
        told = self.session.prediction(area.id) if area else None
        if area is None:
            self.strata.set(None, 0)
            self._no_patch()
            bench.head.set("", "No area yet", "A recipe belongs to an area of the portrait")
            bench.set_parts([Words("Draw the areas first: the eye, the nose, a cheek. Each one gets its own layers.")])
            self.desk.set_next("Draw the areas", "loop")
            self.desk.mark_values(None)
            return
        m = self.session.measures(area.id)
        by_place.mark_values(self, area, m)
        if not self.layers or told is None or m is None:
            self.strata.set(None, 0)
            self._no_patch()
            bench.head.set(str(area.number), area.name, "no layers yet" if not self.layers else "being measured")
            words = "The layers are solved for your pencils on this paper, from the values and colours measured in the photo."
            bench.set_parts([Words(words), *(recipe_cards.way(self, area) if m else [])])
            words, icon, _run = by_place.next_thing(self)
            self.desk.set_next(words, icon, "" if m else "The area is being measured")
            return
        prediction, cautions = told
        if self.band not in prediction.bands:
            self.band = recipe_changes.judged_band(self.layers[self.at], library.opaque_order(self.session.kit, self.session.paper))
        self._show_strata(area, prediction, cautions)
        self._show_where(area)
        self._layer_card(area, prediction, cautions)
        words, icon, _run = by_place.next_thing(self)
        self.desk.set_next(words, icon)

    def _show_strata(self, area: Area, prediction: recipe_changes.Prediction, cautions: tuple[Caution, ...]) -> None:
        state, kit = prediction.band(self.band), self.session.kit
        strata = []
        by_places = self.session.by_places(area.id)
        for i, q in enumerate(self.layers):
            if by_places and not goes_over(q, self.band):
                continue  # the list on the bench holds them all
            pencil = kit.get(q.code) if q.code else None
            mine = next((c for c in cautions if c.layer == i), None)
            short = f"{SHORT.get(mine.kind, mine.kind)}" + (f": {mine.cure_code}" if mine and mine.cure_code else "") if mine else ""
            strata.append(
                Stratum(
                    q.code, q.role, pencil.name if pencil else step_name(q.tool), masstone=kit.masstone_lab[kit.index[q.code]] if q.code else None,
                    pressure=q.pressure, passes=q.passes, stroke=q.stroke, after=state.labs[i + 1],
                    uses=max(0.0, state.tooth[i + 1] - state.tooth[i]), here=goes_over(q, self.band), caution=short, at=i,
                )  # fmt: skip
            )
        paper, c = self.session.paper, self.session.commission
        ground = next((n for n, h in paper.grounds if c and h == c.ground_hex), "")
        figures = f"ΔE00 {state.delta_e00:.1f}, expected {state.expected_de00:.1f} ± {state.spread_de00:.1f}"
        words = difference.difference_words(state.lab, state.target)
        cut = Cut(
            area.name, self.band, tuple(strata), paper=state.labs[0], paper_name=f"{papers()[paper.id].name}, {ground}".strip(", "),
            target=state.target, figures=figures, words=words, places=tuple((b, self.place_name(b)) for b in by_place.by_value(prediction)),
        )
        self.strata.set(cut, self.at)

    def place_name(self, key: str) -> str:
        """A place in the artist's words."""
        places = self.session.places(self.session.area_id) if self.session.by_places(self.session.area_id) else None
        found = places.get(key) if places is not None else None
        return found.name if found is not None else key

    def _no_patch(self) -> None:
        self.mat.patch, self.mat.look, self._patch_for = None, None, None
        self.mat.refresh()

    def _show_look(self) -> None:
        """While no look is held, the photo is drained and only the layer's place has colour."""
        super()._show_look()
        if self.look or by_place.is_map(self):
            self.mat.patch = None
        elif self.layers:
            view = self.session.view
            drained = view.looks.get("drained") if view else None
            self.mat.look = wrap(drained) if drained is not None else None
            self.mat.patch = self._patch
        self.mat.refresh()

    _patch: tuple | None = None

    def _show_where(self, area: Area) -> None:
        """Drain the photo and show where the chosen layer goes; made off the interface thread."""
        view, m = self.session.view, self.session.measures(area.id)
        if view is None or m is None or not self.layers:
            return
        layer = self.layers[self.at]
        places = self.session.places(area.id) if layer.on else None
        sign = (area.ring, layer.where, layer.on, id(view), id(m))
        if sign == self._patch_for:
            self._show_look()
            return

        def work(_token: Token) -> tuple:
            pixels, rect = layer_picture(view.pixels, view.size, area, m, layer, places)
            if view.values is None:
                view.values = cv2.GaussianBlur(spaces.bytes_to_lab(view.preview())[..., 0].astype(np.float32), (0, 0), 1.0)
            drained = view.looks.get("drained")
            if drained is None:
                drained = views.screen(grey_base(view.preview()))
            return to_image(pixels), rect, drained

        def done(made: tuple) -> None:
            image, rect, drained = made
            view.looks["drained"] = drained
            if self.open and self.session.view is view:
                self._patch_for, self._patch = sign, (image, rect)
                self._show_look()

        self.session.jobs.run("where", "Showing where the layer goes", work, done, quiet=True)

    def _comb(self, p: QPainter, mat: Mat) -> None:
        """The chosen layer's strokes at true length, where it goes; none for circles and flat layers."""
        area, view = self.session.area, self.session.view
        m = self.session.measures(area.id) if area is not None else None
        if m is not None and m.whiskers is not None and self.layers and self.layers[self.at].gesture == WHISKER and not self.look:
            draw_whiskers(p, mat, m.whiskers)
            return
        if area is None or view is None or m is None or m.field is None or m.hair.direction_deg is None or not self.layers or self.look:
            return
        q = self.layers[self.at]
        if q.stroke not in ("flick", "hatch") or not q.stroke_mm:
            return
        places = self.session.places(area.id) if q.on else None
        if places is None and view.values is None:
            return  # where the layer goes is not known yet
        way = m.combed.direction_deg if m.combed is not None else None
        finish = self.session.workshop.finish(area)
        spacing = techniques.layer_spacing_mm(q, m, area.surface_id, finish) / mat.mm_per_px
        field, length, spread = m.field, q.stroke_mm / mat.mm_per_px, m.hair.spread_deg or 0.0

        def draw(painter: QPainter, _ratio: float) -> None:
            goes = _where_it_goes(m, places, view, q)
            draw_combing(
                painter, mat, area, field=field, origin=m.origin, length_px=length, spacing_px=spacing, spread_deg=spread, way=way, allowed=goes,
            )

        self._combed(p, mat, (area, m, places, view.values, q), draw, (spacing,))

    # -- bench ---------------------------------------------------------------------------
    def _layer_card(self, area: Area, prediction: recipe_changes.Prediction, cautions: tuple[Caution, ...]) -> None:
        q, kit, bench = self.layers[self.at], self.session.kit, self.desk.bench
        pencil = kit.get(q.code) if q.code else None
        band = recipe_changes.judged_band(q, library.opaque_order(kit, self.session.paper))
        shown = self.band if goes_over(q, self.band) else band
        tooth = prediction.band(shown).tooth
        costs = max(0.0, tooth[self.at + 1] - tooth[self.at])
        name = f"{pencil.name} {q.code}" if pencil else step_name(q.tool)
        bench.head.set(str(self.at + 1), name, f"{title_of(q.gesture) or q.role} · costs {100 * costs:.0f} % of the tooth")
        if self.tab == "layers" and not q.on:
            self.tab = "layer"
        if self.tab == "layers":
            by_place.fill_list(self, area, prediction)
            return
        if self.tab != "layer":
            fill = {"way": recipe_cards.way, "advice": recipe_cards.advice, "portrait": recipe_cards.portrait}[self.tab]
            bench.set_parts([recipe_cards.tabs(self), *fill(self, area)])
            return
        parts: list = [recipe_cards.tabs(self), *self._variant_parts(area), Caption("How it is laid"), one_layer.how(self, q)]
        if q.why:
            parts.append(Words(f"“{q.why}”", "aside"))
        for c in (c for c in cautions if c.layer == self.at):
            card = CautionCard(c)
            card.cured.connect(self.cure)
            parts += [2, card]
        if pencil:
            parts += one_layer.instead(self, area, band)
        parts.append(Words(self._trust(), "small"))
        rest = [c for c in cautions if c.layer != self.at]
        if rest:
            parts.append(Caption("Also in this recipe"))
            for c in rest:
                where = f"Layer {c.layer + 1}: " if c.layer >= 0 else ""
                parts.append(Words(f"{where}{c.title}. {c.text} {c.cure}", "small", "ink"))
        parts += [Caption("Your note"), one_layer.note(self, area)]
        bench.set_parts(parts)

    def _trust(self) -> str:
        """How far these pencils' predictions can be trusted."""
        other = kit_facts.on_other_paper(self.session.kit, self.session.paper, {k: q.name for k, q in papers().items()})
        if other:
            return other
        spreads = [p.spread_de for p in (self.session.kit.get(q.code) for q in self.layers if q.code)]
        known = [s for s in spreads if s is not None]
        if not known:
            return "Predicted from the kit file: no swatch of yours was read. Try the stack on a scrap."
        if len(known) < len(spreads):
            return f"{len(spreads) - len(known)} of these layers were never swatched; the others are good to ±{max(known):.1f} in mixtures."
        return f"Fitted to your swatches: good to ±{max(known):.1f} ΔE00 in mixtures."

    _typing_note = False
    swaps: tuple[Kit, tuple[object, ...], tuple[recipe_changes.Swap, ...]] | None = None
    """What the chosen layer's pencil could be swapped for, after the kit and the rest that it was found for."""

    def next(self) -> None:
        area = self.session.area
        if area is None:
            self.desk.go("Areas")
        else:
            by_place.next_thing(self)[2]()
