"""The tables of a studio's database and the way between their rows and records. What the tables are made of, the migrations say."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, fields
from functools import lru_cache
from typing import TYPE_CHECKING, Any, TypeVar

from hanabira.core.faults import Fault, RecordFault
from hanabira.core.places.place import Place
from hanabira.core.solver.layer import Layer
from hanabira.core.study.preparation import Light, Preparation
from hanabira.studio.checking import check
from hanabira.studio.records import Area, Commission, LogRow, Photo, PhotoCheck, PracticeRound, Recipe, Record, Shot, StudioKit, Terms

if TYPE_CHECKING:
    from hanabira.core.area.shape import Point


@dataclass(frozen=True)
class Table:
    """Where records of a kind are kept: the table, its key, what its rows are read in order of, and its columns, which are the record's fields."""

    name: str
    key: str
    order: str
    columns: tuple[str, ...]


def _table(kind: type, name: str, order: str = "rowid", key: str = "id") -> Table:
    return Table(name, key, order, tuple(f.name for f in fields(kind)))


TABLES: dict[type, Table] = {
    Commission: _table(Commission, "commission", "created"),
    Photo: _table(Photo, "photo", "position"),
    Area: _table(Area, "area", "number"),
    Recipe: _table(Recipe, "recipe", key="area_id"),
    StudioKit: _table(StudioKit, "kit"),
    LogRow: _table(LogRow, "log", "at"),
    Shot: _table(Shot, "shot", "at"),
    PhotoCheck: _table(PhotoCheck, "photo_check", "at"),
    PracticeRound: _table(PracticeRound, "practice_round", "at"),
}


R = TypeVar("R")


@dataclass(frozen=True)
class UnreadableRow:
    """A row that makes no sense: its table and key, the commission it says it belongs to, what it calls itself, and the first cause."""

    table: str
    key: str
    commission_id: str
    name: str
    cause: str


@lru_cache(maxsize=20_000)
def record_of(kind: type[R], values: tuple[Any, ...]) -> R:
    """The checked record of the values of a database row, in the order of its table's columns. Raises `RecordFault` with the first cause.

    Records are frozen: the same row gives the same one, and is checked once.
    """
    return read_record(kind, row_of(kind, values))


def row_of(kind: type, values: Sequence[Any]) -> dict[str, Any]:
    """The values of a database row by the names of their columns."""
    return dict(zip(TABLES[kind].columns, values, strict=True))


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


def unreadable_row(kind: type, row: Mapping[str, Any], fault: Fault) -> UnreadableRow:
    """What can be said of a row that makes no sense."""
    text = lambda v: v.encode("utf-8", "replace").decode() if isinstance(v, str) else str(v)  # noqa: E731
    key = text(row.get("id", row.get("area_id", "")))
    belongs = key if kind is Commission else text(row.get("commission_id", ""))
    name = text(row.get("name") or row.get("original_name") or row.get("area_name") or key)[:60]
    return UnreadableRow(TABLES[kind].name, key, belongs, name, fault.what)


def key_of(record: Record) -> str:
    """The record's primary key."""
    return record.area_id if isinstance(record, Recipe) else record.id


def to_row(record: Record) -> dict[str, Any]:
    """Database row of a record."""
    row = asdict(record)
    if isinstance(record, Commission):
        for name in ("tray", "palette"):
            row[name] = json.dumps(list(getattr(record, name)))
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
        for name in ("tray", "palette"):
            row[name] = _texts(json.loads(row.get(name, "[]")))
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
