"""A feedback delay network: sixteen lines whose outputs are mixed by a Hadamard matrix and fed back.

Behind the matrix pairs of lines are rotated into each other by slowly turning angles. The feedback stays lossless at
every moment, so that decay times hold, while no mode stays long enough to ring.

Reference: S. J. Schlecht and E. A. P. Habets, "Time-varying feedback matrices in feedback delay networks and their
application in artificial reverberation", JASA 138(3), 2015; J.-M. Jot, "Digital delay networks for designing artificial
reverberators", 90th AES Convention, 1991: line gain 10^(-3 d / (fs T60)) and one-pole absorption; M. R. Schroeder,
"Natural sounding artificial reverberation", JAES 10(3), 1962: all-pass diffusers.
"""

import math
from typing import Any

import numpy as np

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, COUNT_ROWS, COUNTS, INT, VECTOR, inline_kernel, kernel
from gemischt.core.dsp.pieces import PIECES, line_begin, piece_last, rests, step_of
from gemischt.core.dsp.simd import (
    aligned,
    lane,
    load,
    spread,
    store,
    swap_halves,
    swap_neighbours,
    swap_pairs,
    transpose,
    transpose_from,
    transpose_to,
    without_traces,
)
from gemischt.core.dsp.table import in_table

N_LINES = 16
N_DIFFUSERS = 4
N_TURNS = 8
OUTPUT = 32
TURNING = 33
LENGTHS = 34
N_COEFS = 50
CHUNK = 64
"""Samples that are worked on together: shorter than any line, so that none hears what this chunk writes."""
_SIGNS = np.array([[1.0 if place & bit == 0 else -1.0 for place in range(8)] for bit in (4, 2, 1)])
"""Of the lanes in the three stages of a transform of eight."""
_TINY = 1e-25


MOST_OUTPUTS = 8


def turn_tables(turns: Audio) -> Audio:
    """Cosine and sine of how far each pair is turned in the course of a chunk, its end included, (3, 65 * 8); the last
    row holds what they are made of: the turns, and by how much they are multiplied.

    Args:
        turns: (8,) radians a sample.
    """
    angles = np.outer(np.arange(CHUNK + 1), turns).ravel()
    made_of = np.zeros(angles.size)
    made_of[: N_TURNS + 1] = *turns, 1.0
    return np.stack([np.cos(angles), np.sin(angles), made_of])


def new_places(longest: Counts) -> Counts:
    """Where lines up to these lengths are written next and the sizes of their rings, (2, 16).

    Rings are no larger than need be, so that they stay in a near cache, and whole chunks fit.
    """
    wraps = (longest // CHUNK + 2) * CHUNK
    return np.stack([np.zeros_like(wraps), wraps])


def new_rings(n_rings: int, size: int) -> Audio:
    """Rings of up to such a size, their first chunk once more behind their end: no chunk that is read goes around."""
    return np.zeros((n_rings, size + CHUNK))


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


@in_table
@kernel(AUDIO, INT, PIECES, AUDIO, AUDIO, COUNTS, COUNTS)
def diffuse(
    audio: Audio, n_samples: int, pieces: Counts, coefs: Audio, rings: Audio, lengths: Counts, write: Counts
) -> None:
    """Four all-passes in series per channel, in place.

    Args:
        audio: (2, >= n).
        coefs: (2 n_pieces, 1).
        rings: (8, power of two and a chunk), from new_rings: four of the left channel, then four of the right.
        lengths: (8,) samples, none less than a chunk.
        write: (1,) position shared by all rings.
    """
    size = rings.shape[1] - 64
    flat = rings.reshape(rings.size)
    coefficients = np.empty(64)
    reads = np.empty(8, np.int64)
    writes = np.empty(8, np.int64)
    least = spread(_TINY)
    done, k = 0, 0
    while done < n_samples:
        at = (write[0] + done) & (size - 1)
        begin, end = line_begin(pieces, k), piece_last(pieces, k, n_samples)
        n = min(64 - (at & 63), end - done)
        whole = n - n % 8
        step = step_of(pieces, coefs, k, 0)
        for i in range(n):
            coefficients[i] = coefs[2 * k, 0] + step * (done + i - begin)
        for stage in range(8):
            reads[stage] = stage * (size + 64) + ((at - lengths[stage]) & (size - 1))
            writes[stage] = stage * (size + 64) + at
        for channel in range(2):
            row = audio[channel, done : done + n]
            for i in range(0, whole, 8):
                passing, coefficient = load(row, i), load(coefficients, i)
                for stage in range(4 * channel, 4 * channel + 4):
                    delayed = load(flat, reads[stage] + i)
                    fed = without_traces(passing - coefficient * delayed, least)
                    store(flat, writes[stage] + i, fed)
                    passing = delayed + coefficient * fed
                store(row, i, passing)
            for i in range(whole, n):
                for stage in range(4 * channel, 4 * channel + 4):
                    late = flat[reads[stage] + i]
                    kept = _kept(row[i] - coefficients[i] * late)
                    flat[writes[stage] + i] = kept
                    row[i] = late + coefficients[i] * kept
        if at < 64:
            for stage in range(8):
                for i in range(n):
                    flat[writes[stage] + size + i] = flat[writes[stage] + i]
        done += n
        if done == end:
            k += 1
    write[0] = (write[0] + n_samples) & (size - 1)


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


@inline_kernel
def _aim(taps: Counts, fade: Counts, coefs: Audio, k: int) -> None:
    """Begin to go to other lengths, unless the lines are on their way already; the first ones count at once."""
    changed = False
    for line in range(16):
        changed = changed or taps[1, line] != int(coefs[2 * k, LENGTHS + line])
    if changed and fade[0] == 0:
        fade[0] = fade[1] if taps[0, 0] > 0 else 0
        for line in range(16):
            taps[1, line] = int(coefs[2 * k, LENGTHS + line])
            if fade[0] == 0:
                taps[0, line] = taps[1, line]


@inline_kernel
def _turn(tables: Audio, share: float) -> None:
    """Make the tables anew where pairs are turned by another share of their turns."""
    if tables[2, N_TURNS] == share:
        return
    tables[2, N_TURNS] = share
    for i in range(CHUNK + 1):
        for pair in range(N_TURNS):
            angle = i * share * tables[2, pair]
            tables[0, i * N_TURNS + pair] = math.cos(angle)
            tables[1, i * N_TURNS + pair] = math.sin(angle)


@inline_kernel
def _answer_more(audio: Audio, at: int, n: int, rows: Audio, gain: float, step: float) -> None:
    """Outputs beyond two: further rows of the transform, of both halves' sum and of their difference."""
    for channel in range(2, audio.shape[0]):
        row = (1, 2, 9, 10, 4, 7, 12, 15)[channel]
        out = audio[channel, at : at + n]
        for i in range(n):
            out[i] = (gain + step * i) * rows[16 * i + row]


@in_table
@kernel(AUDIO, INT, PIECES, AUDIO, AUDIO, COUNT_ROWS, COUNT_ROWS, COUNTS, VECTOR, AUDIO, AUDIO)
def run_network(
    audio: Audio,
    n_samples: int,
    pieces: Counts,
    coefs: Audio,
    rings: Audio,
    places: Counts,
    taps: Counts,
    fade: Counts,
    state: Audio,
    turns: Audio,
    tables: Audio,
) -> None:
    """What enters by the first two of (2 to 8, n) is replaced by what the network answers, alike by none of them.

    Args:
        coefs: (2 n_pieces, 50): sixteen gains, sixteen poles of the absorption, the output gain, by how much of their
            turns pairs are turned, and sixteen lengths, which are crossfaded.
        rings: (16, longest wrap and a chunk), from new_rings.
        places: from new_places.
        taps: (2, 16) lengths now and next, none less than a chunk; 0 before there are any.
        fade: samples of the fade between both lengths that are left, samples of the whole fade.
        state: (16,) absorption.
        turns: (2, 8) cosine and sine of each pair's angle where the chunk begins.
        tables: from turn_tables; made anew where the turning changes.
    """
    flat, width = rings.reshape(rings.size), rings.shape[1]
    reads, writes = np.empty(16, np.int64), np.empty(16, np.int64)
    by_line = aligned(16 * 64)
    by_sample = aligned(64 * 16)
    one, quarter, least = spread(1.0), spread(0.25), spread(_TINY)
    more = audio.shape[0] > 2
    rows = aligned(64 * 16) if more else aligned(16)
    rate = np.empty(33)
    done, k = 0, 0
    while done < n_samples:
        begin, end = line_begin(pieces, k), piece_last(pieces, k, n_samples)
        within = places[0, 0] & 63
        _aim(taps, fade, coefs, k)
        n = min(64 - within, end - done)
        if fade[0] > 0:
            n = min(n, fade[0])
        resting = rests(pieces, coefs, k)
        for j in range(33):
            rate[j] = 0.0 if resting else step_of(pieces, coefs, k, j)
        if within == 0:
            _turn(tables, coefs[2 * k, TURNING] + step_of(pieces, coefs, k, TURNING) * (done - begin))
        begin_cosine, begin_sine = load(turns[0], 0), load(turns[1], 0)
        for line in range(16):
            start = places[0, line] - taps[1, line]
            reads[line] = line * width + (start if start >= 0 else start + places[1, line])
            writes[line] = line * width + places[0, line]
        if fade[0] > 0:
            _arrive(by_line, n, rings, places, taps, fade)
            for i in range(0, n, 8):
                transpose(by_line, i, 64, by_sample, 16 * i, 16)
                transpose(by_line, 8 * 64 + i, 64, by_sample, 16 * i + 8, 16)
        else:
            for i in range(0, n, 8):
                transpose_from(flat, reads, 0, i, by_sample, 16 * i, 16)
                transpose_from(flat, reads, 8, i, by_sample, 16 * i + 8, 16)
        low, high = load(state, 0), load(state, 8)
        target = coefs[2 * k]
        gain_low, gain_high = load(target, 0), load(target, 8)
        pole_low, pole_high = load(target, 16), load(target, 24)
        entering_left = audio[0, done : done + n]
        entering_right = audio[1, done : done + n]
        for i in range(n):
            if not resting:
                gone = spread(float(done + i - begin))
                gain_low = load(target, 0) + load(rate, 0) * gone
                gain_high = load(target, 8) + load(rate, 8) * gone
                pole_low = load(target, 16) + load(rate, 16) * gone
                pole_high = load(target, 24) + load(rate, 24) * gone
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
            gain = target[OUTPUT] + rate[OUTPUT] * (done + i - begin)
            # Two rows of the transform: neighbours, and pairs of neighbours, with opposite signs.
            entering_left[i] = gain * lane(a, 1)
            entering_right[i] = gain * lane(a, 2)
            if more:
                store(rows, 16 * i, a)
                store(rows, 16 * i + 8, b)
        if more:
            _answer_more(audio, done, n, rows, target[OUTPUT] - rate[OUTPUT] * (begin - done), rate[OUTPUT])
        if within + n == 64:
            low, high = without_traces(low, least), without_traces(high, least)
            further_cosine, further_sine = load(tables[0], 8 * 64), load(tables[1], 8 * 64)
            store(turns[0], 0, begin_cosine * further_cosine - begin_sine * further_sine)
            store(turns[1], 0, begin_sine * further_cosine + begin_cosine * further_sine)
        store(state, 0, low)
        store(state, 8, high)
        whole = n - n % 8
        for i in range(0, whole, 8):
            transpose_to(by_sample, 16 * i, 16, flat, writes, 0, i)
            transpose_to(by_sample, 16 * i + 8, 16, flat, writes, 8, i)
        for line in range(16):
            write, wrap = places[0, line], places[1, line]
            for i in range(whole, n):
                flat[writes[line] + i] = by_sample[16 * i + line]
            if write < 64:
                for i in range(n):
                    flat[writes[line] + wrap + i] = flat[writes[line] + i]
            places[0, line] = write + n if write + n < wrap else 0
        if fade[0] > 0:
            fade[0] = max(0, fade[0] - n)
            if fade[0] == 0:
                for line in range(16):
                    taps[0, line] = taps[1, line]
        done += n
        if done == end:
            k += 1
