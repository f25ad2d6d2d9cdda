"""What every action is."""

from abc import abstractmethod
from typing import ClassVar

from gemischt.core.parameters import FrozenModel
from gemischt.core.session.document import Session


class Action(FrozenModel):
    """An edit: data that can be sent, named and applied.

    ``apply`` is pure; the result is validated by whoever keeps it. Both methods raise InvalidAction for strips or
    processors that do not exist.
    """

    shifts_moves: ClassVar[bool] = True
    """Whether it shifts the curves of the values that it sets."""

    @abstractmethod
    def apply(self, session: Session) -> Session:
        """The session after the edit."""

    @abstractmethod
    def describe(self, session: Session) -> str:
        """The edit's name, read against the session before it: "Lead voice: fader -3.5 dB"."""
