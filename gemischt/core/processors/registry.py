"""The only list of processors: what an interface may add to a chain."""

from dataclasses import dataclass
from typing import Any

from gemischt.core.parameters import FrozenModel
from gemischt.core.processors.compressor_params import CompressorParams
from gemischt.core.processors.eq_params import EqParams


@dataclass(frozen=True)
class ProcessorKind:
    """A processor type, its name for people, and its parameter table."""

    kind: str
    label: str
    takes_key: bool
    params: type[FrozenModel]

    def parameter_schema(self) -> dict[str, Any]:
        """Ranges, defaults, units and scales as JSON Schema."""
        return self.params.model_json_schema(by_alias=True)


PROCESSORS: tuple[ProcessorKind, ...] = (
    ProcessorKind("eq", "EQ", False, EqParams),
    ProcessorKind("compressor", "Compressor", True, CompressorParams),
)


def label_of(processor_type: str) -> str:
    """Name for people of a processor type."""
    labels = {item.kind: item.label for item in PROCESSORS} | {"parallel": "Lanes"}
    return labels[processor_type]
