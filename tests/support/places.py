"""A processor on its own, outside a plan."""

from typing import Any

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.dsp.table import run_table, table_of
from gemischt.core.processors.base import BlockProcessor, Place
from tests.support.signals import RATE_HZ


def place(*, rate_hz: int = RATE_HZ, n_channels: int = 2, max_block: int = 96000, latency_samples: int = 0) -> Place:
    """A place to work, settings gliding over 20 ms."""
    return Place(
        sample_rate_hz=rate_hz,
        glide_samples=960,
        n_channels=n_channels,
        max_block=max_block,
        latency_samples=latency_samples,
    )


class Alone:
    """A processor with buffers of its own; it works in ``audio``."""

    def __init__(self, kind: type[BlockProcessor], where: Place, *, n_detected: int | None = None) -> None:
        self.audio = np.zeros((where.n_channels, where.max_block))
        keyed = n_detected is not None
        self._detector = np.zeros((n_detected or 0, where.max_block)) if keyed else self.audio
        self.processor: Any = kind(where, self.audio, self._detector)
        self._table = table_of(self.processor.calls)

    def set(self, params: Any, *, on: bool = True, glide: bool = False) -> None:
        for control, coefs in zip(self.processor.controls, self.processor.coefs_of(params, on=on), strict=True):
            control.aim([(0, coefs)], glide=glide)

    def process(self, audio: Audio, detector: Audio, n_samples: int) -> None:
        """Work on ``audio`` in place; ``detector`` counts if there is a key."""
        self.audio[:, :n_samples] = audio[:, :n_samples]
        if self._detector is not self.audio:
            self._detector[:, :n_samples] = detector[:, :n_samples]
        self.run(n_samples)
        audio[:, :n_samples] = self.audio[:, :n_samples]

    def run(self, n_samples: int) -> None:
        """Work on what is in ``audio``."""
        for control in self.processor.controls:
            if control.moves:
                control.fill(0, n_samples)
        assert run_table(self._table, 0, len(self._table), n_samples, 0) == -1
