"""Places of fur and feathers: values with half-tones, two hues at one value, a marking on its ground coat."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np

from hanabira.core.area.marking import ROUNDS_SURE, Marking
from hanabira.core.area.marking_features import two_tones
from hanabira.core.area.pattern import inside_blur, tone_of, without_crumbs
from hanabira.core.area.values import BAND_PERCENTILES
from hanabira.core.colour.spaces import Array, bytes_to_lab
from hanabira.core.colour.words import hue_family
from hanabira.core.places.hand_scale import HandScale, along_hair
from hanabira.core.places.parts import SurfacePart, find_parts
from hanabira.core.places.place import Places
from hanabira.core.places.sample import FoundPlace, Sample, described, two_clusters

STEP_L = 20.0
"""L* between two neighbouring values above which a hand lays something between them."""
SPLIT_AB, SPLIT_SHARE = 12.0, 0.15
"""Two hues at one value are two places when they lie farther apart in a*b* and the smaller one holds more of the value."""
OUTERMOST_L = 9.0
"""L* by which the darkest and the lightest value stand out from the next, where parts were found besides."""
ONE_TONE_L = 14.0
"""A marking whose own values span less is one place."""
MARKED = ("stripes", "spots", "rosettes", "patches", "bars")
GRAIN_PX = 1.0
"""What has no hair is blurred by so many pixels of the map, or grain would make clusters of its own."""
ENDS_DEARER = 1.8
"""The darkest and the lightest value are joined to another only when everything else is so much farther apart: a coat lives by its ends."""
FOUR = ("gap", "general", "light", "highlight", "marking")
"""Ids that stay when two places become one."""
THIN_PX, THIN_L, LINES_SHARE, LINES_ETA, LINES_SIDE = 7, 10.0, 0.2, 0.65, 0.6
"""Lines narrower than this many pixels that stand out by so much L* are whiskers, locks and single hairs. Where they fill more than this share
and the two sides do not separate clearly, what was taken for stripes is a layer over the coat (measured: whiskers 0.23, mane 0.44, true bars 0.07)."""
SURE_MARK = 0.75
"""A class that is so sure is lines only where nearly all of it is thin: small real stripes are as narrow as locks (all seven striped boxes on photographs are
surer, no unstriped one but one; of their marks .22 at most are thin)."""
SHADE, HALF_TONE = (12, 35), (65, 88)
"""Percentiles of the values between gap and general, and between general and light."""


def coat_places(
    s: Sample, marking: Marking, hairy: bool, scale: HandScale, said: bool = False, may_be_marked: bool = True, parts: Sequence[SurfacePart] = ()
) -> Places:
    """Places of a coat or skin at a hand's pitch. ``said`` holds when the artist chose the marking's class: it is then believed.

    ``parts`` are looked for where nothing is marked; what they leave is planned by its values. A ``hairy`` coat's values are gathered along its locks.
    """
    calm = along_hair(s.lab, s.mask, s.mm, scale.along_mm) if hairy else inside_blur(s.lab, s.mask, GRAIN_PX)
    lab = np.where(s.mask[..., None], calm, s.lab)
    marked = _marked(s, lab, marking, said) if s.mask.sum() > 300 and may_be_marked else None
    if marked is None:
        known = find_parts(s, parts, "part")
        rest = s.mask.copy()
        for f in known:
            rest &= ~f.core
        plain = _values(lab, rest, "", "band", "coat")
        if known:
            plain = _apart(plain, lab)
        plain = joined(plain, lab, scale, scale.coat)
        notes = ("place.lines",) if marking.kind in MARKED and not said and may_be_marked and _thin_share(s, s.mask) > LINES_SHARE else ()
        labels = _nearest(plain, lab, rest)
        for n, f in enumerate(known, len(plain) + 1):
            labels[f.core] = n
        return described([*plain, *known], labels, lab, s.mask, s.origin, s.scale, notes)
    places, sides = marked
    ground = joined([f for f in places if f.group == "ground"], lab, scale, scale.coat)
    edges = [f for f in places if f.id == "edge"]
    marks = joined([f for f in places if f.group == "marking" and f.id != "edge"], lab, scale, scale.marking - len(edges))
    places = [*ground, *marks, *edges]
    labels = np.zeros(s.mask.shape, np.uint8)
    for group, side in sides:
        mine = [n for n, f in enumerate(places) if f.group == group]
        part = _nearest([places[n] for n in mine], lab, side)
        labels[side] = np.array([0, *(n + 1 for n in mine)], np.uint8)[part[side]]
    for n, f in enumerate(places, 1):
        if f.id == "edge":
            labels[f.core] = n
    return described(places, labels, lab, s.mask, s.origin, s.scale)


def joined(found: list[FoundPlace], lab: Array, scale: HandScale, most: int) -> list[FoundPlace]:
    """No more places than a hand holds in mind: the two whose joining costs least become one (Ward 1963), under the name of the larger.

    So do two that no hand tells apart, and what is only a speck goes to the nearest in colour.
    """
    out = list(found)
    while len(out) > 1:
        labs, sizes = [f.lab(lab) for f in out], [float(f.core.sum()) for f in out]
        pairs = [(a, b) for a in range(len(out)) for b in range(a + 1, len(out))]
        away = {(a, b): float(np.linalg.norm(labs[a] - labs[b])) for a, b in pairs}
        speck = min(range(len(out)), key=lambda k: sizes[k])
        nearest = min(pairs, key=lambda q: away[q])
        dark = min(labs[nearest[0]][0], labs[nearest[1]][0]) < scale.dark_l
        if len(out) > 2 and sizes[speck] < scale.speck * sum(sizes):
            two = min((q for q in pairs if speck in q), key=lambda q: away[q])
        elif len(out) > most:
            order = sorted(range(len(out)), key=lambda k: float(labs[k][0]))
            ends = {order[0], order[-1]} if len(out) > 3 else set()
            two = min(pairs, key=lambda q: away[q] * np.sqrt(sizes[q[0]] * sizes[q[1]] / (sizes[q[0]] + sizes[q[1]])) * (ENDS_DEARER if ends & {*q} else 1))
        elif len(out) > 2 and away[nearest] < (scale.one_dark_de if dark else scale.one_de):
            two = nearest
        else:
            break
        big, small = sorted(two, key=lambda k: (out[k].id in FOUR, sizes[k]), reverse=True)
        out[big] = replace(out[big], core=out[big].core | out[small].core)
        del out[small]
    return out


def _apart(values: list[FoundPlace], lab: Array) -> list[FoundPlace]:
    """Values without the outermost ones that hardly differ from the next: their depth and their light are in the parts."""
    out = sorted(values, key=lambda f: float(f.lab(lab)[0]))
    if len(out) > 2 and out[0].id == "gap" and out[1].lab(lab)[0] - out[0].lab(lab)[0] < OUTERMOST_L:
        out = out[1:]
    if len(out) > 2 and out[-1].id == "highlight" and out[-1].lab(lab)[0] - out[-2].lab(lab)[0] < OUTERMOST_L:
        out = out[:-1]
    return out


def _nearest(found: list[FoundPlace], lab: Array, mask: np.ndarray) -> np.ndarray:
    """Each pixel of a mask with the number of the place whose colour is nearest to its own."""
    colours = np.array([f.lab(lab) for f in found], np.float32)
    out = np.zeros(mask.shape, np.uint8)
    away = ((lab[mask][:, None] - colours[None]) ** 2).sum(2)
    out[mask] = 1 + away.argmin(1)
    return out


def _values(
    lab: Array, mask: np.ndarray, prefix: str, kind: str, group: str, which: tuple[str, ...] = ("gap", "general", "light", "highlight"), halves: bool = True
) -> list[FoundPlace]:  # fmt: skip
    """Value places of a masked coat by rank; between two that lie far apart one more, and two where one value holds two hues."""
    flat = lab.reshape(-1, 3)
    inside = np.flatnonzero(mask)
    order = inside[np.argsort(flat[inside, 0], kind="stable")]
    n = len(order)

    def part(low: float, high: float) -> np.ndarray:
        return order[int(n * low / 100) : max(int(n * low / 100) + 1, round(n * high / 100))]

    cores = {b: part(*BAND_PERCENTILES[b]) for b in which}
    value = {b: float(np.median(flat[px, 0])) for b, px in cores.items()}
    if halves and {"gap", "general"} <= value.keys() and value["general"] - value["gap"] > STEP_L:
        cores["shade"] = part(*SHADE)
    if halves and {"general", "light"} <= value.keys() and value["light"] - value["general"] > STEP_L:
        cores["half-tone"] = part(*HALF_TONE)
    out = []
    for band in ("gap", "shade", "general", "half-tone", "light", "highlight"):
        if band not in cores:
            continue
        px = cores[band]
        pieces = [(px, "")]
        if band not in ("gap", "highlight") and len(px) > 60:
            second, gap, least = two_clusters(flat[px, 1:])
            if gap > SPLIT_AB and least > SPLIT_SHARE:
                big = second if second.mean() >= 0.5 else ~second
                pieces = [(px[big], ""), (px[~big], hue_family(np.median(flat[px[~big]], 0)))]
        for pixels, hue in pieces:
            core = np.zeros(mask.size, bool)
            core[pixels] = True
            name = f"{prefix}{band}"
            out.append(
                FoundPlace(f"{name} {hue}" if hue else name, f"{name} in the {hue} hair" if hue else name, kind, group, core.reshape(mask.shape))
            )
    return out


def _marked(s: Sample, lab: Array, marking: Marking, said: bool) -> tuple[list[FoundPlace], list[tuple[str, np.ndarray]]] | None:
    """Ground coat, marking and edge with the pixels of each side, when the area is marked for certain."""
    calm = cv2.medianBlur(np.ascontiguousarray(s.pixels), 5)
    from_calm = replace(s, pixels=calm)
    split = _two_sides(from_calm, lab)
    if split is None:
        return None
    side, apart, eta, softness, rim = split
    share = float(side.sum() / s.mask.sum())
    sure = marking.kind in MARKED and marking.confidence >= SURE_MARK
    lines = (not sure and eta < LINES_ETA and _thin_share(s, s.mask) > LINES_SHARE) or _thin_share(s, side) > LINES_SIDE
    classed = marking.kind in MARKED and (said or (marking.confidence >= 0.5 and apart > 14 and not lines))
    plain = apart > 20 and eta > 0.6 and not lines
    # dapples have no edge: the features take them for ticking, and rounds that were measured say spots, both without being sure of it
    dappled = marking.kind in ("ticked", "spots") and marking.confidence <= ROUNDS_SURE and apart > 9 and eta > 0.63
    if not (classed or plain or dappled) or not 0.06 <= share <= 0.94:
        return None
    ground = s.mask & ~side
    width = int(np.clip(round(softness), 2, 9))
    # the border of the area is no edge of a marking
    strip = (cv2.dilate(rim.astype(np.uint8), np.ones((width, width), np.uint8)) > 0) & s.mask
    core, ground_core = side & ~strip, ground & ~strip
    core = core if core.sum() > 0.35 * side.sum() else side
    ground_core = ground_core if ground_core.sum() > 0.35 * ground.sum() else ground
    places = _values(lab, ground_core, "", "ground", "ground")
    marks = _values(lab, core, "marking ", "marking", "marking", ("gap", "general", "light"), halves=False)
    marks = [FoundPlace("marking", "marking", "marking", "marking", f.core) if f.id == "marking general" else f for f in marks]
    values = [float(f.lab(lab)[0]) for f in marks]
    if max(values) - min(values) < ONE_TONE_L:
        marks = [f for f in marks if f.id == "marking" or f.id.startswith("marking general")]
    if softness > 6 and strip.sum() > 20:
        marks.append(FoundPlace("edge", "edge of the marking", "marking", "marking", strip))
    return [*places, *marks], [("ground", ground), ("marking", side)]


def _thin_share(s: Sample, where: np.ndarray) -> float:
    """Share of some pixels that thin lines cover, lighter or darker than what lies beside them (top-hat, Meyer 1979)."""
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (THIN_PX, THIN_PX))
    lightness = np.ascontiguousarray(s.lab[..., 0])
    light = lightness - cv2.morphologyEx(lightness, cv2.MORPH_OPEN, disc)
    dark = cv2.morphologyEx(lightness, cv2.MORPH_CLOSE, disc) - lightness
    return float((np.maximum(light, dark)[where] > THIN_L).mean())


def _two_sides(s: Sample, lab: Array) -> tuple[np.ndarray, float, float, float, np.ndarray] | None:
    """The marking's side, ΔE76 between the sides, separability η, softness of the edge in pixels, and the edge itself."""
    calm = inside_blur(bytes_to_lab(s.pixels).astype(np.float32), s.mask, max(1.4, 0.006 * np.sqrt(s.mask.sum())))
    tone = tone_of(calm, s.mask)
    limit, eta, step, _ = two_tones(tone[s.mask])
    high = (tone > limit) & s.mask
    side = high if high.sum() <= 0.5 * s.mask.sum() else s.mask & ~high
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (3, 3))
    side = (cv2.morphologyEx(cv2.morphologyEx(side.astype(np.uint8), cv2.MORPH_OPEN, disc), cv2.MORPH_CLOSE, disc) > 0) & s.mask
    side = without_crumbs(side, s.mask, max(6, int(0.0012 * s.mask.sum())))
    if not side.any() or (s.mask & ~side).sum() < 20:
        return None
    apart = float(np.linalg.norm(np.median(lab[side], 0) - np.median(lab[s.mask & ~side], 0)))
    slope = np.hypot(cv2.Sobel(tone, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(tone, cv2.CV_32F, 0, 1, scale=0.125))
    inner = cv2.erode(s.mask.astype(np.uint8), np.ones((3, 3), np.uint8), borderValue=0) > 0
    rim = (cv2.morphologyEx(side.astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0) & inner
    softness = 0.8 * abs(step) / max(float(np.median(slope[rim])), 1e-3) if rim.any() else 2.0
    return side, apart, float(eta), float(softness), rim
