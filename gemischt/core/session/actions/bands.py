"""Edits of lanes that are bands: split at crossovers, a compressor in each."""

import math
from typing import Annotated, Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.keys import Key
from gemischt.core.processors.band_params import MOST_SPLITS
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import Compressor, Keyed, Lane, LanePlace, Parallel, Processor, Session, Split
from gemischt.core.session.edits import (
    change_chain,
    find_block,
    find_lane,
    find_strip,
    fresh_id,
    inserted,
    replace_processor,
    replace_strip,
    with_fresh_ids,
)
from gemischt.core.terms import Id

Crossover = Annotated[float, Field(ge=20.0, le=20000.0)]
_NAMES = {
    2: ("Lows", "Highs"),
    3: ("Lows", "Middle", "Highs"),
    4: ("Lows", "Lower middle", "Upper middle", "Highs"),
    5: ("Lows", "Lower middle", "Middle", "Upper middle", "Highs"),
}


class AddBands(Action):
    """Split the signal at crossovers, and put a compressor into each band. The defaults are common practice, no
    source."""

    type: Literal["add-bands"] = "add-bands"
    strip: Id
    crossovers_hz: tuple[Crossover, ...] = Field(default=(120.0, 2500.0), min_length=1, max_length=MOST_SPLITS)
    into: LanePlace | None = None
    at: int | None = None

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        taken = [processor.id for processor in walk_chain(strip.chain)]
        lanes = []
        for name in _NAMES[len(self.crossovers_hz) + 1]:
            own_id = fresh_id("compressor", taken)
            taken.append(own_id)
            lanes.append(Lane(id=fresh_id(name, ()), name=name, chain=(Compressor(id=own_id),)))
        splits = tuple(
            Split(id=f"x{number}", frequency_hz=frequency_hz)
            for number, frequency_hz in enumerate(sorted(self.crossovers_hz), start=1)
        )
        block = Parallel(id=fresh_id("bands", taken), name="Bands", lanes=tuple(lanes), splits=splits)
        return replace_strip(session, change_chain(strip, self.into, lambda chain: inserted(chain, (block,), self.at)))

    def describe(self, session: Session) -> str:
        return f"{find_strip(session, self.strip).name}: {len(self.crossovers_hz) + 1} bands added"


class SplitBand(Action):
    """Split a band of a block in two, the upper one a copy of it, at a frequency inside it; without one in its middle,
    as one hears."""

    type: Literal["split-band"] = "split-band"
    strip: Id
    place: LanePlace
    frequency_hz: Crossover | None = None

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        block, lane = find_block(strip, self.place.block), find_lane(strip, self.place)
        if not block.splits:
            raise InvalidAction(f"{block.name} takes the whole signal in every lane", where=strip.name)
        if len(block.splits) == MOST_SPLITS:
            raise InvalidAction(f"{MOST_SPLITS + 1} bands are the most", where=f"{strip.name}/{block.name}")
        index, frequency_hz = block.lanes.index(lane), self._frequency_hz(block, lane)
        low_hz, high_hz = _edges_hz(block, lane)
        if not low_hz < frequency_hz < high_hz:
            reason = f"{lane.name} lies between {low_hz:g} and {high_hz:g} Hz"
            raise InvalidAction(f"{reason}; {frequency_hz:g} Hz is not inside", where=strip.name)
        upper = lane.model_copy(
            update={
                "id": fresh_id(lane.id, (known.id for known in block.lanes)),
                "name": f"Upper {lane.name[:1].lower()}{lane.name[1:]}",
                "chain": with_fresh_ids(strip, lane.chain),
            }
        )
        split = Split(id=fresh_id("x1", (known.id for known in block.splits)), frequency_hz=frequency_hz)
        changed = block.model_copy(
            update={
                "lanes": (*block.lanes[: index + 1], upper, *block.lanes[index + 1 :]),
                "splits": (*block.splits[:index], split, *block.splits[index:]),
            }
        )
        return replace_strip(session, replace_processor(strip, block.id, lambda _: changed))

    def _frequency_hz(self, block: Parallel, lane: Lane) -> float:
        return round(math.sqrt(math.prod(_edges_hz(block, lane)))) if self.frequency_hz is None else self.frequency_hz

    def describe(self, session: Session) -> str:
        strip = find_strip(session, self.strip)
        lane = find_lane(strip, self.place)
        return (
            f"{strip.name}: {lane.name} split at {self._frequency_hz(find_block(strip, self.place.block), lane):.0f} Hz"
        )


class SetLanesKey(Action):
    """Let everything that listens in a block's lanes hear the same key."""

    type: Literal["set-lanes-key"] = "set-lanes-key"
    strip: Id
    block: Id
    key: Key

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        block = find_block(strip, self.block)
        listening = [inner.id for lane in block.lanes for inner in walk_chain(lane.chain) if isinstance(inner, Keyed)]
        if not listening:
            raise InvalidAction("nothing in it listens to a key", where=f"{strip.name}/{block.name}")
        for processor_id in listening:
            strip = replace_processor(strip, processor_id, self._keyed)
        return replace_strip(session, strip)

    def _keyed(self, processor: Processor) -> Processor:
        return processor.model_copy(update={"key": self.key})

    def describe(self, session: Session) -> str:
        strip = find_strip(session, self.strip)
        heard = "itself" if self.key.source is None else find_strip(session, self.key.source).name
        return f"{strip.name}: {find_block(strip, self.block).name} hears {heard}"


def _edges_hz(block: Parallel, lane: Lane) -> tuple[float, float]:
    """From where to where a band goes."""
    index = block.lanes.index(lane)
    edges_hz = [20.0, *(split.frequency_hz for split in block.splits), 20000.0]
    return edges_hz[index], edges_hz[index + 1]
