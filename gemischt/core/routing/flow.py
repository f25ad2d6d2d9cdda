"""The flow: strips in columns from tracks to mix, laid out by rule.

Columns are layers of the graph of buses and returns; rows inside a column follow the barycentre of what comes in
(K. Sugiyama, S. Tagawa and M. Toda, IEEE Trans. SMC 11(2), 1981), pushed apart so that nothing overlaps. Units are
rows: a track is one high.
"""

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal

from gemischt.core.parameters import FrozenModel
from gemischt.core.routing.graph import keyed_processors
from gemischt.core.session.document import Session, Strip, StripKind
from gemischt.core.session.ducking import with_steps_in_chains
from gemischt.core.session.tree import strips_in_folder, tree_of
from gemischt.core.terms import Tap

FlowKind = Literal["output", "send", "key"]
_GAP = 0.45
_BOX = 1.7
_PORT = 0.34
_MIX_PORT = 0.6
_MIX_AT = 0.45
_RETURNS_FROM = 0.62


class FlowNode(FrozenModel):
    """A strip, or a folded folder. ``y`` is its middle; members are the strips it stands for."""

    id: str
    name: str
    kind: StripKind | Literal["folder"]
    color: str
    column: int
    y: float
    height: float
    members: tuple[str, ...]


class FlowEdge(FrozenModel):
    """From a node to another; ``from_y`` and ``to_y`` are where it leaves and arrives.

    ``strip`` and ``send`` name one of the connections it stands for; a folded folder's edges stand for several.
    """

    kind: FlowKind
    source: str
    destination: str
    from_y: float
    to_y: float
    strip: str
    send: str | None
    tap: Tap
    level_db: float | None
    on: bool
    late: bool
    count: int


class FlowColumn(FrozenModel):
    """A column's name; empty where it goes on from the one before."""

    name: str


class Flow(FrozenModel):
    """Everything to draw; ``height`` in rows."""

    columns: tuple[FlowColumn, ...]
    nodes: tuple[FlowNode, ...]
    edges: tuple[FlowEdge, ...]
    height: float


@dataclass
class _Box:
    id: str
    name: str
    kind: StripKind | Literal["folder"]
    color: str
    members: tuple[str, ...]
    column: int = 0
    y: float = 0.0
    height: float = 1.0
    feeding: list["_Link"] = field(default_factory=list)
    fed: list["_Link"] = field(default_factory=list)


@dataclass
class _Link:
    kind: FlowKind
    source: _Box
    destination: _Box
    strip: str
    send: str | None
    tap: Tap
    level_db: float | None
    on: bool
    late: bool
    count: int = 1
    from_y: float = 0.0
    to_y: float = 0.0


def lay_out_flow(session: Session, *, folded: Iterable[str] = ()) -> Flow:
    """Place every strip of a valid session; folders in ``folded`` become one node."""
    boxes = _boxes(session, set(folded))
    links = _links(session, boxes)
    unique = list({box.id: box for box in boxes.values()}.values())
    columns = _set_columns(unique)
    _set_rows(unique, columns)
    _set_ports(unique)
    height = max((box.y + box.height / 2 for box in unique), default=1.0) + 0.5
    return Flow(
        columns=tuple(FlowColumn(name=name) for name in columns),
        nodes=tuple(
            FlowNode(
                id=box.id,
                name=box.name,
                kind=box.kind,
                color=box.color,
                column=box.column,
                y=round(box.y, 3),
                height=round(box.height, 3),
                members=box.members,
            )
            for box in unique
        ),
        edges=tuple(_edge(link) for link in links),
        height=round(height, 3),
    )


def _boxes(session: Session, folded: set[str]) -> dict[str, _Box]:
    """A box per strip in the order of the tree; strips of a folded folder share one."""
    boxes: dict[str, _Box] = {}
    strips = {strip.id: strip for strip in session.strips}
    folders = {folder.id: folder for folder in session.folders}
    for row in tree_of(session):
        if row.folder in folded and row.folder is not None and not _inside_folded(session, row.folder, folded):
            members = tuple(strips_in_folder(session, row.folder))
            color = strips[members[0]].color if members else "#6d6370"
            box = _Box(f"folder {row.folder}", folders[row.folder].name, "folder", color, members)
            boxes.update(dict.fromkeys(members, box))
        elif row.strip is not None and row.strip not in boxes:
            strip = strips[row.strip]
            boxes[strip.id] = _Box(strip.id, strip.name, strip.kind, strip.color, (strip.id,))
    return boxes


def _inside_folded(session: Session, folder_id: str, folded: set[str]) -> bool:
    parents = {folder.id: folder.parent for folder in session.folders}
    step = parents[folder_id]
    while step is not None:
        if step in folded:
            return True
        step = parents[step]
    return False


def _links(session: Session, boxes: dict[str, _Box]) -> list[_Link]:
    found: dict[tuple[str, str, str, str | None], _Link] = {}

    def link(kind: FlowKind, strip: Strip, source: str, destination: str, send: str | None, tap: Tap,
             level_db: float | None, on: bool) -> None:  # fmt: skip
        begin, end = boxes[source], boxes[destination]
        if begin is end:
            return
        single = begin.kind != "folder" and end.kind != "folder"
        key = (kind, begin.id, end.id, send if single else None)
        if key in found:
            found[key].count += 1
            return
        late = kind == "output" and strip.late
        found[key] = _Link(kind, begin, end, strip.id, send, tap, level_db, on, late)

    for strip in with_steps_in_chains(session).strips:
        if strip.output is not None:
            link("output", strip, strip.id, strip.output, None, "post-fader", 0.0, True)
        for send in strip.sends:
            link("send", strip, strip.id, send.to, send.id, send.tap, send.level_db, send.on)
        for processor in keyed_processors(strip):
            key = processor.key
            if key.source is not None and key.source != strip.id:
                link("key", strip, key.source, strip.id, processor.id, key.tap, key.gain_db, processor.on)
    for item in found.values():
        item.source.feeding.append(item)
        item.destination.fed.append(item)
    return list(found.values())


def _set_columns(boxes: list[_Box]) -> list[str]:
    """Tracks left, buses by how many further buses follow, returns, mix right."""
    buses = [box for box in boxes if box.kind == "bus" or _is_summed_folder(box)]
    returns = [box for box in boxes if box.kind == "return"]
    bus_ranks, return_ranks = _ranks(buses), _ranks(returns)
    n_bus = max(bus_ranks.values(), default=-1) + 1
    n_return = max(return_ranks.values(), default=-1) + 1
    names = ["Tracks"]
    names += ["Buses in buses" if rank == n_bus - 1 else "" for rank in reversed(range(1, n_bus))]
    names += ["Buses"] if n_bus else []
    names += ["Returns", *[""] * (n_return - 1)] if n_return else []
    for box in boxes:
        if box.id in bus_ranks:
            box.column = n_bus - bus_ranks[box.id]
        elif box.id in return_ranks:
            box.column = n_bus + n_return - return_ranks[box.id]
        elif box.kind == "mix":
            box.column = n_bus + n_return + 1
    return [*names, "Mix"]


def _is_summed_folder(box: _Box) -> bool:
    return box.kind == "folder" and any(link.kind == "output" for link in box.fed)


def _ranks(boxes: list[_Box]) -> dict[str, int]:
    """How many of the same kind can follow after each, through outputs and sends."""
    inside = {box.id for box in boxes}
    ranks: dict[str, int] = {}

    def rank(box: _Box, on_way: frozenset[str]) -> int:
        if box.id not in ranks:
            following = [
                link.destination
                for link in box.feeding
                if link.kind != "key" and link.destination.id in inside and link.destination.id not in on_way
            ]
            ranks[box.id] = max((rank(other, on_way | {other.id}) + 1 for other in following), default=0)
        return ranks[box.id]

    for box in boxes:
        rank(box, frozenset({box.id}))
    return ranks


def _set_rows(boxes: list[_Box], columns: list[str]) -> None:
    by_column: list[list[_Box]] = [[] for _ in columns]
    for box in boxes:
        by_column[box.column].append(box)
        if box.column > 0:
            port = _MIX_PORT if box.kind == "mix" else _PORT
            box.height = max(_BOX, port * (2 + max(len(box.fed), len(box.feeding))))
    for place, box in enumerate(by_column[0]):
        box.y = place + 0.5
    n_rows = max(len(by_column[0]), sum(box.height + _GAP for box in max(by_column[1:], key=len)) if columns[1:] else 1)
    for column in by_column[1:]:
        for box in column:
            heights = [link.source.y for link in box.fed if link.kind != "key" and link.source.column < box.column]
            box.y = sum(heights) / len(heights) if heights else n_rows / 2
            if box.kind == "return":
                # Returns keep low, so that what goes straight to the mix passes above them.
                box.y = _RETURNS_FROM * n_rows + (1.0 - _RETURNS_FROM) * box.y
            elif box.kind == "mix":
                box.y = _MIX_AT * n_rows
        _push_apart(column, float(n_rows))


def _push_apart(column: list[_Box], n_rows: float) -> None:
    """Keep the order of the wanted places, let nothing overlap, stay inside where there is room."""
    column.sort(key=lambda box: box.y)
    bottom = 0.0
    for box in column:
        box.y = max(box.y, bottom + box.height / 2)
        bottom = box.y + box.height / 2 + _GAP
    top = max(n_rows, bottom - _GAP)
    for box in reversed(column):
        box.y = min(box.y, top - box.height / 2)
        top = box.y - box.height / 2 - _GAP


def _set_ports(boxes: list[_Box]) -> None:
    """Where edges leave and arrive: in the order of the other end, so that they cross little."""
    for box in boxes:
        leaving = sorted((link for link in box.feeding if link.kind != "key"), key=lambda link: link.destination.y)
        for link, y in zip(leaving, _spread(box, len(leaving)), strict=True):
            link.from_y = y
        # What comes late arrives at the foot of its goal.
        arriving = sorted((link for link in box.fed if link.kind != "key"), key=lambda link: (link.late, link.source.y))
        for link, y in zip(arriving, _spread(box, len(arriving)), strict=True):
            link.to_y = y
        for link in box.feeding:
            if link.kind == "key":
                link.from_y = box.y
        for link in box.fed:
            if link.kind == "key":
                link.to_y = box.y


def _spread(box: _Box, count: int) -> list[float]:
    if box.column == 0:
        step = 0.18
        return [box.y + step * (place - (count - 1) / 2) for place in range(count)]
    room = box.height - 0.5
    return [box.y - room / 2 + room * (place + 0.5) / count for place in range(count)]


def _edge(link: _Link) -> FlowEdge:
    return FlowEdge(
        kind=link.kind,
        source=link.source.id,
        destination=link.destination.id,
        from_y=round(link.from_y, 3),
        to_y=round(link.to_y, 3),
        strip=link.strip,
        send=link.send,
        tap=link.tap,
        level_db=link.level_db,
        on=link.on,
        late=link.late,
        count=link.count,
    )
