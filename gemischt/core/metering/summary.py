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


def summarize(blocks: Iterable[Audio], *, sample_rate_hz: int, layout: Layout) -> Summary:
    """Measure consecutive blocks of any size, (n_channels, n)."""
    meter = StageMeter(sample_rate_hz, layout)
    squares = np.zeros(2)
    product = 0.0
    n_samples = 0
    for block in blocks:
        for start in range(0, block.shape[1], BLOCK_SAMPLES):
            part = np.ascontiguousarray(block[:, start : start + BLOCK_SAMPLES])
            meter.process(part, part.shape[1])
            if layout == STEREO:
                squares += np.einsum("ij,ij->i", part, part)
                product += float(part[0] @ part[1])
            n_samples += part.shape[1]
    levels = meter.levels()
    both = math.sqrt(float(squares[0]) * float(squares[1]))
    return Summary(
        sample_rate_hz=sample_rate_hz,
        channels=layout.n_channels,
        duration_s=n_samples / sample_rate_hz,
        sample_peak_dbfs=levels.sample_peak_dbfs,
        true_peak_dbtp=meter.final_true_peak_dbtp(),
        rms_dbfs=levels.rms_dbfs,
        integrated_lufs=levels.integrated_lufs,
        max_momentary_lufs=levels.max_momentary_lufs,
        max_short_term_lufs=levels.max_short_term_lufs,
        loudness_range_lu=levels.loudness_range_lu,
        correlation=product / both if both > 0.0 else None,
    )
