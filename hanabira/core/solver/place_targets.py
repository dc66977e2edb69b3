"""Targets on paper of an area's places, with the places that stand for the four bands where there are none of that name."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from hanabira.core.colour.spaces import Array, chroma, hue_deg
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


COATS = ("coat", "ground", "marking")
GREEN_H, GREEN_C, GREEN_L = (105.0, 175.0), (4.0, 18.0), 45.0
"""Hue (degrees), strength (C*) and least lightness of what grass throws into pale fur; what is stronger is green itself, what is darker a sheen."""
OWN_C, OWN_SHARE = 14.0, 0.5
"""A coat shows what falls on it where so much of it (share) is no greener and weaker than this (C*)."""


def green_thrown(places: Places) -> frozenset[str]:
    """Places of a white, cream or grey coat whose green is the meadow's: few of it, pale, on a coat that has no green itself."""
    coat = [p for p in places if p.group in COATS and not p.reserved]
    green = [p for p in coat if _greenish(p.photo_lab)]
    own = [p for p in coat if p not in green and float(chroma(p.photo_lab)) < OWN_C and p.photo_lab[0] >= GREEN_L]
    whole = sum(p.share for p in coat)
    return frozenset(p.id for p in green) if green and sum(p.share for p in own) >= OWN_SHARE * whole else frozenset()


def _greenish(lab: Sequence[float]) -> bool:
    return lab[0] >= GREEN_L and GREEN_C[0] <= float(chroma(lab)) <= GREEN_C[1] and GREEN_H[0] <= float(hue_deg(lab)) % 360 <= GREEN_H[1]


def without_green(lab: Sequence[float]) -> tuple[float, float, float]:
    """A colour whose green is taken out: its lightness and its yellow stay.

    >>> without_green((70.0, -6.0, 8.0))
    (70.0, 0.0, 8.0)
    """
    return (lab[0], max(0.0, lab[1]), lab[2])


def place_targets(reach: Gamut, places: Places, aims: Mapping[str, Array] | None = None) -> Targets:
    """Targets on paper of every place; the artist's ``aims`` (shifts in Lab) are added.

    Green that the surroundings threw is left out (`green_thrown`), but in a place that has an aim of its own: there the photo's colour is wanted.
    """
    labs, thrown = {}, green_thrown(places) - (aims or {}).keys()
    for p in places:
        wanted = reach.paper_target(without_green(p.photo_lab) if p.id in thrown else p.photo_lab)
        if p.id == "pupil" and "place.eye-shine" in places.notes:
            wanted = np.array([reach.darkest_l + 3, 0.0, 0.0])
        shift = (aims or {}).get(p.id)
        labs[p.id] = (
            wanted
            if shift is None
            else np.array([float(np.clip(wanted[0] + shift[0], reach.darkest_l, reach.lightest_l)), *(wanted[1:] + shift[1:])])
        )
    return Targets(labs, band_aliases(places, labs), {p.id: p.name for p in places}, frozenset(p.id for p in places if p.reserved))
