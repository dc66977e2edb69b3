"""First tables: commission, photo, area, recipe, setting."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "commission",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("client", sa.Text, nullable=False),
        sa.Column("animal", sa.Text, nullable=False),
        sa.Column("paper_id", sa.String(32), nullable=False),
        sa.Column("ground_hex", sa.String(7), nullable=False),
        sa.Column("width_mm", sa.Float, sa.CheckConstraint("width_mm > 0", name="width"), nullable=False),
        sa.Column("height_mm", sa.Float, sa.CheckConstraint("height_mm > 0", name="height"), nullable=False),
        sa.Column("border_mm", sa.Float, nullable=False),
        sa.Column("due", sa.String(10)),
        sa.Column("kit_id", sa.String(64), nullable=False),
        sa.Column("notes", sa.Text, nullable=False),
        sa.Column("stage", sa.String(16), nullable=False),
        sa.Column("created", sa.String(32), nullable=False),
    )
    op.create_table(
        "photo",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("commission_id", sa.String(32), sa.ForeignKey("commission.id", ondelete="CASCADE"), nullable=False),
        sa.Column("digest", sa.String(64), nullable=False),
        sa.Column("suffix", sa.String(8), nullable=False),
        sa.Column("original_name", sa.Text, nullable=False),
        sa.Column("width_px", sa.Integer, nullable=False),
        sa.Column("height_px", sa.Integer, nullable=False),
        sa.Column("crop", sa.Text, nullable=False),
        sa.Column("part", sa.String(32), nullable=False),
        sa.Column("position", sa.Integer, nullable=False),
    )
    op.create_index("ix_photo_commission_id", "photo", ["commission_id"])
    op.create_table(
        "area",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("commission_id", sa.String(32), sa.ForeignKey("commission.id", ondelete="CASCADE"), nullable=False),
        sa.Column("photo_id", sa.String(32), sa.ForeignKey("photo.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("surface_id", sa.String(32), nullable=False),
        sa.Column("ring", sa.Text, nullable=False),
        sa.Column("smooth", sa.Boolean, nullable=False),
    )
    op.create_index("ix_area_commission_id", "area", ["commission_id"])
    op.create_table(
        "recipe",
        sa.Column("area_id", sa.String(32), sa.ForeignKey("area.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("layers", sa.Text, nullable=False),
        sa.Column("note", sa.Text, nullable=False),
    )
    op.create_table("setting", sa.Column("key", sa.String(64), primary_key=True), sa.Column("value", sa.Text, nullable=False))


def downgrade() -> None:
    for name in ("setting", "recipe", "area", "photo", "commission"):
        op.drop_table(name)
