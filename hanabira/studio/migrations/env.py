"""Runs migrations on the connection that the studio hands over."""

from alembic import context

from hanabira.studio.migrations.schema import metadata

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=metadata, render_as_batch=True, transactional_ddl=True)
with context.begin_transaction():
    context.run_migrations()
