"""Control groups: one level and mute over strips that are not summed."""

from gemischt.core.session.document import Session
from gemischt.core.units import db_to_gain


def group_gains(session: Session) -> dict[str, float]:
    """Gain of each strip that any group holds: its groups' levels multiply, each once however it holds the strip;
    a muted one gives 0."""
    gains: dict[str, float] = {}
    for group in session.control_groups:
        own = 0.0 if group.mute else db_to_gain(group.level_db)
        for strip_id in strips_of_group(session, group.id):
            gains[strip_id] = gains.get(strip_id, 1.0) * own
    return gains


def strips_of_group(session: Session, group_id: str) -> list[str]:
    """Ids of the strips a group holds, those of groups inside it included, each once."""
    groups = {group.id: group for group in session.control_groups}
    found: dict[str, None] = {}
    waiting = [group_id]
    while waiting:
        for member in groups[waiting.pop()].members:
            if member in groups:
                waiting.append(member)
            else:
                found[member] = None
    return list(found)
