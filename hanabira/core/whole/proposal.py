"""A first set of areas over a whole cut-out animal: outlines that share their corners, named as far as the face tells. Nothing of it is certain."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from hanabira.core.area.covering import covering
from hanabira.core.area.eye import EYE_WIDE, eye_ring
from hanabira.core.area.outline import Outline, from_mask, grow, touchable
from hanabira.core.area.shape import Point
from hanabira.core.colour.spaces import Array
from hanabira.core.faults import AreaFault
from hanabira.core.token import SILENT, Token
from hanabira.core.whole.borders import drawn
from hanabira.core.whole.face import FRONT, Face, face_of
from hanabira.core.whole.ground import Ground, ground
from hanabira.core.whole.pieces import Parting, parting, variance_explained
from hanabira.core.whole.rings import rings_of

NOSE_REACHES, MOST_NOSE = (16.0, 12.0, 9.0, 6.0), 0.05
"""ΔE76 within which a touched nose spreads, the choosier ones tried where it floods the face; a larger share of the animal is no nose."""
NOSE_HALF, NOSE_FILLS = (0.22, 0.19), (0.4, 2.2, 4.0)
"""Half the width and the height of a nose (units of the face), read off seven labelled ones; a grown one under the first share of it, or over the second (from the
side the third, for beaks), is none."""
TOLERANCE_MM = 0.35
MOSTLY = 0.5
ROUND_PX, LEAST_RING = 25, 40
"""Working pixels round an area in which the ground is looked at, and how many there must be."""
ALIKE_DE = 15.0
"""ΔE76 up to which a pixel has a colour of the ground."""
STRANGE = 0.75
"""Share of an area in the ground's colours from which it is asked about."""
TWIN_DE, TWIN_SHARE = 22.0, 3.5
"""Parts of one face that are as far apart in colour, or as unlike in size, are no twins of one another."""


@dataclass(frozen=True)
class Proposed:
    """One area: its ``ring`` and ``holes`` in photo pixels, its ``share`` of the animal, median ``lab``, the ``part`` of a face it is (empty where that is not known).

    ``kind`` is ``eye``, ``nose`` or empty for a piece of coat; ``eye`` the middle of an eye and a point on its rim; ``twin`` the place of its twin in the list.
    ``strange`` is the share of it that has a colour of what lies round the animal rather than one of its other areas.
    """

    ring: tuple[Point, ...]
    holes: tuple[tuple[Point, ...], ...]
    share: float
    lab: tuple[float, float, float]
    part: str = ""
    kind: str = ""
    eye: tuple[Point, ...] = ()
    twin: int | None = None
    strange: float = 0.0


@dataclass(frozen=True)
class Proposal:
    """All areas, the pieces of coat first; ``covered`` is the share of the animal that their outlines cover, ``explained`` that of its variance of Lab.

    ``notes`` are keys of sentences. ``alike`` are the places of the two pieces of coat that differ least; None where none are left to be one.
    """

    areas: tuple[Proposed, ...]
    covered: float
    explained: float
    notes: tuple[str, ...] = ()
    alike: tuple[int, int] | None = None


class Animal:
    """A cut-out animal that can be parted into few or many areas."""

    def __init__(
        self, pixels: np.ndarray, coverage: Array, mm_per_px: float, eyes: Sequence[tuple[Point, float]] = (), nose: Point | None = None,
        by_form: bool = False, token: Token = SILENT,
    ) -> None:  # fmt: skip
        """``pixels`` (h, w, 3) uint8 sRGB, ``coverage`` (h, w) 0–1, ``eyes`` middles with the radius of the iris (pixels), ``nose`` a place on it.

        Raises `AreaFault` where there is no animal.
        """
        self.coverage, self.eyes, self.notes = coverage, tuple(eyes), []
        token.report(0.05, "Looking at the animal")
        self.nose = touched_nose(pixels, coverage, nose, face_of(self.eyes, nose)) if nose is not None else None
        if nose is not None and self.nose is None:
            self.notes.append("whole.nose-floods")
        discs = [_disc(coverage.shape, p, EYE_WIDE * r) for p, r in self.eyes]
        apart = (*discs, *([self.nose] if self.nose is not None else []))
        self.face: Face | None = face_of(self.eyes, _middle(self.nose) if self.nose is not None else nose)
        if self.face is None:
            self.notes.append("whole.no-face")
        self.ground: Ground = ground(pixels, coverage, mm_per_px, apart, self.face, by_form)
        if self.face is not None and self.ground.head is not None and not self.ground.head.any():
            self.notes.append("whole.small-head")
        token.report(0.3, "Parting it into patches")
        self.parting: Parting = parting(self.ground)
        token.report(0.8, "Drawing the seams")

    def areas(self, count: int | None = None) -> Proposal:
        """So many areas (besides eyes and nose), or as many as the animal has by itself."""
        g = self.ground
        labels = drawn(self.parting.labels(count), g)
        rings = rings_of(labels, max(0.7, TOLERANCE_MM * g.px_per_mm))
        total = float((labels > 0).sum())
        found: list[Proposed] = []
        at: dict[int, int] = {}
        strange = strangeness(g.fine, labels)
        for i in range(1, int(labels.max()) + 1):
            here = labels == i
            if not rings.get(i):
                continue
            at[i] = len(found)
            name = self._part(here)
            outer, *holes = ([_point(p) for p in g.to_photo(r)] for r in rings[i])
            found.append(Proposed(tuple(outer), tuple(tuple(h) for h in holes if len(h) > 3), float(here.sum()) / total, _lab(g.fine[here]), name, strange=strange[i]))
        alike = self._alike(count, labels, at)
        found = _paired([*found, *self._on_top(total)])
        outlines = [(Outline(a.ring, False, a.holes), True) for a in found]
        under = covering(outlines, self.coverage > 0.5, (self.coverage.shape[1], self.coverage.shape[0])).drawn or 0.0
        return Proposal(tuple(found), under, variance_explained(g.fine, labels), tuple(self.notes), alike)

    def _alike(self, count: int | None, labels: np.ndarray, at: Mapping[int, int]) -> tuple[int, int] | None:
        """The two pieces that would be one if one area fewer were asked for, by their places."""
        p = self.parting
        wanted = p.proposed if count is None else count
        before, after = p.labels(wanted), p.labels(wanted - 1)
        if before.max() == after.max():
            return None
        within = [np.unique(after[before == i]) for i in range(1, int(before.max()) + 1)]
        for i, mine in enumerate(within, 1):
            for j, theirs in enumerate(within[i:], i + 1):
                if mine[0] == theirs[0]:
                    # borders were drawn anew since: a piece is the area that holds most of it
                    a, b = (int(np.bincount(labels[before == q]).argmax()) for q in (i, j))
                    return (at[a], at[b]) if a != b and a in at and b in at else None
        return None

    def _part(self, here: np.ndarray) -> str:
        """The part of the face that an area is: the one that holds most of it, and most of which it holds; empty where there is none."""
        head = self.ground.head
        if self.face is None or head is None or not head.any():
            return ""
        shares = np.bincount(head[here], minlength=len(self.face.names) + 1)
        best = int(np.argmax(shares))
        if best and shares[best] > MOSTLY * here.sum() and shares[best] > MOSTLY * (head == best).sum():
            return self.face.names[best - 1]
        return ""

    def _on_top(self, total: float) -> list[Proposed]:
        """Eyes and nose: they lie over the fur round them, nothing is cut out for them."""
        g, out = self.ground, []
        for n, ((x, y), r) in enumerate(self.eyes):
            here = g.apart[n] & g.mask
            out.append(Proposed(eye_ring((x, y), r), (), float(here.sum()) / total, _lab(g.fine[here]), "eye", "eye", ((x, y), (x + r, y))))
        if self.nose is not None:
            here = g.apart[-1] & g.mask
            ring = from_mask(self.nose, (0, 0), max(1.0, 0.03 * float(np.sqrt(self.nose.sum()))))[0].ring
            out.append(Proposed(ring, (), float(here.sum()) / total, _lab(g.fine[here]), "nose", "nose"))
        return out


def strangeness(lab: Array, labels: np.ndarray) -> dict[int, float]:
    """For each area 1 … n the share (0–1) of its pixels whose Lab (h, w, 3) is alike to one of three colours round it, outside the animal, and nearer to it than to the
    median of another area: what a loose cut-out took in of the ground. An area that no ground touches has none.

    On twelve photographs with loops, one question for the strangest over `STRANGE` met 3 of 7 such patches and was in vain in 3 photographs.
    """
    outside, count = labels == 0, int(labels.max())
    middles = {i: np.median(lab[labels == i], 0) for i in range(1, count + 1) if (labels == i).any()}
    out = dict.fromkeys(range(1, count + 1), 0.0)
    for i in middles:
        here = labels == i
        ring = (cv2.dilate(here.astype(np.uint8), np.ones((ROUND_PX, ROUND_PX), np.uint8)) > 0) & outside
        others = np.array([m for j, m in middles.items() if j != i])
        if ring.sum() < LEAST_RING or not len(others):
            continue
        steps = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 20, 0.5)
        _spread, _of, colours = cv2.kmeans(lab[ring].astype(np.float32), 3, np.empty(0, np.int32), steps, 1, cv2.KMEANS_PP_CENTERS)
        near = [np.min(np.linalg.norm(lab[here][:, None] - q[None], axis=2), 1) for q in (colours, others)]
        out[i] = float(((near[0] < near[1]) & (near[0] < ALIKE_DE)).mean())
    return out


def touched_nose(pixels: np.ndarray, coverage: Array, at: Point, face: Face | None = None) -> np.ndarray | None:
    """The nose (h, w) bool that grows from a touch; None where it floods the face, which then is no nose.

    A known face says how large a nose is: what grows beyond it, or hardly fills it, is none; from the front a nose of the usual form is proposed in its place,
    from the side a beak may be larger, and nothing is proposed.
    """
    ready, most = touchable(pixels), MOST_NOSE * float((coverage > 0.5).sum())
    h, w = coverage.shape
    usual = None
    if face is not None:
        usual = np.zeros((h, w), np.uint8)
        half = tuple(max(2, round(v * face.unit)) for v in NOSE_HALF)
        turn = float(np.degrees(np.arctan2(face.right[1], face.right[0])))
        cv2.ellipse(usual, (round(at[0]), round(at[1])), half, turn, 0, 360, 1, -1)
    for reach in NOSE_REACHES:
        try:
            found = np.asarray(grow(ready, at, reach).mask((0, 0, w, h)))
        except AreaFault:
            continue
        if 0 < found.sum() < most and (usual is None or face is None or NOSE_FILLS[0] < found.sum() / usual.sum() < NOSE_FILLS[1 + face.side]):
            return found
    return None if usual is None or face is None or face.side else usual > 0


def _paired(areas: list[Proposed]) -> list[Proposed]:
    """Both eyes as twins, and left and right of one part of the face, where they are alike in colour and size."""
    out = list(areas)
    eyes = [i for i, a in enumerate(areas) if a.kind == "eye"]
    if len(eyes) == 2:
        i, j = eyes
        out[i], out[j] = replace(areas[i], twin=j), replace(areas[j], twin=i)
    for part in {p.split(" ", 1)[1] for p in FRONT if " " in p}:
        left, right = ([i for i, a in enumerate(areas) if a.part == f"{side} {part}"] for side in ("left", "right"))
        if len(left) != 1 or len(right) != 1:
            continue
        i, j = left[0], right[0]
        a, b = areas[i], areas[j]
        apart = float(np.linalg.norm(np.subtract(a.lab, b.lab)))
        if apart < TWIN_DE and max(a.share, b.share) < TWIN_SHARE * min(a.share, b.share):
            out[i], out[j] = replace(a, twin=j), replace(b, twin=i)
    return out


def _disc(shape: tuple[int, ...], at: Point, radius: float) -> np.ndarray:
    out = np.zeros(shape, np.uint8)
    cv2.circle(out, (round(at[0]), round(at[1])), max(1, round(radius)), 1, -1)
    return out > 0


def _middle(mask: np.ndarray) -> Point:
    ys, xs = np.nonzero(mask)
    return float(xs.mean()), float(ys.mean())


def _point(p: Array) -> Point:
    return float(p[0]), float(p[1])


def _lab(rows: Array) -> tuple[float, float, float]:
    v = np.median(rows, 0) if len(rows) else np.zeros(3)
    return float(v[0]), float(v[1]), float(v[2])
