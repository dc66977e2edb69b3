"""An eye from two clicks: pupil, iris, rings and sectors, catchlight, lid shadow, wet line; and two eyes compared.

Angles in degrees counter-clockwise from the right, radii as shares of the iris unless said otherwise.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.area.eye_circle import fit_circle
from hanabira.core.area.eye_shine import reflections
from hanabira.core.area.shape import Point
from hanabira.core.colour.spaces import Array, bytes_to_lab, chroma, hue_deg
from hanabira.core.colour.words import temperature
from hanabira.core.faults import AreaFault
from hanabira.core.sentences import say

_R = 64
"""Radius in pixels at which an eye is measured."""
_ANGLES = 360
_WIDE = 1.6
SHADED_L, LIT = 22.0, 65.0
"""An iris darker than this is dark all over; of any other the colour is that of its pixels above this percentile of lightness."""
SKY_DARK_L = 46.0
"""Under a mirrored sky a bluish iris darker than this is called black, else grey."""
_LEAST_STEP, _SECOND_STEP = 6.0, 9.0
"""L* between pupil and iris below which the pupil has no edge to be found, and between the two tones of a dark part that holds shaded iris too."""
DEEPER, USUAL_PUPIL, LEAST_PUPIL = 2, 0.5, 0.12
"""How often a dark part wider than the second (radii) is parted again; a pupil is not narrower than the last."""


@dataclass(frozen=True)
class Catchlight:
    """The reflected light: ``angle_deg`` and ``radius`` of its middle from the iris's, its share of the iris, Lab and lean."""

    angle_deg: float
    radius: float
    share: float
    lab: tuple[float, float, float]
    tint: str


@dataclass(frozen=True)
class Eye:
    """What is measured of one eye. Lengths in photo pixels; colours are median Lab without the catchlight.

    ``pupil_px`` is the radius of the pupil's equal circle, None where it melts into a dark iris.
    ``pupil_form`` is ``round``, ``upright slit``, ``flat bar`` or empty. ``rings`` are inner, middle, outer;
    ``sectors`` under the lid, low in the eye, and opposite the catchlight when there is one.
    ``lid_shadow`` is by how many L* the iris darkens under the lid, ``wet_line`` by how many L* the lower
    rim shines above its neighbours (0 when none).
    """

    centre: Point
    iris_px: float
    pupil_px: float | None
    pupil_form: str
    pupil_ratio: float
    pupil_axis_deg: float
    rings: dict[str, tuple[float, float, float]]
    sectors: dict[str, tuple[float, float, float]]
    catchlight: Catchlight | None
    lid_shadow: float
    wet_line: float
    iris_word: str
    pupil_lab: tuple[float, float, float]
    shine: bool = False
    """The pupil shines back a flash: its size and colour are not those of the eye."""
    sky: bool = False
    """Blue in its upper half is the sky's, not the iris's."""
    iris_lab: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """The colour that its word is taken from."""
    lights: tuple[tuple[float, float, float], ...] = ()
    """Middle (photo pixels) and radius of the equal circle of every bright spot, the strongest first."""


LEAST_PX = 5.0
"""Pixels of an iris’s radius under which nothing can be told of an eye."""
EYE_WIDE, EYE_CORNERS = 1.12, 14
"""An eye's area is so much wider than its iris, for lids and wet line, and has so many corners."""


def eye_ring(centre: Point, iris_px: float) -> tuple[Point, ...]:
    """The outline of an eye's area round its iris."""
    turn = 2 * np.pi * np.arange(EYE_CORNERS) / EYE_CORNERS
    r = EYE_WIDE * iris_px
    return tuple((float(centre[0] + r * np.cos(a)), float(centre[1] - r * np.sin(a))) for a in turn)


def measure_eye(pixels: np.ndarray, centre: Point, rim: Point) -> Eye:
    """Measure the eye round ``centre`` with a place on its ``rim``, both in pixels of the photo (h, w, 3) uint8.

    The circle is fitted first (`eye_circle`), within a quarter of the clicked one. Raises `AreaFault` when the two places lie too near or outside.
    """
    h, w = pixels.shape[:2]
    r0 = float(np.hypot(rim[0] - centre[0], rim[1] - centre[1]))
    if r0 < LEAST_PX:
        raise AreaFault("The eye is too small to measure.", do="Click its centre, then its rim, or use a larger photo.")
    if not (0 <= centre[0] < w and 0 <= centre[1] < h):
        raise AreaFault("The eye lies outside the photo.", do="Click its centre on the picture.")
    f = eye_frame(pixels, centre, r0)
    lab, rho, angle, light, r, k, half, cx, cy = f.lab, f.rho, f.angle, f.light, f.radius, f.k, f.half, f.cx, f.cy
    form, ratio, axis, pupil, pupil_radius = pupil_of(lab, rho, light)
    inside = (rho < 0.97) & ~light & ~pupil
    floor = pupil_radius if pupil_radius is not None else 0.35
    span = max(0.15, 0.97 - floor)
    rings = {
        name: _median(lab, inside & (rho >= floor + a * span) & (rho < floor + b * span))
        for name, a, b in (("inner", 0.02, 0.36), ("middle", 0.36, 0.7), ("outer", 0.7, 1.0))
    }
    iris = inside & (rho >= floor + 0.04 * span)
    high, low = (angle > 45) & (angle < 135), (angle > 225) & (angle < 315)
    sectors = {"under the lid": _median(lab, iris & high), "low in the eye": _median(lab, iris & low)}
    glint = catchlight_of(lab, light, rho, angle, r)
    if glint is not None:
        away = np.abs((angle - glint.angle_deg - 180 + 180) % 360 - 180) < 40
        sectors["opposite the catchlight"] = _median(lab, iris & away & (rho > 0.4))
    shadow = max(0.0, sectors["low in the eye"][0] - sectors["under the lid"][0])
    to_photo = 1 / k
    at = centre[0] + (cx - half) * to_photo, centre[1] + (cy - half) * to_photo
    thrown = reflections(pixels, at, r * to_photo)
    # a mirrored sky lies in the upper half; a flash reaches into the inner rings
    middle = sectors["low in the eye"] if thrown.sky else rings["outer"] if thrown.shine else rings["middle"]
    if not thrown.sky and not thrown.shine and middle[0] > SHADED_L:
        middle = _lit(lab, iris)  # lids and lashes shade it: its own colour is what the light falls on
    word = iris_word(middle)
    if word == "blue" and not thrown.blue:
        word = "black" if middle[0] < SKY_DARK_L else "grey"
    if thrown.shine:
        pupil_radius = None
    return Eye(
        at, r * to_photo, None if pupil_radius is None else pupil_radius * r * to_photo, pupil_form=form, pupil_ratio=ratio, pupil_axis_deg=axis,
        rings=rings, sectors=sectors, catchlight=glint, lid_shadow=shadow, wet_line=wet_line_of(lab[..., 0], cx, cy, r), iris_word=word,
        pupil_lab=_median(lab, pupil if pupil.any() else (rho < 0.3) & ~light), shine=thrown.shine, sky=thrown.sky,
        iris_lab=(float(middle[0]), float(middle[1]), float(middle[2])), lights=lights_of(f),
    )  # fmt: skip


@dataclass(frozen=True)
class EyeFrame:
    """An eye at a fixed size round its fitted circle: ``lab`` (n, n, 3), polar coordinates ``rho`` (shares of the iris) and ``angle``
    (degrees counter-clockwise from the right), the catchlight's pixels, the circle in the frame, and its scale to the photo.
    """

    lab: Array
    rho: Array
    angle: Array
    light: np.ndarray
    radius: float
    cx: float
    cy: float
    k: float
    half: int
    clicked: Point

    @property
    def centre(self) -> Point:
        """The fitted centre in photo pixels."""
        return (self.clicked[0] + (self.cx - self.half) / self.k, self.clicked[1] + (self.cy - self.half) / self.k)

    @property
    def origin(self) -> Point:
        """Photo pixels of the frame's first pixel."""
        return (self.clicked[0] - self.half / self.k, self.clicked[1] - self.half / self.k)


def eye_frame(pixels: np.ndarray, centre: Point, r0: float, fit: bool = True) -> EyeFrame:
    """The surroundings of an eye at the size at which it is measured, its circle fitted within a fifth of the clicked one."""
    k = _R / r0
    half = int(np.ceil(_WIDE * 1.3 * _R))
    size = 2 * half + 1
    # only the eye's own surroundings are smoothed, however large the photo is
    reach = int(np.ceil(half / k + 3 / k)) + 2
    x0, y0 = max(0, int(centre[0]) - reach), max(0, int(centre[1]) - reach)
    near = pixels[y0 : int(centre[1]) + reach + 1, x0 : int(centre[0]) + reach + 1]
    view = np.array([[k, 0, half - k * (centre[0] - x0)], [0, k, half - k * (centre[1] - y0)]])
    around = near if k >= 1 else cv2.GaussianBlur(near, (0, 0), 0.45 / k)
    small = cv2.warpAffine(around, view, (size, size), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    lab = cv2.GaussianBlur(bytes_to_lab(small).astype(np.float32), (0, 0), 1.0)
    cx, cy, r = fit_circle(lab, half, float(_R)) if fit else (float(half), float(half), float(_R))
    yy, xx = np.mgrid[0:size, 0:size].astype(np.float32)
    rho = np.hypot(xx - cx, yy - cy) / r
    angle = np.degrees(np.arctan2(cy - yy, xx - cx)) % 360
    return EyeFrame(
        lab, rho, angle, light=_catchlight_mask(lab[..., 0], rho), radius=r, cx=cx, cy=cy, k=k, half=half, clicked=centre,
    )


def iris_word(lab: Sequence[float]) -> str:
    """The iris's colour as artists group them: pale, amber, brown, blue, green, black or grey."""
    lightness, c, hue = float(lab[0]), float(chroma(lab)), float(hue_deg(lab))
    if lightness < 14 or (lightness < 20 and c < 12):
        return "black"
    if c < 7 or (c < 11 and lightness > 35):
        return "pale" if lightness > 62 else "grey"
    if 190 <= hue < 310:
        return "blue"
    if 105 <= hue < 190:
        return "green"
    if hue < 105 and lightness > 40 and c > 24:
        return "amber"
    if lightness > 70:
        return "pale"
    return "brown"


def _lit(lab: Array, iris: Array) -> tuple[float, float, float]:
    """Median colour of the lighter part of an iris."""
    if iris.sum() < 20:
        return _median(lab, iris)
    return _median(lab, iris & (lab[..., 0] >= np.percentile(lab[..., 0][iris], LIT)))


def _median(lab: Array, where: Array) -> tuple[float, float, float]:
    if where.sum() < 6:
        return (float("nan"),) * 3
    m = np.median(lab[where], 0)
    return float(m[0]), float(m[1]), float(m[2])


def _catchlight_mask(lightness: Array, rho: Array) -> Array:
    """Bright spots inside the iris that stand far above it."""
    inside = rho < 0.92
    values = lightness[inside]
    general = float(np.median(values))
    limit = max(general + 25.0, 0.62 * float(np.percentile(values, 99.7)) + 0.38 * general, 38.0)
    found = (lightness > limit) & inside
    n, parts, stats, _ = cv2.connectedComponentsWithStats(found.astype(np.uint8), connectivity=8)
    keep = []
    for i in range(1, n):
        if not 10 <= stats[i, cv2.CC_STAT_AREA] < 0.3 * inside.sum():
            continue
        spot = parts == i
        rim = (cv2.dilate(spot.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0) & ~spot & (rho < 1.0)
        # a light has the dark eye all round it; what runs out to the rim is lid or fur
        if float(rho[spot].max()) < 0.9 or float(np.percentile(lightness[rim], 75)) < general + 0.5 * (limit - general):
            keep.append(i)
    out = np.isin(parts, keep)
    return cv2.dilate(out.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0


def lights_of(f: EyeFrame) -> tuple[tuple[float, float, float], ...]:
    """Middle and radius in photo pixels of every bright spot of an eye, the strongest first."""
    n, parts, stats, middles = cv2.connectedComponentsWithStats(f.light.astype(np.uint8), connectivity=8)
    order = sorted(range(1, n), key=lambda i: -float(f.lab[..., 0][parts == i].sum()))
    x0, y0 = f.origin
    return tuple(
        (x0 + float(middles[i][0]) / f.k, y0 + float(middles[i][1]) / f.k, float(np.sqrt(stats[i, cv2.CC_STAT_AREA] / np.pi)) / f.k) for i in order
    )


def catchlight_of(lab: Array, light: Array, rho: Array, angle: Array, r: float) -> Catchlight | None:
    """The strongest of the bright spots, of which ``light`` holds the pixels; None without any. ``r`` is the iris in pixels."""
    if not light.any():
        return None
    n, parts, stats, middles = cv2.connectedComponentsWithStats(light.astype(np.uint8), connectivity=8)
    bright = [float(lab[..., 0][parts == i].sum()) for i in range(1, n)]
    at = 1 + int(np.argmax(bright))
    spot = parts == at
    core = spot & (lab[..., 0] >= np.percentile(lab[..., 0][spot], 40))
    colour = _median(lab, core)
    x = float(np.average(np.cos(np.radians(angle[core])) * rho[core]))
    y = float(np.average(np.sin(np.radians(angle[core])) * rho[core]))
    tint = temperature(colour)
    word = {"cool": "cool", "warm": "warm", "neutral": "plain"}[tint]
    return Catchlight(float(np.degrees(np.arctan2(y, x)) % 360), float(np.hypot(x, y)), float(spot.sum() / (np.pi * r * r)), colour, word)


def pupil_of(lab: Array, rho: Array, light: Array) -> tuple[str, float, float, Array, float | None]:
    """Form, axis ratio, angle of the long axis, mask, and radius as a share of the iris.

    The iris is parted into dark and pale (Otsu 1979). Where the dark part has two tones itself, the lighter is the iris under the lid and the darker the pupil.
    """
    values = np.clip(lab[..., 0][(rho < 0.85) & ~light], 0, 100)
    found = no_pupil(rho)
    limit = 100.0
    for again in range(DEEPER + 1):
        values = values[values <= limit]
        if len(values) < 200:
            break
        limit = float(cv2.threshold(np.round(values * 2.55).astype(np.uint8)[None], 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)[0]) / 2.55
        dark, pale = values[values <= limit], values[values > limit]
        if not len(dark) or not len(pale) or np.median(pale) - np.median(dark) < (_SECOND_STEP if again else _LEAST_STEP):
            break
        inner = _pupil_under(limit, lab[..., 0], rho, light)
        if again and (inner[4] is None or found[4] is not None and inner[4] < LEAST_PUPIL):
            break
        found = inner
        if found[4] is not None and found[4] <= USUAL_PUPIL:
            break
    return found


def no_pupil(rho: Array) -> tuple[str, float, float, Array, float | None]:
    """No pupil to be told from its iris."""
    return "", 1.0, 0.0, np.zeros(rho.shape, bool), None


def _pupil_under(limit: float, lightness: Array, rho: Array, light: Array) -> tuple[str, float, float, Array, float | None]:
    """The dark part nearest the middle among what is no lighter than a limit (L*)."""
    area, nothing = (rho < 0.93) & ~light, no_pupil(rho)
    # the catchlight may hide part of the pupil: it joins only where dark lies round it
    mask = cv2.morphologyEx(((lightness <= limit) & area).astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8)) > 0
    mask = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (7, 7))) > 0
    n, parts = cv2.connectedComponents(mask.astype(np.uint8))
    if n < 2:
        return nothing
    near = [(float((np.exp(-((rho / 0.35) ** 2)) * (parts == i)).sum()), i) for i in range(1, n)]
    score, at = max(near)
    pupil = parts == at
    if score < 30 or not (pupil & (rho < 0.3)).any():
        return nothing
    filled = pupil | (light & cv2.dilate(pupil.astype(np.uint8), np.ones((9, 9), np.uint8)).astype(bool) & (rho < 0.6))
    contours, _ = cv2.findContours(filled.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    hull = cv2.convexHull(max(contours, key=cv2.contourArea))
    if len(hull) < 5:
        return nothing
    (_, _), (a, b), turn = cv2.fitEllipse(hull)
    long, short = max(a, b), max(min(a, b), 1e-6)
    # the fitted angle is that of the first axis, clockwise from the right
    axis = (-(turn + (90 if b >= a else 0))) % 180
    ratio = float(short / long)
    unit = float(np.sqrt((rho < 1).sum() / np.pi))
    radius = float(np.sqrt(cv2.contourArea(hull) / np.pi) / unit)
    if radius > 0.82:  # a step this far out is the dark outer ring, not the pupil
        return nothing
    upright = abs((axis - 90 + 90) % 180 - 90) < 30
    form = "round" if ratio > 0.7 else "upright slit" if upright else "flat bar" if abs((axis + 90) % 180 - 90) < 30 else "oval"
    return form, ratio, float(axis), filled, radius


def wet_line_of(lightness: Array, cx: float, cy: float, r: float) -> float:
    """How much a thin bright line along the lower rim stands above what lies in and outside it, in L*."""
    theta = np.radians(np.arange(215, 326, 3))
    radii = np.arange(0.9, 1.5, 0.02)
    x = (cx + np.outer(radii * r, np.cos(theta))).astype(np.float32)
    y = (cy - np.outer(radii * r, np.sin(theta))).astype(np.float32)
    ring = cv2.remap(lightness, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    n = 5
    peak = ring[n:-n] - np.maximum(ring[: -2 * n], ring[2 * n :])
    best = peak.max(0)
    # most of the stretch must show it, else it is a single glint
    return float(max(0.0, np.percentile(best, 40)))


@dataclass(frozen=True)
class EyePair:
    """Two eyes compared: tilt of the line through them (−90…90), sizes, and by how much the catchlights' directions differ."""

    axis_deg: float
    distance_px: float
    size_ratio: float
    catchlights_deg: float | None
    words: tuple[str, ...]
    iris_word: str
    """One word for both: an animal's irises are hardly ever two."""


def compare_eyes(a: Eye, b: Eye) -> EyePair:
    """Left and right are taken from where they lie; the ratio is right over left."""
    left, right = (a, b) if a.centre[0] <= b.centre[0] else (b, a)
    dx, dy = right.centre[0] - left.centre[0], left.centre[1] - right.centre[1]
    axis = float(np.degrees(np.arctan2(dy, dx)))
    ratio = right.iris_px / left.iris_px
    turn = None
    words = [say("eyes.level" if abs(axis) < 0.5 else "eyes.rises" if axis > 0 else "eyes.falls", turn=abs(axis))]
    if abs(ratio - 1) > 0.08:
        words.append(say("eyes.right-larger" if ratio > 1 else "eyes.left-larger", percent=100 * (max(ratio, 1 / ratio) - 1)))
    else:
        words.append(say("eyes.same-size"))
    if left.catchlight and right.catchlight:
        turn = abs((left.catchlight.angle_deg - right.catchlight.angle_deg + 180) % 360 - 180)
        words.append(say("eyes.lights-agree" if turn <= 45 else "eyes.lights-differ", apart=turn))
    both = pair_word(a, b)
    words.append(say("eyes.one-iris" if left.iris_word == right.iris_word else "eyes.two-irises", left=left.iris_word, right=right.iris_word, word=both))
    return EyePair(axis, float(np.hypot(dx, dy)), float(ratio), turn, tuple(words), both)


def pair_word(a: Eye, b: Eye) -> str:
    """The iris word of two eyes of one animal: of their mean colour by surface, of the one alone where only the other mirrors a sky or a flash."""
    if a.iris_word == b.iris_word:
        return a.iris_word
    clear = [e for e in (a, b) if not (e.sky or e.shine)] or [a, b]
    if len(clear) == 1:
        return clear[0].iris_word
    mean = np.average([e.iris_lab for e in clear], axis=0, weights=[e.iris_px**2 for e in clear])
    return iris_word(tuple(map(float, mean)))
