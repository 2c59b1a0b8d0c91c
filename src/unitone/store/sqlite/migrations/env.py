"""Alembic's entry: runs the migrations on the engine that it is handed."""

from alembic import context

from unitone.store.schema import Base

with context.config.attributes["engine"].connect() as connection:
    context.configure(
        connection=connection, target_metadata=Base.metadata, render_as_batch=True, transactional_ddl=True
    )
    with context.begin_transaction():
        context.run_migrations()
    connection.commit()
