"""Every edit the user can make, one module per station.

level      a strip's own settings
tidy       bring in, name and remove strips; the song's frame
folders    folders and the order of strips
clips      what tracks play
route      where strips play to and send to
groups     control groups
chain      processors, their parameters and keys
lanes      parallel blocks
moves      what is drawn over the song
base       what every action is
snapshots  taking back what a session once was
"""

from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter, ValidationError

from gemischt.core.errors import InvalidSession
from gemischt.core.session.actions.base import Action
from gemischt.core.session.actions.chain import (
    AddProcessor,
    MoveProcessor,
    PasteProcessors,
    RemoveProcessor,
    SetProcessor,
)
from gemischt.core.session.actions.clips import DuplicateClip, RemoveClip, SetClips, SplitClip
from gemischt.core.session.actions.folders import FolderFromStrips, MoveInTree, RemoveFolder, SetFolder, SumFolder
from gemischt.core.session.actions.groups import AddGroup, RemoveGroup, SetGroup
from gemischt.core.session.actions.lanes import AddLane, AddParallel, RemoveLane, SetLanes, SetParallel
from gemischt.core.session.actions.level import SetStrips, StripSettings
from gemischt.core.session.actions.moves import RemoveMoves, SetMoves
from gemischt.core.session.actions.route import (
    AddSend,
    BusFromStrips,
    PasteSends,
    RemoveSends,
    SetOutput,
    SetSends,
)
from gemischt.core.session.actions.tidy import AddStrip, AddTracks, NewTrack, RemoveStrips, RenameStrips, SetSong
from gemischt.core.session.document import Session
from gemischt.core.session.moves import without_lost_moves
from gemischt.core.session.validation import check_session, faults_of

SingleAction = Annotated[
    SetStrips
    | AddTracks
    | AddStrip
    | RemoveStrips
    | RenameStrips
    | SetSong
    | FolderFromStrips
    | MoveInTree
    | SetFolder
    | RemoveFolder
    | SumFolder
    | SetClips
    | SplitClip
    | DuplicateClip
    | RemoveClip
    | SetOutput
    | BusFromStrips
    | AddSend
    | SetSends
    | RemoveSends
    | PasteSends
    | AddGroup
    | SetGroup
    | RemoveGroup
    | AddProcessor
    | PasteProcessors
    | RemoveProcessor
    | MoveProcessor
    | SetProcessor
    | AddParallel
    | SetParallel
    | AddLane
    | RemoveLane
    | SetLanes
    | SetMoves
    | RemoveMoves,
    Field(discriminator="type"),
]


class Together(Action):
    """Several actions as one edit with a name of its own."""

    type: Literal["together"] = "together"
    title: str = Field(min_length=1, max_length=200)
    actions: tuple[SingleAction, ...] = Field(min_length=1, max_length=512)

    def apply(self, session: Session) -> Session:
        for action in self.actions:
            session = action.apply(session)
        return session

    def describe(self, session: Session) -> str:
        return self.title


AnyAction = Annotated[SingleAction | Together, Field(discriminator="type")]

_ADAPTER: TypeAdapter[Action] = TypeAdapter(AnyAction)


def parse_action(document: object) -> Action:
    """Read an action from parsed JSON; InvalidSession carries what is wrong with it."""
    try:
        return _ADAPTER.validate_python(document)
    except ValidationError as error:
        raise InvalidSession(faults_of(error), where="action") from None


def dump_action(action: Action) -> dict[str, Any]:
    """The action as parse_action takes it: only what was given, so that what was left out stays left out."""
    document = action.model_dump(mode="json", by_alias=True, exclude_unset=True)
    document["type"] = type(action).model_fields["type"].default
    if isinstance(action, Together):
        document["actions"] = [dump_action(part) for part in action.actions]
    return document


def apply_action(session: Session, action: Action) -> Session:
    """The session after a valid edit; refused edits raise and change nothing."""
    edited = without_lost_moves(action.apply(session))
    check_session(edited, where=action.describe(session))
    return edited


__all__ = [
    "Action",
    "AddGroup",
    "AddLane",
    "AddParallel",
    "AddProcessor",
    "AddSend",
    "AddStrip",
    "AddTracks",
    "AnyAction",
    "BusFromStrips",
    "DuplicateClip",
    "FolderFromStrips",
    "MoveInTree",
    "MoveProcessor",
    "NewTrack",
    "PasteProcessors",
    "PasteSends",
    "RemoveClip",
    "RemoveFolder",
    "RemoveGroup",
    "RemoveLane",
    "RemoveMoves",
    "RemoveProcessor",
    "RemoveSends",
    "RemoveStrips",
    "RenameStrips",
    "SetClips",
    "SetFolder",
    "SetGroup",
    "SetLanes",
    "SetMoves",
    "SetOutput",
    "SetParallel",
    "SetProcessor",
    "SetSends",
    "SetSong",
    "SetStrips",
    "SingleAction",
    "SplitClip",
    "StripSettings",
    "SumFolder",
    "Together",
    "apply_action",
    "dump_action",
    "parse_action",
]
