"""Something in the way: grass before a leg, a collar, a leash. It is no marking of the coat; what lies under it is invented from beside it.

Told by colours that no coat has: green, blue and violet, and reds stronger than any fur. A brown leash or dry grass is not told: the artist draws it
(docs/methods/markings.md).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.area.shape import Region, RingAndCurve, cut, fill_ring, smooth_ring
from hanabira.core.colour.spaces import bytes_to_lab
from hanabira.core.colour.words import hue_name
from hanabira.core.sentences import say

FOREIGN: Sequence[tuple[float, float, float]] = ((108.0, 222.0, 20.0), (222.0, 325.0, 30.0), (325.0, 393.0, 42.0))
"""Arcs of hue (degrees, upward) with the C* from which no coat has them: greens, blues and violets, reds."""
OWN = 0.5
"""Where more than this share of an area is foreign, it is the area's own colour (a macaw, a dyed coat) and nothing lies before it."""
LEAST, PIECE = 0.01, 0.002
"""Shares of an area under which nothing is said, and under which one piece is a stray pixel's."""
STEP, BESIDE_PX = 12.0, (2, 6)
"""A thing in the way has an edge: so many units of a*b* lie between it and what lies that many pixels beside it. Light that a lawn throws into fur fades."""
ROOM = 0.012
"""What is found is widened by this share of the area's side: its rim mixes with the fur."""
RADIUS_PX = 5.0
"""Reach of the filling (Telea 2004, An image inpainting technique based on the fast marching method)."""


@dataclass(frozen=True)
class InTheWay:
    """What lies before an area: its share of the area, and its hue in a word; empty where the artist drew it."""

    share: float
    hue: str


def way_words(way: InTheWay) -> str:
    """What is told, and asked, of something in the way.

    >>> way_words(InTheWay(0.07, "green"))
    'Something green seems to lie before 7 % of this area: it is left out, and what lies under it is invented from beside it.'
    """
    if not way.hue:
        return say("way.drawn", share=100 * way.share)
    return say("way.seen", hue=way.hue, share=100 * way.share)


def foreign(region: Region) -> np.ndarray | None:
    """Pixels (h, w) bool of a region whose colour is no coat's, in pieces that are large enough; None where there are none, or where they are the area's own."""
    lab, mask = bytes_to_lab(cv2.medianBlur(np.ascontiguousarray(region.pixels), 3)), region.mask
    strength, hue = np.hypot(lab[..., 1], lab[..., 2]), np.degrees(np.arctan2(lab[..., 2], lab[..., 1])) % 360
    found = np.zeros(mask.shape, bool)
    for low, high, least in FOREIGN:
        found |= ((hue - low) % 360 <= high - low) & (strength >= least)
    found &= mask
    area = int(mask.sum())
    n, labels, stats, _ = cv2.connectedComponentsWithStats(found.astype(np.uint8), connectivity=8)
    keep = np.zeros(n, bool)
    near, far = (cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * r + 1, 2 * r + 1)) for r in (BESIDE_PX[0], BESIDE_PX[1]))
    for k in range(1, n):
        if stats[k, cv2.CC_STAT_AREA] < max(4, PIECE * area):
            continue
        piece = (labels == k).astype(np.uint8)
        beside = (cv2.dilate(piece, far) > cv2.dilate(piece, near)) & mask & ~found
        step = np.linalg.norm(np.median(lab[labels == k][:, 1:], 0) - np.median(lab[beside][:, 1:], 0)) if beside.any() else np.inf
        keep[k] = step >= STEP
    found = keep[labels]
    share = found.sum() / max(1, area)
    return found if LEAST <= share <= OWN else None


def within(region: Region, rings: Sequence[RingAndCurve]) -> np.ndarray:
    """Pixels (h, w) bool of a region inside some outlines, in photo pixels."""
    out = np.zeros(region.mask.shape, bool)
    for ring, soft in rings:
        p = smooth_ring(ring) if soft else np.asarray(ring, float)
        if len(p) > 2:
            out |= fill_ring(p - (region.left, region.top), *region.mask.shape)
    return np.asarray(out & region.mask)


def cleared(
    photo: np.ndarray, ring: Sequence[tuple[float, float]], *, smooth: bool = False, holes: Sequence[Sequence[tuple[float, float]]] = (), over: Sequence[RingAndCurve] = (),
    coverage: np.ndarray | None = None, drawn: Sequence[RingAndCurve] = (), look: bool = True,
) -> tuple[np.ndarray, InTheWay | None]:  # fmt: skip
    """A photo (h, w, 3) uint8 in which what lies before an area is filled from beside it, and what that was; the photo itself where nothing does.

    The area is given as for `cut`. ``drawn`` are outlines of what the artist says is in the way; with ``look`` colours that no coat has are looked for, too.
    """
    region = cut(photo, ring, smooth, holes, over, coverage)
    said, seen = within(region, drawn), foreign(region) if look else None
    way = said if seen is None else said | seen
    if not way.any():
        return photo, None
    widened = max(1, round(ROOM * float(np.sqrt(region.mask.sum()))))
    way = cv2.dilate(way.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * widened + 1, 2 * widened + 1)))
    # what is no part of the area lends no colour: it is filled with it first
    hidden = way | (~region.mask).astype(np.uint8)
    if not (hidden == 0).any():
        return photo, None
    filled = cv2.inpaint(np.ascontiguousarray(region.pixels), hidden, RADIUS_PX, cv2.INPAINT_TELEA)
    out = photo.copy()
    box = out[region.top : region.top + way.shape[0], region.left : region.left + way.shape[1]]
    box[(way > 0) & region.mask] = filled[(way > 0) & region.mask]
    hue = "" if seen is None else hue_name(np.median(bytes_to_lab(region.pixels[seen].reshape(1, -1, 3))[0], 0))
    return out, InTheWay(float(((way > 0) & region.mask).sum() / region.mask.sum()), hue)
