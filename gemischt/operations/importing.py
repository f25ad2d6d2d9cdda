"""Files into tracks."""

import contextlib
import re
import tempfile
import unicodedata
from pathlib import Path, PurePosixPath
from typing import get_args

from gemischt.core.errors import InvalidAction, RevisionConflict
from gemischt.core.session.actions import NewTrack, SetSampleRate, TakeMidi
from gemischt.core.session.document import Media, SampleRate
from gemischt.core.session.edits import fresh_id
from gemischt.core.session.midi import read_midi
from gemischt.operations.workspace import Workspace
from gemischt.storage.audio_files import Progress, no_progress
from gemischt.storage.audio_reading import check_header
from gemischt.storage.channel_files import take_apart
from gemischt.storage.sessions import StoredSession
from gemischt.storage.wave_speakers import speakers_of_file
from gemischt.storage.wave_tags import start_in_file


def import_file(
    workspace: Workspace, path: Path, name: str, *, sample_rate_hz: int, progress: Progress = no_progress
) -> NewTrack:
    """Keep an audio file and describe the track it becomes.

    Args:
        name: what the user calls the file; folders in it are ignored, any characters are fine.

    Raises:
        BadAudio, StorageFailed: named after the file, nothing is left behind.
    """
    shown = clean_name(name)
    audio = workspace.audio.add(path, shown, sample_rate_hz=sample_rate_hz, progress=progress)
    layout, _ = speakers_of_file(audio.path, shown, audio.channels)
    stem = PurePosixPath(shown).stem or shown
    media_id = fresh_id(stem, ())
    suffix = audio.path.suffix
    return NewTrack(
        name=stem[:200],
        media=Media(
            id=media_id,
            path=f"audio/{media_id}-{audio.sha256[:8]}{suffix}",
            sha256=audio.sha256,
            duration_s=audio.duration_s,
        ),
        layout=layout if audio.channels > 2 else None,
        stamp_s=start_in_file(audio.path, audio.sample_rate_hz),
    )


def import_tracks(
    workspace: Workspace,
    path: Path,
    name: str,
    *,
    sample_rate_hz: int,
    apart: bool,
    progress: Progress = no_progress,
) -> list[NewTrack]:
    """Keep an audio file and describe what becomes of it: one track, or *apart* a mono track for each channel.

    Raises:
        BadAudio, StorageFailed: named after the file.
    """
    if not apart:
        return [import_file(workspace, path, name, sample_rate_hz=sample_rate_hz, progress=progress)]
    shown = clean_name(name)
    stem = PurePosixPath(shown).stem or shown
    stamp_s = start_in_file(path, check_header(path, shown).samplerate)
    tracks: list[NewTrack] = []
    with tempfile.TemporaryDirectory(dir=workspace.uploads) as folder:
        for channel in take_apart(path, shown, Path(folder)):
            named = f"{stem[:150]} {channel.name}.wav"
            track = import_file(workspace, channel.path, named, sample_rate_hz=sample_rate_hz)
            tracks.append(track.model_copy(update={"stamp_s": stamp_s}))
    return tracks


def with_rate_of(workspace: Workspace, stored: StoredSession, path: Path, name: str) -> StoredSession:
    """The session at the rate of its first file, where it has no audio yet and can have that rate.

    Raises:
        BadAudio: named after the file.
    """
    rate = check_header(path, clean_name(name)).samplerate
    if stored.session.media or rate == stored.session.sample_rate_hz or rate not in get_args(SampleRate):
        return stored
    with contextlib.suppress(RevisionConflict, InvalidAction):
        # Who edits meanwhile has the session as it is.
        return workspace.edit(stored.id, stored.revision, SetSampleRate.model_validate({"sample_rate_hz": rate}))
    return workspace.sessions.get(stored.id)


def midi_action(data: bytes, name: str) -> TakeMidi:
    """The edit that takes a MIDI file's tempo, metre, markers and notes.

    Raises:
        BadMidi: named after the file.
    """
    shown = clean_name(name)
    song = read_midi(data, name=shown)
    stem = PurePosixPath(shown).stem or shown
    return TakeMidi(name=stem[:200], tempo=song.tempo, sections=song.sections, note_tracks=song.note_tracks)


def clean_name(name: str) -> str:
    """The last part of a path in either style, without control characters."""
    last = re.split(r"[/\\]", name.encode(errors="replace").decode())[-1]
    kept = "".join(character for character in last if unicodedata.category(character)[0] != "C")
    return kept.strip()[:200] or "untitled"
