"""Sessions as files on disk: NAME.gemischt.json beside its audio, or both in one zip."""

import errno
import json
import lzma
import shutil
import tempfile
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from gemischt.core.errors import BadAudio, Fault, GemischtError, InvalidSession
from gemischt.core.session.document import Media, Session
from gemischt.core.session.print_names import file_stem
from gemischt.core.session.validation import dump_session, parse_session
from gemischt.operations.workspace import Workspace
from gemischt.storage.audio_files import hash_file
from gemischt.storage.audio_reading import inspect_audio, read_blocks
from gemischt.storage.writing import disk_error, written_beside

SUFFIX = ".gemischt.json"
MAX_ARCHIVE_ENTRIES = 5000
MAX_ARCHIVE_BYTES = 16 * 1024**3
TRUSTED_BYTES = 64 * 1024**2
MOST_TIMES_PACKED = 100


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
        except OSError as error:
            if error.errno in (errno.ENOSPC, errno.EDQUOT):
                raise disk_error(error, folder) from error
            raise _no_zip(path, error) from error
        except (zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, RuntimeError, ValueError) as error:
            # RuntimeError is what the library raises for passwords and, as NotImplementedError, for unknown methods.
            raise _no_zip(path, error) from error
        documents = sorted(folder.glob(f"*{SUFFIX}"))
        if len(documents) != 1:
            reason = f"must hold one {SUFFIX} file, holds {len(documents)}"
            raise InvalidSession([Fault("", reason)], where=str(path))
        yield documents[0]


def _no_zip(path: Path, error: Exception) -> InvalidSession:
    return InvalidSession([Fault("", f"is not a readable zip ({error})")], where=str(path))


def _check_archive(archive: zipfile.ZipFile, folder: Path, *, where: str) -> None:
    entries = archive.infolist()
    faults: list[Fault] = []
    if len(entries) > MAX_ARCHIVE_ENTRIES:
        faults.append(Fault("", f"holds {len(entries)} files; the limit is {MAX_ARCHIVE_ENTRIES}"))
    unpacked_bytes = sum(entry.file_size for entry in entries)
    packed_bytes = max(1, sum(entry.compress_size for entry in entries))
    if unpacked_bytes > MAX_ARCHIVE_BYTES:
        faults.append(Fault("", f"unpacks to more than {MAX_ARCHIVE_BYTES // 1024**3} GiB"))
    elif unpacked_bytes > TRUSTED_BYTES and unpacked_bytes > MOST_TIMES_PACKED * packed_bytes:
        faults.append(Fault("", f"unpacks to {unpacked_bytes // packed_bytes} times its size; no audio does"))
    if any(entry.flag_bits & 1 for entry in entries):
        faults.append(Fault("", "is encrypted; pack it without a password"))
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
    except RecursionError:
        raise InvalidSession([Fault("", "is nested too deeply to be a session")], where=str(path)) from None
    return parse_session(document, where=str(path))


def check_session_file(path: Path) -> list[Fault]:
    """Every fault of a session file, the audio it names included; empty if it is sound."""
    faults: list[Fault] = []
    try:
        with unpacked(path) as document:
            for item in read_session_file(document).media:
                try:
                    check_media(_media_path(document.parent, item), item)
                except GemischtError as error:
                    faults.append(Fault(f"media/{item.id}/path", error.what))
    except InvalidSession as error:
        return error.faults
    return faults


def check_stored_session(workspace: Workspace, session: Session) -> list[Fault]:
    """Every fault of the audio that a session of the data folder plays."""
    faults: list[Fault] = []
    for item in session.media:
        try:
            check_media(workspace.audio.get(item.sha256).path, item)
        except GemischtError as error:
            faults.append(Fault(f"media/{item.id}/path", error.what))
    return faults


def check_media(path: Path, item: Media) -> None:
    """Raise BadAudio unless a file is there, is the one the session was made with, and can be read to its end."""
    if not path.is_file():
        raise BadAudio("there is no such file", where=item.path, remedy="Import it again.")
    if item.sha256 and hash_file(path) != item.sha256:
        raise _other_file(item)
    inspect_audio(path, item.path)
    for _ in read_blocks(path, item.path):
        pass


def export_session(workspace: Workspace, session: Session, target: Path) -> Path:
    """Write a session with its audio to a folder, or to a zip if the target ends so; returns what was written. Audio
    without a hash lies there already.

    Raises:
        StorageFailed: the disk refused.
    """
    stem = file_stem(session.name, otherwise="session")
    document = json.dumps(dump_session(session), ensure_ascii=False, indent=2)
    originals = [(item.path, workspace.audio.get(item.sha256).path) for item in session.media if item.sha256]
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
        raise _other_file(item)
    return item.model_copy(update={"sha256": audio.sha256})


def _other_file(item: Media) -> BadAudio:
    return BadAudio(
        "the file is not the one the session was made with (its hash differs)",
        where=item.path,
        remedy="Put the right file there, or remove sha256 from the session.",
    )


def _media_path(folder: Path, item: Media) -> Path:
    base = folder.resolve()
    path = (base / item.path).resolve()
    if not path.is_relative_to(base):
        raise BadAudio("the path leads out of the session's folder", where=item.path, remedy="Keep audio beside it.")
    if not path.is_file():
        raise BadAudio("there is no such file", where=item.path, remedy="Put the audio beside the session file.")
    return path
