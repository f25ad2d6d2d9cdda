"""Opening the database."""

from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event

from gemischt.core.errors import StorageFailed

_MIGRATIONS = Path(__file__).parent / "migrations"


def open_database(path: Path) -> Engine:
    """Open or create the database and bring its tables up to date.

    Every acknowledged edit is on disk: write-ahead log, synchronised at each commit.
    """
    engine = create_engine(f"sqlite:///{path}", connect_args={"check_same_thread": False, "timeout": 15.0})
    event.listen(engine, "connect", _configure)
    try:
        config = Config()
        config.set_main_option("script_location", str(_MIGRATIONS))
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
    except Exception as error:
        engine.dispose()
        raise StorageFailed(
            f"the database cannot be opened ({error})",
            where=str(path),
            remedy="Check that the folder can be written to, or choose another with --data.",
        ) from error
    return engine


def _configure(connection: Any, _record: Any) -> None:
    cursor = connection.cursor()
    for pragma in ("foreign_keys=ON", "journal_mode=WAL", "synchronous=FULL"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()
