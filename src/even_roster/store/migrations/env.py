"""Alembic's entry: migrates the connection that `database` hands over."""

from alembic import context

from even_roster.store.tables import metadata

context.configure(connection=context.config.attributes["connection"], target_metadata=metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
