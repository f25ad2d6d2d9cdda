"""How strips are measured: one after the other here; others may do it side by side."""

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager, nullcontext
from typing import TypeVar

from gemischt.core.audio import MediaSamples

T = TypeVar("T")
Step = Callable[[], None]


class Growing(ABC):
    """A signal that fills from the front, and may be played before it is whole."""

    def __init__(self, samples: MediaSamples) -> None:
        self.samples = samples

    @abstractmethod
    def advance(self, n_samples: int) -> None:
        """So many more samples are there."""

    @abstractmethod
    def fail(self) -> None:
        """No more will come."""

    @abstractmethod
    def wait_for(self, n_samples: int) -> None:
        """Wait until the first ``n_samples`` are there, or all there are."""


class Team(ABC):
    """Who does the work on strips."""

    @abstractmethod
    def measure(self, sources: Mapping[str, set[str]], work: Callable[[str], T]) -> dict[str, T]:
        """What the work gives for each strip.

        Args:
            sources: what each strip hears, in an order in which each comes after those.
        """

    @abstractmethod
    def begun(self, strip_id: str) -> None:
        """What a strip plays is growing: others may follow it from now on."""

    @abstractmethod
    def growing(self, samples: MediaSamples) -> Growing:
        """A signal that is about to be rendered."""

    @abstractmethod
    def behind(self) -> AbstractContextManager[Callable[[Step], None]]:
        """A way to have steps done in order behind what goes on; leaving it waits for the last."""


class _Whole(Growing):
    """Nobody plays it before it is whole."""

    def advance(self, n_samples: int) -> None:
        pass

    def fail(self) -> None:
        pass

    def wait_for(self, n_samples: int) -> None:
        pass


class OneAfterTheOther(Team):
    """One strip at a time, each step at once."""

    def measure(self, sources: Mapping[str, set[str]], work: Callable[[str], T]) -> dict[str, T]:
        return {strip_id: work(strip_id) for strip_id in sources}

    def begun(self, strip_id: str) -> None:
        pass

    def growing(self, samples: MediaSamples) -> Growing:
        return _Whole(samples)

    def behind(self) -> AbstractContextManager[Callable[[Step], None]]:
        return nullcontext(lambda step: step())
