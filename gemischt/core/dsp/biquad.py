"""Second-order sections: the cookbook's designs and the cascade that runs them.

Reference: R. Bristow-Johnson, Audio EQ Cookbook. Sections are (b0, b1, b2, a1, a2), normalised by a0.
"""

import math
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, COUNTS, CUBE, INT, inline_kernel, kernel

Section: TypeAlias = tuple[float, float, float, float, float]

IDENTITY: Section = (1.0, 0.0, 0.0, 0.0, 0.0)
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
def _run_four(row: Audio, target: Audio, state: Audio, sections: Counts, channel: int) -> None:
    # Four sections in one pass: their recursions' latencies overlap.
    p, q, r, s = sections[0], sections[1], sections[2], sections[3]
    p0, p1, p2, p3, p4 = target[p, 0], target[p, 1], target[p, 2], target[p, 3], target[p, 4]
    q0, q1, q2, q3, q4 = target[q, 0], target[q, 1], target[q, 2], target[q, 3], target[q, 4]
    r0, r1, r2, r3, r4 = target[r, 0], target[r, 1], target[r, 2], target[r, 3], target[r, 4]
    s0, s1, s2, s3, s4 = target[s, 0], target[s, 1], target[s, 2], target[s, 3], target[s, 4]
    pu, pv = state[p, channel, 0], state[p, channel, 1]
    qu, qv = state[q, channel, 0], state[q, channel, 1]
    ru, rv = state[r, channel, 0], state[r, channel, 1]
    su, sv = state[s, channel, 0], state[s, channel, 1]
    for i in range(row.size):
        x = row[i]
        y, pu, pv = _step(x, pu, pv, p0, p1, p2, p3, p4)
        x, qu, qv = _step(y, qu, qv, q0, q1, q2, q3, q4)
        y, ru, rv = _step(x, ru, rv, r0, r1, r2, r3, r4)
        x, su, sv = _step(y, su, sv, s0, s1, s2, s3, s4)
        row[i] = x
    state[p, channel, 0], state[p, channel, 1] = pu, pv
    state[q, channel, 0], state[q, channel, 1] = qu, qv
    state[r, channel, 0], state[r, channel, 1] = ru, rv
    state[s, channel, 0], state[s, channel, 1] = su, sv


@inline_kernel
def _run_one(row: Audio, section: Audio, state: Audio) -> None:
    b0, b1, b2, a1, a2 = section[0], section[1], section[2], section[3], section[4]
    u, v = state[0, 0], state[0, 1]
    for i in range(row.size):
        row[i], u, v = _step(row[i], u, v, b0, b1, b2, a1, a2)
    state[0, 0], state[0, 1] = u, v


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


@kernel(AUDIO, INT, CUBE, COUNTS, CUBE, COUNTS, INT)
def run_sections(
    audio: Audio, n_samples: int, ramp: Audio, remaining: Counts, state: Audio, active: Counts, n_active: int
) -> None:
    """Filter in place through the active sections in series (transposed direct form II).

    Args:
        audio: (n_channels, >= n_samples), one or two channels.
        ramp: (2, n_sections, 5): target coefficients and the step each sample takes towards them.
        remaining: samples of the ramp still to go.
        state: (n_sections, 2, 2): per section and channel the two delayed sums.
        active: indices of the sections that do anything.
    """
    left = remaining[0]
    ramped = min(n_samples, left)
    if ramped > 0:
        for k in range(n_active):
            s = active[k]
            t0, t1, t2, t3, t4 = ramp[0, s, 0], ramp[0, s, 1], ramp[0, s, 2], ramp[0, s, 3], ramp[0, s, 4]
            d0, d1, d2, d3, d4 = ramp[1, s, 0], ramp[1, s, 1], ramp[1, s, 2], ramp[1, s, 3], ramp[1, s, 4]
            for channel in range(audio.shape[0]):
                u = state[s, channel, 0]
                v = state[s, channel, 1]
                for i in range(ramped):
                    to_go = left - i
                    x = audio[channel, i]
                    y = (t0 - d0 * to_go) * x + u
                    u = (t1 - d1 * to_go) * x - (t3 - d3 * to_go) * y + v
                    v = (t2 - d2 * to_go) * x - (t4 - d4 * to_go) * y
                    audio[channel, i] = y
                state[s, channel, 0] = u
                state[s, channel, 1] = v
    k = 0
    while k + 4 <= n_active:
        for channel in range(audio.shape[0]):
            _run_four(audio[channel, ramped:n_samples], ramp[0], state, active[k : k + 4], channel)
        k += 4
    while k < n_active:
        section, memory = ramp[0, active[k]], state[active[k]]
        if audio.shape[0] == 2:
            _run_one_twice(audio[0, ramped:n_samples], audio[1, ramped:n_samples], section, memory)
        else:
            _run_one(audio[0, ramped:n_samples], section, memory)
        k += 1
    remaining[0] = left - ramped
    for k in range(n_active):
        for channel in range(2):
            for j in range(2):
                if abs(state[active[k], channel, j]) < _TINY:
                    state[active[k], channel, j] = 0.0
