"""What every processor is to the engine."""

from dataclasses import dataclass
from typing import Any, Protocol

from gemischt.core.audio import Audio


@dataclass(frozen=True)
class Place:
    """Where a processor works; none of it changes while it sounds.

    ``latency_samples`` is what the processor declared for its parameters.
    """

    sample_rate_hz: int
    glide_samples: int
    n_channels: int
    max_block: int
    latency_samples: int


class BlockProcessor(Protocol):
    """Works on one or two channels in place; the result does not depend on how blocks are cut."""

    def __init__(self, place: Place) -> None: ...

    @staticmethod
    def latency_of(params: Any, sample_rate_hz: int) -> int:
        """Samples the output lags, also while bypassed."""
        ...

    @staticmethod
    def tail_of(params: Any, sample_rate_hz: int) -> int:
        """Samples until what was put in has died away."""
        ...

    def set(self, params: Any, *, on: bool, glide: bool) -> None:
        """Aim at new parameters; off glides to the (delayed) input."""
        ...

    def process(self, audio: Audio, detector: Audio, n_samples: int) -> None:
        """Work on the next block; ``detector`` is ``audio`` itself unless a key is connected."""
        ...

    def take_over(self, other: Any) -> None:
        """Continue where another instance of this processor is."""
        ...
