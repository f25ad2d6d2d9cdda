"""A feedback delay network: sixteen lines whose outputs are mixed by a Hadamard matrix and fed back.

Behind the matrix pairs of lines are rotated into each other by slowly turning angles. The feedback stays lossless at
every moment, so that decay times hold, while no mode stays long enough to ring.

Reference: S. J. Schlecht and E. A. P. Habets, "Time-varying feedback matrices in feedback delay networks and their
application in artificial reverberation", JASA 138(3), 2015; J.-M. Jot, "Digital delay networks for designing artificial
reverberators", 90th AES Convention, 1991: line gain 10^(-3 d / (fs T60)) and one-pole absorption; M. R. Schroeder,
"Natural sounding artificial reverberation", JAES 10(3), 1962: all-pass diffusers.
"""

from typing import Any

import numpy as np

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, COUNT_ROWS, COUNTS, INT, VECTOR, inline_kernel, kernel
from gemischt.core.dsp.lanes import (
    aligned,
    lane,
    load,
    spread,
    store,
    swap_halves,
    swap_neighbours,
    swap_pairs,
    transpose,
    without_traces,
)

N_LINES = 16
N_DIFFUSERS = 4
N_TURNS = 8
CHUNK = 64
"""Samples that are worked on together: shorter than any line, so that none hears what this chunk writes."""
_SIGNS = np.array([[1.0 if place & bit == 0 else -1.0 for place in range(8)] for bit in (4, 2, 1)])
"""Of the lanes in the three stages of a transform of eight."""
_TINY = 1e-25


def turn_tables(turns: Audio) -> Audio:
    """Cosine and sine of how far each pair is turned in the course of a chunk, its end included, (2, 65 * 8).

    Args:
        turns: (8,) radians a sample.
    """
    angles = np.outer(np.arange(CHUNK + 1), turns).ravel()
    return np.stack([np.cos(angles), np.sin(angles)])


def new_places(longest: Counts) -> Counts:
    """Where lines up to these lengths are written next and the sizes of their rings, (2, 16).

    Rings are no larger than need be, so that they stay in a near cache, and whole chunks fit.
    """
    wraps = (longest // CHUNK + 2) * CHUNK
    return np.stack([np.zeros_like(wraps), wraps])


@inline_kernel
def _read(out: Audio, ring: Audio, start: int) -> None:
    """A stretch of a ring from a place on, which may lie before its beginning, around its end."""
    if start < 0:
        start += ring.size
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
                _read(delayed, rings[stage], (at - lengths[stage]) & mask)
                fed = rings[stage, at : at + n]
                for i in range(n):
                    fed[i] = _kept(row[i] - coefficients[i] * delayed[i])
                for i in range(n):
                    row[i] = delayed[i] + coefficients[i] * fed[i]
        done += n
    write[0] = (write[0] + n_samples) & mask
    remaining[0] = max(0, remaining[0] - n_samples)


@inline_kernel
def _transform(value: Any) -> Any:
    """Hadamard transform of eight lanes, unscaled, in natural order."""
    value = fma(load(_SIGNS[0], 0), value, swap_halves(value))
    value = fma(load(_SIGNS[1], 0), value, swap_pairs(value))
    return fma(load(_SIGNS[2], 0), value, swap_neighbours(value))


@inline_kernel
def _arrive(by_line: Audio, n: int, rings: Audio, places: Counts, taps: Counts, fade: Counts) -> None:
    """What comes out of all lines, (16 * 64,), between two lengths if need be."""
    before = np.empty(64)
    for k in range(16):
        write, wrap = places[0, k], places[1, k]
        arriving = by_line[64 * k : 64 * k + n]
        _read(arriving, rings[k, :wrap], write - taps[1, k])
        if fade[0] > 0:
            leaving = before[:n]
            _read(leaving, rings[k, :wrap], write - taps[0, k])
            for i in range(n):
                arriving[i] += max(0, fade[0] - i) / fade[1] * (leaving[i] - arriving[i])


@kernel(AUDIO, INT, AUDIO, COUNT_ROWS, COUNT_ROWS, COUNTS, AUDIO, COUNTS, VECTOR, AUDIO, AUDIO)
def run_network(
    audio: Audio,
    n_samples: int,
    rings: Audio,
    places: Counts,
    taps: Counts,
    fade: Counts,
    ramp: Audio,
    remaining: Counts,
    state: Audio,
    turns: Audio,
    tables: Audio,
) -> None:
    """What enters (2, n) is replaced by what the network answers.

    Args:
        rings: (16, longest wrap).
        places: from new_places.
        taps: (2, 16) lengths now and next, none less than a chunk.
        fade: samples of the fade between both lengths that are left, samples of the whole fade.
        ramp: (2, 33) targets and steps: sixteen gains, sixteen poles of the absorption, the output gain.
        state: (16,) absorption.
        turns: (2, 8) cosine and sine of each pair's angle where the chunk begins.
        tables: from turn_tables.
    """
    by_line = aligned(16 * 64)
    by_sample = aligned(64 * 16)
    one, quarter, least = spread(1.0), spread(0.25), spread(_TINY)
    done = 0
    while done < n_samples:
        within = places[0, 0] & 63
        n = min(64 - within, n_samples - done)
        left = max(0, remaining[0] - done)
        begin_cosine, begin_sine = load(turns[0], 0), load(turns[1], 0)
        _arrive(by_line, n, rings, places, taps, fade)
        for i in range(0, n, 8):
            transpose(by_line, i, 64, by_sample, 16 * i, 16)
            transpose(by_line, 8 * 64 + i, 64, by_sample, 16 * i + 8, 16)
        low, high = load(state, 0), load(state, 8)
        target, step = ramp[0], ramp[1]
        gain_low, gain_high = load(target, 0), load(target, 8)
        pole_low, pole_high = load(target, 16), load(target, 24)
        entering_left = audio[0, done : done + n]
        entering_right = audio[1, done : done + n]
        for i in range(n):
            if i <= left:
                to_go = spread(float(left - i))
                gain_low = load(target, 0) - load(step, 0) * to_go
                gain_high = load(target, 8) - load(step, 8) * to_go
                pole_low = load(target, 16) - load(step, 16) * to_go
                pole_high = load(target, 24) - load(step, 24) * to_go
            low = fma(pole_low, low, gain_low * (one - pole_low) * load(by_sample, 16 * i))
            high = fma(pole_high, high, gain_high * (one - pole_high) * load(by_sample, 16 * i + 8))
            a = _transform(low + high)
            b = _transform(low - high)
            further_cosine, further_sine = load(tables[0], 8 * (within + i)), load(tables[1], 8 * (within + i))
            cosine = quarter * (begin_cosine * further_cosine - begin_sine * further_sine)
            sine = quarter * (begin_sine * further_cosine + begin_cosine * further_sine)
            to_low = cosine * a - sine * b + spread(entering_left[i])
            to_high = sine * a + cosine * b + spread(entering_right[i])
            store(by_sample, 16 * i, without_traces(to_low, least))
            store(by_sample, 16 * i + 8, without_traces(to_high, least))
            gain = target[32] - step[32] * max(0, left - i)
            # Two rows of the transform: neighbours, and pairs of neighbours, with opposite signs.
            entering_left[i] = gain * lane(a, 1)
            entering_right[i] = gain * lane(a, 2)
        if within + n == 64:
            low, high = without_traces(low, least), without_traces(high, least)
            further_cosine, further_sine = load(tables[0], 8 * 64), load(tables[1], 8 * 64)
            store(turns[0], 0, begin_cosine * further_cosine - begin_sine * further_sine)
            store(turns[1], 0, begin_sine * further_cosine + begin_cosine * further_sine)
        store(state, 0, low)
        store(state, 8, high)
        for i in range(0, n, 8):
            transpose(by_sample, 16 * i, 16, by_line, i, 64)
            transpose(by_sample, 16 * i + 8, 16, by_line, 8 * 64 + i, 64)
        for k in range(16):
            write = places[0, k]
            fed = rings[k, write : write + n]
            made = by_line[64 * k : 64 * k + n]
            for i in range(n):
                fed[i] = made[i]
            places[0, k] = write + n if write + n < places[1, k] else 0
        if fade[0] > 0:
            fade[0] = max(0, fade[0] - n)
            if fade[0] == 0:
                for k in range(16):
                    taps[0, k] = taps[1, k]
        done += n
    remaining[0] = max(0, remaining[0] - n_samples)
