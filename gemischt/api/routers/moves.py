"""What moves over the song, and what may."""

from fastapi import APIRouter

from gemischt.api.dependencies import WorkspaceDep
from gemischt.api.schemas import MovableListing
from gemischt.core.session.moves import movables

router = APIRouter(prefix="/api/sessions/{session_id}", tags=["moves"])


@router.get("/movables", operation_id="listMovables")
def list_movables(session_id: str, workspace: WorkspaceDep) -> list[MovableListing]:
    """Every parameter that may be drawn over the song, in the order of the document."""
    session = workspace.sessions.get(session_id).session
    return [MovableListing.model_validate(item, from_attributes=True) for item in movables(session)]
