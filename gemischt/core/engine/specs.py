"""What the engine does, as frozen data: one spec an operation.

``id`` names an operation across edits, so that state can be taken over. ``structure`` is what an operation is
built around: if it changes, a new plan is crossfaded in. ``settings`` may change while sounding.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import Enum
from typing import NamedTuple, Protocol, TypeAlias

import numpy as np
from numpy.typing import NDArray

from gemischt.core.engine.placement import Matrix
from gemischt.core.parameters import FrozenModel
from gemischt.core.processors.base import Along, Application, Detection
from gemischt.core.session.steps import FollowerStepParams, Opening
from gemischt.core.space.layout import Layout


class Role(Enum):
    """What an operation does for its strip."""

    CLIPS = "clips"
    CLEAR = "clear"
    INPUT = "input"
    PRE_CHAIN = "pre-chain"
    PROCESSOR = "processor"
    KEPT = "kept"
    KEY = "key"
    KEY_CLEAR = "key clear"
    KEY_FILTER = "key filter"
    KEY_CURVE = "key curve"
    KEY_WAIT = "key wait"
    DETECT = "detect"
    DUCK = "duck"
    OPEN = "open"
    FOLLOW = "follow"
    FOLLOW_WAIT = "follow wait"
    GHOST_CLICKS = "ghost clicks"
    BEHIND_FADER = "behind fader"
    SHAPE = "shape"
    LOOKAHEAD = "lookahead"
    LANE = "lane"
    LANE_CLEAR = "lane clear"
    LANE_SHIFT = "lane shift"
    LANE_SPLIT = "lane split"
    LANE_BAND = "lane band"
    LATE_CLIPS = "late clips"
    LATE_WAIT = "late wait"
    OUTPUT = "output"
    OUTPUT_FEED = "output feed"
    SEND = "send"

    # There is one object of each: ids are looked up by the thousand.
    __hash__ = object.__hash__


class OperationId(NamedTuple):
    """An operation of a strip; ``part`` is what it belongs to there: a processor, a lane of a block, a send ..."""

    strip: str
    role: Role
    part: tuple[str, ...] = ()


@dataclass(frozen=True)
class Fade:
    """How a clip comes or goes; ``equal_power`` is a quarter of a sine, else it is straight."""

    length_samples: int = 0
    equal_power: bool = False


@dataclass(frozen=True)
class ClipPlacement:
    """A clip in samples, its media resolved."""

    media: str
    start_samples: int
    length_samples: int
    offset_samples: int
    gain: float
    fade_in: Fade
    fade_out: Fade
    backwards: bool


@dataclass(frozen=True)
class PlayClips:
    """Play the clips that sound now, each through its matrix, into a buffer of their own or added to what is there."""

    id: OperationId
    buffer: str
    clips: tuple[ClipPlacement, ...]
    adds: bool
    matrices: tuple[Matrix, ...] = field(compare=False)


@dataclass(frozen=True)
class Clear:
    """Empty a buffer before signals are summed into it."""

    id: OperationId
    buffer: str


@dataclass(frozen=True)
class Copy:
    """Keep a signal as it is here."""

    id: OperationId
    source: str
    out: str


@dataclass(frozen=True)
class ApplyMatrix:
    """out = matrix @ source; meters are (strip index, stage index) or None."""

    id: OperationId
    source: str
    out: str
    source_meter: tuple[int, int] | None
    out_meter: tuple[int, int] | None
    matrix: Matrix = field(compare=False)


@dataclass(frozen=True)
class MixInto:
    """out += gain * source, delayed; through a matrix, row by row, if their layouts ask for one."""

    id: OperationId
    source: str
    out: str
    delay_samples: int
    matrix: tuple[tuple[float, ...], ...] | None
    gain: float = field(compare=False)


@dataclass(frozen=True)
class Delay:
    """Delay a buffer in place."""

    id: OperationId
    buffer: str
    delay_samples: int


@dataclass(frozen=True)
class Process:
    """Run a processor of the registry in place.

    ``told`` is what it is told from which sample on, the first from 0.
    """

    id: OperationId
    kind: str
    buffer: str
    latency_samples: int
    room_samples: int
    told: tuple[tuple[int, FrozenModel], ...] = field(compare=False)
    on: bool = field(compare=False)


@dataclass(frozen=True)
class Detect:
    """Find the levels of a signal; ``pairs`` if each of its channels is about one of what is turned down."""

    id: OperationId
    source: str
    levels: str
    pairs: bool
    detection: Detection = field(compare=False)


@dataclass(frozen=True)
class Shape:
    """Decide from levels, so much earlier than it counts, how much is turned down."""

    id: OperationId
    kind: str
    levels: str
    reduction: str
    lookahead_samples: int
    params: FrozenModel = field(compare=False)


@dataclass(frozen=True)
class Apply:
    """Turn a buffer down."""

    id: OperationId
    reduction: str
    buffer: str
    application: Application = field(compare=False)


@dataclass(frozen=True)
class Open:
    """Follow a duck's clock and curve; a clock of the song has no levels. It ticks until ``until_samples``."""

    id: OperationId
    levels: str | None
    openness: str
    lag_samples: int
    until_samples: int
    opening: Opening = field(compare=False)


@dataclass(frozen=True)
class Depth:
    """How a target is turned; depth None is silence."""

    depth_db: float | None
    crossover_hz: float
    on: bool


@dataclass(frozen=True)
class Duck:
    """Turn a buffer, or one side of a crossover, by how open a duck is."""

    id: OperationId
    openness: str
    buffer: str
    band: str
    depth: Depth = field(compare=False)


@dataclass(frozen=True)
class Follow:
    """Follow levels: how much of the way some parameters of the strip, ``led``, are moved."""

    id: OperationId
    levels: str
    share: str
    led: tuple[str, ...]
    params: FollowerStepParams = field(compare=False)
    on: bool = field(compare=False)


@dataclass(frozen=True)
class Clicks:
    """Add a ghost's clicks to a buffer."""

    id: OperationId
    buffer: str
    starts: tuple[int, ...]
    velocities: tuple[float, ...]
    wave: tuple[float, ...]


Heard: TypeAlias = Detect | Shape | Apply | Open | Duck | Follow
"""What hears, decides, and does what was decided."""
Spec: TypeAlias = PlayClips | Clicks | Clear | Copy | ApplyMatrix | MixInto | Delay | Process | Heard


def waits_samples(spec: Spec) -> int:
    """How long an operation holds a signal back."""
    match spec:
        case MixInto() | Delay():
            return spec.delay_samples
        case Process():
            return spec.latency_samples
        case _:
            return 0


def settings_of(spec: Spec) -> object:
    """What may change while it sounds."""
    match spec:
        case ApplyMatrix():
            return spec.matrix.tolist()
        case MixInto():
            return spec.gain
        case Process():
            return spec.told, spec.on
        case Detect():
            return spec.detection
        case Shape():
            return spec.params
        case Apply():
            return spec.application
        case Open():
            return spec.opening
        case Duck():
            return spec.depth
        case Follow():
            return spec.params, spec.on
        case _:
            return None


class ToldAlong(NamedTuple):
    """What a processor is told at many moments: parameters at rest, whether it is on (0 or 1), and what the others
    are, by their fields."""

    params: FrozenModel
    on: Along
    values: Mapping[str, Along]


class Course(Protocol):
    """What leads operations over the song; see core.engine.courses."""

    @property
    def ids(self) -> tuple[OperationId, ...]:
        """The operations that are led."""

    @property
    def key(self) -> object:
        """Courses with equal keys lead alike."""

    def spec_at(self, id_: OperationId, sample: int) -> Spec:
        """One of their specs at a sample of the song."""

    def at_unity(self, id_: OperationId) -> Spec | None:
        """The spec at 0 dB of an operation that is only turned up and down; None for others."""

    def gains(self, id_: OperationId, samples: NDArray[np.int64]) -> NDArray[np.float64]:
        """By how much such an operation is turned at samples of the song."""

    def told_along(self, id_: OperationId, samples: NDArray[np.int64]) -> ToldAlong | None:
        """What a processor is told at samples of the song; None for what is not worked out for many at once."""

    def breakpoints(self, id_: OperationId, from_sample: int, to_sample: int) -> NDArray[np.int64]:
        """Samples between which an operation goes straight, all around a stretch."""


class Following(Protocol):
    """What followers do to an operation by one parameter; see core.engine.followings."""

    @property
    def operation(self) -> OperationId:
        """The operation that is led."""


@dataclass(frozen=True)
class Blueprint:
    """A session as operations.

    Equality compares structure only: two blueprints that are equal differ in settings at most.

    Attributes:
        buffers: name and layout of every buffer.
        signals: name and channel count of every level and every reduction.
        specs: operations in order.
        strips: ids of strips in document order; meters are indexed by it.
        output: buffer that holds the mix.
        latency_samples: how much later than the song the mix comes out.
        length_samples: end of the last clip.
        lags: how many samples the signal in each buffer is behind the song, at the end of its way.
        lags_at: the same where each operation works.
        courses: what leads operations over the song.
        followings: what followers do to operations.
    """

    sample_rate_hz: int
    buffers: tuple[tuple[str, Layout], ...]
    signals: tuple[tuple[str, int], ...]
    specs: tuple[Spec, ...]
    strips: tuple[str, ...]
    output: str
    latency_samples: int
    length_samples: int
    lags: Mapping[str, int]
    lags_at: Mapping[OperationId, int]
    courses: tuple[Course, ...] = field(default=(), compare=False)
    followings: "tuple[Following, ...]" = field(default=(), compare=False)

    def layout_of(self, buffer: str) -> Layout:
        """Of a buffer; KeyError if there is none."""
        return dict(self.buffers)[buffer]

    @property
    def layout(self) -> Layout:
        """What the mix is made for."""
        return self.layout_of(self.output)
