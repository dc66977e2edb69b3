"""Colours of an area with their shares, and hues that hide in it."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.colour.words import colour_name, temperature

CELL = 2.0
"""Side of a histogram cell in Lab units."""
LIGHTNESS_WEIGHT = 0.6
COUNT_POWER = 0.35
"""Weight of a cell is its count to this power: small colours get a say."""
MOST_COLOURS = 7
_MERGE = 9.0
_LEAST_SHARE = 0.01


@dataclass(frozen=True)
class PaletteColour:
    """One colour of an area: Lab, share 0–1, its plain name, warm or cool."""

    lab: Array
    share: float
    name: str
    temperature: str


@dataclass(frozen=True)
class HiddenHue:
    """A hue that hides in an area: Lab, share 0–1, name, where it hides (``tone`` or ``specks``)."""

    lab: Array
    share: float
    name: str
    where: str


def measure_palette(lab: Array, neutral: Array | None = None) -> tuple[PaletteColour, ...]:
    """Up to seven colours of an area's pixels, Lab (n, 3), the largest share first.

    Weighted k-means over a histogram of 2-unit Lab cells; a cell weighs its count to the
    power 0.35 and lightness counts 0.6, so that a small colour of its own hue is found. Centres
    nearer than 9 units become one. Deterministic: the seeds are the farthest weighted cells.
    """
    cells, counts = _histogram(lab)
    x = cells * np.array([LIGHTNESS_WEIGHT, 1, 1])
    weight = counts**COUNT_POWER
    centres = _seeds(x, weight, MOST_COLOURS)
    for _ in range(25):
        nearest = ((x[:, None] - centres[None]) ** 2).sum(2).argmin(1)
        fresh = np.array(
            [np.average(x[nearest == k], 0, weight[nearest == k]) if (nearest == k).any() else centres[k] for k in range(len(centres))]
        )
        if np.abs(fresh - centres).max() < 0.05:
            break
        centres = fresh
    centres = _merge_near(centres)
    nearest = ((x[:, None] - centres[None]) ** 2).sum(2).argmin(1)
    total = counts.sum()
    out = []
    for k in range(len(centres)):
        mine = nearest == k
        share = float(counts[mine].sum() / total)
        if share >= _LEAST_SHARE:
            colour = np.average(cells[mine], 0, counts[mine])
            out.append((share, colour))
    out.sort(key=lambda q: -q[0])
    scale = sum(s for s, _ in out) or 1
    return tuple(PaletteColour(c, s / scale, colour_name(c), temperature(c, neutral)) for s, c in out)


def _histogram(lab: Array) -> tuple[Array, Array]:
    keys = np.round(lab / CELL).astype(np.int64) + 200
    flat = (keys[:, 0] * 512 + keys[:, 1]) * 512 + keys[:, 2]
    cells, counts = np.unique(flat, return_counts=True)
    back = np.stack([cells // (512 * 512), cells // 512 % 512, cells % 512], 1) - 200
    keep = counts >= max(1, counts.sum() * 1e-5)
    return back[keep] * CELL, counts[keep].astype(float)


def _seeds(x: Array, weight: Array, most: int) -> Array:
    """Start at the weightiest cell, then always the cell with the most weight times squared distance."""
    chosen = [int(np.argmax(weight))]
    far = ((x - x[chosen[0]]) ** 2).sum(1)
    while len(chosen) < min(most, len(x)):
        best = int(np.argmax(far * weight))
        if far[best] < 16:
            break
        chosen.append(best)
        far = np.minimum(far, ((x - x[best]) ** 2).sum(1))
    return x[chosen].copy()


def _merge_near(centres: Array) -> Array:
    out = [c for c in centres]
    while len(out) > 1:
        d = np.array([[np.linalg.norm(a - b) if i < j else 1e9 for j, b in enumerate(out)] for i, a in enumerate(out)])
        i, j = np.unravel_index(d.argmin(), d.shape)
        if d[i, j] >= _MERGE:
            break
        out[i] = (out[i] + out[j]) / 2
        out.pop(int(j))
    return np.array(out)


def hidden_hues(lab: Array, mask: Array, bands: dict[str, Array], palette: tuple[PaletteColour, ...]) -> tuple[HiddenHue, ...]:
    """Hues that the eye passes over, by two tests. ``lab`` (h, w, 3) float32, ``mask`` (h, w).

    Tone: gap, light or highlight turn by 4 or more units of (a*, b*) against the general
    colour, by more than their value explains. Specks: after smoothing, patches of at least 16
    pixels that leave the usual (a*, b*) of their value by more than the noise allows and are
    three times as common as the opposite hue.
    """
    out: list[HiddenHue] = []
    general = bands["general"]
    for band, share in (("gap", 0.12), ("light", 0.105), ("highlight", 0.015)):
        # chroma falls with value by itself: compare with the general colour scaled to the band's value
        scaled = general[1:] * np.clip(bands[band][0] / max(general[0], 1), 0.3, 1.3)
        shift = bands[band][1:] - scaled
        turned = np.dot(bands[band][1:], general[1:]) < 0.5 * np.linalg.norm(bands[band][1:]) * np.linalg.norm(general[1:])
        if np.hypot(*shift) >= 4 and turned and np.hypot(*bands[band][1:]) > 2.5:
            out.append(HiddenHue(bands[band].copy(), share, colour_name(bands[band]), "tone"))
    out += _specks(lab, mask)
    names: set[str] = set()
    unique = []
    for hue in sorted(out, key=lambda q: -q.share):
        if hue.name not in names and not any(p.share >= 0.03 and np.linalg.norm(hue.lab[1:] - p.lab[1:]) < 5 for p in palette):
            unique.append(hue)
            names.add(hue.name)
    return tuple(unique[:3])


_MOST_PX = 60_000


def _specks(lab: Array, mask: Array) -> list[HiddenHue]:
    h, w = mask.shape
    scale = min(1.0, np.sqrt(_MOST_PX / max(1, int(mask.sum()))))
    if scale < 1:
        size = (max(8, round(w * scale)), max(8, round(h * scale)))
        lab = cv2.resize(lab, size, interpolation=cv2.INTER_AREA)
        mask = cv2.resize(mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    if mask.sum() < 400:
        return []
    soft = cv2.GaussianBlur(mask.astype(np.float32), (0, 0), 1.5) + 1e-4
    ab = np.stack([cv2.GaussianBlur(np.where(mask, lab[..., c], 0).astype(np.float32), (0, 0), 1.5) / soft for c in (1, 2)], 2)
    step = np.clip((lab[..., 0] / 4).astype(int), 0, 25)
    residual = np.zeros_like(ab)
    for k in np.unique(step[mask]):
        here = mask & (step == k)
        if here.sum() >= 30:
            residual[here] = ab[here] - np.median(ab[here], 0)
    r = residual[mask]
    spread = 1.4826 * np.median(np.abs(r), 0) + 0.35
    far = np.sqrt(((residual / spread) ** 2).sum(2))
    strong = mask & (far > 4) & (np.hypot(residual[..., 0], residual[..., 1]) > 4)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(strong.astype(np.uint8), connectivity=4)
    if count < 2:
        return []
    big = strong & (stats[labels, cv2.CC_STAT_AREA] >= 16)
    angle = np.degrees(np.arctan2(residual[..., 1], residual[..., 0])) % 360
    total = float(mask.sum())
    out = []
    sector = (angle[big] // 60).astype(int)
    counts = np.bincount(sector, minlength=6)
    for s in np.argsort(-counts)[:2]:
        share = counts[s] / total
        if 0.002 <= share <= 0.12 and counts[s] >= 3 * counts[(s + 3) % 6]:
            here = big & ((angle // 60).astype(int) == s)
            colour = np.median(np.concatenate([lab[here][:, :1], ab[here]], 1), 0).astype(float)
            if np.hypot(*colour[1:]) > 3:
                out.append(HiddenHue(colour, float(share), colour_name(colour), "specks"))
    return out
