"""A feedback delay network: sixteen lines whose outputs are mixed by a Hadamard matrix and fed back.

Behind the matrix pairs of lines are rotated into each other by slowly turning angles. The feedback stays lossless at
every moment, so that decay times hold, while no mode stays long enough to ring.

Reference: S. J. Schlecht and E. A. P. Habets, "Time-varying feedback matrices in feedback delay networks and their
application in artificial reverberation", JASA 138(3), 2015; J.-M. Jot, "Digital delay networks for designing artificial
reverberators", 90th AES Convention, 1991: line gain 10^(-3 d / (fs T60)) and one-pole absorption; M. R. Schroeder,
"Natural sounding artificial reverberation", JAES 10(3), 1962: all-pass diffusers.
"""

import numpy as np

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, COUNTS, CUBE, INT, VECTOR, inline_kernel, kernel

N_LINES = 16
N_DIFFUSERS = 4
N_TURNS = 8
CHUNK = 64
"""Samples that are worked on together: shorter than any line, so that none hears what this chunk writes."""
_TINY = 1e-25


def turn_tables(turns: Audio) -> Audio:
    """Cosine and sine of how far each pair is turned in the course of a chunk, (2, 8, 64); ``turns`` in radians."""
    angles = np.outer(turns, np.arange(CHUNK))
    return np.stack([np.cos(angles), np.sin(angles)])


@inline_kernel
def _read(out: Audio, ring: Audio, start: int) -> None:
    """A stretch of a ring (power of two) from a place on, around its end."""
    start = start & (ring.size - 1)
    first = min(out.size, ring.size - start)
    before_end = ring[start : start + first]
    for i in range(first):
        out[i] = before_end[i]
    rest = out[first:]
    for i in range(rest.size):
        rest[i] = ring[i]


@inline_kernel
def _kept(value: float) -> float:
    return value if abs(value) > _TINY else 0.0


@kernel(AUDIO, INT, AUDIO, COUNTS, COUNTS, VECTOR, COUNTS)
def diffuse(
    audio: Audio, n_samples: int, rings: Audio, lengths: Counts, write: Counts, ramp: Audio, remaining: Counts
) -> None:
    """Four all-passes in series per channel, in place.

    Args:
        audio: (2, >= n).
        rings: (8, power of two), four of the left channel, then four of the right.
        lengths: (8,) samples, none less than a chunk.
        write: (1,) position shared by all rings.
        ramp: (2,) coefficient's target and step.
    """
    mask = rings.shape[1] - 1
    delayed_chunk = np.empty(64)
    coefficients_chunk = np.empty(64)
    done = 0
    while done < n_samples:
        at = (write[0] + done) & mask
        n = min(64 - (at & 63), n_samples - done)
        left = max(0, remaining[0] - done)
        delayed = delayed_chunk[:n]
        coefficients = coefficients_chunk[:n]
        for i in range(n):
            coefficients[i] = ramp[0] - ramp[1] * max(0, left - i)
        for channel in range(2):
            row = audio[channel, done : done + n]
            for stage in range(4 * channel, 4 * channel + 4):
                _read(delayed, rings[stage], at - lengths[stage])
                fed = rings[stage, at : at + n]
                for i in range(n):
                    fed[i] = _kept(row[i] - coefficients[i] * delayed[i])
                for i in range(n):
                    row[i] = delayed[i] + coefficients[i] * fed[i]
        done += n
    write[0] = (write[0] + n_samples) & mask
    remaining[0] = max(0, remaining[0] - n_samples)


@inline_kernel
def _absorb(lines: Audio, n: int, first: int, state: Audio, ramp: Audio, left: int) -> None:
    """Gain and one-pole of four lines, in one loop so that their recursions' latencies overlap."""
    ramped = min(n, left)
    for i in range(ramped):
        to_go = left - i
        for k in range(first, first + 4):
            gain = ramp[0, k] - ramp[1, k] * to_go
            pole = ramp[0, 16 + k] - ramp[1, 16 + k] * to_go
            state[k] = gain * (1.0 - pole) * lines[k, i] + pole * state[k]
            lines[k, i] = state[k]
    k0, k1, k2, k3 = first, first + 1, first + 2, first + 3
    s0, s1, s2, s3 = state[k0], state[k1], state[k2], state[k3]
    p0, p1, p2, p3 = ramp[0, 16 + k0], ramp[0, 16 + k1], ramp[0, 16 + k2], ramp[0, 16 + k3]
    g0, g1 = ramp[0, k0] * (1.0 - p0), ramp[0, k1] * (1.0 - p1)
    g2, g3 = ramp[0, k2] * (1.0 - p2), ramp[0, k3] * (1.0 - p3)
    x0, x1, x2, x3 = lines[k0, ramped:n], lines[k1, ramped:n], lines[k2, ramped:n], lines[k3, ramped:n]
    for i in range(x0.size):
        s0 = fma(p0, s0, g0 * x0[i])
        s1 = fma(p1, s1, g1 * x1[i])
        s2 = fma(p2, s2, g2 * x2[i])
        s3 = fma(p3, s3, g3 * x3[i])
        x0[i] = s0
        x1[i] = s1
        x2[i] = s2
        x3[i] = s3
    state[k0], state[k1], state[k2], state[k3] = s0, s1, s2, s3


@inline_kernel
def _mix_twice(mixed: Audio, lines: Audio, n: int) -> None:
    """Two of the four stages of the Hadamard transform, unscaled."""
    for k in range(4):
        a, b, c, d = lines[k, :n], lines[k + 4, :n], lines[k + 8, :n], lines[k + 12, :n]
        to_a, to_b, to_c, to_d = mixed[4 * k, :n], mixed[4 * k + 1, :n], mixed[4 * k + 2, :n], mixed[4 * k + 3, :n]
        # A loop for each: with more places to write to, compilers do not dare to vectorise.
        for i in range(n):
            to_a[i] = (a[i] + c[i]) + (b[i] + d[i])
        for i in range(n):
            to_b[i] = (a[i] + c[i]) - (b[i] + d[i])
        for i in range(n):
            to_c[i] = (a[i] - c[i]) + (b[i] - d[i])
        for i in range(n):
            to_d[i] = (a[i] - c[i]) - (b[i] - d[i])


@inline_kernel
def _feed_back(
    ring_a: Audio, ring_b: Audio, a: Audio, b: Audio, cosine: Audio, sine: Audio, left: Audio, right: Audio
) -> None:
    """Turn a pair of lines into each other and write both, what enters on either side added."""
    for i in range(a.size):
        value = 0.25 * (cosine[i] * a[i] - sine[i] * b[i]) + left[i]
        ring_a[i] = value if abs(value) > _TINY else 0.0
    for i in range(a.size):
        value = 0.25 * (sine[i] * a[i] + cosine[i] * b[i]) + right[i]
        ring_b[i] = value if abs(value) > _TINY else 0.0


@kernel(AUDIO, INT, AUDIO, AUDIO, COUNTS, AUDIO, COUNTS, VECTOR, AUDIO, CUBE)
def run_network(
    audio: Audio,
    n_samples: int,
    rings: Audio,
    taps: Audio,
    line: Counts,
    ramp: Audio,
    remaining: Counts,
    state: Audio,
    turns: Audio,
    tables: Audio,
) -> None:
    """What enters (2, n) is replaced by what the network answers.

    Args:
        rings: (16, power of two); no line is shorter than a chunk.
        taps: (2, 16) lengths now and next, samples as floats.
        line: write position, samples of the fade between both lengths that are left, samples of the whole fade,
            samples so far.
        ramp: (2, 33) targets and steps: sixteen gains, sixteen poles of the absorption, the output gain.
        state: (16,) absorption.
        turns: (3, 8) cosine and sine of each pair's angle where the chunk begins, and how far it turns each sample.
        tables: from turn_tables.
    """
    mask = rings.shape[1] - 1
    lines = np.empty((16, 64))
    mixed = np.empty((16, 64))
    heard_left = np.empty(64)
    heard_right = np.empty(64)
    cosine = np.empty(64)
    sine = np.empty(64)
    spare = np.empty(64)
    done = 0
    while done < n_samples:
        within = line[3] & 63
        n = min(64 - within, n_samples - done)
        write = line[0]
        left = max(0, remaining[0] - done)
        entering_left = audio[0, done : done + n]
        entering_right = audio[1, done : done + n]
        if within == 0:
            for k in range(8):
                turns[0, k] = np.cos(line[3] * turns[2, k])
                turns[1, k] = np.sin(line[3] * turns[2, k])
        for k in range(16):
            arriving = lines[k, :n]
            _read(arriving, rings[k], write - np.int64(taps[1, k]))
            if line[1] > 0:
                before = spare[:n]
                _read(before, rings[k], write - np.int64(taps[0, k]))
                for i in range(n):
                    arriving[i] += max(0, line[1] - i) / line[2] * (before[i] - arriving[i])
        for k in range(0, 16, 4):
            _absorb(lines, n, k, state, ramp, left)
        for i in range(n):
            heard_left[i] = 0.0
            heard_right[i] = 0.0
        for k in range(0, 16, 4):
            a, b, c, d = lines[k, :n], lines[k + 1, :n], lines[k + 2, :n], lines[k + 3, :n]
            for i in range(n):
                heard_left[i] += (a[i] - b[i]) + (c[i] - d[i])
            for i in range(n):
                heard_right[i] += (a[i] + b[i]) - (c[i] + d[i])
        _mix_twice(mixed, lines, n)
        _mix_twice(lines, mixed, n)
        for k in range(8):
            begin_cosine, begin_sine = turns[0, k], turns[1, k]
            further_cosine, further_sine = tables[0, k, within : within + n], tables[1, k, within : within + n]
            for i in range(n):
                cosine[i] = begin_cosine * further_cosine[i] - begin_sine * further_sine[i]
            for i in range(n):
                sine[i] = begin_sine * further_cosine[i] + begin_cosine * further_sine[i]
            _feed_back(
                rings[k, write : write + n],
                rings[k + 8, write : write + n],
                lines[k, :n],
                lines[k + 8, :n],
                cosine[:n],
                sine[:n],
                entering_left,
                entering_right,
            )
        for i in range(n):
            gain = ramp[0, 32] - ramp[1, 32] * max(0, left - i)
            entering_left[i] = gain * heard_left[i]
            entering_right[i] = gain * heard_right[i]
        if within + n == 64:
            for k in range(16):
                state[k] = _kept(state[k])
        line[0] = (write + n) & mask
        if line[1] > 0:
            line[1] = max(0, line[1] - n)
            if line[1] == 0:
                for k in range(16):
                    taps[0, k] = taps[1, k]
        line[3] += n
        done += n
    remaining[0] = max(0, remaining[0] - n_samples)
