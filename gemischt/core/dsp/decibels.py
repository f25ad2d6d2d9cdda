"""Decibels from amplitudes and back, as polynomials that compilers turn into vector code.

The polynomials are Chebyshev fits, made here when the module loads: log2 on [1, 2) to 3e-7 dB and 2^x on [0, 1)
to 1e-8 dB, far inside what any meter shows.
"""

import numpy as np
from numpy.polynomial import Chebyshev

from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import inline_kernel

_LOG2 = Chebyshev.interpolate(np.log2, 10, domain=[1.0, 2.0]).convert(kind=np.polynomial.Polynomial).coef
_EXP2 = Chebyshev.interpolate(np.exp2, 7, domain=[0.0, 1.0]).convert(kind=np.polynomial.Polynomial).coef
L0, L1, L2, L3, L4, L5, L6, L7, L8, L9, L10 = (float(c) for c in _LOG2)
_EXP2[0] = 1.0  # 0 dB is exactly unity, so that paths null
E0, E1, E2, E3, E4, E5, E6, E7 = (float(c) for c in _EXP2)

DB_PER_OCTAVE = float(20.0 * np.log10(2.0))
FLOOR = 1e-10
"""Amplitudes below this (-200 dB) count as this, so that silence has a finite level."""
_MANTISSA = np.int64(0x000FFFFFFFFFFFFF)
_ONE = np.int64(0x3FF0000000000000)


@inline_kernel
def amplitude_to_db(amplitude: float) -> float:
    """20 log10 of a non-negative amplitude, at least -200 dB; NaN counts as silence."""
    x = amplitude if amplitude > FLOOR else FLOOR
    bits = np.float64(x).view(np.int64)
    exponent = np.float64((bits >> 52) - 1023)
    m = np.int64((bits & _MANTISSA) | _ONE).view(np.float64)
    p = fma(m, fma(m, fma(m, fma(m, L10, L9), L8), L7), L6)
    p = fma(m, fma(m, fma(m, fma(m, fma(m, fma(m, p, L5), L4), L3), L2), L1), L0)
    return float(DB_PER_OCTAVE * (exponent + p))


@inline_kernel
def db_to_amplitude(level_db: float) -> float:
    """10^(level / 20) for levels within +-6000 dB."""
    octaves = level_db * (1.0 / DB_PER_OCTAVE)
    whole = np.floor(octaves)
    f = octaves - whole
    p = fma(f, fma(f, fma(f, fma(f, fma(f, fma(f, fma(f, E7, E6), E5), E4), E3), E2), E1), E0)
    scale = np.int64((np.int64(whole) + 1023) << 52).view(np.float64)
    return float(p * scale)


TRACE = 1e-30
"""Far under anything audible or storable."""


@inline_kernel
def flushed(value: float) -> float:
    """The value, or zero if it is no more than a trace."""
    return value if abs(value) > TRACE else 0.0
