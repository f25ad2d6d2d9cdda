"""Edits of followers."""

from typing import Any, Literal

from pydantic import ConfigDict, Field

from gemischt.core.errors import InvalidAction
from gemischt.core.keys import DetectorFilter
from gemischt.core.parameters import same_as
from gemischt.core.session.actions.base import Action
from gemischt.core.session.addresses import name_of, read
from gemischt.core.session.document import Session
from gemischt.core.session.ducks import Follower, FollowerTarget
from gemischt.core.session.edits import find_follower, find_strip, fresh_id
from gemischt.core.terms import Id, Name, Tap


class AddFollower(Action):
    """Let a strip's level move a parameter towards a value, and further ones later."""

    type: Literal["add-follower"] = "add-follower"
    source: Id
    target: str = Field(min_length=1, max_length=400)
    to: float | None
    name: Name | None = None

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.source)
        read(session, self.target)
        name = self.name or f"With {strip.name}"
        follower = Follower(
            id=fresh_id(name, (known.id for known in session.followers)),
            name=name,
            source=strip.id,
            targets=(FollowerTarget(id="t1", target=self.target, to=self.to),),
        )
        return session.model_copy(update={"followers": (*session.followers, follower)})

    def describe(self, session: Session) -> str:
        shown = read(session, self.target).parameter.show(self.to)
        return f"{name_of(session, self.target)} goes to {shown} with {find_strip(session, self.source).name}"


class SetFollower(Action):
    """Set what a follower hears and how; what is left out stays."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    type: Literal["set-follower"] = "set-follower"
    follower: Id
    name: Name = "Follower"
    on: bool = True
    source: Id = "none"
    tap: Tap = "post-fader"
    gain_db: float = same_as(Follower, "gain_db")
    filter: DetectorFilter = DetectorFilter()
    detector: Literal["peak", "rms"] = "peak"
    floor_db: float = same_as(Follower, "floor_db")
    ceiling_db: float = same_as(Follower, "ceiling_db")
    bend: float = same_as(Follower, "bend")
    attack_ms: float = same_as(Follower, "attack_ms")
    release_ms: float = same_as(Follower, "release_ms")

    def _values(self) -> dict[str, Any]:
        return {field: getattr(self, field) for field in self.model_fields_set - {"type", "follower"}}

    def apply(self, session: Session) -> Session:
        if not self._values():
            raise InvalidAction("nothing to set", where=self.follower)
        return _replaced(session, find_follower(session, self.follower).model_copy(update=self._values()))

    def describe(self, session: Session) -> str:
        words = []
        for field, value in sorted(self._values().items()):
            if field == "source":
                words.append(f"follows {find_strip(session, value).name}")
            else:
                words.append(f"{field.rsplit('_', 1)[0].replace('_', ' ')} {value}" if field != "filter" else "filter")
        return f"{find_follower(session, self.follower).name}: {', '.join(words)}"


class SetFollowerTarget(Action):
    """Add a parameter that a follower moves, or say where to."""

    type: Literal["set-follower-target"] = "set-follower-target"
    follower: Id
    target: str = Field(min_length=1, max_length=400)
    to: float | None
    on: bool = True

    def apply(self, session: Session) -> Session:
        follower = find_follower(session, self.follower)
        read(session, self.target)
        known = next((item for item in follower.targets if item.target == self.target), None)
        own_id = known.id if known else fresh_id("t", (item.id for item in follower.targets))
        made = FollowerTarget(id=own_id, target=self.target, to=self.to, on=self.on)
        others = tuple(item for item in follower.targets if item.target != self.target)
        return _replaced(session, follower.model_copy(update={"targets": (*others, made)}))

    def describe(self, session: Session) -> str:
        shown = read(session, self.target).parameter.show(self.to)
        return f"{find_follower(session, self.follower).name}: {name_of(session, self.target)} to {shown}"


class RemoveFollower(Action):
    """Delete a follower, or let it leave one parameter alone."""

    type: Literal["remove-follower"] = "remove-follower"
    follower: Id
    target: str | None = None

    def apply(self, session: Session) -> Session:
        follower = find_follower(session, self.follower)
        kept = tuple(item for item in follower.targets if self.target is not None and item.target != self.target)
        if kept:
            return _replaced(session, follower.model_copy(update={"targets": kept}))
        followers = tuple(item for item in session.followers if item.id != self.follower)
        return session.model_copy(update={"followers": followers})

    def describe(self, session: Session) -> str:
        name = find_follower(session, self.follower).name
        return f"{name}: leaves {name_of(session, self.target)} alone" if self.target else f"Delete follower {name}"


def _replaced(session: Session, follower: Follower) -> Session:
    followers = tuple(follower if known.id == follower.id else known for known in session.followers)
    return session.model_copy(update={"followers": followers})
