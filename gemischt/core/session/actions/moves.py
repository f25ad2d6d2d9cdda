"""Edits of what moves over the song."""

from typing import Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions.base import Action
from gemischt.core.session.addresses import name_of, read
from gemischt.core.session.document import Move, Session


class SetMoves(Action):
    """Draw parameters over the song, each anew: what its curve was is replaced."""

    type: Literal["set-moves"] = "set-moves"
    moves: tuple[Move, ...] = Field(min_length=1, max_length=256)

    def apply(self, session: Session) -> Session:
        for move in self.moves:
            # What leads nowhere is refused here: of what is known it would be taken for lost.
            read(session, move.target)
        drawn = {move.target: move for move in self.moves}
        kept = tuple(drawn.pop(move.target, move) for move in session.moves)
        return session.model_copy(update={"moves": (*kept, *drawn.values())})

    def describe(self, session: Session) -> str:
        if len(self.moves) > 1:
            return f"Draw {len(self.moves)} parameters over the song"
        move = self.moves[0]
        before = next((known for known in session.moves if known.target == move.target), None)
        name = name_of(session, move.target)
        if before is not None and before.points == move.points:
            return f"{name}: move {'on' if move.on else 'off'}"
        count = len(move.points)
        return f"{name}: drawn over the song, {count} point{'' if count == 1 else 's'}"


class RemoveMoves(Action):
    """Let parameters rest where the document says."""

    type: Literal["remove-moves"] = "remove-moves"
    targets: tuple[str, ...] = Field(min_length=1, max_length=1024)

    def apply(self, session: Session) -> Session:
        known = {move.target for move in session.moves}
        for target in self.targets:
            if target not in known:
                raise InvalidAction("nothing moves here", where=target)
        kept = tuple(move for move in session.moves if move.target not in self.targets)
        return session.model_copy(update={"moves": kept})

    def describe(self, session: Session) -> str:
        if len(self.targets) > 1:
            return f"Remove {len(self.targets)} moves"
        return f"{name_of(session, self.targets[0])}: rests"
