"""Rounds of practice."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.create_table(
        "practice_round",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("at", sa.String(32), nullable=False),
        sa.Column("drill", sa.String(32), nullable=False),
        sa.Column("seed", sa.Integer, nullable=False),
        sa.Column("minutes", sa.Float, nullable=False),
        sa.Column("told", sa.Text, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("practice_round")
