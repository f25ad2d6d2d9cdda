"""Pure helpers that replace one part of a session."""

import re
from collections.abc import Callable, Iterable

from gemischt.core.errors import InvalidAction
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.document import Processor, Session, Strip


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
    return "silent" if level_db is None else f"{level_db:+.1f} dB".replace("+0.0", "0.0")
