"""Long work: how far jobs are."""

from typing import Annotated

from fastapi import APIRouter, Query

from gemischt.api.dependencies import JobsDep
from gemischt.api.schemas import JobStatus

router = APIRouter(prefix="/api", tags=["jobs"])


@router.get("/jobs", operation_id="listJobs")
def list_jobs(jobs: JobsDep) -> list[JobStatus]:
    """Every job still known, the oldest first."""
    return [JobStatus.of(job) for job in jobs.all()]


@router.get("/jobs/{job_id}", operation_id="getJob")
def get_job(job_id: str, jobs: JobsDep, wait_s: Annotated[float, Query(ge=0.0, le=1.0)] = 0.0) -> JobStatus:
    """How far a job is, once it has ended or so much time has passed."""
    return JobStatus.of(jobs.get(job_id, wait_s=wait_s))


@router.delete("/jobs/{job_id}", operation_id="cancelJob")
def cancel_job(job_id: str, jobs: JobsDep) -> JobStatus:
    """Ask a job to stop."""
    return JobStatus.of(jobs.cancel(job_id))
