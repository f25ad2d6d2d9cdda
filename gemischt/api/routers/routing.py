"""How strips reach the mix: the flow, the ledger, what is left when a fader is down, what lanes add up to."""

from typing import Annotated

from fastapi import APIRouter, Query

from gemischt.api.dependencies import JobsDep, WorkspaceDep
from gemischt.api.schemas import JobStatus, Stretch
from gemischt.api.tasks import start_task
from gemischt.core.routing.dependents import dependents_of
from gemischt.core.routing.flow import Flow, lay_out_flow
from gemischt.core.session.edits import find_block, find_strip
from gemischt.operations.tasks import FindLeaks, MeasureLedger, ReportBlock

router = APIRouter(prefix="/api/sessions/{session_id}", tags=["routing"])


@router.get("/flow", operation_id="getFlow")
def get_flow(session_id: str, workspace: WorkspaceDep, folded: Annotated[list[str], Query()] = []) -> Flow:  # noqa: B006
    """The routing laid out; folders in ``folded`` become one node."""
    return lay_out_flow(workspace.sessions.get(session_id).session, folded=folded)


@router.get("/references", operation_id="getReferences")
def get_references(session_id: str, strips: Annotated[list[str], Query()], workspace: WorkspaceDep) -> list[str]:
    """What refers to some strips, in sentences."""
    return dependents_of(workspace.sessions.get(session_id).session, set(strips))


@router.post("/strips/{strip_id}/ledger", operation_id="startLedger", status_code=202)
def start_ledger(session_id: str, strip_id: str, stretch: Stretch, workspace: WorkspaceDep, jobs: JobsDep) -> JobStatus:
    """Measure every way of a strip to the mix."""
    stored = workspace.sessions.get(session_id)
    find_strip(stored.session, strip_id)
    task = MeasureLedger(session=stored.session, strip=strip_id, stretch_s=stretch.stretch_s)
    return start_task(jobs, workspace, f"Ledger {session_id}", task, stored)


@router.post("/strips/{strip_id}/leaks", operation_id="startLeaks", status_code=202)
def start_leaks(session_id: str, strip_id: str, stretch: Stretch, workspace: WorkspaceDep, jobs: JobsDep) -> JobStatus:
    """Measure what is left of a strip when its fader is down."""
    stored = workspace.sessions.get(session_id)
    find_strip(stored.session, strip_id)
    task = FindLeaks(session=stored.session, strip=strip_id, stretch_s=stretch.stretch_s)
    return start_task(jobs, workspace, f"Leaks {session_id}", task, stored)


@router.post("/strips/{strip_id}/blocks/{block_id}/report", operation_id="startBlockReport", status_code=202)
def start_block_report(
    session_id: str, strip_id: str, block_id: str, stretch: Stretch, workspace: WorkspaceDep, jobs: JobsDep
) -> JobStatus:
    """Measure what a parallel block adds up to, and whether its lanes comb."""
    stored = workspace.sessions.get(session_id)
    find_block(find_strip(stored.session, strip_id), block_id)
    task = ReportBlock(session=stored.session, strip=strip_id, block=block_id, stretch_s=stretch.stretch_s)
    return start_task(jobs, workspace, f"Lanes {session_id} {strip_id} {block_id}", task, stored)
