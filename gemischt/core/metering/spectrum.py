"""Spectrum of what sounded last, for display."""

import numpy as np

from gemischt.core.audio import Audio

N_BINS = 96
WINDOW_SAMPLES = 4096
LOWEST_HZ = 20.0
HIGHEST_HZ = 20000.0
FLOOR_DB = -120.0


class SpectrumMeter:
    """Levels in bins of equal ratio from 20 Hz to 20 kHz, a sine of 0 dBFS reading about 0.

    State: ``_line`` (WINDOW_SAMPLES,) the latest samples, all channels averaged.
    """

    def __init__(self, sample_rate_hz: int) -> None:
        self._line = np.zeros(WINDOW_SAMPLES)
        self._window = np.hanning(WINDOW_SAMPLES)
        frequencies = np.fft.rfftfreq(WINDOW_SAMPLES, 1.0 / sample_rate_hz)
        edges = np.geomspace(LOWEST_HZ, HIGHEST_HZ, N_BINS + 1)
        first = np.searchsorted(frequencies, edges[:-1])
        last = np.maximum(np.searchsorted(frequencies, edges[1:]), first + 1)
        top = len(frequencies) - 1
        # Bins narrower than the transform's resolution share the line they lie on.
        self._edges = np.stack([np.minimum(first, top - 1), np.minimum(last, top)], axis=1).ravel()

    def process(self, audio: Audio, n_samples: int) -> None:
        """Take in the next block, (n_channels, >= n_samples)."""
        block = audio[:, :n_samples].mean(axis=0)[-WINDOW_SAMPLES:]
        self._line = np.concatenate([self._line[len(block) :], block])

    def levels_db(self) -> Audio:
        """Level of each bin, (N_BINS,), not below -120."""
        magnitude = np.abs(np.fft.rfft(self._line * self._window)) * (4.0 / WINDOW_SAMPLES)
        # Every other stretch lies between two bins.
        peaks = np.maximum.reduceat(magnitude, self._edges)[::2]
        levels: Audio = np.maximum(20.0 * np.log10(np.maximum(peaks, 1e-12)), FLOOR_DB)
        return levels
