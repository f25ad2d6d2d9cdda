"""Sessions as files on disk: NAME.gemischt.json beside its audio, or both in one zip."""

import json
import shutil
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from gemischt.core.errors import BadAudio, Fault, GemischtError, InvalidSession
from gemischt.core.session.document import Media, Session
from gemischt.core.session.validation import dump_session, parse_session
from gemischt.operations.workspace import Workspace
from gemischt.storage.writing import disk_error, file_stem, written_beside

SUFFIX = ".gemischt.json"
MAX_ARCHIVE_ENTRIES = 5000
MAX_ARCHIVE_BYTES = 16 * 1024**3


@dataclass(frozen=True)
class LocatedSession:
    """A session and where it was found; ``session_id`` is None for a file on disk."""

    session: Session
    session_id: str | None


def is_session_file(reference: str) -> bool:
    """Whether a reference from the command line means a file."""
    return reference.endswith(".json") or Path(reference).is_file()


def locate_session(workspace: Workspace, reference: str) -> LocatedSession:
    """Find a session by name or id in the data folder, or read it from a file and take its audio in.

    Raises:
        NotFound, InvalidSession, BadAudio: with the place and the reason.
    """
    if not is_session_file(reference):
        stored = workspace.sessions.find(reference)
        return LocatedSession(stored.session, stored.id)
    with unpacked(Path(reference)) as path:
        session = read_session_file(path)
        media = tuple(_take_in(workspace, path.parent, item, session.sample_rate_hz) for item in session.media)
    return LocatedSession(session.model_copy(update={"media": media}), None)


@contextmanager
def unpacked(path: Path) -> Iterator[Path]:
    """The session document of a file: the file itself, or the one inside a zip, unpacked while in use.

    Raises:
        InvalidSession: the zip is damaged, too large, leads out of its folder, or holds not exactly one session.
    """
    if path.suffix.lower() != ".zip":
        yield path
        return
    with tempfile.TemporaryDirectory(prefix="gemischt-") as holder:
        folder = Path(holder)
        try:
            with zipfile.ZipFile(path) as archive:
                _check_archive(archive, folder, where=str(path))
                archive.extractall(folder)
        except (OSError, zipfile.BadZipFile) as error:
            raise InvalidSession([Fault("", f"is not a readable zip ({error})")], where=str(path)) from None
        documents = sorted(folder.glob(f"*{SUFFIX}"))
        if len(documents) != 1:
            reason = f"must hold one {SUFFIX} file, holds {len(documents)}"
            raise InvalidSession([Fault("", reason)], where=str(path))
        yield documents[0]


def _check_archive(archive: zipfile.ZipFile, folder: Path, *, where: str) -> None:
    entries = archive.infolist()
    faults: list[Fault] = []
    if len(entries) > MAX_ARCHIVE_ENTRIES:
        faults.append(Fault("", f"holds {len(entries)} files; the limit is {MAX_ARCHIVE_ENTRIES}"))
    if sum(entry.file_size for entry in entries) > MAX_ARCHIVE_BYTES:
        faults.append(Fault("", f"unpacks to more than {MAX_ARCHIVE_BYTES // 1024**3} GiB"))
    for entry in entries:
        if not (folder / entry.filename).resolve().is_relative_to(folder.resolve()):
            faults.append(Fault(entry.filename, "leads out of the archive's folder"))
    if faults:
        raise InvalidSession(faults, where=where)


def read_session_file(path: Path) -> Session:
    """Read and check a session file; InvalidSession lists every fault."""
    try:
        document = json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise InvalidSession([Fault("", f"cannot be read ({error.strerror})")], where=str(path)) from None
    except ValueError as error:
        raise InvalidSession([Fault("", f"is not JSON ({error})")], where=str(path)) from None
    return parse_session(document, where=str(path))


def check_session_file(path: Path) -> list[Fault]:
    """Every fault of a session file, the audio it names included; empty if it is sound."""
    faults: list[Fault] = []
    try:
        with unpacked(path) as document:
            for item in read_session_file(document).media:
                try:
                    _media_path(document.parent, item)
                except GemischtError as error:
                    faults.append(Fault(f"media/{item.id}/path", error.what))
    except InvalidSession as error:
        return error.faults
    return faults


def export_session(workspace: Workspace, session: Session, target: Path) -> Path:
    """Write a session with its audio to a folder, or to a zip if the target ends so; returns what was written.

    Raises:
        StorageFailed: the disk refused.
    """
    stem = file_stem(session.name, otherwise="session")
    document = json.dumps(dump_session(session), ensure_ascii=False, indent=2)
    originals = [(item.path, workspace.audio.get(item.sha256).path) for item in session.media]
    if target.suffix.lower() == ".zip":
        with written_beside(target) as temporary, zipfile.ZipFile(temporary, "w") as archive:
            archive.writestr(stem + SUFFIX, document)
            for inside, original in originals:
                archive.write(original, inside)
        return target
    written = target / (stem + SUFFIX)
    try:
        (target / "audio").mkdir(parents=True, exist_ok=True)
        for inside, original in originals:
            with written_beside(target / inside) as temporary:
                shutil.copyfile(original, temporary)
    except OSError as error:
        raise disk_error(error, target) from error
    with written_beside(written) as temporary:
        temporary.write_text(document, encoding="utf-8")
    return written


def _take_in(workspace: Workspace, folder: Path, item: Media, sample_rate_hz: int) -> Media:
    path = _media_path(folder, item)
    audio = workspace.audio.add(path, item.path, sample_rate_hz=sample_rate_hz)
    if item.sha256 and item.sha256 != audio.sha256:
        raise BadAudio(
            "the file is not the one the session was made with (its hash differs)",
            where=item.path,
            remedy="Put the right file there, or remove sha256 from the session.",
        )
    return item.model_copy(update={"sha256": audio.sha256})


def _media_path(folder: Path, item: Media) -> Path:
    base = folder.resolve()
    path = (base / item.path).resolve()
    if not path.is_relative_to(base):
        raise BadAudio("the path leads out of the session's folder", where=item.path, remedy="Keep audio beside it.")
    if not path.is_file():
        raise BadAudio("there is no such file", where=item.path, remedy="Put the audio beside the session file.")
    return path
