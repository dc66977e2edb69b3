"""Photos of the work; commissions are delivered and put away."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.add_column("commission", sa.Column("delivered", sa.String(10), nullable=False, server_default=""))
    op.add_column("commission", sa.Column("archived", sa.Boolean, nullable=False, server_default="0"))
    op.create_table(
        "shot",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("commission_id", sa.String(32), sa.ForeignKey("commission.id", ondelete="CASCADE"), nullable=False),
        sa.Column("digest", sa.String(64), nullable=False),
        sa.Column("suffix", sa.String(8), nullable=False),
        sa.Column("original_name", sa.Text, nullable=False),
        sa.Column("width_px", sa.Integer, nullable=False),
        sa.Column("height_px", sa.Integer, nullable=False),
        sa.Column("at", sa.String(32), nullable=False),
        sa.Column("step", sa.String(64), nullable=False),
        sa.Column("note", sa.Text, nullable=False),
    )
    op.create_index("ix_shot_commission_id", "shot", ["commission_id"])


def downgrade() -> None:
    op.drop_table("shot")
    op.drop_column("commission", "archived")
    op.drop_column("commission", "delivered")
