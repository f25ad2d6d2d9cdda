"""What was measured last of each session, so that a list of them can show it."""

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass

from sqlalchemy import select

from gemischt.storage.database import Database
from gemischt.storage.sessions import StoredSession
from gemischt.storage.tables import GlanceRow


@dataclass(frozen=True)
class Glance:
    """A song at a glance: of which revision, how long, how loud (None for silence), how much was found, and the highest
    magnitude in each of equal parts of it."""

    revision: int
    duration_s: float
    integrated_lufs: float | None
    findings: int
    peaks: tuple[float, ...]


class GlanceStore:
    """Glances of all sessions. Each method is one transaction."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def keep(self, session_id: str, glance: Glance) -> None:
        """Keep the newest."""
        figures = asdict(glance)
        revision = figures.pop("revision")
        with self._database.writing() as transaction:
            known = transaction.get(GlanceRow, session_id)
            if known is None or known.revision <= revision:
                row = GlanceRow(session_id=session_id, revision=revision, figures=json.dumps(figures))
                transaction.merge(row)

    def copy(self, stored: StoredSession, duplicate: StoredSession) -> None:
        """Keep what was measured of a session, as it stands, for its duplicate too."""
        with self._database.writing() as transaction:
            known = transaction.get(GlanceRow, stored.id)
            if known is not None and known.revision == stored.revision:
                copied = GlanceRow(session_id=duplicate.id, revision=duplicate.revision, figures=known.figures)
                transaction.merge(copied)

    def all(self) -> Mapping[str, Glance]:
        """By session."""
        with self._database.reading() as transaction:
            return {row.session_id: _glance(row) for row in transaction.scalars(select(GlanceRow))}


def _glance(row: GlanceRow) -> Glance:
    figures = json.loads(row.figures)
    return Glance(**figures | {"revision": row.revision, "peaks": tuple(figures["peaks"])})
