"""Run the steps on the connection that the logbook gives; read outside a migration, it does nothing."""

from __future__ import annotations

from contextlib import suppress

from alembic import context

from inkshelf.store.logbook.models import Base


def run() -> None:
    """Run what is due."""
    connection = context.config.attributes["connection"]
    context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
    with context.begin_transaction():
        context.run_migrations()


with suppress(NameError, AttributeError):  # so Alembic says that no migration is going on
    run()
