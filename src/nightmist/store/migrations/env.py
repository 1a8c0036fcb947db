"""Alembic's entry: runs the migrations on the database whose address it was given."""

from alembic import context
from sqlalchemy import create_engine

from nightmist.store.tables import Base

engine = create_engine(context.config.attributes["url"])
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
