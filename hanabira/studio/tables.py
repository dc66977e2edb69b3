"""The tables of a studio's database and the way between rows and records."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from functools import lru_cache
from typing import Any, TypeVar

from sqlalchemy import Boolean, CheckConstraint, Column, Float, ForeignKey, Integer, MetaData, String, Table, Text, type_coerce
from sqlalchemy.sql import Executable, Select
from sqlalchemy.types import NullType

from hanabira.core.area.shape import Point
from hanabira.core.faults import Fault, RecordFault
from hanabira.core.places.place import Place
from hanabira.core.solver.area import Layer
from hanabira.core.study.neutral import Light
from hanabira.core.study.prepare import Preparation
from hanabira.studio.checking import check
from hanabira.studio.records import Area, Commission, LogRow, Photo, PhotoCheck, PracticeRound, Recipe, Record, Shot, StudioKit, Terms

metadata = MetaData(
    naming_convention={
        "pk": "pk_%(table_name)s",
        "fk": "fk_%(table_name)s_%(column_0_name)s",
        "ck": "ck_%(table_name)s_%(constraint_name)s",
    }
)

commission = Table(
    "commission", metadata,
    Column("id", String(32), primary_key=True),
    Column("name", Text, nullable=False),
    Column("client", Text, nullable=False),
    Column("animal", Text, nullable=False),
    Column("paper_id", String(32), nullable=False),
    Column("ground_hex", String(7), nullable=False),
    Column("width_mm", Float, CheckConstraint("width_mm > 0", name="width"), nullable=False),
    Column("height_mm", Float, CheckConstraint("height_mm > 0", name="height"), nullable=False),
    Column("border_mm", Float, nullable=False),
    Column("due", String(10)),
    Column("kit_id", String(64), nullable=False),
    Column("notes", Text, nullable=False),
    Column("stage", String(16), nullable=False),
    Column("created", String(32), nullable=False),
    Column("tray", Text, nullable=False, server_default="[]"),
    Column("lasting_floor", Integer, nullable=False, server_default="3"),
    Column("backdrop", Text, nullable=False, server_default="paper"),
    Column("school", Text, nullable=False, server_default="{}"),
    Column("terms", Text, nullable=False, server_default="{}"),
    Column("delivered", String(10), nullable=False, server_default=""),
    Column("archived", Boolean, nullable=False, server_default="0"),
    Column("tray_only", Boolean, nullable=False, server_default="0"),
)  # fmt: skip
photo = Table(
    "photo", metadata,
    Column("id", String(32), primary_key=True),
    Column("commission_id", ForeignKey("commission.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("digest", String(64), nullable=False),
    Column("suffix", String(8), nullable=False),
    Column("original_name", Text, nullable=False),
    Column("width_px", Integer, nullable=False),
    Column("height_px", Integer, nullable=False),
    Column("crop", Text, nullable=False),
    Column("part", String(32), nullable=False),
    Column("position", Integer, nullable=False),
    Column("prep", Text, nullable=False, server_default="{}"),
)  # fmt: skip
area = Table(
    "area", metadata,
    Column("id", String(32), primary_key=True),
    Column("commission_id", ForeignKey("commission.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("photo_id", ForeignKey("photo.id", ondelete="CASCADE"), nullable=False),
    Column("number", Integer, nullable=False),
    Column("name", Text, nullable=False),
    Column("surface_id", String(32), nullable=False),
    Column("ring", Text, nullable=False),
    Column("smooth", Boolean, nullable=False),
    Column("holes", Text, nullable=False, server_default="[]"),
    Column("level", Integer, nullable=False, server_default="0"),
    Column("combing", Text, nullable=False, server_default="[]"),
    Column("eye", Text, nullable=False, server_default="[]"),
    Column("marking_kind", String(32), nullable=False, server_default=""),
    Column("marking_edits", Text, nullable=False, server_default="[]"),
    Column("colour_photo_id", String(32), nullable=False, server_default=""),
    Column("colour_ring", Text, nullable=False, server_default="[]"),
    Column("coat", String(32), nullable=False, server_default=""),
    Column("finish", Integer, nullable=False, server_default="0"),
    Column("place_edits", Text, nullable=False, server_default="[]"),
)  # fmt: skip
recipe = Table(
    "recipe", metadata,
    Column("area_id", ForeignKey("area.id", ondelete="CASCADE"), primary_key=True),
    Column("layers", Text, nullable=False),
    Column("note", Text, nullable=False),
    Column("places", Text, nullable=False, server_default="[]"),
    Column("aims", Text, nullable=False, server_default="[]"),
    Column("tried", Text, nullable=False, server_default="[]"),
)  # fmt: skip
kit = Table(
    "kit", metadata,
    Column("id", String(64), primary_key=True),
    Column("name", Text, nullable=False),
    Column("pencils", Text, nullable=False),
    Column("swatches", Text, nullable=False),
)  # fmt: skip
log = Table(
    "log", metadata,
    Column("id", String(32), primary_key=True),
    Column("commission_id", ForeignKey("commission.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("step", String(64), nullable=False),
    Column("area_id", String(64), nullable=False),
    Column("area_name", Text, nullable=False),
    Column("surface_id", String(32), nullable=False),
    Column("role", String(32), nullable=False),
    Column("pencil", Text, nullable=False),
    Column("pressure", Integer, nullable=False),
    Column("minutes", Float, nullable=False),
    Column("guess_min", Float, nullable=False),
    Column("at", String(32), nullable=False),
    Column("note", Text, nullable=False),
    Column("differs", Text, nullable=False),
    Column("state", String(16), nullable=False),
)  # fmt: skip
shot = Table(
    "shot", metadata,
    Column("id", String(32), primary_key=True),
    Column("commission_id", ForeignKey("commission.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("digest", String(64), nullable=False),
    Column("suffix", String(8), nullable=False),
    Column("original_name", Text, nullable=False),
    Column("width_px", Integer, nullable=False),
    Column("height_px", Integer, nullable=False),
    Column("at", String(32), nullable=False),
    Column("step", String(64), nullable=False),
    Column("note", Text, nullable=False),
)  # fmt: skip
photo_check = Table(
    "photo_check", metadata,
    Column("id", String(32), primary_key=True),
    Column("commission_id", ForeignKey("commission.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("at", String(32), nullable=False),
    Column("told", Text, nullable=False),
    Column("meant", Text, nullable=False, server_default="[]"),
    Column("said", Text, nullable=False, server_default=""),
    Column("log_rows", Integer, nullable=False, server_default="0"),
)  # fmt: skip
practice_round = Table(
    "practice_round", metadata,
    Column("id", String(32), primary_key=True),
    Column("at", String(32), nullable=False),
    Column("drill", String(32), nullable=False),
    Column("seed", Integer, nullable=False),
    Column("minutes", Float, nullable=False),
    Column("told", Text, nullable=False),
)  # fmt: skip
setting = Table("setting", metadata, Column("key", String(64), primary_key=True), Column("value", Text, nullable=False))

TABLES: dict[type, Table] = {
    Commission: commission,
    Photo: photo,
    Area: area,
    Recipe: recipe,
    StudioKit: kit,
    LogRow: log,
    Shot: shot,
    PhotoCheck: photo_check,
    PracticeRound: practice_round,
}


R = TypeVar("R")


@dataclass(frozen=True)
class Unreadable:
    """A row that makes no sense: its table and key, the commission it says it belongs to, what it calls itself, and the first cause."""

    table: str
    key: str
    commission_id: str
    name: str
    cause: str


def as_kept(query: Select[Any]) -> Executable:
    """The query with columns as the file keeps them, not as the driver would turn them into booleans and numbers."""
    return query.with_only_columns(*(type_coerce(c, NullType()).label(c.name) for c in query.selected_columns))


def record_of(kind: type[R], row: Mapping[str, Any]) -> R:
    """The checked record of a database row. Raises `RecordFault` with the first cause."""
    return _kept_record(kind, tuple(row.items()))  # type: ignore[arg-type]


@lru_cache(maxsize=20_000)
def _kept_record(kind: type[R], row: tuple[tuple[str, Any], ...]) -> R:
    """Records are frozen: the same row gives the same one, and is checked once."""
    return read_record(kind, dict(row))


def read_record(kind: type[R], row: Mapping[str, Any]) -> R:
    """The checked record of a row from anywhere. Raises `RecordFault` with the first cause."""
    try:
        record = from_row(kind, dict(row))
        check(record)
    except RecordFault:
        raise
    except KeyError as error:
        raise RecordFault(f"{str(error)[:60]} is missing") from error
    except RecursionError as error:
        raise RecordFault("it is nested beyond reason") from error
    except (TypeError, ValueError, AttributeError, OverflowError, IndexError, Fault) as error:
        words = error.what if isinstance(error, Fault) else " ".join(str(error).split())[:120]
        raise RecordFault(f"it cannot be understood ({words})") from error
    return record  # type: ignore[return-value]


def unreadable_row(kind: type, row: Mapping[str, Any], fault: Fault) -> Unreadable:
    """What can be said of a row that makes no sense."""
    text = lambda v: v.encode("utf-8", "replace").decode() if isinstance(v, str) else str(v)  # noqa: E731
    key = text(row.get("id", row.get("area_id", "")))
    belongs = key if kind is Commission else text(row.get("commission_id", ""))
    name = text(row.get("name") or row.get("original_name") or row.get("area_name") or key)[:60]
    return Unreadable(TABLES[kind].name, key, belongs, name, fault.what)


def key_of(record: Record) -> str:
    """The record's primary key."""
    return record.area_id if isinstance(record, Recipe) else record.id


def to_row(record: Record) -> dict[str, Any]:
    """Database row of a record."""
    row = asdict(record)
    if isinstance(record, Commission):
        row["tray"] = json.dumps(list(record.tray))
        row["school"] = json.dumps(dict(record.school))
        row["terms"] = json.dumps(asdict(record.terms), ensure_ascii=False)
    elif isinstance(record, Photo):
        row["crop"] = json.dumps(list(record.crop))
        row["prep"] = json.dumps(asdict(record.prep))
    elif isinstance(record, Area):
        for name in ("ring", "eye", "colour_ring"):
            row[name] = json.dumps(_short(getattr(record, name)))
        for name in ("holes", "combing"):
            row[name] = json.dumps([_short(line) for line in getattr(record, name)])
        row["marking_edits"] = json.dumps([[how, _short(line)] for how, line in record.marking_edits])
        row["place_edits"] = json.dumps([[place, how, _short(line)] for place, how, line in record.place_edits])
    elif isinstance(record, Recipe):
        row["layers"] = json.dumps([asdict(q) for q in record.layers], ensure_ascii=False)
        row["places"] = json.dumps([asdict(q) for q in record.places], ensure_ascii=False)
        row["aims"] = json.dumps([list(q) for q in record.aims])
        row["tried"] = json.dumps([list(q) for q in record.tried])
    elif isinstance(record, PhotoCheck):
        row["meant"] = json.dumps(list(record.meant))
    return row


def from_row(kind: type, row: dict[str, Any]) -> Record:
    """Record of a database row."""
    row = dict(row)
    for name in ("archived", "smooth", "tray_only"):
        if row.get(name) in (0, 1):  # the file keeps numbers
            row[name] = bool(row[name])
    if kind is Commission:
        row["tray"] = _texts(json.loads(row["tray"]))
        row["school"] = tuple((str(k), str(v)) for k, v in json.loads(row["school"]).items())
        row["terms"] = _terms(json.loads(row["terms"]))
    elif kind is Photo:
        row["crop"] = tuple(float(v) for v in json.loads(row["crop"]))
        row["prep"] = _preparation(json.loads(row["prep"]))
    elif kind is Area:
        for name in ("ring", "eye", "colour_ring"):
            row[name] = _line(json.loads(row[name]))
        for name in ("holes", "combing"):
            row[name] = tuple(_line(line) for line in json.loads(row[name]))
        row["marking_edits"] = tuple((str(how), _line(line)) for how, line in json.loads(row["marking_edits"]))
        row["place_edits"] = tuple((str(place), str(how), _line(line)) for place, how, line in json.loads(row.get("place_edits", "[]")))
    elif kind is Recipe:
        row["layers"] = tuple(Layer(**{**q, "on": _texts(q.get("on", []))}) for q in json.loads(row["layers"]))
        row["places"] = tuple(_place(q) for q in json.loads(row.get("places", "[]")))
        row["aims"] = tuple((str(p), float(a), float(b), float(c)) for p, a, b, c in json.loads(row.get("aims", "[]")))
        row["tried"] = tuple((str(p), str(s), float(x), float(y), float(z)) for p, s, x, y, z in json.loads(row.get("tried", "[]")))
    elif kind is PhotoCheck:
        row["meant"] = _texts(json.loads(row.get("meant", "[]")))
    return kind(**row)


def _short(line: tuple[Point, ...]) -> list[list[float]]:
    return [[round(x, 2), round(y, 2)] for x, y in line]


def _texts(raw: list[Any]) -> tuple[str, ...]:
    if not isinstance(raw, list):
        raise TypeError("a list is something else")
    return tuple(raw)


def _place(raw: dict[str, Any]) -> Place:
    """A place from plain data."""
    lab, box = (float(v) for v in raw["photo_lab"]), (int(v) for v in raw["box"])
    return Place(**{**raw, "photo_lab": tuple(lab), "box": tuple(box)})


def _line(raw: list[Any]) -> tuple[Point, ...]:
    return tuple((float(x), float(y)) for x, y in raw)


def _preparation(raw: dict[str, Any]) -> Preparation:
    """Settings of a photo from plain data; what is missing is as taken."""
    raw = dict(raw)
    light = raw.pop("light", {})
    white = light.get("white")
    focal = raw.pop("focal", None)
    return Preparation(
        light=Light(tuple(float(v) for v in white) if white else None, float(light.get("exposure", 0.0))),  # type: ignore[arg-type]
        focal=(float(focal[0]), float(focal[1])) if focal else None,
        outline=_line(raw.pop("outline", [])),
        keep=tuple(_line(line) for line in raw.pop("keep", [])),
        drop=tuple(_line(line) for line in raw.pop("drop", [])),
        **raw,
    )


def _terms(raw: dict[str, Any]) -> Terms:
    """Terms from plain data; what is missing is the default, what is unknown is left out."""
    known = {f.name for f in fields(Terms)}
    raw = {k: v for k, v in raw.items() if k in known}
    if "weekdays" in raw:
        raw["weekdays"] = tuple(int(v) for v in raw["weekdays"])
    if "wanted" in raw:
        raw["wanted"] = tuple(str(v) for v in raw["wanted"])
    if "moved" in raw:
        raw["moved"] = tuple((str(a), str(b)) for a, b in raw["moved"])
    if "seams" in raw:
        raw["seams"] = tuple((str(a), str(b), str(edge), str(over), float(mm)) for a, b, edge, over, mm in raw["seams"])
    return Terms(**raw)
