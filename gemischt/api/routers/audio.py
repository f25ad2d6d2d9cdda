"""Audio files on their way in."""

import tempfile
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import IO

from fastapi import APIRouter, Request
from starlette.concurrency import run_in_threadpool

from gemischt.api.dependencies import PlayingDep, SettingsDep, WorkspaceDep
from gemischt.api.schemas import SessionState
from gemischt.core.errors import BadAudio, InvalidSession, NotFound
from gemischt.core.session.actions import NewTrack
from gemischt.operations.handing_over import take_in_archive
from gemischt.operations.importing import clean_name, import_tracks, with_rate_of
from gemischt.operations.waveforms import waveform
from gemischt.storage.writing import claim, disk_error

router = APIRouter(prefix="/api/sessions", tags=["audio"])


@asynccontextmanager
async def _receiving(folder: Path, name: str, suffix: str = ".part") -> AsyncIterator[IO[bytes]]:
    """A file for what comes in, gone afterwards; a disk that refuses is said with the name of what came."""
    try:
        part = await run_in_threadpool(_claimed_file, folder, suffix)
        try:
            yield part
        finally:
            await run_in_threadpool(part.close)
    except OSError as error:
        raise disk_error(error, Path(name)) from error


def _claimed_file(folder: Path, suffix: str) -> IO[bytes]:
    part = tempfile.NamedTemporaryFile(dir=folder, prefix="upload-", suffix=suffix)  # noqa: SIM115
    claim(part.fileno())
    return part


async def _take_all(request: Request, part: IO[bytes], name: str, most_bytes: int) -> None:
    received = 0
    async for chunk in request.stream():
        received += len(chunk)
        if received > most_bytes:
            limit = most_bytes / 1024**3
            raise BadAudio(f"it is larger than {limit:.1f} GiB", where=name, remedy="Cut it into shorter files.")
        await run_in_threadpool(part.write, chunk)
    await run_in_threadpool(part.flush)


@router.post("/archive", operation_id="uploadSession", status_code=201)
async def upload_session(name: str, request: Request, workspace: WorkspaceDep, settings: SettingsDep) -> SessionState:
    """Take a session in, a zip with its audio as the request's body; nothing is left of one that is refused."""
    shown = clean_name(name)
    async with _receiving(workspace.uploads, shown, suffix=".zip") as part:
        await _take_all(request, part, shown, settings.max_upload_bytes)
        try:
            stored = await run_in_threadpool(take_in_archive, workspace, Path(part.name))
        except InvalidSession as error:
            raise InvalidSession(error.faults, where=shown) from None
    return SessionState.of(stored)


@router.get("/{session_id}/media/{media_id}/waveform", operation_id="getWaveform")
def get_waveform(session_id: str, media_id: str, workspace: WorkspaceDep) -> list[float]:
    """Peaks of a file, twenty a second."""
    session = workspace.sessions.get(session_id).session
    media = next((item for item in session.media if item.id == media_id), None)
    if media is None:
        raise NotFound("no such file in the session", where=media_id, remedy="Import it again.")
    return waveform(workspace, media.sha256, session.sample_rate_hz)


@router.post("/{session_id}/audio", operation_id="uploadAudio", status_code=201)
async def upload_audio(
    session_id: str,
    name: str,
    request: Request,
    workspace: WorkspaceDep,
    settings: SettingsDep,
    playing: PlayingDep,
    apart: bool = False,
) -> list[NewTrack]:
    """Take one file in, its bytes as the request's body; the answer is what to add with an action: one track, or
    *apart* one for each channel.

    The body is streamed to disk; nothing is left of a file that is refused. A session without audio takes the rate of
    its first file.
    """
    stored = await run_in_threadpool(workspace.sessions.get, session_id)
    shown = clean_name(name)
    async with _receiving(workspace.uploads, shown) as part:
        await _take_all(request, part, shown, settings.max_upload_bytes)
        before = stored
        stored = await run_in_threadpool(with_rate_of, workspace, before, Path(part.name), shown)
        if stored is not before:
            await run_in_threadpool(playing.document_changed, session_id)
        rate = stored.session.sample_rate_hz
        return await run_in_threadpool(
            import_tracks, workspace, Path(part.name), shown, sample_rate_hz=rate, apart=apart
        )
