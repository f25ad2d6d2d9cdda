"""Bending a wave at sixteen times the rate.

The rate is doubled four times and halved four times. The band between 20 kHz and half the rate is given up to the
first filter's slope: what folds back lands there. What is below 20 kHz meets filters that are 99 dB down. All of it
is single precision, which rounds 140 dB under the signal.
"""

from typing import Any

import numpy as np
from numpy.polynomial.polynomial import polyadd

from gemischt.core.audio import Audio, Counts, Single
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.half_band import design_half_band, double_rate, double_rate_joined, halve_rate, split_phases
from gemischt.core.dsp.jit import (
    AUDIO,
    FLOAT,
    INT,
    SINGLE_AUDIO,
    SINGLE_CUBE,
    SINGLE_VECTOR,
    inline_kernel,
    kernel,
)
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, step_of
from gemischt.core.dsp.simd import N_SINGLES, held_within, load, spread, store
from gemischt.core.dsp.table import in_table

_STOP_DB = 100.0
FIRST = design_half_band(40, _STOP_DB)
SECOND = design_half_band(20, _STOP_DB)
# So short a design falls short of its figure.
THIRD = design_half_band(10, 108.0)
FOURTH = design_half_band(8, 108.0)
LATENCY_SAMPLES = 52
"""39 of the first filter, 19 / 2 of the second, 9 / 4 of the third, 7 / 8 of the fourth, and 3 / 8 to make it whole."""
KEEP = 64
"""How much of every line is kept for the next block: no less than the latency and the longest filter."""
LINES = 14
SEGMENT = 256
BEND, REST, OUTPUT, MIX = range(4)


def tanh_fraction(n_parts: int) -> tuple[Single, Single]:
    """Lambert's continued fraction tanh x = x / (1 + x^2 / (3 + x^2 / (5 + ...))) as polynomials in x^2.

    Returns:
        The coefficients over and under the line, lowest power first, scaled to begin with 1.
    """
    under, over = np.array([2.0 * n_parts - 1.0]), np.array([1.0])
    for part in range(n_parts - 1, 0, -1):
        under, over = polyadd((2.0 * part - 1.0) * under, np.append(0.0, over)), under
    return (over / over[0]).astype(np.float32), (under / over[0]).astype(np.float32)


# Thirteen parts are right to 4e-8 until they reach 1.
_OVER, _UNDER = tanh_fraction(13)
N0, N1, N2, N3, N4, N5, N6 = _OVER
D0, D1, D2, D3, D4, D5, D6 = _UNDER
_TOP = np.float32(8.9477)
_ONE = np.float32(1.0)
_LOUDEST = 1e9
"""Far above this single precision could not add up; the bend has long been flat."""


@inline_kernel
def bent(x: np.float32, bend: np.float32, rest: np.float32) -> np.float32:
    """tanh(b x) / (b (1 + r tanh(b x))), in single precision without a branch: the hyperbolic tangent, in which a
    rest r other than zero leans to one side. Quiet signals keep their level, and with b near zero all do."""
    y = min(max(bend * x, -_TOP), _TOP)
    t = y * y
    over = y * fma(t, fma(t, fma(t, fma(t, fma(t, fma(t, N6, N5), N4), N3), N2), N1), N0)
    under = fma(t, fma(t, fma(t, fma(t, fma(t, fma(t, D6, D5), D4), D3), D2), D1), D0)
    return np.float32(over / (bend * fma(rest, over, under)))


@inline_kernel
def bent_lanes(x: Any, bend: Any, rest: Any) -> Any:
    """``bent`` of sixteen."""
    top = spread(_TOP)
    y = held_within(bend * x, spread(-_TOP), top)
    t = y * y
    over, under = spread(N6), spread(D6)
    over, under = fma(t, over, spread(N5)), fma(t, under, spread(D5))
    over, under = fma(t, over, spread(N4)), fma(t, under, spread(D4))
    over, under = fma(t, over, spread(N3)), fma(t, under, spread(D3))
    over, under = fma(t, over, spread(N2)), fma(t, under, spread(D2))
    over, under = fma(t, over, spread(N1)), fma(t, under, spread(D1))
    over, under = y * fma(t, over, spread(N0)), fma(t, under, spread(D0))
    return over / (bend * fma(rest, over, under))


@inline_kernel
def _bend(wave: Single, bend: float, bend_step: float, rest: float, rest_step: float) -> None:
    """Bend a stretch at eight times the rate; steps are those of a sample at the plain rate."""
    if bend_step != 0.0 or rest_step != 0.0:
        for i in range(wave.size):
            at = i // 8
            wave[i] = bent(wave[i], np.float32(bend + bend_step * at), np.float32(rest + rest_step * at))
        return
    steep, lean = np.float32(bend), np.float32(rest)
    whole = wave.size - wave.size % N_SINGLES
    bends, leans = spread(steep), spread(lean)
    for i in range(0, whole, N_SINGLES):
        store(wave, i, bent_lanes(load(wave, i), bends, leans))
    for i in range(whole, wave.size):
        wave[i] = bent(wave[i], steep, lean)


@inline_kernel
def _move_back(line: Single, end: int) -> None:
    """Put the 64 samples before ``end + 64`` at the beginning."""
    first, second, third, fourth = load(line, end), load(line, end + 16), load(line, end + 32), load(line, end + 48)
    store(line, 0, first)
    store(line, 16, second)
    store(line, 32, third)
    store(line, 48, fourth)


@in_table
@kernel(
    AUDIO,
    INT,
    AUDIO,
    PIECES,
    AUDIO,
    SINGLE_VECTOR,
    SINGLE_VECTOR,
    SINGLE_VECTOR,
    SINGLE_VECTOR,
    SINGLE_CUBE,
    SINGLE_AUDIO,
)
def saturate(
    audio: Audio,
    n_samples: int,
    wet: Audio,
    pieces: Counts,
    coefs: Audio,
    first: Single,
    second: Single,
    third: Single,
    fourth: Single,
    kept: Single,
    lines: Single,
) -> None:
    """Bend ``audio`` into ``wet`` (n_channels, n), 52 samples late.

    Args:
        coefs: (2 n_pieces, 4) bend, rest, output gain and mix; the last two are not used here.
        first, second, third, fourth: the filters between 1, 2, 4, 8 and 16 times the rate.
        kept: (n_channels, 14, 64) the end of each line before this block.
        lines: (14, 64 + 8 * 256) scratch: what was kept, and what is new.
    """
    keep = 64
    early = np.empty(8 * 256, np.float32)
    x1, x2, x4, x8, early16, late16, y8 = lines[0], lines[1], lines[2], lines[3], lines[4], lines[5], lines[6]
    early8, late8, y4, early4, late4 = lines[7], lines[8], lines[9], lines[10], lines[11]
    early2, late2 = lines[12], lines[13]
    rates = (1, 2, 4, 8, 8, 8, 8, 4, 4, 4, 2, 2, 1, 1)
    for channel in range(audio.shape[0]):
        for line in range(14):
            for i in range(keep):
                lines[line, i] = kept[channel, line, i]
        start, k = 0, 0
        while start < n_samples:
            begin, end = line_begin(pieces, k), piece_last(pieces, k, n_samples)
            n = min(256, end - start)
            new1 = slice(keep, keep + n)
            new2 = slice(keep, keep + 2 * n)
            new4 = slice(keep, keep + 4 * n)
            new8 = slice(keep, keep + 8 * n)
            bend_step, rest_step = step_of(pieces, coefs, k, BEND), step_of(pieces, coefs, k, REST)
            bend = coefs[2 * k, BEND] + bend_step * (start - begin)
            rest = coefs[2 * k, REST] + rest_step * (start - begin)
            for i in range(n):
                x1[keep + i] = min(max(audio[channel, start + i], -_LOUDEST), _LOUDEST)
            double_rate_joined(x2[new2], x1, first, keep)
            double_rate_joined(x4[new4], x2, second, keep)
            double_rate_joined(x8[new8], x4, third, keep)
            double_rate(early16[new8], late16[new8], x8, fourth, keep)
            _bend(early16[new8], bend, bend_step, rest, rest_step)
            _bend(late16[new8], bend, bend_step, rest, rest_step)
            halve_rate(y8[new8], early16, late16, fourth, keep)
            split_phases(early8[new4], late8[new4], y8, keep - 3)  # Three eighths of a sample later.
            halve_rate(y4[new4], early8, late8, third, keep)
            split_phases(early4[new2], late4[new2], y4, keep)
            halve_rate(early[: 2 * n], early4, late4, second, keep)
            split_phases(early2[new1], late2[new1], early, 0)
            halve_rate(early[:n], early2, late2, first, keep)
            for i in range(n):
                wet[channel, start + i] = early[i]
            for line in range(14):
                _move_back(lines[line], rates[line] * n)
            start += n
            if start == end:
                k += 1
        for line in range(14):
            for i in range(keep):
                kept[channel, line, i] = lines[line, i]


@in_table
@kernel(AUDIO, AUDIO, INT, FLOAT, AUDIO)
def take_offset_out(wet: Audio, dry: Audio, n_samples: int, feedback: float, state: Audio) -> None:
    """wet = dry + what was added to it, without what stands still of that.

    Args:
        feedback: pole of the first-order high-pass.
        state: (n_channels, 2) what was added last, in and out.
    """
    for channel in range(wet.shape[0]):
        before, passed = state[channel, 0], state[channel, 1]
        for i in range(n_samples):
            added = wet[channel, i] - dry[channel, i]
            passed = fma(feedback, passed, added - before)
            before = added
            wet[channel, i] = dry[channel, i] + passed
        state[channel, 0] = before
        state[channel, 1] = passed if abs(passed) > 1e-30 else 0.0


@in_table
@kernel(AUDIO, AUDIO, INT, PIECES, AUDIO)
def blend_bent(audio: Audio, wet: Audio, n_samples: int, pieces: Counts, coefs: Audio) -> None:
    """audio = (1 - mix) audio + mix output wet; ``coefs`` as for saturate."""
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        n, gone = last - first, first - line_begin(pieces, k)
        outputs, output_step = coefs[2 * k, OUTPUT], step_of(pieces, coefs, k, OUTPUT)
        mixes, mix_step = coefs[2 * k, MIX], step_of(pieces, coefs, k, MIX)
        for channel in range(audio.shape[0]):
            row, bent_row = audio[channel, first:last], wet[channel, first:last]
            for i in range(n):
                output, mix = outputs + output_step * (gone + i), mixes + mix_step * (gone + i)
                row[i] = (1.0 - mix) * row[i] + mix * output * bent_row[i]
