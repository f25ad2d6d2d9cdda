"""Control groups: one level and mute over strips that are not summed."""

from gemischt.core.session.document import ControlGroup, Session
from gemischt.core.units import db_to_gain


def group_gains(session: Session) -> dict[str, float]:
    """Gain of each strip that any group holds: levels of nested groups multiply, a muted one gives 0."""
    groups = {group.id: group for group in session.control_groups}
    gains: dict[str, float] = {}

    def spread(group: ControlGroup, gain: float) -> None:
        for member in group.members:
            inner = groups.get(member)
            if inner is None:
                gains[member] = gains.get(member, 1.0) * gain
            else:
                spread(inner, gain * _own_gain(inner))

    nested = {member for group in groups.values() for member in group.members}
    for group in groups.values():
        if group.id not in nested:
            spread(group, _own_gain(group))
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


def _own_gain(group: ControlGroup) -> float:
    return 0.0 if group.mute else db_to_gain(group.level_db)
