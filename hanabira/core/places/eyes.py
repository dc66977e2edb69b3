"""Places of an eye: pupil, rim, iris by rings and sectors, catchlight with its edge, wet line, lid shadow, lids, fur.

Parts that a small move of the clicks would add or take away are not shown: neighbours that differ by less than `JOIN_DE` are one place.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np

from hanabira.core.area.eye import EyeFrame, catchlight_of, eye_frame, pupil_of, wet_line_of
from hanabira.core.area.eye_shine import reflections
from hanabira.core.area.shape import Point, Region
from hanabira.core.colour.spaces import Array
from hanabira.core.places.place import Places
from hanabira.core.places.sample import LEAST_PX, FoundPlace, described, two_clusters

JOIN_DE = 7.0
"""ΔE76 under which two parts of an iris are one: moving the click by a seventh of the radius moves their colours by as much."""
LID_DE = 30.0
"""Pixels within the circle that lie farther than this from the iris's middle colour are lid, lash or fur."""
SHINE_L = 45.0
"""A pupil lighter than this shines back a flash."""
SHINE_SHARE = (0.06, 0.6)
"""Share of the iris's disc that such a pupil takes."""
CORE_PERCENT = 60
"""Pixels of a catchlight brighter than this share of it are its core; the rest is its tinted edge."""
GUESSED_SHARES = (0.35, 0.39)
"""Radii at which an eye is looked for, as shares of the shorter side of its area: a loop may run close round it or include the lids.

With loops of 1.15, 1.35 and 1.6 radii round 13 eyes of real photographs the radius was within a tenth in 49 % and within a fifth in 90 % (33 and 41 % when
eight shares were tried and the likeliest eye was chosen).
"""
GUESSED_LIGHT = (0.004, 0.2)
"""Share of the disc that a catchlight takes."""
MELTED = 0.06
"""Least share of the disc for the darker of two colours to be a pupil of its own."""


def eye_places(photo: np.ndarray, region: Region, clicks: Sequence[Point] = ()) -> Places:
    """Places of an eye. ``clicks`` are its centre and a place on its rim in photo pixels; without them the circle is looked for."""
    clicked = len(clicks) == 2
    if clicked:
        (cx, cy), (rx, ry) = clicks
        centre, radius = (float(cx), float(cy)), float(np.hypot(rx - cx, ry - cy))
    else:
        centre, radius = guessed_circle(photo, region)
    f = eye_frame(photo, centre, max(5.0, radius))
    # once more from the fitted circle, so that the answer hangs less on the click
    f = eye_frame(photo, f.centre, max(5.0, f.radius / f.k))
    inside = _covered(f, region)
    found, notes = _parts(f, inside, reflections(photo, f.centre, f.radius / f.k).shine)
    notes = notes if clicked else [*notes, "place.eye-guessed"]
    labels = np.zeros(f.rho.shape, np.uint8)
    for n, part in enumerate(found, 1):
        labels[part.core & (labels == 0)] = n
    left = inside & (labels == 0)
    if left.any() and found:
        labels[left] = _spread(labels)[left]
    return described(found, np.where(inside, labels, 0).astype(np.uint8), f.lab, inside, f.origin, 1 / f.k, notes)


def guessed_circle(photo: np.ndarray, region: Region) -> tuple[Point, float]:
    """Centre and radius of the eye in an area drawn round it: of the circles fitted to several radii the one that is most like an eye's.

    Such a circle has a step across it, an even and more strongly coloured ring within it, and a catchlight. By lightness alone the edge
    of the pupil wins on dark coats.
    """
    h, w = region.mask.shape
    middle = (region.left + w / 2, region.top + h / 2)
    best: tuple[float, Point, float] | None = None
    for share in GUESSED_SHARES:
        f = eye_frame(photo, middle, max(5.0, share * min(w, h) * (1.0 if w < 1.6 * h else 1.1)))
        outer, inner = f.lab[(f.rho > 1.08) & (f.rho < 1.3)], f.lab[(f.rho > 0.7) & (f.rho < 0.95)]
        without, within = np.median(outer, 0), np.median(inner, 0)
        step = float(without[0] - within[0])
        richer = float(np.hypot(*within[1:]) - np.hypot(*without[1:]))
        lit = GUESSED_LIGHT[0] < f.light.sum() / max(1, (f.rho < 1).sum()) < GUESSED_LIGHT[1]
        score = 0.4 * abs(step) + 0.15 * max(0.0, step) + 0.8 * float(np.clip(richer, -10, 15)) - 0.7 * float(inner[:, 0].std()) + 18 * lit
        if best is None or score > best[0]:
            best = score, f.centre, f.radius / f.k
    assert best is not None
    return best[1], best[2]


def _covered(f: EyeFrame, region: Region) -> np.ndarray:
    """Pixels of the frame that lie in the area."""
    h, w = region.mask.shape
    n = f.rho.shape[0]
    x = np.floor(f.origin[0] + np.arange(n) / f.k - region.left).astype(int)
    y = np.floor(f.origin[1] + np.arange(n) / f.k - region.top).astype(int)
    on = np.zeros((n, n), bool)
    ok_x, ok_y = (x >= 0) & (x < w), (y >= 0) & (y < h)
    on[np.ix_(ok_y, ok_x)] = region.mask[np.ix_(y[ok_y], x[ok_x])]
    return on


def _spread(labels: np.ndarray) -> np.ndarray:
    """Each pixel with the label of the nearest labelled one."""
    _, near = cv2.distanceTransformWithLabels((labels == 0).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    table = np.zeros(near.max() + 1, np.uint8)
    table[near[labels > 0]] = labels[labels > 0]
    return table[near]


def _turned(angle: Array, towards: float) -> Array:
    return np.abs((angle - towards + 180) % 360 - 180)


def _parts(f: EyeFrame, inside: np.ndarray, shines: bool) -> tuple[list[FoundPlace], list[str]]:
    """What an eye is planned by, in the order in which pixels are given away. ``shines`` says that its pupil throws back a flash."""
    shine = _shine(f) if shines else None
    if shine is not None:
        f = replace(f, light=f.light & ~shine)
    lab, rho, angle, light = f.lab, f.rho, f.angle, f.light
    notes: list[str] = []

    def median(where: np.ndarray) -> Array:
        return np.median(lab[where], 0)

    def differ(a: np.ndarray, b: np.ndarray) -> float:
        return float(np.linalg.norm(median(a) - median(b)))

    disc = (rho < 0.97) & inside & ~light
    if disc.sum() < 60:
        return [FoundPlace("lid skin", "skin of the lids", "part", "skin", inside)], notes
    pupil, pupil_radius = _pupil(f, disc)
    if shine is not None:
        pupil, pupil_radius = shine & inside, float(np.sqrt(shine.sum() / max(1, (rho < 1).sum())))
    whole = disc & ~pupil
    # lids and lashes within the circle leave the iris
    base = whole & (rho > max(pupil_radius or 0.0, 0.3)) & (rho < 0.9)
    core = median(base if base.sum() > 30 else disc)
    lids = disc & ~pupil & (rho > max((pupil_radius or 0.0) + 0.05, 0.45)) & (np.linalg.norm(lab - core, axis=-1) > LID_DE)
    lids = lids if lids.sum() > 0.02 * disc.sum() else np.zeros_like(lids)
    iris = whole & ~lids & (rho < 0.9)
    melted = pupil.sum() < 40
    parts: dict[str, tuple[str, np.ndarray]] = {}
    if melted:
        parts["pupil"] = ("pupil and iris", iris)
        iris = np.zeros_like(iris)
    else:
        parts["pupil"] = ("pupil", pupil & ~lids)
        if shines:
            notes.append("place.eye-shine")
    floor = pupil_radius if pupil_radius is not None else 0.35
    if iris.sum() > 40:
        middle = floor + 0.5 * (0.9 - floor)
        glint = catchlight_of(lab, light, rho, angle, f.radius)
        away = (glint.angle_deg + 180) % 360 if glint is not None else 270.0
        low = iris & (_turned(angle, away) < 45) & (rho > 0.4)
        if low.sum() > 60 and (iris & ~low).sum() > 140 and differ(low, iris & ~low) > JOIN_DE:
            parts["iris lower"] = ("iris opposite the light" if glint is not None else "lower iris", low)
            iris = iris & ~low
        shade = iris & (_turned(angle, 90) < 45) & (rho > 0.55)
        if shade.sum() > 60 and (iris & ~shade).sum() > 60 and median(iris & ~shade)[0] - median(shade)[0] > JOIN_DE:
            parts["lid shadow"] = ("shadow under the lid", shade)
            iris = iris & ~shade
        inner = iris & (rho < middle)
        outer = iris & ~inner
        if min(inner.sum(), outer.sum()) > 40 and differ(inner, outer) > JOIN_DE:
            parts["iris inner"], parts["iris outer"] = ("iris round the pupil", inner), ("outer iris", outer)
        elif iris.sum() > 40:
            parts["iris outer"] = ("iris", iris)
    irises = [m for key, (_, m) in parts.items() if key.startswith("iris")]
    ground = np.any(irises, 0) if irises else parts["pupil"][1]
    rim = inside & (rho >= 0.88) & (rho < 1.06) & ~light & ~lids
    dark = rim & (lab[..., 0] < median(ground)[0] + 4)
    if dark.sum() > 120:
        parts["rim"] = ("rim", dark)
    out = [FoundPlace(key, name, "part", "eye", where) for key, (name, where) in parts.items() if where.sum() >= LEAST_PX]
    out = [*_light(f, inside), *out]
    taken = np.any([q.core for q in out], 0)
    wet = wet_line_of(lab[..., 0], f.cx, f.cy, f.radius)
    strip = inside & (rho > 0.92) & (rho < 1.4) & (angle > 205) & (angle < 335)
    if wet > 5 and strip.sum() > 50:
        line = strip & (lab[..., 0] > cv2.GaussianBlur(lab[..., 0], (0, 0), 5) + 0.5 * wet) & ~taken
        if line.sum() > 25:
            out.append(FoundPlace("wet line", "wet line of the lower lid", "part", "eye", line))
            taken = taken | line
    rest = (inside & ~taken & ~light & (rho > 1.0)) | (lids & inside)
    return [*out, *_lids(lab, rest)], notes


def _shine(f: EyeFrame) -> np.ndarray | None:
    """A pupil that shines back a flash: a bright disc round the middle, larger and more central than any catchlight."""
    bright = f.light | ((f.lab[..., 0] > SHINE_L) & (f.rho < 0.3))
    _, parts = cv2.connectedComponents((bright & (f.rho < 0.9)).astype(np.uint8))
    middle = parts[(f.rho < 0.12) & (parts > 0)]
    if not len(middle):
        return None
    found = parts == int(np.bincount(middle).argmax())
    iris = f.lab[..., 0][(f.rho > 0.6) & (f.rho < 0.85)]
    whole = float(found.sum()) / max(1, (f.rho < 1).sum())
    central = float(np.mean(f.rho[found])) < 0.45 and float((found & (f.rho < 0.25)).sum()) > 0.8 * float((f.rho < 0.25).sum())
    lit = float(np.median(f.lab[..., 0][found])) > max(SHINE_L, float(np.median(iris)) + 12)
    return found if central and lit and SHINE_SHARE[0] < whole < SHINE_SHARE[1] else None


def _pupil(f: EyeFrame, disc: np.ndarray) -> tuple[np.ndarray, float | None]:
    """The pupil's pixels and its radius as a share of the iris: by the step of lightness, or on a dark iris by colour."""
    _form, _ratio, _axis, found, radius = pupil_of(f.lab, f.rho, f.light)
    found = found & disc
    if radius is not None and found.sum() >= 40:
        return found, radius
    # a dark iris is told from its pupil by colour: there a*b* counts more than L*
    area = disc & (f.rho < 0.92)
    index = np.flatnonzero(area)
    weighted = f.lab.reshape(-1, 3)[index] * (1, 1.6, 1.6)
    second, gap, least = two_clusters(weighted)
    if gap < 12 or least < MELTED:
        return np.zeros_like(disc), None
    sides = [index[second], index[~second]]
    strength = [float(np.median(f.lab.reshape(-1, 3)[q, 0]) + 0.5 * np.hypot(*np.median(f.lab.reshape(-1, 3)[q, 1:], 0))) for q in sides]
    dark = sides[int(np.argmin(strength))]
    flat = np.zeros(disc.size, bool)
    flat[dark] = True
    mask: np.ndarray = flat.reshape(disc.shape)
    disc_px = np.ones((5, 5), np.uint8)
    mask = cv2.morphologyEx(cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, disc_px), cv2.MORPH_CLOSE, disc_px) > 0
    _, parts = cv2.connectedComponents((mask & disc).astype(np.uint8))
    near = parts[(f.rho < 0.45) & (parts > 0)]
    if not len(near):
        return np.zeros_like(disc), None
    mask = parts == int(np.bincount(near).argmax())
    # what is spread over the rim is no pupil
    if float(np.mean(f.rho[mask] < 0.75)) < 0.6:
        return np.zeros_like(disc), None
    return mask, float(np.sqrt(mask.sum() / max(1, (f.rho < 1).sum())))


def _light(f: EyeFrame, inside: np.ndarray) -> list[FoundPlace]:
    """The catchlight's bright core, which keeps its paper, and its tinted edge."""
    light = f.light & inside
    if light.sum() < LEAST_PX:
        return []
    lightness = f.lab[..., 0]
    core = light & (lightness >= np.percentile(lightness[light], CORE_PERCENT))
    edge = light & ~core
    out = [FoundPlace("catchlight", "catchlight", "part", "eye", core, True)]
    if edge.sum() >= LEAST_PX:
        out.append(FoundPlace("catchlight edge", "edge of the catchlight", "part", "eye", edge))
    return out


def _lids(lab: Array, rest: np.ndarray) -> list[FoundPlace]:
    """The skin of the lids, apart from the fur when the two differ."""
    if rest.sum() <= 80:
        return []
    index = np.flatnonzero(rest)
    second, gap, least = two_clusters(lab.reshape(-1, 3)[index])
    if gap <= 16 or least <= 0.08:
        return [FoundPlace("lid skin", "skin of the lids", "part", "skin", rest)]
    sides = []
    for q in (index[second], index[~second]):
        mask = np.zeros(rest.size, bool)
        mask[q] = True
        sides.append(mask.reshape(rest.shape))
    sides.sort(key=lambda m: float(np.median(lab[m][:, 0])))
    return [
        FoundPlace("lid skin", "skin of the lids", "part", "skin", sides[0]),
        FoundPlace("fur around", "fur round the eye", "part", "skin", sides[1]),
    ]
