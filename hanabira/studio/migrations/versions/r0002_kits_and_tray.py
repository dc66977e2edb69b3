"""Kits of the studio; the tray and the lightfastness floor of a commission."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.create_table(
        "kit",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("pencils", sa.Text, nullable=False),
        sa.Column("swatches", sa.Text, nullable=False),
    )
    op.add_column("commission", sa.Column("tray", sa.Text, nullable=False, server_default="[]"))
    op.add_column("commission", sa.Column("lasting_floor", sa.Integer, nullable=False, server_default="3"))


def downgrade() -> None:
    op.drop_column("commission", "lasting_floor")
    op.drop_column("commission", "tray")
    op.drop_table("kit")
