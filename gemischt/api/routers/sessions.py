"""Sessions: list, create, edit, undo, bin."""

import shutil
from dataclasses import asdict

from fastapi import APIRouter

from gemischt.api.dependencies import PlayingDep, WorkspaceDep
from gemischt.api.schemas import (
    Edit,
    Foresight,
    HistoryListing,
    NewSession,
    SessionListing,
    SessionState,
    Step,
    StorageState,
)
from gemischt.core.errors import RevisionConflict
from gemischt.core.session.actions import apply_action
from gemischt.core.session.document import Strip, empty_session
from gemischt.operations.demo_sessions import SAMPLES

router = APIRouter(prefix="/api/sessions", tags=["sessions"])


@router.get("", operation_id="listSessions")
def list_sessions(workspace: WorkspaceDep, deleted: bool = False) -> list[SessionListing]:
    """Sessions, or those in the bin."""
    glances = workspace.glances.all()
    return [
        SessionListing.model_validate(
            {**asdict(entry), "glance": glances.get(entry.id), "is_sample": entry.name in SAMPLES}
        )
        for entry in workspace.sessions.entries(deleted=deleted)
    ]


@router.get("/storage", operation_id="getStorage")
def get_storage(workspace: WorkspaceDep) -> StorageState:
    """How much audio is kept, and how much room there is."""
    return StorageState(audio_bytes=workspace.audio.kept_bytes(), free_bytes=shutil.disk_usage(workspace.folder).free)


@router.post("", operation_id="createSession", status_code=201)
def create_session(order: NewSession, workspace: WorkspaceDep) -> SessionState:
    """An empty session."""
    return SessionState.of(workspace.sessions.create(empty_session(order.name)))


@router.get("/{session_id}", operation_id="getSession")
def get_session(session_id: str, workspace: WorkspaceDep) -> SessionState:
    """The session as it stands."""
    return SessionState.of(workspace.sessions.get(session_id))


@router.post("/{session_id}/edits", operation_id="editSession")
def edit_session(session_id: str, edit: Edit, workspace: WorkspaceDep, playing: PlayingDep) -> SessionState:
    """Apply an action; 409 if the session has changed since ``revision``, or since a cure's evidence was measured."""
    if edit.evidence_revision not in (None, edit.revision):
        raise RevisionConflict(
            f"what this cures was found in revision {edit.evidence_revision}, the edit is made on {edit.revision}",
            where=session_id,
            remedy="Wait until the song is measured anew.",
        )
    stored = workspace.edit(session_id, edit.revision, edit.action)
    playing.document_changed(session_id)
    return SessionState.of(stored)


@router.post("/{session_id}/edits/foreseen", operation_id="foreseeEdit")
def foresee_edit(session_id: str, foresight: Foresight, workspace: WorkspaceDep) -> list[Strip]:
    """The strips that an action would change, as it would leave them; nothing is kept."""
    before = workspace.sessions.get(session_id).session
    as_they_are = {strip.id: strip for strip in before.strips}
    after = apply_action(before, foresight.action)
    return [strip for strip in after.strips if as_they_are.get(strip.id) != strip]


@router.post("/{session_id}/undo", operation_id="undo")
def undo(session_id: str, step: Step, workspace: WorkspaceDep, playing: PlayingDep) -> SessionState:
    """Take the last edit back."""
    stored = workspace.sessions.undo(session_id, step.revision)
    playing.document_changed(session_id)
    return SessionState.of(stored)


@router.post("/{session_id}/redo", operation_id="redo")
def redo(session_id: str, step: Step, workspace: WorkspaceDep, playing: PlayingDep) -> SessionState:
    """Make the last undone edit again."""
    stored = workspace.sessions.redo(session_id, step.revision)
    playing.document_changed(session_id)
    return SessionState.of(stored)


@router.get("/{session_id}/history", operation_id="getHistory")
def get_history(session_id: str, workspace: WorkspaceDep) -> list[HistoryListing]:
    """Every edit, the latest first."""
    entries = workspace.sessions.history(session_id)
    return [HistoryListing.model_validate(entry, from_attributes=True) for entry in entries]


@router.post("/{session_id}/duplicate", operation_id="duplicateSession", status_code=201)
def duplicate_session(session_id: str, workspace: WorkspaceDep) -> SessionState:
    """A copy under a new name."""
    stored = workspace.sessions.get(session_id)
    duplicate = workspace.sessions.duplicate(stored)
    workspace.glances.copy(stored, duplicate)
    return SessionState.of(duplicate)


@router.delete("/{session_id}", operation_id="deleteSession", status_code=204)
def delete_session(session_id: str, workspace: WorkspaceDep) -> None:
    """Into the bin."""
    workspace.sessions.delete(session_id)


@router.post("/{session_id}/restore", operation_id="restoreSession")
def restore_session(session_id: str, workspace: WorkspaceDep) -> SessionState:
    """Out of the bin."""
    return SessionState.of(workspace.sessions.restore(session_id))
