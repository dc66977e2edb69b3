"""Work on outlines: join, cut away, push, find by touch, mirror to the other side, fit a template.

An outline is a ring of points with holes. Joining and cutting go over a mask of pixels, which
knows no special cases and costs at most one pixel.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import scipy

from hanabira.core.area.shape import Point, fill_ring, simplify_ring, smooth_ring
from hanabira.core.colour.spaces import Array, bytes_to_lab
from hanabira.core.faults import AreaFault

RingPoints = tuple[Point, ...]
_GROW_SIDE = 850
_MOST_PX = 4_000_000
"""Joining and cutting go over at most so many pixels, so that they stay under a fifth of a second."""
_SEED_PX = 5
_LEAST_HOLE = 0.0015
"""Holes smaller than this share of the area are closed."""


@dataclass(frozen=True)
class Outline:
    """A ring with holes; ``smooth`` draws a curve through the points."""

    ring: RingPoints
    smooth: bool = False
    holes: tuple[RingPoints, ...] = ()

    def curve(self, ring: Sequence[Point] | None = None) -> Array:
        """The ring as drawn, (n, 2)."""
        ring = self.ring if ring is None else ring
        return smooth_ring(ring) if self.smooth and len(ring) > 2 else np.asarray(ring, float)

    def box(self) -> tuple[int, int, int, int]:
        """Least and greatest whole pixel: x0, y0, x1, y1."""
        p = self.curve()
        low, high = np.floor(p.min(0)).astype(int), np.ceil(p.max(0)).astype(int)
        return int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1

    def mask(self, box: tuple[int, int, int, int], scale: float = 1.0) -> Array:
        """Pixels inside, (rows, columns) bool over a box, ``scale`` pixels of the mask a photo pixel."""
        x0, y0, x1, y1 = box
        rows, columns = max(1, round((y1 - y0) * scale)), max(1, round((x1 - x0) * scale))
        inside = fill_ring((self.curve() - (x0, y0)) * scale, rows, columns)
        for hole in self.holes:
            inside &= ~fill_ring((self.curve(hole) - (x0, y0)) * scale, rows, columns)
        return inside


def from_mask(mask: Array, origin: tuple[int, int] = (0, 0), tolerance: float = 0.8, scale: float = 1.0) -> tuple[Outline, ...]:
    """Outlines of the parts of a mask (h, w) bool, the largest first.

    ``scale`` pixels of the photo a pixel of the mask, ``tolerance`` in photo pixels. Contours follow
    Suzuki and Abe (1985); half a pixel is added so that a ring encloses its own pixels.
    """
    work = cv2.resize(mask.astype(np.uint8), None, fx=2, fy=2, interpolation=cv2.INTER_NEAREST)
    rings, tree = cv2.findContours(work, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    if tree is None:
        return ()

    def points(contour: np.ndarray) -> RingPoints:
        p = (contour[:, 0].astype(float) + 0.5) / 2 * scale + origin
        return simplify_ring([(float(x), float(y)) for x, y in p], tolerance)

    found = []
    for k, contour in enumerate(rings):
        if tree[0][k][3] >= 0 or len(contour) < 4:
            continue
        area = cv2.contourArea(contour)
        holes, at = [], tree[0][k][2]
        while at >= 0:
            if cv2.contourArea(rings[at]) > max(32, _LEAST_HOLE * area):
                holes.append(points(rings[at]))
            at = tree[0][at][0]
        found.append((area, Outline(points(contour), False, tuple(holes))))
    return tuple(q for _, q in sorted(found, key=lambda q: -q[0]))


def _both(a: Outline, b: Outline) -> tuple[tuple[int, int, int, int], Array, Array, float]:
    p, q = a.box(), b.box()
    box = min(p[0], q[0]) - 1, min(p[1], q[1]) - 1, max(p[2], q[2]) + 1, max(p[3], q[3]) + 1
    scale = min(1.0, float(np.sqrt(_MOST_PX / ((box[2] - box[0]) * (box[3] - box[1])))))
    return box, a.mask(box, scale), b.mask(box, scale), scale


def join(a: Outline, b: Outline) -> Outline:
    """One outline round two that touch. Raises `AreaFault` when they lie apart."""
    box, p, q, k = _both(a, b)
    union = p | q
    parts, n = scipy.ndimage.label(union)
    if n > 1 and not (scipy.ndimage.binary_dilation(p, iterations=2) & q).any():
        raise AreaFault("The two outlines do not touch.", "Both stay as they are.", "Draw so that they overlap.")
    whole = scipy.ndimage.binary_closing(union, iterations=1) | union if n > 1 else union
    return from_mask(whole, box[:2], 0.8 / k, 1 / k)[0]


def clipped_to(a: Outline, animal: np.ndarray, to_photo: float) -> tuple[Outline, ...]:
    """An outline drawn in to what is animal: the parts of ``a`` that lie on it, the largest first.

    ``animal`` (h, w) bool covers the whole photo, each of its pixels ``to_photo`` photo pixels wide. Raises `AreaFault` when none lies on it.
    """
    box = a.box()
    scale = min(1.0, float(np.sqrt(_MOST_PX / ((box[2] - box[0]) * (box[3] - box[1])))))
    inside = a.mask(box, scale)
    y = np.clip(((box[1] + (np.arange(inside.shape[0]) + 0.5) / scale) / to_photo).astype(int), 0, animal.shape[0] - 1)
    x = np.clip(((box[0] + (np.arange(inside.shape[1]) + 0.5) / scale) / to_photo).astype(int), 0, animal.shape[1] - 1)
    found = from_mask(inside & animal[np.ix_(y, x)], box[:2], 0.8 / scale, 1 / scale)
    if not found:
        raise AreaFault(
            "The outline lies beside the animal.", "Nothing was changed.", "Draw it on the animal, or set the cut right in Study."
        )
    return found


def cut_away(a: Outline, b: Outline) -> tuple[Outline, ...]:
    """What is left of ``a`` without ``b``: its parts, the largest first; ``b`` inside ``a`` makes a hole.

    Raises `AreaFault` when nothing would be left, or when ``b`` does not meet ``a``.
    """
    box, p, q, k = _both(a, b)
    if not (p & q).any():
        raise AreaFault("The outline does not meet the area.", "The area stays as it is.", "Draw over the part that should go.")
    rest = p & ~q
    parts = [o for o in from_mask(rest, box[:2], 0.8 / k, 1 / k) if o.mask(box, k).sum() >= 64 * k * k]
    if not parts:
        raise AreaFault("Nothing would be left of the area.", "The area stays as it is.", "Delete it instead, or cut away less.")
    return tuple(parts)


def push(ring: Sequence[Point], at: Point, by: Point, radius: float) -> RingPoints:
    """A ring whose edge near ``at`` is pushed by a vector: whole at the middle, fading to nothing at ``radius`` pixels.

    The stretch that is pushed gets points every fifth of the radius first, so that a long straight edge can bend.
    """
    p = np.asarray(ring, float)
    step = max(radius / 5, 0.5)
    dense: list[Array] = []
    for a, b in zip(p, np.roll(p, -1, 0), strict=True):
        dense.append(a)
        length = float(np.hypot(*(b - a)))
        n = int(length // step)
        if n > 1:
            t = np.arange(1, n)[:, None] / n
            between = a + (b - a) * t
            dense.extend(between[np.hypot(*(between - at).T) < 1.6 * radius])
    q = np.asarray(dense)
    far = np.hypot(*(q - at).T) / radius
    weight = np.where(far < 1, (1 - np.clip(far, 0, 1) ** 2) ** 2, 0)
    q = q + weight[:, None] * np.asarray(by, float)
    return tuple((float(x), float(y)) for x, y in q)


@dataclass(frozen=True)
class Touchable:
    """A photo made ready for growing by touch: colour and texture of every pixel of a reduced copy, in comparable units."""

    features: Array
    scale: float


def touchable(pixels: np.ndarray) -> Touchable:
    """Features (h, w, 5) of a photo (h, w, 3) uint8: smoothed L*, a*, b*, grain and its coarser sister.

    Colour is averaged over about six hairs by a bilateral filter, which keeps the edges of markings; grain is the
    log of the local contrast at two sizes, which tells fur from skin and from a blurred ground.
    """
    k = min(1.0, _GROW_SIDE / max(pixels.shape[:2]))
    small = cv2.resize(pixels, None, fx=k, fy=k, interpolation=cv2.INTER_AREA) if k < 1 else pixels
    calm = cv2.bilateralFilter(cv2.medianBlur(small, 5), 9, 28, 5)
    lab = cv2.GaussianBlur(bytes_to_lab(calm).astype(np.float32), (0, 0), 1.5)
    lightness = bytes_to_lab(small)[..., 0].astype(np.float32)
    grain = []
    for sigma, wide in ((1.2, 6), (3.0, 12)):
        detail = lightness - cv2.GaussianBlur(lightness, (0, 0), sigma)
        grain.append(np.log2(np.sqrt(cv2.GaussianBlur(detail * detail, (0, 0), wide)) + 0.4))
    weight = np.array([0.75, 1.25, 1.25, 3.0, 2.0], np.float32)
    return Touchable(np.dstack([lab, *grain]).astype(np.float32) * weight, k)


def grow(ready: Touchable, at: Point, reach: float) -> Outline:
    """The connected region round a touched place (photo pixels) that looks like it.

    ``reach`` is how far colour and texture may differ, in about ΔE units: 6 is choosy, 25 takes much.
    The likeness follows the region slowly as it grows, so that a coat that darkens into the shade stays one.
    Raises `AreaFault` outside the photo or when almost nothing is alike.
    """
    f, k = ready.features, ready.scale
    h, w = f.shape[:2]
    x, y = int(at[0] * k), int(at[1] * k)
    if not (0 <= x < w and 0 <= y < h):
        raise AreaFault("That place lies outside the photo.", do="Touch the animal.")
    patch = f[max(0, y - _SEED_PX) : y + _SEED_PX + 1, max(0, x - _SEED_PX) : x + _SEED_PX + 1].reshape(-1, f.shape[2])
    seed = np.median(patch, 0)
    found = np.zeros((h, w), bool)
    for turn in range(3):
        away = f - seed
        alike = np.einsum("ijk,ijk->ij", away, away) < reach**2
        parts = cv2.connectedComponents(alike.astype(np.uint8), connectivity=4)[1]
        if not parts[y, x]:
            near = parts[max(0, y - 3) : y + 4, max(0, x - 3) : x + 4]
            near = near[near > 0]
            if not len(near):
                break
            label = int(np.bincount(near).argmax())
        else:
            label = int(parts[y, x])
        found = parts == label
        if turn < 2:
            seed = 0.6 * seed + 0.4 * np.median(f[found][:: max(1, int(found.sum()) // 4000)], 0)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (7, 7))
    calm = cv2.morphologyEx(cv2.morphologyEx(found.astype(np.uint8), cv2.MORPH_CLOSE, disc), cv2.MORPH_OPEN, disc)
    parts, n = scipy.ndimage.label(calm)
    if n and parts[y, x]:
        calm = parts == parts[y, x]
    elif n:
        calm = parts == 1 + int(np.argmax(np.bincount(parts.ravel())[1:]))
    if calm.sum() < 60:
        raise AreaFault("Almost nothing there looks alike.", "Nothing was added.", "Touch a calmer place, or drag outward to take more.")
    return from_mask(calm.astype(bool), (0, 0), 1.6 / k, 1 / k)[0]


def mirror_ring(ring: Sequence[Point], a: Point, b: Point) -> RingPoints:
    """A ring turned over across the line a–b.

    >>> mirror_ring([(1, 0), (2, 0), (2, 1)], (0, 0), (0, 5))[-1]
    (-1.0, 0.0)
    """
    p, o = np.asarray(ring, float), np.asarray(a, float)
    d = np.asarray(b, float) - o
    d = d / max(float(np.hypot(*d)), 1e-9)
    v = p - o
    q = o + 2 * (v @ d)[:, None] * d - v
    return tuple((float(x), float(y)) for x, y in q[::-1])


def place_twin(pixels: np.ndarray, area: Outline, a: Point, b: Point, reach: float = 0.9) -> tuple[Outline, float]:
    """The twin of an area across the line a–b, moved to where the photo resembles its mirror image, and the likeness 0–1.

    The mirrored patch is looked for by normalised cross-correlation (Lewis 1995) up to ``reach`` of its own size away.
    Below a likeness of .3 it stays where the mirror puts it. Raises `AreaFault` when that lies outside the photo.
    """
    twin = Outline(mirror_ring(area.ring, a, b), area.smooth, tuple(mirror_ring(h, a, b) for h in area.holes))
    x0, y0, x1, y1 = twin.box()
    h, w = pixels.shape[:2]
    if max(0, min(x1, w) - max(x0, 0)) * max(0, min(y1, h) - max(y0, 0)) < 0.6 * (x1 - x0) * (y1 - y0):
        raise AreaFault("Its other side would lie outside the photo.", "Nothing was added.", "Draw the twin by hand.")
    k = min(1.0, 160 / max(x1 - x0, y1 - y0))
    # the whole photo turned over across the line, then the patch where the twin lies
    o, d = np.asarray(a, float), np.asarray(b, float) - np.asarray(a, float)
    d = d / max(float(np.hypot(*d)), 1e-9)
    m = 2 * np.outer(d, d) - np.eye(2)
    shift = o - m @ o
    grow_x, grow_y = reach * (x1 - x0), reach * (y1 - y0)
    size = (max(8, round((x1 - x0) * k)), max(8, round((y1 - y0) * k)))
    to_patch = np.array([[1 / k, 0, x0], [0, 1 / k, y0]])
    source = np.column_stack([m @ to_patch[:, :2], m @ to_patch[:, 2] + shift])
    grey = cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY)
    patch = cv2.warpAffine(grey, source, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE)
    wide = (round((x1 - x0 + 2 * grow_x) * k), round((y1 - y0 + 2 * grow_y) * k))
    around = cv2.warpAffine(
        grey, np.array([[1 / k, 0, x0 - grow_x], [0, 1 / k, y0 - grow_y]]), wide,
        flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    likeness = cv2.matchTemplate(around, patch, cv2.TM_CCOEFF_NORMED)
    rows, columns = np.mgrid[0 : likeness.shape[0], 0 : likeness.shape[1]]
    middle = (likeness.shape[0] - 1) / 2, (likeness.shape[1] - 1) / 2
    far = np.hypot((rows - middle[0]) / max(middle[0], 1), (columns - middle[1]) / max(middle[1], 1))
    scored = likeness - 0.12 * far
    at = np.unravel_index(int(np.argmax(scored)), scored.shape)
    best = float(likeness[at])
    if not np.isfinite(best) or best < 0.3:
        return twin, max(0.0, best if np.isfinite(best) else 0.0)
    dx, dy = (at[1] - middle[1]) / k, (at[0] - middle[0]) / k
    move = lambda ring: tuple((float(np.clip(x + dx, 0, w)), float(np.clip(y + dy, 0, h))) for x, y in ring)  # noqa: E731
    return Outline(move(twin.ring), twin.smooth, tuple(move(q) for q in twin.holes)), best


def in_box(ring: Sequence[Point], box: tuple[float, float, float, float], flip: bool = False) -> RingPoints:
    """A ring in units of a box (0–1) placed in a box x, y, width, height of the photo, turned over when asked."""
    x, y, w, h = box
    return tuple((x + (1 - u if flip else u) * w, y + v * h) for u, v in ring)
