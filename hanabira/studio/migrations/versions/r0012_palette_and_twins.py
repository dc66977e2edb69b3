"""A commission keeps the pencils that were chosen over all its areas; an area knows the one of the other side."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    op.add_column("commission", sa.Column("palette", sa.Text, nullable=False, server_default="[]"))
    op.add_column("area", sa.Column("twin_id", sa.String(32), nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("area", "twin_id")
    op.drop_column("commission", "palette")
