"""What the API says and takes of prints."""

from datetime import datetime

from pydantic import BaseModel, Field

from gemischt.api.schemas import ErrorBody
from gemischt.core.printing.delivery import Verdict, is_delivered, target_of, verdict_on
from gemischt.core.printing.limiting import Limiting
from gemischt.core.session.differences import Difference
from gemischt.core.session.document import Session
from gemischt.core.session.prints import FormatName, Print, Target
from gemischt.core.terms import Id
from gemischt.operations.handing_over import HandedOver
from gemischt.operations.measuring import summary_from_json
from gemischt.storage.print_runs import UNDER_WAY, FileEntry, FileState, RunHead


class PrintStart(BaseModel):
    """Which prints of the list, or others that are not on it; none named: the whole list."""

    prints: list[Id] = Field(default=[], max_length=1000)
    orders: list[Print] = Field(default=[], max_length=100)


class PrintComing(BaseModel):
    """What a print of the list would make: its files' names, or why it cannot be."""

    print: Id
    files: list[str]
    problem: ErrorBody | None = None


class FileSummary(BaseModel):
    """What is measured in a file; null is silence, or what does not exist."""

    sample_rate_hz: int
    channels: int
    duration_s: float
    sample_peak_dbfs: float | None
    true_peak_dbtp: float | None
    rms_dbfs: float | None
    integrated_lufs: float | None
    max_momentary_lufs: float | None
    max_short_term_lufs: float | None
    loudness_range_lu: float | None
    correlation: float | None


class FileFigures(BaseModel):
    """What came of a file that is whole.

    ``ringing_dbfs`` is how loud it still rang where it was cut, null if it had fallen silent; ``limiting`` what the
    limiters of its strip did, null where there are none.
    """

    summary: FileSummary
    rate_hz: int
    clipped_samples: int
    ringing_dbfs: float | None
    limiting: Limiting | None = None
    start_s: float
    size_bytes: int


class PrintedFile(BaseModel):
    """A file of a run: what it is to be, how far it is, what is in it, and whether that is what is asked for."""

    id: str
    run: str
    print: Id
    order: Print
    name: str
    file_name: str | None
    state: FileState
    result: FileFigures | None
    error: ErrorBody | None
    verdict: Verdict | None
    edit: int
    revision: int
    made_at: datetime

    @classmethod
    def of(cls, head: RunHead, entry: FileEntry, session: Session, *, is_under_way: bool) -> "PrintedFile":
        """``is_under_way``: whether somebody works on its run; nobody does once a program has ended."""
        verdict, target = None, target_of(session)
        if target is not None and entry.result is not None and is_delivered(session, entry.order):
            summary = summary_from_json(entry.result["summary"])
            verdict = verdict_on(target, summary, entry.order.format, entry.result["rate_hz"])
        return cls(
            id=entry.id,
            run=head.id,
            print=entry.order.id,
            order=entry.order,
            name=entry.stem,
            file_name=entry.file_name,
            state="stopped" if entry.state in UNDER_WAY and not is_under_way else entry.state,
            result=None if entry.result is None else FileFigures.model_validate(entry.result),
            error=None if entry.error is None else ErrorBody.model_validate(entry.error),
            verdict=verdict,
            edit=head.edit,
            revision=head.revision,
            made_at=head.made_at,
        )


class PrintedSince(BaseModel):
    """What changed in the song since a print."""

    differences: list[Difference]
    edits: int


class FormatListing(BaseModel):
    """A format to print in."""

    format: FormatName
    words: str
    is_lossy: bool
    most_channels: int
    rates_hz: list[int]


class PrintChoices(BaseModel):
    """What prints can be meant for, own and published, what other songs share, and the formats there are."""

    targets: list[Target]
    shared: list[Target]
    formats: list[FormatListing]


class BringBackOrder(BaseModel):
    """How a print is to come back."""

    in_place: bool = False


class AgainstOrder(BaseModel):
    """What a printed file is compared with."""

    other: Id


class HandOverOrder(BaseModel):
    """What is to be handed over: the session, its tracks as files of their own, or the sheet alone."""

    kind: HandedOver = "session"


class FileCurve(BaseModel):
    """A file along its length: magnitude, and short-term loudness; -inf is null."""

    duration_s: float
    peaks: list[float]
    short_term_lufs: list[float | None]
