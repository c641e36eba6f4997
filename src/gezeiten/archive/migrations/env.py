"""Alembic's entry: runs the migrations on the connection that the archive hands over."""

from __future__ import annotations

from alembic import context

from gezeiten.archive.store.tables import Base

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=Base.metadata,
    render_as_batch=True,
)
with context.begin_transaction():
    context.run_migrations()
