"""Engine, sessions and migrations; ``python -m`` this brings the tables to the newest form."""

from __future__ import annotations

import time
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

from vistaline.store.settings import Settings

__all__ = ["connect", "migrate", "migrations_of", "wait_for_database"]


def connect(url: str) -> tuple[Engine, sessionmaker[Session]]:
    """Return an engine and a maker of sessions.

    Connections are tested before use, so a restarted database costs nobody an error page.
    READ COMMITTED: a worker that looks for work sees what others have just finished.
    """
    engine = create_engine(
        url, pool_pre_ping=True, pool_recycle=3600, isolation_level="READ COMMITTED"
    )
    return engine, sessionmaker(engine, expire_on_commit=False)


def migrate(url: str) -> None:
    """Bring the tables to the newest form; does nothing if they have it."""
    command.upgrade(migrations_of(url), "head")


def migrations_of(url: str) -> Config:
    """Return what Alembic's commands are given for a database."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["url"] = url
    return config


def wait_for_database(url: str, seconds: float = 60) -> None:
    """Return when the database answers; the last error is raised when time is up."""
    engine = create_engine(url)
    deadline = time.monotonic() + seconds
    while True:
        try:
            with engine.connect() as connection:
                connection.execute(text("SELECT 1"))
            engine.dispose()
            return
        except OperationalError:
            if time.monotonic() > deadline:
                raise
            time.sleep(0.2)


if __name__ == "__main__":
    migrate(Settings.from_environment().database_url)
