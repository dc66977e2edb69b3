"""Targets on paper of an area's places, with the places that stand for the four bands where there are none of that name."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.places.place import Places
from hanabira.core.solver.area import Targets
from hanabira.core.solver.gamut import Gamut


def band_aliases(places: Places, targets: Mapping[str, Array]) -> dict[str, str]:
    """Which place stands for each of the four bands in an eye, a nose, or a coat that lacks one."""
    own = [p for p in places if p.group in ("eye", "nose") and not p.reserved] or [p for p in places if not p.reserved] or list(places)
    own.sort(key=lambda p: float(targets[p.id][0]))
    rest = own[1:] or own
    general = max(rest[:-1] or rest, key=lambda p: p.share)
    above = [p for p in own if targets[p.id][0] >= targets[general.id][0] and p is not general] or [own[-1]]
    kept = [p for p in places if p.reserved]
    light, high = above[0] if len(above) > 1 or not kept else above[-1], (kept or [own[-1]])[0]
    if targets[high.id][0] < targets[light.id][0]:
        light = general
    four = {"gap": own[0].id, "general": general.id, "light": light.id, "highlight": high.id}
    return {band: key for band, key in four.items() if band not in places.ids}


def place_targets(reach: Gamut, places: Places, aims: Mapping[str, Array] | None = None) -> Targets:
    """Targets on paper of every place; the artist's ``aims`` (shifts in Lab) are added."""
    labs = {}
    for p in places:
        wanted = reach.paper_target(p.photo_lab)
        if p.id == "pupil" and "place.eye-shine" in places.notes:
            wanted = np.array([reach.darkest_l + 3, 0.0, 0.0])
        shift = (aims or {}).get(p.id)
        labs[p.id] = (
            wanted
            if shift is None
            else np.array([float(np.clip(wanted[0] + shift[0], reach.darkest_l, reach.lightest_l)), *(wanted[1:] + shift[1:])])
        )
    return Targets(labs, band_aliases(places, labs), {p.id: p.name for p in places}, frozenset(p.id for p in places if p.reserved))
