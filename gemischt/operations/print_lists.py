"""Print lists: begun, gone on with where they were stopped, and what they made brought back into the session."""

from collections.abc import Collection, Sequence
from dataclasses import asdict
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from gemischt.core.errors import Cancelled, GemischtError, InvalidAction, NotFound, RevisionConflict
from gemischt.core.printing.files import PrintFile, files_of
from gemischt.core.session.actions.prints import BringBack
from gemischt.core.session.document import Clip, Media, Session, Strip, empty_session
from gemischt.core.session.edits import fresh_id, with_strips
from gemischt.core.session.prints import Print
from gemischt.operations.measuring import summary_to_json
from gemischt.operations.printing import Outcome, Printed, named_files, print_files
from gemischt.operations.workspace import Workspace
from gemischt.storage.audio_files import Progress
from gemischt.storage.audio_writing import FORMATS
from gemischt.storage.print_runs import UNDER_WAY, FileEntry, WantedFile
from gemischt.storage.sessions import StoredSession

_TRIES = 5


def begin_run(workspace: Workspace, stored: StoredSession, orders: Sequence[Print]) -> str:
    """Note what is to be printed; the run's id.

    Raises:
        InvalidAction: a print cannot be, or there is none.
    """
    if not orders:
        raise InvalidAction("the print list is empty", where=stored.session.name, remedy="Add something to print.")
    named = named_files(stored.session, orders, datetime.now(UTC))
    wanted = [WantedFile(file.order, file.part, stem) for file, stem in named]
    return workspace.printed.begin(stored, wanted)


def run_list(workspace: Workspace, run_id: str, progress: Progress) -> list[FileEntry]:
    """Print all files of a run that are not there yet; what came of each.

    Raises:
        Cancelled: ``progress`` raised it; what is finished stays, the rest is stopped.
        GemischtError: nothing could be printed; the rest is stopped.
    """
    store = workspace.printed
    _, session = store.session_of(run_id)
    store.set_states(run_id, "waiting", among=("stopped", "failed", "running"))
    entries = {(entry.order.id, entry.part): entry for entry in store.files(run_id) if entry.state == "waiting"}
    try:
        named = [(file, entries[file.order.id, file.part].stem) for file in _files(session, entries.values())]
        store.set_states(run_id, "running")

        def note(outcome: Outcome) -> None:
            entry = entries[outcome.file.order.id, outcome.file.part]
            if isinstance(outcome, Printed):
                store.finish(entry.id, outcome.path.name, _result_of(workspace, session, outcome))
            else:
                store.fail(entry.id, outcome.error)

        if named:
            media = workspace.open_media(session)
            made_at = datetime.now(UTC)
            print_files(session, media, named, workspace.prints, made_at=made_at, progress=progress, watcher=note)
    except Cancelled:
        store.set_states(run_id, "stopped")
        raise
    except GemischtError as error:
        for entry in store.files(run_id):
            if entry.state in UNDER_WAY:
                store.fail(entry.id, error)
    return store.files(run_id)


def _files(session: Session, entries: Collection[FileEntry]) -> list[PrintFile]:
    orders = {entry.order.id: entry.order for entry in entries}
    wanted = {(entry.order.id, entry.part) for entry in entries}
    files = [file for order in orders.values() for file in files_of(session, order)]
    return [file for file in files if (file.order.id, file.part) in wanted]


def _result_of(workspace: Workspace, session: Session, printed: Printed) -> dict[str, Any]:
    result = {
        "summary": summary_to_json(printed.summary),
        "rate_hz": printed.rate_hz,
        "clipped_samples": printed.clipped_samples,
        "ringing_dbfs": printed.ringing_dbfs,
        "limiting": None if printed.limiting is None else asdict(printed.limiting),
        "start_s": printed.start_s,
        "size_bytes": printed.path.stat().st_size,
    }
    if printed.file.order.back != "no":
        audio = workspace.audio.add(printed.path, printed.path.name, sample_rate_hz=session.sample_rate_hz)
        result["sha256"] = audio.sha256
    return result


def bring_back(workspace: Workspace, session_id: str, entry: FileEntry, *, in_place: bool) -> StoredSession:
    """Let a printed file play in the session as it stands now.

    Raises:
        InvalidAction: it is of no single strip, or its strip is gone.
        NotFound: its file is gone.
    """
    path = printed_path(workspace, entry)
    _, printed_session = workspace.printed.session_of(entry.run)
    file = next(iter(_files(printed_session, [entry])))
    strips = {source.point.strip for source in file.sources if source.gain > 0.0}
    strip_id = entry.part if entry.order.every == "stem" else next(iter(strips))
    result = entry.result or {}
    for _ in range(_TRIES):
        stored = workspace.sessions.get(session_id)
        audio = workspace.audio.add(path, path.name, sample_rate_hz=stored.session.sample_rate_hz)
        media = Media(
            id=fresh_id(entry.stem, ()),
            path=f"audio/{fresh_id(entry.stem, ())}-{audio.sha256[:8]}{audio.path.suffix}",
            sha256=audio.sha256,
            duration_s=audio.duration_s,
        )
        start_s = _lands_at(printed_session, entry.order, float(result.get("start_s", 0.0)), audio.duration_s)
        action = BringBack(
            strip=strip_id,
            media=media,
            name=file.names.what[:200],
            start_s=start_s,
            in_place=in_place,
        )
        try:
            brought = workspace.edit(session_id, stored.revision, action)
        except RevisionConflict:
            continue
        workspace.printed.note(entry.id, brought_back_at=brought.revision)
        return brought
    raise RevisionConflict(
        "the session changed each time it was tried", where=session_id, remedy="Bring it back once more."
    )


def _lands_at(session: Session, order: Print, start_s: float, duration_s: float) -> float:
    """Where a print comes back: before a section, ending as that begins; reversed, where what it was made of begins;
    else where it was."""
    if order.lands is not None:
        ends_s = next(section.start_s for section in session.sections if section.name == order.lands)
        return max(0.0, ends_s - duration_s)
    return max(0.0, start_s - duration_s) if order.reversed else start_s


def printed_path(workspace: Workspace, entry: FileEntry) -> Path:
    """Where a printed file lies; NotFound if it is not there."""
    path = workspace.prints / (entry.file_name or "")
    if entry.file_name is None or not path.is_file():
        raise NotFound("the printed file is gone", where=entry.stem, remedy="Print it again.")
    return path


def remove_printed(workspace: Workspace, session_id: str, file_id: str) -> None:
    """Delete a printed file and forget it."""
    entry = workspace.printed.file(session_id, file_id)
    if entry.file_name is not None:
        (workspace.prints / entry.file_name).unlink(missing_ok=True)
    workspace.printed.remove(session_id, file_id)


def playing_only(workspace: Workspace, paths: Sequence[Path], name: str, sample_rate_hz: int) -> Session:
    """A session that plays files and nothing else, at a session's rate, so that they can be compared with a song, or
    with each other: all but the first are muted."""
    session = empty_session(name[:200]).model_copy(update={"sample_rate_hz": sample_rate_hz})
    media: list[Media] = []
    tracks: list[Strip] = []
    for number, path in enumerate(paths, start=1):
        audio = workspace.audio.add(path, path.name, sample_rate_hz=sample_rate_hz)
        one = Media(
            id=f"file-{number}",
            path=f"audio/file-{number}-{audio.sha256[:8]}{audio.path.suffix}",
            sha256=audio.sha256,
            duration_s=audio.duration_s,
        )
        media.append(one)
        clip, shown = Clip(media=one.id), path.stem[:200]
        tracks.append(Strip(id=one.id, name=shown, clips=(clip,), output=session.mix.id, mute=number > 1))
    return with_strips(session.model_copy(update={"media": tuple(media)}), (*tracks, session.mix))


def foreseen(session: Session) -> list[tuple[Print, list[str], GemischtError | None]]:
    """Each print of the list with the names of its files, or why it cannot be."""
    found: list[tuple[Print, list[str], GemischtError | None]] = []
    possible: list[Print] = []
    problems: dict[str, GemischtError] = {}
    for order in session.prints:
        try:
            files_of(session, order)
            possible.append(order)
        except GemischtError as error:
            problems[order.id] = error
    names: dict[str, list[str]] = {}
    try:
        for file, stem in named_files(session, possible, datetime.now(UTC)):
            names.setdefault(file.order.id, []).append(stem + FORMATS[file.order.format].suffix)
    except GemischtError as error:
        problems |= {order.id: error for order in possible}
    for order in session.prints:
        found.append((order, names.get(order.id, []), problems.get(order.id)))
    return found


def waiting_to_come_back(workspace: Workspace, run_id: str) -> list[FileEntry]:
    """Files of a run that are to come back and have not yet."""
    return [
        entry
        for entry in workspace.printed.files(run_id)
        if entry.state == "done" and entry.order.back != "no" and "brought_back_at" not in (entry.result or {})
    ]
