"""How parameters are declared: the fields of one Pydantic model are the table.

Ranges, defaults, units and scales live in the model's fields; validation, names of edits, the API's schema and the
interface's ranges all derive from it.
"""

import copy
from collections.abc import Mapping
from functools import cache
from typing import Any, Literal, get_args, get_origin

from annotated_types import Ge, Le
from pydantic import BaseModel, ConfigDict, Field
from pydantic.fields import FieldInfo

from gemischt.core.units import signed_db

Scale = Literal["linear", "logarithmic"]
Value = float | bool | str | None

LOWEST_LEVEL_DB = -120.0
HIGHEST_LEVEL_DB = 24.0
HIGHEST_TRIM_DB = 60.0
"""Either way: what brings any recording to any level."""
HIGHEST_FREQUENCY_HZ = 22000.0


class FrozenModel(BaseModel):
    """Base of every part of a document: immutable, no unknown fields, finite numbers only."""

    model_config = ConfigDict(
        frozen=True,
        extra="forbid",
        allow_inf_nan=False,
        # What is written out has every field; what comes in may leave out those with a default.
        json_schema_serialization_defaults_required=True,
    )


def parameter(
    default: float | None,
    minimum: float,
    maximum: float,
    *,
    label: str,
    unit: str = "",
    scale: Scale = "linear",
    none: str = "open",
    stays: bool = False,
) -> Any:
    """A numeric field with everything an interface needs to show and step it; ``none`` is what null reads as.

    What ``stays`` cannot move over the song: it decides how late a signal is.
    """
    extra: dict[str, Any] = {"label": label, "unit": unit, "scale": scale, "none": none, "stays": stays}
    return Field(default=default, ge=minimum, le=maximum, title=label, json_schema_extra=extra)


def level(default: float | None = 0.0, *, label: str = "Level", highest_db: float = HIGHEST_LEVEL_DB) -> Any:
    """A level; null is silence."""
    return parameter(default, LOWEST_LEVEL_DB, highest_db, label=label, unit="dB", none="silent")


def trim(label: str) -> Any:
    """A level that only brings a signal to where it belongs."""
    return parameter(0.0, -HIGHEST_TRIM_DB, HIGHEST_TRIM_DB, label=label, unit="dB")


def cut(label: str, lowest_hz: float, highest_hz: float = HIGHEST_FREQUENCY_HZ) -> Any:
    """The corner of a cut; null leaves that side open."""
    return parameter(None, lowest_hz, highest_hz, label=label, unit="Hz", scale="logarithmic")


def same_as(model: type[BaseModel], name: str, **changes: Any) -> Any:
    """A field that takes what another model's field takes."""
    field = copy.copy(model.model_fields[name])
    for attribute, value in changes.items():
        setattr(field, attribute, value)
    return field


class Parameter(FrozenModel):
    """One entry of a table: a number in a range, a switch, or a choice of words.

    ``default``, ``minimum`` and ``maximum`` are in ``unit``; ``none`` is what null reads as where it is allowed.
    """

    name: str
    label: str
    kind: Literal["number", "switch", "choice"]
    default: Value = None
    unit: str = ""
    scale: Scale = "linear"
    minimum: float | None = None
    maximum: float | None = None
    none: str | None = None
    choices: tuple[str | int, ...] = ()
    stays: bool = False

    def refusal(self, value: Value) -> str | None:
        """Why it does not take a value; None if it does."""
        if value is None:
            return None if self.none is not None else f"{self.label.lower()} must have a value"
        if self.kind == "switch":
            return None if isinstance(value, bool) else f"must be true or false, got {value!r}"
        if isinstance(value, bool) or not isinstance(value, float | int):
            return f"must be a number, got {value!r}"
        low, high = self.minimum, self.maximum
        if (low is not None and value < low) or (high is not None and value > high):
            return f"must lie between {low:g} and {high:g}, got {value:g}"
        return None

    def show(self, value: Any) -> str:
        """A value as people read it: "-3.5 dB", "endless", "on"."""
        if value is None:
            return self.none or "none"
        if isinstance(value, bool):
            return "on" if value else "off"
        if self.kind != "number":
            return str(value)
        if self.unit == "dB":
            return signed_db(value)
        return f"{value:.3g} {self.unit}".strip()

    def describe(self, value: Any) -> str:
        """The parameter at a value: "threshold -24.0 dB"."""
        return f"{self.label[:1].lower() + self.label[1:] if self.label != 'Q' else 'Q'} {self.show(value)}"


_NO_PARAMETERS = {"type", "kind", "version", "format"}


@cache
def table_of(model: type[BaseModel]) -> Mapping[str, Parameter]:
    """The parameters among a model's fields, by name; names, ids and parts with fields of their own are none."""
    entries = {name: _entry(name, field) for name, field in model.model_fields.items() if name not in _NO_PARAMETERS}
    return {name: entry for name, entry in entries.items() if entry is not None}


def _entry(name: str, field: FieldInfo) -> Parameter | None:
    extra = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
    label = str(extra.get("label") or field.title or name.replace("_", " ").capitalize())
    options = get_args(field.annotation) or (field.annotation,)
    nullable = type(None) in options
    none = str(extra.get("none", "none")) if nullable else None
    if bool in options:
        return Parameter(name=name, label=label, kind="switch", default=field.default)
    if get_origin(field.annotation) is tuple:
        return None
    words = next((get_args(option) for option in (field.annotation, *options) if get_origin(option) is Literal), ())
    if words:
        return Parameter(name=name, label=label, kind="choice", default=field.default, none=none, choices=words)
    minimum = next((limit.ge for limit in field.metadata if isinstance(limit, Ge)), None)
    maximum = next((limit.le for limit in field.metadata if isinstance(limit, Le)), None)
    if minimum is None or maximum is None or not {float, int} & set(options):
        return None
    return Parameter(
        name=name,
        label=label,
        kind="number",
        default=field.default,
        unit=str(extra.get("unit", "")),
        scale="logarithmic" if extra.get("scale") == "logarithmic" else "linear",
        minimum=float(str(minimum)),
        maximum=float(str(maximum)),
        none=none,
        stays=bool(extra.get("stays", False)),
    )
