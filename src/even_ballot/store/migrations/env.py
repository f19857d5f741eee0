"""Runs migrations on the connection that `migrate` hands over."""

from alembic import context

from even_ballot.store.models import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
with context.begin_transaction():
    context.run_migrations()
