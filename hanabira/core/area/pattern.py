"""The marking separated from the ground coat: its outline as rings, its number, size, spacing and edge, its own colours."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import scipy

from hanabira.core.area.marking_features import two_tones
from hanabira.core.area.outline import Outline, from_mask
from hanabira.core.area.palette import PaletteColour, measure_palette
from hanabira.core.area.shape import Point, Region, fill_ring
from hanabira.core.colour.spaces import Array, bytes_to_lab

_SIDE = 520
_LEAST_PART = 0.0012


@dataclass(frozen=True)
class Pattern:
    """A marking and what it stands on. Lengths in photo pixels.

    ``outlines`` are rings with holes, the largest first. ``coverage`` is its share of the area. ``size_px`` is the
    median diameter of its parts, ``width_px`` twice the median depth inside them, ``spacing_px`` the median distance
    of a part to its nearest neighbour (None for a single part), ``edge_px`` how far its edge takes to change.
    Colours are median Lab.
    """

    outlines: tuple[Outline, ...]
    coverage: float
    count: int
    size_px: float
    width_px: float
    spacing_px: float | None
    edge_px: float
    lab: tuple[float, float, float]
    ground_lab: tuple[float, float, float]
    value_range: tuple[float, float]
    ground_range: tuple[float, float]
    palette: tuple[PaletteColour, ...] = ()
    """The marking's own colours with their shares of it."""

    @property
    def rings(self) -> tuple[tuple[Point, ...], ...]:
        """All rings, holes too, to trace."""
        return tuple(ring for o in self.outlines for ring in (o.ring, *o.holes))


def tone_of(lab: Array, mask: Array) -> Array:
    """One number a pixel that tells marking from ground: the principal axis of colour after the light's slow slope is taken off L*.

    Median and Gaussian at hair scale come first; 0.8 of a robust quadratic surface is removed.
    """
    h, w = mask.shape
    y, x = np.mgrid[-1 : 1 : h * 1j, -1 : 1 : w * 1j]
    basis = np.stack([np.ones_like(x), x, y, x * y, x * x, y * y], -1).astype(np.float32)
    b, values = basis[mask][::3], lab[..., 0][mask][::3]
    weight = np.ones(len(b))
    fit = np.zeros(6)
    for _ in range(4):
        root = np.sqrt(weight)[:, None]
        fit = np.linalg.lstsq(b * root, values * root[:, 0], rcond=None)[0]
        off = np.abs(values - b @ fit)
        scale = 1.4826 * float(np.median(off)) + 1e-3
        weight = 1 / (1 + (off / (2.5 * scale)) ** 2)
    flat = lab.copy()
    flat[..., 0] -= 0.8 * (basis @ fit - lab[..., 0][mask].mean())
    q = flat[mask] - flat[mask].mean(0)
    axis = np.linalg.eigh(q.T @ q / len(q))[1][:, 2]
    tone = ((flat - flat[mask].mean(0)) @ axis).astype(np.float32)
    return tone if axis[0] >= 0 else -tone


def reduced(region: Region, side: int) -> tuple[np.ndarray, np.ndarray]:
    """Pixels (h, w, 3) uint8 and mask (h, w) bool of a region on a copy of at most ``side`` pixels."""
    k = min(1.0, side / max(region.mask.shape))
    size = max(24, round(region.mask.shape[1] * k)), max(24, round(region.mask.shape[0] * k))
    pixels = cv2.resize(region.pixels, size, interpolation=cv2.INTER_AREA)
    return pixels, cv2.resize(region.mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0


def calm_tone(pixels: np.ndarray, mask: np.ndarray, sigma: float) -> Array:
    """`tone_of` the pixels without single hairs: a median, then a Gaussian that takes nothing from outside."""
    calm = bytes_to_lab(cv2.medianBlur(np.ascontiguousarray(pixels), 5)).astype(np.float32)
    return tone_of(inside_blur(calm, mask, sigma), mask)


def find_pattern(region: Region, edits: Sequence[tuple[str, Sequence[Point]]] = ()) -> Pattern | None:
    """The marking of a region; None when no part of it is left. ``edits`` are rings in photo pixels that were added or taken ``away``.

    Otsu's two tones, the parts smoothed to a shape a hand would draw; the marking is the side that covers less, or
    the one the artist's added ring lies on.
    """
    k = min(1.0, _SIDE / max(region.mask.shape))
    pixels, mask = reduced(region, _SIDE)
    size = mask.shape[1], mask.shape[0]
    if mask.sum() < 300:
        return None
    sharp = bytes_to_lab(pixels).astype(np.float32)
    tone = calm_tone(pixels, mask, max(1.4, 0.006 * np.sqrt(mask.sum())))
    limit, _, step, _ = two_tones(tone[mask])
    light = (tone > limit) & mask
    found = light if light.sum() <= 0.5 * mask.sum() else mask & ~light
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (3, 3))
    found = cv2.morphologyEx(cv2.morphologyEx(found.astype(np.uint8), cv2.MORPH_OPEN, disc), cv2.MORPH_CLOSE, disc) > 0
    found &= mask
    fx, fy = size[0] / region.mask.shape[1], size[1] / region.mask.shape[0]
    for how, ring in edits:
        inside = fill_ring((np.asarray(ring, float) - (region.left, region.top)) * (fx, fy), size[1], size[0]) & mask
        found = found | inside if how == "add" else found & ~inside
    found = without_crumbs(found, mask, max(6, int(_LEAST_PART * mask.sum())))
    if not found.any() or (mask & ~found).sum() < 20:
        return None
    return _described(found, mask, tone, sharp, region, 1 / k, abs(step))


def inside_blur(lab: Array, mask: Array, sigma: float) -> Array:
    """A Gaussian that takes nothing from outside the mask."""
    m = mask.astype(np.float32)
    weight = cv2.GaussianBlur(m, (0, 0), sigma) + 1e-4
    return cv2.GaussianBlur(lab * m[..., None], (0, 0), sigma) / weight[..., None]


def without_crumbs(found: Array, mask: Array, least: int) -> Array:
    """Both sides of a split without their parts of fewer pixels than ``least``: each goes to the other side."""
    out = found.copy()
    for side in (True, False):
        work = out if side else mask & ~out
        n, parts, stats, _ = cv2.connectedComponentsWithStats(work.astype(np.uint8), connectivity=8 if side else 4)
        small = np.isin(parts, [i for i in range(1, n) if stats[i, cv2.CC_STAT_AREA] < least])
        out = out & ~small if side else out | small
    return out


def _described(found: Array, mask: Array, tone: Array, lab: Array, region: Region, to_photo: float, step: float) -> Pattern:
    n, parts, stats, middles = cv2.connectedComponentsWithStats(found.astype(np.uint8), connectivity=8)
    areas = stats[1:, cv2.CC_STAT_AREA].astype(float)
    spacing = None
    if n > 2:
        near = scipy.spatial.cKDTree(middles[1:]).query(middles[1:], k=2)[0][:, 1]
        spacing = float(np.median(near)) * to_photo
    depth = cv2.distanceTransform(np.pad(found, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    ridge = (depth >= cv2.dilate(depth, np.ones((3, 3))) - 0.2) & found
    rim = (cv2.morphologyEx(found.astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0) & cv2.erode(
        mask.astype(np.uint8), np.ones((5, 5), np.uint8), borderValue=0
    ).astype(bool)
    slope = np.hypot(cv2.Sobel(tone, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(tone, cv2.CV_32F, 0, 1, scale=0.125))
    soft = 0.8 * step / max(float(np.median(slope[rim])), 1e-3) if rim.any() else 0.0
    ground = mask & ~found
    low_high = lambda v: (float(np.percentile(v, 5)), float(np.percentile(v, 95)))  # noqa: E731

    def middle(where: Array) -> tuple[float, float, float]:
        v = np.median(lab[where], 0)
        return float(v[0]), float(v[1]), float(v[2])

    return Pattern(
        from_mask(found, (region.left, region.top), 0.7 * to_photo, to_photo), float(found.sum() / mask.sum()), n - 1,
        size_px=float(np.median(2 * np.sqrt(areas / np.pi))) * to_photo, width_px=2 * float(np.median(depth[ridge])) * to_photo, spacing_px=spacing,
        edge_px=soft * to_photo, lab=middle(found), ground_lab=middle(ground), value_range=low_high(lab[..., 0][found]),
        ground_range=low_high(lab[..., 0][ground]), palette=measure_palette(lab[found]) if found.sum() >= 200 else (),
    )  # fmt: skip


def svg(rings: Sequence[Sequence[Point]], size: tuple[float, float], title: str, scale: float = 1.0, origin: Point = (0.0, 0.0)) -> str:
    """Rings as an SVG drawing of ``size`` in mm; points are moved by ``origin`` and multiplied by ``scale`` into mm."""
    from xml.sax.saxutils import escape

    path = " ".join(
        "M" + " L".join(f"{(x - origin[0]) * scale:.2f} {(y - origin[1]) * scale:.2f}" for x, y in ring) + " Z"
        for ring in rings
        if len(ring) > 2
    )
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{size[0]:.2f}mm" height="{size[1]:.2f}mm" viewBox="0 0 {size[0]:.2f} {size[1]:.2f}">\n'
        f"<title>{escape(title)}</title>\n"
        f'<path d="{path}" fill="none" fill-rule="evenodd" stroke="#000000" stroke-width="0.35"/>\n</svg>\n'
    )
