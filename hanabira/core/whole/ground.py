"""What a cut-out animal is parted by: colour at hand scale, grain, the way of the hair, place, and the parts of a face where it is known.

Everything is worked out at one working size and inside the animal alone, so that nothing of the ground comes in at its edge. Method and figures:
docs/methods/whole_animal.md.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.area.hair import direction_field
from hanabira.core.colour.spaces import Array, bytes_to_lab
from hanabira.core.faults import AreaFault
from hanabira.core.whole.face import Face

WORK_SIDE, MOST_ENLARGED = 330.0, 1.6
"""Square root of the animal's pixels at which it is parted, and how far a small one is enlarged for it."""
PAD = 4
HAND_MM, HAND_PX = 1.6, (2.0, 7.0)
"""What a hand sees as one tone, and between which working pixels that is kept."""
HAIR_MM = 0.8
"""Hairs and notches at the animal's edge narrower than twice this are left to the hand."""
LEAST_PX, CRUMB = 400, 0.004
"""Fewer pixels are no animal; a piece that lies apart and is a smaller share of it is dropped."""
WAY_PX, GRAIN_PX, FINE_PX = 6.0, 6.0, 1.6
"""Widths (σ, working pixels) over which the way of the hair and the contrast of its detail are gathered, and under which detail is."""
VALUE, HUE = 0.8, 1.2
"""Weights of L* and of a*, b*: light falls over one coat, colour seldom does."""
TURN, GRAIN, LENGTH = 17.0, 3.0, 26.0
"""ΔE76 that hair turned by a right angle, a doubling of local contrast and the animal's own length stand for."""
BY_FORM = (0.45, 2.0, 3.5)
"""By form: how much colour still counts, how much more place does, and over how many hands' breadths a tone is evened first."""
LEAST_UNIT_MM = 13.0
"""A face whose eyes lie nearer together on the paper is drawn as one."""


@dataclass(frozen=True)
class Ground:
    """The animal at working size (h, w): its ``mask``, ``fine`` Lab, ``features`` (h, w, n) in ΔE76, ``edges`` between them; photo = work / ``k`` + ``origin``.

    ``px_per_mm`` are working pixels a mm on the paper, ``apart`` the masks of what lies on top (eyes, nose), ``head`` the part of a known face at each pixel
    (`Face.parts`).
    """

    mask: np.ndarray
    fine: Array
    features: Array
    edges: Array
    k: float
    origin: tuple[float, float]
    px_per_mm: float
    apart: tuple[np.ndarray, ...] = ()
    head: np.ndarray | None = None

    def to_photo(self, points: Array) -> Array:
        """Working pixels (n, 2) as pixels of the photo."""
        return np.asarray(points, float) / self.k + self.origin


def ground(pixels: np.ndarray, coverage: Array, mm_per_px: float, apart: tuple[np.ndarray, ...] = (), face: Face | None = None, by_form: bool = False) -> Ground:
    """Features of an animal. ``pixels`` (h, w, 3) uint8 sRGB, ``coverage`` (h, w) 0–1, ``mm_per_px`` on the paper, ``apart`` masks (h, w) bool of the photo.

    ``by_form`` parts by the body and the way of the hair: markings then stay inside an area. Raises `AreaFault` where there is no animal.
    """
    animal = coverage > 0.5
    if animal.sum() < LEAST_PX:
        raise AreaFault("No animal was found inside the loop.", "Nothing was parted.", "Draw the loop round the animal, a little outside.")
    ys, xs = np.flatnonzero(animal.any(1)), np.flatnonzero(animal.any(0))
    x0, y0 = max(0, int(xs[0]) - PAD), max(0, int(ys[0]) - PAD)
    x1, y1 = min(animal.shape[1], int(xs[-1]) + 1 + PAD), min(animal.shape[0], int(ys[-1]) + 1 + PAD)
    k = min(MOST_ENLARGED, WORK_SIDE / float(np.sqrt(animal.sum())))
    size = max(24, round((x1 - x0) * k)), max(24, round((y1 - y0) * k))
    small = cv2.resize(np.ascontiguousarray(pixels[y0:y1, x0:x1]), size, interpolation=cv2.INTER_AREA if k < 1 else cv2.INTER_CUBIC)
    mask = cv2.resize(np.ascontiguousarray(coverage[y0:y1, x0:x1], np.float32), size, interpolation=cv2.INTER_AREA) > 0.5
    px_per_mm = k / mm_per_px
    # single hairs at the edge of the fur are no outline
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * max(1, round(HAIR_MM * px_per_mm)) + 1,) * 2)
    mask = cv2.morphologyEx(cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_CLOSE, disc), cv2.MORPH_OPEN, disc) > 0
    n, pieces, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8))
    mask = np.isin(pieces, [i for i in range(1, n) if stats[i, cv2.CC_STAT_AREA] > CRUMB * mask.sum()])
    on_top = tuple(cv2.resize(np.ascontiguousarray(q[y0:y1, x0:x1], np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0 for q in apart)
    free = mask & ~np.any(on_top, axis=0) if on_top else mask
    fine = bytes_to_lab(small).astype(np.float32)
    planes = [*_tones(small, free, px_per_mm, by_form), *_hair(fine, mask), *_places(mask, by_form)]
    features = np.dstack(planes).astype(np.float32)
    # of colour and of the way of the hair; grain is gathered too widely to draw an edge, and place has none
    slopes = [cv2.Sobel(features[..., i], cv2.CV_32F, 1, 0) ** 2 + cv2.Sobel(features[..., i], cv2.CV_32F, 0, 1) ** 2 for i in (0, 1, 2, 4, 5)]
    edges = within(np.sqrt(np.sum(slopes, axis=0)).astype(np.float32) / 8, mask, 0.6 * max(1.5, px_per_mm))
    head = np.zeros(mask.shape, np.int32)
    if face is not None and face.unit * mm_per_px >= LEAST_UNIT_MM:
        head = face.scaled(k, (x0, y0)).parts(mask)
    return Ground(mask, fine, features, edges, k, (float(x0), float(y0)), px_per_mm, on_top, head)


def within(planes: Array, mask: np.ndarray, sigma: float) -> Array:
    """Planes (h, w) or (h, w, n) smoothed by a Gaussian of ``sigma`` pixels without taking anything from outside the mask."""
    soft = mask.astype(np.float32)
    deep = planes.ndim == 3
    weight = cv2.GaussianBlur(soft, (0, 0), sigma) + 1e-4
    out = cv2.GaussianBlur(planes * (soft[..., None] if deep else soft), (0, 0), sigma)
    return np.asarray(out / (weight[..., None] if deep else weight))


def _tones(small: np.ndarray, free: np.ndarray, px_per_mm: float, by_form: bool) -> list[Array]:
    """L*, a*, b* as a hand sees them, nothing of eyes and nose in them; by form they are evened over a wide stretch, so patches and stripes are levelled."""
    hand = float(np.clip(HAND_MM * px_per_mm, *HAND_PX))
    calm = bytes_to_lab(cv2.bilateralFilter(cv2.medianBlur(small, 5), 9, 26, 5)).astype(np.float32)
    counts, _place, wide = BY_FORM
    lab = within(calm, free, hand * (wide if by_form else 1.0)) * (counts if by_form else 1.0)
    return [VALUE * lab[..., 0], HUE * lab[..., 1], HUE * lab[..., 2]]


def _hair(fine: Array, mask: np.ndarray) -> list[Array]:
    """The contrast of fine detail (log₂) and the way of the hair as a doubled angle, as far as it is sure."""
    detail = fine[..., 0] - within(fine[..., 0], mask, FINE_PX)
    grain = np.log2(np.sqrt(np.maximum(within(detail**2, mask, GRAIN_PX), 0)) + 0.6)
    field = direction_field(fine[..., 0], mask)
    z = field.coherence * np.exp(2j * np.radians(field.direction_deg)) * field.sure
    way = [cv2.resize(p.astype(np.float32), mask.shape[::-1], interpolation=cv2.INTER_LINEAR) for p in (z.real, z.imag)]
    return [GRAIN * grain, *(0.7 * TURN * within(p, mask, WAY_PX) for p in way)]


def _places(mask: np.ndarray, by_form: bool) -> list[Array]:
    """Where a pixel lies, in the animal's own length."""
    yy, xx = np.mgrid[0 : mask.shape[0], 0 : mask.shape[1]].astype(np.float32)
    unit = LENGTH / 2 * (BY_FORM[1] if by_form else 1.0) / float(np.sqrt(mask.sum()))
    return [unit * xx, unit * yy]
