"""Edits of parallel blocks and their lanes."""

from typing import Any, Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.parameters import FrozenModel, same_as
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import Lane, LanePlace, Parallel, Session, Strip
from gemischt.core.session.edits import (
    change_chain,
    find_block,
    find_lane,
    find_strip,
    fresh_id,
    inserted,
    replace_lanes,
    replace_processor,
    replace_strip,
    show_db,
    with_fresh_ids,
)
from gemischt.core.session.racks import RackName, rack_label, rack_lane
from gemischt.core.terms import Id, Name


class AddParallel(Action):
    """Split the signal into a clean lane and one from a rack."""

    type: Literal["add-parallel"] = "add-parallel"
    strip: Id
    rack: RackName = "squash"
    into: LanePlace | None = None
    at: int | None = None

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        clean, worked = rack_lane("clean", "clean"), _renewed(strip, rack_lane(self.rack, self.rack))
        lanes = (clean,) if self.rack == "clean" else (clean, worked)
        taken = [processor.id for processor in walk_chain(strip.chain)]
        block = Parallel(id=fresh_id("lanes", taken), lanes=lanes)
        return replace_strip(session, change_chain(strip, self.into, lambda chain: inserted(chain, (block,), self.at)))

    def describe(self, session: Session) -> str:
        return f"{find_strip(session, self.strip).name}: lanes with {rack_label(self.rack)} added"


class SetParallel(Action):
    """Set a block's name or level; what is left out stays."""

    type: Literal["set-parallel"] = "set-parallel"
    strip: Id
    block: Id
    name: Name = "Lanes"
    level_db: float | None = same_as(Parallel, "level_db")

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        find_block(strip, self.block)
        values = {field: getattr(self, field) for field in self.model_fields_set & {"name", "level_db"}}
        if not values:
            raise InvalidAction("nothing to set", where=strip.name)
        return replace_strip(
            session, replace_processor(strip, self.block, lambda block: block.model_copy(update=values))
        )

    def describe(self, session: Session) -> str:
        strip = find_strip(session, self.strip)
        block = find_block(strip, self.block)
        if "name" in self.model_fields_set:
            return f"{strip.name}: {block.name} renamed {self.name}"
        return f"{strip.name}: {block.name} level {show_db(self.level_db)}"


class AddLane(Action):
    """One lane more, from a rack."""

    type: Literal["add-lane"] = "add-lane"
    strip: Id
    block: Id
    rack: RackName = "clean"

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        block = find_block(strip, self.block)
        if block.splits:
            raise InvalidAction(
                "its lanes are bands", where=f"{strip.name}/{block.name}", remedy="Split one of its bands instead."
            )
        taken = [lane.id for lane in block.lanes]
        lane = _renewed(strip, rack_lane(self.rack, fresh_id(self.rack, taken)))
        return replace_strip(session, replace_lanes(strip, self.block, lambda lanes: (*lanes, lane)))

    def describe(self, session: Session) -> str:
        strip = find_strip(session, self.strip)
        return f"{strip.name}: lane {rack_label(self.rack)} added to {find_block(strip, self.block).name}"


class RemoveLane(Action):
    """Take a lane out; the last one goes with its block. A band's neighbour takes over what was its own."""

    type: Literal["remove-lane"] = "remove-lane"
    strip: Id
    place: LanePlace

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        block, index = find_block(strip, self.place.block), self._index(strip)
        if len(block.lanes) == 1:
            return replace_strip(session, replace_processor(strip, block.id, lambda _: None))
        edge = max(0, index - 1)
        left = block.model_copy(
            update={
                "lanes": (*block.lanes[:index], *block.lanes[index + 1 :]),
                "splits": (*block.splits[:edge], *block.splits[edge + 1 :]),
            }
        )
        return replace_strip(session, replace_processor(strip, block.id, lambda _: left))

    def _index(self, strip: Strip) -> int:
        return find_block(strip, self.place.block).lanes.index(find_lane(strip, self.place))

    def describe(self, session: Session) -> str:
        strip = find_strip(session, self.strip)
        return f"{strip.name}: lane {find_lane(strip, self.place).name} removed"


class LaneSettings(FrozenModel):
    """New values of one lane; what is left out stays."""

    lane: Id
    name: Name = "Lane"
    level_db: float | None = same_as(Lane, "level_db")
    shift_ms: float = same_as(Lane, "shift_ms")
    mute: bool = False
    solo: bool = False
    polarity_inverted: bool = False

    def values(self) -> dict[str, Any]:
        """The fields that were given."""
        return {name: getattr(self, name) for name in self.model_fields_set - {"lane"}}


class SetLanes(Action):
    """Set levels, switches, names or shifts of a block's lanes."""

    type: Literal["set-lanes"] = "set-lanes"
    strip: Id
    block: Id
    changes: tuple[LaneSettings, ...] = Field(min_length=1, max_length=16)

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        for change in self.changes:
            find_lane(strip, LanePlace(block=self.block, lane=change.lane))
            if not change.values():
                raise InvalidAction("nothing to set", where=strip.name)
        wanted = {change.lane: change.values() for change in self.changes}

        def changed(lanes: tuple[Lane, ...]) -> list[Lane]:
            return [lane.model_copy(update=wanted.get(lane.id, {})) for lane in lanes]

        return replace_strip(session, replace_lanes(strip, self.block, changed))

    def describe(self, session: Session) -> str:
        strip = find_strip(session, self.strip)
        words = [
            f"{find_lane(strip, LanePlace(block=self.block, lane=change.lane)).name} {_describe(field, value)}"
            for change in self.changes
            for field, value in change.values().items()
        ]
        return f"{strip.name}: {', '.join(words)}"


def _describe(field: str, value: Any) -> str:
    match field:
        case "level_db":
            return show_db(value)
        case "shift_ms":
            return f"shifted {value:+.2f} ms"
        case "name":
            return f"renamed {value}"
        case "polarity_inverted":
            return "polarity inverted" if value else "polarity as it was"
        case _:
            return f"{field} {'on' if value else 'off'}"


def _renewed(strip: Strip, lane: Lane) -> Lane:
    return lane.model_copy(update={"chain": with_fresh_ids(strip, lane.chain)})
