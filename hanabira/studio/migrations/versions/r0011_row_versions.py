"""How often each row was changed: a change made from an older reading of it is refused."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
TABLES = ("commission", "photo", "area", "recipe", "kit", "log", "shot", "photo_check", "practice_round")


def upgrade() -> None:
    for table in TABLES:
        op.add_column(table, sa.Column("version", sa.Integer, nullable=False, server_default="0"))


def downgrade() -> None:
    for table in TABLES:
        with op.batch_alter_table(table) as batch:
            batch.drop_column("version")
