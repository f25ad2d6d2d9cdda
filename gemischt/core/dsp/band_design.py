"""Equaliser bands designed for many moments at once; the filters are those of ``biquad``."""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.dsp import biquad
from gemischt.core.dsp.jit import CUBE, FLOAT, inline_kernel, kernel

SHAPE, ON, FREQUENCY_HZ, GAIN_DB, Q, SLOPE_DB_PER_OCTAVE = range(6)
"""Columns of a band."""
N_COLUMNS = 6
BELL, LOW_SHELF, HIGH_SHELF, LOW_CUT, HIGH_CUT, NOTCH = range(6)
SECTIONS_PER_BAND = 2
BUTTERWORTH_Q = 0.7071067811865476
_GENTLE_Q, _RESONANT_Q = biquad.butterworth_qs(4)
_high_pass, _low_pass, _notch = biquad.high_pass, biquad.low_pass, biquad.notch
_bell, _low_shelf, _high_shelf = biquad.bell, biquad.low_shelf, biquad.high_shelf


@kernel(CUBE, FLOAT, CUBE)
def design_bands(bands: NDArray[np.float64], sample_rate_hz: float, sections: NDArray[np.float64]) -> None:
    """Each band as one or two sections; what a band does not need is the identity.

    A cut of 24 dB/oct is a fourth-order Butterworth; Q scales the resonance of its last section.

    Args:
        bands: (n_moments, n_bands, N_COLUMNS).
        sections: (n_moments, at least n_bands * SECTIONS_PER_BAND, 5) is written.
    """
    sections[:, :, 0] = 1.0
    sections[:, :, 1:] = 0.0
    for moment in range(bands.shape[0]):
        for place in range(bands.shape[1]):
            band, found = bands[moment, place], sections[moment, SECTIONS_PER_BAND * place :]
            shape, frequency_hz, q = int(band[SHAPE]), band[FREQUENCY_HZ], band[Q]
            if band[ON] == 0.0 or (shape <= HIGH_SHELF and band[GAIN_DB] == 0.0):
                continue
            if shape == BELL:
                _put(found[0], _bell(frequency_hz, band[GAIN_DB], q, sample_rate_hz))
            elif shape == LOW_SHELF:
                _put(found[0], _low_shelf(frequency_hz, band[GAIN_DB], q, sample_rate_hz))
            elif shape == HIGH_SHELF:
                _put(found[0], _high_shelf(frequency_hz, band[GAIN_DB], q, sample_rate_hz))
            elif shape == NOTCH:
                _put(found[0], _notch(frequency_hz, q, sample_rate_hz))
            elif band[SLOPE_DB_PER_OCTAVE] == 12.0:
                _put(found[0], _cut(shape, frequency_hz, q, sample_rate_hz))
            else:
                _put(found[0], _cut(shape, frequency_hz, _GENTLE_Q, sample_rate_hz))
                _put(found[1], _cut(shape, frequency_hz, _RESONANT_Q * q / BUTTERWORTH_Q, sample_rate_hz))


@inline_kernel
def _cut(shape: int, frequency_hz: float, q: float, sample_rate_hz: float) -> biquad.Section:
    if shape == LOW_CUT:
        return _high_pass(frequency_hz, q, sample_rate_hz)
    return _low_pass(frequency_hz, q, sample_rate_hz)


@inline_kernel
def _put(row: NDArray[np.float64], section: biquad.Section) -> None:
    for k in range(5):
        row[k] = section[k]
