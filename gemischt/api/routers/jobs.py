"""Long work: prints, and how far jobs are."""

import re
from pathlib import Path
from typing import Any

from fastapi import APIRouter
from starlette.responses import FileResponse

from gemischt.api.dependencies import JobsDep, WorkspaceDep
from gemischt.api.schemas import JobStatus, PrintOrder
from gemischt.core.errors import NotFound
from gemischt.core.session.document import Session
from gemischt.operations.measuring import summary_to_json
from gemischt.operations.printing import print_mix
from gemischt.operations.workspace import Workspace
from gemischt.storage.audio_files import Progress

router = APIRouter(prefix="/api", tags=["jobs"])


@router.post("/sessions/{session_id}/prints", operation_id="printMix", status_code=202)
def start_print(session_id: str, order: PrintOrder, workspace: WorkspaceDep, jobs: JobsDep) -> JobStatus:
    """Print the mix in the background."""
    session = workspace.sessions.get(session_id).session

    def work(report: Progress) -> dict[str, Any]:
        return _print(workspace, session, order, report)

    return JobStatus.of(jobs.start(f"Print {session.name}", work))


@router.get("/jobs", operation_id="listJobs")
def list_jobs(jobs: JobsDep) -> list[JobStatus]:
    """Every job still known, the oldest first."""
    return [JobStatus.of(job) for job in jobs.all()]


@router.get("/jobs/{job_id}", operation_id="getJob")
def get_job(job_id: str, jobs: JobsDep) -> JobStatus:
    """How far a job is."""
    return JobStatus.of(jobs.get(job_id))


@router.delete("/jobs/{job_id}", operation_id="cancelJob")
def cancel_job(job_id: str, jobs: JobsDep) -> JobStatus:
    """Ask a job to stop."""
    return JobStatus.of(jobs.cancel(job_id))


@router.get("/prints/{file_name}", operation_id="fetchPrint", response_class=FileResponse)
def fetch_print(file_name: str, workspace: WorkspaceDep) -> FileResponse:
    """A finished print."""
    path = workspace.prints / file_name
    if path.parent != workspace.prints or file_name.startswith(".") or not path.is_file():
        raise NotFound("no such print", where=file_name, remedy="Print again.")
    return FileResponse(path, media_type="audio/wav", filename=file_name)


def _print(workspace: Workspace, session: Session, order: PrintOrder, report: Progress) -> dict[str, Any]:
    stem = re.sub(r"[^\w ()-]+", "_", session.name).strip() or "mix"
    path = _free_path(workspace, stem)
    printed = print_mix(
        session,
        workspace.open_media(session),
        path,
        bits=order.bits,
        from_s=order.from_s,
        to_s=order.to_s,
        progress=report,
    )
    return {
        "file_name": path.name,
        "bits": order.bits,
        "clipped_samples": printed.clipped_samples,
        "summary": summary_to_json(printed.summary),
    }


def _free_path(workspace: Workspace, stem: str) -> Path:
    number = 1
    while (path := workspace.prints / f"{stem} {number}.wav").exists():
        number += 1
    return path
