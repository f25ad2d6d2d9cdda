"""The only list of processors: what may stand in a chain, and what the engine makes of it."""

from dataclasses import dataclass
from typing import Any

from gemischt.core.parameters import FrozenModel
from gemischt.core.processors.base import BlockProcessor
from gemischt.core.processors.compressor import DynamicsProcessor
from gemischt.core.processors.compressor_params import CompressorParams
from gemischt.core.processors.delay import DelayProcessor
from gemischt.core.processors.delay_params import DelayParams
from gemischt.core.processors.eq import Equalizer
from gemischt.core.processors.eq_params import EqParams
from gemischt.core.processors.gain import GainProcessor
from gemischt.core.processors.gain_params import GainParams
from gemischt.core.processors.limiter import Limiter
from gemischt.core.processors.limiter_params import LimiterParams
from gemischt.core.processors.reverb import Reverb
from gemischt.core.processors.reverb_params import ReverbParams
from gemischt.core.processors.saturator import Saturator
from gemischt.core.processors.saturator_params import SaturatorParams


@dataclass(frozen=True)
class ProcessorKind:
    """A processor type, its name for people, its parameter table, and the class that works on blocks.

    ``most_channels`` is 2 for what is stereo by nature, None for what takes any number.
    """

    kind: str
    label: str
    takes_key: bool
    params: type[FrozenModel]
    processor: type[BlockProcessor]
    most_channels: int | None = None

    def parameter_schema(self) -> dict[str, Any]:
        """Ranges, defaults, units and scales as JSON Schema."""
        return self.params.model_json_schema(by_alias=True)


PROCESSORS: tuple[ProcessorKind, ...] = (
    ProcessorKind("eq", "EQ", False, EqParams, Equalizer),
    ProcessorKind("compressor", "Compressor", True, CompressorParams, DynamicsProcessor),
    ProcessorKind("saturator", "Saturator", False, SaturatorParams, Saturator),
    ProcessorKind("limiter", "Limiter", False, LimiterParams, Limiter),
    ProcessorKind("gain", "Gain", False, GainParams, GainProcessor),
    ProcessorKind("delay", "Delay", False, DelayParams, DelayProcessor, 2),
    ProcessorKind("reverb", "Reverb", False, ReverbParams, Reverb, 2),
)

_BY_KIND = {item.kind: item for item in PROCESSORS}


def kind_of(processor_type: str) -> ProcessorKind:
    """The entry of a processor type; KeyError for anything else, lanes included."""
    return _BY_KIND[processor_type]


def label_of(processor_type: str) -> str:
    """Name for people of a processor type."""
    return "Lanes" if processor_type == "parallel" else _BY_KIND[processor_type].label
