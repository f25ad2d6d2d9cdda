"""Bending a wave at eight times the rate.

The rate is doubled three times and halved three times. The band between 20 kHz and half the rate is given up to the
first filter's slope: what folds back lands there. What is below 20 kHz meets filters that are 99 dB down.
"""

import numpy as np

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.decibels import E0, E1, E2, E3, E4, E5, E6, E7
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.half_band import design_half_band, double_rate, halve_rate
from gemischt.core.dsp.jit import AUDIO, COUNTS, CUBE, INT, VECTOR, inline_kernel, kernel

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


@inline_kernel
def tanh(x: float) -> float:
    """Hyperbolic tangent to 1e-8, without a branch."""
    octaves = min(max(x * 2.8853900817779268, -60.0), 60.0)
    whole = np.floor(octaves)
    f = octaves - whole
    p = fma(f, fma(f, fma(f, fma(f, E7, E6), E5), E4), E3)
    p = fma(f, fma(f, fma(f, p, E2), E1), E0)
    e = p * np.int64((np.int64(whole) + 1023) << 52).view(np.float64)
    return float((e - 1.0) / (e + 1.0))


@inline_kernel
def _interleave(out: Audio, early: Audio, late: Audio) -> None:
    for i in range(early.size):
        out[2 * i] = early[i]
        out[2 * i + 1] = late[i]


@inline_kernel
def _bend(wave: Audio, ramp: Audio, left: int) -> None:
    """Bend a stretch at four times the rate; ``left`` samples of the ramp remain at its start."""
    ramped = min(wave.size, 4 * left)
    for i in range(ramped):
        to_go = left - i // 4
        drive = ramp[0, DRIVE] - ramp[1, DRIVE] * to_go
        bias = ramp[0, BIAS] - ramp[1, BIAS] * to_go
        rest = tanh(bias)
        wave[i] = (tanh(drive * wave[i] + bias) - rest) / (drive * (1.0 - rest * rest))
    drive = ramp[0, DRIVE]
    bias = ramp[0, BIAS]
    rest = tanh(bias)
    scale = 1.0 / (drive * (1.0 - rest * rest))
    steady = wave[ramped:]
    for i in range(steady.size):
        steady[i] = (tanh(drive * steady[i] + bias) - rest) * scale


@kernel(AUDIO, INT, AUDIO, VECTOR, VECTOR, VECTOR, CUBE, AUDIO, AUDIO, COUNTS)
def saturate(
    audio: Audio,
    n_samples: int,
    wet: Audio,
    first: Audio,
    second: Audio,
    third: Audio,
    kept: Audio,
    lines: Audio,
    ramp: Audio,
    remaining: Counts,
) -> None:
    """Bend ``audio`` into ``wet`` (n_channels, n), both ends delayed alike; ``audio`` becomes the delayed input.

    Args:
        first, second, third: the filters between 1, 2, 4 and 8 times the rate.
        kept: (n_channels, 10, 64) the end of each line before this block.
        lines: (10, 64 + 4 * 256) scratch: what was kept, and what is new.
        ramp: (2, 4) targets and steps of drive, bias, output gain and mix; the last two are not used here.
    """
    keep = 64
    doubled = np.empty((2, 4 * 256))
    for start in range(0, n_samples, 256):
        n = min(256, n_samples - start)
        left = max(0, remaining[0] - start)
        for channel in range(audio.shape[0]):
            lines[:, :keep] = kept[channel]
            sizes = (n, 2 * n, 4 * n, 4 * n, 4 * n, 4 * n, 2 * n, 2 * n, n, n)
            x1 = lines[0]
            x1[keep : keep + n] = audio[channel, start : start + n]
            x2 = lines[1]
            double_rate(doubled[0, :n], doubled[1, :n], x1, first, keep)
            _interleave(x2[keep : keep + 2 * n], doubled[0, :n], doubled[1, :n])
            x4 = lines[2]
            double_rate(doubled[0, : 2 * n], doubled[1, : 2 * n], x2, second, keep)
            _interleave(x4[keep : keep + 4 * n], doubled[0, : 2 * n], doubled[1, : 2 * n])
            early8 = lines[3]
            late8 = lines[4]
            double_rate(early8[keep : keep + 4 * n], late8[keep : keep + 4 * n], x4, third, keep)
            _bend(early8[keep : keep + 4 * n], ramp, left)
            _bend(late8[keep : keep + 4 * n], ramp, left)
            y4 = lines[5]
            halve_rate(y4[keep : keep + 4 * n], early8, late8, third, keep)
            early4 = lines[6]
            late4 = lines[7]
            for i in range(2 * n):
                # A quarter of a sample later.
                early4[keep + i] = y4[keep + 2 * i - 1]
                late4[keep + i] = y4[keep + 2 * i]
            y2 = doubled[0, : 2 * n]
            halve_rate(y2, early4, late4, second, keep)
            early2 = lines[8]
            late2 = lines[9]
            for i in range(n):
                early2[keep + i] = y2[2 * i]
                late2[keep + i] = y2[2 * i + 1]
            halve_rate(wet[channel, start : start + n], early2, late2, first, keep)
            audio[channel, start : start + n] = x1[keep - 51 : keep - 51 + n]
            for line in range(10):
                kept[channel, line] = lines[line, sizes[line] : sizes[line] + keep]


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
