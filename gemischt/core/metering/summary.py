"""Everything about a stretch of audio at once."""

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.metering.loudness import LoudnessMeter
from gemischt.core.metering.true_peak import TruePeakMeter
from gemischt.core.units import SILENCE_DB, gain_to_db, power_to_db

BLOCK_SAMPLES = 8192


@dataclass(frozen=True)
class Summary:
    """Levels are ``-inf`` for silence; a range or correlation that does not exist is None.

    ``rms_dbfs`` is the plain RMS of the louder channel. Loudness takes one or two channels: more give ``-inf``.
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


def summarize(blocks: Iterable[Audio], *, sample_rate_hz: int, n_channels: int) -> Summary:
    """Measure consecutive blocks of any size, (n_channels, n)."""
    loudness = LoudnessMeter(sample_rate_hz, n_channels) if n_channels <= 2 else None
    true_peak = TruePeakMeter(n_channels, max_block=BLOCK_SAMPLES)
    sample_peak = 0.0
    squares = np.zeros(n_channels)
    product = 0.0
    n_samples = 0
    for block in blocks:
        for start in range(0, block.shape[1], BLOCK_SAMPLES):
            part = np.ascontiguousarray(block[:, start : start + BLOCK_SAMPLES])
            n_part = part.shape[1]
            if loudness is not None:
                loudness.process(part, n_part)
            true_peak.process(part, n_part)
            sample_peak = max(sample_peak, float(np.abs(part).max()))
            squares += np.einsum("ij,ij->i", part, part)
            if n_channels == 2:
                product += float(part[0] @ part[1])
            n_samples += n_part
    # The interpolator looks ahead: a peak at the very end shows once silence follows.
    true_peak.process(np.zeros((n_channels, 12)), 12)
    power = float(squares.max()) / n_samples if n_samples else 0.0
    both = math.sqrt(float(squares[0]) * float(squares[1])) if n_channels == 2 else 0.0
    return Summary(
        sample_rate_hz=sample_rate_hz,
        channels=n_channels,
        duration_s=n_samples / sample_rate_hz,
        sample_peak_dbfs=gain_to_db(sample_peak),
        true_peak_dbtp=true_peak.max_dbtp,
        rms_dbfs=power_to_db(power),
        integrated_lufs=loudness.integrated_lufs if loudness else SILENCE_DB,
        max_momentary_lufs=loudness.max_momentary_lufs if loudness else SILENCE_DB,
        max_short_term_lufs=loudness.max_short_term_lufs if loudness else SILENCE_DB,
        loudness_range_lu=loudness.loudness_range_lu if loudness else None,
        correlation=product / both if both > 0.0 else None,
    )
