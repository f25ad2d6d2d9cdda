"""Prints of a mix, as most tests want them."""

from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from gemischt.core.printing.files import files_of
from gemischt.core.session.document import Session
from gemischt.core.session.prints import FromTo, Print
from gemischt.operations.printing import Outcome, Printed, Unprinted, named_files, print_files
from gemischt.operations.workspace import OpenMedia
from gemischt.storage.audio_files import Progress, no_progress

MADE_AT = datetime(2026, 3, 4, 5, 6, 7, tzinfo=UTC)


def mix_order(session: Session, **settings: Any) -> Print:
    """The mix, in floating point unless that is said."""
    return Print.model_validate({"id": "p1", "strips": [session.mix.id], "format": "wav-32f"} | settings)


def print_mix(
    session: Session,
    media: OpenMedia,
    path: Path,
    *,
    bits: str = "32f",
    from_s: float | None = None,
    to_s: float | None = None,
    progress: Progress = no_progress,
    **settings: Any,
) -> Printed:
    """The mix as a WAV file of this name; raises what kept it from being written."""
    if from_s is not None or to_s is not None:
        stretch = FromTo(from_s=from_s or 0.0, to_s=to_s)
        settings |= {"stretch": stretch.model_dump(), "ends": "cut"}
    order = mix_order(session, format=f"wav-{bits}", **settings)
    named = [(file, path.stem) for file in files_of(session, order)]
    (outcome,) = print_files(session, media, named, path.parent, made_at=MADE_AT, overwrite=True, progress=progress)
    return printed(outcome)


def print_all(session: Session, media: OpenMedia, orders: Sequence[Print], folder: Path) -> list[Printed]:
    """Prints under the names that the session gives them, in the order of their list."""
    named = named_files(session, orders, MADE_AT)
    outcomes = print_files(session, media, named, folder, made_at=MADE_AT)
    order = {(file.order.id, file.part): place for place, (file, _) in enumerate(named)}
    outcomes.sort(key=lambda outcome: order[outcome.file.order.id, outcome.file.part])
    return [printed(outcome) for outcome in outcomes]


def printed(outcome: Outcome) -> Printed:
    """A file that was written."""
    if isinstance(outcome, Unprinted):
        raise outcome.error
    return outcome
