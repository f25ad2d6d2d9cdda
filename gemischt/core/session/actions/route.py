"""Edits of where strips play to and what they send."""

from collections.abc import Iterable
from typing import Any, Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.parameters import FrozenModel, same_as
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import Send, Session, Strip
from gemischt.core.session.edits import (
    find_strip,
    fresh_id,
    fresh_strip_id,
    names_of,
    replace_strip,
    show_db,
    with_strips,
)
from gemischt.core.terms import Id, Name, Tap

NEW_SEND_DB = -12.0
"""What a send starts at unless its maker says otherwise; common practice, no source."""


class SetOutput(Action):
    """Let strips play into a bus, a return or the mix; null plays nowhere. ``late`` joins after its chain."""

    type: Literal["set-output"] = "set-output"
    strips: tuple[Id, ...] = Field(min_length=1, max_length=512)
    output: Id | None
    late: bool = False

    def apply(self, session: Session) -> Session:
        for strip_id in self.strips:
            strip = find_strip(session, strip_id)
            session = replace_strip(session, strip.model_copy(update={"output": self.output, "late": self.late}))
        return session

    def describe(self, session: Session) -> str:
        destination = find_strip(session, self.output).name if self.output else "nowhere"
        late = ", after its chain" if self.late else ""
        return f"{names_of(session, self.strips)}: plays to {destination}{late}"


class BusFromStrips(Action):
    """A new bus that takes the strips' outputs and plays where they played, so that the mix stays as it is.

    Where they play to different places, ``output`` says which of them the bus takes.
    """

    type: Literal["bus-from-strips"] = "bus-from-strips"
    strips: tuple[Id, ...] = Field(min_length=1, max_length=512)
    name: Name
    output: Id | None = None

    def apply(self, session: Session) -> Session:
        members = [find_strip(session, strip_id) for strip_id in self.strips]
        output, late = common_output(session, members, self.output)
        bus = Strip(
            id=fresh_strip_id(session, self.name),
            kind="bus",
            name=self.name,
            color=members[0].color,
            folder=members[0].folder,
            output=output,
            late=late,
        )
        first = next(strip.id for strip in session.strips if strip.id in self.strips)
        strips: list[Strip] = []
        for strip in session.strips:
            if strip.id == first:
                strips.append(bus)
            into_bus = {"output": bus.id, "late": False}
            strips.append(strip.model_copy(update=into_bus) if strip.id in self.strips else strip)
        return with_strips(session, strips)

    def describe(self, session: Session) -> str:
        return f"New bus {self.name} of {names_of(session, self.strips)}"


def common_output(session: Session, members: list[Strip], chosen: str | None) -> tuple[str, bool]:
    """Where strips that are to be summed play, and whether late; ``chosen`` decides between several.

    Raises:
        InvalidAction: they play to different places, which are named, and none was chosen.
    """
    outputs = {(member.output, member.late) for member in members if member.output is not None}
    if chosen is not None:
        return chosen, all(late for output, late in outputs if output == chosen) if outputs else False
    if len(outputs) == 1:
        output, late = next(iter(outputs))
        assert output is not None
        return output, late
    places = sorted({find_strip(session, output).name for output, _ in outputs if output is not None})
    raise InvalidAction(
        f"the strips play to different places ({', '.join(places) or 'nowhere'})",
        where=names_of(session, (member.id for member in members)),
        remedy="Say where the bus is to play.",
    )


class AddSend(Action):
    """A send from each of the strips to one place."""

    type: Literal["add-send"] = "add-send"
    strips: tuple[Id, ...] = Field(min_length=1, max_length=512)
    to: Id
    level_db: float | None = same_as(Send, "level_db", default=NEW_SEND_DB)
    tap: Tap = "post-fader"

    def apply(self, session: Session) -> Session:
        send = Send(id="send", to=self.to, level_db=self.level_db, tap=self.tap)
        return _with_sends(session, self.strips, (send,))

    def describe(self, session: Session) -> str:
        to = find_strip(session, self.to).name
        return f"{names_of(session, self.strips)}: send to {to} {show_db(self.level_db)}"


class PasteSends(Action):
    """Copies of sends on other strips; one that would go back to its own strip is left out."""

    type: Literal["paste-sends"] = "paste-sends"
    strips: tuple[Id, ...] = Field(min_length=1, max_length=512)
    sends: tuple[Send, ...] = Field(min_length=1, max_length=64)

    def apply(self, session: Session) -> Session:
        return _with_sends(session, self.strips, self.sends)

    def describe(self, session: Session) -> str:
        count = f"{len(self.sends)} send{'' if len(self.sends) == 1 else 's'}"
        return f"{names_of(session, self.strips)}: {count} pasted"


class SendSettings(FrozenModel):
    """New values of one send; what is left out stays."""

    strip: Id
    send: Id
    to: Id = "mix"
    level_db: float | None = same_as(Send, "level_db")
    tap: Tap = "post-fader"
    on: bool = True

    def values(self) -> dict[str, Any]:
        """The fields that were given."""
        return {name: getattr(self, name) for name in self.model_fields_set - {"strip", "send"}}


class SetSends(Action):
    """Set level, tap, switch or goal of sends, of one strip or of many."""

    type: Literal["set-sends"] = "set-sends"
    changes: tuple[SendSettings, ...] = Field(min_length=1, max_length=512)

    def apply(self, session: Session) -> Session:
        for change in self.changes:
            strip = find_strip(session, change.strip)
            find_send(strip, change.send)
            sends = tuple(
                send.model_copy(update=change.values()) if send.id == change.send else send for send in strip.sends
            )
            session = replace_strip(session, strip.model_copy(update={"sends": sends}))
        return session

    def describe(self, session: Session) -> str:
        first = self.changes[0]
        send = find_send(find_strip(session, first.strip), first.send)
        to = find_strip(session, send.to).name
        names = names_of(session, dict.fromkeys(change.strip for change in self.changes))
        words = [_describe_send(session, field, value) for field, value in first.values().items()]
        return f"{names}: send to {to} {', '.join(words)}"


class RemoveSends(Action):
    """Take sends away."""

    type: Literal["remove-sends"] = "remove-sends"
    sends: tuple[SendSettings, ...] = Field(min_length=1, max_length=512)

    def apply(self, session: Session) -> Session:
        for gone in self.sends:
            strip = find_strip(session, gone.strip)
            find_send(strip, gone.send)
            kept = tuple(send for send in strip.sends if send.id != gone.send)
            session = replace_strip(session, strip.model_copy(update={"sends": kept}))
        return session

    def describe(self, session: Session) -> str:
        first = self.sends[0]
        to = find_strip(session, find_send(find_strip(session, first.strip), first.send).to).name
        return f"{names_of(session, dict.fromkeys(gone.strip for gone in self.sends))}: send to {to} removed"


def find_send(strip: Strip, send_id: str) -> Send:
    """The send of this id, or InvalidAction."""
    for send in strip.sends:
        if send.id == send_id:
            return send
    raise InvalidAction(f'there is no send "{send_id}"', where=strip.name)


def _with_sends(session: Session, strip_ids: Iterable[str], sends: tuple[Send, ...]) -> Session:
    for strip_id in strip_ids:
        strip = find_strip(session, strip_id)
        for send in sends:
            if send.to != strip_id:
                own_id = fresh_id(f"to {send.to}", (other.id for other in strip.sends))
                own = send.model_copy(update={"id": own_id})
                strip = strip.model_copy(update={"sends": (*strip.sends, own)})
        session = replace_strip(session, strip)
    return session


def _describe_send(session: Session, field: str, value: Any) -> str:
    match field:
        case "level_db":
            return show_db(value)
        case "on":
            return "on" if value else "off"
        case "to":
            return f"goes to {find_strip(session, value).name}"
        case _:
            return str(value)
