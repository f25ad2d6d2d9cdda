"""The graph of strips: outputs, sends and keys as edges."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from gemischt.core.session.document import Keyed, Processor, Session, Strip, Tap

EdgeKind = Literal["output", "send", "key"]


@dataclass(frozen=True)
class Edge:
    """``source`` must be ready before ``destination``; both are strip ids."""

    kind: EdgeKind
    source: str
    destination: str
    tap: Tap


def walk_chain(chain: tuple[Processor, ...]) -> Iterator[Processor]:
    """Every processor of a chain, those inside lanes included."""
    for processor in chain:
        yield processor
        if processor.type == "parallel":
            for lane in processor.lanes:
                yield from walk_chain(lane.chain)


def keyed_processors(strip: Strip) -> Iterator[Keyed]:
    """Processors of a strip that listen to another strip or another tap."""
    for processor in walk_chain(strip.chain):
        if isinstance(processor, Keyed) and processor.key.source is not None:
            yield processor


def edges_of(session: Session) -> list[Edge]:
    """Every edge; a detector on its own strip's pre-chain tap needs none."""
    edges: list[Edge] = []
    for strip in session.strips:
        if strip.output is not None:
            edges.append(Edge("output", strip.id, strip.output, "post-fader"))
        edges.extend(Edge("send", strip.id, send.to, send.tap) for send in strip.sends)
        for processor in keyed_processors(strip):
            key = processor.key
            if key.source is not None and not (key.source == strip.id and key.tap == "pre-chain"):
                edges.append(Edge("key", key.source, strip.id, key.tap))
    return edges


def find_loop(session: Session) -> list[str] | None:
    """Strip ids around a loop, the first repeated at the end, or None.

    >>> from gemischt.core.session.document import Session, Strip
    >>> a, b = Strip(id="a", name="A", output="b"), Strip(id="b", name="B", output="a")
    >>> find_loop(Session(name="x", strips=(a, b)))
    ['a', 'b', 'a']
    """
    following = _destinations(session)
    finished: set[str] = set()
    for start in following:
        if start in finished:
            continue
        way: list[str] = [start]
        on_way = {start}
        waiting = [iter(following[start])]
        while waiting:
            step = next(waiting[-1], None)
            if step is None:
                waiting.pop()
                left = way.pop()
                on_way.discard(left)
                finished.add(left)
            elif step in on_way:
                return [*way[way.index(step) :], step]
            elif step not in finished:
                way.append(step)
                on_way.add(step)
                waiting.append(iter(following[step]))
    return None


def processing_order(session: Session) -> list[str]:
    """Strip ids so that every strip comes after all it hears. The session must hold no loop."""
    following = _destinations(session)
    pending = dict.fromkeys(following, 0)
    for destinations in following.values():
        for destination in destinations:
            pending[destination] += 1
    ready = [strip.id for strip in session.strips if pending[strip.id] == 0]
    order: list[str] = []
    for strip_id in ready:
        order.append(strip_id)
        for destination in following[strip_id]:
            pending[destination] -= 1
            if pending[destination] == 0:
                ready.append(destination)
    return order


def _destinations(session: Session) -> dict[str, list[str]]:
    following: dict[str, list[str]] = {strip.id: [] for strip in session.strips}
    for edge in edges_of(session):
        if edge.source in following and edge.destination in following:
            following[edge.source].append(edge.destination)
    return following
