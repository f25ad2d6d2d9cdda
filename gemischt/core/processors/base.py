"""What every processor is to the engine."""

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Row
from gemischt.core.dsp.magnitude import highest_value
from gemischt.core.dsp.table import Call
from gemischt.core.space.layout import Channel

State: TypeAlias = tuple[NDArray[Any], ...]
Along: TypeAlias = NDArray[np.float64]
"""A value at each of many moments, (n_moments,)."""


class ControlSignal:
    """A level or a reduction of every sample of a block, dB.

    ``rows`` (n_channels, max_block); while ``streams`` (1,) is less than that, the first row counts for all channels.
    """

    def __init__(self, n_channels: int, max_block: int) -> None:
        self.rows = np.zeros((n_channels, max_block))
        self.streams = np.ones(1, np.int64)

    def highest_db(self, first: int, end: int) -> float:
        """Of a stretch of the last block."""
        return highest_value(self.rows, int(self.streams[0]), first, end)


@dataclass(frozen=True)
class Place:
    """Where a processor works; none of it changes while it sounds.

    ``latency_samples`` and ``room_samples`` are what the processor declared for its parameters, ``channels`` which
    loudspeakers its audio is for.
    """

    sample_rate_hz: int
    glide_samples: int
    n_channels: int
    max_block: int
    latency_samples: int = 0
    room_samples: int = 0
    channels: tuple[Channel, ...] = ()


class Worker(ABC):
    """Works on every block; the result does not depend on how blocks are cut.

    ``calls`` are the kernels that do it, ``controls`` what their coefficients come from, and ``state`` what lasts from
    block to block, in groups of arrays that belong together.
    """

    calls: Sequence[Call]
    controls: Sequence[Control]
    state: Sequence[State] = ()

    @staticmethod
    def latency_of(params: Any, sample_rate_hz: int) -> int:
        """Samples the audio lags behind, also while bypassed."""
        return 0

    @staticmethod
    def tail_of(params: Any, sample_rate_hz: int) -> int:
        """Samples until what was put in has died away."""
        return 0

    def take_over(self, other: Any) -> None:
        """Continue where another instance of this worker is; its controls are taken over for themselves."""
        copy_alike(self.state, other.state)


class BlockProcessor(Worker):
    """Works on audio in place."""

    @abstractmethod
    def __init__(self, place: Place, audio: Audio) -> None:
        """``audio``, (n_channels, max_block), is where blocks will be found."""

    @staticmethod
    def room_of(params: Any, sample_rate_hz: int) -> int:
        """Samples of memory that these parameters need, if that depends on them."""
        return 0

    @abstractmethod
    def coefs_of(self, params: Any, *, on: bool) -> tuple[Row, ...]:
        """Coefficients of each control; off means the (delayed) input."""

    def coefs_along(self, params: Any, on: Along, values: Mapping[str, Along]) -> Sequence[NDArray[np.float64]] | None:
        """Of each control, (n_moments, n_coefs), where some parameters take another value at each of many moments; None
        if that is not worked out for many moments at once.

        Args:
            on: whether it is on, 0 or 1.
            values: by field, or by "bands/ID/field" of a part.
        """
        return None


@dataclass(frozen=True)
class Detection:
    """How a signal is listened to: the share of RMS in its level, how far its channels follow the loudest one, and over
    what time the RMS is taken."""

    rms_share: float
    link: float
    rms_ms: float = 10.0


@dataclass(frozen=True)
class Application:
    """How a reduction is applied: what is made up for, and the share of what has been turned down."""

    makeup_db: float
    mix: float


class GainShaper(Worker):
    """Decides from levels how much is turned down, and lets its audio wait for ``latency_of`` it: the lookahead."""

    @abstractmethod
    def __init__(self, place: Place, levels: ControlSignal, reduction: ControlSignal) -> None:
        """``levels`` are read, ``reduction`` is written, as many channels as are turned down."""

    @staticmethod
    @abstractmethod
    def detection_of(params: Any) -> Detection:
        """How it wants the signal that it hears to be listened to."""

    @staticmethod
    @abstractmethod
    def application_of(params: Any, *, on: bool) -> Application:
        """How it wants its reductions to be applied; off means the (delayed) input."""

    @abstractmethod
    def coefs_of(self, params: Any) -> tuple[Row, ...]:
        """Coefficients of each control."""


def copy_alike(state: Sequence[State], other: Sequence[State]) -> None:
    """Copy each group whose arrays all have kept their shape: a ring and the place in it belong together."""
    for group, group_before in zip(state, other, strict=False):
        if [own.shape for own in group] == [before.shape for before in group_before]:
            for own, before in zip(group, group_before, strict=True):
                own[...] = before


class ReducesGain(ABC):
    """What compressors and limiters tell of their last block."""

    @abstractmethod
    def loudest_detected_db(self, n_samples: int, first: int = 0) -> float | None:
        """Loudest level heard in the last block, or from a sample of it on, dBFS; None if nobody asks for levels."""

    @abstractmethod
    def deepest_reduction_db(self, n_samples: int, first: int = 0) -> float:
        """Deepest gain reduction of the last block, or from a sample of it on, >= 0 dB."""


def row(*values: float) -> Row:
    """Coefficients in order."""
    return np.array(values, np.float64)
