"""What else in a session refers to some strips, said before they are deleted."""

from collections.abc import Iterator

from gemischt.core.routing.graph import keys_of, walk_chain
from gemischt.core.session.document import Session
from gemischt.core.session.ducks import Hits
from gemischt.core.session.edits import names_of


def dependents_of(session: Session, strip_ids: set[str]) -> list[str]:
    """Sentences, one for each kind of thing that loses something; empty if nothing refers to the strips."""
    return list(_references(session, strip_ids))


def _references(session: Session, gone: set[str]) -> Iterator[str]:
    kept = [strip for strip in session.strips if strip.id not in gone]
    playing = [strip.id for strip in kept if strip.output in gone]
    if playing:
        yield f"{names_of(session, playing)} will play where it played instead."
    for strip in kept:
        lost = sorted({send.to for send in strip.sends if send.to in gone})
        if lost:
            yield f"{strip.name} loses its send to {names_of(session, lost)}."
        keys = sorted({key.source or "" for item in walk_chain(strip.chain) for _, key in keys_of(item)} & gone)
        if keys:
            yield f"{strip.name} no longer hears {names_of(session, keys)} and listens to itself."
    for duck in session.ducks:
        if isinstance(duck.clock, Hits) and duck.clock.source in gone:
            yield f"The duck {duck.name} goes: its hits were those of {names_of(session, [duck.clock.source])}."
        elif targets := [target.strip for target in duck.targets if target.strip in gone]:
            yield f"The duck {duck.name} no longer turns {names_of(session, targets)}."
    for follower in session.followers:
        if follower.source in gone:
            yield f"The follower {follower.name} goes: it follows {names_of(session, [follower.source])}."
    for group in session.control_groups:
        if gone & set(group.members):
            yield f"The control group {group.name} loses {len(gone & set(group.members))} of {len(group.members)}."
    for folder in session.folders:
        if folder.bus in gone:
            yield f"The folder {folder.name} is no longer summed."
