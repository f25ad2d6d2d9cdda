"""Making the tables of a database, and bringing those of an earlier program up to date.

It lies apart from where databases are opened because it is seldom needed, and takes long to load.
"""

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import Connection

_MIGRATIONS = Path(__file__).parent / "migrations"


def versions() -> list[str]:
    """Of all tables there have ever been, the newest first."""
    return [script.revision for script in ScriptDirectory.from_config(_config()).walk_revisions()]


def update(connection: Connection, version: str = "head") -> None:
    """Make or migrate the tables, in the connection's transaction."""
    config = _config()
    config.attributes["connection"] = connection
    command.upgrade(config, version)


def _config() -> Config:
    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    return config
