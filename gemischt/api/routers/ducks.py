"""What makes room for what: sentences, and what each does on the real signal."""

from fastapi import APIRouter

from gemischt.api.dependencies import JobsDep, WorkspaceDep
from gemischt.api.schemas import DuckOrder, JobStatus, RelationListing, RoomOrder, Stretch
from gemischt.api.tasks import start_task
from gemischt.core.analysis.reports.relations import find_relation, relations_of
from gemischt.core.session.edits import find_strip
from gemischt.operations.tasks import GlanceAtDucks, ProposeRoom, ReportDuck

router = APIRouter(prefix="/api/sessions/{session_id}", tags=["ducks"])


@router.get("/relations", operation_id="listRelations")
def list_relations(session_id: str, workspace: WorkspaceDep) -> list[RelationListing]:
    """Every sentence of the Duck station."""
    session = workspace.sessions.get(session_id).session
    return [RelationListing.model_validate(item, from_attributes=True) for item in relations_of(session)]


@router.post("/ducks/report", operation_id="startDuckReport", status_code=202)
def start_duck_report(session_id: str, order: DuckOrder, workspace: WorkspaceDep, jobs: JobsDep) -> JobStatus:
    """Hear what one of them does."""
    stored = workspace.sessions.get(session_id)
    find_relation(stored.session, order.relation)
    task = ReportDuck(session=stored.session, relation=order.relation, target=order.target, stretch_s=order.stretch_s)
    return start_task(jobs, workspace, f"Duck {session_id}", task, stored)


@router.post("/ducks/proposal", operation_id="startRoomProposal", status_code=202)
def start_room_proposal(session_id: str, order: RoomOrder, workspace: WorkspaceDep, jobs: JobsDep) -> JobStatus:
    """Hear where two strips meet, and propose how one makes room for the other."""
    stored = workspace.sessions.get(session_id)
    for strip in (order.target, order.trigger):
        find_strip(stored.session, strip)
    task = ProposeRoom(session=stored.session, target=order.target, trigger=order.trigger)
    return start_task(jobs, workspace, f"Room {session_id}", task, stored)


@router.post("/ducks/glance", operation_id="startDuckGlance", status_code=202)
def start_duck_glance(session_id: str, stretch: Stretch, workspace: WorkspaceDep, jobs: JobsDep) -> JobStatus:
    """Hear what all of them do, at a glance."""
    stored = workspace.sessions.get(session_id)
    task = GlanceAtDucks(session=stored.session, stretch_s=stretch.stretch_s)
    return start_task(jobs, workspace, f"Ducks {session_id}", task, stored)
