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

_HALF, _ZERO = np.float32(0.5), np.float32(0.0)


def design_half_band(n_taps: int, stop_db: float) -> Single:
    """The taps beside the middle, (n_taps,), n_taps even: the fractional phase of doubling, gain 1 at 0 Hz."""
    offsets = 2.0 * np.arange(n_taps) - (n_taps - 1)
    window = np.kaiser(2 * n_taps - 1, 0.1102 * (stop_db - 8.7))[::2]
    shape = np.sinc(offsets / 2.0) * window
    taps: Single = (shape / shape.sum()).astype(np.float32)
    return taps


@inline_kernel
def add_filtered(out: Single, signal: Single, taps: Single, start: int) -> None:
    """out[i] += sum of taps[t] * signal[start + i - t], ten taps a pass so that sums stay in registers."""
    n = out.size
    for t in range(0, taps.size, 10):
        w0, w1, w2, w3, w4 = taps[t], taps[t + 1], taps[t + 2], taps[t + 3], taps[t + 4]
        w5, w6, w7, w8, w9 = taps[t + 5], taps[t + 6], taps[t + 7], taps[t + 8], taps[t + 9]
        past = signal[start - t - 9 : start - t + n]
        for i in range(n):
            total = fma(w1, past[i + 8], fma(w0, past[i + 9], out[i]))
            total = fma(w3, past[i + 6], fma(w2, past[i + 7], total))
            total = fma(w5, past[i + 4], fma(w4, past[i + 5], total))
            total = fma(w7, past[i + 2], fma(w6, past[i + 3], total))
            out[i] = fma(w9, past[i], fma(w8, past[i + 1], total))


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
