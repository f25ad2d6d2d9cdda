"""Second-order sections: the cookbook's designs and the cascade that runs them.

Reference: R. Bristow-Johnson, Audio EQ Cookbook. Sections are (b0, b1, b2, a1, a2), normalised by a0.
"""

import math
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, COUNTS, CUBE, INT, also_compiled, inline_kernel, kernel
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, rests, step_of
from gemischt.core.dsp.simd import lane as lane_of
from gemischt.core.dsp.simd import load, shifted_in, spread, store, where
from gemischt.core.dsp.table import in_table

Section: TypeAlias = tuple[float, float, float, float, float]

IDENTITY: Section = (1.0, 0.0, 0.0, 0.0, 0.0)
# Below this, state is set to zero at the end of a block: far under any audible or storable level, and it keeps
# decays from reaching the denormal range, which is slow.
_TINY = 1e-30


@also_compiled
def bell(frequency_hz: float, gain_db: float, q: float, sample_rate_hz: float) -> Section:
    """Peaking equaliser: ``gain_db`` at ``frequency_hz``."""
    a = 10.0 ** (gain_db / 40.0)
    cos_w0, alpha = _angle(frequency_hz, q, sample_rate_hz)
    return _normalised(1 + alpha * a, -2 * cos_w0, 1 - alpha * a, 1 + alpha / a, -2 * cos_w0, 1 - alpha / a)


@also_compiled
def low_shelf(frequency_hz: float, gain_db: float, q: float, sample_rate_hz: float) -> Section:
    """Low shelf: half the gain in dB at ``frequency_hz``."""
    a = 10.0 ** (gain_db / 40.0)
    c, alpha = _angle(frequency_hz, q, sample_rate_hz)
    root = 2 * math.sqrt(a) * alpha
    return _normalised(
        a * ((a + 1) - (a - 1) * c + root),
        2 * a * ((a - 1) - (a + 1) * c),
        a * ((a + 1) - (a - 1) * c - root),
        (a + 1) + (a - 1) * c + root,
        -2 * ((a - 1) + (a + 1) * c),
        (a + 1) + (a - 1) * c - root,
    )


@also_compiled
def high_shelf(frequency_hz: float, gain_db: float, q: float, sample_rate_hz: float) -> Section:
    """High shelf: half the gain in dB at ``frequency_hz``."""
    a = 10.0 ** (gain_db / 40.0)
    c, alpha = _angle(frequency_hz, q, sample_rate_hz)
    root = 2 * math.sqrt(a) * alpha
    return _normalised(
        a * ((a + 1) + (a - 1) * c + root),
        -2 * a * ((a - 1) + (a + 1) * c),
        a * ((a + 1) + (a - 1) * c - root),
        (a + 1) - (a - 1) * c + root,
        2 * ((a - 1) - (a + 1) * c),
        (a + 1) - (a - 1) * c - root,
    )


@also_compiled
def high_pass(frequency_hz: float, q: float, sample_rate_hz: float) -> Section:
    """Second-order high-pass; 20 log Q at ``frequency_hz``."""
    c, alpha = _angle(frequency_hz, q, sample_rate_hz)
    return _normalised((1 + c) / 2, -(1 + c), (1 + c) / 2, 1 + alpha, -2 * c, 1 - alpha)


@also_compiled
def low_pass(frequency_hz: float, q: float, sample_rate_hz: float) -> Section:
    """Second-order low-pass; 20 log Q at ``frequency_hz``."""
    c, alpha = _angle(frequency_hz, q, sample_rate_hz)
    return _normalised((1 - c) / 2, 1 - c, (1 - c) / 2, 1 + alpha, -2 * c, 1 - alpha)


@also_compiled
def notch(frequency_hz: float, q: float, sample_rate_hz: float) -> Section:
    """Second-order notch: silence at ``frequency_hz``."""
    c, alpha = _angle(frequency_hz, q, sample_rate_hz)
    return _normalised(1.0, -2 * c, 1.0, 1 + alpha, -2 * c, 1 - alpha)


@also_compiled
def all_pass(frequency_hz: float, q: float, sample_rate_hz: float) -> Section:
    """Second-order all-pass: half a turn at ``frequency_hz``."""
    c, alpha = _angle(frequency_hz, q, sample_rate_hz)
    return _normalised(1 - alpha, -2 * c, 1 + alpha, 1 + alpha, -2 * c, 1 - alpha)


@also_compiled
def band_pass(frequency_hz: float, q: float, sample_rate_hz: float) -> Section:
    """Second-order band-pass: 0 dB at ``frequency_hz``."""
    c, alpha = _angle(frequency_hz, q, sample_rate_hz)
    return _normalised(alpha, 0.0, -alpha, 1 + alpha, -2 * c, 1 - alpha)


@also_compiled
def first_order_low_pass(frequency_hz: float, sample_rate_hz: float) -> Section:
    """6 dB/oct; -3 dB at ``frequency_hz``. Bilinear transform of w / (s + w)."""
    k = _tangent(frequency_hz, sample_rate_hz)
    return _normalised(k, k, 0.0, k + 1.0, k - 1.0, 0.0)


@also_compiled
def first_order_high_pass(frequency_hz: float, sample_rate_hz: float) -> Section:
    """6 dB/oct; -3 dB at ``frequency_hz``. Bilinear transform of s / (s + w)."""
    k = _tangent(frequency_hz, sample_rate_hz)
    return _normalised(1.0, -1.0, 0.0, k + 1.0, k - 1.0, 0.0)


@also_compiled
def tilt(frequency_hz: float, gain_db: float, sample_rate_hz: float) -> Section:
    """Turns the whole range about ``frequency_hz``: half the gain down at 0 Hz, half of it up at the top. Bilinear
    transform of (g s + w) / (s + g w), g half the gain."""
    g, k = 10.0 ** (gain_db / 40.0), _tangent(frequency_hz, sample_rate_hz)
    return _normalised(g + k, k - g, 0.0, 1.0 + g * k, g * k - 1.0, 0.0)


def butterworth_qs(order: int) -> list[float]:
    """Q of each second-order section of a Butterworth filter; an odd order has one of the first order beside them.

    >>> [round(q, 4) for q in butterworth_qs(4)], butterworth_qs(3)
    ([0.5412, 1.3066], [1.0])
    """
    first = 0.5 if order % 2 == 0 else 1.0
    return [round(1.0 / (2.0 * math.cos(math.pi * (first + k) / order)), 15) for k in range(order // 2)]


def response_db(
    sections: NDArray[np.float64], frequencies_hz: NDArray[np.float64], sample_rate_hz: float
) -> NDArray[np.float64]:
    """Magnitude of a cascade in dB, shape (n_frequencies,); ``sections`` shape (n_sections, 5)."""
    z = np.exp(-2j * np.pi * frequencies_hz / sample_rate_hz)
    total = np.ones_like(z)
    for b0, b1, b2, a1, a2 in sections:
        total = total * (b0 + b1 * z + b2 * z * z) / (1 + a1 * z + a2 * z * z)
    decibels: NDArray[np.float64] = 20.0 * np.log10(np.maximum(np.abs(total), 1e-12))
    return decibels


@also_compiled
def _angle(frequency_hz: float, q: float, sample_rate_hz: float) -> tuple[float, float]:
    # A band above what the rate can carry stays just under half of it.
    w0 = 2.0 * math.pi * min(frequency_hz, 0.49 * sample_rate_hz) / sample_rate_hz
    return math.cos(w0), math.sin(w0) / (2.0 * q)


@also_compiled
def _tangent(frequency_hz: float, sample_rate_hz: float) -> float:
    return math.tan(math.pi * min(frequency_hz, 0.49 * sample_rate_hz) / sample_rate_hz)


@also_compiled
def _normalised(b0: float, b1: float, b2: float, a0: float, a1: float, a2: float) -> Section:
    return b0 / a0, b1 / a0, b2 / a0, a1 / a0, a2 / a0


_BEHIND = 3
"""By how many samples the last of four sections is behind the first."""
_MASKS = np.array([[1.0 if lane % 4 <= step else 0.0 for lane in range(8)] for step in range(_BEHIND + 1)])
"""Which lanes have a sample in the first steps of a wave; at last all."""


@inline_kernel
def _keep_state(
    first: NDArray[np.float64], second: NDArray[np.float64], state: Audio, active: Counts, n_sections: int, channel: int
) -> None:
    """What a wave's sections leave in their lanes, for the next one."""
    for k in range(n_sections):
        for half in range(2):
            if channel + half < state.shape[1]:
                state[active[k], channel + half, 0] = first[4 * half + k]
                state[active[k], channel + half, 1] = second[4 * half + k]


@inline_kernel
def _run_wave(
    left: Audio, right: Audio, coefs: Audio, state: Audio, active: Counts, n_sections: int, channel: int, rows: Audio
) -> None:
    """Up to four sections in series over two channels, in lanes: each section works on the sample before the one that
    the section ahead of it works on. Where there are fewer, the last ones pass on what they get.

    The state is that of the transposed direct form II; its next value does not wait for the output:
    u' = (b1 - a1 b0) x - a1 u + v, v' = (b2 - a2 b0) x - a2 u.
    """
    for lane in range(8):
        rows[0, lane] = 1.0
        for k in range(1, 7):
            rows[k, lane] = 0.0
    for k in range(n_sections):
        at = 5 * active[k]
        b0, a1, a2 = coefs[at], coefs[at + 3], coefs[at + 4]
        for half in range(2):
            lane = 4 * half + k
            rows[0, lane] = b0
            rows[1, lane], rows[2, lane] = coefs[at + 1] - a1 * b0, -a1
            rows[3, lane], rows[4, lane] = coefs[at + 2] - a2 * b0, -a2
            of = min(channel + half, state.shape[1] - 1)
            rows[5, lane], rows[6, lane] = state[active[k], of, 0], state[active[k], of, 1]
    b0s, c1s, d1s, c2s, d2s = load(rows[0], 0), load(rows[1], 0), load(rows[2], 0), load(rows[3], 0), load(rows[4], 0)
    u, v = load(rows[5], 0), load(rows[6], 0)
    y = spread(0.0)
    n = left.size
    for i in range(min(n, _BEHIND)):
        y, u, v = _masked_step(shifted_in(y, left[i], right[i]), u, v, b0s, c1s, d1s, c2s, d2s, load(_MASKS[i], 0))
    left_in, right_in = left[min(n, _BEHIND) :], right[min(n, _BEHIND) :]
    for i in range(left_in.size):
        x = shifted_in(y, left_in[i], right_in[i])
        y = fma(b0s, x, u)
        u_next = fma(d1s, u, fma(c1s, x, v))
        v = fma(d2s, u, c2s * x)
        u = u_next
        left[i], right[i] = lane_of(y, 3), lane_of(y, 7)
    for i in range(n, n + _BEHIND):
        mask = load(_MASKS[min(i, _BEHIND)], 0) - load(_MASKS[i - n], 0)
        y, u, v = _masked_step(shifted_in(y, 0.0, 0.0), u, v, b0s, c1s, d1s, c2s, d2s, mask)
        if i >= _BEHIND:
            left[i - _BEHIND], right[i - _BEHIND] = lane_of(y, 3), lane_of(y, 7)
    store(rows[5], 0, u)
    store(rows[6], 0, v)
    _keep_state(rows[5], rows[6], state, active, n_sections, channel)


@inline_kernel
def _masked_step(
    x: Any, u: Any, v: Any, b0s: Any, c1s: Any, d1s: Any, c2s: Any, d2s: Any, mask: Any
) -> tuple[Any, Any, Any]:
    """One step of a wave in which only some lanes have a sample."""
    y = fma(b0s, x, u)
    return y, where(mask, fma(d1s, u, fma(c1s, x, v)), u), where(mask, fma(d2s, u, c2s * x), v)


@inline_kernel
def _run_moving_wave(
    left: Audio,
    right: Audio,
    gone: int,
    pieces: Counts,
    coefs: Audio,
    piece: int,
    state: Audio,
    active: Counts,
    n_sections: int,
    channel: int,
    rows: Audio,
) -> None:
    """The wave of ``_run_wave`` with coefficients that move; their line has begun ``gone`` samples before. A section
    that works on an earlier sample has the coefficients of that one."""
    for lane in range(8):
        for k in range(12):
            rows[k, lane] = 0.0
        rows[0, lane] = 1.0
        rows[12, lane] = gone - lane % 4
    for k in range(n_sections):
        at = 5 * active[k]
        for half in range(2):
            lane = 4 * half + k
            for j in range(5):
                rows[j, lane] = coefs[2 * piece, at + j]
                rows[5 + j, lane] = step_of(pieces, coefs, piece, at + j)
            of = min(channel + half, state.shape[1] - 1)
            rows[10, lane], rows[11, lane] = state[active[k], of, 0], state[active[k], of, 1]
    t0, t1, t2, t3, t4 = load(rows[0], 0), load(rows[1], 0), load(rows[2], 0), load(rows[3], 0), load(rows[4], 0)
    d0, d1, d2, d3, d4 = load(rows[5], 0), load(rows[6], 0), load(rows[7], 0), load(rows[8], 0), load(rows[9], 0)
    u, v, now, one = load(rows[10], 0), load(rows[11], 0), load(rows[12], 0), spread(1.0)
    y = spread(0.0)
    n = left.size
    for i in range(n + _BEHIND):
        inside = min(i, n - 1)
        x = shifted_in(y, left[inside], right[inside])
        b0, a1, a2 = fma(d0, now, t0), fma(d3, now, t3), fma(d4, now, t4)
        y = fma(b0, x, u)
        u_next = fma(fma(d1, now, t1), x, v) - a1 * y
        v_next = fma(d2, now, t2) * x - a2 * y
        if i < _BEHIND or i >= n:
            mask = load(_MASKS[min(i, _BEHIND)], 0)
            if i >= n:
                mask = mask - load(_MASKS[i - n], 0)
            u, v = where(mask, u_next, u), where(mask, v_next, v)
        else:
            u, v = u_next, v_next
        now = now + one
        if i >= _BEHIND:
            left[i - _BEHIND], right[i - _BEHIND] = lane_of(y, 3), lane_of(y, 7)
    store(rows[10], 0, u)
    store(rows[11], 0, v)
    _keep_state(rows[10], rows[11], state, active, n_sections, channel)


@inline_kernel
def _is_identity(coefs: Audio, at: int) -> bool:
    others = abs(coefs[at + 1]) + abs(coefs[at + 2]) + abs(coefs[at + 3]) + abs(coefs[at + 4])
    return bool(coefs[at] == 1.0 and others == 0.0)


@inline_kernel
def _find_active(active: Counts, pieces: Counts, coefs: Audio, k: int, state: Audio) -> int:
    """How many sections do anything in a piece, and which: they filter, or still ring."""
    n_active = 0
    for s in range(state.shape[0]):
        works = not _is_identity(coefs[2 * k], 5 * s)
        if pieces[0, 0] > 0:
            works = works or not _is_identity(coefs[2 * k + 1], 5 * s)
        for channel in range(state.shape[1]):
            works = works or state[s, channel, 0] != 0.0 or state[s, channel, 1] != 0.0
        if works:
            active[n_active] = s
            n_active += 1
    return n_active


def new_scratch(n_sections: int) -> tuple[Counts, Audio]:
    """Scratch of run_sections."""
    return np.zeros(n_sections, np.int64), np.zeros((13, 8))


@in_table
@kernel(AUDIO, INT, PIECES, AUDIO, CUBE, COUNTS, AUDIO)
def run_sections(
    audio: Audio, n_samples: int, pieces: Counts, coefs: Audio, state: Audio, active: Counts, rows: Audio
) -> None:
    """Filter in place through sections in series (transposed direct form II).

    Args:
        audio: (n_channels, >= n_samples).
        coefs: (2 n_pieces, 5 * n_sections).
        state: (n_sections, n_channels, 2): per section and channel the two delayed sums.
        active, rows: (n_sections,) and (13, 8), scratch: see new_scratch.
    """
    n_channels = audio.shape[0]
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        gone = first - line_begin(pieces, k)
        n_active = _find_active(active, pieces, coefs, k, state)
        at_rest = rests(pieces, coefs, k)
        for j in range(0, n_active, 4):
            n_sections, some = min(4, n_active - j), active[j : j + 4]
            for channel in range(0, n_channels, 2):
                left, right = audio[channel, first:last], audio[min(channel + 1, n_channels - 1), first:last]
                if at_rest:
                    _run_wave(left, right, coefs[2 * k], state, some, n_sections, channel, rows)
                else:
                    _run_moving_wave(left, right, gone, pieces, coefs, k, state, some, n_sections, channel, rows)
        for j in range(n_active):
            for channel in range(n_channels):
                for m in range(2):
                    if abs(state[active[j], channel, m]) < _TINY:
                        state[active[j], channel, m] = 0.0
