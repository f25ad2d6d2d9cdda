"""What the engine does, as frozen data: one spec an operation.

``identity`` names an operation across edits, so that state can be taken over. ``structure`` is what an operation is
built around: if it changes, a new plan is crossfaded in. ``settings`` may change while sounding.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TypeAlias

from gemischt.core.engine.placement import Matrix
from gemischt.core.parameters import FrozenModel

Identity: TypeAlias = tuple[str, ...]


@dataclass(frozen=True)
class ClipPlacement:
    """A clip in samples, its media resolved."""

    media: str
    start_samples: int
    length_samples: int
    offset_samples: int
    gain: float
    fade_in_samples: int
    fade_out_samples: int
    backwards: bool


@dataclass(frozen=True)
class PlayClips:
    """Play the clips that sound now, each through its matrix, into a buffer of their own or added to what is there."""

    identity: Identity
    buffer: str
    clips: tuple[ClipPlacement, ...]
    adds: bool
    matrices: tuple[Matrix, ...] = field(compare=False)


@dataclass(frozen=True)
class Clear:
    """Empty a buffer before signals are summed into it."""

    identity: Identity
    buffer: str


@dataclass(frozen=True)
class Copy:
    """Keep a signal as it is here."""

    identity: Identity
    source: str
    out: str


@dataclass(frozen=True)
class ApplyMatrix:
    """out = matrix @ source; meters are (strip index, stage index) or None."""

    identity: Identity
    source: str
    out: str
    source_meter: tuple[int, int] | None
    out_meter: tuple[int, int] | None
    matrix: Matrix = field(compare=False)


@dataclass(frozen=True)
class MixInto:
    """out += gain * source, delayed."""

    identity: Identity
    source: str
    out: str
    delay_samples: int
    gain: float = field(compare=False)


@dataclass(frozen=True)
class Delay:
    """Delay a buffer in place."""

    identity: Identity
    buffer: str
    delay_samples: int


@dataclass(frozen=True)
class Process:
    """Run a processor of the registry in place; the detector may be the buffer itself."""

    identity: Identity
    kind: str
    buffer: str
    detector: str
    latency_samples: int
    params: FrozenModel = field(compare=False)
    on: bool = field(compare=False)


Spec: TypeAlias = PlayClips | Clear | Copy | ApplyMatrix | MixInto | Delay | Process


@dataclass(frozen=True)
class Blueprint:
    """A session as operations.

    Equality compares structure only: two blueprints that are equal differ in settings at most.

    Attributes:
        buffers: name and channel count of every buffer.
        specs: operations in order.
        strips: ids of strips in document order; meters are indexed by it.
        output: buffer that holds the mix.
        latency_samples: how much later than the song the mix comes out.
        length_samples: end of the last clip.
        lags: how many samples the signal in each buffer is behind the song, at the end of its way.
    """

    sample_rate_hz: int
    buffers: tuple[tuple[str, int], ...]
    specs: tuple[Spec, ...]
    strips: tuple[str, ...]
    output: str
    latency_samples: int
    length_samples: int
    lags: Mapping[str, int]
