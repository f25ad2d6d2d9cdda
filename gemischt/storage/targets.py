"""Delivery targets that every song of a data folder can be held against."""

from sqlalchemy import select

from gemischt.core.errors import NotFound
from gemischt.core.session.prints import Target
from gemischt.storage.database import Database
from gemischt.storage.tables import TargetRow


class TargetStore:
    """Shared targets, each under its name. A session that uses one holds a copy. Each method is one transaction."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[Target]:
        """Every target, by name."""
        with self._database.reading() as transaction:
            rows = transaction.scalars(select(TargetRow).order_by(TargetRow.name))
            return [Target.model_validate_json(row.document) for row in rows]

    def keep(self, target: Target) -> None:
        """Share a target; one of the same name gives way."""
        with self._database.writing() as transaction:
            transaction.merge(TargetRow(name=target.name, document=target.model_dump_json()))

    def remove(self, name: str) -> None:
        """Share a target no longer, or NotFound; sessions keep their copies."""
        with self._database.writing() as transaction:
            row = transaction.get(TargetRow, name)
            if row is None:
                raise NotFound("no such target is shared", where=name, remedy="It may have been removed.")
            transaction.delete(row)
