"""Places of a nose: nostrils, the middle line, the base in light and in shade, lights on the pebbles, wet lights."""

from __future__ import annotations

import cv2
import numpy as np

from hanabira.core.area.marking_features import two_tones
from hanabira.core.area.nose import nostrils_of, pebble_of, wet_of
from hanabira.core.area.pattern import inside_blur
from hanabira.core.area.shape import Region
from hanabira.core.colour.spaces import Array
from hanabira.core.colour.words import hue_family
from hanabira.core.places.place import Places
from hanabira.core.places.sample import LEAST_PX, FoundPlace, described, sample, two_clusters

SPLIT_DE, SPLIT_SHARE = 16.0, 0.15
"""Two colours of the base are two places when their ΔE76 is larger and the smaller one holds more of it."""
WET_L = 40.0
"""A wet light is lighter than this; darker gleams are pebbles."""
LINE_L = 5.0
"""L* by which the groove between the nostrils must lie below both its sides along most of its length."""


def nose_places(region: Region) -> Places:
    """Places of the nose cut out as a region."""
    s = sample(region, 300)
    lab, mask = s.lab, s.mask
    lightness = cv2.GaussianBlur(lab[..., 0], (0, 0), max(1.0, 0.012 * max(mask.shape)))
    inner = cv2.erode(mask.astype(np.uint8), np.ones((3, 3), np.uint8), borderValue=0) > 0
    inner = inner if inner.sum() >= 50 else mask
    spots, holes = nostrils_of(lightness, inner)
    leather = inner & ~holes
    wet = wet_of(lab[..., 0], leather) & (lab[..., 0] > WET_L)
    line = _middle_line(lightness, leather & ~wet, spots)
    dry = leather & ~wet & ~line
    found: list[FoundPlace] = []

    def add(key: str, name: str, where: np.ndarray) -> None:
        if where.sum() >= LEAST_PX:
            found.append(FoundPlace(key, name, "part", "nose", where))

    add("nostril", "nostrils" if len(spots) == 2 else "nostril", holes)
    add("middle line", "middle line", line)
    add("wet light", "wet lights", wet)
    peb = pebble_of(lab[..., 0], dry)
    top = np.zeros_like(dry)
    if peb:
        detail = lab[..., 0] - cv2.GaussianBlur(lab[..., 0], (0, 0), max(2.0, peb))
        top = dry & (detail > np.percentile(detail[dry], 88))
        if float(np.median(lab[top][:, 0]) - np.median(lab[dry][:, 0])) > 6:
            add("pebbles", "lights on the pebbles", top)
        else:
            top = np.zeros_like(dry)
    found += _base(inside_blur(lab, dry, 1.6), dry & ~top)
    labels = np.zeros(mask.shape, np.uint8)
    for n, part in enumerate(found, 1):
        labels[part.core & (labels == 0)] = n
    left = mask & (labels == 0)
    bases = [n for n, q in enumerate(found, 1) if q.id.startswith("base")] or [n for n, _ in enumerate(found, 1)]
    if left.any() and bases:
        colours = np.array([found[n - 1].lab(lab) for n in bases], np.float32)
        labels[left] = np.array(bases, np.uint8)[((lab[left][:, None] - colours[None]) ** 2).sum(2).argmin(1)]
    return described(found, labels, lab, mask, s.origin, s.scale)


def _middle_line(lightness: Array, where: np.ndarray, spots: list[tuple[float, float]]) -> np.ndarray:
    """The groove that runs down between two nostrils; empty when nothing stands out there."""
    none = np.zeros_like(where)
    if len(spots) != 2:
        return none
    (ax, ay), (bx, by) = spots
    wide = float(np.hypot(bx - ax, by - ay))
    if wide < 12:
        return none
    across = np.array([bx - ax, by - ay]) / wide
    down = np.array([-across[1], across[0]])
    down = down if down[1] > 0 else -down
    middle = np.array([(ax + bx) / 2, (ay + by) / 2])
    steps, offs = np.arange(-0.35, 1.0, 0.02) * wide, np.arange(-0.22, 0.221, 0.01) * wide
    x = (middle[0] + steps[:, None] * down[0] + offs * across[0]).astype(np.float32)
    y = (middle[1] + steps[:, None] * down[1] + offs * across[1]).astype(np.float32)
    band = cv2.remap(lightness.astype(np.float32), x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    seen = cv2.remap(where.astype(np.float32), x, y, cv2.INTER_LINEAR, borderValue=0) > 0.5
    n = max(3, round(0.05 * wide / (0.01 * wide)))
    around = np.minimum(np.roll(band, n, 1), np.roll(band, -n, 1))
    dip = np.where(seen, around - band, 0)[:, n:-n]
    at = dip.argmax(1) + n
    deep = dip.max(1) > LINE_L
    if deep.mean() < 0.3 or deep.sum() < 8:
        return none
    points = np.stack([x[np.flatnonzero(deep), at[deep]], y[np.flatnonzero(deep), at[deep]]], 1)
    out = np.zeros(where.shape, np.uint8)
    cv2.polylines(out, [np.round(points).astype(np.int32)], False, 1, max(2, round(0.03 * wide)))
    return (out > 0) & where


def _base(calm: Array, dry: np.ndarray) -> list[FoundPlace]:
    """The leather by Otsu in lit and shaded, each split where it holds two colours."""
    if dry.sum() < LEAST_PX:
        return []
    limit = two_tones(calm[dry][:, 0])[0]
    out = []
    for key, name, where in (
        ("base shade", "base in shade", dry & (calm[..., 0] <= limit)),
        ("base lit", "base in light", dry & (calm[..., 0] > limit)),
    ):
        index = np.flatnonzero(where)
        if len(index) < LEAST_PX:
            continue
        pieces = [(where, "", "")]
        if len(index) >= 60:
            second, gap, least = two_clusters(calm.reshape(-1, 3)[index])
            if gap > SPLIT_DE and least > SPLIT_SHARE:
                big = second if second.mean() >= 0.5 else ~second
                masks = []
                for part in (big, ~big):
                    mask = np.zeros(where.size, bool)
                    mask[index[part]] = True
                    masks.append(mask.reshape(where.shape))
                a, b = (np.median(calm[q], 0) for q in masks)
                word = "lighter" if b[0] > a[0] + 8 else "darker" if b[0] < a[0] - 8 else hue_family(b)
                pieces = [
                    (masks[0], "", ""),
                    (masks[1], f" {word}", f", {word} part" if word in ("lighter", "darker") else f", {word} skin"),
                ]
        out += [FoundPlace(key + more, name + words, "part", "nose", mask) for mask, more, words in pieces]
    return out
