"""Alembic's entry: runs the migrations on the connection that it is handed, inside its transaction."""

from alembic import context

context.configure(connection=context.config.attributes["connection"])
context.run_migrations()
