"""A label picture as outlines that share their corners: each common border is simplified once, so neighbours neither gape nor overlap.

Borders run along the cracks between pixels, from crossing to crossing; each is simplified by itself (Douglas and Peucker 1973), and rings are put together of
whole borders.
"""

from __future__ import annotations

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array

MOST_CORNERS, COARSER, ROUNDS = 60, 1.25, 12
"""Corners that an outline has at most, and how much coarser all borders become, how often, while one has more."""

Corner = tuple[int, int]
Way = tuple[int, bool]
"""A border by its number, and whether it is walked ahead."""


def rings_of(labels: np.ndarray, tolerance: float, most: int = MOST_CORNERS) -> dict[int, list[Array]]:
    """Rings (n, 2) of every label, the largest first, in pixels of the picture (0 is its left and upper edge). ``tolerance`` in pixels; 0 keeps every crack."""
    borders, loops = _borders(np.pad(np.asarray(labels, int), 1))
    out: dict[int, list[Array]] = {}
    for _ in range(ROUNDS):
        simple = [_simplified(b, tolerance) for b in borders]
        out = {}
        for label, rings in loops.items():
            made = [np.concatenate([(simple[n] if ahead else simple[n][::-1])[:-1] for n, ahead in ring]) - 1.0 for ring in rings]
            out[label] = sorted((m for m in made if len(m) > 2), key=lambda r: -abs(_area(r)))
        if tolerance <= 0 or max((len(r[0]) for r in out.values() if r), default=0) <= most:
            break
        tolerance *= COARSER
    return out


def _area(ring: Array) -> float:
    x, y = ring[:, 0], ring[:, 1]
    return float(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2


def _simplified(line: Array, tolerance: float) -> Array:
    if tolerance <= 0:
        return line
    if (line[0] == line[-1]).all():  # a border without a crossing: cut at its farthest point, so that it has two ends
        at = int(np.argmax(np.hypot(*(line - line[0]).T)))
        a, b = (cv2.approxPolyDP(p.astype(np.float32)[:, None], tolerance, False)[:, 0] for p in (line[: at + 1], line[at:]))
        return np.concatenate([a, b[1:]]).astype(float)
    return np.asarray(cv2.approxPolyDP(line.astype(np.float32)[:, None], tolerance, False)[:, 0], float)


def _cracks(labels: np.ndarray) -> dict[Corner, dict[Corner, int]]:
    """Steps along cracks between pixels of unlike labels: from a corner to the next ones, with the label on the right hand (0 outside)."""
    right: dict[Corner, dict[Corner, int]] = {}
    across = labels[:, :-1] != labels[:, 1:]
    for y, x in zip(*(v.tolist() for v in np.nonzero(across)), strict=True):
        a, b = (x + 1, y), (x + 1, y + 1)
        right.setdefault(a, {})[b] = int(labels[y, x])
        right.setdefault(b, {})[a] = int(labels[y, x + 1])
    down = labels[:-1] != labels[1:]
    for y, x in zip(*(v.tolist() for v in np.nonzero(down)), strict=True):
        a, b = (x, y + 1), (x + 1, y + 1)
        right.setdefault(b, {})[a] = int(labels[y, x])
        right.setdefault(a, {})[b] = int(labels[y + 1, x])
    return right


def _borders(labels: np.ndarray) -> tuple[list[Array], dict[int, list[list[Way]]]]:
    """Borders between crossings, and for each label its rings as borders with a way, the label on the right hand."""
    right = _cracks(labels)
    crossing = {v for v, out in right.items() if len(out) != 2}
    borders: list[list[Corner]] = []
    begins: dict[tuple[Corner, Corner], Way] = {}
    walked: set[tuple[Corner, Corner]] = set()
    for a in (*crossing, *right):
        for b in right[a]:
            if (a, b) in walked or (a not in crossing and any((a, q) in walked for q in right[a])):
                continue
            line = [a, b]
            while line[-1] not in crossing and line[-1] != a:
                line.append(next(q for q in right[line[-1]] if q != line[-2]))
            for p, q in zip(line, line[1:], strict=False):
                walked |= {(p, q), (q, p)}
            begins[line[0], line[1]] = len(borders), True
            begins[line[-1], line[-2]] = len(borders), False
            borders.append(line)
    loops: dict[int, list[list[Way]]] = {}
    used: set[Way] = set()
    for (a, b), way in begins.items():
        if right[a][b] and way not in used:
            loops.setdefault(right[a][b], []).append(_loop(way, right[a][b], borders, begins, right, used))
    return [np.asarray(line, float) for line in borders], loops


def _loop(
    way: Way, label: int, borders: list[list[Corner]], begins: dict[tuple[Corner, Corner], Way], right: dict[Corner, dict[Corner, int]], used: set[Way]
) -> list[Way]:
    """The borders round a label from one of them on. The sharpest turn to the right keeps an area whole where two of its parts touch at a corner."""
    ring: list[Way] = []
    now: Way | None = way
    while now is not None and now not in used:
        used.add(now)
        ring.append(now)
        number, ahead = now
        line = borders[number] if ahead else borders[number][::-1]
        (x, y), (u, v) = line[-1], line[-2]
        dx, dy = x - u, y - v
        turns = ((-dy, dx), (dx, dy), (dy, -dx))
        step = next(((x + p, y + q) for p, q in turns if right[x, y].get((x + p, y + q)) == label), None)
        now = None if step is None else begins.get(((x, y), step))
    return ring
