"""Solo in place."""

from collections.abc import Iterable

from gemischt.core.routing.graph import edges_of
from gemischt.core.session.document import Session


def silenced_by_solo(session: Session) -> frozenset[str]:
    """Ids of strips whose fader a solo closes.

    What stays is on a soloed strip's ways: all that feeds it and all it feeds through outputs and sends, and strips
    that are safe from solos.
    """
    soloed = {strip.id for strip in session.strips if strip.solo}
    if not soloed:
        return frozenset()
    heard = [edge for edge in edges_of(session) if edge.kind != "key"]
    feeding = _closure(soloed, ((edge.destination, edge.source) for edge in heard))
    fed = _closure(soloed, ((edge.source, edge.destination) for edge in heard))
    kept = feeding | fed | {strip.id for strip in session.strips if strip.solo_safe}
    return frozenset(strip.id for strip in session.strips if strip.id not in kept)


def _closure(start: set[str], steps: Iterable[tuple[str, str]]) -> set[str]:
    following: dict[str, list[str]] = {}
    for origin, target in steps:
        following.setdefault(origin, []).append(target)
    reached = set(start)
    waiting = list(start)
    while waiting:
        for target in following.get(waiting.pop(), ()):
            if target not in reached:
                reached.add(target)
                waiting.append(target)
    return reached
