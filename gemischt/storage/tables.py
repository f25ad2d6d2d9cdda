"""The database's tables."""

from datetime import UTC, datetime

from sqlalchemy import DateTime, Dialect, ForeignKey, String, Text, TypeDecorator, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

VERSION = "0006"
"""Of these tables: the newest migration makes them."""


def now() -> datetime:
    """The present, in UTC."""
    return datetime.now(UTC)


class Moment(TypeDecorator[datetime]):
    """A time in UTC. SQLite keeps no zone: it is put back where times are read."""

    impl = DateTime(timezone=True)
    cache_ok = True

    def process_result_value(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return None if value is None else value.replace(tzinfo=UTC)


class Base(DeclarativeBase):
    """Base of all tables."""


class SessionRow(Base):
    """A session: its document, how often it changed, and how many of its edits are applied."""

    __tablename__ = "sessions"

    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    document: Mapped[str] = mapped_column(Text)
    revision: Mapped[int] = mapped_column(default=1)
    applied_edits: Mapped[int] = mapped_column(default=0)
    created_at: Mapped[datetime] = mapped_column(Moment, default=now)
    changed_at: Mapped[datetime] = mapped_column(Moment, default=now)
    deleted_at: Mapped[datetime | None] = mapped_column(Moment, default=None)

    # A row is changed only while its revision is the one that was read.
    __mapper_args__ = {"version_id_col": revision, "version_id_generator": False}  # noqa: RUF012


class EditRow(Base):
    """An edit as JSON Patches (RFC 6902) both ways; ``position`` counts from 1."""

    __tablename__ = "edits"
    __table_args__ = (UniqueConstraint("session_id", "position"),)

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    session_id: Mapped[str] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    name: Mapped[str] = mapped_column(Text)
    forward: Mapped[str] = mapped_column(Text)
    backward: Mapped[str] = mapped_column(Text)
    made_at: Mapped[datetime] = mapped_column(Moment, default=now)


class AudioRow(Base):
    """An imported file, found by the hash of its bytes."""

    __tablename__ = "audio"

    sha256: Mapped[str] = mapped_column(String(64), primary_key=True)
    name: Mapped[str] = mapped_column(String(255))
    file_name: Mapped[str] = mapped_column(String(100))
    sample_rate_hz: Mapped[int]
    channels: Mapped[int]
    frames: Mapped[int]
    added_at: Mapped[datetime] = mapped_column(Moment, default=now)


class PresetRow(Base):
    """Processors to recall: one, a chain, or a parallel block. Names may clash; ids do not."""

    __tablename__ = "presets"

    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    document: Mapped[str] = mapped_column(Text)
    made_at: Mapped[datetime] = mapped_column(Moment, default=now)


class SnapshotRow(Base):
    """A session's document as it was, under a name."""

    __tablename__ = "snapshots"

    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    session_id: Mapped[str] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(200))
    document: Mapped[str] = mapped_column(Text)
    made_at: Mapped[datetime] = mapped_column(Moment, default=now)


class PutAsideRow(Base):
    """A finding that was put aside with a reason, and the evidence it had then."""

    __tablename__ = "put_aside"

    session_id: Mapped[str] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), primary_key=True)
    finding: Mapped[str] = mapped_column(String(300), primary_key=True)
    evidence_key: Mapped[str] = mapped_column(String(300))
    reason: Mapped[str] = mapped_column(Text)
    made_at: Mapped[datetime] = mapped_column(Moment, default=now)


class PrintRunRow(Base):
    """A list of prints begun at once, and the session as it stood then: ``edit`` counts its edits."""

    __tablename__ = "print_runs"

    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    session_id: Mapped[str] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    revision: Mapped[int]
    edit: Mapped[int]
    document: Mapped[str] = mapped_column(Text)
    made_at: Mapped[datetime] = mapped_column(Moment, default=now)


class PrintedFileRow(Base):
    """One file of a run, in the order of its list: what it is to be, how far it is, and what became of it."""

    __tablename__ = "printed_files"

    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    run_id: Mapped[str] = mapped_column(ForeignKey("print_runs.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    order: Mapped[str] = mapped_column(Text)
    part: Mapped[str] = mapped_column(String(400))
    stem: Mapped[str] = mapped_column(String(300))
    state: Mapped[str] = mapped_column(String(16))
    file_name: Mapped[str | None] = mapped_column(String(300), default=None)
    result: Mapped[str | None] = mapped_column(Text, default=None)
    error: Mapped[str | None] = mapped_column(Text, default=None)


class GlanceRow(Base):
    """What was measured last of a session, and of which revision."""

    __tablename__ = "glances"

    session_id: Mapped[str] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), primary_key=True)
    revision: Mapped[int]
    figures: Mapped[str] = mapped_column(Text)


class TargetRow(Base):
    """A delivery target that sessions share."""

    __tablename__ = "targets"

    name: Mapped[str] = mapped_column(String(200), primary_key=True)
    document: Mapped[str] = mapped_column(Text)
