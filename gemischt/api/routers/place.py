"""Where strips are heard."""

from fastapi import APIRouter

from gemischt.api.dependencies import JobsDep, WorkspaceDep
from gemischt.api.schemas import JobStatus
from gemischt.api.tasks import start_task
from gemischt.operations.tasks import MeasureStage

router = APIRouter(prefix="/api/sessions/{session_id}", tags=["place"])


@router.post("/stage", operation_id="startStage", status_code=202)
def start_stage(session_id: str, workspace: WorkspaceDep, jobs: JobsDep) -> JobStatus:
    """Direction, width, distance and what mono takes away, of every strip that is heard."""
    stored = workspace.sessions.get(session_id)
    return start_task(jobs, workspace, f"Stage {session_id}", MeasureStage(session=stored.session), stored)
