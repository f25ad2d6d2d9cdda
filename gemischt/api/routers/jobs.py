"""Long work: prints, and how far jobs are."""

from fastapi import APIRouter
from starlette.responses import FileResponse

from gemischt.api.dependencies import JobsDep, WorkspaceDep
from gemischt.api.schemas import JobStatus
from gemischt.core.errors import NotFound
from gemischt.operations.task_process import run_aside
from gemischt.operations.tasks import PrintMix, PrintOrder

router = APIRouter(prefix="/api", tags=["jobs"])


@router.post("/sessions/{session_id}/prints", operation_id="printMix", status_code=202)
def start_print(session_id: str, order: PrintOrder, workspace: WorkspaceDep, jobs: JobsDep) -> JobStatus:
    """Print the mix in the background."""
    session = workspace.sessions.get(session_id).session
    task = PrintMix(session=session, order=order)
    return JobStatus.of(jobs.start(f"Print {session.name}", lambda report: run_aside(task, workspace, report)))


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
