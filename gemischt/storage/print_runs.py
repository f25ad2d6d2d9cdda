"""What was printed and what is being printed: runs of print lists, file by file."""

import json
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from sqlalchemy import select, update
from sqlalchemy.orm import Session as Transaction

from gemischt.core.errors import GemischtError, NotFound
from gemischt.core.session.document import Session
from gemischt.core.session.prints import Print
from gemischt.core.session.validation import dump_session, parse_session
from gemischt.storage.database import Database
from gemischt.storage.sessions import StoredSession
from gemischt.storage.tables import PrintedFileRow, PrintRunRow, SessionRow

FileState = Literal["waiting", "running", "done", "failed", "stopped"]
"""A file that was stopped can be gone on with; so can one that failed."""
UNDER_WAY: tuple[FileState, ...] = ("waiting", "running")
"""True only while somebody does it."""


@dataclass(frozen=True)
class WantedFile:
    """A file to be: of which print, which part of it, and its name without a suffix."""

    order: Print
    part: str
    stem: str


@dataclass(frozen=True)
class FileEntry:
    """A file of a run. ``result`` is there once it is done, ``error`` why it is not."""

    id: str
    run: str
    order: Print
    part: str
    stem: str
    state: FileState
    file_name: str | None
    result: dict[str, Any] | None
    error: dict[str, Any] | None


@dataclass(frozen=True)
class RunHead:
    """A run: the session's id, its revision and how many edits it had, and when."""

    id: str
    session_id: str
    revision: int
    edit: int
    made_at: datetime


class PrintStore:
    """Runs of all sessions. Each method is one transaction."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def begin(self, stored: StoredSession, wanted: Sequence[WantedFile]) -> str:
        """Note what is to be printed of a session as it stands; the run's id."""
        with self._database.writing() as transaction:
            document = json.dumps(dump_session(stored.session), ensure_ascii=False)
            session = transaction.get_one(SessionRow, stored.id)
            run = PrintRunRow(
                id=_new_id(),
                session_id=stored.id,
                revision=stored.revision,
                edit=session.applied_edits,
                document=document,
            )
            transaction.add(run)
            transaction.flush()
            for position, file in enumerate(wanted):
                order = file.order.model_dump_json()
                row = PrintedFileRow(
                    id=_new_id(), run_id=run.id, position=position, order=order, part=file.part, stem=file.stem,
                    state="waiting",
                )  # fmt: skip
                transaction.add(row)
            return run.id

    def runs(self, session_id: str) -> list[tuple[RunHead, list[FileEntry]]]:
        """A session's runs with their files, the newest first."""
        with self._database.reading() as transaction:
            heads = transaction.execute(
                select(
                    PrintRunRow.id,
                    PrintRunRow.session_id,
                    PrintRunRow.revision,
                    PrintRunRow.edit,
                    PrintRunRow.made_at,
                )
                .where(PrintRunRow.session_id == session_id)
                .order_by(PrintRunRow.made_at.desc())
            )
            return [(RunHead(*head), _files(transaction, head[0])) for head in heads]

    def files(self, run_id: str) -> list[FileEntry]:
        """A run's files, in the order of its list."""
        with self._database.reading() as transaction:
            return _files(transaction, run_id)

    def file(self, session_id: str, file_id: str) -> FileEntry:
        """One file of a session's prints, or NotFound."""
        with self._database.reading() as transaction:
            return _entry(_row(transaction, session_id, file_id))

    def session_of(self, run_id: str) -> tuple[RunHead, Session]:
        """The session as it stood when a run began; NotFound."""
        with self._database.reading() as transaction:
            run = transaction.get(PrintRunRow, run_id)
            if run is None:
                raise NotFound("no such print", where=run_id, remedy="It may have been deleted.")
            head = RunHead(run.id, run.session_id, run.revision, run.edit, run.made_at)
            return head, parse_session(json.loads(run.document), where=run.id)

    def set_states(self, run_id: str, state: FileState, *, among: Sequence[str] = UNDER_WAY) -> None:
        """Let all files of a run that are in certain states be in another."""
        with self._database.writing() as transaction:
            transaction.execute(
                update(PrintedFileRow)
                .where(PrintedFileRow.run_id == run_id, PrintedFileRow.state.in_(among))
                .values(state=state, error=None)
            )

    def finish(self, file_id: str, file_name: str, result: dict[str, Any]) -> None:
        """A file is there."""
        written = json.dumps(result, ensure_ascii=False)
        self._set(file_id, state="done", file_name=file_name, result=written, error=None)

    def fail(self, file_id: str, error: GemischtError) -> None:
        """A file could not be written."""
        said = {"what": error.what, "where": error.where, "remedy": error.remedy}
        self._set(file_id, state="failed", error=json.dumps(said, ensure_ascii=False))

    def note(self, file_id: str, **more: Any) -> None:
        """Note more about a file that is there."""
        with self._database.writing() as transaction:
            row = transaction.get(PrintedFileRow, file_id)
            if row is not None and row.result is not None:
                row.result = json.dumps(json.loads(row.result) | more, ensure_ascii=False)

    def remove(self, session_id: str, file_id: str) -> None:
        """Forget a file, and its run with the last one."""
        with self._database.writing() as transaction:
            row = _row(transaction, session_id, file_id)
            run_id = row.run_id
            transaction.delete(row)
            transaction.flush()
            if transaction.scalar(select(PrintedFileRow.id).where(PrintedFileRow.run_id == run_id)) is None:
                transaction.delete(transaction.get_one(PrintRunRow, run_id))

    def _set(self, file_id: str, **values: Any) -> None:
        with self._database.writing() as transaction:
            transaction.execute(update(PrintedFileRow).where(PrintedFileRow.id == file_id).values(**values))


def _new_id() -> str:
    return uuid.uuid4().hex[:12]


def _files(transaction: Transaction, run_id: str) -> list[FileEntry]:
    wanted = select(PrintedFileRow).where(PrintedFileRow.run_id == run_id).order_by(PrintedFileRow.position)
    return [_entry(row) for row in transaction.scalars(wanted)]


def _row(transaction: Transaction, session_id: str, file_id: str) -> PrintedFileRow:
    row = transaction.get(PrintedFileRow, file_id)
    run = None if row is None else transaction.get(PrintRunRow, row.run_id)
    if row is None or run is None or run.session_id != session_id:
        raise NotFound("no such print", where=file_id, remedy="It may have been deleted.")
    return row


def _entry(row: PrintedFileRow) -> FileEntry:
    order = Print.model_validate_json(row.order)
    result = None if row.result is None else json.loads(row.result)
    error = None if row.error is None else json.loads(row.error)
    state: FileState = row.state  # type: ignore[assignment]
    return FileEntry(row.id, row.run_id, order, row.part, row.stem, state, row.file_name, result, error)
