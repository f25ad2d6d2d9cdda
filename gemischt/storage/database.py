"""Opening the database, and its transactions."""

import contextlib
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event, inspect
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session as Transaction
from sqlalchemy.pool import NullPool

from gemischt.core.errors import GemischtError, StorageFailed
from gemischt.storage.tables import VERSION
from gemischt.storage.writing import written_beside

_WAIT_S = 15.0
"""How long a writer waits for another."""


class Database:
    """Transactions on one SQLite file. Any number of threads and processes may use it.

    Every acknowledged edit is on disk: write-ahead log, synchronised at each commit.
    """

    def __init__(self, path: Path) -> None:
        """Open or create the file and bring its tables up to date.

        Raises:
            StorageFailed: it is of a newer version, damaged, locked, or may not be written.
        """
        self._path = path
        with self._said():
            _bring_up_to_date(path)
        self._engine = _engine(path)
        self._writing = self._engine.execution_options(begin="IMMEDIATE")

    @contextmanager
    def reading(self) -> Iterator[Transaction]:
        """See the database as it stands now."""
        with self._said(), Transaction(self._engine) as transaction:
            yield transaction

    @contextmanager
    def writing(self) -> Iterator[Transaction]:
        """Change the database, all or nothing: what is read in here stays true until it is committed.

        Raises:
            StorageFailed: the disk or the database refused; nothing changed.
        """
        with self._said(), Transaction(self._writing, expire_on_commit=False) as transaction, transaction.begin():
            yield transaction

    def close(self) -> None:
        """Let go of the file."""
        self._engine.dispose()

    @contextmanager
    def _said(self) -> Iterator[None]:
        try:
            yield
        except DBAPIError as error:
            raise _failure(error.orig, self._path) from error
        except sqlite3.Error as error:
            raise _failure(error, self._path) from error


def _engine(path: Path, **options: Any) -> Engine:
    engine = create_engine(
        f"sqlite:///{path}",
        connect_args={"check_same_thread": False, "timeout": _WAIT_S, "isolation_level": None},
        **options,
    )
    event.listen(engine, "connect", _configure)
    event.listen(engine, "begin", _begin)
    return engine


def _configure(connection: Any, _record: Any) -> None:
    cursor = connection.cursor()
    for pragma in ("foreign_keys=ON", "journal_mode=WAL", "synchronous=FULL"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _begin(connection: Connection) -> None:
    """Python's driver begins transactions only at the first change; what was read before could be out of date then."""
    connection.exec_driver_sql(f"BEGIN {connection.get_execution_options().get('begin', 'DEFERRED')}")


def _bring_up_to_date(path: Path) -> None:
    """Make or migrate the tables in one transaction; what was there is kept beside it first."""
    engine = _engine(path, poolclass=NullPool)
    with engine.connect() as connection:
        if _version_of(connection) == VERSION:
            return
    from gemischt.storage import updating

    with engine.execution_options(begin="IMMEDIATE").begin() as connection:
        found = _version_of(connection)
        if found == VERSION:
            return
        if found is not None and found not in updating.versions():
            raise StorageFailed(
                f"the database was made by a newer Gemischt (its tables are of version {found})",
                where=str(path),
                remedy="Update Gemischt, or choose another folder with --data.",
            )
        if found is not None:
            _keep_copy(path, path.with_name(f"{path.stem}-before-update-{found}{path.suffix}"))
        updating.update(connection)


def _version_of(connection: Connection) -> str | None:
    """Of the tables that are there; None where there are none yet."""
    if not inspect(connection).has_table("alembic_version"):
        return None
    return connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar()


def _keep_copy(path: Path, copy: Path) -> None:
    with (
        written_beside(copy) as temporary,
        contextlib.closing(sqlite3.connect(path)) as source,
        contextlib.closing(sqlite3.connect(temporary)) as target,
    ):
        source.backup(target)


_FAILURES: dict[int, tuple[str, str]] = {
    sqlite3.SQLITE_FULL: ("the disk is full", "Free some space and try again; nothing was lost."),
    sqlite3.SQLITE_BUSY: ("is in use by another program", "Wait for it, or end it, and try again."),
    sqlite3.SQLITE_READONLY: ("may not be written", "Allow writing to it, or choose another folder with --data."),
    sqlite3.SQLITE_CANTOPEN: (
        "cannot be opened",
        "Check that the folder can be written to, or choose another with --data.",
    ),
    sqlite3.SQLITE_NOTADB: ("is no database", "Move it away or restore a copy; see the guide on when things go wrong."),
    sqlite3.SQLITE_CORRUPT: ("is damaged", "Restore a copy; see the guide on when things go wrong."),
}


def _failure(error: object, path: Path) -> GemischtError:
    """What SQLite said, with a remedy."""
    code = getattr(error, "sqlite_errorcode", 0) & 0xFF
    what, remedy = _FAILURES.get(code, (f"the database refused ({error})", "Try again; see the log for more."))
    return StorageFailed(what, where=str(path), remedy=remedy)
