"""Every edit the user can make, one module per station.

level   a strip's own settings
tidy    bring in, order and remove strips; the song's frame
route   where strips play to
chain   processors, their parameters and keys
"""

from typing import Annotated

from pydantic import Field, TypeAdapter, ValidationError

from gemischt.core.errors import InvalidSession
from gemischt.core.session.actions.base import Action
from gemischt.core.session.actions.chain import AddProcessor, MoveProcessor, RemoveProcessor, SetProcessor
from gemischt.core.session.actions.level import SetStrips, StripSettings
from gemischt.core.session.actions.route import BusFromStrips, SetOutput
from gemischt.core.session.actions.tidy import (
    AddStrip,
    AddTracks,
    MoveStrips,
    NewTrack,
    RemoveStrips,
    SetSong,
)
from gemischt.core.session.document import Session
from gemischt.core.session.validation import check_session, faults_of

AnyAction = Annotated[
    SetStrips
    | AddTracks
    | AddStrip
    | RemoveStrips
    | MoveStrips
    | SetSong
    | SetOutput
    | BusFromStrips
    | AddProcessor
    | RemoveProcessor
    | MoveProcessor
    | SetProcessor,
    Field(discriminator="type"),
]

_ADAPTER: TypeAdapter[Action] = TypeAdapter(AnyAction)


def parse_action(document: object) -> Action:
    """Read an action from parsed JSON; InvalidSession carries what is wrong with it."""
    try:
        return _ADAPTER.validate_python(document)
    except ValidationError as error:
        raise InvalidSession(faults_of(error), where="action") from None


def apply_action(session: Session, action: Action) -> Session:
    """The session after a valid edit; refused edits raise and change nothing."""
    edited = action.apply(session)
    check_session(edited, where=action.describe(session))
    return edited


__all__ = [
    "Action",
    "AddProcessor",
    "AddStrip",
    "AddTracks",
    "AnyAction",
    "BusFromStrips",
    "MoveProcessor",
    "MoveStrips",
    "NewTrack",
    "RemoveProcessor",
    "RemoveStrips",
    "SetOutput",
    "SetProcessor",
    "SetSong",
    "SetStrips",
    "StripSettings",
    "apply_action",
    "parse_action",
]
