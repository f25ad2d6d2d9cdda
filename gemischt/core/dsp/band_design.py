"""Equaliser bands designed for many moments at once; the filters are those of ``biquad``, or follow their analogue
prototypes up to half the sampling rate.

Reference: M. Vicanek, "Matched second order digital filters", 2016 (from memory): poles by impulse invariance, zeros so
that the magnitude is the prototype's at 0 Hz and at the band's frequency, and either that is a peak there or the
magnitude is right at half the sampling rate, too.
"""

import math

import numpy as np
from numpy.typing import NDArray

from gemischt.core.dsp import biquad
from gemischt.core.dsp.jit import CUBE, FLOAT, INT, inline_kernel, kernel

SHAPE, ON, FREQUENCY_HZ, GAIN_DB, Q, SLOPE_DB_PER_OCTAVE, MATCHED = range(7)
"""Columns of a band."""
N_COLUMNS = 7
BELL, LOW_SHELF, HIGH_SHELF, TILT, LOW_CUT, HIGH_CUT, NOTCH, BAND_PASS = range(8)
DB_PER_ORDER = 6
MOST_ORDER = 8
BUTTERWORTH_Q = 0.7071067811865476
_QS = np.zeros((MOST_ORDER + 1, MOST_ORDER // 2))
for _order in range(2, MOST_ORDER + 1):
    _QS[_order, : _order // 2] = biquad.butterworth_qs(_order)
_first_low, _first_high = biquad.first_order_low_pass, biquad.first_order_high_pass
_high_pass, _low_pass, _notch, _band_pass = biquad.high_pass, biquad.low_pass, biquad.notch, biquad.band_pass
_bell, _low_shelf, _high_shelf, _tilt = biquad.bell, biquad.low_shelf, biquad.high_shelf, biquad.tilt


@kernel(CUBE, FLOAT, INT, CUBE)
def design_bands(
    bands: NDArray[np.float64], sample_rate_hz: float, sections_per_band: int, sections: NDArray[np.float64]
) -> None:
    """Each band as sections; what a band does not need is the identity.

    A cut of 6 dB/oct an order is a Butterworth filter; Q scales the resonance of its last section.

    Args:
        bands: (n_moments, n_bands, N_COLUMNS).
        sections: (n_moments, at least n_bands * sections_per_band, 5) is written.
    """
    for moment in range(bands.shape[0]):
        for section in range(sections.shape[1]):
            for k in range(5):
                sections[moment, section, k] = 1.0 if k == 0 else 0.0
        for place in range(bands.shape[1]):
            band, found = bands[moment, place], sections[moment, sections_per_band * place :]
            shape, frequency_hz, q = int(band[SHAPE]), band[FREQUENCY_HZ], band[Q]
            if band[ON] == 0.0 or (shape <= TILT and band[GAIN_DB] == 0.0):
                continue
            if shape in (LOW_CUT, HIGH_CUT):
                order = int(band[SLOPE_DB_PER_OCTAVE]) // DB_PER_ORDER
                n_pairs = order // 2
                # Who has no room for so steep a cut gets the part of it that fits.
                for k in range(min(n_pairs, sections_per_band)):
                    own_q = _QS[order, k] * (q / BUTTERWORTH_Q if k == n_pairs - 1 else 1.0)
                    _put(found[k], _cut(shape, frequency_hz, own_q, sample_rate_hz, band[MATCHED] != 0.0))
                if order % 2 == 1 and n_pairs < sections_per_band:
                    _put(found[n_pairs], _first_order_cut(shape, frequency_hz, sample_rate_hz))
            elif shape == TILT:
                _put(found[0], _tilt(frequency_hz, band[GAIN_DB], sample_rate_hz))
            elif band[MATCHED] != 0.0:
                _put(found[0], _matched(shape, frequency_hz, band[GAIN_DB], q, sample_rate_hz))
            elif shape == BELL:
                _put(found[0], _bell(frequency_hz, band[GAIN_DB], q, sample_rate_hz))
            elif shape == LOW_SHELF:
                _put(found[0], _low_shelf(frequency_hz, band[GAIN_DB], q, sample_rate_hz))
            elif shape == HIGH_SHELF:
                _put(found[0], _high_shelf(frequency_hz, band[GAIN_DB], q, sample_rate_hz))
            elif shape == NOTCH:
                _put(found[0], _notch(frequency_hz, q, sample_rate_hz))
            else:
                _put(found[0], _band_pass(frequency_hz, q, sample_rate_hz))


@inline_kernel
def _first_order_cut(shape: int, frequency_hz: float, sample_rate_hz: float) -> biquad.Section:
    if shape == LOW_CUT:
        return _first_high(frequency_hz, sample_rate_hz)
    return _first_low(frequency_hz, sample_rate_hz)


@inline_kernel
def _cut(shape: int, frequency_hz: float, q: float, sample_rate_hz: float, matched: bool) -> biquad.Section:
    if matched:
        return _matched(shape, frequency_hz, 0.0, q, sample_rate_hz)
    if shape == LOW_CUT:
        return _high_pass(frequency_hz, q, sample_rate_hz)
    return _low_pass(frequency_hz, q, sample_rate_hz)


@inline_kernel
def _prototype(shape: int, gain_db: float, q: float) -> tuple[float, float, float, float, float, float]:
    """The cookbook's analogue prototype with its corner at 1: numerator and denominator by falling powers of s."""
    a = 10.0 ** (gain_db / 40.0)
    root = math.sqrt(a) / q
    if shape == BELL:
        return 1.0, a / q, 1.0, 1.0, 1.0 / (a * q), 1.0
    if shape == LOW_SHELF:
        return a, a * root, a * a, a, root, 1.0
    if shape == HIGH_SHELF:
        return a * a, a * root, a, 1.0, root, a
    if shape == LOW_CUT:
        return 1.0, 0.0, 0.0, 1.0, 1.0 / q, 1.0
    if shape == HIGH_CUT:
        return 0.0, 0.0, 1.0, 1.0, 1.0 / q, 1.0
    if shape == NOTCH:
        return 1.0, 0.0, 1.0, 1.0, 1.0 / q, 1.0
    return 0.0, 1.0 / q, 0.0, 1.0, 1.0 / q, 1.0


@inline_kernel
def _power(n2: float, n1: float, n0: float, w: float) -> float:
    """Squared magnitude of a polynomial in s at j w."""
    return (n0 - n2 * w * w) ** 2 + (n1 * w) ** 2


@inline_kernel
def _matched(shape: int, frequency_hz: float, gain_db: float, q: float, sample_rate_hz: float) -> biquad.Section:
    if shape == NOTCH:
        # Its zeros are where they are wanted; only what is beside them could follow.
        return _notch(frequency_hz, q, sample_rate_hz)
    w0 = 2.0 * math.pi * min(frequency_hz, 0.49 * sample_rate_hz) / sample_rate_hz
    # Of what raises and what lowers, inverses of each other, the one whose poles are the lower is designed.
    turned = (shape == HIGH_SHELF and gain_db > 0.0) or (shape in (BELL, LOW_SHELF) and gain_db < 0.0)
    b0, b1, b2, a1, a2 = _matched_upright(shape, w0, -gain_db if turned else gain_db, q)
    if turned:
        return 1.0 / b0, a1 / b0, a2 / b0, b1 / b0, b2 / b0
    return b0, b1, b2, a1, a2


@inline_kernel
def _matched_upright(shape: int, w0: float, gain_db: float, q: float) -> biquad.Section:
    n2, n1, n0, d2, d1, d0 = _prototype(shape, gain_db, q)
    corner, damping = w0 * math.sqrt(d0 / d2), 0.5 * d1 / math.sqrt(d0 * d2)
    decay = math.exp(-damping * corner)
    if damping <= 1.0:
        a1 = -2.0 * decay * math.cos(corner * math.sqrt(1.0 - damping * damping))
    else:
        a1 = -2.0 * decay * math.cosh(corner * math.sqrt(damping * damping - 1.0))
    a2 = decay * decay
    # Squared magnitudes of both polynomials: at 0 Hz, at the top, and what is between.
    down_0, down_top, down_between = (1.0 + a1 + a2) ** 2, (1.0 - a1 + a2) ** 2, -4.0 * a2
    high = math.sin(0.5 * w0) ** 2
    low = 1.0 - high
    both = 4.0 * low * high
    here = _power(n2, n1, n0, 1.0) / _power(d2, d1, d0, 1.0)
    up_here = here * (down_0 * low + down_top * high + down_between * both)
    up_0 = n0 * n0 / (d0 * d0) * down_0
    if shape == LOW_CUT:
        # Both zeros at 0 Hz, as the prototype's; the gain is right at the corner.
        b = math.sqrt(up_here) / (4.0 * high)
        return b, -2.0 * b, b, a1, a2
    if shape in (BELL, BAND_PASS):
        # The peak is where the band is.
        slope = here * (down_top - down_0 + 4.0 * (low - high) * down_between)
        up_between = (up_here - slope * high - up_0) / (4.0 * high * high)
        up_top = slope + up_0 + 4.0 * (high - low) * up_between
    else:
        top = math.pi / w0
        up_top = _power(n2, n1, n0, top) / _power(d2, d1, d0, top) * down_top
        up_between = (up_here - up_0 * low - up_top * high) / both
    root_0, root_top = math.sqrt(max(0.0, up_0)), math.sqrt(max(0.0, up_top))
    middle = 0.5 * (root_0 + root_top)
    b0 = 0.5 * (middle + math.sqrt(max(0.0, middle * middle + up_between)))
    return b0, 0.5 * (root_0 - root_top), -0.25 * up_between / b0, a1, a2


@inline_kernel
def _put(row: NDArray[np.float64], section: biquad.Section) -> None:
    for k in range(5):
        row[k] = section[k]
