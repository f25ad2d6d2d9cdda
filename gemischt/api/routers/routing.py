"""How strips reach the mix: the flow, the ledger, what is left when a fader is down, what lanes add up to."""

from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Query

from gemischt.api.dependencies import JobsDep, WorkspaceDep
from gemischt.api.schemas import JobStatus, Stretch
from gemischt.core.analysis.flow import Flow, lay_out_flow
from gemischt.core.analysis.lanes import report_block
from gemischt.core.analysis.leaks import find_leaks
from gemischt.core.analysis.ledger import path_ledger
from gemischt.core.analysis.listening import Media, Report
from gemischt.core.analysis.references import references_to
from gemischt.core.session.document import Session
from gemischt.core.session.edits import find_block, find_strip
from gemischt.operations.jobs import Jobs
from gemischt.operations.reports import report_to_json
from gemischt.operations.workspace import Workspace

router = APIRouter(prefix="/api/sessions/{session_id}", tags=["routing"])

Measure = Callable[[Session, Media, Report], object]


@router.get("/flow", operation_id="getFlow")
def get_flow(session_id: str, workspace: WorkspaceDep, folded: Annotated[list[str], Query()] = []) -> Flow:  # noqa: B006
    """The routing laid out; folders in ``folded`` become one node."""
    return lay_out_flow(workspace.sessions.get(session_id).session, folded=folded)


@router.get("/references", operation_id="getReferences")
def get_references(session_id: str, strips: Annotated[list[str], Query()], workspace: WorkspaceDep) -> list[str]:
    """What refers to some strips, in sentences."""
    return references_to(workspace.sessions.get(session_id).session, set(strips))


@router.post("/strips/{strip_id}/ledger", operation_id="startLedger", status_code=202)
def start_ledger(session_id: str, strip_id: str, stretch: Stretch, workspace: WorkspaceDep, jobs: JobsDep) -> JobStatus:
    """Measure every way of a strip to the mix."""
    find_strip(workspace.sessions.get(session_id).session, strip_id)

    def measure(session: Session, media: Media, report: Report) -> object:
        return path_ledger(session, media, strip_id, stretch_s=stretch.stretch_s, report=report)

    return _start(workspace, jobs, session_id, f"Ledger {session_id}", measure)


@router.post("/strips/{strip_id}/leaks", operation_id="startLeaks", status_code=202)
def start_leaks(session_id: str, strip_id: str, stretch: Stretch, workspace: WorkspaceDep, jobs: JobsDep) -> JobStatus:
    """Measure what is left of a strip when its fader is down."""
    find_strip(workspace.sessions.get(session_id).session, strip_id)

    def measure(session: Session, media: Media, report: Report) -> object:
        return find_leaks(session, media, strip_id, stretch_s=stretch.stretch_s, report=report)

    return _start(workspace, jobs, session_id, f"Leaks {session_id}", measure)


@router.post("/strips/{strip_id}/blocks/{block_id}/report", operation_id="startBlockReport", status_code=202)
def start_block_report(
    session_id: str, strip_id: str, block_id: str, stretch: Stretch, workspace: WorkspaceDep, jobs: JobsDep
) -> JobStatus:
    """Measure what a parallel block adds up to, and whether its lanes comb."""
    find_block(find_strip(workspace.sessions.get(session_id).session, strip_id), block_id)

    def measure(session: Session, media: Media, report: Report) -> object:
        return report_block(session, media, strip_id, block_id, stretch_s=stretch.stretch_s, report=report)

    return _start(workspace, jobs, session_id, f"Lanes {session_id} {strip_id} {block_id}", measure)


def _start(workspace: Workspace, jobs: Jobs, session_id: str, title: str, measure: Measure) -> JobStatus:
    """Measure the session as it stands; an earlier job of the same title is given up."""
    stored = workspace.sessions.get(session_id)

    def work(report: Report) -> dict[str, Any]:
        media = workspace.open_media(stored.session)
        result: dict[str, Any] = report_to_json(measure(stored.session, media.samples, report))
        return result | {"revision": stored.revision}

    return JobStatus.of(jobs.start_instead(title, work))
