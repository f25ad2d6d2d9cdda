"""Tables: migrations give what the models say; a broken database is said."""

from sqlalchemy import inspect

from gemischt.core.errors import StorageFailed
from gemischt.storage.database import open_database
from gemischt.storage.tables import Base
from tests.support.workspaces import WorkspaceCase


class DatabaseTest(WorkspaceCase):
    def test_migrations_make_the_tables_of_the_models(self) -> None:
        engine = open_database(self.folder / "fresh.sqlite")
        self.addCleanup(engine.dispose)
        found = inspect(engine)
        for table in Base.metadata.sorted_tables:
            with self.subTest(table.name):
                columns = {column["name"]: column["nullable"] for column in found.get_columns(table.name)}
                self.assertEqual(columns, {column.name: column.nullable for column in table.columns})

    def test_opening_again_changes_nothing(self) -> None:
        path = self.folder / "again.sqlite"
        open_database(path).dispose()
        before = path.read_bytes()
        open_database(path).dispose()
        self.assertEqual(path.read_bytes(), before)

    def test_connections_are_safe(self) -> None:
        engine = open_database(self.folder / "safe.sqlite")
        self.addCleanup(engine.dispose)
        with engine.connect() as connection:
            for pragma, value in (("foreign_keys", 1), ("journal_mode", "wal"), ("synchronous", 2)):
                with self.subTest(pragma):
                    self.assertEqual(connection.exec_driver_sql(f"PRAGMA {pragma}").scalar(), value)

    def test_a_file_that_is_no_database_is_said(self) -> None:
        path = self.folder / "broken.sqlite"
        path.write_bytes(b"this is not a database at all" * 100)
        with self.assertRaises(StorageFailed) as caught:
            open_database(path)
        self.assertIn("cannot be opened", caught.exception.what)
        self.assertIn("--data", caught.exception.remedy)
