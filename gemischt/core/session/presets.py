"""Presets: processors without a strip, as an open document of their own."""

from typing import Final, Literal

from pydantic import Field, ValidationError

from gemischt.core.errors import Fault, InvalidSession
from gemischt.core.parameters import FrozenModel
from gemischt.core.session.document import Processor
from gemischt.core.session.validation import faults_of
from gemischt.core.terms import Name

PRESET_FORMAT: Final = "gemischt-preset"


class Preset(FrozenModel):
    """One processor, a chain, or a parallel block."""

    format: Literal["gemischt-preset"] = PRESET_FORMAT
    version: Literal[1] = 1
    name: Name
    processors: tuple[Processor, ...] = Field(min_length=1, max_length=64)


def parse_preset(document: object, *, where: str = "") -> Preset:
    """Read a preset from parsed JSON; InvalidSession carries what is wrong with it."""
    if not isinstance(document, dict) or document.get("format") != PRESET_FORMAT:
        raise InvalidSession([Fault("format", f'must be "{PRESET_FORMAT}"')], where=where)
    try:
        return Preset.model_validate(document)
    except ValidationError as error:
        raise InvalidSession(faults_of(error), where=where) from None
