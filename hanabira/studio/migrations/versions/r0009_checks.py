"""Photos of the work keep what they told; recipes keep the stacks that were tried on scrap."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    op.add_column("recipe", sa.Column("tried", sa.Text, nullable=False, server_default="[]"))
    op.create_table(
        "photo_check",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("commission_id", sa.String(32), sa.ForeignKey("commission.id", ondelete="CASCADE"), nullable=False),
        sa.Column("at", sa.String(32), nullable=False),
        sa.Column("told", sa.Text, nullable=False),
        sa.Column("meant", sa.Text, nullable=False, server_default="[]"),
        sa.Column("said", sa.Text, nullable=False, server_default=""),
        sa.Column("log_rows", sa.Integer, nullable=False, server_default="0"),
    )
    op.create_index("ix_photo_check_commission_id", "photo_check", ["commission_id"])


def downgrade() -> None:
    op.drop_index("ix_photo_check_commission_id", "photo_check")
    op.drop_table("photo_check")
    op.drop_column("recipe", "tried")
