"""Everything one look at an area tells, in one record."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import cv2
import numpy as np

from hanabira.core.area.clipping import GONE, UNKNOWN, Clipping, Levels, clipped, in_all, in_any, measure_clipping, photo_levels
from hanabira.core.area.coat_class import CoatModel, coat_shares
from hanabira.core.area.combing import Combed, comb, correct_axes, lie
from hanabira.core.area.dapples import Dapples, classed
from hanabira.core.area.eye import Eye, measure_eye
from hanabira.core.area.feathers import Feathers, measure_feathers
from hanabira.core.area.hair import Hair, HairField, axial_mean, measure_hair
from hanabira.core.area.hair_gate import LEAST_RESULTANT, HairGate, enlarged, judge
from hanabira.core.area.hidden import HiddenHue, hidden_hues
from hanabira.core.area.in_the_way import InTheWay
from hanabira.core.area.marking import Marking, MarkingModel
from hanabira.core.area.nose import Nose, measure_nose
from hanabira.core.area.palette import PaletteColour, measure_palette
from hanabira.core.area.pattern import Pattern
from hanabira.core.area.shape import Point, Region, RingAndCurve, cut
from hanabira.core.area.values import Values, measure_values
from hanabira.core.area.whiskers import Whiskers, measure_whiskers
from hanabira.core.colour.ranks import median
from hanabira.core.colour.spaces import Array, bytes_to_lab, chroma, lab_hex
from hanabira.core.colour.words import NEUTRAL_CHROMA, temperature, warmth
from hanabira.core.sentences import say
from hanabira.core.token import SILENT, Token

if TYPE_CHECKING:
    from hanabira.core.places.place import Places

_MOST_PX = 1_200_000
NOT_LOOKED = "not looked at yet"
LEAST_JUDGED, GATE_NO = 10, 0.6
"""Pixels a side from which the gate judges; below this probability a region looks like an eye or a nose."""
_SAMPLE = 160_000
"""Pixels that values and colours are read from: more change no figure by 0.1."""


@dataclass(frozen=True)
class Readers:
    """Trained models that measures rest on, besides the marking's."""

    coats: CoatModel
    gate: HairGate


@dataclass(frozen=True)
class Temperature:
    """Warm or cool of an area: the lean in Lab units of the whole, of its light and of its dark half."""

    lean: float
    light_lean: float
    dark_lean: float
    word: str

    @property
    def shade_word(self) -> str:
        """How the shade compares with the light side."""
        d = self.dark_lean - self.light_lean
        return say("shade.cooler" if d < -3 else "shade.warmer" if d > 3 else "shade.alike")


@dataclass(frozen=True)
class Measures:
    """Measures of an area. ``pixels`` of the photo; ``mm2`` None where the scale is unknown."""

    pixels: int
    mm2: float | None
    mm_per_px: float | None
    values: Values
    palette: tuple[PaletteColour, ...]
    hidden: tuple[HiddenHue, ...]
    temperature: Temperature
    hair: Hair
    marking: Marking
    field: HairField | None
    origin: tuple[int, int]
    combed: Combed | None = None
    """Root-to-tip directions, once the artist drew a combing stroke."""
    bend_px: float | None = None
    """Typical radius of the hair's bend in photo pixels; None where it is unknown or straight as a rule."""
    lie: str = ""
    """``straight``, ``bent one way``, ``wavy`` or ``curly``; empty when unknown."""
    eye: Eye | None = None
    nose: Nose | None = None
    whiskers: Whiskers | None = None
    feathers: Feathers | None = None
    pattern: Pattern | None = None
    dapples: Dapples | None = None
    """Soft rounds instead of an outline, where the marking has no edge."""
    places: Places | None = None
    """Where what would be planned apart lies."""
    clipping: Clipping = Clipping()
    """What the photo no longer knows there."""
    outside: float = 0.0
    in_way: InTheWay | None = None
    """Share of the outline that is not animal: it was left out of every measure."""
    coats: tuple[tuple[str, float], ...] = ()
    """Shares of the coats it may be, the largest first; empty when nobody looked."""
    readable: float = 1.0
    """Share of the area in which hidden hues could be looked for."""
    borrowed: str = ""
    """Name of the photo that values and colours were read from, when it is another one."""

    @property
    def marking_rings(self) -> tuple[tuple[Point, ...], ...]:
        """What is drawn of the marking, in photo pixels: its outline, or the rounds of one that has no edge."""
        return self.dapples.rings if self.dapples is not None else self.pattern.rings if self.pattern is not None else ()

    @property
    def length_mm(self) -> float | None:
        """Visible run of the hair on the paper in millimetres."""
        return _mm(self.hair.length_px, self.mm_per_px)

    @property
    def brief(self) -> str:
        """Range of values and temperature in a few words; a question mark for an end that the photo lost."""
        unknown = self.clipping.unknown
        low = "?" if "gap" in unknown else f"{self.values.p02:.0f}"
        high = "?" if "light" in unknown or "highlight" in unknown else f"{self.values.p98:.0f}"
        if low == high == "?":
            return say("lost.values")
        return f"L* {low}–{high}" + (f" · {self.temperature.word}" if self.clipping.lost <= GONE else "")


def _mm(px: float | None, mm_per_px: float | None) -> float | None:
    return None if px is None or mm_per_px is None else px * mm_per_px


def measure(
    photo: np.ndarray,
    ring: Sequence[Point],
    model: MarkingModel | None,
    mm_per_px: float | None = None,
    *,
    smooth: bool = False,
    hair: bool = True,
    token: Token = SILENT,
    holes: Sequence[Sequence[Point]] = (),
    over: Sequence[RingAndCurve] = (),
    combing: Sequence[Sequence[Point]] = (),
    eye: Sequence[Point] = (),
    look_for: Collection[str] = (),
    coverage: np.ndarray | None = None,
    levels: Levels | None = None,
    readers: Readers | None = None,
) -> Measures:
    """Measure the area inside a ring of points of a photo (h, w, 3) uint8 sRGB.

    ``hair`` False leaves the direction out, for eyes, noses and bare skin; without a ``model``
    the marking is left for later (it takes longest). ``holes`` and what lies ``over`` the area are left out. ``combing`` are strokes from root to
    tip, ``eye`` the clicked centre and rim of an eye, the two nostrils of a nose, or the rims of two rows of feathers; ``look_for`` names what else is measured: ``nose``, ``whiskers``,
    ``feathers``. ``coverage`` says how much of each pixel is animal (`cut`), ``levels`` where the photo clips. Raises `AreaFault` for an area with
    no inside.
    """
    region = cut(photo, ring, smooth, holes, over, coverage)
    found = measure_region(
        region, model, mm_per_px, hair=hair, token=token, combing=combing, levels=levels or photo_levels(photo, coverage), readers=readers,
    )
    token.report(0.95, "Looking at its parts")
    if "nose" in look_for:  # the two clicked places of a nose are its nostrils
        found = replace(found, nose=measure_nose(region, eye))
    elif len(eye) == 2 and "feathers" not in look_for:
        found = replace(found, eye=measure_eye(photo, eye[0], eye[1]))
    if "whiskers" in look_for:
        found = replace(found, whiskers=measure_whiskers(photo, region))
    if "feathers" in look_for:
        found = replace(found, feathers=measure_feathers(region, found.field, eye))
    return found


def measure_region(
    region: Region,
    model: MarkingModel | None,
    mm_per_px: float | None = None,
    hair: bool = True,
    token: Token = SILENT,
    combing: Sequence[Sequence[Point]] = (),
    levels: Levels | None = None,
    readers: Readers | None = None,
) -> Measures:
    """Measure a region that is already cut."""
    pixels, mask = region.pixels, region.mask
    count = int(mask.sum())
    levels = levels or photo_levels(pixels)
    high, low = clipped(pixels, levels)
    lost = in_any(high) | in_all(low)
    k = min(1.0, np.sqrt(_MOST_PX / mask.size))
    if k < 1:
        size = (max(8, round(mask.shape[1] * k)), max(8, round(mask.shape[0] * k)))
        pixels = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
        mask = cv2.resize(mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
        lost = cv2.resize(lost.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.5
        high, low = clipped(pixels, levels)
    token.report(0.1, "Reading values")
    lab = bytes_to_lab(pixels)
    inside = np.flatnonzero(mask)
    if len(inside) > _SAMPLE:
        inside = np.sort(np.random.default_rng(1).choice(inside, _SAMPLE, replace=False))
    flat = lab.reshape(-1, 3)[inside]
    values = measure_values(flat)
    token.report(0.25, "Sorting colours")
    known = flat[~lost.reshape(-1)[inside]]
    clipping = measure_clipping((high, low), mask, lab[..., 0], values.limits, (region.left, region.top), 1 / k)
    # a colour that the photo lost is no colour of the coat, unless hardly anything else is left, which `lost_words` then says
    palette = measure_palette(known if clipping.lost <= GONE and len(known) else flat)
    temperature_ = _temperature(flat, values)
    token.report(0.5, "Following the hair")
    # neither needs the other, and both spend their time where other threads may go on
    with ThreadPoolExecutor(1) as beside:
        waiting = beside.submit(hidden_hues, lab, pixels, mask, lost)
        found, field = _hair(lab[..., 0], mask, k, readers) if hair else (Hair(None, None, 0.0, None, None, None, say("hair.bare")), None)
        found_hues = waiting.result()
    hidden = found_hues.hues
    combed, (bend, word) = None, (None, "")
    if field is not None:
        found, field, combed = combed_by_hand(found, field, combing, (region.left, region.top))
        if found.direction_deg is not None:
            bend, word = lie(field, found.length_px)
    token.report(0.8, "Looking at the marking")
    marking, dapples = (Marking(None, 0.0, None, None, None, NOT_LOOKED), None) if model is None else classed(model, region)
    token.report(1.0, "Measured")
    mm2 = None if mm_per_px is None else count * mm_per_px**2
    return Measures(
        count, mm2, mm_per_px, values=values, palette=palette, hidden=hidden, temperature=temperature_, hair=found, marking=marking, field=field,
        origin=(region.left, region.top), combed=combed, bend_px=bend, lie=word, dapples=dapples, clipping=clipping, outside=region.outside, readable=found_hues.readable,
        # of a coat that is mostly lost nothing is said: no answer would follow from what is left
        coats=tuple(coat_shares(readers.coats, pixels, mask, lost).items()) if readers is not None and clipping.lost <= UNKNOWN else (),
    )  # fmt: skip


def _hair(lightness: Array, mask: np.ndarray, k: float, readers: Readers | None) -> tuple[Hair, HairField | None]:
    """Hair of a region reduced by ``k``, in pixels of the photo; a reader judges first whether there is any where the region is large enough."""
    lightness = np.ascontiguousarray(lightness)
    if readers is not None and min(mask.shape) >= LEAST_JUDGED:
        lightness, mask, grown = enlarged(lightness, mask)
        k *= grown
        verdict = judge(readers.gate, lightness, mask)
        claimed = verdict.claimed and (grown == 1 or verdict.resultant >= LEAST_RESULTANT)
        no = say("hair.eye-or-nose") if verdict.probability <= GATE_NO else say("hair.no-one-way")
        found, field = measure_hair(lightness, mask, claimed, no)
    else:
        found, field = measure_hair(lightness, mask)
    if field is not None:
        field = HairField(field.direction_deg, field.coherence, field.sure, field.step_px / k)
    return _in_photo_px(found, 1 / k), field


def combed_by_hand(
    hair: Hair, field: HairField, strokes: Sequence[Sequence[Point]], origin: tuple[float, float]
) -> tuple[Hair, HairField, Combed | None]:
    """Hair and field after the artist's strokes: corrected axes, the mean direction from them, and the way root to tip."""
    strokes = [s for s in strokes if len(s) > 1]
    if not strokes:
        return hair, field, None
    fixed, touched = correct_axes(field, strokes, origin)
    combed = comb(field, strokes, origin)
    if touched.any() or hair.direction_deg is None:
        direction, _ = axial_mean(fixed.direction_deg[fixed.sure], fixed.coherence[fixed.sure])
        hair = replace(hair, direction_deg=direction, reason="" if hair.direction_deg is not None else say("hair.combed"))
    return hair, fixed, combed


def _in_photo_px(hair: Hair, factor: float) -> Hair:
    up = lambda v: None if v is None else v * factor  # noqa: E731
    return Hair(hair.direction_deg, hair.spread_deg, hair.coherence, up(hair.length_px), up(hair.width_px), up(hair.clump_px), hair.reason)


def _temperature(lab: Array, values: Values) -> Temperature:
    whole = median(lab)
    light, dark = median(lab[lab[:, 0] >= whole[0]]), median(lab[lab[:, 0] <= whole[0]])
    word = temperature(whole)
    if word != "neutral" and temperature(light) != temperature(dark) and "neutral" not in (temperature(light), temperature(dark)):
        word = "both"
    if float(chroma(whole)) < NEUTRAL_CHROMA and abs(warmth(whole)) <= 1.5:
        word = "neutral"
    return Temperature(warmth(whole), warmth(light), warmth(dark), word)


def as_dict(m: Measures) -> dict[str, Any]:
    """The measures as plain data, in the shape the terminal prints."""
    r = lambda v, n=2: None if v is None else round(float(v), n)  # noqa: E731
    lab = lambda v: [round(float(x), 2) for x in v]  # noqa: E731
    v = m.values
    return {
        "area": {"pixels": m.pixels, "mm2": r(m.mm2)},
        "value": {"gap": r(v.gap), "general": r(v.general), "light": r(v.light), "highlight": r(v.highlight), "p02": r(v.p02), "p98": r(v.p98)},
        "coat": [{"id": k, "share": r(v, 3)} for k, v in m.coats[:2]],
        "palette": [{"lab": lab(c.lab), "hex": lab_hex(c.lab), "share": r(c.share, 4), "name": c.name, "temperature": c.temperature} for c in m.palette],
        "hidden_hues": [{"lab": lab(h.lab), "share": r(h.share, 4), "name": h.name, "where": h.where, "strength": r(h.strength, 1)} for h in m.hidden],
        "readable": r(m.readable, 3), "outside_animal": r(m.outside, 4),
        "in_the_way": {"share": r(m.in_way.share, 4), "hue": m.in_way.hue or None} if m.in_way is not None else None,
        "clipped": {
            "any": r(m.clipping.any, 4), "all": r(m.clipping.all, 4), "each": [r(v, 4) for v in m.clipping.each], "crushed": r(m.clipping.crushed, 4),
            "unknown": list(m.clipping.unknown),
        },
        "hair": {
            "direction_deg": r(m.hair.direction_deg, 1), "spread_deg": r(m.hair.spread_deg, 1), "coherence": r(m.hair.coherence, 3),
            "length_mm": r(m.length_mm), "length_px": r(m.hair.length_px), "clump_px": r(m.hair.clump_px), "reason": m.hair.reason or None,
        },
        **_parts(m),
        "marking": {"class": m.marking.kind, "confidence": r(m.marking.confidence, 3), "coverage": r(m.marking.coverage, 3), "edge_px": r(m.marking.edge_px)},
    }  # fmt: skip


def _parts(m: Measures) -> dict[str, Any]:
    """What was looked for besides: eye, nose, whiskers, feathers, as plain data."""
    r = lambda v, n=2: None if v is None else round(float(v), n)  # noqa: E731
    lab = lambda v: None if v is None else [r(x) for x in v]  # noqa: E731
    out: dict[str, Any] = {}
    if m.eye is not None:
        e = m.eye
        glint = (
            None
            if e.catchlight is None
            else {"angle_deg": r(e.catchlight.angle_deg, 1), "share": r(e.catchlight.share, 4), "lab": lab(e.catchlight.lab)}
        )
        out["eye"] = {
            "centre": lab(e.centre), "iris_px": r(e.iris_px), "pupil_px": r(e.pupil_px), "iris": e.iris_word, "catchlight": glint, "shine": e.shine,
            "sky": e.sky, "lid_shadow": r(e.lid_shadow, 1), "wet_line": r(e.wet_line, 1), "rings": {k: lab(v) for k, v in e.rings.items()},
            "catchlights": [{"centre": [r(x), r(y)], "radius_px": r(size)} for x, y, size in e.lights],
        }  # fmt: skip
    if m.nose is not None:
        n = m.nose
        out["nose"] = {
            "nostrils": [lab(q) for q in n.nostrils], "confirmed": n.confirmed, "axis_deg": r(n.axis_deg, 1) if n.confirmed else None,
            "pebble_px": r(n.pebble_px, 1), "wet_share": r(n.wet_share, 4), "pigment": n.pigment,
        }  # fmt: skip
    if m.whiskers is not None:
        out["whiskers"] = {
            "count": m.whiskers.count, "length_px": r(m.whiskers.length_px, 1), "over_light": r(m.whiskers.over_light, 2),
            "lines": [{"root": lab(w.root), "tip": lab(w.tip), "light": w.light} for w in m.whiskers.found],
        }  # fmt: skip
    if m.feathers is not None:
        f = m.feathers
        out["feathers"] = {
            "shaft_deg": r(f.shaft_deg, 1), "row_px": r(f.row_px, 1), "barb_angle_deg": r(f.barb_angle_deg, 1), "bar_px": r(f.bar_px, 1),
            "reason": f.reason or None,
        }  # fmt: skip
    return out
