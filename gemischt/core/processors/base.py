"""What every processor is to the engine."""

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Row
from gemischt.core.dsp.table import Call

State: TypeAlias = tuple[NDArray[Any], ...]


@dataclass(frozen=True)
class Place:
    """Where a processor works; none of it changes while it sounds.

    ``latency_samples`` and ``room_samples`` are what the processor declared for its parameters.
    """

    sample_rate_hz: int
    glide_samples: int
    n_channels: int
    max_block: int
    latency_samples: int = 0
    room_samples: int = 0


class BlockProcessor(ABC):
    """Works on every block of its audio in place; the result does not depend on how blocks are cut.

    ``calls`` are the kernels that do it, ``controls`` what their coefficients come from, and ``state`` what lasts from
    block to block, in groups of arrays that belong together.
    """

    calls: Sequence[Call]
    controls: Sequence[Control]
    state: Sequence[State] = ()

    @abstractmethod
    def __init__(self, place: Place, audio: Audio, detector: Audio) -> None:
        """``audio`` and ``detector``, (n_channels, max_block), are where blocks will be found; the detector is
        ``audio`` itself unless a key is connected."""

    @staticmethod
    def latency_of(params: Any, sample_rate_hz: int) -> int:
        """Samples the output lags, also while bypassed."""
        return 0

    @staticmethod
    def tail_of(params: Any, sample_rate_hz: int) -> int:
        """Samples until what was put in has died away."""
        return 0

    @staticmethod
    def room_of(params: Any, sample_rate_hz: int) -> int:
        """Samples of memory that these parameters need, if that depends on them."""
        return 0

    @abstractmethod
    def coefs_of(self, params: Any, *, on: bool) -> tuple[Row, ...]:
        """Coefficients of each control; off means the (delayed) input."""

    def take_over(self, other: Any) -> None:
        """Continue where another instance of this processor is; its controls are taken over for themselves."""
        copy_alike(self.state, other.state)


def copy_alike(state: Sequence[State], other: Sequence[State]) -> None:
    """Copy each group whose arrays all have kept their shape: a ring and the place in it belong together."""
    for group, group_before in zip(state, other, strict=True):
        if [own.shape for own in group] == [before.shape for before in group_before]:
            for own, before in zip(group, group_before, strict=True):
                own[...] = before


class ReducesGain(ABC):
    """What compressors and limiters tell of their last block."""

    @abstractmethod
    def deepest_reduction_db(self, n_samples: int, first: int = 0) -> float:
        """Deepest gain reduction of the last block, or from a sample of it on, >= 0 dB."""


def row(*values: float) -> Row:
    """Coefficients in order."""
    return np.array(values, np.float64)
