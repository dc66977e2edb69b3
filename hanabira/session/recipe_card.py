"""What the printed recipe card holds: every area with its layers, as the session knows them."""

from __future__ import annotations

from hanabira.core.colour.spaces import parse_hex, srgb_to_lab
from hanabira.core.colour.words import colour_name
from hanabira.core.optics.stack import bare
from hanabira.core.solver.area import BANDS, judged_band
from hanabira.core.solver.library import opaque_order
from hanabira.craft.supplies import papers, surfaces
from hanabira.session.session import Session
from hanabira.session.words import due_words, stroke_words
from hanabira.sheets.recipe_card import Card, CardArea, CardLayer
from hanabira.studio.records import Area, Commission

_PICTURE_SIDE = 1800


def ground_name(c: Commission) -> str:
    """The paper's colour in words."""
    named = next((n for n, hex_ in papers()[c.paper_id].grounds if hex_ == c.ground_hex), "")
    return named or colour_name(srgb_to_lab(parse_hex(c.ground_hex)))


def card_content(model: Session) -> Card:
    """The recipe card of the open commission: every area that has layers and is measured."""
    c, photo, view = model.commission, model.photo, model.view
    assert c is not None and photo is not None and view is not None
    x, y, w, _h = photo.crop
    picture = view.sheet_crop(photo.crop, _PICTURE_SIDE)
    to_picture = picture.shape[1] / w
    areas = tuple(q for q in (_area(model, a, (x, y), to_picture) for a in model.areas) if q is not None)
    paper = papers()[c.paper_id]
    ground = ground_name(c)
    sheet = f"{paper.name}, {ground}, {c.width_mm:.0f} × {c.height_mm:.0f} mm with a border of {c.border_mm:.0f} mm. Kit: {model.kit.name}."
    reach = model.reach
    lines = (
        f"This kit reaches from L* {reach.darkest_l:.0f} to L* {reach.lightest_l:.0f} on this paper; the photo’s values are fitted into that range.",
        "Layers are numbered from the paper upward. The colour at the right is what stands there after the layer. Try the stack on a scrap of the same paper first.",
    )
    line = " · ".join(q for q in (c.animal, f"for {c.client}" if c.client else "", due_words(c.due)) if q)
    return Card(c.name, line, sheet, bare(model.paper).lab, picture, areas, model.settings.get("card_paper"), c.notes, lines)


def _area(model: Session, area: Area, corner: tuple[float, float], k: float) -> CardArea | None:
    told, m = model.prediction(area.id), model.measures(area.id)
    if told is None or m is None:
        return None
    prediction, cautions = told
    kit, opaque = model.kit, opaque_order(model.kit, model.paper)
    layers = []
    for i, q in enumerate(model.recipe_layers(area.id)):
        band = judged_band(q, opaque)
        state = prediction.band(band)
        layers.append(
            CardLayer(
                q.role,
                q.code,
                kit.get(q.code).name if q.code else q.tool,
                kit.masstone_lab[kit.index[q.code]] if q.code else None,
                q.pressure,
                q.passes,
                stroke_words(q.stroke, q.stroke_mm),
                q.where,
                state.labs[i + 1],
                max(0.0, state.tooth[i + 1] - state.tooth[i]),
                q.why,
            )  # fmt: skip
        )
    places = model.places(area.id) if model.by_places(area.id) else None
    names = {p.id: p.name for p in places} if places is not None else {b: b for b in BANDS}
    order = sorted(prediction.bands, key=lambda b: float(prediction.band(b).target[0]))
    bands = tuple((names.get(b, b), prediction.band(b).target, prediction.band(b).lab, prediction.band(b).delta_e00) for b in order)
    facts = [f"{m.temperature.word}"]
    if m.hair.direction_deg is not None:
        way = m.combed.mean_deg if m.combed is not None else None
        facts.append(f"hair root to tip {way:.0f}°" if way is not None else f"hair {m.hair.direction_deg:.0f}°")
        if m.lie and m.lie != "straight":
            facts.append(m.lie)
        if m.length_mm:
            facts.append(f"visible run about {m.length_mm:.0f} mm")
    if m.mm2:
        facts.insert(0, f"{m.mm2:.0f} mm²")
    ring = tuple(((x - corner[0]) * k, (y - corner[1]) * k) for x, y in area.ring)
    words = tuple(f"{f'layer {q.layer + 1}, ' if q.layer >= 0 else ''}{q.title.lower()}. {q.text} {q.cure}" for q in cautions)
    surface = surfaces()[area.surface_id].name if area.surface_id in surfaces() else area.surface_id
    note = model.recipes[area.id].note
    return CardArea(
        area.number, area.name, surface, ring, area.smooth, " · ".join(facts), bands, tuple(layers), words, note, 1 - prediction.most_tooth
    )
