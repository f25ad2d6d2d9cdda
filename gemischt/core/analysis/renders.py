"""Where rendered audio and measurements are kept between measurings, by fingerprint."""

from abc import ABC, abstractmethod
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import MediaSamples


class AudioWriter(ABC):
    """Takes the blocks of one rendered signal in order."""

    @abstractmethod
    def write(self, block: NDArray[np.float32]) -> None:
        """The next (n_samples, n_channels)."""

    @abstractmethod
    def finish(self) -> None:
        """The signal is whole; only now it can be found."""

    @abstractmethod
    def discard(self) -> None:
        """Forget what was written; does nothing after ``finish``."""


class RenderStore(ABC):
    """Rendered audio and measured figures. Anything may be gone when asked for again."""

    @abstractmethod
    def audio(self, fingerprint: str) -> MediaSamples | None:
        """A kept signal, (n_samples, n_channels), or None."""

    @abstractmethod
    def writer(self, fingerprint: str, n_channels: int) -> AudioWriter:
        """Begin to keep a signal."""

    @abstractmethod
    def figures(self, fingerprint: str) -> dict[str, Any] | None:
        """Kept figures as JSON holds them, or None."""

    @abstractmethod
    def keep_figures(self, fingerprint: str, figures: dict[str, Any]) -> None:
        """Keep figures."""


class MemoryRenders(RenderStore):
    """Keeps everything in memory, for as long as it lives."""

    def __init__(self) -> None:
        self._audio: dict[str, MediaSamples] = {}
        self._figures: dict[str, dict[str, Any]] = {}

    def audio(self, fingerprint: str) -> MediaSamples | None:
        return self._audio.get(fingerprint)

    def writer(self, fingerprint: str, n_channels: int) -> AudioWriter:
        return _MemoryWriter(self._audio, fingerprint, n_channels)

    def figures(self, fingerprint: str) -> dict[str, Any] | None:
        return self._figures.get(fingerprint)

    def keep_figures(self, fingerprint: str, figures: dict[str, Any]) -> None:
        self._figures[fingerprint] = figures


class _MemoryWriter(AudioWriter):
    def __init__(self, kept: dict[str, MediaSamples], fingerprint: str, n_channels: int) -> None:
        self._kept = kept
        self._fingerprint = fingerprint
        self._blocks: list[NDArray[np.float32]] = [np.zeros((0, n_channels), np.float32)]

    def write(self, block: NDArray[np.float32]) -> None:
        self._blocks.append(block.copy())

    def finish(self) -> None:
        samples = np.concatenate(self._blocks)
        samples.setflags(write=False)
        self._kept[self._fingerprint] = samples

    def discard(self) -> None:
        self._blocks.clear()
