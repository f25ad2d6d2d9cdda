"""Second-order sections: the cookbook's designs and the cascade that runs them.

Reference: R. Bristow-Johnson, Audio EQ Cookbook. Sections are (b0, b1, b2, a1, a2), normalised by a0.
"""

import math
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.jit import AUDIO, COUNTS, CUBE, INT, kernel

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


def response_db(sections: NDArray[np.float64], frequencies_hz: NDArray[np.float64], sample_rate_hz: float) -> NDArray[np.float64]:
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
    stereo = audio.shape[0] == 2
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
    while stereo and k + 2 <= n_active:
        # Two sections and two channels at once: four recursions whose latencies overlap.
        s = active[k]
        r = active[k + 1]
        b0, b1, b2, a1, a2 = ramp[0, s, 0], ramp[0, s, 1], ramp[0, s, 2], ramp[0, s, 3], ramp[0, s, 4]
        e0, e1, e2, f1, f2 = ramp[0, r, 0], ramp[0, r, 1], ramp[0, r, 2], ramp[0, r, 3], ramp[0, r, 4]
        lu, lv, ru, rv = state[s, 0, 0], state[s, 0, 1], state[s, 1, 0], state[s, 1, 1]
        lm, ln, rm, rn = state[r, 0, 0], state[r, 0, 1], state[r, 1, 0], state[r, 1, 1]
        for i in range(ramped, n_samples):
            x = audio[0, i]
            y = b0 * x + lu
            lu = b1 * x - a1 * y + lv
            lv = b2 * x - a2 * y
            z = e0 * y + lm
            lm = e1 * y - f1 * z + ln
            ln = e2 * y - f2 * z
            audio[0, i] = z
            x = audio[1, i]
            y = b0 * x + ru
            ru = b1 * x - a1 * y + rv
            rv = b2 * x - a2 * y
            z = e0 * y + rm
            rm = e1 * y - f1 * z + rn
            rn = e2 * y - f2 * z
            audio[1, i] = z
        state[s, 0, 0], state[s, 0, 1], state[s, 1, 0], state[s, 1, 1] = lu, lv, ru, rv
        state[r, 0, 0], state[r, 0, 1], state[r, 1, 0], state[r, 1, 1] = lm, ln, rm, rn
        k += 2
    while k < n_active:
        s = active[k]
        b0, b1, b2, a1, a2 = ramp[0, s, 0], ramp[0, s, 1], ramp[0, s, 2], ramp[0, s, 3], ramp[0, s, 4]
        for channel in range(audio.shape[0]):
            u = state[s, channel, 0]
            v = state[s, channel, 1]
            for i in range(ramped, n_samples):
                x = audio[channel, i]
                y = b0 * x + u
                u = b1 * x - a1 * y + v
                v = b2 * x - a2 * y
                audio[channel, i] = y
            state[s, channel, 0] = u
            state[s, channel, 1] = v
        k += 1
    remaining[0] = left - ramped
    for k in range(n_active):
        for channel in range(2):
            for j in range(2):
                if abs(state[active[k], channel, j]) < _TINY:
                    state[active[k], channel, j] = 0.0
