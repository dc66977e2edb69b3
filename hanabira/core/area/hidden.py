"""Hues that hide in a coat: specks that leave the usual colour of their value, and tones that lean in the darks, the middle or the lights.

Clipped pixels take no part. What follows the slope of L* (fringes of the lens, sharpening) is taken out first; noise is measured on three
scales, and a hue counts when its patches are blobs, more than the opposite hue and more than any other. Method and limits:
docs/methods/hidden_hues.md.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.ranks import by_lightness, median
from hanabira.core.colour.spaces import Array, chroma
from hanabira.core.colour.words import colour_name

LARGE = 720
"""Longer side from which an area is reduced before it is searched."""
SIDE, LEAST_PX, LEAST_USED = 240, 400, 0.4
"""Longer side at which hues are looked for; pixels, and share of the area, below which too little is readable."""
BURNT, CRUSHED = 252, 5
VALUES = 12
"""Steps of value whose usual colour is measured."""
SCALES = (1.2, 2.4, 4.8)
FAR, FAR_WIDE, SPREADS, NOISY = 2.5, 1.9, 4.0, 0.9
"""a*b* from which a pixel leaves the usual colour (less on the widest scale), in spreads of the noise; above the last floor of noise only 5 counts."""
FAR_NOISY = 5.0
SHARE, WINDOW = 0.006, 3
"""Least share of a hue; half its width in 36 bins."""
AGAINST_OPPOSITE, AGAINST_OTHERS = 4.0, 2.0
LEAN_C, LEAN_DARK_C, DARK_L, ERRORS = 2.0, 3.0, 15.0, 2.5
"""C* from which a tone leans (more below an L*), and how many standard errors it must stand out by."""
TONES = {"gap": (0.0, 0.15), "general": (0.35, 0.65), "light": (0.85, 0.985)}
COLOURED_C, TURNED_C = 9.0, 4.0
"""C* of the general colour from which a coat has a hue of its own; a*b* by which a tone must then turn from it."""
ALIKE_DEG = 50.0


@dataclass(frozen=True)
class HiddenHue:
    """A hue that hides in an area: Lab, share 0–1, name, where it hides (``specks``, or the value whose ``tone`` leans) and by how much C*."""

    lab: Array
    share: float
    name: str
    where: str
    strength: float = 0.0


@dataclass(frozen=True)
class Hidden:
    """What was found, how much of the area could be read (0–1), and the noise in a*b* units."""

    hues: tuple[HiddenHue, ...]
    readable: float
    noise: float


def hidden_hues(lab: Array, pixels: np.ndarray, mask: np.ndarray, lost: np.ndarray | None = None) -> Hidden:
    """Hues that hide in the masked part of ``pixels`` (h, w, 3) uint8 with their ``lab``; ``lost`` are clipped pixels that are known otherwise."""
    if max(mask.shape) > LARGE:  # more pixels than this only cost time: they are averaged before anything is looked at
        k = LARGE / max(mask.shape)
        size = max(8, round(mask.shape[1] * k)), max(8, round(mask.shape[0] * k))
        shrink = lambda a: cv2.resize(a, size, interpolation=cv2.INTER_AREA)  # noqa: E731
        lost = None if lost is None else shrink(lost.astype(np.float32)) > 0.3
        lab, pixels, mask = shrink(lab.astype(np.float32)), shrink(pixels), shrink(mask.astype(np.float32)) > 0.5
    red, green, blue = cv2.split(pixels)
    brightest = cv2.max(cv2.max(red, green), blue)
    bad = (brightest >= BURNT) | (brightest <= CRUSHED)
    bad = bad | lost if lost is not None else bad
    bad = cv2.dilate(bad.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    inner = cv2.erode(mask.astype(np.uint8), np.ones((5, 5), np.uint8), borderValue=0) > 0
    inner = inner if inner.sum() > 0.5 * mask.sum() else mask  # the outline takes in a little of what lies beside it
    weight = (inner & ~bad).astype(np.float32)
    lab = lab.astype(np.float32)
    k = min(1.0, SIDE / max(mask.shape))
    if k < 1:
        size = max(8, round(mask.shape[1] * k)), max(8, round(mask.shape[0] * k))
        lab = cv2.resize(lab * weight[..., None], size, interpolation=cv2.INTER_AREA)
        weight = cv2.resize(weight, size, interpolation=cv2.INTER_AREA)
        lab = lab / (weight[..., None] + 1e-3)
    readable = float((inner & ~bad).sum() / max(1, inner.sum()))
    weight = np.where(weight > 0.5, weight, 0)
    ok = weight > 0
    if ok.sum() < LEAST_PX or readable < LEAST_USED:
        return Hidden((), readable, 0.0)
    order = by_lightness(lab[..., 0][ok])
    residual = _without_fringes(lab, ok, _beside_usual(lab, ok, order))
    specks, noise = _specks(lab, residual, weight, ok)
    hues = [*specks, *_leans(lab, ok, order)]
    kept: list[HiddenHue] = []
    for q in hues:
        if all(q.name != p.name for p in kept):
            kept.append(q)
    return Hidden(tuple(kept[:4]), readable, noise)


def _beside_usual(lab: Array, ok: np.ndarray, order: np.ndarray) -> Array:
    """a*b* of every pixel against what is usual at its value: medians of equal counts, straight between."""
    values, colours = lab[..., 0][ok][order], lab[ok][order][:, 1:]
    edges = np.linspace(0, len(order), VALUES + 1).astype(int)
    middle = [float(median(values[a:b])) for a, b in zip(edges, edges[1:], strict=False)]
    usual = np.array([median(colours[a:b]) for a, b in zip(edges, edges[1:], strict=False)])
    return np.stack([lab[..., c + 1] - np.interp(lab[..., 0], middle, usual[:, c]) for c in (0, 1)], 2).astype(np.float32)


def _without_fringes(lab: Array, ok: np.ndarray, residual: Array) -> Array:
    """The residual without what follows the slope and the fine detail of L* (robust least squares)."""
    lightness = np.where(ok, lab[..., 0], median(lab[..., 0][ok])).astype(np.float32)
    columns = []
    for sigma in (0.6, 1.5):
        g = cv2.GaussianBlur(lightness, (0, 0), sigma)
        columns += [cv2.Sobel(g, cv2.CV_32F, 1, 0) / 8, cv2.Sobel(g, cv2.CV_32F, 0, 1) / 8, g - cv2.GaussianBlur(g, (0, 0), 2 * sigma)]
    design = np.stack(columns, 2)
    rows, out = design[ok], residual.copy()
    for c in (0, 1):
        y, w = residual[..., c][ok], np.ones(int(ok.sum()), np.float32)
        fit = np.zeros(design.shape[2], np.float32)
        for _ in range(2):
            weighted = rows * (w * w)[:, None]
            normal = weighted.T @ rows  # a millionth of its trace is added: a flat picture has an answer too
            fit = np.linalg.solve(normal + 1e-6 * (np.trace(normal) + 1e-6) * np.eye(len(normal), dtype=np.float32), weighted.T @ y)
            error = y - rows @ fit
            w = 1 / (1 + (error / (2 * 1.4826 * median(np.abs(error)) + 0.1)) ** 2)
        out[..., c] -= design @ fit
    return out


def _specks(lab: Array, residual: Array, weight: Array, ok: np.ndarray) -> tuple[list[HiddenHue], float]:
    """Patches of a hue on three scales, and the floor of the noise on the finest."""
    found: list[tuple[float, float, float, Array, float]] = []
    floor: float | None = None
    places = np.flatnonzero(ok)
    weighted = [residual[..., c] * weight for c in (0, 1)]
    for sigma in SCALES:
        near = cv2.GaussianBlur(weight, (0, 0), sigma) + 1e-4
        a, b = ((cv2.GaussianBlur(plane, (0, 0), sigma) / near).reshape(-1)[places] for plane in weighted)
        a, b = a - median(a), b - median(b)
        spread = 1.4826 * float(max(median(np.abs(a)), median(np.abs(b)))) + 0.05
        floor = spread if floor is None else floor
        limit = max(FAR_NOISY if floor > NOISY else FAR_WIDE if sigma > 4 else FAR, SPREADS * spread)
        far = np.flatnonzero(a * a + b * b > limit**2)
        if len(far) < max(10, 0.004 * len(places)):
            continue
        hue = np.degrees(np.arctan2(b[far], a[far])) % 360
        counts = np.histogram(hue, 36, (0, 360))[0].astype(float)
        window = np.array([counts[(np.arange(i - WINDOW, i + WINDOW + 1)) % 36].sum() for i in range(36)])
        for _ in range(2):
            at = int(window.argmax())
            share = window[at] / len(places)
            if share < SHARE:
                break
            middle = at * 10 + 5
            image = np.zeros(ok.shape, np.uint8)
            image.reshape(-1)[places[far[np.abs((hue - middle + 180) % 360 - 180) < 36]]] = 1
            _n, parts, stats, _ = cv2.connectedComponentsWithStats(image, connectivity=8)
            large = stats[:, cv2.CC_STAT_AREA] >= 6 * sigma * sigma
            large[0] = False  # what lies between the parts
            blobs = large[parts]
            mine, opposite = float(blobs.sum() / len(places)), window[(at + 18) % 36] / len(places)
            others = float(np.sort([window[(at + j) % 36] for j in range(9, 28, 3)])[-2] / len(places))
            least = SHARE * (1.5 if sigma > 4 else 1.0)
            if mine >= least and mine > AGAINST_OPPOSITE * opposite and mine > AGAINST_OTHERS * others:
                way = np.radians(middle)
                there = blobs.reshape(-1)[places]
                along = float(median(a[there] * np.cos(way) + b[there] * np.sin(way)))
                strength = float(median(np.hypot(*residual[blobs].T)))
                _put(found, (along / spread * np.sqrt(min(mine, 0.1) / 0.01), mine, middle, median(lab[blobs]).astype(float), strength))
            window[(np.arange(at - 8, at + 9)) % 36] = 0
    found.sort(key=lambda q: -q[0])
    return [HiddenHue(colour, share, colour_name(colour), "specks", c) for _z, share, _hue, colour, c in found[:2]], float(floor or 0.0)


def _put(found: list[tuple[float, float, float, Array, float]], one: tuple[float, float, float, Array, float]) -> None:
    """Keep a hue, or the clearer of two that are alike."""
    for n, other in enumerate(found):
        if abs((one[2] - other[2] + 180) % 360 - 180) <= ALIKE_DEG:
            if one[0] > other[0]:
                found[n] = one
            return
    found.append(one)


def _leans(lab: Array, ok: np.ndarray, order: np.ndarray) -> list[HiddenHue]:
    """Tones that lean: dark, middle and light pixels against neutral (in coloured coats against their own hue), with the standard error from
    block medians.
    """
    rows, columns = np.nonzero(ok)
    block = (rows * 4 // ok.shape[0]) * 4 + columns * 4 // ok.shape[1]
    colours, out = lab[ok], []
    general = median(colours[order[int(0.35 * len(order)) : int(0.65 * len(order)) + 1]]).astype(float)
    for name, (low, high) in TONES.items():
        pick = order[int(len(order) * low) : max(int(len(order) * low) + 1, int(len(order) * high))]
        tone, where = colours[pick], block[pick]
        middle = median(tone).astype(float)
        medians = [median(tone[where == j, 1:]) for j in range(16) if np.count_nonzero(where == j) > 15]
        error = 1.25 * float(np.hypot(*np.std(medians, 0))) / np.sqrt(max(1, len(medians) - 1)) if len(medians) > 2 else 9.0
        c = float(chroma(middle))
        if float(chroma(general)) > COLOURED_C:
            # in a coloured coat a tone hides only where it turns from the coat's own hue; chroma falls with value by itself
            own = general[1:] * float(np.clip(middle[0] / max(general[0], 1.0), 0.3, 1.3))
            turned = float(middle[1:] @ general[1:]) < 0.5 * c * float(chroma(general))
            if name == "general" or not turned or float(np.hypot(*(middle[1:] - own))) < TURNED_C:
                continue
        if c > max(LEAN_C if middle[0] > DARK_L else LEAN_DARK_C, ERRORS * error):
            out.append(HiddenHue(middle, high - low, colour_name(middle), name, c))
    return out


def stronger(lab: Array, times: float = 4.0) -> Array:
    """The same colours with their chroma multiplied, for the eye to see what hides: Lab (…, 3)."""
    out = np.asarray(lab, float).copy()
    out[..., 1:] *= times
    return out
