"""What the printed recipe card holds: every area with its layers, as the session knows them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import cv2
import numpy as np

from hanabira.core.colour.spaces import parse_hex, srgb_to_lab
from hanabira.core.colour.words import colour_name
from hanabira.core.optics.stack import bare
from hanabira.core.optics.tools import KEEPS_OFF
from hanabira.core.places.outlines import outlines
from hanabira.core.solver.area import Prediction, judged_band
from hanabira.core.solver.layer import BANDS, goes_over
from hanabira.core.solver.library import opaque_order
from hanabira.core.solver.place_words import run_in_words, run_of
from hanabira.craft.gesture_names import headings
from hanabira.craft.supplies import papers, surfaces
from hanabira.craft.techniques import layer_spacing_mm
from hanabira.craft.tools import step_name
from hanabira.session.words import due_words, stroke_words
from hanabira.sheets.card_page import CardArea, CardContent, CardLayer, CardPlace

if TYPE_CHECKING:
    from hanabira.session.session import Session
    from hanabira.studio.records import Area, Commission

_PICTURE_SIDE, _MAP_SIDE = 1800, 700


def ground_name(c: Commission) -> str:
    """The paper's colour in words."""
    named = next((n for n, hex_ in papers()[c.paper_id].grounds if hex_ == c.ground_hex), "")
    return named or colour_name(srgb_to_lab(parse_hex(c.ground_hex)))


def card_content(session: Session) -> CardContent:
    """The recipe card of the open commission: every area that has layers and is measured."""
    c, photo, view = session.commission, session.photo, session.view
    assert c is not None and photo is not None and view is not None
    x, y, w, _h = photo.crop
    picture = view.sheet_crop(photo.crop, _PICTURE_SIDE)
    to_picture = picture.shape[1] / w
    areas = tuple(q for q in (_area(session, a, (x, y), to_picture) for a in session.areas) if q is not None)
    paper = papers()[c.paper_id]
    ground = ground_name(c)
    sheet = f"{paper.name}, {ground}, {c.width_mm:.0f} × {c.height_mm:.0f} mm with a border of {c.border_mm:.0f} mm. Kit: {session.kit.name}."
    reach = session.reach
    lines = (
        f"This kit reaches from L* {reach.darkest_l:.0f} to L* {reach.lightest_l:.0f} on this paper; the photo’s values are fitted into that range.",
        "Layers are numbered from the paper upward. The colour at the right is what stands there after the layer. Try the stack on a scrap of the same paper first.",
    )
    line = " · ".join(q for q in (c.animal, f"for {c.client}" if c.client else "", due_words(c.due)) if q)
    return CardContent(
        c.name, line, sheet, ground=bare(session.paper).lab, picture=picture, areas=areas, page=session.settings.get("card_paper"), notes=c.notes,
        lines=lines,
    )


def _area(session: Session, area: Area, corner: tuple[float, float], k: float) -> CardArea | None:
    told, m = session.prediction(area.id), session.measures(area.id)
    if told is None or m is None:
        return None
    prediction, cautions = told
    kit, opaque = session.kit, opaque_order(session.kit, session.paper)
    finish = session.workshop.finish(area)
    layers, mine = [], session.recipe_layers(area.id)
    codes, heads = [q.code for q in mine], headings(mine)
    for i, q in enumerate(mine):
        first, last = run_of(codes, i)
        run = f"Layers {first + 1} to {last + 1}, one pencil: {run_in_words([x.where for x in mine[first : last + 1]], [x.passes for x in mine[first : last + 1]])}."
        band = judged_band(q, opaque)
        state = prediction.band(band)
        layers.append(
            CardLayer(
                q.role, q.code, kit.get(q.code).name if q.code else step_name(q.tool), masstone=kit.masstone_lab[kit.index[q.code]] if q.code else None,
                pressure=q.pressure, passes=q.passes, stroke=stroke_words(q.stroke, q.stroke_mm, q.laid), where=q.where, after=state.labs[i + 1],
                uses=max(0.0, state.tooth[i + 1] - state.tooth[i]), why=q.why,
                spacing_mm=layer_spacing_mm(q, m, area.surface_id, finish) if q.stroke in ("flick", "hatch", "squiggle") and q.code else 0.0,
                run=run if i == first < last else "", again=i > first, head=head.name if (head := heads[i]) else "", aim=head.aim if head else "",
            )  # fmt: skip
        )
    places = session.places(area.id) if session.by_places(area.id) else None
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
    note = session.recipes[area.id].note
    by_places, picture = _places(session, area, prediction)
    hair = m.combed.mean_deg if m.combed is not None and m.combed.mean_deg is not None else m.hair.direction_deg
    return CardArea(
        area.number, area.name, surface, ring=ring, smooth=area.smooth, facts=" · ".join(facts), bands=bands, layers=tuple(layers), cautions=words,
        note=note, tooth_left=1 - prediction.most_tooth, places=by_places, map=picture, direction_deg=hair,
    )  # fmt: skip


def _places(session: Session, area: Area, told: Prediction) -> tuple[tuple[CardPlace, ...], np.ndarray | None]:
    """The places of an area as they are printed, dark to light, and the photo they are drawn on; nothing for a recipe by values."""
    places, view = session.places(area.id), session.view
    if places is None or view is None or not session.by_places(area.id):
        return (), None
    k = view.scale
    rows, columns = np.nonzero(places.labels)
    height, width = int(np.ptp(rows)) + 1, int(np.ptp(columns)) + 1
    pad = 0.08 * max(height, width) * places.scale
    left, top = places.origin[0] + columns.min() * places.scale, places.origin[1] + rows.min() * places.scale
    h, w = view.pixels.shape[:2]
    x0, y0 = max(0, int((left - pad) * k)), max(0, int((top - pad) * k))
    x1, y1 = min(w, int((left + width * places.scale + pad) * k) + 1), min(h, int((top + height * places.scale + pad) * k) + 1)
    shrink = min(1.0, _MAP_SIDE / max(x1 - x0, y1 - y0))
    picture = cv2.resize(view.pixels[y0:y1, x0:x1], None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
    here = lambda p: ((p[0] * k - x0) * shrink, (p[1] * k - y0) * shrink)  # noqa: E731
    shapes, moved = outlines(places), {q[0] for q in session.recipes[area.id].aims}
    layers, out = session.recipe_layers(area.id), []
    for p in sorted(places, key=lambda p: float(told.band(p.id).target[0])):
        state = told.band(p.id)
        mine = [i for i, q in enumerate(layers) if goes_over(q, p.id) and q.tool not in KEEPS_OFF]
        after = tuple((i + 1, state.labs[i + 1]) for i in mine)
        shape = shapes[p.id]
        rings = tuple(tuple(here(v) for v in ring) for ring in shape.rings)
        out.append(
            CardPlace(
                p.name, state.target, state.lab, delta_e00=state.delta_e00, after=after, rings=rings, middle=here(shape.middle),
                kept=not any(layers[i].code for i in mine), by_choice=p.id in moved,
            )
        )
    return tuple(out), picture
