"""Bending a wave at eight times the rate.

The rate is doubled three times and halved three times. The band between 20 kHz and half the rate is given up to the
first filter's slope: what folds back lands there. What is below 20 kHz meets filters that are 99 dB down. All of it
is single precision, which rounds 140 dB under the signal.
"""

from typing import Any

import numpy as np
from numpy.polynomial.polynomial import polyadd

from gemischt.core.audio import Audio, Counts, Single
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.half_band import design_half_band, double_rate, halve_rate
from gemischt.core.dsp.jit import (
    AUDIO,
    COUNTS,
    INT,
    SINGLE_AUDIO,
    SINGLE_CUBE,
    SINGLE_VECTOR,
    inline_kernel,
    kernel,
)
from gemischt.core.dsp.lanes import N_SINGLES, held_within, load, spread, store

_STOP_DB = 100.0
FIRST = design_half_band(40, _STOP_DB)
SECOND = design_half_band(20, _STOP_DB)
# So short a design falls short of its figure.
THIRD = design_half_band(10, 108.0)
LATENCY_SAMPLES = 51
"""39 of the first filter, 19 / 2 of the second, 9 / 4 of the third, and 1 / 4 to make it whole."""
KEEP = 64
"""How much of every line is kept for the next block: no less than the latency and the longest filter."""
LINES = 10
SEGMENT = 256
DRIVE, BIAS, OUTPUT, MIX = range(4)


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
def tanh(x: np.float32) -> np.float32:
    """Hyperbolic tangent in single precision, without a branch; small arguments keep their relative precision."""
    y = min(max(x, -_TOP), _TOP)
    t = y * y
    over = fma(t, fma(t, fma(t, fma(t, fma(t, fma(t, N6, N5), N4), N3), N2), N1), N0)
    under = fma(t, fma(t, fma(t, fma(t, fma(t, fma(t, D6, D5), D4), D3), D2), D1), D0)
    return np.float32(y * over / under)


@inline_kernel
def tanh_of_lanes(x: Any) -> Any:
    """``tanh`` of sixteen."""
    top = spread(_TOP)
    y = held_within(x, spread(-_TOP), top)
    t = y * y
    over, under = spread(N6), spread(D6)
    over, under = fma(t, over, spread(N5)), fma(t, under, spread(D5))
    over, under = fma(t, over, spread(N4)), fma(t, under, spread(D4))
    over, under = fma(t, over, spread(N3)), fma(t, under, spread(D3))
    over, under = fma(t, over, spread(N2)), fma(t, under, spread(D2))
    over, under = fma(t, over, spread(N1)), fma(t, under, spread(D1))
    over, under = fma(t, over, spread(N0)), fma(t, under, spread(D0))
    return y * over / under


@inline_kernel
def _interleave(out: Single, early: Single, late: Single) -> None:
    for i in range(early.size):
        out[2 * i] = early[i]
        out[2 * i + 1] = late[i]


@inline_kernel
def _part(early: Single, late: Single, line: Single, start: int) -> None:
    """The two phases of a line from a place on."""
    both = line[start : start + 2 * early.size]
    for i in range(early.size):
        early[i] = both[2 * i]
        late[i] = both[2 * i + 1]


@inline_kernel
def _bend(wave: Single, ramp: Audio, left: int) -> None:
    """Bend a stretch at four times the rate; ``left`` samples of the ramp remain at its start."""
    ramped = min(wave.size, 4 * left)
    for i in range(ramped):
        to_go = left - i // 4
        drive = np.float32(ramp[0, DRIVE] - ramp[1, DRIVE] * to_go)
        bias = np.float32(ramp[0, BIAS] - ramp[1, BIAS] * to_go)
        rest = tanh(bias)
        wave[i] = (tanh(fma(drive, wave[i], bias)) - rest) / (drive * (_ONE - rest * rest))
    drive = np.float32(ramp[0, DRIVE])
    bias = np.float32(ramp[0, BIAS])
    rest = tanh(bias)
    scale = _ONE / (drive * (_ONE - rest * rest))
    steady = wave[ramped:]
    whole = steady.size - steady.size % N_SINGLES
    drives, biases, rests, scales = spread(drive), spread(bias), spread(rest), spread(scale)
    for i in range(0, whole, N_SINGLES):
        store(steady, i, (tanh_of_lanes(fma(drives, load(steady, i), biases)) - rests) * scales)
    for i in range(whole, steady.size):
        steady[i] = (tanh(fma(drive, steady[i], bias)) - rest) * scale


@inline_kernel
def _move_back(line: Single, end: int) -> None:
    """Put the 64 samples before ``end + 64`` at the beginning."""
    first, second, third, fourth = load(line, end), load(line, end + 16), load(line, end + 32), load(line, end + 48)
    store(line, 0, first)
    store(line, 16, second)
    store(line, 32, third)
    store(line, 48, fourth)


@kernel(
    AUDIO,
    INT,
    AUDIO,
    SINGLE_VECTOR,
    SINGLE_VECTOR,
    SINGLE_VECTOR,
    SINGLE_CUBE,
    SINGLE_AUDIO,
    AUDIO,
    COUNTS,
)
def saturate(
    audio: Audio,
    n_samples: int,
    wet: Audio,
    first: Single,
    second: Single,
    third: Single,
    kept: Single,
    lines: Single,
    ramp: Audio,
    remaining: Counts,
) -> None:
    """Bend ``audio`` into ``wet`` (n_channels, n), 51 samples late.

    Args:
        first, second, third: the filters between 1, 2, 4 and 8 times the rate.
        kept: (n_channels, 10, 64) the end of each line before this block.
        lines: (10, 64 + 4 * 256) scratch: what was kept, and what is new.
        ramp: (2, 4) targets and steps of drive, bias, output gain and mix; the last two are not used here.
    """
    keep = 64
    doubled = np.empty((2, 4 * 256), np.float32)
    early, late = doubled[0], doubled[1]
    x1, x2, x4, early8, late8 = lines[0], lines[1], lines[2], lines[3], lines[4]
    y4, early4, late4, early2, late2 = lines[5], lines[6], lines[7], lines[8], lines[9]
    rates = (1, 2, 4, 4, 4, 4, 2, 2, 1, 1)
    for channel in range(audio.shape[0]):
        for line in range(10):
            for i in range(keep):
                lines[line, i] = kept[channel, line, i]
        for start in range(0, n_samples, 256):
            n = min(256, n_samples - start)
            new1 = slice(keep, keep + n)
            new2 = slice(keep, keep + 2 * n)
            new4 = slice(keep, keep + 4 * n)
            left = max(0, remaining[0] - start)
            for i in range(n):
                x1[keep + i] = min(max(audio[channel, start + i], -_LOUDEST), _LOUDEST)
            double_rate(early[:n], late[:n], x1, first, keep)
            _interleave(x2[new2], early[:n], late[:n])
            double_rate(early[: 2 * n], late[: 2 * n], x2, second, keep)
            _interleave(x4[new4], early[: 2 * n], late[: 2 * n])
            double_rate(early8[new4], late8[new4], x4, third, keep)
            _bend(early8[new4], ramp, left)
            _bend(late8[new4], ramp, left)
            halve_rate(y4[new4], early8, late8, third, keep)
            _part(early4[new2], late4[new2], y4, keep - 1)  # A quarter of a sample later.
            halve_rate(early[: 2 * n], early4, late4, second, keep)
            _part(early2[new1], late2[new1], early, 0)
            halve_rate(early[:n], early2, late2, first, keep)
            for i in range(n):
                wet[channel, start + i] = early[i]
            for line in range(10):
                _move_back(lines[line], rates[line] * n)
        for line in range(10):
            for i in range(keep):
                kept[channel, line, i] = lines[line, i]


@kernel(AUDIO, AUDIO, INT, AUDIO, COUNTS)
def blend_bent(audio: Audio, wet: Audio, n_samples: int, ramp: Audio, remaining: Counts) -> None:
    """audio = (1 - mix) audio + mix output wet; ``ramp`` as for saturate."""
    left = remaining[0]
    for channel in range(audio.shape[0]):
        for i in range(n_samples):
            to_go = max(0, left - i)
            output = ramp[0, OUTPUT] - ramp[1, OUTPUT] * to_go
            mix = ramp[0, MIX] - ramp[1, MIX] * to_go
            audio[channel, i] = (1.0 - mix) * audio[channel, i] + mix * output * wet[channel, i]
    remaining[0] = max(0, left - n_samples)
