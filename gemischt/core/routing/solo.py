"""Solo in place: what is heard is the soloed strips' own signal, on all its ways.

- A soloed track is heard on its output and through its sends; what it shares buses and returns with is not.
- A soloed bus stands for the strips that play into it, their own sends included.
- A soloed return is heard as it sounds in the mix, without the dry signal of what feeds it.
- A strip that is safe from solos goes on: a track on all its ways; a bus or return with what still reaches it.
- Nobody's fader is closed: keys hear what they heard. A key from a strip of which a part is heard hears that part.
"""

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from gemischt.core.session.beds import with_beds_written
from gemischt.core.session.document import Session, Strip
from gemischt.core.session.kinds import traits_of


class _Way(NamedTuple):
    """From a strip on to the next one, by its output (``send`` is None) or by one of its sends."""

    strip: str
    send: str | None
    to: str


def closed_by_solo(session: Session) -> frozenset[tuple[str, str | None]]:
    """Outputs and sends that are closed while something is soloed: (strip, None) or (strip, send)."""
    if not any(_is_soloed(strip) for strip in session.strips):
        return frozenset()
    whole = _heard_whole(session)
    ways = list(_ways(session))
    safe = {strip.id for strip in session.strips if strip.solo_safe}
    heard = _reached(whole | safe | {session.mix.id}, ways)
    return frozenset((way.strip, way.send) for way in ways if way.strip not in heard and way.to in heard - whole)


def with_solo_applied(session: Session) -> Session:
    """The session that sounds the same with nothing soloed: what a solo closes is taken away, and what is placed in a
    bed says in which, lest it be lost with its way there."""
    session = with_beds_written(session)
    closed = closed_by_solo(session)
    return session.model_copy(update={"strips": tuple(_opened(strip, closed) for strip in session.strips)})


def _opened(strip: Strip, closed: frozenset[tuple[str, str | None]]) -> Strip:
    sends = tuple(send for send in strip.sends if (strip.id, send.id) not in closed)
    output = {"output": None, "late": False} if (strip.id, None) in closed else {}
    return strip.model_copy(update={"solo": False, "sends": sends, **output})


def _heard_whole(session: Session) -> set[str]:
    """Strips whose own signal is heard: soloed ones, what plays into soloed buses, and tracks that are safe."""
    players: dict[str, list[str]] = {}
    for strip in session.strips:
        if strip.output is not None:
            players.setdefault(strip.output, []).append(strip.id)
    sums = {strip.id for strip in session.strips if traits_of(strip).stands_for_players}
    found = {
        strip.id for strip in session.strips if _is_soloed(strip) or (strip.solo_safe and traits_of(strip).plays_clips)
    }
    waiting = [strip_id for strip_id in found if _is_soloed(session.strip(strip_id))]
    while waiting:
        strip_id = waiting.pop()
        for player in players.get(strip_id, ()) if strip_id in sums else ():
            if player not in found:
                found.add(player)
                waiting.append(player)
    return found


def _is_soloed(strip: Strip) -> bool:
    """Nobody hears a ghost, soloed or not."""
    return strip.solo and traits_of(strip).is_heard


def _ways(session: Session) -> Iterator[_Way]:
    for strip in session.strips:
        if strip.output is not None:
            yield _Way(strip.id, None, strip.output)
        for send in strip.sends:
            yield _Way(strip.id, send.id, send.to)


def _reached(start: set[str], ways: Iterable[_Way]) -> set[str]:
    following: dict[str, list[str]] = {}
    for way in ways:
        following.setdefault(way.strip, []).append(way.to)
    reached = set(start)
    waiting = list(start)
    while waiting:
        for target in following.get(waiting.pop(), ()):
            if target not in reached:
                reached.add(target)
                waiting.append(target)
    return reached
