"""Second-order sections: the cookbook's designs and the cascade that runs them.

Reference: R. Bristow-Johnson, Audio EQ Cookbook. Sections are (b0, b1, b2, a1, a2), normalised by a0.
"""

import math
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, CUBE, INT, inline_kernel, kernel
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, rests, step_of
from gemischt.core.dsp.table import in_table

Section: TypeAlias = tuple[float, float, float, float, float]

IDENTITY: Section = (1.0, 0.0, 0.0, 0.0, 0.0)
MOST_SECTIONS = 16
# Below this, state is set to zero at the end of a block: far under any audible or storable level, and it keeps
# decays from reaching the denormal range, which is slow.
_TINY = 1e-30


def bell(frequency_hz: float, gain_db: float, q: float, sample_rate_hz: float) -> Section:
    """Peaking equaliser: ``gain_db`` at ``frequency_hz``."""
    a = 10.0 ** (gain_db / 40.0)
    cos_w0, alpha = _angle(frequency_hz, q, sample_rate_hz)
    return _normalised(1 + alpha * a, -2 * cos_w0, 1 - alpha * a, 1 + alpha / a, -2 * cos_w0, 1 - alpha / a)


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


def high_pass(frequency_hz: float, q: float, sample_rate_hz: float) -> Section:
    """Second-order high-pass; 20 log Q at ``frequency_hz``."""
    c, alpha = _angle(frequency_hz, q, sample_rate_hz)
    return _normalised((1 + c) / 2, -(1 + c), (1 + c) / 2, 1 + alpha, -2 * c, 1 - alpha)


def low_pass(frequency_hz: float, q: float, sample_rate_hz: float) -> Section:
    """Second-order low-pass; 20 log Q at ``frequency_hz``."""
    c, alpha = _angle(frequency_hz, q, sample_rate_hz)
    return _normalised((1 - c) / 2, 1 - c, (1 - c) / 2, 1 + alpha, -2 * c, 1 - alpha)


def notch(frequency_hz: float, q: float, sample_rate_hz: float) -> Section:
    """Second-order notch: silence at ``frequency_hz``."""
    c, alpha = _angle(frequency_hz, q, sample_rate_hz)
    return _normalised(1.0, -2 * c, 1.0, 1 + alpha, -2 * c, 1 - alpha)


def butterworth_qs(order: int) -> list[float]:
    """Q of each second-order section of an even-order Butterworth filter.

    >>> [round(q, 4) for q in butterworth_qs(4)]
    [0.5412, 1.3066]
    """
    return [1.0 / (2.0 * math.cos(math.pi * (2 * k + 1) / (2 * order))) for k in range(order // 2)]


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


def _angle(frequency_hz: float, q: float, sample_rate_hz: float) -> tuple[float, float]:
    # A band above what the rate can carry stays just under half of it.
    w0 = 2.0 * math.pi * min(frequency_hz, 0.49 * sample_rate_hz) / sample_rate_hz
    return math.cos(w0), math.sin(w0) / (2.0 * q)


def _normalised(b0: float, b1: float, b2: float, a0: float, a1: float, a2: float) -> Section:
    return b0 / a0, b1 / a0, b2 / a0, a1 / a0, a2 / a0


@inline_kernel
def _step(
    x: float, u: float, v: float, b0: float, b1: float, b2: float, a1: float, a2: float
) -> tuple[float, float, float]:
    """One sample through a section: what leaves it, and its two sums."""
    y = fma(b0, x, u)
    return y, fma(-a1, y, fma(b1, x, v)), fma(-a2, y, b2 * x)


@inline_kernel
def _run_four(row: Audio, coefs: Audio, state: Audio, active: Counts, channel: int) -> None:
    # Four sections in one pass: their recursions' latencies overlap.
    p, q, r, s = 5 * active[0], 5 * active[1], 5 * active[2], 5 * active[3]
    p0, p1, p2, p3, p4 = coefs[p], coefs[p + 1], coefs[p + 2], coefs[p + 3], coefs[p + 4]
    q0, q1, q2, q3, q4 = coefs[q], coefs[q + 1], coefs[q + 2], coefs[q + 3], coefs[q + 4]
    r0, r1, r2, r3, r4 = coefs[r], coefs[r + 1], coefs[r + 2], coefs[r + 3], coefs[r + 4]
    s0, s1, s2, s3, s4 = coefs[s], coefs[s + 1], coefs[s + 2], coefs[s + 3], coefs[s + 4]
    pu, pv = state[active[0], channel, 0], state[active[0], channel, 1]
    qu, qv = state[active[1], channel, 0], state[active[1], channel, 1]
    ru, rv = state[active[2], channel, 0], state[active[2], channel, 1]
    su, sv = state[active[3], channel, 0], state[active[3], channel, 1]
    for i in range(row.size):
        x = row[i]
        y, pu, pv = _step(x, pu, pv, p0, p1, p2, p3, p4)
        x, qu, qv = _step(y, qu, qv, q0, q1, q2, q3, q4)
        y, ru, rv = _step(x, ru, rv, r0, r1, r2, r3, r4)
        x, su, sv = _step(y, su, sv, s0, s1, s2, s3, s4)
        row[i] = x
    state[active[0], channel, 0], state[active[0], channel, 1] = pu, pv
    state[active[1], channel, 0], state[active[1], channel, 1] = qu, qv
    state[active[2], channel, 0], state[active[2], channel, 1] = ru, rv
    state[active[3], channel, 0], state[active[3], channel, 1] = su, sv


@inline_kernel
def _run_one(row: Audio, section: Audio, state: Audio) -> None:
    b0, b1, b2, a1, a2 = section[0], section[1], section[2], section[3], section[4]
    u, v = state[0], state[1]
    for i in range(row.size):
        row[i], u, v = _step(row[i], u, v, b0, b1, b2, a1, a2)
    state[0], state[1] = u, v


@inline_kernel
def _run_one_twice(left: Audio, right: Audio, section: Audio, state: Audio) -> None:
    # Both channels in one pass: their recursions' latencies overlap.
    b0, b1, b2, a1, a2 = section[0], section[1], section[2], section[3], section[4]
    u, v = state[0, 0], state[0, 1]
    p, q = state[1, 0], state[1, 1]
    for i in range(left.size):
        left[i], u, v = _step(left[i], u, v, b0, b1, b2, a1, a2)
        right[i], p, q = _step(right[i], p, q, b0, b1, b2, a1, a2)
    state[0, 0], state[0, 1] = u, v
    state[1, 0], state[1, 1] = p, q


@inline_kernel
def _run_moving(row: Audio, gone: int, pieces: Counts, coefs: Audio, k: int, at: int, state: Audio) -> None:
    """One section whose coefficients, which begin at ``at``, move; their line has begun ``gone`` samples before."""
    start = coefs[2 * k]
    t0, t1, t2, t3, t4 = start[at], start[at + 1], start[at + 2], start[at + 3], start[at + 4]
    d0, d1, d2 = step_of(pieces, coefs, k, at), step_of(pieces, coefs, k, at + 1), step_of(pieces, coefs, k, at + 2)
    d3, d4 = step_of(pieces, coefs, k, at + 3), step_of(pieces, coefs, k, at + 4)
    u, v = state[0], state[1]
    for i in range(row.size):
        now = gone + i
        x = row[i]
        y = (t0 + d0 * now) * x + u
        u = (t1 + d1 * now) * x - (t3 + d3 * now) * y + v
        v = (t2 + d2 * now) * x - (t4 + d4 * now) * y
        row[i] = y
    state[0], state[1] = u, v


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


@in_table
@kernel(AUDIO, INT, PIECES, AUDIO, CUBE)
def run_sections(audio: Audio, n_samples: int, pieces: Counts, coefs: Audio, state: Audio) -> None:
    """Filter in place through sections in series (transposed direct form II).

    Args:
        audio: (n_channels, >= n_samples).
        coefs: (2 n_pieces, 5 * n_sections), at most 16 sections.
        state: (n_sections, n_channels, 2): per section and channel the two delayed sums.
    """
    n_channels = audio.shape[0]
    active = np.empty(MOST_SECTIONS, np.int64)
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        gone = first - line_begin(pieces, k)
        n_active = _find_active(active, pieces, coefs, k, state)
        if not rests(pieces, coefs, k):
            for j in range(n_active):
                s = active[j]
                for channel in range(n_channels):
                    _run_moving(audio[channel, first:last], gone, pieces, coefs, k, 5 * s, state[s, channel])
        else:
            j = 0
            while j + 4 <= n_active:
                for channel in range(n_channels):
                    _run_four(audio[channel, first:last], coefs[2 * k], state, active[j : j + 4], channel)
                j += 4
            while j < n_active:
                s = active[j]
                section = coefs[2 * k, 5 * s : 5 * s + 5]
                channel = 0
                while channel + 2 <= n_channels:
                    left, right = audio[channel, first:last], audio[channel + 1, first:last]
                    _run_one_twice(left, right, section, state[s, channel : channel + 2])
                    channel += 2
                if channel < n_channels:
                    _run_one(audio[channel, first:last], section, state[s, channel])
                j += 1
        for j in range(n_active):
            for channel in range(n_channels):
                for m in range(2):
                    if abs(state[active[j], channel, m]) < _TINY:
                        state[active[j], channel, m] = 0.0
