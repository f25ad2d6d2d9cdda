"""Snapshots of sessions, and findings that were put aside."""

import json
import uuid
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session as Transaction

from gemischt.core.errors import NotFound
from gemischt.core.session.document import Session
from gemischt.core.session.validation import dump_session, parse_session
from gemischt.storage.database import Database
from gemischt.storage.tables import PutAsideRow, SnapshotRow


@dataclass(frozen=True)
class SnapshotHead:
    """What a snapshot is called and how old it is."""

    id: str
    name: str
    made_at: datetime


@dataclass(frozen=True)
class Snapshot(SnapshotHead):
    """A session as it was."""

    session: Session


@dataclass(frozen=True)
class PutAside:
    """A finding nobody wants to see again while its evidence stays the same."""

    finding: str
    evidence_key: str
    reason: str


class SnapshotStore:
    """Snapshots of all sessions. Each method is one transaction."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self, session_id: str) -> list[SnapshotHead]:
        """A session's snapshots, the oldest first; their documents are not read."""
        wanted = (
            select(SnapshotRow.id, SnapshotRow.name, SnapshotRow.made_at)
            .where(SnapshotRow.session_id == session_id)
            .order_by(SnapshotRow.made_at)
        )
        with self._database.reading() as transaction:
            return [SnapshotHead(*row) for row in transaction.execute(wanted)]

    def get(self, session_id: str, snapshot_id: str) -> Snapshot:
        """One snapshot, or NotFound."""
        with self._database.reading() as transaction:
            return _snapshot(_row(transaction, session_id, snapshot_id))

    def add(self, session_id: str, name: str, session: Session) -> Snapshot:
        """Keep a session as it is."""
        with self._database.writing() as transaction:
            document = json.dumps(dump_session(session), ensure_ascii=False)
            row = SnapshotRow(id=uuid.uuid4().hex[:12], session_id=session_id, name=name, document=document)
            transaction.add(row)
            transaction.flush()
            return _snapshot(row)

    def remove(self, session_id: str, snapshot_id: str) -> None:
        """Forget a snapshot."""
        with self._database.writing() as transaction:
            transaction.delete(_row(transaction, session_id, snapshot_id))


class PutAsideStore:
    """What was put aside, by session."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self, session_id: str) -> list[PutAside]:
        """Everything a session has put aside."""
        with self._database.reading() as transaction:
            rows = transaction.scalars(select(PutAsideRow).where(PutAsideRow.session_id == session_id))
            return [PutAside(row.finding, row.evidence_key, row.reason) for row in rows]

    def put(self, session_id: str, aside: PutAside) -> None:
        """Put a finding aside, or anew with other evidence."""
        with self._database.writing() as transaction:
            transaction.merge(
                PutAsideRow(
                    session_id=session_id,
                    finding=aside.finding,
                    evidence_key=aside.evidence_key,
                    reason=aside.reason,
                )
            )

    def take_back(self, session_id: str, finding: str) -> None:
        """Show a finding again."""
        with self._database.writing() as transaction:
            row = transaction.get(PutAsideRow, (session_id, finding))
            if row is not None:
                transaction.delete(row)


def _row(transaction: Transaction, session_id: str, snapshot_id: str) -> SnapshotRow:
    row = transaction.get(SnapshotRow, snapshot_id)
    if row is None or row.session_id != session_id:
        raise NotFound("no such snapshot", where=snapshot_id, remedy="It may have been deleted.")
    return row


def _snapshot(row: SnapshotRow) -> Snapshot:
    return Snapshot(row.id, row.name, row.made_at, parse_session(json.loads(row.document), where=row.name))
