"""What was agreed on a commission, and the log of its steps."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.add_column("commission", sa.Column("terms", sa.Text, nullable=False, server_default="{}"))
    op.create_table(
        "log",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("commission_id", sa.String(32), sa.ForeignKey("commission.id", ondelete="CASCADE"), nullable=False),
        sa.Column("step", sa.String(64), nullable=False),
        sa.Column("area_id", sa.String(64), nullable=False),
        sa.Column("area_name", sa.Text, nullable=False),
        sa.Column("surface_id", sa.String(32), nullable=False),
        sa.Column("role", sa.String(32), nullable=False),
        sa.Column("pencil", sa.Text, nullable=False),
        sa.Column("pressure", sa.Integer, nullable=False),
        sa.Column("minutes", sa.Float, nullable=False),
        sa.Column("guess_min", sa.Float, nullable=False),
        sa.Column("at", sa.String(32), nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("differs", sa.Text, nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
    )
    op.create_index("ix_log_commission_id", "log", ["commission_id"])


def downgrade() -> None:
    op.drop_table("log")
    op.drop_column("commission", "terms")
