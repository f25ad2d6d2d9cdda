"""Taking back what a session once was."""

from typing import ClassVar, Literal

from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import Session
from gemischt.core.session.edits import names_of, replace_strip
from gemischt.core.terms import Id, Name


class TakeBack(Action):
    """Make a session, or some of its strips, what a snapshot holds; the session's name and files stay."""

    shifts_moves: ClassVar[bool] = False
    type: Literal["take-back"] = "take-back"
    snapshot: Session
    title: Name
    strips: tuple[Id, ...] = ()

    def apply(self, session: Session) -> Session:
        known = {media.id for media in session.media}
        media = (*session.media, *(media for media in self.snapshot.media if media.id not in known))
        if not self.strips:
            return self.snapshot.model_copy(update={"name": session.name, "media": media})
        session = session.model_copy(update={"media": media})
        was = {strip.id: strip for strip in self.snapshot.strips}
        for strip_id in self.strips:
            if strip_id not in was or all(strip.id != strip_id for strip in session.strips):
                raise InvalidAction(
                    f'"{strip_id}" is not in both', where=self.title, remedy="Take the whole snapshot back instead."
                )
            session = replace_strip(session, was[strip_id])
        return session

    def describe(self, session: Session) -> str:
        what = f"{names_of(session, self.strips)}: " if self.strips else ""
        return f"{what}back to {self.title}"
