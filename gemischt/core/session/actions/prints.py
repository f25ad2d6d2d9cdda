"""Edits of the print list: what is printed, how files are called, what they are meant for; prints that come back."""

from typing import Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import Clip, Media, Session, Strip
from gemischt.core.session.edits import find_strip, fresh_id, fresh_strip_id, names_of, replace_strip, with_strips
from gemischt.core.session.print_names import check_pattern
from gemischt.core.session.prints import Print, Target
from gemischt.core.terms import Id, Name, SongTime


class SetPrint(Action):
    """What a print is to be from now on, what is left out stays; one with an unknown id is new, at the list's end."""

    type: Literal["set-print"] = "set-print"
    print: Print

    def apply(self, session: Session) -> Session:
        for strip_id in (*self.print.strips, *self.print.of):
            find_strip(session, strip_id)
        if self._known(session) is None:
            return session.model_copy(update={"prints": (*session.prints, self.print)})
        given = {name: getattr(self.print, name) for name in self.print.model_fields_set}
        prints = tuple(item.model_copy(update=given) if item.id == self.print.id else item for item in session.prints)
        return session.model_copy(update={"prints": prints})

    def describe(self, session: Session) -> str:
        known = self._known(session)
        shown = known or self.print
        what = f"every {shown.every}" if shown.every else names_of(session, shown.strips)
        return f"{'Change' if known else 'Add'} print of {what}"

    def _known(self, session: Session) -> Print | None:
        return next((item for item in session.prints if item.id == self.print.id), None)


class RemovePrints(Action):
    """Take prints off the list; files stay."""

    type: Literal["remove-prints"] = "remove-prints"
    prints: tuple[Id, ...] = Field(min_length=1, max_length=1000)

    def apply(self, session: Session) -> Session:
        for print_id in self.prints:
            _find_print(session, print_id)
        kept = tuple(item for item in session.prints if item.id not in self.prints)
        return session.model_copy(update={"prints": kept})

    def describe(self, session: Session) -> str:
        return "Remove a print" if len(self.prints) == 1 else f"Remove {len(self.prints)} prints"


class MovePrint(Action):
    """Put a print elsewhere on the list."""

    type: Literal["move-print"] = "move-print"
    print: Id
    to: int = Field(ge=0, le=1000)

    def apply(self, session: Session) -> Session:
        moved = _find_print(session, self.print)
        others = [item for item in session.prints if item.id != self.print]
        others.insert(self.to, moved)
        return session.model_copy(update={"prints": tuple(others)})

    def describe(self, session: Session) -> str:
        return "Move a print"


class SetPrinting(Action):
    """The pattern of prints' names, or what they are meant for; what is left out stays, null is for nothing."""

    type: Literal["set-printing"] = "set-printing"
    print_names: str | None = Field(default=None, min_length=1, max_length=200)
    meant_for: Id | None = None

    def apply(self, session: Session) -> Session:
        if self.print_names is not None:
            check_pattern(self.print_names)
            session = session.model_copy(update={"print_names": self.print_names})
        if "meant_for" in self.model_fields_set:
            session = session.model_copy(update={"meant_for": self.meant_for})
        return session

    def describe(self, session: Session) -> str:
        return "Names of prints" if self.print_names is not None else "What prints are meant for"


class SetTarget(Action):
    """An own target to hold prints against; one of the same id gives way."""

    type: Literal["set-target"] = "set-target"
    target: Target

    def apply(self, session: Session) -> Session:
        others = tuple(target for target in session.targets if target.id != self.target.id)
        return session.model_copy(update={"targets": (*others, self.target), "meant_for": self.target.id})

    def describe(self, session: Session) -> str:
        return f"Target {self.target.name}"


class BringBack(Action):
    """Let a print come back: as a track that plays where the printed strip plays, or in place of its clips and chain. A
    track that plays an earlier one of this name plays it from now on.

    In place the strip keeps fader, pan, output and sends. What it was is kept beside it, muted and without ways, and
    ducks that work before its fader go: they are in the print.
    """

    type: Literal["bring-back"] = "bring-back"
    strip: Id
    media: Media
    name: Name
    start_s: SongTime
    in_place: bool = False

    def apply(self, session: Session) -> Session:
        printed = find_strip(session, self.strip)
        media = self.media.model_copy(update={"id": fresh_id(self.media.id, (one.id for one in session.media))})
        session = session.model_copy(update={"media": (*session.media, media)})
        clip = Clip(media=media.id, start_s=self.start_s)
        if self.in_place:
            return _in_place(session, printed, clip)
        known = next((one for one in session.strips if (one.print_of, one.name) == (printed.id, self.name)), None)
        if known is not None and known.id != printed.id:
            return replace_strip(session, known.model_copy(update={"clips": (clip,)}))
        output = printed.output if printed.kind != "mix" else None
        track = Strip(
            id=fresh_strip_id(session, self.name),
            name=self.name,
            color=printed.color,
            folder=printed.folder,
            clips=(clip,),
            output=output,
            print_of=printed.id,
        )
        at = session.strips.index(printed)
        tracks = [strip.kind in ("track", "ghost", "bus") for strip in session.strips]
        at = at + 1 if tracks[at] else sum(tracks)
        return with_strips(session, [*session.strips[:at], track, *session.strips[at:]])

    def describe(self, session: Session) -> str:
        if self.in_place:
            return f"{names_of(session, (self.strip,))}: plays its print"
        return f"{self.name}: back as a track"


def _in_place(session: Session, printed: Strip, clip: Clip) -> Session:
    if printed.kind != "track":
        raise InvalidAction(
            "only a track can play its print", where=printed.name, remedy="Let it come back as a track of its own."
        )
    kept = printed.model_copy(
        update={
            "id": fresh_strip_id(session, f"{printed.id}-as-it-was"),
            "name": f"{printed.name}, as it was"[:200],
            "mute": True,
            "solo": False,
            "output": None,
            "late": False,
            "sends": (),
        }
    )
    plays = printed.model_copy(
        update={
            "clips": (clip,),
            "chain": (),
            "trim_db": 0.0,
            "polarity_inverted": False,
            "input": "as-is",
            "print_of": printed.id,
        }
    )
    session = replace_strip(session, plays)
    ducks = tuple(
        duck.model_copy(
            update={
                "targets": tuple(
                    target for target in duck.targets if target.strip != printed.id or target.at == "post-fader"
                )
            }
        )
        for duck in session.ducks
    )
    moves = tuple(
        move
        for move in session.moves
        if not move.target.startswith((f"strips/{printed.id}/trim_db", f"strips/{printed.id}/polarity"))
    )
    session = session.model_copy(update={"ducks": ducks, "moves": moves})
    at = session.strips.index(plays)
    return with_strips(session, [*session.strips[: at + 1], kept, *session.strips[at + 1 :]])


def _find_print(session: Session, print_id: str) -> Print:
    for item in session.prints:
        if item.id == print_id:
            return item
    raise InvalidAction("there is no such print", where=print_id, remedy="It may have been removed.")
