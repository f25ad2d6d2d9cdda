"""The only list of processors: what may stand in a chain, and what the engine makes of it."""

from dataclasses import dataclass
from typing import Any, Literal

from gemischt.core.parameters import FrozenModel
from gemischt.core.processors.band import BandFilter
from gemischt.core.processors.band_params import BandParams
from gemischt.core.processors.base import BlockProcessor, GainShaper
from gemischt.core.processors.compressor import CompressorShaper
from gemischt.core.processors.compressor_params import CompressorParams
from gemischt.core.processors.delay import DelayProcessor
from gemischt.core.processors.delay_params import DelayParams
from gemischt.core.processors.eq import Equalizer
from gemischt.core.processors.eq_params import EqParams
from gemischt.core.processors.gain import GainProcessor
from gemischt.core.processors.gain_params import GainParams
from gemischt.core.processors.gate import GateShaper
from gemischt.core.processors.gate_params import GateParams
from gemischt.core.processors.limiter import Limiter
from gemischt.core.processors.limiter_params import LimiterParams
from gemischt.core.processors.matrix import MatrixProcessor
from gemischt.core.processors.matrix_params import MatrixParams
from gemischt.core.processors.mono_below import MonoBelow
from gemischt.core.processors.mono_below_params import MonoBelowParams
from gemischt.core.processors.reverb import Reverb
from gemischt.core.processors.reverb_params import ReverbParams
from gemischt.core.processors.saturator import Saturator
from gemischt.core.processors.saturator_params import SaturatorParams
from gemischt.core.processors.widener import Widener
from gemischt.core.processors.widener_params import WidenerParams

KindName = Literal["eq", "compressor", "gate", "saturator", "limiter", "gain", "matrix", "widener", "delay", "reverb"]


@dataclass(frozen=True)
class ProcessorKind:
    """A processor type, its name for people, its parameter table, and the class that works on blocks: on the audio
    itself, or on the levels of a signal that it listens to, which may be another strip's.

    ``most_channels`` is 2 for what is stereo by nature, None for what takes any number.
    """

    kind: KindName | Literal["band", "mono-below"]
    label: str
    params: type[FrozenModel]
    worker: type[BlockProcessor] | type[GainShaper]
    most_channels: int | None = None

    @property
    def takes_key(self) -> bool:
        """Whether it listens to a signal, which may be another strip's."""
        return issubclass(self.worker, GainShaper)

    def parameter_schema(self) -> dict[str, Any]:
        """Ranges, defaults, units and scales as JSON Schema."""
        return self.params.model_json_schema(by_alias=True)


PROCESSORS: tuple[ProcessorKind, ...] = (
    ProcessorKind("eq", "EQ", EqParams, Equalizer),
    ProcessorKind("compressor", "Compressor", CompressorParams, CompressorShaper),
    ProcessorKind("gate", "Gate", GateParams, GateShaper),
    ProcessorKind("saturator", "Saturator", SaturatorParams, Saturator),
    ProcessorKind("limiter", "Limiter", LimiterParams, Limiter),
    ProcessorKind("gain", "Gain", GainParams, GainProcessor),
    ProcessorKind("matrix", "Matrix", MatrixParams, MatrixProcessor, 2),
    ProcessorKind("widener", "Widener", WidenerParams, Widener, 2),
    ProcessorKind("delay", "Delay", DelayParams, DelayProcessor, 2),
    ProcessorKind("reverb", "Reverb", ReverbParams, Reverb),
)

_BAND = ProcessorKind("band", "Band", BandParams, BandFilter)
_MONO_BELOW = ProcessorKind("mono-below", "Mono below", MonoBelowParams, MonoBelow, 2)
"""What splits a block of lanes, and what takes the sides out of lows: no chain of a document holds them."""
_NO_PROCESSORS = {"parallel": "Lanes", "duck": "Duck", "follower": "Follower"}
_BY_KIND: dict[str, ProcessorKind] = {item.kind: item for item in (*PROCESSORS, _BAND, _MONO_BELOW)}


def kind_of(processor_type: str) -> ProcessorKind:
    """The entry of a processor type; KeyError for anything else, lanes included."""
    return _BY_KIND[processor_type]


def label_of(processor_type: str) -> str:
    """Name for people of a processor type."""
    return _NO_PROCESSORS[processor_type] if processor_type in _NO_PROCESSORS else _BY_KIND[processor_type].label
