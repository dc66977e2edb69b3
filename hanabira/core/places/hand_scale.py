"""What a hand can lay, in millimetres of the drawing: sizes, colours gathered along the hair, maps without crumbs, the width of a run.

Places are looked for at a fixed size of the drawing, not of the photo: the same photo at half or double size gives the same places
(docs/methods/gestures.md).
"""

from __future__ import annotations

import base64
import zlib
from collections.abc import Mapping
from dataclasses import dataclass, replace

import cv2
import numpy as np

from hanabira.core.area.shape import Region, resized
from hanabira.core.colour.spaces import Array
from hanabira.core.places.place import Places


@dataclass(frozen=True)
class Least:
    """What a hand can still find again: least width of a piece (mm) and its least surface (mm²)."""

    width: float
    surface: float


@dataclass(frozen=True)
class HandScale:
    """Sizes of a hand's work in mm of the drawing; the craft data says why each is as it is.

    ``pitch_mm`` a pixel of the map of places; ``stroke_mm`` widths of a stroke at pressure 1 to 5, which lie ``apart`` of it from one another where a
    layer is closed, and whose gaps spread by the share ``uneven``; ``side_mm`` the side of a point; ``along_mm`` how far to each side colours are gathered along the hair; ``most_px`` pixels of a map's
    longer side at most; ``taper`` length of a stroke at most, in widths of its run. ``least`` by anatomy. ``coat`` and ``marking`` values at most; two are
    one under ``one_de`` (ΔE76), under ``one_dark_de`` where one is darker than ``dark_l`` (L*); a value under the share ``speck`` is none. A light of ``touch`` of the least
    surface is still set, as large as one touch of the point.
    """

    pitch_mm: float
    stroke_mm: tuple[float, ...]
    apart: float
    uneven: float
    side_mm: float
    along_mm: float
    most_px: int
    taper: float
    touch: float
    least: Mapping[str, Least]
    coat: int
    marking: int
    one_de: float
    one_dark_de: float
    dark_l: float
    speck: float


@dataclass(frozen=True)
class Hand:
    """A hand over one drawing: its sizes, and how many mm of the drawing a pixel of the photo is."""

    scale: HandScale
    mm_per_px: float


MOST_WIDTH, MOST_SURFACE = 0.12, 0.01
"""Least sizes as parts of a tiny area's side and surface: it is not swallowed whole."""
LIGHTS, TOUCHES = ("wet", "gloss"), 8.0
"""Words in the ids of small lights, and up to how many least surfaces one is small."""
ROUNDS = 4
"""Pieces that were given to a neighbour can leave another one too narrow, so often at most."""


def at_hand(region: Region, hand: Hand) -> tuple[Region, float]:
    """A region at the hand's pitch (never more than ``most_px``), with its millimetres a pixel."""
    pitch = max(hand.scale.pitch_mm, max(region.mask.shape) * hand.mm_per_px / hand.scale.most_px)
    return resized(region, hand.mm_per_px / pitch), pitch


def along_hair(lab: Array, mask: np.ndarray, mm: float, along_mm: float) -> Array:
    """Colours (h, w, 3) gathered along the run of the hair: means over short lines that follow the minor axis of the structure tensor.

    After line integral convolution (Cabral and Leedom 1993). ``mm`` is the width of a pixel; a line reaches ``along_mm`` to each side where the hair
    runs clearly and is a quarter as long where nothing runs anywhere. Outside the mask the colours stay as they are.
    """
    lab = lab.astype(np.float32)
    lightness = np.where(mask, lab[..., 0], float(lab[mask][:, 0].mean()) if mask.any() else 50.0).astype(np.float32)
    lightness = cv2.GaussianBlur(lightness, (0, 0), max(0.6, 0.3 / mm))
    gx, gy = cv2.Scharr(lightness, cv2.CV_32F, 1, 0), cv2.Scharr(lightness, cv2.CV_32F, 0, 1)
    sigma = max(1.5, 1.5 / mm)
    xx, yy, xy = (cv2.GaussianBlur(v, (0, 0), sigma) for v in (gx * gx, gy * gy, gx * gy))
    across = 0.5 * np.arctan2(2 * xy, xx - yy)
    clear = np.hypot(xx - yy, 2 * xy) / (xx + yy + 1e-6)
    ux, uy = (-np.sin(across)).astype(np.float32), np.cos(across).astype(np.float32)
    h, w = mask.shape
    y0, x0 = np.mgrid[:h, :w].astype(np.float32)
    weight = mask.astype(np.float32)
    coloured = lab * weight[..., None]
    total, norm = coloured.copy(), weight.copy()
    steps = max(1, round(along_mm / mm))
    for sign in (-1, 1):
        x, y, px, py = x0.copy(), y0.copy(), sign * ux, sign * uy
        for k in range(steps):
            x, y = x + px, y + py
            live = (k < steps * np.clip(1.6 * clear, 0.25, 1)).astype(np.float32)
            total += cv2.remap(coloured, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT) * live[..., None]
            norm += cv2.remap(weight, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT) * live
            nx, ny = cv2.remap(ux, x, y, cv2.INTER_NEAREST), cv2.remap(uy, x, y, cv2.INTER_NEAREST)
            turned = np.sign(nx * px + ny * py)  # an axis has no sense: go on walking the same way
            px, py = nx * turned, ny * turned
    out: Array = np.where(mask[..., None], total / np.maximum(norm, 1e-6)[..., None], lab)
    return out


def without_crumbs(labels: np.ndarray, mm: float, least: Least, kept: np.ndarray | None = None) -> np.ndarray:
    """A map (h, w) whose pieces a hand can find again: what is narrower or smaller than ``least`` goes to what lies next to it.

    ``kept`` are numbers that neither grow nor shrink. ``mm`` is the width of a pixel.
    """
    inside, out = labels > 0, labels.copy()
    side = float(np.sqrt(inside.sum())) * mm
    width, surface = min(least.width, MOST_WIDTH * side), min(least.surface, MOST_SURFACE * side * side)
    size = max(1, 2 * round(width / mm / 2) + 1)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))
    fixed = np.zeros_like(inside) if kept is None else np.isin(labels, kept)
    for _ in range(ROUNDS):
        before = out.copy()
        good = _findable(out, inside, disc, surface / (mm * mm), fixed)
        free = good & ~fixed
        if not free.any():
            return before
        _, near = cv2.distanceTransformWithLabels((~free).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
        table = np.zeros(int(near.max()) + 1, labels.dtype)
        table[near[free]] = out[free]
        out = np.where(inside & ~good, table[near], out)
        if (out == before).all():
            break
    return out.astype(labels.dtype)


def _findable(labels: np.ndarray, inside: np.ndarray, disc: np.ndarray, least_px: float, fixed: np.ndarray) -> np.ndarray:
    """Pixels of pieces that hold the disc and are large enough."""
    good, pad = fixed.copy(), len(disc) + 1
    for n in np.unique(labels[inside & ~fixed]):
        mine = (labels == n) & ~fixed
        # the outside of the area belongs to whoever touches it, so that its border narrows nothing
        grown = np.where(inside, mine, cv2.dilate(mine.astype(np.uint8), disc) > 0).astype(np.uint8)
        held = (cv2.morphologyEx(np.pad(grown, pad, mode="edge"), cv2.MORPH_OPEN, disc)[pad:-pad, pad:-pad] > 0) & mine
        _, pieces, stats, _ = cv2.connectedComponentsWithStats(held.astype(np.uint8), connectivity=4)
        large = np.flatnonzero(stats[:, cv2.CC_STAT_AREA] >= least_px)
        good |= held & np.isin(pieces, large[large > 0])
    return good


def cleaned(places: Places, hand: Hand, anatomy: str) -> Places:
    """Places on a map without crumbs; one that is left without a piece is gone, shares and boxes follow."""
    mm = places.scale * hand.mm_per_px
    kept = np.array([n for n, p in enumerate(places, 1) if p.reserved])
    labels = _touched(places, hand, anatomy) if anatomy in ("eye", "nose") else _without_specks(places, hand.scale.speck)
    labels = without_crumbs(labels, mm, hand.scale.least[anatomy], kept if len(kept) else None)
    out, numbers = [], np.zeros(len(places) + 1, np.uint8)
    whole = max(1, int((labels > 0).sum()))
    for n, p in enumerate(places, 1):
        ys, xs = np.nonzero(labels == n)
        if not len(ys):
            continue
        left, top = places.origin[0] + xs.min() * places.scale, places.origin[1] + ys.min() * places.scale
        box = (int(left), int(top), max(1, round((np.ptp(xs) + 1) * places.scale)), max(1, round((np.ptp(ys) + 1) * places.scale)))
        out.append(replace(p, share=len(ys) / whole, box=box))
        numbers[n] = len(out)
    return replace(places, all=tuple(out), labels=numbers[labels], mm=mm)


def _touched(places: Places, hand: Hand, anatomy: str) -> np.ndarray:
    """The map with small lights as large as one touch of the point: what is set at all is as wide as the hand's least."""
    out, mm, least = places.labels.copy(), places.scale * hand.mm_per_px, hand.scale.least[anatomy]
    for n, p in enumerate(places, 1):
        mine = places.labels == n
        surface = float(mine.sum()) * mm * mm
        if not p.reserved and any(word in p.id for word in LIGHTS) and hand.scale.touch * least.surface <= surface < TOUCHES * least.surface:
            size = max(1, 2 * round(least.width / mm / 2) + 1)
            grown = cv2.dilate(mine.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))) > 0
            out[grown & (places.labels > 0) & ~_kept(places)] = n
    return out


def _kept(places: Places) -> np.ndarray:
    return np.isin(places.labels, [n for n, p in enumerate(places, 1) if p.reserved])


def _without_specks(places: Places, speck: float) -> np.ndarray:
    """The map with specks given to the place of their group whose colour is nearest."""
    out = places.labels.copy()
    whole = (out > 0).sum()
    for n, p in sorted(enumerate(places, 1), key=lambda q: q[1].share):
        others = [(k, q) for k, q in enumerate(places, 1) if k != n and q.group == p.group and (out == k).any()]
        if p.kind != "part" and (out == n).sum() < speck * whole and len(others) > 1:
            out[out == n] = min(others, key=lambda q: float(np.linalg.norm(np.subtract(q[1].photo_lab, p.photo_lab))))[0]
    return out


def run_mm(where: np.ndarray, mm: float) -> float:
    """Width of a run (h, w bool) in mm: of each piece four times the mean distance to its border (exact for a strip), the median over its surface.

    >>> strip = np.zeros((40, 90), bool)
    >>> strip[10:20, 5:85] = True
    >>> round(run_mm(strip, 0.3), 1)
    3.2
    """
    padded = np.pad(where, 1).astype(np.uint8)
    n, pieces, stats, _ = cv2.connectedComponentsWithStats(padded, connectivity=8)
    if n < 2:
        return 0.0
    depth = cv2.distanceTransform(padded, cv2.DIST_L2, 5)
    size = stats[1:, cv2.CC_STAT_AREA].astype(float)
    wide = np.maximum(1, 4 * np.bincount(pieces.ravel(), depth.ravel(), n)[1:] / size - 1)
    order = np.argsort(wide)
    return float(wide[order][np.searchsorted(np.cumsum(size[order]), size.sum() / 2)] * mm)


def map_data(places: Places) -> dict[str, object]:
    """The map as plain data: mm a pixel, shape, ids, and the labels (a byte a pixel, 0 nothing, n the n-th id) as zlib in base64."""
    packed = base64.b64encode(zlib.compress(np.ascontiguousarray(places.labels).tobytes())).decode()
    return {"mm_a_pixel": places.mm, "shape": list(places.labels.shape), "ids": list(places.ids), "labels": packed}
