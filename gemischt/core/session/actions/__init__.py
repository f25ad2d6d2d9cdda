"""Every edit the user can make, one module per station.

level       a strip's own settings
tidy        bring in, name and remove strips
folders     folders and the order of strips
clips       what tracks play
route       where strips play to and send to
groups      control groups
chain       processors, their parameters and keys
lanes       parallel blocks
bands       lanes that are bands
ducks       drawn ducks and ghosts
make_room   one strip makes room for another, in one of the usual ways
followers   followers
moves       what is drawn over the song
notes       what pads and keys play
place       where strips stand: mirrored, fanned out
distance    how far away strips stand
prints      the print list, and prints that come back
parameters  any parameter by its address
song        tempo, sections, the song's name
base        what every action is
snapshots   taking back what a session once was
"""

from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter, ValidationError

from gemischt.core.errors import InvalidSession
from gemischt.core.session.actions.bands import AddBands, SetLanesKey, SplitBand
from gemischt.core.session.actions.base import Action
from gemischt.core.session.actions.chain import (
    AddProcessor,
    MoveProcessor,
    PasteProcessors,
    RemoveProcessor,
    SetProcessor,
)
from gemischt.core.session.actions.clips import DuplicateClip, RemoveClip, SetClips, SplitClip
from gemischt.core.session.actions.distance import SetDistance
from gemischt.core.session.actions.ducks import (
    AddDuck,
    AddDuckTargets,
    AddGhost,
    RemoveDuck,
    RemoveDuckTargets,
    ReshapeDuck,
    SetDuck,
    SetDuckTarget,
    SetGhost,
)
from gemischt.core.session.actions.folders import FolderFromStrips, MoveInTree, RemoveFolder, SetFolder, SumFolder
from gemischt.core.session.actions.followers import AddFollower, RemoveFollower, SetFollower, SetFollowerTarget
from gemischt.core.session.actions.groups import AddGroup, RemoveGroup, SetGroup
from gemischt.core.session.actions.lanes import AddLane, AddParallel, RemoveLane, SetLanes, SetParallel
from gemischt.core.session.actions.level import SetStrips, StripSettings
from gemischt.core.session.actions.make_room import MakeRoom
from gemischt.core.session.actions.moves import CopyMoves, DrawMoves, OnlyIn, RemoveMoves, ReshapeMoves, SetMoves
from gemischt.core.session.actions.notes import AddNotes, RemoveNoteTrack
from gemischt.core.session.actions.parameters import SetParameters
from gemischt.core.session.actions.place import SpreadStrips
from gemischt.core.session.actions.prints import (
    BringBack,
    MovePrint,
    RemovePrints,
    SetPrint,
    SetPrinting,
    SetTarget,
)
from gemischt.core.session.actions.route import (
    AddSend,
    BusFromStrips,
    PasteSends,
    RemoveSends,
    SetOutput,
    SetSends,
)
from gemischt.core.session.actions.song import (
    AddSection,
    RemoveSection,
    SetSampleRate,
    SetSection,
    SetSong,
    SetTempo,
    TakeMidi,
)
from gemischt.core.session.actions.tidy import AddStrip, AddTracks, NewTrack, RemoveStrips, RenameStrips
from gemischt.core.session.addresses import name_of
from gemischt.core.session.document import Session
from gemischt.core.session.drawing import shifted_along
from gemischt.core.session.ducking import without_lost_ducks
from gemischt.core.session.edits import without_lost_prints
from gemischt.core.session.moves import without_lost_moves
from gemischt.core.session.validation import check_session, faults_of

SingleAction = Annotated[
    SetStrips
    | AddTracks
    | AddStrip
    | RemoveStrips
    | RenameStrips
    | SetSong
    | SetTempo
    | SetSampleRate
    | AddSection
    | SetSection
    | RemoveSection
    | TakeMidi
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
    | AddBands
    | SplitBand
    | SetLanesKey
    | SetParallel
    | AddLane
    | RemoveLane
    | SetLanes
    | AddDuck
    | AddDuckTargets
    | AddGhost
    | MakeRoom
    | SpreadStrips
    | SetDistance
    | RemoveDuck
    | RemoveDuckTargets
    | ReshapeDuck
    | SetDuck
    | SetDuckTarget
    | SetGhost
    | AddFollower
    | RemoveFollower
    | SetFollower
    | SetFollowerTarget
    | SetMoves
    | DrawMoves
    | OnlyIn
    | ReshapeMoves
    | CopyMoves
    | RemoveMoves
    | SetParameters
    | AddNotes
    | RemoveNoteTrack
    | SetPrint
    | RemovePrints
    | MovePrint
    | SetPrinting
    | SetTarget
    | BringBack,
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
    edited = without_lost_prints(without_lost_moves(without_lost_ducks(action.apply(session))))
    if action.shifts_moves:
        edited = shifted_along(session, edited)
    check_session(edited, where=action.describe(session))
    return edited


_OF_MOVES = (SetMoves, OnlyIn, DrawMoves, ReshapeMoves, CopyMoves, RemoveMoves, SetTempo, TakeMidi, Together)


def name_of_edit(action: Action, before: Session, after: Session) -> str:
    """An edit by its name, and what it does to moves by the way: those of what it deletes go, those of what it sets are
    shifted."""
    name = action.describe(before)
    if isinstance(action, _OF_MOVES):
        return name
    drawn = {move.target: move.points for move in before.moves}
    if action.shifts_moves and any(drawn.get(move.target, move.points) != move.points for move in after.moves):
        name = f"{name}, its curve shifted"
    left = {move.target for move in after.moves}
    lost = [name_of(before, move.target) for move in before.moves if move.target not in left]
    if not isinstance(action, RemoveDuck | RemoveFollower):
        for word, were, are in (("duck", before.ducks, after.ducks), ("follower", before.followers, after.followers)):
            kept = {item.id for item in are}
            gone = [item.name for item in were if item.id not in kept]
            name = f"{name}, and the {word}{'s' if len(gone) > 1 else ''} {', '.join(gone)}" if gone else name
    if not lost:
        return name
    more = f" and {len(lost) - 2} more" if len(lost) > 2 else ""
    return f"{name}, and what moved: {', '.join(lost[:2])}{more}"


__all__ = [
    "Action",
    "AddBands",
    "AddDuck",
    "AddDuckTargets",
    "AddFollower",
    "AddGhost",
    "AddGroup",
    "AddLane",
    "AddNotes",
    "AddParallel",
    "AddProcessor",
    "AddSection",
    "AddSend",
    "AddStrip",
    "AddTracks",
    "AnyAction",
    "BusFromStrips",
    "CopyMoves",
    "DrawMoves",
    "DuplicateClip",
    "FolderFromStrips",
    "MakeRoom",
    "MoveInTree",
    "MoveProcessor",
    "NewTrack",
    "OnlyIn",
    "PasteProcessors",
    "PasteSends",
    "RemoveClip",
    "RemoveDuck",
    "RemoveDuckTargets",
    "RemoveFolder",
    "RemoveFollower",
    "RemoveGroup",
    "RemoveLane",
    "RemoveMoves",
    "RemoveNoteTrack",
    "RemoveProcessor",
    "RemoveSection",
    "RemoveSends",
    "RemoveStrips",
    "RenameStrips",
    "ReshapeDuck",
    "ReshapeMoves",
    "SetClips",
    "SetDistance",
    "SetDuck",
    "SetDuckTarget",
    "SetFolder",
    "SetFollower",
    "SetFollowerTarget",
    "SetGhost",
    "SetGroup",
    "SetLanes",
    "SetLanesKey",
    "SetMoves",
    "SetOutput",
    "SetParallel",
    "SetParameters",
    "SetProcessor",
    "SetSampleRate",
    "SetSection",
    "SetSends",
    "SetSong",
    "SetStrips",
    "SetTempo",
    "SingleAction",
    "SplitBand",
    "SplitClip",
    "SpreadStrips",
    "StripSettings",
    "SumFolder",
    "TakeMidi",
    "Together",
    "apply_action",
    "dump_action",
    "name_of_edit",
    "parse_action",
]
