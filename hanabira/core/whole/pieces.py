"""Superpixels of an animal merged into areas: what a hand would keep apart stays apart longest.

The cost of a merge is Ward's (1963) loss over the features, raised where the common border is an edge in the photo, where two pieces meet at a narrow
neck, and where the result takes too much of the animal. Pieces narrower than a few strokes always go to their likest neighbour. All merges are kept, so that
any number of areas can be had from one parting.
"""

from __future__ import annotations

import heapq
from dataclasses import dataclass

import cv2
import numpy as np
import skimage

from hanabira.core.colour.spaces import Array
from hanabira.core.whole.ground import Ground

CELLS, COMPACT = 500, 9.0
"""Superpixels (Achanta and others 2012) from which areas grow, and how compact they are."""
NARROW_MM, LEAST_SHARE = 9.0, 0.012
"""The least width of an area: about a dozen strokes side by side; and the least share of the animal."""
MOST_SHARE, TOO_MUCH = 0.34, 4.0
"""The largest share of the animal that one area should take, and how much a merge beyond it costs."""
NECK, NECKED = 0.9, 0.8
EDGE, MOST_EDGE = (0.45, 0.55), 3.0
LOOKED_FROM = 40
"""Pieces from which on narrow ones are absorbed: before, all are."""
FEWEST, MOST = 4, 14
USUAL, BODY = 11, 6
"""Areas that are proposed at most, eyes and nose apart, unless more are asked for; and of these outside a face whose parts are known."""
NARROW_HEAD, LEAST_HEAD = 0.4, 0.3
"""Parts of a known face may be narrower and smaller by these factors: what is looked at most is parted more finely."""
BODY_FIRST = 3
"""They merge only once the body has no more patches than this."""
WORTH = 0.022
"""Share of the animal's whole variance that two areas must differ by to stay apart."""


@dataclass(frozen=True)
class Parting:
    """Cells (h, w) with the merges that were made of them in order, (into, gone), and the number of areas that is proposed."""

    cells: np.ndarray
    merges: tuple[tuple[int, int], ...]
    count: int
    proposed: int

    def labels(self, areas: int | None = None) -> np.ndarray:
        """Labels (h, w) of so many areas, 1 … n, 0 outside the animal. As many as can be told apart, at most."""
        wanted = self.proposed if areas is None else areas
        root = np.arange(int(self.cells.max()) + 1)
        for into, gone in self.merges[: max(0, self.count - wanted)]:
            root[root == gone] = into
        alive = np.unique(root[1:][np.bincount(self.cells.ravel(), minlength=len(root))[1:] > 0])
        names = np.zeros(len(root), np.int32)
        names[alive] = np.arange(1, len(alive) + 1)
        return np.where(self.cells > 0, names[root][self.cells], 0)


class _Pieces:
    """Pieces while they merge: sizes, sums of features, borders with their length and edge, widths."""

    def __init__(self, cells: np.ndarray, g: Ground, of_head: frozenset[int] = frozenset()) -> None:
        n = int(cells.max()) + 1
        self.of_head = set(of_head)
        flat = cells.ravel()
        self.px_per_mm = g.px_per_mm
        self.size = np.bincount(flat, minlength=n).astype(float)
        self.sums = np.stack([np.bincount(flat, g.features[..., i].ravel().astype(float), n) for i in range(g.features.shape[2])], 1)
        self.alive = self.size > 0
        self.alive[0] = False
        self.total = float(self.size[1:].sum())
        self.cells, self.root = cells, np.arange(n)
        self.wide: dict[int, float] = {}
        self.border: list[dict[int, list[float]]] = [{} for _ in range(n)]
        pairs, values = [], []
        for a, b, e in ((cells[:, :-1], cells[:, 1:], np.maximum(g.edges[:, :-1], g.edges[:, 1:])), (cells[:-1], cells[1:], np.maximum(g.edges[:-1], g.edges[1:]))):
            meet = (a != b) & (a > 0) & (b > 0)
            pairs.append(np.sort(np.stack([a[meet], b[meet]], 1), 1))
            values.append(e[meet])
        both, of = np.unique(np.concatenate(pairs), axis=0, return_inverse=True)
        length, edge = np.bincount(of.ravel()), np.bincount(of.ravel(), np.concatenate(values))
        for (p, q), long, sharp in zip(both.tolist(), length.tolist(), edge.tolist(), strict=True):
            self.border[p][q] = [float(long), float(sharp)]
            self.border[q][p] = [float(long), float(sharp)]
        each = edge / np.maximum(length, 1)
        self.usual = max(0.3, float(np.median(each[each > 0]))) if (each > 0).any() else 1.0

    def cost(self, a: int, b: int) -> float:
        """Loss of a merge as a share of the animal, in ΔE² units."""
        d = self.sums[a] / self.size[a] - self.sums[b] / self.size[b]
        ward = self.size[a] * self.size[b] / (self.size[a] + self.size[b]) / self.total * float(d @ d)
        length, edge = self.border[a][b]
        neck = length / np.sqrt(min(self.size[a], self.size[b]))
        edged = EDGE[0] + EDGE[1] * min(MOST_EDGE, edge / length / self.usual)
        both = (self.size[a] + self.size[b]) / self.total
        return float(ward * edged * (1 + NECKED * max(0.0, NECK - neck) / NECK) * (1 + TOO_MUCH * max(0.0, both - MOST_SHARE)))

    def merge(self, a: int, b: int) -> None:
        """``b`` goes into ``a``."""
        self.size[a] += self.size[b]
        self.sums[a] += self.sums[b]
        self.alive[b] = False
        self.root[self.root == b] = a
        if b in self.of_head:
            self.of_head.discard(b)
            self.of_head.add(a)
        self.wide.pop(a, None)
        for t, (length, edge) in self.border[b].items():
            del self.border[t][b]
            if t == a:
                continue
            for s, u in ((a, t), (t, a)):
                got = self.border[s].setdefault(u, [0.0, 0.0])
                got[0] += length
                got[1] += edge
        self.border[b] = {}

    def narrow(self) -> int | None:
        """The smallest piece that is too small or too narrow to be drawn apart; None where there is none that has a neighbour."""
        found = []
        for a in np.flatnonzero(self.alive).tolist():
            wide, large = (NARROW_HEAD, LEAST_HEAD) if a in self.of_head else (1.0, 1.0)
            if self.border[a] and (self.size[a] < large * LEAST_SHARE * self.total or self.width_mm(a) < wide * NARROW_MM):
                found.append(a)
        return min(found, key=lambda a: (self.size[a], a), default=None)

    def width_mm(self, a: int) -> float:
        """Width of a piece where it is widest, in mm on the paper."""
        if a not in self.wide:
            self.wide[a] = 2 * float(cv2.distanceTransform(np.pad(self.root[self.cells] == a, 1).astype(np.uint8), cv2.DIST_L2, 5).max()) / self.px_per_mm
        return self.wide[a]

    def likest(self, a: int) -> int:
        """The neighbour that a narrow piece goes to: like it, and beside it over a long border."""
        return min(self.border[a], key=lambda t: (self.cost(a, t) / (self.border[a][t][0] / np.sqrt(self.size[a]) + 0.2), t))


def parting(g: Ground) -> Parting:
    """The animal's cells, merged down to the fewest areas. Deterministic."""
    head = g.head if g.head is not None else np.zeros(g.mask.shape, np.int32)
    free = g.mask & (head == 0)
    for q in g.apart:
        free &= ~q
    cells = _superpixels(g.features[..., :6], free)
    # what lies under eyes and nose belongs to the fur round it
    first = int(cells.max())
    cells = one_piece(filled(np.where(head > 0, first + head, cells), g.mask), g.mask)
    faced, all_ = np.bincount(cells[head > 0], minlength=int(cells.max()) + 1), np.bincount(cells.ravel())
    of_head = frozenset(np.flatnonzero(2 * faced > all_).tolist()) - {0}  # crumbs of the body may have come to a part of the face
    p = _Pieces(cells, g, of_head)
    count = int(p.alive.sum())
    merges: list[tuple[int, int]] = []
    stamp = np.zeros(len(p.size), int)
    heap = [(p.cost(a, b), a, b, 0, 0) for a in range(1, len(p.size)) for b in p.border[a] if a < b]
    heapq.heapify(heap)

    def join(a: int, b: int) -> None:
        p.merge(a, b)
        merges.append((a, b))
        stamp[a] += 1
        for t in p.border[a]:
            x, y = min(a, t), max(a, t)
            heapq.heappush(heap, (p.cost(x, y), x, y, int(stamp[x]), int(stamp[y])))

    everywhere = g.features[g.mask]
    whole = float(((everywhere - everywhere.mean(0)) ** 2).sum(1).mean())
    proposed = 0
    waiting: list[tuple[float, int, int, int, int]] = []
    while (left := count - len(merges)) > FEWEST:
        thin = p.narrow() if left <= LOOKED_FROM else None
        if thin is not None:
            join(p.likest(thin), thin)
            continue
        body = left - len(p.of_head)
        if waiting and (body <= BODY_FIRST or not heap):
            for entry in waiting:
                heapq.heappush(heap, entry)
            waiting = []
        if not heap:
            break
        entry = heapq.heappop(heap)
        cost, a, b, one, two = entry
        if not (p.alive[a] and p.alive[b] and stamp[a] == one and stamp[b] == two):
            continue
        if body > BODY_FIRST and (a in p.of_head or b in p.of_head):
            waiting.append(entry)
            continue
        if not proposed and body <= (BODY if p.of_head else USUAL) and cost > WORTH * whole:
            proposed = left
        if not proposed and p.of_head and body <= BODY_FIRST:
            proposed = left
        join(a, b)
    return Parting(cells, tuple(merges), count, proposed or count - len(merges))


def _superpixels(features: Array, where: np.ndarray) -> np.ndarray:
    """Cells 1 … n of what is ``where`` (h, w) bool, 0 elsewhere: so many that `CELLS` come to lie on it."""
    if not where.any():
        return np.zeros(where.shape, np.int32)
    even = np.where(where[..., None], features, features[where].mean(0)).astype(np.float32)
    count = max(2, round(CELLS * where.size / float(where.sum())))
    cells = skimage.segmentation.slic(even, count, compactness=COMPACT, channel_axis=2, convert2lab=False, start_label=1, enforce_connectivity=True)
    return np.where(where, cells, 0).astype(np.int32)


def filled(labels: np.ndarray, mask: np.ndarray) -> np.ndarray:
    """Every pixel of the mask with the label of the nearest labelled one; nothing outside."""
    if (labels[mask] == 0).any() and (labels > 0).any():
        near = cv2.distanceTransformWithLabels((labels == 0).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)[1]
        table = np.zeros(int(near.max()) + 1, labels.dtype)
        table[near[labels > 0]] = labels[labels > 0]
        labels = np.where(labels > 0, labels, table[near])
    return np.where(mask, labels, 0)


def one_piece(labels: np.ndarray, mask: np.ndarray) -> np.ndarray:
    """Crumbs that fell off an area go to what surrounds them; a part of the animal that lies apart becomes an area of its own."""
    out, more = labels.copy(), int(labels.max())
    for i in range(1, int(labels.max()) + 1):
        n, parts, stats, _ = cv2.connectedComponentsWithStats((labels == i).astype(np.uint8), connectivity=4)
        main = 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax()) if n > 1 else 0
        for q in range(1, n):
            here = parts == q
            if q == main:
                continue
            round_it = cv2.dilate(here.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
            if (round_it & ~here & (labels > 0)).any():
                out[here] = 0
            else:  # nothing of the animal touches it
                more += 1
                out[here] = more
    return _counted(filled(out, mask))


def _counted(labels: np.ndarray) -> np.ndarray:
    """The labels as 1 … n without gaps."""
    return np.asarray(np.searchsorted(np.unique(np.append(labels, 0)), labels), np.int32)


def variance_explained(lab: Array, labels: np.ndarray) -> float:
    """Share of the variance of Lab (h, w, 3) over the labelled pixels that their means explain, 0–1."""
    here = labels > 0
    v, n = lab[here], labels[here]
    size = np.bincount(n)
    mean = np.stack([np.bincount(n, v[:, i]) / np.maximum(size, 1) for i in range(3)], 1)
    all_ = float(((v - v.mean(0)) ** 2).sum())
    return 1 - float(((v - mean[n]) ** 2).sum()) / all_ if all_ > 0 else 1.0
