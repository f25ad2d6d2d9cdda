"""Edits of control groups."""

from typing import Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.parameters import same_as
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import ControlGroup, Session
from gemischt.core.session.edits import find_group, fresh_strip_id, show_db
from gemischt.core.terms import Id, Name


class AddGroup(Action):
    """A control group over strips of any kind, or over other groups."""

    type: Literal["add-group"] = "add-group"
    name: Name
    members: tuple[Id, ...] = Field(min_length=1, max_length=512)
    level_db: float | None = same_as(ControlGroup, "level_db")

    def apply(self, session: Session) -> Session:
        group = ControlGroup(
            id=fresh_strip_id(session, self.name),
            name=self.name,
            members=tuple(dict.fromkeys(self.members)),
            level_db=self.level_db,
        )
        return session.model_copy(update={"control_groups": (*session.control_groups, group)})

    def describe(self, session: Session) -> str:
        return f"New control group {self.name} over {len(self.members)} members"


class SetGroup(Action):
    """Set a group's name, level, mute or members; what is left out stays."""

    type: Literal["set-group"] = "set-group"
    group: Id
    name: Name = "Group"
    level_db: float | None = same_as(ControlGroup, "level_db")
    mute: bool = False
    members: tuple[Id, ...] = ()

    def apply(self, session: Session) -> Session:
        find_group(session, self.group)
        values = {field: getattr(self, field) for field in self.model_fields_set - {"type", "group"}}
        if not values:
            raise InvalidAction("nothing to set", where=self.group)
        groups = tuple(
            group.model_copy(update=values) if group.id == self.group else group for group in session.control_groups
        )
        return session.model_copy(update={"control_groups": groups})

    def describe(self, session: Session) -> str:
        words = []
        for field in sorted(self.model_fields_set - {"type", "group"}):
            words.append(
                {
                    "name": f"renamed {self.name}",
                    "level_db": f"level {show_db(self.level_db)}",
                    "mute": f"mute {'on' if self.mute else 'off'}",
                    "members": f"{len(self.members)} members",
                }[field]
            )
        return f"{find_group(session, self.group).name}: {', '.join(words)}"


class RemoveGroup(Action):
    """Delete a control group; its members keep their own levels."""

    type: Literal["remove-group"] = "remove-group"
    group: Id

    def apply(self, session: Session) -> Session:
        find_group(session, self.group)
        groups = tuple(
            group.model_copy(update={"members": tuple(member for member in group.members if member != self.group)})
            for group in session.control_groups
            if group.id != self.group
        )
        return session.model_copy(update={"control_groups": groups})

    def describe(self, session: Session) -> str:
        return f"Delete control group {find_group(session, self.group).name}"
