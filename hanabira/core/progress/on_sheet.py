"""The client's photo and its areas on the sheet's own millimetres: what a photo of the work is held against."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import cv2
import numpy as np

from hanabira.core.area.outline import Outline
from hanabira.core.area.shape import fill_ring, ring_area, smooth_ring
from hanabira.core.colour.spaces import Array, bytes_to_lab
from hanabira.core.forecast.portrait import LaidArea, PhotoLab, drawn_places, portrait
from hanabira.core.places.place import Places
from hanabira.core.progress.sheet_map import GRID

SEAM_MM = 14.0
"""Paper between outlines that is narrower belongs to the nearest area: no artist leaves it bare."""
PARTS = ("eye", "nose", "beak-and-cere")
"""Surfaces whose outline is a form of its own."""
DrawnAs = Callable[[tuple[int, int], tuple[float, float], float], PhotoLab]
"""What the photo shows of an area on a raster: (rows and columns, photo pixel of the first one, pixels of the raster a photo pixel)."""


@dataclass(frozen=True)
class TracedArea:
    """An area as it was traced: its outline in pixels of the photo, where it lies in the pile, and what the photo shows of it."""

    id: str
    number: int
    name: str
    surface: str
    outline: Outline
    level: int
    drawn_as: DrawnAs
    names: Mapping[str, str] = field(default_factory=dict)
    """Names of its places by id."""
    kept: frozenset[str] = frozenset()
    """Places that keep their paper."""

    @staticmethod
    def of(id: str, number: int, name: str, surface: str, outline: Outline, level: int, places: Places, scale: float = 1.0) -> TracedArea:
        """An area with its places as they were found in the photo; ``scale`` pixels of the outline's photo for one of theirs."""

        def drawn_as(shape: tuple[int, int], corner: tuple[float, float], k: float) -> PhotoLab:
            return drawn_places(places, shape, (corner[0] / scale, corner[1] / scale), k * scale)

        kept = frozenset(p.id for p in places if p.reserved)
        return TracedArea(
            id, number, name, surface=surface, outline=outline, level=level, drawn_as=drawn_as, names={p.id: p.name for p in places}, kept=kept,
        )


@dataclass(frozen=True)
class AreaOnSheet:
    """An area on the sheet's raster: ``inside`` (h, w) bool are its own pixels, seams included, ``core`` those within its outline."""

    id: str
    number: int
    name: str
    surface: str
    inside: np.ndarray
    core: np.ndarray
    drawn: PhotoLab
    names: Mapping[str, str] = field(default_factory=dict)
    kept: frozenset[str] = frozenset()

    def place_name(self, key: str) -> str:
        """A place in the artist's words."""
        return self.names.get(key, key)


@dataclass(frozen=True)
class OnSheet:
    """``size`` of the sheet in mm, its unpainted ``border_mm``, the raster's pixels a millimetre, the photo in Lab (h, w, 3) float32, the areas."""

    size: tuple[float, float]
    border_mm: float
    grid: float
    lab: Array
    areas: tuple[AreaOnSheet, ...]

    def picture(self, colours: Mapping[str, Mapping[str, Array]], paper_lab: Array) -> Array:
        """The sheet (h, w, 3) float32 Lab with these colours on it: by area, then by place; an area without colours is bare paper."""
        laid = [
            LaidArea(a.inside, a.drawn, {p: colours[a.id][p] for p in a.drawn.photo})
            for a in self.areas
            if a.id in colours and all(p in colours[a.id] for p in a.drawn.photo)
        ]
        out = np.broadcast_to(np.asarray(paper_lab, np.float32), self.lab.shape).copy()
        for q in laid:  # only its own box: the sheet is large and an eye is not
            ys, xs = np.nonzero(q.inside)
            if not len(ys):
                continue
            box = np.s_[ys.min() : ys.max() + 1, xs.min() : xs.max() + 1]
            labels = q.drawn.labels[box] if q.drawn.labels is not None else None
            part = LaidArea(q.inside[box], replace(q.drawn, labels=labels), q.paper)
            done = portrait(self.lab[box], np.asarray(paper_lab, float), [part])
            out[box][part.inside] = done[part.inside]
        return out


def on_sheet(
    pixels: np.ndarray, crop: tuple[float, float, float, float], size: tuple[float, float], border_mm: float, areas: Sequence[TracedArea], grid: float = GRID
) -> OnSheet:  # fmt: skip
    """The prepared photo (h, w, 3) uint8 and its areas on the sheet; ``crop`` is what of the photo lies on the paper, in its pixels."""
    nx, ny = int(size[0] * grid), int(size[1] * grid)
    x, y, w, _h = crop
    k = (size[0] - 2 * border_mm) / w * grid  # pixels of the raster a photo pixel
    corner = (x - border_mm * grid / k, y - border_mm * grid / k)
    move = np.array([[k, 0, -corner[0] * k], [0, k, -corner[1] * k]])
    soft = cv2.GaussianBlur(pixels, (0, 0), 0.4 / k) if k < 0.8 else pixels
    seen = cv2.warpAffine(soft, move, (nx, ny), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    painted = np.zeros((ny, nx), bool)
    edge = round(border_mm * grid)
    painted[edge : ny - edge, edge : nx - edge] = True
    owner = np.zeros((ny, nx), np.uint16)
    order = sorted(areas, key=lambda a: (a.level, -abs(ring_area(a.outline.ring))))
    for n, a in enumerate(order, 1):
        inside = fill_ring((_curve(a.outline, a.outline.ring) - corner) * k, ny, nx)
        for hole in a.outline.holes:
            inside &= ~fill_ring((_curve(a.outline, hole) - corner) * k, ny, nx)
        owner[inside & painted] = n
    whole_parts = [n for n, a in enumerate(order, 1) if a.surface in PARTS]
    traced, owner = owner, _seams_closed(owner, painted, grid, whole_parts)
    out = []
    for n, a in enumerate(order, 1):
        inside = owner == n
        drawn = a.drawn_as((ny, nx), corner, k)
        out.append(AreaOnSheet(
            a.id, a.number, a.name, surface=a.surface, inside=inside, core=traced == n, drawn=_filled(drawn, inside), names=a.names, kept=a.kept,
        ))
    out.sort(key=lambda a: a.number)
    return OnSheet(size, border_mm, grid, bytes_to_lab(seen), tuple(out))


def _curve(outline: Outline, ring: Sequence[tuple[float, float]]) -> Array:
    return smooth_ring(ring) if outline.smooth else np.asarray(ring, float)


def _seams_closed(owner: np.ndarray, painted: np.ndarray, grid: float, parts: Sequence[int]) -> np.ndarray:
    """Narrow paper between areas given to the nearest; an eye or a nose keeps its own outline, and what lies beside it is the coat's."""
    if not owner.any():
        return owner
    side = 2 * round(SEAM_MM / 2 * grid) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    pad = side
    closed = cv2.morphologyEx(np.pad((owner > 0).astype(np.uint8), pad), cv2.MORPH_CLOSE, disc)[pad:-pad, pad:-pad] > 0
    seam = closed & (owner == 0) & painted
    coat = np.where(np.isin(owner, parts), 0, owner)
    return np.where(seam, _nearest(coat if coat.any() else owner), owner)


def _nearest(labels: np.ndarray) -> np.ndarray:
    """Each pixel's own label, or that of the nearest pixel that has one."""
    _d, index = cv2.distanceTransformWithLabels((labels == 0).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    known = labels > 0
    table = np.zeros(int(index.max()) + 1, labels.dtype)
    table[index[known]] = labels[known]
    return np.asarray(table[index])


def _filled(drawn: PhotoLab, inside: np.ndarray) -> PhotoLab:
    """The map of places with the pixels that no place took given to the nearest."""
    if drawn.labels is None or not inside.any():
        return drawn
    ys, xs = np.nonzero(inside)
    box = np.s_[ys.min() : ys.max() + 1, xs.min() : xs.max() + 1]
    part = np.where(inside[box], drawn.labels[box], 0)
    if not part.any():
        return drawn
    labels = np.zeros_like(drawn.labels)
    labels[box] = np.where(inside[box], _nearest(part.astype(np.uint8)), 0)
    return replace(drawn, labels=labels)
