"""Pure helpers that replace one part of a session."""

import re
from collections.abc import Callable, Iterable

from gemischt.core.errors import InvalidAction
from gemischt.core.keys import Key
from gemischt.core.processors.eq_params import EqBand
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.document import (
    ControlGroup,
    Folder,
    Keyed,
    Lane,
    LanePlace,
    Parallel,
    Processor,
    Session,
    Strip,
)
from gemischt.core.session.ducks import Duck, DuckTarget, Follower
from gemischt.core.units import signed_db

Chain = tuple[Processor, ...]


def find_strip(session: Session, strip_id: str) -> Strip:
    """The strip of this id, or InvalidAction."""
    try:
        return session.strip(strip_id)
    except KeyError:
        raise InvalidAction(
            f'there is no strip "{strip_id}"', where="strips", remedy="It may have been deleted; reload."
        ) from None


def replace_strip(session: Session, strip: Strip) -> Session:
    """The session with the strip of the same id replaced."""
    return with_strips(session, (strip if old.id == strip.id else old for old in session.strips))


def with_strips(session: Session, strips: Iterable[Strip]) -> Session:
    """The session with other strips."""
    return session.model_copy(update={"strips": tuple(strips)})


def find_duck(session: Session, duck_id: str) -> Duck:
    """The duck of this id, or InvalidAction."""
    for duck in session.ducks:
        if duck.id == duck_id:
            return duck
    raise InvalidAction(f'there is no duck "{duck_id}"', where="ducks", remedy="It may have been deleted; reload.")


def find_target(duck: Duck, target_id: str) -> DuckTarget:
    """The target of this id, or InvalidAction."""
    for target in duck.targets:
        if target.id == target_id:
            return target
    raise InvalidAction(f'there is no target "{target_id}"', where=duck.name)


def find_follower(session: Session, follower_id: str) -> Follower:
    """The follower of this id, or InvalidAction."""
    for follower in session.followers:
        if follower.id == follower_id:
            return follower
    raise InvalidAction(f'there is no follower "{follower_id}"', where="followers", remedy="It may be gone; reload.")


def find_processor(strip: Strip, processor_id: str) -> Processor:
    """The processor of this id in the strip's chain (lanes included), or InvalidAction."""
    for processor in walk_chain(strip.chain):
        if processor.id == processor_id:
            return processor
    raise InvalidAction(f'there is no processor "{processor_id}"', where=strip.name)


def replace_processor(strip: Strip, processor_id: str, change: Callable[[Processor], Processor | None]) -> Strip:
    """The strip with one processor changed, or removed where ``change`` gives None."""
    return strip.model_copy(update={"chain": _map_chain(strip.chain, processor_id, change)})


def _map_chain(
    chain: tuple[Processor, ...], processor_id: str, change: Callable[[Processor], Processor | None]
) -> tuple[Processor, ...]:
    changed: list[Processor] = []
    for processor in chain:
        result: Processor | None = processor
        if processor.id == processor_id:
            result = change(processor)
        elif processor.type == "parallel":
            lanes = tuple(
                lane.model_copy(update={"chain": _map_chain(lane.chain, processor_id, change)})
                for lane in processor.lanes
            )
            result = processor.model_copy(update={"lanes": lanes})
        if result is not None:
            changed.append(result)
    return tuple(changed)


def find_block(strip: Strip, block_id: str) -> Parallel:
    """The parallel block of this id, or InvalidAction."""
    block = find_processor(strip, block_id)
    if block.type != "parallel":
        raise InvalidAction(f'"{block_id}" has no lanes', where=strip.name)
    return block


def find_lane(strip: Strip, place: LanePlace) -> Lane:
    """The lane at a place, or InvalidAction."""
    for lane in find_block(strip, place.block).lanes:
        if lane.id == place.lane:
            return lane
    raise InvalidAction(f'there is no lane "{place.lane}"', where=strip.name)


def replace_lanes(strip: Strip, block_id: str, change: Callable[[tuple[Lane, ...]], Iterable[Lane]]) -> Strip:
    """The strip with the lanes of one block changed."""
    lanes = tuple(change(find_block(strip, block_id).lanes))
    return replace_processor(strip, block_id, lambda block: block.model_copy(update={"lanes": lanes}))


def change_chain(strip: Strip, into: LanePlace | None, change: Callable[[Chain], Chain]) -> Strip:
    """The strip with its own chain, or that of one lane, changed."""
    if into is None:
        return strip.model_copy(update={"chain": change(strip.chain)})
    find_lane(strip, into)

    def changed(lanes: tuple[Lane, ...]) -> list[Lane]:
        return [
            lane.model_copy(update={"chain": change(lane.chain)}) if lane.id == into.lane else lane for lane in lanes
        ]

    return replace_lanes(strip, into.block, changed)


def place_of(strip: Strip, processor_id: str) -> LanePlace | None:
    """The lane a processor stands in, or None for the strip's own chain."""
    for block in walk_chain(strip.chain):
        if block.type == "parallel":
            for lane in block.lanes:
                if any(processor.id == processor_id for processor in lane.chain):
                    return LanePlace(block=block.id, lane=lane.id)
    return None


def with_fresh_ids(strip: Strip, processors: Chain) -> Chain:
    """Copies of processors, whatever stands in their lanes included, under ids the strip does not use yet."""
    taken = [processor.id for processor in walk_chain(strip.chain)]

    def renewed(chain: Chain) -> Chain:
        copies: list[Processor] = []
        for processor in chain:
            own_id = fresh_id(processor.id, taken)
            taken.append(own_id)
            copy: Processor = processor.model_copy(update={"id": own_id})
            if copy.type == "parallel":
                lanes = tuple(lane.model_copy(update={"chain": renewed(lane.chain)}) for lane in copy.lanes)
                copy = copy.model_copy(update={"lanes": lanes})
            copies.append(copy)
        return tuple(copies)

    return renewed(processors)


def unkeyed(chain: Chain, gone: set[str]) -> Chain:
    """The chain with keys from strips that are gone turned back to the strip's own signal."""
    changed: list[Processor] = []
    for processor in chain:
        if isinstance(processor, Keyed):
            changed.append(processor.model_copy(update={"key": _unkeyed(processor.key, gone)}))
        elif processor.type == "eq":
            bands = tuple(_unkeyed_band(band, gone) for band in processor.params.bands)
            params = processor.params.model_copy(update={"bands": bands})
            changed.append(processor.model_copy(update={"params": params}))
        elif processor.type == "parallel":
            lanes = tuple(lane.model_copy(update={"chain": unkeyed(lane.chain, gone)}) for lane in processor.lanes)
            changed.append(processor.model_copy(update={"lanes": lanes}))
        else:
            changed.append(processor)
    return tuple(changed)


def _unkeyed(key: Key, gone: set[str]) -> Key:
    return key.model_copy(update={"source": None}) if key.source in gone else key


def _unkeyed_band(band: EqBand, gone: set[str]) -> EqBand:
    if band.motion is None:
        return band
    motion = band.motion.model_copy(update={"key": _unkeyed(band.motion.key, gone)})
    return band.model_copy(update={"motion": motion})


def inserted(chain: Chain, processors: Chain, at: int | None) -> Chain:
    """The chain with processors put in; ``at`` null is the end."""
    place = len(chain) if at is None else min(max(0, at), len(chain))
    return (*chain[:place], *processors, *chain[place:])


def find_folder(session: Session, folder_id: str) -> Folder:
    """The folder of this id, or InvalidAction."""
    for folder in session.folders:
        if folder.id == folder_id:
            return folder
    raise InvalidAction(f'there is no folder "{folder_id}"', where="folders")


def find_group(session: Session, group_id: str) -> ControlGroup:
    """The control group of this id, or InvalidAction."""
    for group in session.control_groups:
        if group.id == group_id:
            return group
    raise InvalidAction(f'there is no control group "{group_id}"', where="control groups")


def fresh_strip_id(session: Session, name: str) -> str:
    """An id for a new strip or control group."""
    return fresh_id(name, [strip.id for strip in session.strips] + [group.id for group in session.control_groups])


def fresh_id(name: str, taken: Iterable[str]) -> str:
    """An id made from a name that is not taken yet.

    >>> fresh_id("Low tom!", ["low-tom"])
    'low-tom-2'
    """
    stem = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or "strip"
    used = set(taken)
    if stem not in used:
        return stem
    number = 2
    while f"{stem}-{number}" in used:
        number += 1
    return f"{stem}-{number}"


def names_of(session: Session, strip_ids: Iterable[str]) -> str:
    """Strips as a phrase: one name, two names, or a count."""
    names = [find_strip(session, strip_id).name for strip_id in strip_ids]
    return " and ".join(names) if len(names) <= 2 else f"{len(names)} strips"


def show_db(level_db: float | None) -> str:
    """A level as people read it.

    >>> show_db(-3.5), show_db(None)
    ('-3.5 dB', 'silent')
    """
    return "silent" if level_db is None else signed_db(level_db)


def without_lost_prints(session: Session) -> Session:
    """The session whose prints name no strips that are gone; one that named nothing else is gone, too."""
    known = {strip.id for strip in session.strips}
    if all(known.issuperset((*item.strips, *item.of)) for item in session.prints):
        return session
    kept = []
    for item in session.prints:
        strips = tuple(strip for strip in item.strips if strip in known)
        if strips or item.every is not None:
            of = tuple(strip for strip in item.of if strip in known)
            kept.append(item.model_copy(update={"strips": strips, "of": of}))
    return session.model_copy(update={"prints": tuple(kept)})
