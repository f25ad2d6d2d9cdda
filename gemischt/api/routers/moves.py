"""The song's beat, what moves over it, and what may."""

from fastapi import APIRouter, Request
from starlette.concurrency import run_in_threadpool

from gemischt.api.dependencies import JobsDep, WorkspaceDep
from gemischt.api.schemas import JobStatus, MovableListing
from gemischt.api.tasks import start_task
from gemischt.core.errors import BadMidi
from gemischt.core.session.actions import TakeMidi
from gemischt.core.session.edits import find_strip
from gemischt.core.session.moves import movables
from gemischt.operations.importing import clean_name, midi_action
from gemischt.operations.tasks import EstimateTempo

router = APIRouter(prefix="/api/sessions/{session_id}", tags=["moves"])

MOST_MIDI_BYTES = 8 * 1024 * 1024


@router.get("/movables", operation_id="listMovables")
def list_movables(session_id: str, workspace: WorkspaceDep) -> list[MovableListing]:
    """Every parameter that may be drawn over the song, in the order of the document."""
    session = workspace.sessions.get(session_id).session
    return [MovableListing.model_validate(item, from_attributes=True) for item in movables(session)]


@router.post("/strips/{strip_id}/tempo", operation_id="estimateTempo", status_code=202)
def estimate_tempo(session_id: str, strip_id: str, workspace: WorkspaceDep, jobs: JobsDep) -> JobStatus:
    """Estimate the tempo from a strip; the result is offered, nothing is edited."""
    stored = workspace.sessions.get(session_id)
    find_strip(stored.session, strip_id)
    task = EstimateTempo(session=stored.session, strip=strip_id)
    return start_task(jobs, workspace, f"Tempo {session_id}", task, stored)


@router.post("/midi", operation_id="readMidi")
async def read_midi(session_id: str, name: str, request: Request, workspace: WorkspaceDep) -> TakeMidi:
    """Read a MIDI file, its bytes as the request's body; the answer is the edit that takes its beat."""
    await run_in_threadpool(workspace.sessions.get, session_id)
    received = bytearray()
    async for chunk in request.stream():
        received += chunk
        if len(received) > MOST_MIDI_BYTES:
            most = MOST_MIDI_BYTES // 1024**2
            raise BadMidi(f"it is larger than {most} MiB", where=clean_name(name), remedy="Cut it into shorter files.")
    return await run_in_threadpool(midi_action, bytes(received), name)
