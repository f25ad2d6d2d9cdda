"""Everything about a stretch of audio at once."""

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.metering.stage_meter import StageMeter
from gemischt.core.space.layout import STEREO, Layout

BLOCK_SAMPLES = 8192


@dataclass(frozen=True)
class Summary:
    """Levels are ``-inf`` for silence; a range or correlation that does not exist is None.

    ``rms_dbfs`` is the plain RMS of the louder channel.
    """

    sample_rate_hz: int
    channels: int
    duration_s: float
    sample_peak_dbfs: float
    true_peak_dbtp: float
    rms_dbfs: float
    integrated_lufs: float
    max_momentary_lufs: float
    max_short_term_lufs: float
    loudness_range_lu: float | None
    correlation: float | None


class Summarizer:
    """Measures consecutive blocks of any size, (n_channels, n)."""

    def __init__(self, sample_rate_hz: int, layout: Layout) -> None:
        self._sample_rate_hz, self._layout = sample_rate_hz, layout
        self._meter = StageMeter(sample_rate_hz, layout)
        self._squares = np.zeros(2)
        self._product = 0.0
        self._n_samples = 0

    def process(self, block: Audio) -> None:
        """Take in the next block."""
        for start in range(0, block.shape[1], BLOCK_SAMPLES):
            part = np.ascontiguousarray(block[:, start : start + BLOCK_SAMPLES])
            self._meter.process(part, part.shape[1])
            if self._layout == STEREO:
                self._squares += np.einsum("ij,ij->i", part, part)
                self._product += float(part[0] @ part[1])
            self._n_samples += part.shape[1]

    def summary(self) -> Summary:
        """All that has come so far."""
        levels = self._meter.levels()
        both = math.sqrt(float(self._squares[0]) * float(self._squares[1]))
        return Summary(
            sample_rate_hz=self._sample_rate_hz,
            channels=self._layout.n_channels,
            duration_s=self._n_samples / self._sample_rate_hz,
            sample_peak_dbfs=levels.sample_peak_dbfs,
            true_peak_dbtp=self._meter.final_true_peak_dbtp(),
            rms_dbfs=levels.rms_dbfs,
            integrated_lufs=levels.integrated_lufs,
            max_momentary_lufs=levels.max_momentary_lufs,
            max_short_term_lufs=levels.max_short_term_lufs,
            loudness_range_lu=levels.loudness_range_lu,
            correlation=self._product / both if both > 0.0 else None,
        )


def summarize(blocks: Iterable[Audio], *, sample_rate_hz: int, layout: Layout) -> Summary:
    """Measure consecutive blocks of any size, (n_channels, n)."""
    summarizer = Summarizer(sample_rate_hz, layout)
    for block in blocks:
        summarizer.process(block)
    return summarizer.summary()
