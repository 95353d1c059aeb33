"""The connection: an engine with short time-outs, so that a database that is away is told at once."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from importlib.resources import files

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import DBAPIError, OperationalError
from sqlalchemy.orm import Session, sessionmaker


class DatabaseAway(RuntimeError):
    """The database cannot be reached just now; nothing was changed."""


class Database:
    """One database, and sessions on it."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.engine: Engine = create_engine(
            url, pool_pre_ping=True, pool_recycle=1800, pool_size=8, max_overflow=8,
            connect_args={"connect_timeout": 2, "read_timeout": 10, "write_timeout": 10, "charset": "utf8mb4"},
        )  # fmt: skip
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session that commits at the end, or rolls back. Raises: DatabaseAway."""
        try:
            with self._sessions.begin() as session:
                yield session
        except OperationalError as error:
            raise DatabaseAway("the database cannot be reached") from error
        except DBAPIError as error:
            if error.connection_invalidated:
                raise DatabaseAway("the connection to the database broke") from error
            raise

    def ready(self) -> bool:
        """Whether the database answers."""
        try:
            with self.engine.connect() as connection:
                connection.execute(text("select 1"))
        except DBAPIError:
            return False
        return True

    def migrate(self, revision: str = "head") -> None:
        """Bring the tables to a revision, the newest by default."""
        command.upgrade(alembic_config(self.url), revision)


def alembic_config(url: str) -> Config:
    """Alembic's settings without a file of its own."""
    config = Config()
    config.set_main_option("script_location", str(files("rhombos.store") / "migrations"))
    config.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    return config
