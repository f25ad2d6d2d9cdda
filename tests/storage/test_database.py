"""Tables: migrations give what the models say, whole or not at all; whatever is wrong with a database is said."""

import contextlib
import os
import signal
import sqlite3
import subprocess
import sys
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest.mock import patch

from sqlalchemy import create_engine, inspect, text

from gemischt.core.errors import StorageFailed
from gemischt.storage import database, updating
from gemischt.storage.database import Database
from gemischt.storage.tables import VERSION, Base
from tests.support.workspaces import WorkspaceCase

KILLED_WHILE_MIGRATING = """
import os, signal, sys
from pathlib import Path
from alembic import op
from gemischt.storage.database import Database
op.create_index = lambda *given, **options: os.kill(os.getpid(), signal.SIGKILL)
Database(Path(sys.argv[1]))
"""


def database_of_version(path: Path, version: str) -> None:
    """A database as an earlier program made it, with one session in it."""
    engine = create_engine(f"sqlite:///{path}")
    with engine.begin() as connection:
        updating.update(connection, version)
        moment = "2026-01-02 03:04:05"
        connection.execute(
            text(f"INSERT INTO sessions VALUES ('s', 'Old', '{{}}', 1, 0, '{moment}', '{moment}', NULL)")
        )
    engine.dispose()


class DatabaseTest(WorkspaceCase):
    def opened(self, path: Path) -> Database:
        opened = Database(path)
        self.addCleanup(opened.close)
        return opened

    def assert_refused(self, path: Path, *words: str) -> None:
        before = path.read_bytes()
        with self.assertRaises(StorageFailed) as caught:
            self.opened(path)
        for word in words:
            self.assertIn(word, str(caught.exception))
        self.assertEqual(path.read_bytes(), before)

    def test_migrations_make_the_tables_of_the_models(self) -> None:
        with self.opened(self.folder / "fresh.sqlite").reading() as transaction:
            found = inspect(transaction.connection())
            for table in Base.metadata.sorted_tables:
                with self.subTest(table.name):
                    columns = {column["name"]: column["nullable"] for column in found.get_columns(table.name)}
                    self.assertEqual(columns, {column.name: column.nullable for column in table.columns})

    def test_the_newest_migration_makes_the_tables_of_today(self) -> None:
        self.assertEqual(updating.versions()[0], VERSION)

    def test_one_of_today_opens_at_once_whoever_writes_to_it(self) -> None:
        path = self.folder / "shared.sqlite"
        Database(path).close()
        with contextlib.closing(sqlite3.connect(path)) as other:
            other.execute("BEGIN IMMEDIATE")
            with patch.object(database, "_WAIT_S", 0.1), self.opened(path).reading() as transaction:
                self.assertEqual(transaction.execute(text("SELECT count(*) FROM presets")).scalar(), 0)

    def test_opening_again_changes_nothing(self) -> None:
        path = self.folder / "again.sqlite"
        Database(path).close()
        before = path.read_bytes()
        Database(path).close()
        self.assertEqual(path.read_bytes(), before)

    def test_connections_are_safe(self) -> None:
        with self.opened(self.folder / "safe.sqlite").reading() as transaction:
            for pragma, value in (("foreign_keys", 1), ("journal_mode", "wal"), ("synchronous", 2)):
                with self.subTest(pragma):
                    self.assertEqual(transaction.execute(text(f"PRAGMA {pragma}")).scalar(), value)

    def test_times_are_read_with_their_zone(self) -> None:
        stored = self.new_session()
        changed_at = self.workspace.sessions.entries()[0].changed_at
        self.assertEqual(changed_at.utcoffset(), timedelta(0))
        self.assertLess(abs(datetime.now(UTC) - changed_at), timedelta(minutes=1))
        self.assertEqual(stored.revision, 1)


class MigrationTest(DatabaseTest):
    def sessions(self, path: Path) -> list[str]:
        with self.opened(path).reading() as transaction:
            return list(transaction.execute(text("SELECT name FROM sessions")).scalars())

    def test_an_older_database_is_kept_beside_the_new_one(self) -> None:
        path = self.folder / "old.sqlite"
        database_of_version(path, "0001")
        self.assertEqual(self.sessions(path), ["Old"])
        with contextlib.closing(sqlite3.connect(self.folder / "old-before-update-0001.sqlite")) as kept:
            self.assertEqual(kept.execute("SELECT version_num FROM alembic_version").fetchall(), [("0001",)])
            self.assertEqual(kept.execute("SELECT name FROM sessions").fetchall(), [("Old",)])

    def test_a_kill_in_the_middle_leaves_the_old_tables_and_the_next_start_goes_on(self) -> None:
        path = self.folder / "killed.sqlite"
        database_of_version(path, "0001")
        killed = subprocess.run([sys.executable, "-c", KILLED_WHILE_MIGRATING, str(path)], env=os.environ, check=False)
        self.assertEqual(killed.returncode, -signal.SIGKILL)
        with contextlib.closing(sqlite3.connect(path)) as left:
            tables = {name for (name,) in left.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        self.assertNotIn("presets", tables)
        self.assertEqual(self.sessions(path), ["Old"])

    def test_what_an_earlier_program_left_half_way_is_finished(self) -> None:
        path = self.folder / "half.sqlite"
        database_of_version(path, "0002")
        with contextlib.closing(sqlite3.connect(path)) as half:
            half.execute("UPDATE alembic_version SET version_num = '0001'")
            half.commit()
        self.assertEqual(self.sessions(path), ["Old"])


class RefusedTest(DatabaseTest):
    def test_a_newer_database(self) -> None:
        path = self.folder / "newer.sqlite"
        Database(path).close()
        with contextlib.closing(sqlite3.connect(path)) as newer:
            newer.execute("UPDATE alembic_version SET version_num = '9999'")
            newer.commit()
        self.assert_refused(path, "newer Gemischt", "9999", "Update")

    def test_a_file_that_is_no_database(self) -> None:
        path = self.folder / "words.sqlite"
        path.write_bytes(b"this is not a database at all" * 100)
        self.assert_refused(path, "is no database", "restore a copy")

    def test_a_damaged_database(self) -> None:
        path = self.folder / "damaged.sqlite"
        Database(path).close()
        with path.open("r+b") as file:
            file.seek(100)
            file.write(b"\xff" * 8000)
        self.assert_refused(path, "is damaged")

    def test_an_older_one_that_somebody_else_writes_to(self) -> None:
        path = self.folder / "busy.sqlite"
        database_of_version(path, "0005")
        with contextlib.closing(sqlite3.connect(path)) as other:
            other.execute("BEGIN IMMEDIATE")
            with patch.object(database, "_WAIT_S", 0.1):
                self.assert_refused(path, "in use by another program")

    def test_a_folder_that_cannot_be_written(self) -> None:
        with self.assertRaises(StorageFailed) as caught:
            Database(self.folder / "missing" / "gemischt.sqlite")
        self.assertIn("cannot be opened", caught.exception.what)

    def test_a_file_that_may_only_be_read(self) -> None:
        path = self.folder / "read-only.sqlite"
        opened = self.opened(path)
        with opened.reading() as transaction:
            transaction.execute(text("PRAGMA query_only = ON"))
        with self.assertRaises(StorageFailed) as caught, opened.writing() as transaction:
            transaction.execute(text("DELETE FROM sessions"))
        self.assertIn("may not be written", caught.exception.what)

    def test_a_full_disk_loses_nothing_and_goes_on_when_there_is_space(self) -> None:
        path = self.folder / "full.sqlite"
        opened = self.opened(path)
        with opened.reading() as transaction:
            pages = transaction.execute(text("PRAGMA page_count")).scalar_one()
            transaction.execute(text(f"PRAGMA max_page_count = {pages}"))
        values = {"text": "x" * 100000}
        insert = text("INSERT INTO presets VALUES ('p', 'P', :text, '2026-01-01')")
        with self.assertRaises(StorageFailed) as caught, opened.writing() as transaction:
            transaction.execute(insert, values)
        self.assertIn("disk is full", caught.exception.what)
        with opened.reading() as transaction:
            transaction.execute(text("PRAGMA max_page_count = 1000000"))
        with opened.writing() as transaction:
            transaction.execute(insert, values)
            self.assertEqual(transaction.execute(text("SELECT count(*) FROM presets")).scalar(), 1)
