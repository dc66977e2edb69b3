"""The tables of a studio's database and the way between rows and records."""

from __future__ import annotations

import json
from dataclasses import asdict

from sqlalchemy import Boolean, CheckConstraint, Column, Float, ForeignKey, Integer, MetaData, String, Table, Text

from hanabira.core.solver.area import Layer
from hanabira.studio.records import Area, Commission, Photo, Recipe, Record, StudioKit

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
)  # fmt: skip
recipe = Table(
    "recipe", metadata,
    Column("area_id", ForeignKey("area.id", ondelete="CASCADE"), primary_key=True),
    Column("layers", Text, nullable=False),
    Column("note", Text, nullable=False),
)  # fmt: skip
kit = Table(
    "kit", metadata,
    Column("id", String(64), primary_key=True),
    Column("name", Text, nullable=False),
    Column("pencils", Text, nullable=False),
    Column("swatches", Text, nullable=False),
)  # fmt: skip
setting = Table("setting", metadata, Column("key", String(64), primary_key=True), Column("value", Text, nullable=False))

TABLES: dict[type, Table] = {Commission: commission, Photo: photo, Area: area, Recipe: recipe, StudioKit: kit}


def key_of(record: Record) -> str:
    """The record's primary key."""
    return record.area_id if isinstance(record, Recipe) else record.id


def to_row(record: Record) -> dict:
    """Database row of a record."""
    row = asdict(record)
    if isinstance(record, Commission):
        row["tray"] = json.dumps(list(record.tray))
    elif isinstance(record, Photo):
        row["crop"] = json.dumps(list(record.crop))
    elif isinstance(record, Area):
        row["ring"] = json.dumps([[round(x, 2), round(y, 2)] for x, y in record.ring])
    elif isinstance(record, Recipe):
        row["layers"] = json.dumps([asdict(q) for q in record.layers], ensure_ascii=False)
    return row


def from_row(kind: type, row: dict) -> Record:
    """Record of a database row."""
    row = dict(row)
    if kind is Commission:
        row["tray"] = tuple(json.loads(row["tray"]))
    elif kind is Photo:
        row["crop"] = tuple(json.loads(row["crop"]))
    elif kind is Area:
        row["ring"] = tuple((float(x), float(y)) for x, y in json.loads(row["ring"]))
    elif kind is Recipe:
        row["layers"] = tuple(Layer(**q) for q in json.loads(row["layers"]))
    return kind(**row)
