"""Presets on disk."""

import json
import uuid
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session as Transaction

from gemischt.core.errors import NotFound
from gemischt.core.session.presets import Preset, parse_preset
from gemischt.storage.database import Database
from gemischt.storage.tables import PresetRow


@dataclass(frozen=True)
class StoredPreset:
    """A preset under its id; two may bear the same name."""

    id: str
    preset: Preset


class PresetStore:
    """All presets of a data folder. Each method is one transaction."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[StoredPreset]:
        """Every preset, by name."""
        with self._database.reading() as transaction:
            rows = transaction.scalars(select(PresetRow).order_by(PresetRow.name, PresetRow.made_at))
            return [_stored(row) for row in rows]

    def get(self, preset_id: str) -> StoredPreset:
        """The preset of this id, or NotFound."""
        with self._database.reading() as transaction:
            return _stored(_row(transaction, preset_id))

    def add(self, preset: Preset) -> StoredPreset:
        """Keep a preset; a name that is taken gets a number, so that nothing is overwritten."""
        with self._database.writing() as transaction:
            taken = set(transaction.scalars(select(PresetRow.name)))
            kept = preset.model_copy(update={"name": _free_name(preset.name, taken)})
            row = PresetRow(id=uuid.uuid4().hex[:12], name=kept.name, document=kept.model_dump_json(by_alias=True))
            transaction.add(row)
            transaction.flush()
            return StoredPreset(row.id, kept)

    def remove(self, preset_id: str) -> None:
        """Forget a preset; sessions that recalled it keep their processors."""
        with self._database.writing() as transaction:
            transaction.delete(_row(transaction, preset_id))


def _free_name(name: str, taken: set[str]) -> str:
    number = 2
    free = name
    while free in taken:
        free = f"{name[:190]} ({number})"
        number += 1
    return free


def _row(transaction: Transaction, preset_id: str) -> PresetRow:
    row = transaction.get(PresetRow, preset_id)
    if row is None:
        raise NotFound("no such preset", where=preset_id, remedy="It may have been deleted.")
    return row


def _stored(row: PresetRow) -> StoredPreset:
    return StoredPreset(row.id, parse_preset(json.loads(row.document), where=row.name))
