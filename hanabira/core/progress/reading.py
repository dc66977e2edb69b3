"""What the straightened photo shows of each place, held against the wanted picture, each with its own uncertainty."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.progress.expected import Expected
from hanabira.core.progress.light import Colouring, lab_of, local_light
from hanabira.core.progress.on_sheet import AreaOnSheet, OnSheet
from hanabira.core.progress.sheet_map import GRID

SOFT_MM, BLUR_MM = 0.35, 0.5
"""Blur of the photo and of the wanted picture before they are compared, so that grain and sharpness cancel."""
INWARD_MM = 1.0
LEAST_PX = 40
SHEEN_L, SHEEN_SHARE = 7.0, 0.003
SHADOW = 0.05
BLOCK_MM = 6.0
NEAR_PAPER_MM = 15.0
DRAWN_SHARE, LEAST_COVERED_MM2 = 0.85, 40.0
"""A coloured patch that lies in waiting areas by more than this share was drawn there."""
REGISTER_MM = 0.2
"""What the map may be off by, in mm of the sheet (measured: .2 at most on whole sheets)."""


@dataclass(frozen=True)
class TrueSheet:
    """The sheet in true colours: Lab (h, w, 3), the encoded photo behind it, bare paper beside colour (h, w) 0–1, and what must not be judged.

    ``sheen``, ``shadow`` and ``covered`` (h, w) bool are white gloss on dark wax, a shadow, and something that lies on the sheet; what is ``outside``
    the photo counts as covered.
    """

    lab: Array
    flat: Array
    colouring: Colouring
    paper_near: Array
    sheen: np.ndarray
    shadow: np.ndarray
    covered: np.ndarray
    outside: np.ndarray
    judges_darks: bool
    local: Array
    """What the bare paper near by still showed of the light, ln (h, w, 3); it is out of ``lab`` already."""


def true_sheet(
    flat: Array, colouring: Colouring, bare: np.ndarray, paper_lab: Array, wanted: Array, begun: np.ndarray, waiting: np.ndarray, judges_darks: bool,
    shown: np.ndarray,
) -> TrueSheet:  # fmt: skip
    """Take curve, lamp and shadows out of a straightened photo (h, w, 3), and find what hides the work. ``begun`` and ``waiting`` (h, w) bool are
    areas with and without layers by the log, ``shown`` (h, w) bool is what the photo holds of the sheet.
    """
    linear = colouring.linear(flat)
    outside = (
        cv2.dilate((~shown).astype(np.uint8), np.ones((2 * int(GRID) + 1,) * 2)) > 0
    )  # what is blurred across the photo's rim is not seen
    hidden, drawn = _covered(
        lab_of(cv2.GaussianBlur(linear, (0, 0), SOFT_MM * GRID)), bare & ~outside, paper_lab, wanted, begun & ~outside, waiting
    )
    off, near = local_light(linear, bare & ~hidden & ~drawn & ~outside, paper_lab)
    lab = lab_of(cv2.GaussianBlur(linear * np.exp(-off), (0, 0), SOFT_MM * GRID))
    shadow = cv2.GaussianBlur(off.mean(-1), (0, 0), 2 * GRID) < -SHADOW
    return TrueSheet(
        lab, flat, colouring, paper_near=near, sheen=_sheen(lab, wanted, begun & ~outside), shadow=shadow, covered=hidden | outside, outside=outside,
        judges_darks=judges_darks, local=off,
    )


def _sheen(lab: Array, wanted: Array, begun: np.ndarray) -> np.ndarray:
    """Gloss: dark wax that reads much lighter and no more coloured than wanted, in one patch that stands out from what lies round it."""
    dark = begun & (wanted[..., 0] < 40)
    if not dark.any():
        return np.zeros(dark.shape, bool)
    weight = cv2.GaussianBlur(dark.astype(np.float32), (0, 0), 2 * GRID) + 1e-3
    more = cv2.GaussianBlur(np.where(dark, lab[..., 0] - wanted[..., 0], 0).astype(np.float32), (0, 0), 2 * GRID) / weight
    strength = np.hypot(lab[..., 1], lab[..., 2]) - np.hypot(wanted[..., 1], wanted[..., 2])
    duller = cv2.GaussianBlur(np.where(dark, strength, 0).astype(np.float32), (0, 0), 2 * GRID) / weight
    usual = float(np.median(more[dark]))
    suspect = dark & (more > max(SHEEN_L, usual + SHEEN_L)) & (duller < 1.5)
    count, labels, stats, _c = cv2.connectedComponentsWithStats(suspect.astype(np.uint8))
    out = np.zeros(dark.shape, bool)
    for k in range(1, count):
        here = labels == k
        rim = cv2.dilate(here.astype(np.uint8), np.ones((int(8 * GRID) | 1,) * 2)).astype(bool) & dark & ~here
        # gloss fades into its surroundings; a fault ends at an outline
        falls = rim.sum() > 30 and float(np.median(more[here])) - float(np.median(more[rim])) > 3
        if stats[k, cv2.CC_STAT_AREA] > SHEEN_SHARE * dark.size and falls and _rounded(here, stats[k]):
            out |= here
    return out


def _rounded(mask: np.ndarray, stats: Array) -> bool:
    """Whether a patch has the solid outline of a reflection."""
    contours, _ = cv2.findContours(mask.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    largest = max(contours, key=cv2.contourArea)
    return cv2.contourArea(largest) > 0.6 * cv2.contourArea(cv2.convexHull(largest)) and stats[cv2.CC_STAT_AREA] > 0.5 * cv2.contourArea(
        largest
    )


def _covered(
    lab: Array, bare: np.ndarray, paper_lab: Array, wanted: Array, begun: np.ndarray, waiting: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """Something that lies on the sheet, and what was drawn without a row in the log; both (h, w) bool.

    Bare paper with a colour of its own, which no shadow has, or far too dark for one. What keeps within an area that waits is drawn there; the rest
    lies on the sheet, with what of the work beside it is nothing like the wanted picture.
    """
    off = lab - paper_lab
    far = bare & ((np.hypot(off[..., 1], off[..., 2]) > 9) & (np.abs(off[..., 0]) > 8) | (off[..., 0] < -45))
    seeds = cv2.morphologyEx(far.astype(np.uint8), cv2.MORPH_OPEN, np.ones((int(2 * GRID) | 1,) * 2)) > 0
    nothing = np.zeros(bare.shape, bool)
    if not seeds.any():
        return nothing, nothing
    count, labels = cv2.connectedComponents(seeds.astype(np.uint8))
    sizes = np.bincount(labels.ravel(), minlength=count)
    specks = np.isin(labels, np.flatnonzero(sizes < LEAST_COVERED_MM2 * GRID * GRID))
    seeds &= ~specks
    within = np.bincount(labels[waiting], minlength=count) / np.maximum(sizes, 1)
    drawn = np.isin(labels, [k for k in range(1, count) if within[k] > DRAWN_SHARE])
    seeds &= ~drawn
    if not seeds.any():
        return nothing, drawn
    soft = cv2.GaussianBlur(lab, (0, 0), GRID)
    # an area that was left bare is unlike the wanted picture as well, but nothing lies there
    unlike = begun & (np.linalg.norm(soft - wanted, axis=-1) > 15) & (np.linalg.norm(soft - paper_lab, axis=-1) > 15)
    _n, joined = cv2.connectedComponents(cv2.dilate((seeds | unlike).astype(np.uint8), np.ones((int(2 * GRID) | 1,) * 2)))
    lies = np.isin(joined, np.unique(joined[seeds]))
    return cv2.dilate(lies.astype(np.uint8), np.ones((int(3 * GRID) | 1,) * 2)).astype(bool), drawn


@dataclass(frozen=True)
class PlaceSeen:
    """A place in the photo: Lab wanted and found, ``sigma`` (3,) of the reading, how unevenly found and wanted differ (p10–p90 of blocks in L*),
    its middle in mm and its share of the area. ``hidden`` is why it is not judged; empty when it is.
    """

    area_id: str
    place: str
    wanted: Array
    found: Array
    sigma: Array
    uneven: float
    mm: tuple[float, float]
    share: float
    hidden: str = ""

    @property
    def off(self) -> Array:
        """Found less wanted."""
        return self.found - self.wanted


def core_of(area: AreaOnSheet) -> np.ndarray:
    """An area's pixels a little within its outline, where neighbours and the hand's freedom at the edge do not show."""
    side = 2 * int(INWARD_MM * GRID) + 1
    return cv2.erode(area.core.astype(np.uint8), np.ones((side, side)), borderValue=0).astype(bool)


def places_seen(sheet: OnSheet, seen: TrueSheet, wanted: Array, expected: Sequence[Expected]) -> tuple[PlaceSeen, ...]:
    """Every place of the areas that are begun. ``wanted`` (h, w, 3) is the wanted picture, blurred as the photo is."""
    by_id = {a.id: a for a in sheet.areas}
    difference = seen.lab - wanted
    steep = np.hypot(cv2.Sobel(wanted[..., 0], cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(wanted[..., 0], cv2.CV_32F, 0, 1, scale=1 / 8))
    near = float(np.exp(-((NEAR_PAPER_MM / 8.0) ** 2) / 2))
    out = []
    for e in expected:
        area = by_id.get(e.area_id)
        if area is None or not e.begun:
            continue
        core = core_of(area)
        whole = int(core.sum())
        if not whole:
            continue
        rows, columns = np.flatnonzero(core.any(1)), np.flatnonzero(core.any(0))
        box = np.s_[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]  # an eye is small and the sheet is not
        part = _Part(seen, wanted[box], difference[box], steep[box], box)
        for place in e.now:
            if place not in area.kept and place in area.drawn.photo:
                mask = core[box]
                if area.drawn.labels is not None:
                    mask = mask & (area.drawn.labels[box] == 1 + area.drawn.ids.index(place))
                found = _place_seen(part, mask, e.area_id, place, whole, near)
                if found is not None:
                    out.append(found)
    return tuple(out)


DARK_L = 35.0
"""Below this L* nothing is judged without a check strip: a camera's tone curve alone moves it by eight."""


def _uneven(off: Array, mask: np.ndarray) -> float:
    ys, xs = np.nonzero(mask)
    side = int(BLOCK_MM * GRID)
    key = ys // side * 10_000 + xs // side
    values = off[ys, xs]
    order = np.argsort(key, kind="stable")
    parts = np.split(values[order], np.flatnonzero(np.diff(key[order])) + 1)
    blocks = [float(np.median(p)) for p in parts if len(p) > 12]
    return float(np.percentile(blocks, 90) - np.percentile(blocks, 10)) if len(blocks) > 2 else 0.0


FORM = 0.2
"""Share of the wanted picture's own variation (standard deviation of L*) within a place that its mean is allowed."""
TRIM = 2.0
"""Per cent of a place's pixels at each end that its mean leaves out: single hairs, specks, missed spots."""


def _mean(off: Array) -> Array:
    """Mean (3,) of differences (n, 3), without the farthest few in lightness: what strokes and gaps are together."""
    low, high = np.percentile(off[:, 0], (TRIM, 100 - TRIM))
    near = (off[:, 0] >= low) & (off[:, 0] <= high)
    return np.asarray(off[near].mean(0), float)


class _Part:
    """The pixels of one area's box."""

    def __init__(self, seen: TrueSheet, wanted: Array, difference: Array, steep: Array, box: tuple[slice, slice]) -> None:
        self.seen, self.wanted, self.difference, self.steep = seen, wanted, difference, steep
        self.corner = (box[1].start, box[0].start)
        self.sheen, self.covered, self.shadow, self.outside = (m[box] for m in (seen.sheen, seen.covered, seen.shadow, seen.outside))
        self.near, self.flat = seen.paper_near[box], seen.flat[box]


def _place_seen(part: _Part, mask: np.ndarray, area_id: str, place: str, whole: int, near: float) -> PlaceSeen | None:
    count = int(mask.sum())
    if count < LEAST_PX:
        return None
    open_, hidden = mask & ~part.sheen & ~part.covered, ""
    if open_.sum() < max(LEAST_PX, 0.35 * count):
        hidden = "sheen" if (mask & part.sheen).sum() >= (mask & part.covered).sum() else "covered"
        if (mask & part.outside).sum() > 0.5 * (mask & part.covered).sum():
            hidden = "outside the photo"
    else:
        mask = open_
    ys, xs = np.nonzero(mask)
    mm = (float(xs.mean() + part.corner[0]) / GRID, float(ys.mean() + part.corner[1]) / GRID)
    want = part.wanted[mask].mean(0).astype(float)
    found = want + _mean(part.difference[mask])
    sigma = part.seen.colouring.sigma(np.median(part.flat[mask], 0).astype(float), np.array(mm), found)
    # a steep place is read as far off as the map is: the rim of a catchlight more than a cheek
    sigma[0] = np.hypot(sigma[0], REGISTER_MM * GRID * float(np.median(part.steep[mask])))
    # a hand need not draw the photo's own variation within a place: where little of the place is read, its mean may lie that far off
    sigma[0] = np.hypot(sigma[0], FORM * float(part.wanted[mask][:, 0].std()))
    if float(np.median(part.near[mask])) < near or part.shadow[mask].mean() > 0.3:
        sigma = np.hypot(sigma, np.array([2.0, 0.5, 0.5]))
    if not part.seen.judges_darks:
        sigma = np.hypot(sigma, np.array([2.5, 1.5, 1.5]))
        if want[0] < DARK_L or found[0] < DARK_L:
            hidden = hidden or "no strip"
    return PlaceSeen(
        area_id, place, want, found=found, sigma=sigma, uneven=_uneven(part.difference[..., 0], mask), mm=mm, share=count / whole, hidden=hidden,
    )


def looks_begun(sheet: OnSheet, seen: TrueSheet, expected: Mapping[str, Expected], paper_lab: Array) -> tuple[str, ...]:
    """Areas that the log calls untouched and that do not look like paper."""
    out = []
    for a in sheet.areas:
        e = expected.get(a.id)
        core = core_of(a) & ~seen.covered
        if (
            (e is None or not e.begun)
            and core.sum() > 4 * LEAST_PX
            and float(np.median(np.linalg.norm(seen.lab[core] - paper_lab, axis=-1))) > 12
        ):
            out.append(a.id)
    return tuple(out)
