"""Schema migrations (Alembic)."""
