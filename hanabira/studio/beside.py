"""What lies beside an area and is planned already, for a recipe that has to stand next to it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from hanabira.core.colour.spaces import chroma
from hanabira.core.solver.form import Tie
from hanabira.studio.overlaps import IN_THE_WAY, polygon_of

if TYPE_CHECKING:
    from hanabira.core.optics.kit import Kit
    from hanabira.core.places.place import Place
    from hanabira.core.solver.layer import Layer
    from hanabira.studio.records import Area

ROUND_EYE = 0.6
"""An area lies round an eye when it comes so near to it, as a share of the eye's width."""
EYE_C = 14.0
"""C* from which a pencil of the iris has a colour that is worth repeating."""
TOUCH_MM = 4.0
"""Areas that come so near to each other on the paper meet."""
ALONE = ("eye", "nose", "whisker", "lash", "background", IN_THE_WAY)
"""Surfaces that meet a coat in an edge of their own."""


def marks(layers: Sequence[Layer], places: Sequence[Place], kit: Kit, eye: bool) -> tuple[tuple[tuple[float, float, float], frozenset[str]], ...]:
    """The places of a planned area with their pencils; of an eye its iris and the pencils that have a colour."""
    lab = kit.masstone_lab
    out = []
    for p in places:
        if p.reserved or eye and "iris" not in p.id:
            continue
        codes = frozenset(
            q.code for q in layers if q.code in kit.index and p.id in q.on and not q.tool and (not eye or float(chroma(lab[kit.index[q.code]])) >= EYE_C)
        )
        if codes:
            out.append(((float(p.photo_lab[0]), float(p.photo_lab[1]), float(p.photo_lab[2])), codes))
    return tuple(out)


def meet(a: Area, b: Area, mm_per_px: float) -> bool:
    """Whether two areas come so near that what one is laid with concerns the other."""
    first, second = polygon_of(a.ring, a.holes), polygon_of(b.ring, b.holes)
    near = [ROUND_EYE * (s.bounds[2] - s.bounds[0]) for q, s in ((a, first), (b, second)) if q.surface_id == "eye"]
    return bool(first.distance(second) <= max([TOUCH_MM / mm_per_px, *near]))


def ties_of(
    area: Area, areas: Sequence[Area], planned: Mapping[str, tuple[Sequence[Layer], Sequence[Place]]], kit: Kit, mm_per_px: float
) -> tuple[Tie, ...]:
    """Ties of an area to its planned neighbours (layers and places by area id), eyes first; none for what has an edge of its own."""
    if area.surface_id in ALONE:
        return ()
    shape, out = polygon_of(area.ring, area.holes), []
    for a in areas:
        layers, places = planned.get(a.id, ((), ()))
        if a.id == area.id or not layers or not places or a.photo_id != area.photo_id:
            continue
        eye, other = a.surface_id == "eye", polygon_of(a.ring, a.holes)
        if a.surface_id in ALONE and not eye:
            continue
        left, _top, right, _bottom = other.bounds
        if shape.distance(other) > (ROUND_EYE * (right - left) if eye else TOUCH_MM / mm_per_px):
            continue
        found = marks(layers, places, kit, eye)
        if found:
            out.append(Tie("eye" if eye else "border", found))
    return tuple(sorted(out, key=lambda t: t.kind != "eye"))
