"""What the model gives to the printed sheets."""

from __future__ import annotations

import math

from hanabira.core.area.shape import smooth_ring
from hanabira.core.colour.spaces import Array
from hanabira.core.optics.stack import bare
from hanabira.core.solver.area import BANDS, judged_band
from hanabira.core.solver.library import opaque_order
from hanabira.core.study.grid import Grid
from hanabira.craft.reader import papers, surfaces
from hanabira.desk.model import Model
from hanabira.desk.stages.shelf import spoken_date
from hanabira.sheets.recipe_card import Card, CardArea, CardLayer
from hanabira.sheets.true_size import Traced, TrueSize
from hanabira.studio.records import Area

_PICTURE_SIDE = 1800


def card_content(model: Model) -> Card:
    """The recipe card of the open commission: every area that has layers and is measured."""
    c, photo, view = model.commission, model.photo, model.view
    assert c is not None and photo is not None and view is not None
    k = view.pixels.shape[1] / photo.width_px
    x, y, w, h = photo.crop
    cut = view.pixels[int(y * k) : int((y + h) * k), int(x * k) : int((x + w) * k)]
    step = max(1, -(-max(cut.shape[:2]) // _PICTURE_SIDE))
    picture = cut[::step, ::step]
    to_picture = picture.shape[1] / w
    areas = tuple(q for q in (_area(model, a, (x, y), to_picture) for a in model.areas) if q is not None)
    paper = papers()[c.paper_id]
    ground = next((n for n, hex_ in paper.grounds if hex_ == c.ground_hex), c.ground_hex)
    sheet = f"{paper.name}, {ground}, {c.width_mm:.0f} × {c.height_mm:.0f} mm with a border of {c.border_mm:.0f} mm. Kit: {model.kit.name}."
    reach = model.reach
    lines = (
        f"This kit reaches from L* {reach.darkest_l:.0f} to L* {reach.lightest_l:.0f} on this paper; the photo’s values are fitted into that range.",
        "Layers are numbered from the paper upward. The colour at the right is what stands there after the layer. Try the stack on a scrap of the same paper first.",
    )
    line = " · ".join(q for q in (c.animal, f"for {c.client}" if c.client else "", spoken_date(c.due)) if q)
    return Card(c.name, line, sheet, bare(model.paper).lab, picture, areas, model.settings.get("card_paper"), c.notes, lines)


def _area(model: Model, area: Area, corner: tuple[float, float], k: float) -> CardArea | None:
    told, m = model.prediction(area.id), model.measures(area.id)
    if told is None or m is None:
        return None
    prediction, cautions = told
    kit, opaque = model.kit, opaque_order(model.kit, model.paper)
    layers = []
    for i, q in enumerate(model.recipe_layers(area.id)):
        band = judged_band(q, opaque)
        state = prediction.band(band)
        stroke = f"{q.stroke} {q.stroke_mm:.0f} mm" if q.stroke_mm and q.stroke in ("flick", "hatch") else q.stroke
        layers.append(
            CardLayer(
                q.role,
                q.code,
                kit.get(q.code).name if q.code else q.tool,
                kit.masstone_lab[kit.index[q.code]] if q.code else None,
                q.pressure,
                q.passes,
                stroke,
                q.where,
                state.labs[i + 1],
                max(0.0, state.tooth[i + 1] - state.tooth[i]),
                q.why,
            )  # fmt: skip
        )
    bands = tuple((b, prediction.band(b).target, prediction.band(b).lab, prediction.band(b).delta_e00) for b in BANDS)
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


def true_size_content(model: Model, grid: Grid | None, with_photo: bool, tone: Array | None) -> TrueSize:
    """The picture at true size; lines alone also bring outlines, markings and the combing to trace."""
    c, photo, view = model.commission, model.photo, model.view
    assert c is not None and photo is not None and view is not None
    k = view.pixels.shape[1] / photo.width_px
    x, y, w, h = photo.crop
    picture = view.pixels[int(y * k) : max(int(y * k) + 1, round((y + h) * k)), int(x * k) : max(int(x * k) + 1, round((x + w) * k))]
    mm = c.picture_mm[0] / w
    on_paper = lambda ring: tuple(((float(u) - x) * mm, (float(v) - y) * mm) for u, v in ring)  # noqa: E731
    traced = []
    for a in () if with_photo else model.areas:
        rings = tuple(on_paper(smooth_ring(r) if a.smooth else r) for r in (a.ring, *a.holes))
        m = model.measures(a.id)
        combing = tuple(on_paper(line) for line in combing_lines(model, a)) if m is not None else ()
        marking = tuple(on_paper(r) for r in model.marking_rings(a.id))
        traced.append(Traced(a.number, rings, marking, combing))
    return TrueSize(c.name, picture, c.picture_mm, model.settings.get("card_paper"), grid, tuple(traced), with_photo, tone)


def combing_lines(model: Model, area: Area, spacing_mm: float = 4.0) -> tuple[tuple[tuple[float, float], ...], ...]:
    """Short strokes along the hair of an area in photo pixels, as far apart as given; none where no direction was found."""
    m = model.measures(area.id)
    if m is None or m.field is None or model.mm_per_px is None:
        return ()
    step = spacing_mm / model.mm_per_px
    length = min(m.hair.length_px or step, 3 * step)
    rows, columns = m.field.sure.shape
    region = model.region(area)
    out, y = [], region.top + step / 2
    while y < region.top + region.mask.shape[0]:
        x = region.left + step / 2
        while x < region.left + region.mask.shape[1]:
            i, j = int((y - m.origin[1]) / m.field.step_px), int((x - m.origin[0]) / m.field.step_px)
            if 0 <= i < rows and 0 <= j < columns and m.field.sure[i, j] and region.mask[int(y) - region.top, int(x) - region.left]:
                t = math.radians(float(m.field.direction_deg[i, j]))
                dx, dy = math.cos(t) * length / 2, -math.sin(t) * length / 2
                out.append(((x - dx, y - dy), (x + dx, y + dy)))
            x += step
        y += step
    return tuple(out)
