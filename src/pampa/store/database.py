"""Opening the database: SQLite in write-ahead mode, brought up to date by its migrations, all of them or none."""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event, inspect, text
from sqlalchemy.engine import ExceptionContext
from sqlalchemy.orm import Session, sessionmaker

from pampa.core.errors import DiskFull, PampaError
from pampa.core.faults import fault_point
from pampa.core.files.whole import whole

MIGRATIONS = Path(__file__).parent / "migrations"
COPIES_KEPT = 3
WAIT_S = 30


class DatabaseNewer(PampaError):
    """The data folder was used by a later release."""

    def __init__(self, path: Path, version: str) -> None:
        super().__init__(
            f"{path.parent} was last used by a newer Pampa (its data is of state {version}). Nothing was changed. "
            "Use that Pampa, or restore a backup from before."
        )


class DatabaseBusy(PampaError):
    """Another program holds the database."""

    def __init__(self, path: Path) -> None:
        super().__init__(f"Another program holds {path}. Nothing was changed. Close it, and try again.")


class DatabaseDamaged(PampaError):
    """The database cannot be read, or an upgrade of it cannot go on."""

    def __init__(self, path: Path, reason: str) -> None:
        super().__init__(
            f"{path} cannot be used: {reason}. Nothing was changed. The recordings beside it are safe. "
            f"Copies from before upgrades are in {path.parent / 'copies'}; a backup is taken in by `pampa restore`, "
            "and `pampa doctor` says more."
        )


class Sessions(sessionmaker[Session]):
    """Makes sessions: `sessions()` to read, `sessions.begin()` to write.

    A writing one takes the database's only write lock at its beginning, so that what it reads first still holds
    when it writes; a reading one sees the database as it stood when it began.
    """

    def __init__(self, engine: Engine) -> None:
        super().__init__(engine, expire_on_commit=False)
        self.engine = engine
        self._writing = engine.execution_options(writes=True)

    @contextmanager
    def begin(self) -> Iterator[Session]:
        """A session whose changes are on disk when the block ends, all or none."""
        with self(bind=self._writing) as session, session.begin():
            yield session


def open_database(path: Path) -> Sessions:
    """Open or make the database file, migrate it, and return what makes sessions.

    Raises DatabaseNewer, DatabaseBusy, DatabaseDamaged or DiskFull; then the file is as it was.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    path.touch()
    path.chmod(0o600)
    engine = engine_for(path)
    with in_sentences(path):
        migrate(engine)
    return Sessions(engine)


def engine_for(path: Path) -> Engine:
    """An engine whose commits are on disk when they return."""
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": WAIT_S})

    @event.listens_for(engine, "connect")
    def _connected(connection: Any, _record: Any) -> None:
        # Python's module would begin transactions by itself, and none around changes of tables.
        connection.isolation_level = None
        for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
            connection.execute(f"PRAGMA {pragma}")

    @event.listens_for(engine, "begin")
    def _began(connection: Connection) -> None:
        connection.exec_driver_sql("BEGIN IMMEDIATE" if connection.get_execution_options().get("writes") else "BEGIN")

    @event.listens_for(engine, "commit")
    def _committing(connection: Connection) -> None:
        if connection.get_execution_options().get("writes"):
            fault_point("commit")

    @event.listens_for(engine, "handle_error")
    def _failed(context: ExceptionContext) -> None:
        told = sentence_for(context.original_exception, path)
        if told:
            raise told from context.original_exception

    return engine


def sentence_for(error: BaseException, path: Path) -> PampaError | None:
    """What a person is told of an error of SQLite; None where it is a mistake of ours."""
    name = getattr(error, "sqlite_errorname", None) or ""
    if name.startswith(("SQLITE_FULL", "SQLITE_IOERR", "SQLITE_READONLY", "SQLITE_CANTOPEN")):
        return DiskFull()
    if name.startswith(("SQLITE_BUSY", "SQLITE_LOCKED")):
        return DatabaseBusy(path)
    if name.startswith(("SQLITE_CORRUPT", "SQLITE_NOTADB")):
        return DatabaseDamaged(path, "it is damaged")
    return None


@contextmanager
def in_sentences(path: Path) -> Iterator[None]:
    """Within, errors of SQLite that did not come through the engine become sentences too."""
    try:
        yield
    except sqlite3.Error as error:
        raise sentence_for(error, path) or DatabaseDamaged(path, str(error)) from error


def migrate(engine: Engine) -> None:
    """Run the migrations that the database has not seen, in one transaction, after a copy was laid beside it."""
    path = Path(engine.url.database or "")
    seen, known = seen_by(engine), known_states()
    if seen == known[-1]:
        return  # without loading Alembic, which would take a tenth of a start
    if seen is not None and seen not in known:
        raise DatabaseNewer(path, seen)
    if seen is not None:
        _keep_copy(path, seen)
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    try:
        with engine.execution_options(writes=True).begin() as connection:
            if seen is None:
                _clear_unfinished_start(connection, path)
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
    except PampaError:
        raise
    except Exception as error:  # whatever a migration finds, the folder is as it was
        raise DatabaseDamaged(path, f"its upgrade from state {seen or 'none'} failed ({error})") from error
    fault_point("migrated")


def known_states() -> list[str]:
    """The states of the tables that this release knows, oldest first."""
    return sorted(path.name[:4] for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))


def seen_by(engine: Engine) -> str | None:
    """The last migration that a database has seen."""
    with engine.connect() as connection:
        if not inspect(connection).has_table("alembic_version"):
            return None
        return connection.scalar(text("SELECT version_num FROM alembic_version"))


def _clear_unfinished_start(connection: Connection, path: Path) -> None:
    """Drop the empty tables that a first start of release 0.1.0 could leave when it was killed."""
    tables = inspect(connection).get_table_names()
    for table in tables:
        if connection.scalar(text(f'SELECT count(*) FROM "{table}"')):
            raise DatabaseDamaged(path, "it holds tables of another program, or of an upgrade that stopped half-way")
    connection.execute(text("PRAGMA defer_foreign_keys=ON"))
    for table in tables:
        connection.execute(text(f'DROP TABLE "{table}"'))


def _keep_copy(path: Path, state: str) -> None:
    """Lay a copy beside the database before it is changed, and keep the newest few."""
    folder = path.parent / "copies"
    folder.mkdir(mode=0o700, exist_ok=True)
    copy_database(path, folder / f"{datetime.now():%Y-%m-%d-%H%M%S}-{state}.db")
    for old in sorted(folder.glob("*.db"))[:-COPIES_KEPT]:
        old.unlink()


def copy_database(path: Path, to: Path) -> None:
    """A whole copy of a database as it stands at this moment, also while it is in use."""
    with in_sentences(path), whole(to) as making:
        making.unlink(missing_ok=True)
        connection = sqlite3.connect(path, timeout=WAIT_S)
        try:
            connection.execute("VACUUM INTO ?", (str(making),))
        finally:
            connection.close()
        making.chmod(0o600)


def close_database(sessions: Sessions) -> None:
    """Let the file go: what stands in its log is written into it."""
    sessions.engine.dispose()
