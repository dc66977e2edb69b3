"""Outlines, markings and combing as lines to trace: at true size on paper, as SVG, as layers of a picture."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import cv2
import numpy as np

from hanabira.core.area.dapples import classed
from hanabira.core.area.measures import NOT_LOOKED, Measures
from hanabira.core.area.pattern import find_pattern, svg
from hanabira.core.area.shape import Point, Region, smooth_ring
from hanabira.core.places.outlines import outlines as outlines_of
from hanabira.core.study.shapes import value_shapes
from hanabira.craft.markings import marking_model
from hanabira.craft.supplies import surfaces
from hanabira.sheets.true_size import TraceLines, TrueSize
from hanabira.studio.openraster import RasterLayer

if TYPE_CHECKING:
    from hanabira.core.colour.spaces import Array
    from hanabira.core.study.grid import Grid
    from hanabira.core.token import Token
    from hanabira.session.session import Session
    from hanabira.studio.records import Area

_LAYERS_SIDE = 2400
_SHIFT = 4
"""Binary places of a pixel in which lines are drawn."""


def rings_of(a: Area) -> list[list[Point]]:
    """An area's outline and its holes as they are drawn, in photo pixels."""
    return [[(float(x), float(y)) for x, y in (smooth_ring(r) if a.smooth else r)] for r in (a.ring, *a.holes)]


def areas_svg(session: Session) -> str | None:
    """Outlines of all areas and of their known markings as SVG in millimetres of the picture; None without a photo."""
    if session.commission is None or session.photo is None or session.mm_per_px is None:
        return None
    rings = [r for a in session.areas for r in (*rings_of(a), *session.marking_rings(a.id), *place_rings(session, a))]
    return svg(
        rings, session.commission.picture_mm, f"{session.commission.name}: areas, markings and places", session.mm_per_px, session.photo.crop[:2]
    )


def place_rings(session: Session, area: Area) -> tuple[tuple[Point, ...], ...]:
    """Rings of the places that an area's recipe was planned by, in photo pixels; none for a recipe by values."""
    places = session.places(area.id) if session.by_places(area.id) else None
    return () if places is None else tuple(ring for shape in outlines_of(places).values() for ring in shape.rings)


def picture_layers(session: Session) -> Callable[[Token], list[RasterLayer]] | None:
    """Markings, combing, areas, value shapes and photo as layers of one size, the topmost first; None without a photo.

    The returned work may run off the interface thread.
    """
    view, photo = session.view, session.photo
    if view is None or photo is None:
        return None
    picture = view.sheet_crop(photo.crop, _LAYERS_SIDE)
    x, y, w, _h = photo.crop
    to = picture.shape[1] / w
    size = (picture.shape[1], picture.shape[0])
    at = lambda line: [((u - x) * to, (v - y) * to) for u, v in line]  # noqa: E731
    regions = [(session.region_of(a), session.measures(a.id)) for a in session.areas]
    outlines = [(at([*r, r[0]]), 2.2) for a in session.areas for r in rings_of(a)]
    markings = [(at([*r, r[0]]), 1.6) for a in session.areas for r in session.marking_rings(a.id)]
    planned = [(at([*r, r[0]]), 1.2) for a in session.areas for r in place_rings(session, a)]

    def work(token: Token) -> list[RasterLayer]:
        shapes = cv2.resize(value_shapes(picture)[0], size, interpolation=cv2.INTER_NEAREST)
        token.report(0.3, "Combing")
        lines = [line for cut_out, m in regions if m is not None for line in combing_lines(cut_out(), m, 22 / to)]
        return [
            RasterLayer("marking outlines", line_picture(size, markings)),
            RasterLayer("place outlines", line_picture(size, planned), False),
            RasterLayer("combing", line_picture(size, [(at(q), 1.4) for q in lines]), False),
            RasterLayer("areas", line_picture(size, outlines)),
            RasterLayer("value shapes", shapes, False),
            RasterLayer("photo", picture),
        ]

    return work


def line_picture(size: tuple[int, int], lines: Sequence[tuple[Sequence[Point], float]]) -> np.ndarray:
    """Lines with their width in pixels on a clear ground of ``size`` (width, height) as RGBA; white in a dark sheath, to be seen on any fur."""
    w, h = size
    sheath, core = np.zeros((h, w), np.uint8), np.zeros((h, w), np.uint8)
    for points, wide in lines:
        p = np.round(np.asarray(points, float) * 2**_SHIFT).astype(np.int32)[:, None]
        cv2.polylines(sheath, [p], False, 255, max(1, round(wide + 1.8)), cv2.LINE_AA, _SHIFT)
        cv2.polylines(core, [p], False, 255, max(1, round(wide)), cv2.LINE_AA, _SHIFT)
    dark, white = 0.745 * sheath / 255.0, core / 255.0
    alpha = white + dark * (1 - white)
    grey = np.divide(white, alpha, out=np.zeros_like(alpha), where=alpha > 0)
    return (np.dstack([grey, grey, grey, alpha]) * 255 + 0.5).astype(np.uint8)


def true_size_content(session: Session, grid: Grid | None, with_photo: bool, tone: Array | None) -> Callable[[Token], TrueSize]:
    """What is printed at true size; the returned work may run off the interface thread.

    Lines alone also bring outlines, markings and the combing to trace. Markings that nobody looked at yet are looked for.
    """
    c, photo, view = session.commission, session.photo, session.view
    assert c is not None and photo is not None and view is not None
    x, y, w, _h = photo.crop
    picture = view.sheet_crop(photo.crop)
    mm = c.picture_mm[0] / w
    page, title, size = session.settings.get("card_paper"), c.name, c.picture_mm
    given = [] if with_photo else [(a, session.region_of(a), session.measures(a.id)) for a in session.areas]

    def on_paper(ring: Sequence[Point] | Array) -> tuple[Point, ...]:
        return tuple(((float(u) - x) * mm, (float(v) - y) * mm) for u, v in ring)

    def work(token: Token) -> TrueSize:
        traced = []
        for n, (a, cut_out, m) in enumerate(given):
            token.report(0.5 * n / len(given), f"Tracing {a.name}")
            region = cut_out()
            rings = tuple(on_paper(smooth_ring(r) if a.smooth else r) for r in (a.ring, *a.holes))
            combing = tuple(on_paper(line) for line in combing_lines(region, m, 4.0 / mm)) if m is not None else ()
            traced.append(TraceLines(a.number, rings, tuple(on_paper(r) for r in _marking(a, region, m)), combing))
        return TrueSize(
            title, picture, size, page=page, grid=grid, traced=tuple(traced), with_photo=with_photo, tone=tone,
        )

    return work


def _marking(area: Area, region: Region, m: Measures | None) -> tuple[tuple[Point, ...], ...]:
    if m is not None and m.pattern is not None:
        return m.marking_rings
    surface = surfaces().get(area.surface_id)
    if m is None or m.marking.reason != NOT_LOOKED or surface is None or not surface.hair:
        return ()
    kind = area.marking_kind or classed(marking_model(), region)[0].kind
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
