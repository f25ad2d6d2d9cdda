"""Twice the rate and back by half-band filters.

Every other tap of a half-band filter is zero but the one in the middle, so that one of the two phases is a delay alone.
The filters are linear-phase Kaiser designs (J. F. Kaiser, 1974). The wider the band that may be lost, the fewer taps:
each doubling of the rate needs fewer than the one before.

They have no memory of their own, so that single precision is enough: what it rounds lies 140 dB under the signal.
"""

import numpy as np

from gemischt.core.audio import Single
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import inline_kernel
from gemischt.core.dsp.simd import load, spread, store

_HALF, _ZERO = np.float32(0.5), np.float32(0.0)


def design_half_band(n_taps: int, stop_db: float) -> Single:
    """The taps beside the middle, (n_taps,), n_taps even: the fractional phase of doubling, gain 1 at 0 Hz."""
    offsets = 2.0 * np.arange(n_taps) - (n_taps - 1)
    window = np.kaiser(2 * n_taps - 1, _kaiser_beta(stop_db))[::2]
    shape = np.sinc(offsets / 2.0) * window
    taps: Single = (shape / shape.sum()).astype(np.float32)
    return taps


def _kaiser_beta(stop_db: float) -> float:
    """The window's shape for so much attenuation, 21 dB or more (Kaiser 1974)."""
    if stop_db > 50.0:
        return 0.1102 * (stop_db - 8.7)
    return float(0.5842 * (stop_db - 21.0) ** 0.4 + 0.07886 * (stop_db - 21.0))


@inline_kernel
def add_filtered(out: Single, signal: Single, taps: Single, start: int) -> None:
    """out[i] += sum of taps[t] * signal[start + i - t], 64 at a time so that sums stay in registers."""
    whole = out.size - out.size % 64
    for i in range(0, whole, 64):
        first, second, third, fourth = load(out, i), load(out, i + 16), load(out, i + 32), load(out, i + 48)
        for t in range(taps.size):
            tap = spread(taps[t])
            past = start + i - t
            first = fma(tap, load(signal, past), first)
            second = fma(tap, load(signal, past + 16), second)
            third = fma(tap, load(signal, past + 32), third)
            fourth = fma(tap, load(signal, past + 48), fourth)
        store(out, i, first)
        store(out, i + 16, second)
        store(out, i + 32, third)
        store(out, i + 48, fourth)
    for i in range(whole, out.size):
        total = out[i]
        for t in range(taps.size):
            total = fma(taps[t], signal[start + i - t], total)
        out[i] = total


@inline_kernel
def double_rate(early: Single, late: Single, line: Single, taps: Single, start: int) -> None:
    """Both phases of the doubled signal; ``line[start]`` is the first new sample, taps.size - 1 stand before it.

    The whole is ``taps.size - 1`` samples of the doubled rate late.
    """
    delayed = line[start - taps.size // 2 + 1 :]
    for i in range(early.size):
        early[i] = _ZERO
        late[i] = delayed[i]
    add_filtered(early, line, taps, start)


@inline_kernel
def halve_rate(out: Single, early: Single, late: Single, taps: Single, start: int) -> None:
    """The doubled signal back from its phases, again ``taps.size - 1`` samples of the doubled rate late."""
    delayed = late[start - taps.size // 2 :]
    for i in range(out.size):
        out[i] = delayed[i]
    add_filtered(out, early, taps, start)
    for i in range(out.size):
        out[i] *= _HALF
