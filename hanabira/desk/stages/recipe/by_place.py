"""Recipe by places: the list of layers with what they cover, the map of an eye or a nose, aims by choice, and what comes next."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from hanabira.core.area import clipping
from hanabira.core.colour import spaces
from hanabira.core.colour.words import nearness
from hanabira.core.optics.tools import KEEPS_OFF
from hanabira.core.solver import area as recipe_changes
from hanabira.core.solver import library, place_words
from hanabira.core.solver.layer import WHISKER, goes_over
from hanabira.craft.gesture_names import headings
from hanabira.craft.tools import step_name
from hanabira.desk.controls import Caption, Stepper, Words, act_button, row
from hanabira.desk.stages.recipe import cards as recipe_cards
from hanabira.desk.widgets.layer_list import LayerList, LayerRow
from hanabira.desk.widgets.place_marks import Named
from hanabira.session import practice_profile
from hanabira.session.aims import HALF_STEP_L, RICH_STEP, WARM_STEP, shift_of
from hanabira.session.edits import Aim

if TYPE_CHECKING:
    from hanabira.core.area.measures import Measures
    from hanabira.core.places.place import Place, Places
    from hanabira.desk.stages.recipe.stage import RecipeStage
    from hanabira.studio.records import Area


def by_value(prediction: recipe_changes.Prediction) -> list[str]:
    """Places or bands from dark to light."""
    return sorted(prediction.bands, key=lambda b: float(prediction.bands[b].target[0]))


def is_map(s: RecipeStage) -> bool:
    """Whether the picture is a map of places in full colour: of an eye or a nose, while the list of layers is open."""
    places = s.session.places(s.session.area_id) if s.tab == "layers" and s.session.by_places(s.session.area_id) else None
    return places is not None and any(p.kind == "part" for p in places)


def next_thing(s: RecipeStage) -> tuple[str, str, Callable[[], None]]:
    """What comes next: solve what is not solved, all at once where there is more than one; then area by area; at last the card."""
    unsolved = s.session.portrait.unsolved()
    area = s.session.area
    if area is not None and area in unsolved and len(unsolved) == 1:
        return "Solve the layers", "strata", lambda: s.session.solve(area.id)
    if unsolved:
        return (
            f"Solve every area, {len(unsolved)}" if len(unsolved) > 1 else "Solve the last area",
            "strata",
            s.session.portrait.solve_all,
        )
    later = [a for a in s.session.areas if area is not None and a.number > area.number]
    if later:
        return f"Recipe of area {later[0].number}", "strata", lambda: s.session.choose_area(later[0].id)
    return "Print the recipe card", "sheet", s.desk.records.recipe_card


def mark_values(s: RecipeStage, area: Area, m: Measures | None) -> None:
    """The shown place with its neighbours on the value rule, or the bands; what was moved by choice stands beside its measure."""
    places = s.session.places(area.id) if s.session.by_places(area.id) else None
    if places is None or m is None:
        s.desk.mark_values(m.clipping.known(m.values.band_lab) if m else None)
        return
    order = sorted(places, key=lambda p: p.photo_lab[0])
    at = next((k for k, p in enumerate(order) if p.id == s.band), len(order) // 2)
    shown = order[max(0, min(at - 1, len(order) - 4)) :][:4]
    recipe = s.session.recipes[area.id]
    moved = {place: shift for place, *shift in recipe.aims}
    aims = {p.name: p.photo_lab[0] + moved[p.id][0] for p in shown if p.id in moved and moved[p.id][0]}
    s.desk.mark_values({p.name: p.photo_lab[0] for p in shown}, aims)


def marked(s: RecipeStage) -> tuple[Places, tuple[Named, ...], str] | None:
    """What is marked on the picture: in an eye or a nose all places by name, in a coat the shown one."""
    area = s.session.area
    told = s.session.prediction(area.id) if area is not None else None
    if area is None or told is None or s.look or not s.session.by_places(area.id):
        return None
    places = s.session.places(area.id)
    if places is None:
        return None
    parts = any(p.kind == "part" for p in places)
    moved = {place for place, *_shift in s.session.recipes[area.id].aims}
    free = {p.id for p in places if not any(goes_over(q, p.id) and q.code for q in s.layers)}
    named = tuple(Named(p.id, p.name, _note_of(p, told[0], p.id in moved, p.id in free), p.id in free) for p in places if parts)
    return places, named, s.band


def _note_of(p: Place, told: recipe_changes.Prediction, moved: bool, free: bool) -> str:
    """Target and share of a place, or that it is kept free, or moved by choice."""
    target = f"L* {told.band(p.id).target[0]:.0f}"
    return f"{target} · kept free" if free else f"{target}, by choice" if moved else f"{target} · {max(1, round(100 * p.share))} %"


def fill_list(s: RecipeStage, area: Area, prediction: recipe_changes.Prediction) -> None:
    """All layers with what they cover, as they are laid."""
    places, kit = s.session.places(area.id), s.session.kit
    if places is None:
        return
    names = {p.id: p.name for p in places}
    rows = []
    heads = headings(s.layers)
    for i, q in enumerate(s.layers):
        where = place_words.places_in_words(q.on, names) if q.on and q.gesture != WHISKER else q.where
        passes = f", {q.passes} passes" if q.passes > 1 else ""
        again = i > 0 and bool(q.code) and s.layers[i - 1].code == q.code
        name = (
            f"{q.code} again"
            if again
            else f"{q.code} {kit.get(q.code).name}"
            if q.code
            else step_name(q.tool)
        )
        lab = kit.masstone_lab[kit.index[q.code]] if q.code else None
        words = where if q.tool in KEEPS_OFF or q.gesture else f"{q.role} · {where}"
        words += passes
        rows.append(LayerRow(
            i, name, words, masstone=lab, pressure=q.pressure, passes=q.passes, on=q.on, here=goes_over(q, s.band), locked=q.locked,
            head=heads[i].name if heads[i] else "",
        ))
    laid = sum(1 for q in s.layers if q.code)
    kept = " and what is kept free" if any(q.role == "reserve" for q in s.layers) else ""
    worst = max(prediction.bands.values(), key=lambda q: q.delta_e00)
    bench = s.desk.bench
    bench.head.set(str(area.number), area.name, f"{len(places)} places · {laid} layers{kept}")
    listing = LayerList(tuple(rows), places, s.at)
    listing.chosen_layer.connect(lambda k: _choose_in_list(s, k))
    listing.opened.connect(s._choose)
    end = Words(f"Farthest from the photo: the {s.place_name(worst.band)}, {nearness(worst.delta_e00)}. Enter opens a layer.")
    m = s.session.measures(area.id)
    lost = clipping.lost_words(m.clipping) if m is not None and m.clipping.unknown else ()
    told = [Words(words, "small", "ink") for words in (*lost, *s.session.workshop.left_out.get(area.id, ()))]
    shown = places.get(s.band)
    correct: list = []
    if shown is not None:
        correct = [
            Caption(f"On the picture: the {shown.name}"),
            row(
                act_button("Add to it", "add", lambda: s.correct_place("add"), "Draw round what belongs to this place"),
                act_button("Take from it", "minus", lambda: s.correct_place("away"), "Draw round what does not belong to it"),
                None,
            ),
        ]
    bench.set_parts(
        [recipe_cards.tabs(s), Caption("Layers, from the paper upward"), listing, end, *told, *_practised(s), *correct, *aim_parts(s, area)]
    )


def _practised(s: RecipeStage) -> list:
    """What the artist's own practice has to say of recipes, where it is certain."""
    said = practice_profile.effects(s.session.practising)
    return [Caption("From your practice"), *(Words(q, "small", "ink") for q in said)] if said else []


def _choose_in_list(s: RecipeStage, k: int) -> None:
    """Show a layer where it goes, without leaving the list."""
    if 0 <= k < len(s.layers):
        if not goes_over(s.layers[k], s.band):
            s.band = recipe_changes.judged_band(s.layers[k], library.opaque_order(s.session.kit, s.session.paper))
        s.session.choose_layer(k)


AIM_STEPS = (("Lighter", "lighter or darker, in value steps of 10 L*"), ("Warmer", "warmer or cooler"), ("Richer", "richer or duller"))


def aim_parts(s: RecipeStage, area: Area) -> list:
    """The target of the shown place, moved by choice; the measure stays, and a new solve follows the aim."""
    recipe, places = s.session.recipes.get(area.id), s.session.places(area.id)
    place = places.get(s.band) if places is not None else None
    if recipe is None or place is None or not recipe.places:
        return []
    shift = next((q[1:] for q in recipe.aims if q[0] == place.id), (0.0, 0.0, 0.0))
    steps = _aim_steps(shift, place.photo_lab)
    out: list = [Caption(f"By choice: the {place.name}")]
    for k, (name, words) in enumerate(AIM_STEPS):
        stepper = Stepper(name, -6, 6, steps[k], words)
        stepper.changed.connect(lambda v, k=k: s.session.do(Aim(s.session, recipe, place.id, _aim_shift(steps, k, v, place.photo_lab))))
        out.append(row(stepper, None))
    if any(steps):
        out.append(Words("The measure stays as it is. Solve the area anew to follow the choice.", "small", "ink"))
    return out


def _aim_steps(shift: tuple[float, ...], photo_lab: tuple[float, float, float]) -> list[int]:
    """Half value steps, steps of warmth and of richness of a shift in Lab."""
    c = max(4.0, float(spaces.chroma(photo_lab)))
    along = (
        np.array(photo_lab[1:]) / max(1e-6, float(spaces.chroma(photo_lab)))
        if float(spaces.chroma(photo_lab)) > 1
        else np.array([0.0, 0.0])
    )
    warm = np.array([np.cos(np.radians(60)), np.sin(np.radians(60))])
    basis = np.stack([WARM_STEP * warm, RICH_STEP * c * along], 1)
    ab = (
        np.linalg.lstsq(basis, np.array(shift[1:]), rcond=None)[0]
        if along.any()
        else np.array([float(np.dot(shift[1:], warm)) / WARM_STEP, 0.0])
    )
    return [round(shift[0] / HALF_STEP_L), round(float(ab[0])), round(float(ab[1]))]


def _aim_shift(steps: list[int], k: int, value: int, photo_lab: tuple[float, float, float]) -> tuple[float, float, float]:
    """The shift in Lab of these steps with one of them changed."""
    n = [value if j == k else v for j, v in enumerate(steps)]
    return shift_of(photo_lab, warmer=n[1], richer=n[2], lighter=n[0])
