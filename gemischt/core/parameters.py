"""How a processor's parameters are declared: one Pydantic model is the table.

Ranges, defaults, units and scales live in the model's fields; validation, the API's schema and the interface's
ranges all derive from it.
"""

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

Scale = Literal["linear", "logarithmic"]


class FrozenModel(BaseModel):
    """Base of every part of a document: immutable, no unknown fields, finite numbers only."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


def parameter(
    default: float | None,
    minimum: float,
    maximum: float,
    *,
    label: str,
    unit: str = "",
    scale: Scale = "linear",
) -> Any:
    """A numeric field with everything an interface needs to show and step it."""
    extra: dict[str, Any] = {"label": label, "unit": unit, "scale": scale}
    return Field(default=default, ge=minimum, le=maximum, title=label, json_schema_extra=extra)
