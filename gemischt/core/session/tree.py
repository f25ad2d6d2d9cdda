"""The order in which strips and folders are read: folders where their first member stands, buses over their members."""

from collections.abc import Iterator
from dataclasses import dataclass

from gemischt.core.parameters import FrozenModel
from gemischt.core.session.document import Session, Strip
from gemischt.core.session.kinds import traits_of


class TreeRow(FrozenModel):
    """A row: a strip, a folder, or a folder and the bus its members were summed into.

    ``parent`` is the folder or bus it stands under; ``n_members`` counts strips under it at any depth.
    """

    strip: str | None
    folder: str | None
    parent: str | None
    depth: int
    n_members: int


@dataclass
class _Node:
    strip: Strip | None
    folder: str | None
    parent: str | None
    children: list[str]


def tree_of(session: Session) -> tuple[TreeRow, ...]:
    """Rows from top to bottom; returns and then the mix come last, unless a folder holds them."""
    nodes: dict[str, _Node] = {}
    roots: list[str] = []
    folder_buses = {folder.bus: folder for folder in session.folders if folder.bus is not None}
    folders = {folder.id: folder for folder in session.folders}
    buses = {strip.id: strip for strip in session.strips if strip.kind == "bus"}

    def place(key: str, parent: str | None) -> None:
        nodes[key].parent = parent
        (nodes[parent].children if parent else roots).append(key)

    def folder_key(folder_id: str) -> str:
        key = f"folder {folder_id}"
        if key not in nodes:
            folder = folders[folder_id]
            bus = buses.get(folder.bus) if folder.bus else None
            nodes[key] = _Node(bus, folder_id, None, [])
            place(key, folder_key(folder.parent) if folder.parent else None)
        return key

    def bus_key(bus: Strip) -> str:
        key = f"strip {bus.id}"
        if key not in nodes:
            nodes[key] = _Node(bus, None, None, [])
            place(key, parent_of(bus))
        return key

    def parent_of(strip: Strip) -> str | None:
        if strip.folder is not None:
            return folder_key(strip.folder)
        if strip.output in folder_buses:
            return None
        return bus_key(buses[strip.output]) if strip.output in buses else None

    for strip in sorted(session.strips, key=_rank):
        if strip.id in folder_buses:
            folder_key(folder_buses[strip.id].id)
        elif strip.kind == "bus":
            bus_key(strip)
        else:
            nodes[f"strip {strip.id}"] = _Node(strip, None, None, [])
            place(f"strip {strip.id}", parent_of(strip))
    for folder in session.folders:
        folder_key(folder.id)
    roots.sort(key=lambda key: _rank(nodes[key].strip))
    return tuple(_rows(nodes, roots, 0))


def _rank(strip: Strip | None) -> int:
    return 0 if strip is None else traits_of(strip).rank


def _rows(nodes: dict[str, _Node], keys: list[str], depth: int) -> Iterator[TreeRow]:
    for key in keys:
        node = nodes[key]
        parent = nodes[node.parent] if node.parent else None
        yield TreeRow(
            strip=node.strip.id if node.strip else None,
            folder=node.folder,
            parent=None if parent is None else parent.folder or (parent.strip.id if parent.strip else None),
            depth=depth,
            n_members=_count(nodes, node),
        )
        yield from _rows(nodes, node.children, depth + 1)


def _count(nodes: dict[str, _Node], node: _Node) -> int:
    children = [nodes[key] for key in node.children]
    return sum((child.strip is not None) + _count(nodes, child) for child in children)


def strips_in_folder(session: Session, folder_id: str) -> list[str]:
    """Ids of the strips in a folder and in folders inside it, buses of summed folders included, in order."""
    inside = folders_inside(session, folder_id)
    buses = {folder.bus for folder in session.folders if folder.id in inside}
    return [strip.id for strip in session.strips if strip.folder in inside or strip.id in buses]


def folders_inside(session: Session, folder_id: str) -> set[str]:
    """Ids of a folder and all folders in it."""
    inside = {folder_id}
    grown = True
    while grown:
        more = {folder.id for folder in session.folders if folder.parent in inside}
        grown = not more <= inside
        inside |= more
    return inside
