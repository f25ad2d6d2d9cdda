"""What the API says and takes. Levels that are minus infinity inside are written as null."""

from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, Field, field_validator

from gemischt.core.analysis.reports.relation_words import WordRole
from gemischt.core.analysis.reports.relations import RelationKind
from gemischt.core.parameters import Parameter
from gemischt.core.processors.registry import KindName
from gemischt.core.session.actions import AnyAction
from gemischt.core.session.document import Session
from gemischt.core.session.presets import Preset
from gemischt.core.session.racks import RackName
from gemischt.core.session.tree import TreeRow, tree_of
from gemischt.core.session.ways import WayName
from gemischt.core.terms import Id, Name, SongTime
from gemischt.operations.jobs import Job, JobState
from gemischt.operations.task_process import task_process
from gemischt.storage.glances import Glance
from gemischt.storage.presets import StoredPreset
from gemischt.storage.sessions import StoredSession, StripName
from gemischt.storage.snapshots import SnapshotHead


class FaultBody(BaseModel):
    path: str
    reason: str


class ErrorBody(BaseModel):
    """Every error: what is wrong, where, and what to do."""

    what: str
    where: str
    remedy: str
    faults: list[FaultBody] = []


class SessionState(BaseModel):
    """A session as it stands, and the rows it is read in; ``undo`` and ``redo`` name the edits next in line."""

    id: str
    revision: int
    document: Session
    tree: tuple[TreeRow, ...]
    undo: str | None
    redo: str | None

    @classmethod
    def of(cls, stored: StoredSession) -> "SessionState":
        return cls(
            id=stored.id,
            revision=stored.revision,
            document=stored.session,
            tree=tree_of(stored.session),
            undo=stored.undo,
            redo=stored.redo,
        )


class SessionListing(BaseModel):
    """A song in the list: its strips, and what was measured of it last, of which revision."""

    id: str
    name: str
    revision: int
    changed_at: datetime
    deleted: bool
    layout: str
    strips: list[StripName]
    is_sample: bool = False
    glance: Glance | None = None


class StorageState(BaseModel):
    """How much audio is kept, and how much room there is."""

    audio_bytes: int
    free_bytes: int


class HistoryListing(BaseModel):
    position: int
    name: str
    made_at: datetime
    applied: bool


class NewSession(BaseModel):
    name: Name


class Edit(BaseModel):
    """An action, made on a revision; a cure says which revision its evidence was measured on."""

    revision: int
    action: AnyAction
    evidence_revision: int | None = None


class Foresight(BaseModel):
    """An action to be foreseen."""

    action: AnyAction


class Step(BaseModel):
    """Undo or redo, made on a revision."""

    revision: int


class Stretch(BaseModel):
    """What to measure over, seconds; null is the whole song."""

    stretch_s: tuple[SongTime, SongTime] | None = None

    @field_validator("stretch_s")
    @classmethod
    def _check_order(cls, stretch_s: tuple[float, float] | None) -> tuple[float, float] | None:
        if stretch_s is not None and not 0.0 <= stretch_s[0] < stretch_s[1]:
            raise ValueError(f"must begin at 0 or later and end after that, got {stretch_s[0]:g} to {stretch_s[1]:g}")
        return stretch_s


class PutAsideBody(BaseModel):
    """A finding put aside: its id, the key of its evidence, and why."""

    finding: str = Field(min_length=1, max_length=300)
    evidence_key: str = Field(max_length=300)
    reason: str = Field(min_length=1, max_length=2000)


class NewSnapshot(BaseModel):
    name: Name


class MatchOrder(Stretch):
    """What to match the session's loudness with: a snapshot, or the session with an action applied."""

    snapshot: str | None = None
    action: AnyAction | None = None


class SnapshotListing(BaseModel):
    id: str
    name: str
    made_at: datetime

    @classmethod
    def of(cls, snapshot: SnapshotHead) -> "SnapshotListing":
        return cls(id=snapshot.id, name=snapshot.name, made_at=snapshot.made_at)


class TakeBackOrder(BaseModel):
    """Strips to take back; none is everything."""

    revision: int
    strips: list[Id] = []


class PresetListing(BaseModel):
    id: str
    preset: Preset

    @classmethod
    def of(cls, stored: StoredPreset) -> "PresetListing":
        return cls(id=stored.id, preset=stored.preset)


class RackListing(BaseModel):
    """A lane to start from."""

    rack: RackName
    label: str


class WayListing(BaseModel):
    """A way to make room to start from."""

    way: WayName
    label: str


class JobStatus(BaseModel):
    """``result`` is there once the state is done; ``waits_for`` says what keeps it from going on."""

    id: str
    title: str
    state: JobState
    progress: float
    waits_for: Literal["other jobs", "other programs"] | None = None
    result: Any = None
    error: ErrorBody | None = None

    @classmethod
    def of(cls, job: Job) -> "JobStatus":
        error = job.error and ErrorBody(what=job.error.what, where=job.error.where, remedy=job.error.remedy)
        busy = "other programs" if job.state == "running" and task_process.is_starved else None
        return cls(
            id=job.id,
            title=job.title,
            state=job.state,
            progress=job.progress,
            waits_for="other jobs" if job.state == "waiting" else busy,
            result=job.result,
            error=error or None,
        )


class MovableListing(BaseModel):
    """A parameter that may be drawn over the song, by its name for people, and its value in the document."""

    address: str
    name: str
    parameter: Parameter
    value: bool | float | None


class WordListing(BaseModel):
    """A word of a sentence: what it says, which strip it names, the address of the parameter it is."""

    text: str
    role: WordRole
    strip: str | None
    address: str | None


class RelationListing(BaseModel):
    """Something that makes room for something else, as a sentence."""

    id: str
    kind: RelationKind
    on: bool
    targets: tuple[str, ...]
    steps: tuple[str, ...]
    trigger: str | None
    owner: str
    switch: str
    sentence: str
    band: tuple[str, ...] | None
    words: tuple[WordListing, ...]


class RoomOrder(BaseModel):
    """Which strip is to make room, and for which."""

    target: Id
    trigger: Id


class DuckOrder(Stretch):
    """What to hear of what makes room: at which of its targets, over which stretch."""

    relation: str
    target: Id | None = None


class ProcessorListing(BaseModel):
    """A processor type and its parameter table as JSON Schema."""

    kind: KindName
    label: str
    takes_key: bool
    parameters: dict[str, Any]
