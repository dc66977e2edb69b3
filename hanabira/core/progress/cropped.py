"""A sheet whose edges are not all in the photo, placed by what is drawn on it: from the strip's pose, by likeness, then tile by tile."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
import scipy

from hanabira.core.colour.spaces import Array, bytes_to_lab
from hanabira.core.progress.sheet_map import GRID, SheetMap, by_corners
from hanabira.core.progress.strip import FIRST_MM, PATCH_MM, PITCH_MM, ROWS_MM, FoundStrip
from hanabira.core.token import SILENT, Token

LEAST_ECC = 0.85
"""Likeness of the drawing to the picture wanted below which the tiles are not even looked for."""
LEAST_TILES, LEAST_TILE, AGREE_MM, AGREE_SHARE = 12, 0.80, 0.4, 0.7
"""So many tiles of the drawing must be found, each at least so alike, and so large a share of them lie within so many mm of one map."""
SHOWN_SHARE = 0.55
"""Of what is begun, this share must lie in the photo."""
_COARSE, _FINE = 0.6, 1.8
_FORMS_MM = (1.5, 12.0)
_TILTS = (0.0, -3.0, 3.0, -6.0, 6.0)
_TILE_MM, _TILE_REACH_MM = 14.0, 2.0


@dataclass(frozen=True)
class _Plane:
    """The table as the strip sees it: L* (h, w) at ``scale`` pixels a millimetre, what of it the photo shows, mm of the strip at its corner."""

    lightness: Array
    shown: np.ndarray
    scale: float
    corner: Array

    def to_strip(self, px: Array) -> Array:
        """Millimetres of the strip of points (n, 2) of the plane."""
        return np.asarray(px, float) / self.scale + self.corner


def placed_by_drawing(
    photo: np.ndarray, strip: FoundStrip, size: tuple[float, float], wanted_l: Array, begun: np.ndarray, token: Token = SILENT
) -> SheetMap | None:
    """The map of a sheet that is cut off, from the picture wanted: its L* (h, w) at `GRID` pixels a millimetre and where anything is begun.

    Rough place by normalised correlation of forms of 2 to 15 mm over the table, a homography by enhanced correlation from coarse to fine (Evangelidis
    and Psarakis 2008, PAMI 30(10)), then tilt and lens by tiles of the drawing that are found one by one. None where the likeness is not sure enough,
    too little of the drawing shows, or the tiles do not agree: then its corners are asked for.
    """
    if begun.mean() < 0.02:
        return None
    table = _plane(photo, strip, size, _COARSE)
    token.report(0.12, "Placing what is drawn")
    rough = _rough(table, wanted_l, begun)
    if rough is None:
        return None
    fine = _plane(photo, strip, size, _FINE)
    token.report(0.2, "Placing what is drawn")
    way, like = _aligned(fine, wanted_l, begun, rough)
    if way is None or like < LEAST_ECC:
        return None
    w, h = size
    corners = strip.at(fine.to_strip(cv2.perspectiveTransform(np.array([[[0, 0], [w, 0], [w, h], [0, h]]], float) * _FINE, way)[0]))
    start = by_corners(photo, size, corners)
    token.report(0.28, "Placing what is drawn")
    return _by_tiles(photo, strip, start, wanted_l, begun)


def _plane(photo: np.ndarray, strip: FoundStrip, size: tuple[float, float], scale: float) -> _Plane:
    """The photo seen straight on from above the strip, as far as a sheet beside it can lie."""
    h, w = photo.shape[:2]
    reach = max(size) + 60.0
    back = np.linalg.inv(strip.to_photo)
    edge = np.array([[x * w, y * h] for x, y in ((0, 0), (0.5, 0), (1, 0), (1, 0.5), (1, 1), (0.5, 1), (0, 1), (0, 0.5))])
    far = cv2.perspectiveTransform(edge[None], back)[0]
    low = np.maximum(far.min(0), [-reach, -reach])
    high = np.minimum(far.max(0), [strip.mm[:, 0].max() + reach, strip.mm[:, 1].max() + reach])
    nx, ny = (int(v) for v in np.ceil((high - low) * scale))
    shift = np.array([[1 / scale, 0, low[0]], [0, 1 / scale, low[1]], [0, 0, 1]])
    to_photo = strip.to_photo @ shift
    soft = cv2.GaussianBlur(photo, (0, 0), max(0.8, 0.35 * strip.px_per_mm / scale))
    seen = cv2.warpPerspective(soft, to_photo, (nx, ny), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    shown = cv2.warpPerspective(np.ones((h, w), np.uint8), to_photo, (nx, ny), flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP) > 0
    return _Plane(bytes_to_lab(seen)[..., 0].astype(np.float32), shown, scale, low)


def _forms(lightness: Array, within: np.ndarray, scale: float) -> Array:
    """Forms of 2 to 15 mm of what lies ``within``; its rim casts none."""
    weight = within.astype(np.float32)

    def soft(mm: float) -> Array:
        return cv2.GaussianBlur(lightness * weight, (0, 0), mm * scale) / (cv2.GaussianBlur(weight, (0, 0), mm * scale) + 1e-3)

    return np.asarray((soft(_FORMS_MM[0]) - soft(_FORMS_MM[1])) * weight, np.float32)


def _rough(table: _Plane, wanted_l: Array, begun: np.ndarray) -> Array | None:
    """From pixels of the wanted picture at fine scale to those of the fine table (3, 3): the likeliest of all places and ways round."""
    k = _COARSE / GRID
    small = cv2.resize(wanted_l, None, fx=k, fy=k, interpolation=cv2.INTER_AREA).astype(np.float32)
    mask = cv2.resize(begun.astype(np.uint8), small.shape[::-1], interpolation=cv2.INTER_NEAREST)
    mask = cv2.dilate(mask, np.ones((5, 5), np.uint8))
    pad = max(small.shape)
    seen = cv2.copyMakeBorder(_forms(table.lightness, table.shown, _COARSE), pad, pad, pad, pad, cv2.BORDER_CONSTANT, value=0)
    h, w = small.shape
    side = int(np.ceil(np.hypot(h, w)))
    best: tuple[float, Array] | None = None
    for quarter in (0.0, 90.0, 180.0, 270.0):
        for tilt in _TILTS:
            turn = cv2.getRotationMatrix2D((w / 2, h / 2), quarter + tilt, 1.0)
            turn[:, 2] += np.array([(side - w) / 2, (side - h) / 2])
            wish = cv2.warpAffine(small, turn, (side, side), borderMode=cv2.BORDER_REPLICATE)
            near = cv2.warpAffine(mask, turn, (side, side), flags=cv2.INTER_NEAREST).astype(np.float32)
            wish = _forms(wish, np.ones_like(near, bool), _COARSE) * near
            strength = float((wish**2).sum())
            if strength < 1e-3 or min(seen.shape) <= side:
                continue
            along = cv2.matchTemplate(seen, wish, cv2.TM_CCORR)
            own = cv2.matchTemplate(seen**2, near, cv2.TM_CCORR)
            score = along / np.sqrt(np.maximum(own, 0.02 * strength) * strength)
            _low, top, _at, at = cv2.minMaxLoc(score)
            if best is None or top > best[0]:
                shift = turn.copy()
                shift[:, 2] += np.array(at) - pad
                best = (top, np.vstack([shift, [0, 0, 1]]))
    if best is None or best[0] < 0.3:
        return None
    up = np.diag([_FINE / _COARSE, _FINE / _COARSE, 1.0])
    return np.asarray(up @ best[1] @ np.linalg.inv(up))


def _aligned(table: _Plane, wanted_l: Array, begun: np.ndarray, start: Array) -> tuple[Array | None, float]:
    """The homography from the wanted picture to the table, and its likeness; None where it runs away."""
    k = _FINE / GRID
    wish = cv2.resize(wanted_l, None, fx=k, fy=k, interpolation=cv2.INTER_AREA).astype(np.float32)
    near = cv2.resize(begun.astype(np.uint8), wish.shape[::-1], interpolation=cv2.INTER_NEAREST)
    near = cv2.dilate(near, np.ones((2 * int(4 * _FINE) + 1,) * 2, np.uint8))
    way, like = start.astype(np.float32), 0.0
    h, w = table.lightness.shape
    for blur in (21, 9, 5):
        mask = cv2.warpPerspective(near, way.astype(float), (w, h), flags=cv2.INTER_NEAREST) * table.shown.astype(np.uint8)
        if mask.sum() < SHOWN_SHARE * near.sum() * abs(np.linalg.det(way[:2, :2].astype(float))):
            return None, 0.0
        try:
            like, way = cv2.findTransformECC(
                wish, table.lightness, way, cv2.MOTION_HOMOGRAPHY, (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 1e-5), mask, blur
            )
        except cv2.error:
            return None, 0.0
    return way.astype(float), float(like)


def _by_tiles(photo: np.ndarray, strip: FoundStrip, start: SheetMap, wanted_l: Array, begun: np.ndarray) -> SheetMap | None:
    """Tilt and lens by tiles of the drawing, each found for itself near where the first map has it."""
    found = replace(start, edge_mm=edge_of_strip(photo, strip))
    for _ in range(2):
        mm, px, _like = _tiles(photo, found, wanted_l, begun)
        if len(mm) < LEAST_TILES:
            return None
        found = _fitted(found, mm, px)
    mm, px, _like = _tiles(photo, found, wanted_l, begun)
    if len(mm) < LEAST_TILES:
        return None
    miss = np.hypot(*(found.to_photo(mm) - px).T) / found.px_per_mm
    if (miss < AGREE_MM).mean() < AGREE_SHARE:
        return None
    return replace(found, residual_mm=1.48 * float(np.median(miss)), found_by="drawing")


def edge_of_strip(photo: np.ndarray, strip: FoundStrip) -> float:
    """Width in mm, from 10 to 90 % of its step, of the printed edges between the strip's darkest greys and the white above them."""
    along = np.arange(-2.0, 2.01, 0.05)
    widths = []
    for k in range(3):
        x = FIRST_MM + k * PITCH_MM + PATCH_MM[0] * np.linspace(0.2, 0.8, 9)
        at = strip.at(np.stack(np.meshgrid(x, ROWS_MM[0] + along), -1).reshape(-1, 2)).astype(np.float32)
        seen = cv2.remap(photo, at[:, 0].reshape(len(along), -1), at[:, 1].reshape(len(along), -1), cv2.INTER_LINEAR).astype(float).mean(-1)
        line = seen.mean(1)
        low, high = float(line[along > 0].min()), float(line[along < 0].max())
        slope = float(np.abs(np.gradient(line, along)).max())
        if high - low > 30 and slope > 0:
            widths.append(2.563 * (high - low) / (2.5066 * slope))  # of a step blurred by a Gaussian
    return min(widths) if widths else 0.0


def _tiles(photo: np.ndarray, found: SheetMap, wanted_l: Array, begun: np.ndarray) -> tuple[Array, Array, Array]:
    """Middles of tiles in mm (n, 2), where each is found in the photo (n, 2), and how alike it is there (n,)."""
    flat = bytes_to_lab(np.clip(found.flat(photo) * 255, 0, 255).astype(np.uint8))[..., 0].astype(np.float32)
    shown = found.shown()
    side, reach = int(_TILE_MM * GRID), int(_TILE_REACH_MM * GRID)
    mm, at, likes = [], [], []
    for y in range(reach, wanted_l.shape[0] - side - reach, side // 2):
        for x in range(reach, wanted_l.shape[1] - side - reach, side // 2):
            box = np.s_[y : y + side, x : x + side]
            wide = np.s_[y - reach : y + side + reach, x - reach : x + side + reach]
            tile = wanted_l[box].astype(np.float32)
            if begun[box].mean() < 0.5 or not shown[wide].all() or _weakest_way(tile) < 0.6:
                continue
            score = cv2.matchTemplate(flat[wide], tile, cv2.TM_CCOEFF_NORMED)
            _low, top, _a, (j, i) = cv2.minMaxLoc(score)
            if top < LEAST_TILE or not (0 < i < 2 * reach and 0 < j < 2 * reach):
                continue
            off = np.array([_peak(score[i, j - 1 : j + 2]) + j - reach, _peak(score[i - 1 : i + 2, j]) + i - reach]) / GRID
            middle = np.array([(x + side / 2) / GRID, (y + side / 2) / GRID])
            mm.append(middle)
            at.append(middle + off)
            likes.append(top)
    if not mm:
        return np.zeros((0, 2)), np.zeros((0, 2)), np.zeros(0)
    return np.array(mm), found.to_photo(np.array(at)), np.array(likes)


def _weakest_way(tile: Array) -> float:
    """How much a tile changes along its flattest direction (L* a pixel): along a plain edge it could slide."""
    gx, gy = cv2.Sobel(tile, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(tile, cv2.CV_32F, 0, 1, scale=1 / 8)
    xx, yy, xy = float((gx * gx).mean()), float((gy * gy).mean()), float((gx * gy).mean())
    return float(np.sqrt(max(0.0, (xx + yy) / 2 - np.hypot((xx - yy) / 2, xy))))


def _peak(three: Array) -> float:
    """Where a parabola through three values is highest, −.5 to .5 from the middle one."""
    a, b, c = (float(v) for v in three)
    bow = a - 2 * b + c
    return 0.0 if bow >= 0 else float(np.clip(0.5 * (a - c) / bow, -0.5, 0.5))


def _fitted(start: SheetMap, mm: Array, px: Array) -> SheetMap:
    """Tilt and lens that lead each tile's middle to where it was found (soft L1); the lens is held near none where tiles cannot tell it."""
    scale = start.px_per_mm

    def mapped(q: Array) -> SheetMap:
        return replace(start, tilt=np.append(q[:8], 1).reshape(3, 3), lens=float(q[8]))

    def residuals(q: Array) -> Array:
        return np.concatenate([((mapped(q).to_photo(mm) - px) / scale).ravel(), [q[8] / 0.03]])

    first = np.r_[start.tilt.ravel()[:8], start.lens]
    return mapped(scipy.optimize.least_squares(residuals, first, loss="soft_l1", f_scale=0.15, x_scale="jac", max_nfev=60).x)
