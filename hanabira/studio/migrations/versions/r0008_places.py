"""Recipes keep the places they were planned by and the artist's aims; areas keep corrections of their places."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.add_column("recipe", sa.Column("places", sa.Text, nullable=False, server_default="[]"))
    op.add_column("recipe", sa.Column("aims", sa.Text, nullable=False, server_default="[]"))
    op.add_column("area", sa.Column("place_edits", sa.Text, nullable=False, server_default="[]"))


def downgrade() -> None:
    op.drop_column("area", "place_edits")
    op.drop_column("recipe", "aims")
    op.drop_column("recipe", "places")
