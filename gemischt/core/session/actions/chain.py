"""Edits of what stands in a strip's chain, or in the chain of a lane."""

from typing import Any, Literal

from pydantic import Field, TypeAdapter, ValidationError

from gemischt.core.errors import InvalidAction, InvalidSession
from gemischt.core.keys import Key
from gemischt.core.parameters import table_of
from gemischt.core.processors.registry import KindName, label_of
from gemischt.core.routing.graph import keys_of, walk_chain
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import Keyed, LanePlace, Processor, Session, Simple, Strip
from gemischt.core.session.edits import (
    Chain,
    change_chain,
    find_processor,
    find_strip,
    fresh_id,
    inserted,
    names_of,
    place_of,
    replace_processor,
    replace_strip,
    unkeyed,
    with_fresh_ids,
)
from gemischt.core.session.validation import faults_of
from gemischt.core.terms import Id

_NEW: TypeAdapter[Simple] = TypeAdapter(Simple)


class AddProcessor(Action):
    """Put a processor into a strip's chain or a lane's; ``at`` null is the end."""

    type: Literal["add-processor"] = "add-processor"
    strip: Id
    processor: KindName
    into: LanePlace | None = None
    at: int | None = None
    params: dict[str, Any] = Field(default_factory=dict)

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        taken = [processor.id for processor in walk_chain(strip.chain)]
        plain = _NEW.validate_python({"id": fresh_id(self.processor, taken), "type": self.processor})
        made = _with_params(plain, self.params, strip.name)
        return replace_strip(session, change_chain(strip, self.into, lambda chain: inserted(chain, (made,), self.at)))

    def describe(self, session: Session) -> str:
        return f"{find_strip(session, self.strip).name}: {label_of(self.processor)} added"


class PasteProcessors(Action):
    """Put copies of processors into chains: from a clipboard, or from a preset whose name is ``title``.

    A key that names a strip the session does not have, or that would hear itself, hears its own strip instead.
    """

    type: Literal["paste-processors"] = "paste-processors"
    strips: tuple[Id, ...] = Field(min_length=1, max_length=512)
    processors: tuple[Processor, ...] = Field(min_length=1, max_length=64)
    into: LanePlace | None = None
    at: int | None = None
    title: str = Field(default="", max_length=200)

    def apply(self, session: Session) -> Session:
        for strip_id in self.strips:
            session = replace_strip(session, self._pasted(session, find_strip(session, strip_id)))
        return session

    def describe(self, session: Session) -> str:
        labels = [label_of(processor.type) for processor in self.processors]
        what = self.title or (labels[0] if len(labels) == 1 else f"{len(labels)} processors")
        return f"{names_of(session, self.strips)}: {what} {'recalled' if self.title else 'pasted'}"

    def _pasted(self, session: Session, strip: Strip) -> Strip:
        others = {other.id for other in session.strips} - {strip.id}
        sources = {key.source for item in walk_chain(self.processors) for _, key in keys_of(item)}
        gone = {source for source in sources if source is not None and source not in others}
        copies = with_fresh_ids(strip, unkeyed(self.processors, gone))
        return change_chain(strip, self.into, lambda chain: inserted(chain, copies, self.at))


class RemoveProcessor(Action):
    """Take a processor or a block of lanes out of a chain."""

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
    """Move a processor to another place in the chain it stands in; ``to`` counts from 0 after it was taken out."""

    type: Literal["move-processor"] = "move-processor"
    strip: Id
    processor: Id
    to: int

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        moving = find_processor(strip, self.processor)

        def moved(chain: Chain) -> Chain:
            return inserted(tuple(item for item in chain if item.id != moving.id), (moving,), max(0, self.to))

        return replace_strip(session, change_chain(strip, place_of(strip, moving.id), moved))

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
        before = find_processor(strip, self.processor)
        after = _with_params(before, self.params, strip.name)
        if self.on is not None:
            after = after.model_copy(update={"on": self.on})
        if self.key is not None:
            if not isinstance(after, Keyed):
                raise InvalidAction(f"{label_of(after.type)} takes no key", where=strip.name)
            after = after.model_copy(update={"key": self.key})
        return replace_strip(session, replace_processor(strip, self.processor, lambda processor: after))

    def describe(self, session: Session) -> str:
        strip = find_strip(session, self.strip)
        processor = find_processor(strip, self.processor)
        words: list[str] = []
        if self.on is not None:
            words.append("on" if self.on else "bypassed")
        if self.key is not None:
            source = self.key.source
            words.append(f"keyed by {find_strip(session, source).name}" if source else "hears itself")
        words.extend(_describe_parameter(processor, name, value) for name, value in self.params.items())
        return f"{strip.name}: {label_of(processor.type)} {', '.join(words)}"


def _with_params(processor: Processor, values: dict[str, Any], where: str) -> Processor:
    if not values:
        return processor
    if processor.type == "parallel":
        raise InvalidAction("lanes are set one by one", where=where)
    table = type(processor.params)
    try:
        params = table.model_validate({**processor.params.model_dump(mode="json"), **values})
    except ValidationError as error:
        given = {**processor.params.model_dump(mode="json"), **values}
        raise InvalidSession(faults_of(error, given), where=f"{where}: {label_of(processor.type)}") from None
    return processor.model_copy(update={"params": params})


def _describe_parameter(processor: Processor, name: str, value: Any) -> str:
    if name == "bands":
        return f"{len(value)} band{'' if len(value) == 1 else 's'}"
    parameter = None if processor.type == "parallel" else table_of(type(processor.params)).get(name)
    return f"{name} {value}" if parameter is None else parameter.describe(value)
