"""Addresses: one for every parameter of a session, and what there is to know of it.

    strips/ID/FIELD                          strips/ID/pan/FIELD         strips/ID/sends/SEND/FIELD
    strips/ID/chain/PROCESSOR/FIELD          strips/ID/chain/PROCESSOR/key/FIELD     .../key/filter/FIELD
    strips/ID/chain/EQ/bands/BAND/FIELD      strips/ID/chain/BLOCK/lanes/LANE/FIELD      .../splits/SPLIT/FIELD
    control_groups/ID/FIELD                  ducks/ID/FIELD              ducks/ID/targets/TARGET/FIELD
    followers/ID/FIELD                       followers/ID/targets/TARGET/FIELD

Processors inside lanes are addressed like those of the chain: their ids are unique within the strip. FIELD is a name of
the part's table (core.parameters.table_of), a processor's own parameters included.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, ValidationError

from gemischt.core.errors import InvalidAction
from gemischt.core.parameters import FrozenModel, Parameter, table_of
from gemischt.core.processors.registry import label_of
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.document import Send, Session, Strip
from gemischt.core.session.ducks import DuckTarget
from gemischt.core.session.edits import replace_processor

Part = Any
"""A model of the document, of whichever kind the address leads to."""
_PARTS = ("strips", "control_groups", "ducks", "followers", "targets", "sends", "chain", "bands", "lanes", "splits")
"""Fields that hold parts with ids."""


@dataclass(frozen=True)
class Addressed:
    """A parameter at its place: its entry in the table, and its value there."""

    address: str
    parameter: Parameter
    value: Any


def parameters_of(session: Session) -> Iterator[Addressed]:
    """Every parameter of a session, in the order of the document."""
    for strip in session.strips:
        yield from _parameters_of(f"strips/{strip.id}", strip)
    for group in session.control_groups:
        yield from _parameters_of(f"control_groups/{group.id}", group)
    for duck in session.ducks:
        yield from _parameters_of(f"ducks/{duck.id}", duck)
    for follower in session.followers:
        yield from _parameters_of(f"followers/{follower.id}", follower)


def parameters_in(part: FrozenModel) -> Iterator[Addressed]:
    """Every parameter of a part of the document, addressed from there."""
    for item in _parameters_of("", part):
        yield Addressed(item.address.removeprefix("/"), item.parameter, item.value)


def read(session: Session, address: str) -> Addressed:
    """The parameter at an address.

    Raises:
        InvalidAction: there is none; it says how far the address leads.
    """
    part: Part = session
    steps = address.split("/")
    for place in _places(session, steps[:-1]):
        part = place.part
    parameter = _tables(part).get(steps[-1])
    if parameter is None:
        raise InvalidAction(f'there is no parameter "{steps[-1]}"', where="/".join(steps[:-1]))
    return Addressed(address, parameter, getattr(_holder(part, steps[-1]), steps[-1]))


def name_of(session: Session, address: str) -> str:
    """A parameter for people, from the outside in: "Lead voice Compressor threshold", "Lead voice send to Hall".

    Raises:
        InvalidAction: there is no such parameter.
    """
    label = read(session, address).parameter.label
    *way, _ = address.split("/")
    parts = [place.part for place in _places(session, way)]
    names = [name for part in parts if (name := _name_of_part(session, part))]
    if isinstance(parts[-1], Send) and address.endswith("/level_db"):
        return " ".join(names)
    return " ".join((*names, label if label == "Q" else label[:1].lower() + label[1:]))


def _name_of_part(session: Session, part: Part) -> str:
    if isinstance(part, DuckTarget):
        return session.strip(part.strip).name
    if isinstance(part, Send):
        return f"send to {session.strip(part.to).name}"
    if name := getattr(part, "name", None):
        return str(name)
    return label_of(part.type) if hasattr(part, "params") else ""


def write(session: Session, address: str, value: Any) -> Session:
    """The session with another value at an address.

    Raises:
        InvalidAction: there is no such parameter, or it does not take the value.
    """
    found = read(session, address)
    *way, name = address.split("/")
    places = _places(session, way)
    return _put_back(session, places, _with_value(places[-1].part, name, value, found), address)


def placed(session: Session, address: str, value: Any) -> Session:
    """``write`` of a value that is known to be right."""
    *way, name = address.split("/")
    places = _places(session, way)
    return _put_back(session, places, _with_field(places[-1].part, name, value), address)


def _put_back(session: Session, places: list["_Place"], changed: Part, address: str) -> Session:
    for outer, place in zip(reversed([session, *(place.part for place in places[:-1])]), reversed(places), strict=True):
        changed = place.put_back(outer, changed)
    if not isinstance(changed, Session):
        raise InvalidAction("an address begins with strips, control_groups, ducks or followers", where=address)
    return changed


@dataclass(frozen=True)
class _Place:
    """A part on the way to a parameter, and how the part around it takes a changed one."""

    part: Part
    put_back: Callable[[Part, Part], Part]


def _places(session: Session, steps: list[str]) -> list[_Place]:
    """Every part on the way, from the session inwards."""
    places: list[_Place] = []
    part: Part = session
    at = 0
    while at < len(steps):
        field = steps[at]
        if field in _PARTS and at + 1 < len(steps) and _has(part, field):
            place = _place_by_id(part, field, steps[at + 1], "/".join(steps[: at + 1]))
            at += 2
        elif _has(part, field) and isinstance(inner := getattr(_holder(part, field), field), BaseModel):
            place = _Place(inner, _put_field(field))
            at += 1
        else:
            raise InvalidAction(f'there is nothing called "{field}"', where="/".join(steps[:at]) or "session")
        places.append(place)
        part = place.part
    return places


def _place_by_id(part: Part, field: str, part_id: str, where: str) -> _Place:
    parts = getattr(_holder(part, field), field)
    within = walk_chain(parts) if field == "chain" else parts
    for inner in within:
        if inner.id == part_id:
            return _Place(inner, _put_processor(part_id) if field == "chain" else _put_by_id(field, part_id))
    raise InvalidAction(f'there is no "{part_id}"', where=where)


def _models(part: Part) -> tuple[BaseModel, ...]:
    """The part itself and, of a processor, its parameters."""
    return (part, part.params) if "params" in part.__pydantic_fields__ else (part,)


def _has(part: Part, field: str) -> bool:
    return any(field in model.__pydantic_fields__ for model in _models(part))


def _holder(part: Part, field: str) -> Part:
    """The model that has a field."""
    return part if field in part.__pydantic_fields__ else part.params


def _tables(part: Part) -> dict[str, Parameter]:
    return {name: entry for model in _models(part) for name, entry in table_of(type(model)).items()}


def _with_value(part: Part, name: str, value: Any, found: Addressed) -> Part:
    holder = _holder(part, name)
    try:
        checked = type(holder).model_validate({**holder.model_dump(by_alias=True), name: value})
    except ValidationError as error:
        reason = error.errors(include_url=False)[0]["msg"]
        raise InvalidAction(f"{found.parameter.label}: {reason}, got {value!r}", where=found.address) from None
    return _with_field(part, name, getattr(checked, name))


def _with_field(part: Part, field: str, value: Any) -> Part:
    """The part with another value of a field, its own or its parameters'."""
    holder = _holder(part, field)
    changed = holder.model_copy(update={field: value})
    return changed if holder is part else part.model_copy(update={"params": changed})


def _put_field(field: str) -> Callable[[Part, Part], Part]:
    return lambda outer, inner: _with_field(outer, field, inner)


def _put_by_id(field: str, part_id: str) -> Callable[[Part, Part], Part]:
    def put(outer: Part, inner: Part) -> Part:
        parts = getattr(_holder(outer, field), field)
        return _with_field(outer, field, tuple(inner if part.id == part_id else part for part in parts))

    return put


def _put_processor(processor_id: str) -> Callable[[Part, Part], Part]:
    """Into a strip's chain, or into the chain of one of its lanes."""
    return lambda outer, inner: replace_processor(outer, processor_id, lambda _: inner)


def _parameters_of(address: str, part: Part) -> Iterator[Addressed]:
    """A part's own parameters, then those of the parts inside it."""
    for name, parameter in _tables(part).items():
        yield Addressed(f"{address}/{name}", parameter, getattr(_holder(part, name), name))
    for model in _models(part):
        for field in type(model).model_fields:
            inner = getattr(model, field)
            if field == "chain":
                # A lane's processors are among the strip's.
                for processor in walk_chain(inner) if isinstance(part, Strip) else ():
                    yield from _parameters_of(f"{address}/chain/{processor.id}", processor)
            elif field in _PARTS:
                for one in inner:
                    yield from _parameters_of(f"{address}/{field}/{one.id}", one)
            elif isinstance(inner, FrozenModel) and field != "params":
                yield from _parameters_of(f"{address}/{field}", inner)
