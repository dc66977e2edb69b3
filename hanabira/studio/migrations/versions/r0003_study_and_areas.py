"""What was set on a photo, the backdrop, and what more an area knows of itself."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"

AREA = (
    ("holes", sa.Text, "[]"),
    ("level", sa.Integer, "0"),
    ("combing", sa.Text, "[]"),
    ("eye", sa.Text, "[]"),
    ("marking_kind", sa.String(32), ""),
    ("marking_edits", sa.Text, "[]"),
    ("colour_photo_id", sa.String(32), ""),
    ("colour_ring", sa.Text, "[]"),
)


def upgrade() -> None:
    op.add_column("commission", sa.Column("backdrop", sa.Text, nullable=False, server_default="paper"))
    op.add_column("photo", sa.Column("prep", sa.Text, nullable=False, server_default="{}"))
    for name, kind, default in AREA:
        op.add_column("area", sa.Column(name, kind, nullable=False, server_default=default))


def downgrade() -> None:
    for name, _kind, _default in AREA:
        op.drop_column("area", name)
    op.drop_column("photo", "prep")
    op.drop_column("commission", "backdrop")
