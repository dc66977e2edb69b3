"""The one place that checks records, whether they come from a bundle, a database or the window.

Kinds of values, finite numbers, ranges, dates, outlines with an inside, crops within their photo, ids that exist, text that UTF-8 can hold.
`check` raises `RecordFault` with the first cause. What passes can be shown, planned, priced, printed and written again.
"""

from __future__ import annotations

import datetime
import json
import math
import re
import types
from collections.abc import Callable, Sequence
from dataclasses import fields, is_dataclass
from functools import cache
from typing import Any, Union, get_args, get_origin, get_type_hints

from hanabira.core.area.shape import EDGES, Point
from hanabira.core.faults import Fault, RecordFault
from hanabira.core.optics.tools import LAYINGS, TOOLS
from hanabira.core.places.place import KINDS
from hanabira.core.solver.layer import ROLES, Layer
from hanabira.core.study.preparation import EXPOSURE_RANGE, MOST_TILT, Preparation
from hanabira.craft import kitfile, swatchfile
from hanabira.craft.gesture_names import told_gestures
from hanabira.craft.rules import coats, marking_rules, switches
from hanabira.craft.supplies import papers, surfaces
from hanabira.studio.records import (
    LOG_STATES,
    PARTS,
    STAGES,
    Area,
    Commission,
    LogRow,
    Photo,
    PhotoCheck,
    PracticeRound,
    Recipe,
    Record,
    Shot,
    StudioKit,
    Terms,
)

LONGEST_NAME, LONGEST_NOTE = 1000, 100_000
"""Characters of a name and of a note."""
SHEET_MM = (20.0, 5000.0)
YEARS = (1970, 2200)
"""Years that dates may lie in; a calendar can still be laid out beyond them."""
MOST_LAYERS, MOST_PLACES, MOST_POINTS = 200, 100, 20_000
MOST_TRIED = 2000
LARGEST_PX = 10_000_000.0
_ID = re.compile(r"[A-Za-z0-9_.+-]{1,64}")
_DIGEST = re.compile(r"[0-9a-f]{64}")
_SUFFIX = re.compile(r"\.[a-z0-9]{1,7}")
_HEX = re.compile(r"#[0-9a-fA-F]{6}")
# what XML, and so SVG and layered pictures, cannot hold; lone surrogates cannot be written as UTF-8 at all
_UNWRITABLE = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")


def _fail(words: str) -> RecordFault:
    return RecordFault(words, "Nothing was changed.")


# -- kinds of values ---------------------------------------------------------------
@cache
def _hints(kind: type) -> dict[str, Any]:
    return get_type_hints(kind)


def _kind(value: Any, wanted: Any, name: str) -> None:
    """Raise unless a value is of a field's declared type, all the way down."""
    if wanted is str:
        if not isinstance(value, str):
            raise _fail(f"{name} is no text")
        if _UNWRITABLE.search(value):
            raise _fail(f"{name} holds characters that cannot be written")
        if len(value) > LONGEST_NOTE:
            raise _fail(f"{name} is {len(value)} characters long")
    elif wanted is bool:
        if not isinstance(value, bool):
            raise _fail(f"{name} is neither true nor false")
    elif wanted is int:
        if not isinstance(value, int) or isinstance(value, bool) or abs(value) > 2**53:
            raise _fail(f"{name} is no whole number")
    elif wanted is float:
        if not isinstance(value, int | float) or isinstance(value, bool) or not math.isfinite(value):
            raise _fail(f"{name} is no number")
    elif get_origin(wanted) in (Union, types.UnionType):
        if value is not None:
            _kind(value, next(q for q in get_args(wanted) if q is not type(None)), name)
        elif type(None) not in get_args(wanted):
            raise _fail(f"{name} is missing")
    elif get_origin(wanted) is tuple:
        inner = get_args(wanted)
        if not isinstance(value, tuple):
            raise _fail(f"{name} is no list")
        if inner[-1] is Ellipsis:
            if len(value) > MOST_POINTS:
                raise _fail(f"{name} has {len(value)} entries")
            if inner[0] == Point and all(type(q) is tuple and len(q) == 2 and type(q[0]) is float and type(q[1]) is float for q in value):
                # the usual case of an outline, looked at all at once
                if not all(-LARGEST_PX <= q[0] <= LARGEST_PX and -LARGEST_PX <= q[1] <= LARGEST_PX for q in value):
                    raise _fail(f"{name} has a point that lies nowhere")
                return
            for q in value:
                _kind(q, inner[0], name)
        else:
            if len(value) != len(inner):
                raise _fail(f"{name} has {len(value)} entries instead of {len(inner)}")
            for q, kind in zip(value, inner, strict=True):
                _kind(q, kind, name)
    elif isinstance(wanted, type) and is_dataclass(wanted):
        if not isinstance(value, wanted):
            raise _fail(f"{name} is something else")
        _kinds(value, f"{name}: ")
    else:  # pragma: no cover - a record with a field of a kind that nobody thought of
        raise TypeError(f"{name}: {wanted}")


def _kinds(record: Any, prefix: str = "") -> None:
    hints = _hints(type(record))  # type: ignore[arg-type]
    for f in fields(record):
        _kind(getattr(record, f.name), hints[f.name], prefix + f.name.replace("_", " "))


# -- ranges and ids -----------------------------------------------------------------
def _within(value: float, low: float, high: float, name: str) -> None:
    if not low <= value <= high:
        raise _fail(f"{name} is {value:g}, outside {low:g}–{high:g}")


def _known(value: str, among: Any, name: str, empty: bool = False) -> None:
    if not (empty and value == "") and value not in among:
        raise _fail(f"there is no {name} “{value[:40]}”")


def _id(value: str, name: str = "id", empty: bool = False) -> None:
    if not (empty and value == "") and not _ID.fullmatch(value):
        raise _fail(f"{name} “{value[:40]}” is no id")


def _short(value: str, name: str) -> None:
    if len(value) > LONGEST_NAME:
        raise _fail(f"{name} is {len(value)} characters long; {LONGEST_NAME} are the most")


def _hex(value: str, name: str) -> None:
    if not _HEX.fullmatch(value):
        raise _fail(f"{name} “{value[:20]}” is no colour like #a0b1c2")


def parse_day(value: str) -> datetime.date:
    """A date written as 2026-03-31, within the years that a calendar can hold. Raises `ValueError`."""
    day = datetime.date.fromisoformat(value)
    if len(value) != 10 or not YEARS[0] <= day.year <= YEARS[1]:
        raise ValueError(f"{value} lies outside {YEARS[0]}–{YEARS[1]}")
    return day


def _day(value: str | None, name: str) -> None:
    if value:
        try:
            parse_day(value)
        except ValueError:
            raise _fail(f"{name} “{value[:40]}” is no date") from None


def _moment(value: str, name: str, empty: bool = False) -> None:
    if empty and not value:
        return
    try:
        moment = datetime.datetime.fromisoformat(value)
        ok = YEARS[0] <= moment.year <= YEARS[1] and moment.tzinfo is None and len(value) <= 32
    except ValueError:
        ok = False
    if not ok:
        raise _fail(f"{name} “{value[:40]}” is no date and time")


def _ring(line: Sequence[Point], name: str, empty: bool = False) -> None:
    if not (empty and not line) and len(line) < 3:
        raise _fail(f"{name} has {len(line)} point{'' if len(line) == 1 else 's'}; three are the least")
    if any(abs(x) > LARGEST_PX or abs(y) > LARGEST_PX for x, y in line):
        raise _fail(f"{name} has a point that lies nowhere")


def _lines(lines: Sequence[Sequence[Point]], name: str) -> None:
    for line in lines:
        if not line or any(abs(x) > LARGEST_PX or abs(y) > LARGEST_PX for x, y in line):
            raise _fail(f"{name} has a line without points, or one that lies nowhere")


# -- each kind of record ---------------------------------------------------------------
def _commission(c: Commission) -> None:
    _id(c.id)
    for name in ("name", "client", "animal"):
        _short(getattr(c, name), name)
    _known(c.paper_id, papers(), "paper")
    _hex(c.ground_hex, "the paper’s colour")
    _within(c.width_mm, *SHEET_MM, "width in mm")
    _within(c.height_mm, *SHEET_MM, "height in mm")
    _within(c.border_mm, 0, min(c.width_mm, c.height_mm) / 2 - 1, "border in mm")
    for name in ("due", "delivered"):
        _day(getattr(c, name), name)
    _id(c.kit_id, "kit")
    _known(c.stage, STAGES, "stage")
    _moment(c.created, "created", empty=True)
    _within(c.lasting_floor, 1, 5, "lasting floor")
    for code in c.palette:
        _short(code, "pencil of the palette")
    if c.backdrop not in ("", "paper"):
        parts = c.backdrop.split()
        if len(parts) not in (1, 2):
            raise _fail("the backdrop has neither one colour nor two")
        for part in parts:
            _hex(part, "the backdrop")
    for key, choice in c.school:
        _known(key, switches(), "switch of the school")
        _known(choice, switches()[key].choices, f"choice of {key}")
    _terms(c.terms)


def _terms(t: Terms) -> None:
    _known(t.hand, ("left", "right"), "hand")
    _within(t.hours_a_day, 0.25, 24, "hours a day")
    if not t.weekdays or not set(t.weekdays) <= set(range(7)):
        raise _fail("the working days are no days of a week")
    _day(t.start, "start")
    for name, most in (("rate", 1e6), ("materials", 1e7), ("deposit_percent", 100), ("instalments", 1000)):
        _within(getattr(t, name), 0, most, name.replace("_", " "))
    for a, b, edge, over, mm in t.seams:
        _id(a, "seam")
        _id(b, "seam")
        _known(edge, EDGES, "edge of a seam")
        if over not in ("", a, b):
            raise _fail("a seam’s hairs belong to neither of its areas")
        _within(mm, 0, 10_000, "length of a seam")


def _stored(p: Photo | Shot) -> None:
    _id(p.id)
    _id(p.commission_id, "commission")
    if not _DIGEST.fullmatch(p.digest):
        raise _fail("the photo’s digest is none")
    if not _SUFFIX.fullmatch(p.suffix):
        raise _fail(f"the photo’s ending “{p.suffix[:20]}” is none")
    _short(p.original_name, "the photo’s name")
    _within(p.width_px, 1, 1_000_000, "width in pixels")
    _within(p.height_px, 1, 1_000_000, "height in pixels")


def _photo(p: Photo) -> None:
    _stored(p)
    x, y, w, h = p.crop
    slack = 0.51 + 1e-6 * max(p.size)  # rounding while it was framed
    if not (w > 0 and h > 0 and x >= -slack and y >= -slack and x + w <= p.width_px + slack and y + h <= p.height_px + slack):
        raise _fail("the crop lies outside its photo")
    _known(p.part, PARTS, "part of a photo")
    _within(p.position, -1000, 1_000_000, "position")
    _preparation(p.prep)


def _preparation(prep: Preparation) -> None:
    _within(prep.tilt_deg, -MOST_TILT - 1e-6, MOST_TILT + 1e-6, "tilt in degrees")
    if prep.light.white is not None:
        for v in prep.light.white:
            _within(v, 0.01, 100, "the white of the light")
    _within(prep.light.exposure, *EXPOSURE_RANGE, "exposure in stops")
    _short(prep.light_how, "how the light was set")
    _ring(prep.outline, "the outline of the animal", empty=True)
    _lines(prep.keep + prep.drop, "the cut")
    if prep.sun_deg is not None:
        _within(prep.sun_deg, -720, 720, "direction of the light")
    if prep.focal is not None:
        _lines([(prep.focal,)], "the focal point")


def _area(a: Area) -> None:
    for value, name in ((a.id, "id"), (a.commission_id, "commission"), (a.photo_id, "photo")):
        _id(value, name)
    _id(a.colour_photo_id, "photo of the colours", empty=True)
    _id(a.twin_id, "area of the other side", empty=True)
    _within(a.number, -1_000_000, 1_000_000, "number")
    _within(a.level, -1_000_000, 1_000_000, "level")
    _short(a.name, "name")
    _known(a.surface_id, surfaces(), "surface")
    _ring(a.ring, "the outline")
    for hole in a.holes:
        _ring(hole, "a hole")
    _ring(a.colour_ring, "the outline in the other photo", empty=True)
    _lines(a.combing, "the combing")
    if len(a.eye) > 2:
        raise _fail("an eye has neither two clicks nor none")
    _lines([a.eye] if a.eye else [], "the eye")
    _known(a.marking_kind, marking_rules(), "marking", empty=True)
    for how, line in a.marking_edits:
        _known(how, ("add", "away"), "correction of a marking")
        _ring(line, "a correction of the marking")
    for place, how, line in a.place_edits:
        _short(place, "place")
        _known(how, ("add", "away"), "correction of a place")
        _ring(line, "a correction of a place")
    _known(a.coat, coats(), "coat", empty=True)
    _within(a.finish, 0, 5, "finish")


def _recipe(r: Recipe) -> None:
    _id(r.area_id, "area")
    if len(r.layers) > MOST_LAYERS:
        raise _fail(f"the recipe has {len(r.layers)} layers")
    for n, q in enumerate(r.layers, 1):
        _layer(q, n)
    _places(r)
    if len({q.id for q in r.layers}) < len(r.layers) or not all(_ID.fullmatch(q.id) for q in r.layers):
        raise _fail("two layers have one id, or one has none")


def _places(r: Recipe) -> None:
    """Places of a recipe, and that its layers name no others."""
    if len(r.places) > MOST_PLACES:
        raise _fail(f"the recipe has {len(r.places)} places")
    ids = [p.id for p in r.places]
    if len(set(ids)) < len(ids):
        raise _fail("two places have one name")
    for p in r.places:
        _short(p.id, "place")
        _short(p.name, "name of a place")
        _known(p.kind, KINDS, "kind of a place")
        _short(p.group, "group of a place")
        for v in p.photo_lab:
            _within(v, -500, 500, "colour of a place")
        _within(p.share, 0, 1, "share of a place")
        if len(p.photo_lab) != 3 or len(p.box) != 4 or p.reserved not in (True, False):
            raise _fail("a place has no colour or no box")
        for size in p.box:
            _within(size, -1_000_000, 1_000_000, "box of a place")
    for q in r.layers:
        if any(not isinstance(k, str) or k not in ids for k in q.on):
            raise _fail("a layer covers a place that is not there")
    if len(r.tried) > MOST_TRIED:
        raise _fail(f"{len(r.tried)} stacks were tried")
    for place, stack, *lab in r.tried:
        _short(place, "place of a tried stack")
        _short(stack, "tried stack")
        for v in lab:
            _within(v, -500, 500, "colour of a tried stack")
    for place, *shift in r.aims:
        if place not in ids:
            raise _fail("an aim is of a place that is not there")
        for v in shift:
            _within(v, -200, 200, "aim")


def _layer(q: Layer, n: int) -> None:
    _short(q.where, f"place of layer {n}")
    _known(q.role, ROLES, f"role of layer {n}:")
    _known(q.tool, TOOLS, f"tool of layer {n}:", empty=True)
    _within(q.pressure, 0 if q.tool else 1, 5, f"pressure of layer {n}")
    _within(q.passes, 0 if q.tool else 1, 9, f"passes of layer {n}")
    _within(q.stroke_mm, 0, 2000, f"stroke of layer {n} in mm")
    _within(q.run_mm, 0, 5000, f"run of layer {n} in mm")
    _within(q.coverage, 0.01, 1, f"coverage of layer {n}")
    _known(q.laid, LAYINGS, f"way of layer {n} to bring colour on:", empty=True)
    _known(q.gesture, told_gestures(), f"gesture of layer {n}:", empty=True)
    if len(q.code) > 64 or not (q.code or q.tool):
        raise _fail(f"layer {n} has neither a pencil nor a tool")


def _kit(k: StudioKit) -> None:
    _id(k.id)
    _short(k.name, "name")
    try:
        kitfile.parse_csv(k.pencils, k.name)
        if k.swatches:
            swatchfile.parse_swatches(k.swatches)
    except Fault as fault:
        raise _fail(f"the kit “{k.name[:40]}”: {fault.what}") from fault


def _log(r: LogRow) -> None:
    _id(r.id)
    _id(r.commission_id, "commission")
    for name in ("step", "area_id", "area_name", "role", "pencil", "differs"):
        _short(getattr(r, name), name.replace("_", " "))
    _known(r.surface_id, surfaces(), "surface", empty=True)
    _within(r.pressure, 0, 5, "pressure")
    _within(r.minutes, 0, 100_000, "minutes")
    _within(r.guess_min, 0, 100_000, "guessed minutes")
    _moment(r.at, "the time")
    _known(r.state, LOG_STATES, "state of a row")


def _shot(s: Shot) -> None:
    _stored(s)
    _moment(s.at, "the time")
    _short(s.step, "step")


def _photo_check(c: PhotoCheck) -> None:
    _id(c.id)
    _id(c.commission_id, "commission")
    _moment(c.at, "the time")
    _within(c.log_rows, 0, 1_000_000, "rows of the log")
    if len(c.told) > LONGEST_VERDICT or len(c.said) > LONGEST_NOTE or len(c.meant) > MOST_LAYERS:
        raise _fail("the verdict on a photo is too long")
    if any(len(k) > LONGEST_NAME for k in c.meant):
        raise _fail("what is meant so names no fault")
    for text, what in ((c.told, "the verdict on a photo"), (c.said, "what was said of a photo")):
        if text:
            verdict_of(text, what)


def _practice_round(q: PracticeRound) -> None:
    _id(q.id)
    _moment(q.at, "the time")
    _short(q.drill, "drill")
    _within(q.seed, 0, 2**62, "seed")
    _within(q.minutes, 0, 100_000, "minutes")
    if len(q.told) > LONGEST_VERDICT:
        raise _fail("the answers of a round are too long")
    verdict_of(q.told, "the answers of a round")


def verdict_of(text: str, what: str = "the verdict on a photo") -> dict[str, Any]:
    """A stored verdict as plain data. Raises `RecordFault` for what is no object of JSON."""
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise _fail(f"{what} cannot be read") from error
    if not isinstance(data, dict):
        raise _fail(f"{what} is no object")
    return data


_CHECKS: dict[type, Callable[[Any], None]] = {
    Commission: _commission, Photo: _photo, Area: _area, Recipe: _recipe, StudioKit: _kit, LogRow: _log, Shot: _shot, PhotoCheck: _photo_check, PracticeRound: _practice_round,
}  # fmt: skip
LONGEST_TEXT = 50_000_000
LONGEST_VERDICT = 4_000_000


def check(record: Record) -> None:
    """Raise `RecordFault` with the first thing in a record that does not make sense.

    >>> check(Commission("c", "Tansy", width_mm=1e308))
    Traceback (most recent call last):
    ...
    hanabira.core.faults.RecordFault: width in mm is 1e+308, outside 20–5000 Nothing was changed.
    """
    if isinstance(record, StudioKit):  # the text of a kit file is longer than any note
        for name in ("id", "name", "pencils", "swatches"):
            value = getattr(record, name)
            if not isinstance(value, str) or _UNWRITABLE.search(value) or len(value) > LONGEST_TEXT:
                raise _fail(f"{name} of the kit is no text")
    else:
        _kinds(record)
    _CHECKS[type(record)](record)
