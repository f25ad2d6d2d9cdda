"""Sessions with their edit history."""

import json
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import jsonpatch
from sqlalchemy import delete, select
from sqlalchemy.orm import Session as Transaction
from sqlalchemy.orm.exc import StaleDataError

from gemischt.core.errors import InvalidAction, NotFound, RevisionConflict, StorageFailed
from gemischt.core.session.actions import Action, SetSong, apply_action, name_of_edit
from gemischt.core.session.document import Session
from gemischt.core.session.validation import dump_session, parse_session
from gemischt.storage.database import Database
from gemischt.storage.patches import patch_between
from gemischt.storage.tables import EditRow, SessionRow, now


@dataclass(frozen=True)
class StoredSession:
    """A session as it stands: ``undo`` and ``redo`` name the edits next in line, None if there is none."""

    id: str
    revision: int
    session: Session
    undo: str | None
    redo: str | None


@dataclass(frozen=True)
class StripName:
    """What a strip is, and is called."""

    kind: str
    name: str


@dataclass(frozen=True)
class SessionEntry:
    """A line in the list of sessions."""

    id: str
    name: str
    revision: int
    changed_at: datetime
    deleted: bool
    layout: str
    strips: tuple[StripName, ...]


@dataclass(frozen=True)
class HistoryEntry:
    """One edit; undone edits wait to be redone."""

    position: int
    name: str
    made_at: datetime
    applied: bool


class SessionStore:
    """All sessions of a data folder. Each method is one transaction."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def entries(self, *, deleted: bool = False) -> list[SessionEntry]:
        """Sessions, or those in the bin, the last changed first."""
        with self._database.reading() as transaction:
            in_bin = SessionRow.deleted_at.is_not(None) if deleted else SessionRow.deleted_at.is_(None)
            rows = transaction.scalars(select(SessionRow).where(in_bin).order_by(SessionRow.changed_at.desc()))
            return [_entry(row) for row in rows]

    def create(self, session: Session) -> StoredSession:
        """Keep a new session under a new id."""
        row = SessionRow(id=uuid.uuid4().hex[:12], name=session.name, document=_to_json(session))
        with self._database.writing() as transaction:
            transaction.add(row)
            transaction.flush()
            return _stored(transaction, row)

    def get(self, session_id: str) -> StoredSession:
        """The session as it stands; NotFound if it is not there or in the bin."""
        with self._database.reading() as transaction:
            return _stored(transaction, _row(transaction, session_id))

    def find(self, name_or_id: str) -> StoredSession:
        """The session of this id, or the last changed of this name."""
        for entry in self.entries():
            if name_or_id in (entry.id, entry.name):
                return self.get(entry.id)
        raise NotFound("no such session", where=name_or_id, remedy="Give a session's name, id, or file.")

    def edit(self, session_id: str, revision: int, action: Action) -> StoredSession:
        """Apply an action to the revision the client saw.

        Raises:
            RevisionConflict: the session has changed since.
            InvalidAction, InvalidSession: the edit is refused; nothing changed.
        """
        with self._changing(session_id, revision) as (transaction, row):
            before = _from_json(row)
            after = apply_action(before, action)
            if after == before:
                return _stored(transaction, row)
            old, new = dump_session(before), dump_session(after)
            transaction.execute(
                delete(EditRow).where(EditRow.session_id == row.id, EditRow.position > row.applied_edits)
            )
            row.applied_edits += 1
            transaction.add(
                EditRow(
                    session_id=row.id,
                    position=row.applied_edits,
                    name=name_of_edit(action, before, after),
                    forward=patch_between(old, new),
                    backward=patch_between(new, old),
                )
            )
            _keep(row, after)
            transaction.flush()
            return _stored(transaction, row)

    def undo(self, session_id: str, revision: int) -> StoredSession:
        """Take the last edit back; InvalidAction if there is none."""
        return self._step(session_id, revision, 0, lambda edit: edit.backward, -1)

    def redo(self, session_id: str, revision: int) -> StoredSession:
        """Make the last undone edit again; InvalidAction if there is none."""
        return self._step(session_id, revision, 1, lambda edit: edit.forward, 1)

    def history(self, session_id: str) -> list[HistoryEntry]:
        """Every edit, the latest first."""
        with self._database.reading() as transaction:
            row = _row(transaction, session_id)
            edits = transaction.scalars(
                select(EditRow).where(EditRow.session_id == row.id).order_by(EditRow.position.desc())
            )
            return [HistoryEntry(e.position, e.name, e.made_at, e.position <= row.applied_edits) for e in edits]

    def duplicate(self, stored: StoredSession) -> StoredSession:
        """A copy under a new id and name, without history."""
        return self.create(SetSong(name=f"{stored.session.name} copy").apply(stored.session))

    def delete(self, session_id: str) -> None:
        """Put a session into the bin."""
        with self._database.writing() as transaction:
            _row(transaction, session_id).deleted_at = now()

    def restore(self, session_id: str) -> StoredSession:
        """Take a session out of the bin."""
        with self._database.writing() as transaction:
            row = transaction.get(SessionRow, session_id)
            if row is None:
                raise NotFound("no such session", where=session_id)
            row.deleted_at = None
            transaction.flush()
            return _stored(transaction, row)

    @contextmanager
    def _changing(self, session_id: str, revision: int) -> Iterator[tuple[Transaction, SessionRow]]:
        """One transaction from looking at the revision to writing the next: of two edits on one, one is refused."""
        try:
            with self._database.writing() as transaction:
                row = _row(transaction, session_id)
                if row.revision != revision:
                    raise _conflict(row.name, row.revision, revision)
                yield transaction, row
        except StaleDataError as error:
            raise _conflict(session_id, revision + 1, revision) from error

    def _step(
        self, session_id: str, revision: int, ahead: int, patch_of: Callable[[EditRow], str], direction: int
    ) -> StoredSession:
        with self._changing(session_id, revision) as (transaction, row):
            edit = _edit_at(transaction, row, row.applied_edits + ahead)
            if edit is None:
                word = "redo" if ahead else "undo"
                raise InvalidAction(f"there is nothing to {word}", where=row.name)
            document = jsonpatch.apply_patch(dump_session(_from_json(row)), patch_of(edit))
            row.applied_edits += direction
            _keep(row, parse_session(document))
            transaction.flush()
            return _stored(transaction, row)


def _entry(row: SessionRow) -> SessionEntry:
    """Read without being checked: a list is to be there at once."""
    strips = json.loads(row.document)["strips"]
    layout = next((strip.get("layout") for strip in strips if strip.get("kind") == "mix"), None) or "stereo"
    named = tuple(StripName(strip.get("kind", "track"), strip["name"]) for strip in strips)
    return SessionEntry(row.id, row.name, row.revision, row.changed_at, row.deleted_at is not None, layout, named)


def _row(transaction: Transaction, session_id: str) -> SessionRow:
    row = transaction.get(SessionRow, session_id)
    if row is None or row.deleted_at is not None:
        raise NotFound("no such session", where=session_id, remedy="It may be in the bin.")
    return row


def _conflict(where: str, current: int, given: int) -> RevisionConflict:
    return RevisionConflict(
        f"the session is at revision {current}, the edit was made on {given}",
        where=where,
        remedy="Look at what changed and edit again.",
    )


def _edit_at(transaction: Transaction, row: SessionRow, position: int) -> EditRow | None:
    wanted = select(EditRow).where(EditRow.session_id == row.id, EditRow.position == position)
    return transaction.scalars(wanted).one_or_none()


def _keep(row: SessionRow, session: Session) -> None:
    row.document = _to_json(session)
    row.name = session.name
    row.revision += 1
    row.changed_at = now()


def _stored(transaction: Transaction, row: SessionRow) -> StoredSession:
    last = _edit_at(transaction, row, row.applied_edits)
    following = _edit_at(transaction, row, row.applied_edits + 1)
    return StoredSession(
        id=row.id,
        revision=row.revision,
        session=_from_json(row),
        undo=last.name if last else None,
        redo=following.name if following else None,
    )


def _to_json(session: Session) -> str:
    return json.dumps(dump_session(session), ensure_ascii=False, separators=(",", ":"))


def _from_json(row: SessionRow) -> Session:
    try:
        document: dict[str, Any] = json.loads(row.document)
    except ValueError as error:
        raise StorageFailed("is damaged", where=row.name, remedy="Restore a copy of the database.") from error
    return parse_session(document, where=row.name)
