"""Alembic's entry: the connection is handed over by store.migrate."""

from alembic import context

from handlens.store.models import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
with context.begin_transaction():
    context.run_migrations()
