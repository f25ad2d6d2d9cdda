"""Edits of folders and of the order strips are read in."""

from typing import Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions.base import Action
from gemischt.core.session.actions.route import common_output
from gemischt.core.session.document import Folder, Session, Strip
from gemischt.core.session.edits import find_folder, find_strip, fresh_id, fresh_strip_id, names_of, with_strips
from gemischt.core.session.tree import folders_inside, strips_in_folder
from gemischt.core.terms import Id, Name

Where = Literal["into", "before", "after"]


class FolderFromStrips(Action):
    """A new folder in the place of the first of the strips, holding them in their order.

    With ``bus`` it gets a bus of its name that its members play into.
    """

    type: Literal["folder-from-strips"] = "folder-from-strips"
    strips: tuple[Id, ...] = Field(min_length=1, max_length=512)
    name: Name
    bus: bool = False

    def apply(self, session: Session) -> Session:
        members = [strip for strip in session.strips if strip.id in self.strips]
        for strip_id in self.strips:
            _check_movable(find_strip(session, strip_id))
        folder = Folder(
            id=fresh_id(self.name, (folder.id for folder in session.folders)),
            name=self.name,
            parent=members[0].folder,
        )
        session = session.model_copy(update={"folders": (*session.folders, folder)})
        moved = [member.model_copy(update={"folder": folder.id}) for member in members]
        session = _put(session, moved, before=members[0].id)
        return SumFolder(folder=folder.id).apply(session) if self.bus else session

    def describe(self, session: Session) -> str:
        return f"New folder {self.name} of {names_of(session, self.strips)}"


class MoveInTree(Action):
    """Put strips and folders into a folder, or before or after a strip or folder; null and "into" is outside of all."""

    type: Literal["move-in-tree"] = "move-in-tree"
    strips: tuple[Id, ...] = Field(default=(), max_length=512)
    folders: tuple[Id, ...] = Field(default=(), max_length=512)
    where: Where
    strip: Id | None = None
    folder: Id | None = None

    def apply(self, session: Session) -> Session:
        parent = self._parent(session)
        for folder_id in self.folders:
            find_folder(session, folder_id)
            if parent in folders_inside(session, folder_id):
                raise InvalidAction("a folder cannot lie inside itself", where=find_folder(session, folder_id).name)
        carried = {strip for folder_id in self.folders for strip in strips_in_folder(session, folder_id)}
        direct = set(self.strips) - carried
        for strip_id in self.strips:
            _check_movable(find_strip(session, strip_id))
        anchor = self._anchor(session, carried | direct)
        folders = tuple(
            folder.model_copy(update={"parent": parent}) if folder.id in self.folders else folder
            for folder in session.folders
        )
        moved = [
            strip.model_copy(update={"folder": parent}) if strip.id in direct else strip
            for strip in session.strips
            if strip.id in carried | direct
        ]
        return _put(session.model_copy(update={"folders": folders}), moved, before=anchor)

    def describe(self, session: Session) -> str:
        names = [find_folder(session, folder_id).name for folder_id in self.folders]
        if self.strips:
            names.append(names_of(session, self.strips))
        goal = self._goal_name(session)
        return f"Move {' and '.join(names)} {goal}"

    def _parent(self, session: Session) -> str | None:
        if self.where == "into":
            return find_folder(session, self.folder).id if self.folder else None
        if self.strip is not None:
            strip = find_strip(session, self.strip)
            summed = next((folder for folder in session.folders if folder.bus == strip.id), None)
            return summed.parent if summed else strip.folder
        if self.folder is not None:
            return find_folder(session, self.folder).parent
        raise InvalidAction("before or after what is not said", where="move")

    def _anchor(self, session: Session, moving: set[str]) -> str | None:
        """The strip to stand in front of; None is the end."""
        if self.where == "into":
            around = strips_in_folder(session, self.folder) if self.folder else []
            target = [strip_id for strip_id in around if strip_id not in moving]
            return _following(session, target[-1], moving) if target else self._own_place(session, moving)
        target = strips_in_folder(session, self.folder) if self.folder else [self.strip or ""]
        target = [strip_id for strip_id in target if strip_id not in moving]
        if not target:
            return self._own_place(session, moving)
        return target[0] if self.where == "before" else _following(session, target[-1], moving)

    def _own_place(self, session: Session, moving: set[str]) -> str | None:
        if self.where == "into" and self.folder is None:
            return session.mix.id
        last = [strip.id for strip in session.strips if strip.id in moving]
        return _following(session, last[-1], moving) if last else None

    def _goal_name(self, session: Session) -> str:
        if self.folder is None and self.strip is None:
            return "out of all folders"
        name = find_folder(session, self.folder).name if self.folder else find_strip(session, self.strip or "").name
        return f"{self.where} {name}"


class SetFolder(Action):
    """Rename a folder."""

    type: Literal["set-folder"] = "set-folder"
    folder: Id
    name: Name

    def apply(self, session: Session) -> Session:
        find_folder(session, self.folder)
        folders = tuple(
            folder.model_copy(update={"name": self.name}) if folder.id == self.folder else folder
            for folder in session.folders
        )
        return session.model_copy(update={"folders": folders})

    def describe(self, session: Session) -> str:
        return f"{find_folder(session, self.folder).name}: renamed {self.name}"


class RemoveFolder(Action):
    """Take a folder away; what it holds stays where it is, its bus goes on as a bus."""

    type: Literal["remove-folder"] = "remove-folder"
    folder: Id

    def apply(self, session: Session) -> Session:
        gone = find_folder(session, self.folder)
        folders = tuple(
            folder.model_copy(update={"parent": gone.parent}) if folder.parent == gone.id else folder
            for folder in session.folders
            if folder.id != gone.id
        )
        strips = (
            strip.model_copy(update={"folder": gone.parent}) if strip.folder == gone.id else strip
            for strip in session.strips
        )
        return with_strips(session, strips).model_copy(update={"folders": folders})

    def describe(self, session: Session) -> str:
        return f"Take folder {find_folder(session, self.folder).name} away"


class SumFolder(Action):
    """Give a folder a bus that its members play into; the mix stays as it is."""

    type: Literal["sum-folder"] = "sum-folder"
    folder: Id
    output: Id | None = None

    def apply(self, session: Session) -> Session:
        folder = find_folder(session, self.folder)
        if folder.bus is not None:
            raise InvalidAction("the folder is summed already", where=folder.name)
        inside = [session.strip(strip_id) for strip_id in strips_in_folder(session, folder.id)]
        ids = {strip.id for strip in inside}
        outer = [strip for strip in inside if strip.output not in ids and strip.output is not None]
        if not outer:
            raise InvalidAction(
                "nothing in the folder plays anywhere", where=folder.name, remedy="Give its strips an output first."
            )
        output, late = common_output(session, outer, self.output)
        bus = Strip(
            id=fresh_strip_id(session, folder.name),
            kind="bus",
            name=folder.name,
            color=outer[0].color,
            folder=folder.parent,
            output=output,
            late=late,
        )
        playing = {strip.id for strip in outer}
        strips: list[Strip] = []
        for strip in session.strips:
            if strip.id == inside[0].id:
                strips.append(bus)
            into_bus = {"output": bus.id, "late": False}
            strips.append(strip.model_copy(update=into_bus) if strip.id in playing else strip)
        folders = tuple(
            other.model_copy(update={"bus": bus.id}) if other.id == folder.id else other for other in session.folders
        )
        return with_strips(session, strips).model_copy(update={"folders": folders})

    def describe(self, session: Session) -> str:
        return f"{find_folder(session, self.folder).name}: summed into a bus"


def _check_movable(strip: Strip) -> None:
    if strip.kind == "mix":
        raise InvalidAction("the mix stays where it is", where=strip.name)


def _following(session: Session, strip_id: str, moving: set[str]) -> str | None:
    """The next strip after one that does not move itself."""
    ids = [strip.id for strip in session.strips]
    return next((other for other in ids[ids.index(strip_id) + 1 :] if other not in moving), None)


def _put(session: Session, moved: list[Strip], *, before: str | None) -> Session:
    ids = {strip.id for strip in moved}
    ordered = [strip.id for strip in session.strips]
    if before in ids:
        before = next((other for other in ordered[ordered.index(before) :] if other not in ids), None)
    rest = [strip for strip in session.strips if strip.id not in ids]
    at = next((place for place, strip in enumerate(rest) if strip.id == before), len(rest))
    return with_strips(session, [*rest[:at], *moved, *rest[at:]])
