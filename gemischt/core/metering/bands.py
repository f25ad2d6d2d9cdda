"""How two channels stand to each other, band by band and moment by moment.

Bands lie 1.5 apart on the ERB-rate scale of B. R. Glasberg and B. C. J. Moore, "Derivation of auditory filter shapes
from notched-noise data", Hearing Research 47, 1990 (from memory): 21.4 log10(1 + 0.00437 f).
"""

from collections.abc import Iterator
from functools import cache

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.dsp.biquad import response_db
from gemischt.core.metering.loudness import k_weighting
from gemischt.core.metering.moments import spectra_at_moments, squares_of

MOMENTS_PER_S = 5
_WINDOW_SAMPLES = 4096
_LOWEST_HZ, _HIGHEST_HZ = 40.0, 16000.0
_APART = 1.5
LL, RR, LR = range(3)
"""Left's power, right's, and the real part of what both have in common."""


def hz_to_erb_rate(frequency_hz: float) -> float:
    """The number of a frequency on the ERB-rate scale.

    >>> round(hz_to_erb_rate(1000.0), 2)
    15.62
    """
    return 21.4 * float(np.log10(1.0 + 0.00437 * frequency_hz))


def erb_rate_to_hz(rate: float) -> float:
    """The frequency of a number on the ERB-rate scale."""
    return float((10.0 ** (rate / 21.4) - 1.0) / 0.00437)


def _edges() -> NDArray[np.float64]:
    low, high = hz_to_erb_rate(_LOWEST_HZ), hz_to_erb_rate(_HIGHEST_HZ)
    n_bands = round((high - low) / _APART)
    return np.array([erb_rate_to_hz(rate) for rate in np.linspace(low, high, n_bands + 1)])


EDGES_HZ = _edges()
N_BANDS = len(EDGES_HZ) - 1
CENTRES_HZ: NDArray[np.float64] = np.sqrt(EDGES_HZ[1:] * EDGES_HZ[:-1])


def band_powers(audio: Audio, sample_rate_hz: int) -> NDArray[np.float64]:
    """Of one or two channels (n_channels, n), five times a second: (n_moments, N_BANDS, 3) mean squares as LL, RR, LR.

    One channel is written as two that are equal.
    """
    found = [np.zeros((0, N_BANDS, 3))]
    for spectra in _spectra(audio, sample_rate_hz):
        left, right = spectra[:, 0], spectra[:, -1]
        both = (left.real * right.real + left.imag * right.imag)[:, np.newaxis]
        squares = [squares_of(side)[:, np.newaxis] for side in (left, right)]
        found.append(_in_bands(np.concatenate([*squares, both], axis=1), sample_rate_hz))
    return np.concatenate(found)


def channel_powers(audio: Audio, sample_rate_hz: int) -> NDArray[np.float64]:
    """Mean squares of each of any number of channels, five times a second, (n_moments, N_BANDS, n_channels)."""
    found = [_in_bands(squares_of(spectra), sample_rate_hz) for spectra in _spectra(audio, sample_rate_hz)]
    return np.concatenate([np.zeros((0, N_BANDS, len(audio))), *found])


def _spectra(audio: Audio, sample_rate_hz: int) -> Iterator[NDArray[np.complex64]]:
    return spectra_at_moments(audio, sample_rate_hz // MOMENTS_PER_S, np.hanning(_WINDOW_SAMPLES))


def _in_bands(products: NDArray[np.float32], sample_rate_hz: int) -> NDArray[np.float64]:
    """Products of spectra (n_moments, n, n_lines) summed in bands, as mean squares, (n_moments, N_BANDS, n)."""
    edges, scale = _lines_of(sample_rate_hz)
    summed = np.add.reduceat(products, edges, axis=-1, dtype=np.float64)[..., ::2] * scale
    return summed.swapaxes(1, 2)


@cache
def _lines_of(sample_rate_hz: int) -> tuple[NDArray[np.int64], float]:
    """First and last line of each band in turn, and what makes mean squares of sums."""
    lines = np.searchsorted(np.fft.rfftfreq(_WINDOW_SAMPLES, 1.0 / sample_rate_hz), EDGES_HZ)
    # A band narrower than two lines has the one that is nearest.
    first, last = lines[:-1], np.maximum(lines[1:], lines[:-1] + 1)
    window = np.hanning(_WINDOW_SAMPLES)
    return np.stack([first, last], axis=1).ravel(), 2.0 / (_WINDOW_SAMPLES * float(np.sum(window**2)))


def k_weighted(powers: NDArray[np.float64], sample_rate_hz: int) -> float:
    """The sum of the powers of bands (N_BANDS,), weighted as loudness weighs them at their centres."""
    weights = 10.0 ** (response_db(k_weighting(sample_rate_hz), CENTRES_HZ, sample_rate_hz) / 10.0)
    return float(weights @ powers)


def spread_out(powers: NDArray[np.float64], matrix: NDArray[np.float64]) -> NDArray[np.float64]:
    """Powers of each of any number of channels behind gains (n_out, n_channels) from one or two, (..., n_out)."""
    if powers.shape[-1] == 1:
        powers, matrix = np.repeat(powers, 3, axis=-1), np.pad(matrix, ((0, 0), (0, 1)))
    a, b = matrix.T
    weights = np.stack([a * a, b * b, 2.0 * a * b])
    spread: NDArray[np.float64] = powers @ weights
    return spread


def turned(powers: NDArray[np.float64], matrix: NDArray[np.float64]) -> NDArray[np.float64]:
    """Band powers behind gains (2, n_channels) from one or two channels to two; one channel's are those of its left."""
    if powers.shape[-1] == 1:
        powers = np.repeat(powers, 3, axis=-1)
    if matrix.shape[1] == 1:
        matrix = np.concatenate([matrix, np.zeros((2, 1))], axis=1)
    (a, b), (c, d) = matrix
    left, right, both = powers[..., LL], powers[..., RR], powers[..., LR]
    return np.stack(
        [
            a * a * left + b * b * right + 2.0 * a * b * both,
            c * c * left + d * d * right + 2.0 * c * d * both,
            a * c * left + b * d * right + (a * d + b * c) * both,
        ],
        axis=-1,
    )
