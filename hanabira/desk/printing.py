"""What the model gives to the printed sheets."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from hanabira.core.area.marking import measure_marking
from hanabira.core.area.measures import NOT_LOOKED, Measures
from hanabira.core.area.pattern import find_pattern
from hanabira.core.area.shape import Point, Region, smooth_ring
from hanabira.core.colour.spaces import Array, parse_hex, srgb_to_lab
from hanabira.core.colour.words import colour_name
from hanabira.core.optics.stack import bare
from hanabira.core.solver.area import BANDS, judged_band
from hanabira.core.solver.library import opaque_order
from hanabira.core.study.grid import Grid
from hanabira.core.token import Token
from hanabira.craft.markings import marking_model
from hanabira.craft.reader import papers, surfaces
from hanabira.desk.model import Model
from hanabira.desk.stages.shelf import spoken_date
from hanabira.sheets.recipe_card import Card, CardArea, CardLayer
from hanabira.sheets.true_size import Traced, TrueSize
from hanabira.studio.records import Area, Commission

_PICTURE_SIDE = 1800


def ground_name(c: Commission) -> str:
    """The paper's colour in words."""
    named = next((n for n, hex_ in papers()[c.paper_id].grounds if hex_ == c.ground_hex), "")
    return named or colour_name(srgb_to_lab(parse_hex(c.ground_hex)))


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
    ground = ground_name(c)
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


def true_size_content(model: Model, grid: Grid | None, with_photo: bool, tone: Array | None) -> Callable[[Token], TrueSize]:
    """What is printed at true size; the returned work may run off the interface thread.

    Lines alone also bring outlines, markings and the combing to trace. Markings that nobody looked at yet are looked for.
    """
    c, photo, view = model.commission, model.photo, model.view
    assert c is not None and photo is not None and view is not None
    k = view.pixels.shape[1] / photo.width_px
    x, y, w, h = photo.crop
    picture = view.pixels[int(y * k) : max(int(y * k) + 1, round((y + h) * k)), int(x * k) : max(int(x * k) + 1, round((x + w) * k))]
    mm = c.picture_mm[0] / w
    page, title, size = model.settings.get("card_paper"), c.name, c.picture_mm
    given = [] if with_photo else [(a, model.region_of(a), model.measures(a.id)) for a in model.areas]

    def on_paper(ring: Sequence[Point] | Array) -> tuple[Point, ...]:
        return tuple(((float(u) - x) * mm, (float(v) - y) * mm) for u, v in ring)

    def work(token: Token) -> TrueSize:
        traced = []
        for n, (a, cut_out, m) in enumerate(given):
            token.report(0.5 * n / len(given), f"Tracing {a.name}")
            region = cut_out()
            rings = tuple(on_paper(smooth_ring(r) if a.smooth else r) for r in (a.ring, *a.holes))
            combing = tuple(on_paper(line) for line in combing_lines(region, m, 4.0 / mm)) if m is not None else ()
            traced.append(Traced(a.number, rings, tuple(on_paper(r) for r in _marking(a, region, m)), combing))
        return TrueSize(title, picture, size, page, grid, tuple(traced), with_photo, tone)

    return work


def _marking(area: Area, region: Region, m: Measures | None) -> tuple[tuple[Point, ...], ...]:
    if m is not None and m.pattern is not None:
        return m.pattern.rings
    surface = surfaces().get(area.surface_id)
    if m is None or m.marking.reason != NOT_LOOKED or surface is None or not surface.hair:
        return ()
    kind = area.marking_kind or measure_marking(marking_model(), region.pixels, region.mask).kind
    if kind in (None, "plain", "ticked", "gradient") and not area.marking_edits:
        return ()
    found = find_pattern(region, area.marking_edits)
    return found.rings if found is not None else ()


def combing_lines(region: Region, m: Measures, step: float) -> tuple[tuple[Point, Point], ...]:
    """Short strokes along the hair of an area in photo pixels, ``step`` apart; none where no direction was found."""
    if m.field is None:
        return ()
    length = min(m.hair.length_px or step, 3 * step)
    rows, columns = m.field.sure.shape
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
