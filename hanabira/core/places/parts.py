"""Parts that are told by their form rather than by their value: creases and ridges, hollows, gloss, fringes, teeth, tongues, pebbles.

What stands out from a calm ground by top-hat transforms (Meyer 1979) of growing width, kept when it is long for its width; hollows and
pale or red parts by two clusters. A list of parts (craft data) says which of them a surface has and what they are called there.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.area.nose import pebble_of, wet_of
from hanabira.core.area.pattern import inside_blur
from hanabira.core.colour.spaces import Array, chroma, hue_deg
from hanabira.core.places.sample import LEAST_PX, FoundPlace, Sample, two_clusters

WIDTHS = (0.014, 0.026, 0.05, 0.085)
"""Widths of lines that are looked for, as shares of the side of a square as large as the area."""
LINE_L, LINE_MADS, WEAK = 7.0, 5.0, 0.6
"""L* by which a line stands out from both its sides, and how many spreads of the texture; its fainter course counts from this share on."""
KEPT_RISE = 0.45
"""Share of a line's own height that a pixel must have to belong to it."""
LONG_FOR_WIDTH, LONG_FOR_AREA = 4.0, 0.16
"""A line is so many times as long as it is wide, and so long against the side of the area."""
BESIDE = 2.2
"""A ridge lies within so many line widths of a crease."""
HOLLOW_L, HOLLOW_ETA, HOLLOW_SHARE = 12.0, 0.62, (0.04, 0.6)
"""A hollow is darker than the rest by so much, the two separate clearly (Otsu's η), and it takes such a share."""
HUE_AB, HUE_SHARE = 9.0, (0.06, 0.85)
"""a*b* by which a tongue differs from the lips round it, and the share of the area it may take."""
RED = (340.0, 65.0)
"""Hues of flesh."""
TEETH_L, TEETH_C, TEETH_SHARE, TOOTH_SHARE = 14.0, 26.0, (0.02, 0.6), 0.003
"""Teeth are lighter than what is round them by so much, no stronger in colour than this, and take such a share, each of them at least the last."""
FRINGE, FRINGE_L = 0.14, 10.0
"""How far from the border of an ear its hairs reach, as a share of the side, and by how much they are lighter than the skin beside them."""
GLOSS_L, GLOSS_RISE = 40.0, 14.0
"""A gloss is lighter than this, and than the rest by so much; weaker gleams are texture."""
GRAIN_L, GRAIN_PERCENT = 6.0, 88
"""Grain stands above the leather by so much L*; its lights are the top of the detail."""
LEAST_SHARE, LEAST_GLOSS, MOST_SHARE = 0.006, 0.002, 0.6
"""A part of less is a few hairs (a gloss may be smaller); one that fills more of its area than this is no part of it but its ground."""


@dataclass(frozen=True)
class SurfacePart:
    """A part that a surface may have. ``how`` is one of `FINDERS`, or the finder of an eye or a nose; ``rank`` its place in the list, the
    first to be drawn first; ``keeps_off`` what must not cover it (`KEEPS_OFF`).
    """

    id: str
    name: str
    how: str
    rank: int = 50
    keeps_off: tuple[str, ...] = ()


KEEPS_OFF = ("everything", "darks", "blacks", "colour")
"""What can be kept off a part: all but the palest tint, pencils under L* 20, blacks, strong colour."""


@dataclass(frozen=True)
class Ground:
    """What the finders look at: the sample with what lies outside filled in, and what is given away already."""

    s: Sample
    lightness: Array
    side: float
    free: np.ndarray
    creases: np.ndarray


def find_parts(s: Sample, parts: Sequence[SurfacePart], group: str) -> list[FoundPlace]:
    """The parts of a list that a sample shows, in the order of the list. Each pixel goes to the first that takes it."""
    whole = int(s.mask.sum())
    side = float(np.sqrt(whole))
    if whole < 300:
        return []
    calm = inside_blur(s.lab, s.mask, max(0.6, 0.004 * side))
    lightness = _filled(np.ascontiguousarray(calm[..., 0], np.float32), s.mask)
    free, creases, out = s.mask.copy(), np.zeros_like(s.mask), []
    for part in parts:
        finder = FINDERS.get(part.how)
        if finder is None:
            continue
        found = finder(Ground(s, lightness, side, free, creases)) & free
        least = LEAST_GLOSS if part.how == "gloss" else LEAST_SHARE
        if not max(LEAST_PX, least * whole) <= found.sum() <= MOST_SHARE * whole:
            continue
        out.append(FoundPlace(part.id, part.name, "part", group, found))
        free = free & ~found
        if part.how in ("crease", "line"):
            creases |= found
    return out


def _filled(values: Array, mask: np.ndarray) -> Array:
    """Values with what lies outside taken from the nearest pixel within, so that the border of an area is no line."""
    if mask.all():
        return values
    _, near = cv2.distanceTransformWithLabels((~mask).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    table = np.zeros(int(near.max()) + 1, values.dtype)
    table[near[mask]] = values[mask]
    out: Array = table[near]
    return out


def _lines(g: Ground, dark: bool) -> list[tuple[np.ndarray, float, float]]:
    """Dark or light lines of any width: pixels, length and width in pixels of each, the longest first."""
    best, rise = (np.zeros(g.lightness.shape, np.float32) for _ in range(2))
    lightness = g.lightness if dark else -g.lightness
    for share in WIDTHS:
        size = max(3, round(share * g.side) | 1)
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))
        hat = cv2.morphologyEx(lightness, cv2.MORPH_CLOSE, disc) - lightness
        # the texture of a ground stands out too: a line is what exceeds it at its own width
        inside = hat[g.s.mask]
        limit = max(LINE_L, float(np.median(inside)) + LINE_MADS * 1.4826 * float(np.median(np.abs(inside - np.median(inside)))))
        best, rise = np.maximum(best, hat / limit), np.maximum(rise, hat)
    strong = (best >= 1) & g.free
    out = []
    for where in _pieces((best >= WEAK) & g.free):
        if strong[where].mean() < 0.3:
            continue
        # shoulders and the texture that touches a line rise less than the line itself
        for one in _pieces(where & (rise >= KEPT_RISE * np.percentile(rise[where], 90))):
            width = _width(one)
            length = float(one.sum()) / width
            if length >= LONG_FOR_WIDTH * width and length >= LONG_FOR_AREA * g.side:
                out.append((one, length, width))
    return sorted(out, key=lambda q: -q[1])


def _pieces(where: np.ndarray) -> Iterator[np.ndarray]:
    """Connected pieces that are no specks."""
    n, parts, stats, _ = cv2.connectedComponentsWithStats(where.astype(np.uint8), connectivity=8)
    for i in range(1, n):
        if stats[i, cv2.CC_STAT_AREA] >= LEAST_PX:
            yield parts == i


def _width(where: np.ndarray) -> float:
    """Mean width of a strip: four times the mean distance to its border (exact for a long strip)."""
    ys, xs = np.nonzero(where)
    cut_out = np.pad(where[ys.min() : ys.max() + 1, xs.min() : xs.max() + 1], 1)
    depth = cv2.distanceTransform(cut_out.astype(np.uint8), cv2.DIST_L2, 5)
    return max(1.0, 4 * float(depth[cut_out].mean()) - 1)


def _none(g: Ground) -> np.ndarray:
    return np.zeros_like(g.s.mask)


def _all(found: list[tuple[np.ndarray, float, float]], g: Ground) -> np.ndarray:
    out = _none(g)
    for where, *_ in found:
        out |= where
    return out


def _crease(g: Ground) -> np.ndarray:
    """All dark lines."""
    return _all(_lines(g, True), g)


def _line(g: Ground) -> np.ndarray:
    """The one longest dark line: where lips meet, the groove of a tongue, the gape of a beak."""
    found = _lines(g, True)
    return found[0][0] if found else _none(g)


def _ridge(g: Ground) -> np.ndarray:
    """Light lines; where creases were found only those beside one."""
    found = _lines(g, False)
    if g.creases.any():
        away = cv2.distanceTransform((~g.creases).astype(np.uint8), cv2.DIST_L2, 5)
        found = [(w, length, width) for w, length, width in found if np.median(away[w]) <= BESIDE * max(width, 0.012 * g.side) + width]
    return _all(found, g)


def _streak(g: Ground) -> np.ndarray:
    """Light lines wherever they lie."""
    return _all(_lines(g, False), g)


def _hollow(g: Ground) -> np.ndarray:
    """A broad dark part that separates clearly from the rest."""
    lightness = inside_blur(g.s.lab, g.s.mask, 0.012 * g.side)[..., 0]
    low, high, eta = three_tones(lightness[g.free])
    means = _means(lightness[g.free], low, high)
    # between two and three tones: the darkest stands apart from what is next to it
    if eta < HOLLOW_ETA or means[1] - means[0] < HOLLOW_L:
        return _none(g)
    return _whole((lightness <= low) & g.free, HOLLOW_SHARE, g)


def three_tones(values: Array) -> tuple[float, float, float]:
    """The two limits that part values (n,) into three tones of least spread, and the share of the spread they explain (Otsu 1979)."""
    counts, edges = np.histogram(values, 64)
    middle = (edges[:-1] + edges[1:]) / 2
    weight, moment = np.concatenate([[0], np.cumsum(counts)]), np.concatenate([[0.0], np.cumsum(counts * middle)])
    i, j = np.triu_indices(64, 1)
    i, j = i + 1, j + 1  # a class ends before bin i, the next before bin j
    i, j = i[j < 64], j[j < 64]

    def between(a: np.ndarray | int, b: np.ndarray | int) -> Array:
        w = weight[b] - weight[a]
        return np.asarray((moment[b] - moment[a]) ** 2 / np.maximum(w, 1e-9))

    score = between(0, i) + between(i, j) + between(j, 64)
    at = int(np.argmax(score))
    level = np.isclose(score, score[at], rtol=1e-9)  # empty bins between two tones score alike: the limit lies in their middle
    low, high = edges[i[level]], edges[j[level]]
    total = float((counts * middle**2).sum())
    mean2 = moment[-1] ** 2 / max(weight[-1], 1)
    eta = float((score[at] - mean2) / max(total - mean2, 1e-9))
    return float((low.min() + low.max()) / 2), float((high.min() + high.max()) / 2), eta


def _means(values: Array, low: float, high: float) -> tuple[float, float, float]:
    """Medians of the three tones; an empty one takes the limit's place."""
    parts = (values[values <= low], values[(values > low) & (values <= high)], values[values > high])
    a, b, c = (float(np.median(q)) if len(q) else f for q, f in zip(parts, (low, (low + high) / 2, high), strict=True))
    return a, b, c


def _whole(found: np.ndarray, shares: tuple[float, float], g: Ground, crumb: float = 0.01) -> np.ndarray:
    """The large pieces of a part without its crumbs; nothing when it takes too little or too much of the area."""
    size = max(3, round(0.02 * g.side) | 1)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))
    calm = cv2.morphologyEx(cv2.morphologyEx(found.astype(np.uint8), cv2.MORPH_OPEN, disc), cv2.MORPH_CLOSE, disc)
    _, parts, stats, _ = cv2.connectedComponentsWithStats(calm)
    least = crumb * float(g.s.mask.sum())
    out = np.isin(parts, [i for i in range(1, len(stats)) if stats[i, cv2.CC_STAT_AREA] >= least]) & g.free
    return out if shares[0] <= out.sum() / g.s.mask.sum() <= shares[1] else _none(g)


def _red(g: Ground) -> np.ndarray:
    """Flesh apart from what is round it: the redder of two clusters of a*b*."""
    lab = inside_blur(g.s.lab, g.s.mask, 0.012 * g.side)
    index = np.flatnonzero(g.free)
    if len(index) < 100:
        return _none(g)
    colours = lab.reshape(-1, 3)[index]
    second, gap, _least = two_clusters(colours[:, 1:])
    if gap < HUE_AB:
        return _none(g)
    middles = [np.median(colours[q], 0) for q in (second, ~second)]
    redder = int(np.argmax([m[1] for m in middles]))
    hue = float(hue_deg(middles[redder])) % 360
    if not (hue >= RED[0] or hue <= RED[1]) or float(chroma(middles[redder])) < 10:
        return _none(g)
    flat = np.zeros(g.free.size, bool)
    flat[index[second if redder == 0 else ~second]] = True
    return _whole(flat.reshape(g.free.shape), HUE_SHARE, g)


def _pale(g: Ground) -> np.ndarray:
    """Teeth: light, weak in colour and broad. Flesh that is as light is told by its colour."""
    lab = inside_blur(g.s.lab, g.s.mask, 0.008 * g.side)
    weak = g.free & (chroma(lab) < TEETH_C)
    if weak.sum() < LEAST_PX:
        return _none(g)
    values = lab[weak][:, 0]
    low, high, eta = three_tones(values)
    means = _means(values, low, high)
    if eta < HOLLOW_ETA or means[2] - means[1] < TEETH_L:
        return _none(g)
    return _whole((lab[..., 0] > high) & weak, TEETH_SHARE, g, TOOTH_SHARE)


def _gloss(g: Ground) -> np.ndarray:
    """Wet or worn light: small bright spots that stand above what is round them."""
    lightness = g.s.lab[..., 0]
    found = wet_of(lightness, g.free) & (lightness > GLOSS_L)
    stands = found.any() and float(np.median(lightness[found]) - np.median(lightness[g.free])) > GLOSS_RISE
    return found if stands else _none(g)


def _fringe(g: Ground) -> np.ndarray:
    """Light hairs at the border of the area, as at the edge of an ear."""
    depth = cv2.distanceTransform(np.pad(g.s.mask, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    near, next_to = g.free & (depth < FRINGE * g.side), g.free & (depth >= FRINGE * g.side) & (depth < 2.2 * FRINGE * g.side)
    if near.sum() < LEAST_PX or next_to.sum() < LEAST_PX:
        return _none(g)
    lightness = g.s.lab[..., 0]
    # the light's fall over the skin is no fringe: hairs stand above a plane through what lies beside them
    ys, xs = np.nonzero(next_to)
    plane = np.linalg.lstsq(np.stack([xs, ys, np.ones(len(xs))], 1), lightness[next_to], rcond=None)[0]
    rise = lightness - (plane[0] * np.arange(near.shape[1])[None] + plane[1] * np.arange(near.shape[0])[:, None] + plane[2])
    found = near & (rise > FRINGE_L)
    # hairs that stand all over the area are its coat, no fringe
    return found if found.sum() / near.sum() > 3 * float((rise[next_to] > FRINGE_L).mean()) + 0.02 else _none(g)


def _pebble(g: Ground) -> np.ndarray:
    """Lights on the grain of leather."""
    lightness = g.s.lab[..., 0]
    grain = pebble_of(lightness, g.free)
    if not grain:
        return _none(g)
    detail = lightness - cv2.GaussianBlur(lightness, (0, 0), max(2.0, grain))
    top = g.free & (detail > np.percentile(detail[g.free], GRAIN_PERCENT))
    return top if float(np.median(lightness[top]) - np.median(lightness[g.free])) > GRAIN_L else _none(g)


FINDERS: Mapping[str, Callable[[Ground], np.ndarray]] = {
    "crease": _crease, "line": _line, "ridge": _ridge, "streak": _streak, "hollow": _hollow, "red": _red, "pale": _pale, "gloss": _gloss,
    "fringe": _fringe, "pebble": _pebble,
}  # fmt: skip
"""How a part is found, by the word that the lists use."""
