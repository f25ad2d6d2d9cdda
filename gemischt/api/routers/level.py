"""Levels of a whole session: measuring, findings, bringing to reference, snapshots."""

from typing import Any

from fastapi import APIRouter

from gemischt.api.dependencies import JobsDep, PlayingDep, WorkspaceDep
from gemischt.api.schemas import (
    JobStatus,
    MatchOrder,
    NewSnapshot,
    PutAsideBody,
    SessionState,
    SnapshotListing,
    TakeBackOrder,
)
from gemischt.api.tasks import start_task
from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions import apply_action
from gemischt.core.session.actions.snapshots import TakeBack
from gemischt.core.session.differences import Difference, differences
from gemischt.operations.session_measuring import glance_of
from gemischt.operations.tasks import MatchLoudness, MeasureSong, PlanReference, ReferenceOrder
from gemischt.storage.snapshots import PutAside

router = APIRouter(prefix="/api/sessions/{session_id}", tags=["level"])


@router.post("/measurement", operation_id="startMeasurement", status_code=202)
def start_measurement(session_id: str, workspace: WorkspaceDep, jobs: JobsDep, steps_aside: bool = False) -> JobStatus:
    """Every strip at every stage, the mix over the song, and what was found; only what an edit changed is rendered.

    For a list of songs it ``steps_aside``: it is given up for anything that the page of a song asks for.
    """
    stored = workspace.sessions.get(session_id)
    task = MeasureSong(session=stored.session)

    def keep(result: dict[str, Any]) -> None:
        workspace.glances.keep(session_id, glance_of(stored, result))

    return start_task(jobs, workspace, f"Measure {session_id}", task, stored, told=keep, steps_aside=steps_aside)


@router.post("/reference", operation_id="planReference", status_code=202)
def plan_reference(session_id: str, order: ReferenceOrder, workspace: WorkspaceDep, jobs: JobsDep) -> JobStatus:
    """What bringing strips to a reference would change, and the edit that does it."""
    stored = workspace.sessions.get(session_id)
    task = PlanReference(session=stored.session, order=order)
    return start_task(jobs, workspace, f"Reference {session_id}", task, stored)


@router.get("/put-aside", operation_id="listPutAside")
def list_put_aside(session_id: str, workspace: WorkspaceDep) -> list[PutAsideBody]:
    """Findings that were put aside."""
    workspace.sessions.get(session_id)
    return [PutAsideBody.model_validate(item, from_attributes=True) for item in workspace.put_aside.all(session_id)]


@router.post("/put-aside", operation_id="putAside", status_code=204)
def put_aside(session_id: str, body: PutAsideBody, workspace: WorkspaceDep) -> None:
    """Put a finding aside with a reason; it comes back when its evidence changes."""
    workspace.sessions.get(session_id)
    workspace.put_aside.put(session_id, PutAside(body.finding, body.evidence_key, body.reason))


@router.delete("/put-aside", operation_id="takeFindingBack", status_code=204)
def take_finding_back(session_id: str, finding: str, workspace: WorkspaceDep) -> None:
    """Show a finding again."""
    workspace.put_aside.take_back(session_id, finding)


@router.get("/snapshots", operation_id="listSnapshots")
def list_snapshots(session_id: str, workspace: WorkspaceDep) -> list[SnapshotListing]:
    """Snapshots of the session, the oldest first."""
    return [SnapshotListing.of(snapshot) for snapshot in workspace.snapshots.all(session_id)]


@router.post("/snapshots", operation_id="addSnapshot", status_code=201)
def add_snapshot(session_id: str, order: NewSnapshot, workspace: WorkspaceDep) -> SnapshotListing:
    """Keep the session as it stands under a name."""
    session = workspace.sessions.get(session_id).session
    return SnapshotListing.of(workspace.snapshots.add(session_id, order.name, session))


@router.delete("/snapshots/{snapshot_id}", operation_id="removeSnapshot", status_code=204)
def remove_snapshot(session_id: str, snapshot_id: str, workspace: WorkspaceDep) -> None:
    """Forget a snapshot."""
    workspace.snapshots.remove(session_id, snapshot_id)


@router.get("/snapshots/{snapshot_id}/differences", operation_id="getDifferences")
def get_differences(session_id: str, snapshot_id: str, workspace: WorkspaceDep) -> tuple[Difference, ...]:
    """What has changed since, in words."""
    before = workspace.snapshots.get(session_id, snapshot_id).session
    return differences(before, workspace.sessions.get(session_id).session)


@router.post("/snapshots/{snapshot_id}/take-back", operation_id="takeBack")
def take_back(
    session_id: str, snapshot_id: str, order: TakeBackOrder, workspace: WorkspaceDep, playing: PlayingDep
) -> SessionState:
    """Make the session, or some strips, what the snapshot holds, as one edit."""
    snapshot = workspace.snapshots.get(session_id, snapshot_id)
    action = TakeBack(snapshot=snapshot.session, title=snapshot.name, strips=tuple(order.strips))
    stored = workspace.edit(session_id, order.revision, action)
    playing.document_changed(session_id)
    return SessionState.of(stored)


@router.post("/match", operation_id="matchLoudness", status_code=202)
def match_loudness(session_id: str, order: MatchOrder, workspace: WorkspaceDep, jobs: JobsDep) -> JobStatus:
    """Loudness of the mix and of what it is compared with, and what makes the latter as loud."""
    stored = workspace.sessions.get(session_id)
    if order.snapshot is not None:
        other = workspace.snapshots.get(session_id, order.snapshot).session
    elif order.action is not None:
        other = apply_action(stored.session, order.action)
    else:
        raise InvalidAction("nothing to compare with: name a snapshot or an action", where="match")

    task = MatchLoudness(session=stored.session, other=other, stretch_s=order.stretch_s)
    return start_task(jobs, workspace, f"Match {session_id}", task, stored)
