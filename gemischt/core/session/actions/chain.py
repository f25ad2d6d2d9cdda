"""Edits of what stands in a strip's chain."""

from typing import Any, Literal

from pydantic import Field, ValidationError

from gemischt.core.errors import InvalidAction, InvalidSession
from gemischt.core.processors.registry import label_of
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import Compressor, Eq, Id, Key, Processor, Session
from gemischt.core.session.edits import find_processor, find_strip, fresh_id, replace_processor, replace_strip
from gemischt.core.session.validation import faults_of

_NEW = {"eq": Eq, "compressor": Compressor}


class AddProcessor(Action):
    """Put a processor into a strip's chain; ``at`` null is the end."""

    type: Literal["add-processor"] = "add-processor"
    strip: Id
    processor: Literal["eq", "compressor"]
    at: int | None = None
    params: dict[str, Any] = Field(default_factory=dict)

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        taken = [processor.id for processor in walk_chain(strip.chain)]
        made = _NEW[self.processor](id=fresh_id(self.processor, taken))
        made = _with_params(made, self.params, strip.name)
        chain = list(strip.chain)
        chain.insert(len(chain) if self.at is None else max(0, self.at), made)
        return replace_strip(session, strip.model_copy(update={"chain": tuple(chain)}))

    def describe(self, session: Session) -> str:
        return f"{find_strip(session, self.strip).name}: {label_of(self.processor)} added"


class RemoveProcessor(Action):
    """Take a processor out of a chain."""

    type: Literal["remove-processor"] = "remove-processor"
    strip: Id
    processor: Id

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        find_processor(strip, self.processor)
        return replace_strip(session, replace_processor(strip, self.processor, lambda processor: None))

    def describe(self, session: Session) -> str:
        strip = find_strip(session, self.strip)
        return f"{strip.name}: {label_of(find_processor(strip, self.processor).type)} removed"


class MoveProcessor(Action):
    """Move a processor to another place in the strip's own chain; ``to`` counts from 0 after it was taken out."""

    type: Literal["move-processor"] = "move-processor"
    strip: Id
    processor: Id
    to: int

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        moving = next((item for item in strip.chain if item.id == self.processor), None)
        if moving is None:
            raise InvalidAction(f'there is no processor "{self.processor}" to move', where=strip.name)
        rest = [item for item in strip.chain if item.id != self.processor]
        rest.insert(min(max(0, self.to), len(rest)), moving)
        return replace_strip(session, strip.model_copy(update={"chain": tuple(rest)}))

    def describe(self, session: Session) -> str:
        strip = find_strip(session, self.strip)
        return f"{strip.name}: {label_of(find_processor(strip, self.processor).type)} moved"


class SetProcessor(Action):
    """Set a processor's switch, key, or some of its parameters; what is left out stays."""

    type: Literal["set-processor"] = "set-processor"
    strip: Id
    processor: Id
    on: bool | None = None
    params: dict[str, Any] = Field(default_factory=dict)
    key: Key | None = None

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        old = find_processor(strip, self.processor)
        new = _with_params(old, self.params, strip.name)
        if self.on is not None:
            new = new.model_copy(update={"on": self.on})
        if self.key is not None:
            if new.type != "compressor":
                raise InvalidAction(f"{label_of(new.type)} takes no key", where=strip.name)
            new = new.model_copy(update={"key": self.key})
        return replace_strip(session, replace_processor(strip, self.processor, lambda processor: new))

    def describe(self, session: Session) -> str:
        strip = find_strip(session, self.strip)
        label = label_of(find_processor(strip, self.processor).type)
        words: list[str] = []
        if self.on is not None:
            words.append("on" if self.on else "bypassed")
        if self.key is not None:
            source = self.key.source
            words.append(f"keyed by {find_strip(session, source).name}" if source else "hears itself")
        words.extend(_describe_parameter(name, value) for name, value in self.params.items())
        return f"{strip.name}: {label} {', '.join(words)}"


def _with_params(processor: Processor, values: dict[str, Any], where: str) -> Processor:
    if not values:
        return processor
    if processor.type == "parallel":
        raise InvalidAction("lanes have no parameters of their own", where=where)
    table = type(processor.params)
    try:
        params = table.model_validate({**processor.params.model_dump(mode="json"), **values})
    except ValidationError as error:
        raise InvalidSession(faults_of(error), where=f"{where}: {label_of(processor.type)}") from None
    return processor.model_copy(update={"params": params})


_UNITS = {"db": "dB", "ms": "ms", "hz": "Hz"}


def _describe_parameter(name: str, value: Any) -> str:
    if name == "bands":
        return f"{len(value)} band{'' if len(value) == 1 else 's'}"
    words, _, suffix = name.rpartition("_")
    unit = _UNITS.get(suffix, "")
    label = words if unit else name.replace("_", " ")
    shown = "endless" if value is None else f"{value:.3g}" if isinstance(value, float) else value
    return f"{label.replace('_', ' ')} {shown} {unit}".strip()
