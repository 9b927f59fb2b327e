"""Connecting, and bringing a database up to the newest migration."""

from pathlib import Path

from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session, sessionmaker

MIGRATIONS = Path(__file__).parent / "migrations"

Sessions = sessionmaker[Session]


def connect(url: str) -> Engine:
    """An engine for a postgresql+psycopg URL."""
    return create_engine(url, pool_pre_ping=True, pool_size=8, max_overflow=8)


def sessions(engine: Engine) -> Sessions:
    return sessionmaker(engine, expire_on_commit=False)


def migrate(engine: Engine) -> None:
    """Run all migrations that the database has not seen."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
