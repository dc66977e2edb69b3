"""What a photo says of finish: an area with less fine drawing than the others have, strokes that run too long, an ear whose tip stands elsewhere.

A hand's hairs never lie as the photo's do, so nothing is compared hair for hair: only how strong and how long the fine drawing is, each area against the
wanted picture and then against the sheet's other finished areas, in which the camera's blur and grain are the same.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import cv2
import numpy as np

from hanabira.core.area.hair import measure_hair
from hanabira.core.colour.spaces import Array
from hanabira.core.progress.expected import Expected
from hanabira.core.progress.on_sheet import PARTS, AreaOnSheet, OnSheet
from hanabira.core.progress.reading import core_of
from hanabira.core.progress.sheet_map import GRID
from hanabira.core.progress.verdict import Flaw
from hanabira.core.progress.whole import Compared

FINE_MM = (0.3, 1.4)
"""Widths between which drawing counts as fine."""
LEAST_FINE_L, LEAST_MM2, LEAST_OTHERS = 1.2, 150.0, 3
"""An area tells only where the wanted picture has so much fine drawing (L*, 1 sd), is so large, and beside so many finished others."""
THIN, THIN_SD = 0.55, 0.10
"""Of the others' finish, below which an area is thin. Correct sheets read at least .77."""
LONG, LONG_SD = 1.7, 0.2
"""Times the others' length from which strokes run too long, in areas whose hair keeps to its way."""
TIP_MM, TIP_SD, TIP_BOX_MM, TIP_REACH_MM, TIP_ALIKE = 2.0, 0.4, 9.0, 6.0, 0.8
"""How far an ear's tip must stand off, and how it is looked for: half the box round it, how far, how alike it must be."""


def detail_faults(sheet: OnSheet, expected: Mapping[str, Expected], seen: Compared, tips: Mapping[str, tuple[float, float]]) -> list[Flaw]:
    """Faults of finish among the finished areas, and of ear tips among those that are begun; ``tips`` are in mm of the sheet by area id."""
    finished = [a for a in sheet.areas if a.id in expected and expected[a.id].finished and a.surface not in PARTS and a.core.any()]
    strength = {a.id: v for a in finished if (v := finish_of(a, seen)) is not None}
    length = {a.id: run for a in finished if (run := stroke_times(a, seen)) is not None}
    out = []
    for key, value in strength.items():
        others = [v for k, v in strength.items() if k != key]
        if len(others) >= LEAST_OTHERS and value < THIN * float(np.median(others)):
            share = value / float(np.median(others))
            out.append(Flaw(key, "", "thin", 100 * share, 100 * THIN_SD, (1 - share) / THIN_SD))
    for key, (times, mm) in length.items():
        others = [v[0] for k, v in length.items() if k != key]
        if len(others) >= LEAST_OTHERS and times > LONG * float(np.median(others)):
            out.append(Flaw(key, "", "long", mm, LONG_SD * mm, times / float(np.median(others)) / LONG_SD))
    for a in sheet.areas:
        if a.id in tips and a.id in expected and expected[a.id].begun:
            moved = tip_moved(seen, tips[a.id])
            if moved is not None and moved > TIP_MM:
                out.append(Flaw(a.id, "", "tip", moved, TIP_SD, moved / TIP_SD))
    return out


def fine(lab_l: Array) -> Array:
    """The fine drawing of an L* picture (h, w)."""
    return np.asarray(cv2.GaussianBlur(lab_l, (0, 0), FINE_MM[0] * GRID) - cv2.GaussianBlur(lab_l, (0, 0), FINE_MM[1] * GRID))


def _inside(area: AreaOnSheet, seen: Compared) -> np.ndarray | None:
    inside = cv2.erode((core_of(area) & ~seen.hidden).astype(np.uint8), np.ones((int(2 * GRID) | 1,) * 2, np.uint8)) > 0
    return inside if inside.sum() > LEAST_MM2 * GRID * GRID else None


def finish_of(area: AreaOnSheet, seen: Compared) -> float | None:
    """Strength of an area's fine drawing, found over wanted; None where the area is small or the wanted picture has none."""
    inside = _inside(area, seen)
    if inside is None:
        return None
    ys, xs = np.nonzero(inside)
    box = np.s_[max(0, ys.min() - 12) : ys.max() + 13, max(0, xs.min() - 12) : xs.max() + 13]
    wanted = fine(seen.wanted[..., 0][box].astype(np.float32))[inside[box]]
    if float(wanted.std()) < LEAST_FINE_L:
        return None
    return float(fine(seen.found[..., 0][box].astype(np.float32))[inside[box]].std() / wanted.std())


def stroke_times(area: AreaOnSheet, seen: Compared) -> tuple[float, float] | None:
    """How many times as long as wanted an area's strokes run, and their length in mm; None where its hair keeps to no way."""
    inside = _inside(area, seen)
    if inside is None:
        return None
    ys, xs = np.nonzero(inside)
    box = np.s_[ys.min() : ys.max() + 1, xs.min() : xs.max() + 1]
    found, wanted = (measure_hair(picture[..., 0][box], inside[box])[0].length_px for picture in (seen.found, seen.wanted))
    return (found / wanted, found / GRID) if found and wanted else None


def tip_moved(seen: Compared, tip_mm: Sequence[float]) -> float | None:
    """How far from its place an ear's tip is drawn, in mm; None where it is hidden or not found for sure."""
    x, y = (round(v * GRID) for v in tip_mm)
    half, reach = round(TIP_BOX_MM * GRID), round(TIP_REACH_MM * GRID)
    h, w = seen.hidden.shape
    if min(x, y) < half + reach or x + half + reach >= w or y + half + reach >= h:
        return None
    wide = np.s_[y - half - reach : y + half + reach + 1, x - half - reach : x + half + reach + 1]
    if seen.hidden[wide].mean() > 0.1:
        return None
    wanted = seen.wanted[y - half : y + half + 1, x - half : x + half + 1, 0].astype(np.float32)
    if float(wanted.std()) < 4.0:  # an ear as light as its ground has no tip to be found
        return None
    score = cv2.matchTemplate(seen.found[wide][..., 0].astype(np.float32), wanted, cv2.TM_CCOEFF_NORMED)
    _low, top, _at, (j, i) = cv2.minMaxLoc(score)
    return float(np.hypot(i - reach, j - reach)) / GRID if top > TIP_ALIKE else None
