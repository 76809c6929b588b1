"""Alembic's entry: migrations run online, against the address handed in."""

from alembic import context
from sqlalchemy import create_engine

from vistaline.store.models import Base

engine = create_engine(context.config.attributes["url"])
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
