"""The tables as the newest migration leaves them, for the migrations alone: a start reads and writes rows without the library that makes tables."""

from __future__ import annotations

from sqlalchemy import Boolean, CheckConstraint, Column, Float, ForeignKey, Integer, MetaData, String, Table, Text

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
    Column("palette", Text, nullable=False, server_default="[]"),
    Column("version", Integer, nullable=False, server_default="0"),
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
    Column("version", Integer, nullable=False, server_default="0"),
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
    Column("twin_id", String(32), nullable=False, server_default=""),
    Column("version", Integer, nullable=False, server_default="0"),
)  # fmt: skip
recipe = Table(
    "recipe", metadata,
    Column("area_id", ForeignKey("area.id", ondelete="CASCADE"), primary_key=True),
    Column("layers", Text, nullable=False),
    Column("note", Text, nullable=False),
    Column("places", Text, nullable=False, server_default="[]"),
    Column("aims", Text, nullable=False, server_default="[]"),
    Column("tried", Text, nullable=False, server_default="[]"),
    Column("version", Integer, nullable=False, server_default="0"),
)  # fmt: skip
kit = Table(
    "kit", metadata,
    Column("id", String(64), primary_key=True),
    Column("name", Text, nullable=False),
    Column("pencils", Text, nullable=False),
    Column("swatches", Text, nullable=False),
    Column("version", Integer, nullable=False, server_default="0"),
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
    Column("version", Integer, nullable=False, server_default="0"),
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
    Column("version", Integer, nullable=False, server_default="0"),
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
    Column("version", Integer, nullable=False, server_default="0"),
)  # fmt: skip
practice_round = Table(
    "practice_round", metadata,
    Column("id", String(32), primary_key=True),
    Column("at", String(32), nullable=False),
    Column("drill", String(32), nullable=False),
    Column("seed", Integer, nullable=False),
    Column("minutes", Float, nullable=False),
    Column("told", Text, nullable=False),
    Column("version", Integer, nullable=False, server_default="0"),
)  # fmt: skip
setting = Table("setting", metadata, Column("key", String(64), primary_key=True), Column("value", Text, nullable=False))
