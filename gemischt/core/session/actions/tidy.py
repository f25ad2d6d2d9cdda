"""Edits that bring in, order and remove strips."""

from typing import Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.parameters import FrozenModel
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import Clip, Id, Media, Name, Processor, Section, Session, Strip, Tempo
from gemischt.core.session.edits import find_strip, fresh_id, names_of, with_strips

FAMILY_COLORS = ("#b4654a", "#a87b1f", "#4f8f4f", "#1a8f8f", "#3d7fb8", "#8a6bb8", "#b85c7a", "#8a8a2f")


class NewTrack(FrozenModel):
    """A file that becomes a track."""

    name: Name
    media: Media


class AddTracks(Action):
    """One new track per file, each playing its file from the beginning, into the mix."""

    type: Literal["add-tracks"] = "add-tracks"
    tracks: tuple[NewTrack, ...] = Field(min_length=1, max_length=256)

    def apply(self, session: Session) -> Session:
        media = list(session.media)
        added: list[Strip] = []
        for track in self.tracks:
            known = next((item for item in media if item.sha256 and item.sha256 == track.media.sha256), None)
            if known is None:
                known = track.media.model_copy(update={"id": fresh_id(track.media.id, (item.id for item in media))})
                media.append(known)
            taken = [strip.id for strip in (*session.strips, *added)]
            added.append(
                Strip(
                    id=fresh_id(track.name, taken),
                    name=track.name,
                    color=FAMILY_COLORS[len(taken) % len(FAMILY_COLORS)],
                    clips=(Clip(media=known.id),),
                    output=session.mix.id,
                )
            )
        session = session.model_copy(update={"media": tuple(media)})
        return with_strips(session, _after_kind(session, added, "track"))

    def describe(self, session: Session) -> str:
        names = [track.name for track in self.tracks]
        return f"Bring in {names[0]}" if len(names) == 1 else f"Bring in {len(names)} tracks"


class AddStrip(Action):
    """A new, empty bus or return that plays into the mix."""

    type: Literal["add-strip"] = "add-strip"
    kind: Literal["bus", "return"] = "bus"
    name: Name

    def apply(self, session: Session) -> Session:
        strip = Strip(
            id=fresh_id(self.name, (strip.id for strip in session.strips)),
            kind=self.kind,
            name=self.name,
            output=session.mix.id,
        )
        return with_strips(session, _after_kind(session, [strip], self.kind))

    def describe(self, session: Session) -> str:
        return f"New {self.kind} {self.name}"


class RemoveStrips(Action):
    """Delete strips; sends and keys that refer to them go, strips that played into them play where they played."""

    type: Literal["remove-strips"] = "remove-strips"
    strips: tuple[Id, ...] = Field(min_length=1, max_length=512)

    def apply(self, session: Session) -> Session:
        gone = set(self.strips)
        for strip_id in self.strips:
            if find_strip(session, strip_id).kind == "mix":
                raise InvalidAction("the mix cannot be deleted", where="Mix", remedy="Every session has exactly one.")
        outputs = {strip.id: strip.output for strip in session.strips}
        kept = (_without(strip, gone, outputs) for strip in session.strips if strip.id not in gone)
        groups = tuple(
            group.model_copy(update={"members": tuple(m for m in group.members if m not in gone)})
            for group in session.control_groups
        )
        return with_strips(session, kept).model_copy(update={"control_groups": groups})

    def describe(self, session: Session) -> str:
        return f"Delete {names_of(session, self.strips)}"


class MoveStrips(Action):
    """Put strips in front of another one, in their order; ``before`` null is the end of the tracks and buses."""

    type: Literal["move-strips"] = "move-strips"
    strips: tuple[Id, ...] = Field(min_length=1, max_length=512)
    before: Id | None = None

    def apply(self, session: Session) -> Session:
        moving = [find_strip(session, strip_id) for strip_id in self.strips]
        rest = [strip for strip in session.strips if strip.id not in self.strips]
        ids = [strip.id for strip in rest]
        before = self.before if self.before is not None else session.mix.id
        if before not in ids:
            raise InvalidAction(f'"{before}" is not a place to move to', where=names_of(session, self.strips))
        at = ids.index(before)
        return with_strips(session, [*rest[:at], *moving, *rest[at:]])

    def describe(self, session: Session) -> str:
        return f"Move {names_of(session, self.strips)}"


class SetSong(Action):
    """Tempo, sections, or the session's name; what is left out stays."""

    type: Literal["set-song"] = "set-song"
    name: Name | None = None
    tempo: tuple[Tempo, ...] | None = None
    sections: tuple[Section, ...] | None = None

    def apply(self, session: Session) -> Session:
        given = {field: getattr(self, field) for field in ("name", "tempo", "sections")}
        return session.model_copy(update={field: value for field, value in given.items() if value is not None})

    def describe(self, session: Session) -> str:
        if self.name is not None:
            return f"Rename to {self.name}"
        return "Tempo" if self.tempo is not None else "Sections"


def _after_kind(session: Session, added: list[Strip], kind: str) -> list[Strip]:
    """Tracks stand in front of buses, those in front of returns, the mix last."""
    ranks = {"track": 0, "ghost": 0, "bus": 0, "return": 1, "mix": 2}
    earlier = [strip for strip in session.strips if ranks[strip.kind] <= ranks[kind]]
    later = [strip for strip in session.strips if ranks[strip.kind] > ranks[kind]]
    return [*earlier, *added, *later]


def _without(strip: Strip, gone: set[str], outputs: dict[str, str | None]) -> Strip:
    output = strip.output
    while output in gone:
        output = outputs[output]
    return strip.model_copy(
        update={
            "output": output,
            "sends": tuple(send for send in strip.sends if send.to not in gone),
            "chain": tuple(_unkeyed(processor, gone) for processor in strip.chain),
        }
    )


def _unkeyed(processor: Processor, gone: set[str]) -> Processor:
    if processor.type == "compressor" and processor.key.source in gone:
        return processor.model_copy(update={"key": processor.key.model_copy(update={"source": None})})
    if processor.type == "parallel" and any(
        inner.type == "compressor" and inner.key.source in gone for inner in walk_chain((processor,))
    ):
        lanes = tuple(
            lane.model_copy(update={"chain": tuple(_unkeyed(inner, gone) for inner in lane.chain)})
            for lane in processor.lanes
        )
        return processor.model_copy(update={"lanes": lanes})
    return processor
