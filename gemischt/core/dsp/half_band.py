"""Twice the rate and back by half-band filters.

Every other tap of a half-band filter is zero but the one in the middle, so that one of the two phases is a delay alone.
The filters are linear-phase Kaiser designs (J. F. Kaiser, 1974). The wider the band that may be lost, the fewer taps:
each doubling of the rate needs fewer than the one before.

They have no memory of their own, so that single precision is enough: what it rounds lies 140 dB under the signal.
"""

from typing import Any

import numpy as np

from gemischt.core.audio import Single
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import inline_kernel
from gemischt.core.dsp.simd import (
    N_SINGLES,
    every_even,
    every_odd,
    load,
    lower_alternating,
    spread,
    store,
    upper_alternating,
)

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
def split_phases(early: Single, late: Single, line: Single, start: int) -> None:
    """The two phases of a line from a place on, in turn a sample of each."""
    both = line[start : start + 2 * early.size]
    whole = early.size - early.size % N_SINGLES
    for i in range(0, whole, N_SINGLES):
        first, second = load(both, 2 * i), load(both, 2 * i + N_SINGLES)
        store(early, i, every_even(first, second))
        store(late, i, every_odd(first, second))
    for i in range(whole, early.size):
        early[i] = both[2 * i]
        late[i] = both[2 * i + 1]


@inline_kernel
def _add_taps(signal: Single, taps: Single, at: int, first: Any, second: Any, third: Any, fourth: Any) -> Any:
    """Four times sixteen sums of taps[t] * signal[at + i - t], added to what they begin with, in registers."""
    for t in range(taps.size):
        tap, past = spread(taps[t]), at - t
        first = fma(tap, load(signal, past), first)
        second = fma(tap, load(signal, past + 16), second)
        third = fma(tap, load(signal, past + 32), third)
        fourth = fma(tap, load(signal, past + 48), fourth)
    return first, second, third, fourth


@inline_kernel
def _add_taps_once(signal: Single, taps: Single, at: int, sums: Any) -> Any:
    """The same of one value."""
    for t in range(taps.size):
        sums = fma(spread(taps[t]), load(signal, at - t), sums)
    return sums


@inline_kernel
def _add_taps_singly(signal: Single, taps: Single, at: int, total: np.float32) -> np.float32:
    """The same of one sample."""
    for t in range(taps.size):
        total = fma(taps[t], signal[at - t], total)
    return total


@inline_kernel
def _store_joined(out: Single, at: int, early: Any, late: Any) -> None:
    """In turn a sample of each."""
    store(out, at, lower_alternating(early, late))
    store(out, at + N_SINGLES, upper_alternating(early, late))


@inline_kernel
def double_rate(early: Single, late: Single, line: Single, taps: Single, start: int) -> None:
    """Both phases of the doubled signal; ``line[start]`` is the first new sample, taps.size - 1 stand before it.

    The whole is ``taps.size - 1`` samples of the doubled rate late.
    """
    n, none = early.size, spread(_ZERO)
    delayed = line[start - taps.size // 2 + 1 :]
    whole, lanes = n - n % 64, n - n % N_SINGLES
    for i in range(0, whole, 64):
        first, second, third, fourth = _add_taps(line, taps, start + i, none, none, none, none)
        store(early, i, first)
        store(early, i + 16, second)
        store(early, i + 32, third)
        store(early, i + 48, fourth)
    for i in range(whole, lanes, N_SINGLES):
        store(early, i, _add_taps_once(line, taps, start + i, none))
    for i in range(lanes, n):
        early[i] = _add_taps_singly(line, taps, start + i, _ZERO)
    for i in range(n):
        late[i] = delayed[i]


@inline_kernel
def double_rate_joined(out: Single, line: Single, taps: Single, start: int) -> None:
    """The doubled signal in order, as many samples as ``out`` has; otherwise as ``double_rate``."""
    n, none = out.size // 2, spread(_ZERO)
    delayed = line[start - taps.size // 2 + 1 :]
    whole, lanes = n - n % 64, n - n % N_SINGLES
    for i in range(0, whole, 64):
        first, second, third, fourth = _add_taps(line, taps, start + i, none, none, none, none)
        _store_joined(out, 2 * i, first, load(delayed, i))
        _store_joined(out, 2 * i + 32, second, load(delayed, i + 16))
        _store_joined(out, 2 * i + 64, third, load(delayed, i + 32))
        _store_joined(out, 2 * i + 96, fourth, load(delayed, i + 48))
    for i in range(whole, lanes, N_SINGLES):
        _store_joined(out, 2 * i, _add_taps_once(line, taps, start + i, none), load(delayed, i))
    for i in range(lanes, n):
        out[2 * i] = _add_taps_singly(line, taps, start + i, _ZERO)
        out[2 * i + 1] = delayed[i]


@inline_kernel
def halve_rate(out: Single, early: Single, late: Single, taps: Single, start: int) -> None:
    """The doubled signal back from its phases, again ``taps.size - 1`` samples of the doubled rate late."""
    n, half = out.size, spread(_HALF)
    delayed = late[start - taps.size // 2 :]
    whole, lanes = n - n % 64, n - n % N_SINGLES
    for i in range(0, whole, 64):
        first, second = load(delayed, i), load(delayed, i + 16)
        third, fourth = load(delayed, i + 32), load(delayed, i + 48)
        first, second, third, fourth = _add_taps(early, taps, start + i, first, second, third, fourth)
        store(out, i, half * first)
        store(out, i + 16, half * second)
        store(out, i + 32, half * third)
        store(out, i + 48, half * fourth)
    for i in range(whole, lanes, N_SINGLES):
        store(out, i, half * _add_taps_once(early, taps, start + i, load(delayed, i)))
    for i in range(lanes, n):
        out[i] = _HALF * _add_taps_singly(early, taps, start + i, delayed[i])
