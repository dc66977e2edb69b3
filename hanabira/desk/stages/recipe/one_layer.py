"""The card of one layer: how it is laid and where, and the note under the recipe."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QPlainTextEdit, QSizePolicy, QVBoxLayout, QWidget

from hanabira.core.colour import spaces
from hanabira.core.colour.words import temperature
from hanabira.core.optics import stack as optics_stack
from hanabira.core.solver import area as recipe_changes
from hanabira.core.solver import place_words
from hanabira.core.solver.layer import WHERE, Layer
from hanabira.desk.controls import Caption, Choice, Stepper, Words, act_button, form, label, row
from hanabira.desk.theme import u
from hanabira.desk.widgets.layer_card import LaidSwatch, Pressure, SwapRow, Swaps
from hanabira.session import words as session_words
from hanabira.session.edits import NoteRecipe

if TYPE_CHECKING:
    from hanabira.core.colour.spaces import Array
    from hanabira.desk.stages.recipe.stage import RecipeStage
    from hanabira.studio.records import Area


def how(s: RecipeStage, q: Layer) -> QWidget:
    """How the chosen layer is laid: pressure, passes, stroke, places, and what can be done with it."""
    box = QWidget()
    parts = QVBoxLayout(box)
    parts.setContentsMargins(0, 0, 0, u(2))
    parts.setSpacing(u(2))
    kit = s.session.kit
    lab = kit.masstone_lab[kit.index[q.code]] if q.code else None
    pressure = Pressure(q.pressure)
    pressure.changed.connect(lambda v: s.change("pressure", pressure=v))
    passes = Stepper("Passes", 1, 9, q.passes)
    passes.changed.connect(lambda v: s.change("pass", passes=v))
    s.pressure_control, s.passes_control = pressure, passes
    beside = QWidget()
    fields = form()
    fields.setContentsMargins(0, 0, 0, 0)
    beside.setLayout(fields)
    fields.addRow(label("Pressure"), pressure)
    fields.addRow(label("Passes"), passes)
    stroke = label("Stroke")
    stroke.setMinimumHeight(0)  # it stands beside the first of what may be two lines
    stroke.setAlignment(Qt.AlignmentFlag.AlignTop)
    fields.addRow(stroke, Words(session_words.stroke_words(q.stroke, q.stroke_mm, q.laid), "small", "ink"))
    if q.coverage < 1:
        fields.addRow(Words(session_words.open_words(q.coverage).capitalize(), "small", "ink"))
    if q.code:
        point = Choice()
        point.setAccessibleName("How the colour is brought on")
        for key, words in session_words.BROUGHT.items():
            point.addItem(words, key)
        point.setCurrentIndex(point.findData(q.laid))
        point.activated.connect(lambda _i: s.change("point", laid=point.currentData()))
        s.point_control = point
        fields.addRow(label("With"), point)
    if not q.on:
        where = Choice()
        where.setAccessibleName("Where the layer goes")
        for key in WHERE:
            where.addItem(key[:1].upper() + key[1:], key)
        where.setCurrentIndex(where.findData(q.where))
        where.activated.connect(lambda _i: s.change("where", where=where.currentData()))
        fields.addRow(label("Where"), where)
    if s.desk.bench.width() >= 330 * u(1):  # a narrow card has no room for the patch
        parts.addLayout(row(LaidSwatch(lab, optics_stack.bare(s.session.paper).lab, q.pressure), beside))
    else:
        parts.addWidget(beside)
    if q.on:
        parts.addWidget(where_it_goes(s, q))
    n = len(s.layers)
    lock = ("Unlock", "strata") if q.locked else ("Lock", "night")
    buttons = []
    for words, icon, tip, run, off in (
        ("Later", "up", "Lay this layer later (Alt+Up)", s.move_up, s.at >= n - 1),
        ("Earlier", "down", "Lay this layer earlier (Alt+Down)", s.move_down, s.at <= 0),
        ("Add", "add", "Add a layer over this one", s.add_layer, n >= 12),
        ("Remove", "crumple", "Remove this layer (Del)", s.remove_layer, False),
        (*lock, "A locked layer stays when the area is solved anew", s.lock, False),
        ("Other ways", "swap", "Solve this area in three ways and compare", s.other_ways, False),
    ):
        button = act_button(words, icon, run, tip)
        button.setEnabled(not off)
        button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        buttons.append(button)
    for two in zip(buttons[::2], buttons[1::2], strict=True):
        parts.addLayout(row(*two))
    return box


def note(s: RecipeStage, area: Area) -> QWidget:
    """The artist's note under the recipe."""
    field = QPlainTextEdit(s.session.recipes[area.id].note if area.id in s.session.recipes else "")
    field.setAccessibleName("Your note to this recipe")
    field.setPlaceholderText("Printed on the card")
    field.setTabChangesFocus(True)
    field.setFixedHeight(u(58))

    def keep() -> None:
        recipe = s.session.recipes.get(area.id)
        if recipe is not None and field.toPlainText() != recipe.note:
            s._typing_note = True
            s.session.do(NoteRecipe(s.session, recipe, field.toPlainText()))
            s._typing_note = False

    field.textChanged.connect(keep)
    s.note_field = field
    return field


def where_it_goes(s: RecipeStage, q: Layer) -> QWidget:
    """The places of the area, each on or off for the chosen layer; the last one stays."""
    places = s.session.places(s.session.area_id)
    box = QWidget()
    grid = QGridLayout(box)
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setVerticalSpacing(0)
    if places is None:
        return box
    names = {p.id: p.name for p in places}
    columns = 1 if max(len(q) for q in names.values()) > 16 or s.desk.bench.width() < 330 * u(1) else 2
    for n, p in enumerate(places):
        field = QCheckBox(p.name[:1].upper() + p.name[1:])
        field.setAccessibleName(f"The layer goes on the {p.name}")
        with QSignalBlocker(field):
            field.setChecked(p.id in q.on)
        field.setEnabled(q.on != (p.id,))

        def set_on(on: bool, key: str = p.id) -> None:
            covered = (*q.on, key) if on else tuple(k for k in q.on if k != key)
            s.change("where", on=covered, where=place_words.places_in_words(covered, names))

        field.toggled.connect(set_on)
        grid.addWidget(field, n // columns, n % columns)
    return box


def instead(s: RecipeStage, area: Area, band: str) -> list[QWidget]:
    """What else could be laid in the chosen layer's place, the best first."""
    targets, kit = s.session.targets(area.id), s.session.kit
    if targets is None:
        return []
    rows = []
    for q in _ranked(s, area, targets):
        p = kit.get(q.code)
        coloured = float(spaces.chroma(q.lab)) > 3
        hue = f"{temperature(q.lab)}, hue {float(spaces.hue_deg(q.lab)):.0f}°" if coloured else "near neutral"
        rows.append(SwapRow(
            q.code, p.name, kit.masstone_lab[kit.index[q.code]], gives=q.lab, words=hue, delta_e00=q.delta_e00, tooth=q.tooth, owned=p.owned,
        ))
    if not rows:
        return []
    caption = Caption(f"Instead, for the {s.place_name(band)}", "how predicted")
    caption.opened.connect(lambda: s.desk.explain("optics"))
    table = Swaps(rows, targets[band])
    table.swapped.connect(s.swap)
    return [caption, table]


def _ranked(s: RecipeStage, area: Area, targets: Mapping[str, Array]) -> tuple[recipe_changes.Swap, ...]:
    """The chosen layer's pencil and the best others in its place; none until they are found, off the interface thread."""
    kit, paper, layers, at = s.session.kit, s.session.paper, s.layers, s.at
    sign = (area.id, layers, at, paper, tuple((k, *map(float, targets[k])) for k in targets))
    if s.swaps is not None and s.swaps[0] is kit and s.swaps[1] == sign:
        return s.swaps[2]

    def done(found: tuple[recipe_changes.Swap, ...]) -> None:
        s.swaps = (kit, sign, found)
        if s.open:
            s.refresh()

    s.session.jobs.run("swaps", "Trying other pencils", lambda _t: recipe_changes.swaps(paper, kit, layers, at, targets, most=5), done, quiet=True, first=True)
    return ()
