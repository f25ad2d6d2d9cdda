"""Edits of where strips play to."""

from typing import Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import Id, Name, Session, Strip
from gemischt.core.session.edits import find_strip, fresh_id, names_of, replace_strip, with_strips


class SetOutput(Action):
    """Let strips play into a bus, a return or the mix; null plays nowhere."""

    type: Literal["set-output"] = "set-output"
    strips: tuple[Id, ...] = Field(min_length=1, max_length=512)
    output: Id | None

    def apply(self, session: Session) -> Session:
        for strip_id in self.strips:
            strip = find_strip(session, strip_id)
            session = replace_strip(session, strip.model_copy(update={"output": self.output}))
        return session

    def describe(self, session: Session) -> str:
        destination = find_strip(session, self.output).name if self.output else "nowhere"
        return f"{names_of(session, self.strips)}: plays to {destination}"


class BusFromStrips(Action):
    """A new bus that takes the strips' outputs and plays where they played, so that the mix stays as it is."""

    type: Literal["bus-from-strips"] = "bus-from-strips"
    strips: tuple[Id, ...] = Field(min_length=1, max_length=512)
    name: Name

    def apply(self, session: Session) -> Session:
        members = [find_strip(session, strip_id) for strip_id in self.strips]
        outputs = {member.output for member in members}
        if len(outputs) != 1 or None in outputs:
            raise InvalidAction(
                "the strips play to different places",
                where=names_of(session, self.strips),
                remedy="Give them one output first.",
            )
        bus = Strip(
            id=fresh_id(self.name, (strip.id for strip in session.strips)),
            kind="bus",
            name=self.name,
            color=members[0].color,
            output=members[0].output,
        )
        strips: list[Strip] = []
        for strip in session.strips:
            if strip.id == self.strips[0]:
                strips.append(bus)
            strips.append(strip.model_copy(update={"output": bus.id}) if strip.id in self.strips else strip)
        return with_strips(session, strips)

    def describe(self, session: Session) -> str:
        return f"New bus {self.name} of {names_of(session, self.strips)}"
