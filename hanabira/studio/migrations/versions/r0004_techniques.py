"""Surfaces by their full names; the school, the finish and the coat an artist chose."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"

RENAMED = {"feathers": "contour-feathers", "mane": "mane-and-tail", "skin": "bare-skin-and-folds", "beak": "beak-and-cere"}


def upgrade() -> None:
    area = sa.table("area", sa.column("surface_id", sa.String))
    for old, new in RENAMED.items():
        op.execute(area.update().where(area.c.surface_id == old).values(surface_id=new))
    op.add_column("commission", sa.Column("school", sa.Text, nullable=False, server_default="{}"))
    op.add_column("area", sa.Column("coat", sa.String(32), nullable=False, server_default=""))
    op.add_column("area", sa.Column("finish", sa.Integer, nullable=False, server_default="0"))


def downgrade() -> None:
    op.drop_column("area", "finish")
    op.drop_column("area", "coat")
    op.drop_column("commission", "school")
    area = sa.table("area", sa.column("surface_id", sa.String))
    for old, new in RENAMED.items():
        op.execute(area.update().where(area.c.surface_id == new).values(surface_id=old))
