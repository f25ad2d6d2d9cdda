"""Signals read in grains of about a millisecond, and drawn in bins."""

from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio

GRAINS_PER_BLOCK = 256
MOST_BINS = 1200


@dataclass
class Grains:
    """Peaks, lowest gains, highest levels, and how open a duck is at least, grain by grain."""

    grain: int
    trigger: list[NDArray[np.float64]] = field(default_factory=list)
    before: list[NDArray[np.float64]] = field(default_factory=list)
    after: list[NDArray[np.float64]] = field(default_factory=list)
    gain_db: list[NDArray[np.float64]] = field(default_factory=list)
    levels_db: list[NDArray[np.float64]] = field(default_factory=list)
    open: list[NDArray[np.float64]] = field(default_factory=list)

    def gather(self, blocks: Iterable[int]) -> None:
        """Run through the blocks of a stretch; all heard before its first block was only run-up."""
        for index, _ in enumerate(blocks):
            if index == 0:
                for parts in (self.trigger, self.before, self.after, self.gain_db, self.levels_db, self.open):
                    del parts[:-1]

    def peaks(self, audio: Audio, n_samples: int) -> NDArray[np.float64]:
        """Highest magnitude of any channel in each grain."""
        magnitudes = np.abs(audio[:, :n_samples]).max(axis=0)
        return np.asarray(np.maximum.reduceat(magnitudes, np.arange(0, n_samples, self.grain)))

    def lowest(self, values: NDArray[np.float64], n_samples: int) -> NDArray[np.float64]:
        """In each grain."""
        return np.asarray(np.minimum.reduceat(values[:n_samples], np.arange(0, n_samples, self.grain)))


def joined(parts: list[NDArray[np.float64]], n_grains: int) -> NDArray[np.float64]:
    """Parts one after another, no more than so many grains."""
    return np.concatenate(parts)[:n_grains] if parts else np.zeros(0)


def binned(values: NDArray[np.float64], extreme: np.ufunc, most: int = MOST_BINS) -> NDArray[np.float64]:
    """The extreme of each bin, no more bins than that."""
    if len(values) <= most:
        return values
    edges = (np.arange(most) * len(values)) // most
    return np.asarray(extreme.reduceat(values, edges))


def written(values: NDArray[np.float64], places: int) -> tuple[float, ...]:
    """Rounded."""
    return tuple(round(float(value), places) for value in values)
