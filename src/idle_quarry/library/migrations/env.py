"""Alembic's entry: runs the migrations on the connection the store hands over."""

from alembic import context

from idle_quarry.library.schema import metadata

context.configure(connection=context.config.attributes["connection"], target_metadata=metadata)
with context.begin_transaction():
    context.run_migrations()
