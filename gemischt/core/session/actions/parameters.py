"""Edits of any parameter by its address."""

from typing import Literal

from pydantic import Field, StrictBool

from gemischt.core.parameters import FrozenModel
from gemischt.core.session.actions.base import Action
from gemischt.core.session.addresses import name_of, read, write
from gemischt.core.session.document import Session


class ParameterValue(FrozenModel):
    """What a parameter is to be."""

    address: str = Field(min_length=1, max_length=400)
    value: StrictBool | float | None


class SetParameters(Action):
    """Set parameters wherever they are."""

    type: Literal["set-parameters"] = "set-parameters"
    values: tuple[ParameterValue, ...] = Field(min_length=1, max_length=512)

    def apply(self, session: Session) -> Session:
        for item in self.values:
            session = write(session, item.address, item.value)
        return session

    def describe(self, session: Session) -> str:
        first = self.values[0]
        if len(self.values) > 1:
            return f"{len(self.values)} parameters set"
        return f"{name_of(session, first.address)} {read(session, first.address).parameter.show(first.value)}"
