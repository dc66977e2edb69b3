"""Which places an area has: by its surface, its marking and its clicks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np

from hanabira.core.area.marking import Marking
from hanabira.core.area.shape import Point, Region, fill_ring
from hanabira.core.colour.spaces import bytes_to_lab
from hanabira.core.places.coat import coat_places
from hanabira.core.places.eyes import eye_places
from hanabira.core.places.hand_scale import Hand, cleaned
from hanabira.core.places.noses import nose_places
from hanabira.core.places.parts import SurfacePart
from hanabira.core.places.place import Places
from hanabira.core.places.sample import sample_at

LEAST_KEPT = 4
"""A place that corrections leave fewer pixels than this is gone."""
UNRANKED = 1000
ANATOMIES = ("coat", "locks", "bare", "eye", "nose")


def find_places(
    photo: np.ndarray,
    region: Region,
    anatomy: str,
    marking: Marking,
    hand: Hand,
    eye: Sequence[Point] = (),
    said: bool = False,
    parts: Sequence[SurfacePart] = (),
) -> Places:
    """Places of a region of a photo (h, w, 3) uint8, as a hand can lay them. ``anatomy`` is one of `ANATOMIES`; ``eye`` its clicked centre and rim.

    ``parts`` are those that the surface can have; in their order the places are listed, the values before them.
    """
    if anatomy in ("eye", "nose"):
        found = ranked(eye_places(photo, region, eye) if anatomy == "eye" else nose_places(region), parts)
    else:
        marked = said or anatomy == "coat"
        ranks = sorted(parts, key=lambda p: p.rank)
        found = coat_places(sample_at(region, hand), marking, anatomy != "bare", hand.scale, said, marked, ranks)
    return cleaned(found, hand, anatomy)


def ranked(places: Places, parts: Sequence[SurfacePart]) -> Places:
    """Places in the order of their ranks; those without one stay behind, in their own order."""
    ranks = {p.id: p.rank for p in parts}
    order = sorted(range(len(places)), key=lambda n: (ranks.get(places.all[n].id, UNRANKED), n))
    numbers = np.zeros(len(places) + 1, np.uint8)
    for new, old in enumerate(order, 1):
        numbers[old + 1] = new
    return replace(places, all=tuple(places.all[n] for n in order), labels=numbers[places.labels])


def corrected(places: Places, edits: Sequence[tuple[str, str, Sequence[Point]]], photo: np.ndarray) -> Places:
    """Places after corrections by hand: rings (photo pixels) that were added to a place or taken away from it.

    What is taken away goes to the place whose colour is nearest. Colours, shares and boxes follow; a place without pixels is gone.
    """
    known = [(k, how, ring) for k, how, ring in edits if k in places.ids and len(ring) > 2]
    if not known:
        return places
    labels, scale = places.labels.copy(), places.scale
    h, w = labels.shape
    lab = _photo_lab(places, photo)
    inside = labels > 0
    for key, how, ring in known:
        at = places.ids.index(key) + 1
        ring_here = (np.asarray(ring, float) - places.origin) / scale
        hit = fill_ring(ring_here, h, w) & inside
        if how == "add":
            labels[hit] = at
        else:
            hit &= labels == at
            others = [n for n in range(1, len(places) + 1) if n != at]
            if hit.any() and others:
                colours = np.array([places.all[n - 1].photo_lab for n in others])
                near = ((lab[hit][:, None] - colours[None]) ** 2).sum(2).argmin(1)
                labels[hit] = np.array(others, np.uint8)[near]
    out, numbers = [], np.zeros(len(places) + 1, np.uint8)
    for n, p in enumerate(places, 1):
        ys, xs = np.nonzero(labels == n)
        if len(ys) < LEAST_KEPT:
            continue
        changed = any(key == p.id for key, _how, _ring in known)
        v = np.median(lab[ys, xs], 0) if changed else p.photo_lab
        left, top = places.origin[0] + xs.min() * scale, places.origin[1] + ys.min() * scale
        box = (int(left), int(top), max(1, round((np.ptp(xs) + 1) * scale)), max(1, round((np.ptp(ys) + 1) * scale)))
        out.append(replace(p, photo_lab=(float(v[0]), float(v[1]), float(v[2])), share=len(ys) / max(1, int(inside.sum())), box=box))
        numbers[n] = len(out)
    return replace(places, all=tuple(out), labels=numbers[labels])


def _photo_lab(places: Places, photo: np.ndarray) -> np.ndarray:
    """Lab of the photo at the map's pixels, (h, w, 3)."""
    h, w = places.labels.shape
    view = np.array([[places.scale, 0, places.origin[0]], [0, places.scale, places.origin[1]]], np.float32)
    pixels = cv2.warpAffine(photo, view, (w, h), flags=cv2.INTER_AREA | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE)
    return bytes_to_lab(pixels)
