"""Opening the database: SQLite in write-ahead mode, brought up to date by its migrations."""

from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, event, inspect, text
from sqlalchemy.orm import Session, sessionmaker

MIGRATIONS = Path(__file__).parent / "migrations"


def open_database(path: Path) -> sessionmaker[Session]:
    """Open or make the database file, migrate it, and return what makes sessions."""
    path.parent.mkdir(parents=True, exist_ok=True)
    engine = engine_for(path)
    migrate(engine)
    return sessionmaker(engine, expire_on_commit=False)


def engine_for(path: Path) -> Engine:
    """An engine whose commits are on disk when they return."""
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 30})

    @event.listens_for(engine, "connect")
    def _pragmas(connection: Any, _record: Any) -> None:
        for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
            connection.execute(f"PRAGMA {pragma}")

    return engine


def migrate(engine: Engine) -> None:
    """Run the migrations that the database has not seen."""
    if _seen(engine) == max(path.name[:4] for path in (MIGRATIONS / "versions").glob("[0-9]*.py")):
        return  # without loading Alembic, which would take a tenth of a start
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def _seen(engine: Engine) -> str | None:
    """The last migration that this database has seen."""
    with engine.connect() as connection:
        if not inspect(connection).has_table("alembic_version"):
            return None
        return connection.scalar(text("SELECT version_num FROM alembic_version"))


def close_database(sessions: sessionmaker[Session]) -> None:
    """Let the file go: what stands in its log is written into it."""
    sessions.kw["bind"].dispose()
