"""Where rendered audio and measurements are kept between measurings, by fingerprint."""

from abc import ABC, abstractmethod
from typing import Any

import numpy as np

from gemischt.core.audio import MediaSamples, Single


class AudioWriter(ABC):
    """Takes the blocks of one rendered signal in order."""

    samples: MediaSamples
    """The whole signal, (n_samples, n_channels): what was written so far, then zeros."""

    @abstractmethod
    def write(self, block: Single) -> None:
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
    def writer(self, fingerprint: str, n_samples: int, n_channels: int) -> AudioWriter:
        """Begin to keep a signal of this shape."""

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

    def writer(self, fingerprint: str, n_samples: int, n_channels: int) -> AudioWriter:
        return _MemoryWriter(self._audio, fingerprint, n_samples, n_channels)

    def figures(self, fingerprint: str) -> dict[str, Any] | None:
        return self._figures.get(fingerprint)

    def keep_figures(self, fingerprint: str, figures: dict[str, Any]) -> None:
        self._figures[fingerprint] = figures


class _MemoryWriter(AudioWriter):
    def __init__(self, kept: dict[str, MediaSamples], fingerprint: str, n_samples: int, n_channels: int) -> None:
        self._kept = kept
        self._fingerprint = fingerprint
        self._samples = np.zeros((n_samples, n_channels), np.float32)
        self._written = 0
        self.samples = self._samples.view()
        self.samples.setflags(write=False)

    def write(self, block: Single) -> None:
        self._samples[self._written : self._written + len(block)] = block
        self._written += len(block)

    def finish(self) -> None:
        self._kept[self._fingerprint] = self.samples

    def discard(self) -> None:
        """Nothing is kept before ``finish``."""
