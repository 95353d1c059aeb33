"""Alembic's entry: run migrations on the configured database."""

from alembic import context
from sqlalchemy import create_engine

from rhombos.store.models import Base

url = context.config.get_main_option("sqlalchemy.url") or ""
engine = create_engine(url, connect_args={"connect_timeout": 5})
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
