"""The graph of strips: outputs, sends and keys as edges."""

from collections.abc import Iterator
from dataclasses import dataclass
from graphlib import CycleError, TopologicalSorter
from typing import Literal

from gemischt.core.keys import Key
from gemischt.core.session.document import Keyed, Processor, Session, Strip
from gemischt.core.terms import Tap

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


def keys_of(processor: Processor) -> Iterator[tuple[str, Key]]:
    """All that a processor of a document listens to, each with its address in the processor."""
    if isinstance(processor, Keyed):
        yield "key", processor.key
    elif processor.type == "eq":
        for band in processor.params.bands:
            if band.motion is not None:
                yield f"bands/{band.id}/motion/key", band.motion.key


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
    order = [strip.id for strip in session.strips]
    try:
        _sorter(session).prepare()
    except CycleError as error:
        loop: list[str] = error.args[1][:-1]
        first = loop.index(min(loop, key=order.index))
        return [*loop[first:], *loop[:first], loop[first]]
    return None


def processing_order(session: Session) -> list[str]:
    """Strip ids so that every strip comes after all it hears. The session must hold no loop."""
    return list(_sorter(session).static_order())


def _sorter(session: Session) -> TopologicalSorter[str]:
    """Strips with what they hear."""
    heard: dict[str, list[str]] = {strip.id: [] for strip in session.strips}
    for edge in edges_of(session):
        if edge.source in heard and edge.destination in heard:
            heard[edge.destination].append(edge.source)
    return TopologicalSorter(heard)
