"""What a photo says beyond the colour of single places: outlines left standing, clouds, what draws the eye first, and how the eyes stand to each other."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, chroma
from hanabira.core.progress.expected import Expected
from hanabira.core.progress.geometry import Form
from hanabira.core.progress.on_sheet import AreaOnSheet, OnSheet
from hanabira.core.progress.reading import core_of
from hanabira.core.progress.sheet_map import GRID
from hanabira.core.progress.verdict import Flaw

LINE_MM, BESIDE_MM, BLOCK_MM = 0.7, (1.5, 3.2), 6.0
"""Half width of the strip over an outline, where its two sides are read, and the length of outline that is one reading."""
LINE_L, LINE_SHARE, LEAST_BLOCKS, LINE_SD = 4.0, 0.6, 4, 1.2
"""A line darker than both its sides by more L* than wanted, along more than this share of an outline, stands. Correct sheets read at most 1.6."""
CLOUD_MM = (1.2, 6.0)
CLOUD_L, CLOUD_GUESSED, CLOUD_SD = 2.4, 2.0, 0.4
"""Patches of 3 to 15 mm that differ by more L* (1 sd) than wanted may be clouds; by so many times more where the forecast is a guess."""
CLOUD_TIMES, CLOUD_ALONE, ENOUGH = 1.6, 6.5, 3
"""They are, where they are also so many times as strong as in the other areas of this sheet: every hand's strokes leave some (a second drawing hand 2.1 to 5.7, and
in no area of a correct sheet more than 1.45 times the median of the others). With fewer than ``ENOUGH`` others the second figure (L*) must be passed."""
LEAST_MM2 = 160.0
RING_MM = 12.0
LOUDER, LOUD_SD, CHROMA_PULL = 6.0, 2.0, 0.5
"""By how much (ΔE76 to what lies round it, and half of its own chroma) an area must draw more than wanted and more than the eyes."""
APART_MM, APART_SHARE, TILT_DEG, EYES_MM_SD = 0.8, 0.025, 1.2, 0.25
"""Eyes stand wrongly apart beyond this many mm and this share of their distance; their line is turned beyond these degrees."""


@dataclass(frozen=True)
class Compared:
    """What is compared: Lab found and wanted (h, w, 3), what of it hides, and what is begun (h, w) bool."""

    found: Array
    wanted: Array
    hidden: np.ndarray
    begun: np.ndarray


def whole_faults(sheet: OnSheet, expected: Mapping[str, Expected], seen: Compared, forms: Mapping[str, Form]) -> list[Flaw]:
    """Faults of outlines, evenness, attention and the pair of eyes."""
    areas = [a for a in sheet.areas if a.id in expected and expected[a.id].begun and a.core.any()]
    steady = _without_places(areas, seen)
    out: list[Flaw] = []
    lines = {a.id: line for a in areas if (line := standing_line(a, seen, steady)) is not None}
    clouds = {a.id: cloud for a in areas if (cloud := clouds_of(a, seen, steady)) is not None}
    for a in areas:
        guessed = any(s == "shipped" for s in expected[a.id].source.values())
        if a.id in lines:
            # strokes of neighbours run over one another: what all outlines of a sheet have is its hand
            depth, share = lines[a.id]
            depth -= max(0.0, usual([v for k, (v, _s) in lines.items() if k != a.id], 0.0))
            if depth > LINE_L and share >= LINE_SHARE:
                out.append(Flaw(a.id, "", "framed", depth, LINE_SD, depth / LINE_SD))
        if a.id in clouds:
            others = usual([v for k, v in clouds.items() if k != a.id], CLOUD_ALONE / CLOUD_TIMES)
            if clouds[a.id] > max(CLOUD_L * (CLOUD_GUESSED if guessed else 1.0), CLOUD_TIMES * others):
                sd = max(CLOUD_SD, 0.15 * others)
                out.append(Flaw(a.id, "", "blotchy", clouds[a.id], sd, clouds[a.id] / sd))
    return [*out, *_loud(areas, seen, steady), *eyes_apart(areas, forms)]


def usual(others: list[float], alone: float) -> float:
    """What the other areas of a sheet have in the middle: its hand; ``alone`` where they are too few to tell."""
    return float(np.median(others)) if len(others) >= ENOUGH else alone


def _without_places(areas: list[AreaOnSheet], seen: Compared) -> Array:
    """The wanted lightness with each place moved to what was found of it: differences of value are told elsewhere, forms and grain are told here."""
    off = seen.found[..., 0] - seen.wanted[..., 0]
    out = np.array(seen.wanted[..., 0], np.float32)
    for a in areas:
        inside = a.inside & ~seen.hidden
        labels = a.drawn.labels
        for k in np.unique(labels[inside]) if labels is not None else (None,):
            here = inside if k is None else inside & (labels == k)
            if here.any():
                out[a.inside if k is None else a.inside & (labels == k)] += float(np.median(off[here]))
    return out


def standing_line(area: AreaOnSheet, seen: Compared, steady: Array) -> tuple[float, float] | None:
    """How much darker than both its sides an outline lies beyond what is wanted (median L* over its length), and along which share of it.

    None where too little of the outline lies between two sides that were drawn.
    """
    core = area.core
    away = np.where(
        core, -cv2.distanceTransform(core.astype(np.uint8), cv2.DIST_L2, 5), cv2.distanceTransform((~core).astype(np.uint8), cv2.DIST_L2, 5)
    )
    away = away / GRID
    usable = seen.begun & ~seen.hidden
    band = (np.abs(away) <= LINE_MM) & usable
    inner = (away < -BESIDE_MM[0]) & (away > -BESIDE_MM[1]) & usable
    outer = (away > BESIDE_MM[0]) & (away < BESIDE_MM[1]) & usable
    ys, xs = np.nonzero(band)
    if not len(ys):
        return None
    side, more = int(BLOCK_MM * GRID), []
    for y in range(int(ys.min()), int(ys.max()) + 1, side):
        for x in range(int(xs.min()), int(xs.max()) + 1, side):
            box = np.s_[y : y + side, x : x + side]
            b, i, o = band[box], inner[box], outer[box]
            if b.sum() < 15 or i.sum() < 12 or o.sum() < 12:
                continue
            depth = [
                min(float(np.median(v[box][i])), float(np.median(v[box][o]))) - float(np.median(v[box][b]))
                for v in (seen.found[..., 0], steady)
            ]
            more.append(depth[0] - depth[1])
    if len(more) < LEAST_BLOCKS:
        return None
    return float(np.median(more)), float(np.mean(np.array(more) > 0.75 * LINE_L))


def clouds_of(area: AreaOnSheet, seen: Compared, steady: Array) -> float | None:
    """Robust standard deviation in L* of what differs from the wanted picture in patches of 3 to 15 mm; None for an area too small to tell."""
    inside = core_of(area) & ~seen.hidden
    if inside.sum() < LEAST_MM2 * GRID * GRID:
        return None
    weight = inside.astype(np.float32)
    deep = cv2.erode(inside.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    if deep.sum() <= 800:
        return None

    def patches(lightness: Array) -> Array:
        """Its forms of 3 to 15 mm within the area."""
        here = np.where(inside, lightness, 0).astype(np.float32)
        soft = [cv2.GaussianBlur(here, (0, 0), mm * GRID) / (cv2.GaussianBlur(weight, (0, 0), mm * GRID) + 1e-3) for mm in CLOUD_MM]
        return np.asarray((soft[0] - soft[1])[deep])

    found, wanted = patches(seen.found[..., 0]), patches(steady)
    # as much of the wanted forms as this hand has drawn: who leaves them out does not lay clouds
    drawn = float(np.clip(np.mean(found * wanted) / max(1e-6, float(np.mean(wanted**2))), 0, 1))
    left = found - drawn * wanted
    return 1.4826 * float(np.median(np.abs(left - np.median(left))))


def pull(area: AreaOnSheet, lab: Array, begun: np.ndarray, hidden: np.ndarray) -> float | None:
    """How much an area draws the eye: ΔE76 of its mean to what is drawn round it, and a part of its own chroma. None without surroundings."""
    reach = 2 * int(RING_MM * GRID) + 1
    ring = cv2.dilate(area.core.astype(np.uint8), np.ones((reach, reach), np.uint8)).astype(bool) & ~area.inside & begun & ~hidden
    core = core_of(area) & ~hidden
    if core.sum() < 60 or ring.sum() < 200:
        return None
    mine, round_it = lab[core].mean(0), lab[ring].mean(0)
    return float(np.linalg.norm(mine - round_it)) + CHROMA_PULL * float(chroma(mine))


def _loud(areas: list[AreaOnSheet], seen: Compared, steady: Array) -> list[Flaw]:
    """Areas that draw more than the eyes do, and more than they should."""
    wanted = {a.id: pull(a, seen.wanted, seen.begun, seen.hidden) for a in areas}
    found = {a.id: pull(a, seen.found, seen.begun, seen.hidden) for a in areas}
    eyes = [a.id for a in areas if a.surface == "eye" and found[a.id] is not None]
    if not eyes:
        return []
    best_found, best_wanted = max(found[e] or 0.0 for e in eyes), max(wanted[e] or 0.0 for e in eyes)
    out = []
    for a in areas:
        f, w = found[a.id], wanted[a.id]
        if a.surface == "eye" or f is None or w is None or w > best_wanted:
            continue
        if f - best_found > 0 and f - w > LOUDER:
            out.append(Flaw(a.id, "", "loud", f - w, LOUD_SD, (f - w) / LOUD_SD))
    return out


def eyes_apart(areas: list[AreaOnSheet], forms: Mapping[str, Form]) -> list[Flaw]:
    """Two eyes that stand too far apart, too near, or on a turned line, by where each was found against where it is wanted."""
    eyes = [a for a in areas if a.surface == "eye" and a.id in forms]
    if len(eyes) != 2:
        return []
    middles = {a.id: np.array([float(v.mean()) for v in np.nonzero(a.core)[::-1]]) / GRID for a in eyes}
    left, right = sorted(eyes, key=lambda a: float(middles[a.id][0]))
    line = middles[right.id] - middles[left.id]
    distance = float(np.hypot(*line))
    along = line / max(distance, 1e-6)
    apart = np.array(forms[right.id].moved_mm) - np.array(forms[left.id].moved_mm)
    # the eye that moved more is the one to redraw
    worse = max((left, right), key=lambda a: float(np.hypot(*forms[a.id].moved_mm)))
    out = []
    gap = float(apart @ along)
    if abs(gap) > max(APART_MM, APART_SHARE * distance):
        out.append(Flaw(worse.id, "", "apart" if gap > 0 else "together", gap, EYES_MM_SD, gap / EYES_MM_SD))
    turn = float(np.degrees(np.arctan2(-(along[0] * apart[1] - along[1] * apart[0]), distance + gap)))
    sd = float(np.degrees(EYES_MM_SD / max(distance, 1e-6)))
    if abs(turn) > max(TILT_DEG, 3 * sd):
        out.append(Flaw(worse.id, "", "eyeline", turn, sd, turn / sd))
    return out
