"""Edits that bring in, order and remove strips."""

from typing import Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.parameters import FrozenModel
from gemischt.core.processors.reverb_params import ReverbParams
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import Clip, Delay, Media, Processor, Reverb, Session, Strip, StripKind
from gemischt.core.session.edits import (
    find_strip,
    fresh_id,
    fresh_strip_id,
    names_of,
    replace_strip,
    unkeyed,
    with_strips,
)
from gemischt.core.session.kinds import TRAITS, traits_of
from gemischt.core.session.track_names import tidy_names
from gemischt.core.space.layout import LayoutName
from gemischt.core.terms import Id, Name

FAMILY_COLORS = ("#b4654a", "#a87b1f", "#4f8f4f", "#1a8f8f", "#3d7fb8", "#8a6bb8", "#b85c7a", "#8a8a2f")


FIRST_EARLY = 0.5
"""First reflections of a new return's reverb; in sessions of before it has none."""


_HOUR_S = 3600.0


class NewTrack(FrozenModel):
    """A file that becomes a track; ``layout`` as for strips, ``stamp_s`` where the file says that it begins."""

    name: Name
    media: Media
    layout: LayoutName | None = None
    stamp_s: float | None = Field(default=None, ge=0.0)


class AddTracks(Action):
    """One new track per file, each playing its file into the mix: from where the file says that it begins, whole hours
    that all have left out, else from the beginning. *Tidy*, numbers that put files in order are left out of names."""

    type: Literal["add-tracks"] = "add-tracks"
    tracks: tuple[NewTrack, ...] = Field(min_length=1, max_length=256)
    tidy: bool = False

    def apply(self, session: Session) -> Session:
        media = list(session.media)
        added: list[Strip] = []
        names = [track.name for track in self.tracks]
        stamps = [track.stamp_s for track in self.tracks if track.stamp_s]
        hours_s = _HOUR_S * (min(stamps, default=0.0) // _HOUR_S)
        for track, name in zip(self.tracks, tidy_names(names) if self.tidy else names, strict=True):
            start_s = max(0.0, (track.stamp_s or 0.0) - hours_s)
            known = next((item for item in media if item.sha256 and item.sha256 == track.media.sha256), None)
            if known is None:
                known = track.media.model_copy(update={"id": fresh_id(track.media.id, (item.id for item in media))})
                media.append(known)
            taken = [strip.id for strip in (*session.strips, *added)]
            added.append(
                Strip(
                    id=fresh_id(name, (*taken, *(group.id for group in session.control_groups))),
                    name=name,
                    color=FAMILY_COLORS[len(taken) % len(FAMILY_COLORS)],
                    layout=track.layout,
                    clips=(Clip(media=known.id, start_s=start_s),),
                    output=session.mix.id,
                )
            )
        session = session.model_copy(update={"media": tuple(media)})
        return with_strips(session, _after_kind(session, added, "track"))

    def describe(self, session: Session) -> str:
        names = [track.name for track in self.tracks]
        return f"Bring in {names[0]}" if len(names) == 1 else f"Bring in {len(names)} tracks"


class AddStrip(Action):
    """A new, empty bus or return that plays into the mix; a return may begin with an effect, fully wet."""

    type: Literal["add-strip"] = "add-strip"
    kind: Literal["bus", "return"] = "bus"
    name: Name
    effect: Literal["reverb", "delay"] | None = None

    def apply(self, session: Session) -> Session:
        strip = Strip(
            id=fresh_strip_id(session, self.name),
            kind=self.kind,
            name=self.name,
            output=session.mix.id,
            chain=self._effects(),
        )
        return with_strips(session, _after_kind(session, [strip], self.kind))

    def _effects(self) -> tuple[Processor, ...]:
        if self.effect is None:
            return ()
        if self.effect == "delay":
            return (Delay(id="delay"),)
        return (Reverb(id="reverb", params=ReverbParams(early=FIRST_EARLY)),)

    def describe(self, session: Session) -> str:
        return f"New {self.kind} {self.name}"


class RenameStrips(Action):
    """Rename strips: by a list, one name each, or by a pattern whose "#" counts from ``first``."""

    type: Literal["rename-strips"] = "rename-strips"
    strips: tuple[Id, ...] = Field(min_length=1, max_length=512)
    names: tuple[Name, ...] = ()
    pattern: str = Field(default="", max_length=200)
    first: int = Field(default=1, ge=0, le=99999)

    def apply(self, session: Session) -> Session:
        names = self.names or self._counted()
        if len(names) != len(self.strips):
            raise InvalidAction(
                f"{len(names)} names for {len(self.strips)} strips",
                where=names_of(session, self.strips),
                remedy="Give one name a line, as many as strips are selected.",
            )
        for strip_id, name in zip(self.strips, names, strict=True):
            session = replace_strip(session, find_strip(session, strip_id).model_copy(update={"name": name}))
        return session

    def describe(self, session: Session) -> str:
        return f"Rename {names_of(session, self.strips)}"

    def _counted(self) -> tuple[str, ...]:
        pattern = self.pattern.strip()
        if not pattern:
            raise InvalidAction("the pattern is empty", where="rename", remedy='Write a name, with "#" for the number.')
        if "#" not in pattern:
            pattern = f"{pattern} #" if len(self.strips) > 1 else pattern
        return tuple(pattern.replace("#", str(self.first + index)) for index in range(len(self.strips)))


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
        folders = tuple(
            folder.model_copy(update={"bus": None}) if folder.bus in gone else folder for folder in session.folders
        )
        return with_strips(session, kept).model_copy(update={"control_groups": groups, "folders": folders})

    def describe(self, session: Session) -> str:
        return f"Delete {names_of(session, self.strips)}"


def _after_kind(session: Session, added: list[Strip], kind: StripKind) -> list[Strip]:
    """Tracks stand in front of buses, those in front of returns, the mix last."""
    rank = TRAITS[kind].rank
    earlier = [strip for strip in session.strips if traits_of(strip).rank <= rank]
    later = [strip for strip in session.strips if traits_of(strip).rank > rank]
    return [*earlier, *added, *later]


def _without(strip: Strip, gone: set[str], outputs: dict[str, str | None]) -> Strip:
    output = strip.output
    while output in gone:
        output = outputs[output]
    return strip.model_copy(
        update={
            "output": output,
            "late": strip.late and output is not None,
            "sends": tuple(send for send in strip.sends if send.to not in gone),
            "chain": unkeyed(strip.chain, gone),
        }
    )
