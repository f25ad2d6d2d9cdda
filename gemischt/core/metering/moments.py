"""Spectra of a signal around moments that follow each other at equal distances.

In single precision, whose rounding lies 130 dB under the loudest line.
"""

from collections.abc import Iterator

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from gemischt.core.audio import Audio

_MOMENTS_AT_ONCE = 16
"""Few enough for the cache."""


def spectra_at_moments(audio: Audio, step_samples: int, window: NDArray[np.float64]) -> Iterator[NDArray[np.complex64]]:
    """Of each whole step of a signal (n_channels, n), the window centred on its beginning, silence before the first
    sample and after the last: some at a time, (n_moments, n_channels, n_lines)."""
    n_moments = audio.shape[1] // step_samples
    beside = len(window) // 2
    padded = np.pad(audio.astype(np.float32), ((0, 0), (beside, beside)))
    parts = sliding_window_view(padded, len(window), axis=1)[:, : n_moments * step_samples : step_samples]
    shape = window.astype(np.float32)
    for first in range(0, n_moments, _MOMENTS_AT_ONCE):
        together = parts[:, first : first + _MOMENTS_AT_ONCE].swapaxes(0, 1) * shape
        yield np.fft.rfft(together, axis=-1).astype(np.complex64, copy=False)


def squares_of(spectra: NDArray[np.complex64]) -> NDArray[np.float32]:
    """Squared magnitudes."""
    squares: NDArray[np.float32] = spectra.real**2 + spectra.imag**2
    return squares
