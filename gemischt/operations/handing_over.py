"""A song for somebody else: the session with its audio, or every track as one file from the song's beginning, with a
sheet to read, its tempo and sections as MIDI, and the session that plays these files."""

import zipfile
from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Literal

from gemischt.core.errors import InvalidAction
from gemischt.core.printing.files import files_of
from gemischt.core.session.document import Clip, Media, Session, Strip
from gemischt.core.session.edits import fresh_id
from gemischt.core.session.midi_writing import write_midi
from gemischt.core.session.moves import without_lost_moves
from gemischt.core.session.print_names import apart, file_stem
from gemischt.core.session.prints import FromTo, Print
from gemischt.core.session.validation import check_session
from gemischt.operations.mix_sheet import mix_sheet
from gemischt.operations.printing import Printed, print_files
from gemischt.operations.session_files import export_session, locate_session
from gemischt.operations.session_measuring import measure_session, stage_of_session
from gemischt.operations.workspace import Workspace
from gemischt.storage.audio_files import Progress
from gemischt.storage.sessions import StoredSession
from gemischt.storage.writing import keep_under_free_name, unfinished_file

HandedOver = Literal["session", "consolidated", "sheet"]
_TIDY = {"input": "as-is", "trim_db": 0.0, "polarity_inverted": False}
_IN_THE_FILE = ("trim_db", "polarity_inverted")


def hand_over(workspace: Workspace, session: Session, kind: HandedOver, progress: Progress) -> Path:
    """Write it among the prints: a zip, or the sheet alone.

    Raises:
        InvalidAction: there is nothing to hand over.
        StorageFailed: the disk refused.
        Cancelled: ``progress`` raised it.
    """
    stem = file_stem(session.name, otherwise="song")
    if kind == "sheet":
        with unfinished_file(workspace.prints, ".html") as page:
            page.write_text(_sheet(workspace, session, progress), encoding="utf-8")
            return keep_under_free_name(page, workspace.prints, f"{stem} - mix sheet")
    with TemporaryDirectory(dir=workspace.uploads) as folder_name:
        folder = Path(folder_name)
        if kind == "session":
            export_session(workspace, session, folder)
        else:
            _consolidate(workspace, session, folder, lambda share: progress(0.6 * share))
            sheet = _sheet(workspace, session, lambda share: progress(0.6 + 0.3 * share))
            (folder / f"{stem} - mix sheet.html").write_text(sheet, encoding="utf-8")
            (folder / f"{stem}.mid").write_bytes(write_midi(session))
        with unfinished_file(workspace.prints, ".zip") as packed:
            _pack(folder, packed)
            name = f"{stem}.gemischt" if kind == "session" else f"{stem} - consolidated"
            path = keep_under_free_name(packed, workspace.prints, name)
    progress(1.0)
    return path


def _consolidate(workspace: Workspace, session: Session, folder: Path, progress: Progress) -> None:
    """Every track before its chain from the song's beginning to its end, 32 bits float, so that nothing clips; and the
    session that plays these files as the song plays its clips."""
    tracks = [strip for strip in session.strips if strip.kind == "track" and strip.clips]
    if not tracks:
        raise InvalidAction("there are no tracks", where=session.name, remedy="Bring in audio first.")
    media = workspace.open_media(session)
    whole = FromTo(from_s=0.0, to_s=None)
    order = Print(
        id="tracks", strips=tuple(strip.id for strip in tracks), taps=("pre-chain",), stretch=whole, ends="cut",
        format="wav-32f",
    )  # fmt: skip
    n_digits = max(2, len(str(len(tracks))))
    stems = apart(
        f"{number:0{n_digits}d} {file_stem(strip.name, otherwise=strip.id)}" for number, strip in enumerate(tracks, 1)
    )
    audio = folder / "audio"
    audio.mkdir()
    named = list(zip(files_of(session, order), stems, strict=True))
    made_at = datetime.now(UTC)
    outcomes = print_files(session, media, named, audio, made_at=made_at, overwrite=True, progress=progress)
    printed: dict[str, Printed] = {}
    for outcome in outcomes:
        if not isinstance(outcome, Printed):
            raise outcome.error
        printed[outcome.file.sources[0].point.strip] = outcome
    export_session(workspace, _playing(session, printed), folder)


def _playing(session: Session, printed: dict[str, Printed]) -> Session:
    """The session whose tracks each play one file from the beginning; trims, pick-ups and polarity are in it."""
    media: list[Media] = []
    strips: list[Strip] = []
    for strip in session.strips:
        file = printed.get(strip.id)
        if file is None:
            strips.append(strip)
            continue
        media_id = fresh_id(file.path.stem, (one.id for one in media))
        media.append(Media(id=media_id, path=f"audio/{file.path.name}", duration_s=file.summary.duration_s))
        strips.append(strip.model_copy(update={**_TIDY, "clips": (Clip(media=media_id),)}))
    kept = {clip.media for strip in strips for clip in strip.clips}
    media += [one for one in session.media if one.id in kept and one.id not in {other.id for other in media}]
    moves = tuple(
        move
        for move in session.moves
        if not any(move.target == f"strips/{strip}/{field}" for strip in printed for field in _IN_THE_FILE)
    )
    update = {"strips": tuple(strips), "media": tuple(media), "moves": moves}
    handed = without_lost_moves(session.model_copy(update=update))
    check_session(handed, where=session.name)
    return handed


def _sheet(workspace: Workspace, session: Session, progress: Progress) -> str:
    places = stage_of_session(workspace, session, progress)
    levels = measure_session(workspace, session).strips[session.mix.id].stage("post-fader")
    figures = {
        "loudness": f"{levels.integrated_lufs:.1f} LUFS",
        "true peak": f"{levels.true_peak_dbtp:.1f} dBTP",
        "short-term at most": f"{levels.max_short_term_lufs:.1f} LUFS",
    }
    if levels.loudness_range_lu is not None:
        figures["range"] = f"{levels.loudness_range_lu:.1f} LU"
    return mix_sheet(session, places, figures)


def _pack(folder: Path, path: Path) -> None:
    with zipfile.ZipFile(path, "w") as archive:
        for file in sorted(folder.rglob("*")):
            if file.is_file():
                archive.write(file, file.relative_to(folder).as_posix())


def take_in_archive(workspace: Workspace, path: Path) -> StoredSession:
    """A session from a zip or a document, as one of the data folder.

    Raises:
        InvalidSession, BadAudio: with the place and the reason; nothing is left behind.
    """
    return workspace.sessions.create(locate_session(workspace, str(path)).session)
