"""Bending a wave at eight times the rate.

The band between 20 kHz and half the rate is given up to the filters' slope: what folds back lands there. Both filters
are the same linear-phase Kaiser design (J. F. Kaiser, 1974), 100 dB down, so that the whole delay is 40 samples.
"""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.decibels import E0, E1, E2, E3, E4, E5, E6, E7
from gemischt.core.dsp.jit import AUDIO, COUNTS, INT, inline_kernel, kernel

FACTOR = 8
TAPS_PER_PHASE = 41
LATENCY_SAMPLES = 40
_STOP_DB = 100.0
_KAISER_BETA = 0.1102 * (_STOP_DB - 8.7)
DRIVE, BIAS, OUTPUT, MIX = range(4)


def design_phases() -> NDArray[np.float64]:
    """The filter in phases, (8, 41): tap t of phase p weighs the sample t steps back."""
    n_taps = FACTOR * (TAPS_PER_PHASE - 1) + 1
    steps = (np.arange(n_taps) - (n_taps - 1) / 2) / FACTOR
    prototype = np.sinc(steps) * np.kaiser(n_taps, _KAISER_BETA)
    prototype /= prototype.sum()
    padded = np.zeros(FACTOR * TAPS_PER_PHASE)
    padded[:n_taps] = FACTOR * prototype
    phases: NDArray[np.float64] = np.ascontiguousarray(padded.reshape(TAPS_PER_PHASE, FACTOR).T)
    return phases


@inline_kernel
def tanh(x: float) -> float:
    """Hyperbolic tangent to 1e-8, without a branch."""
    octaves = min(max(x * 2.8853900817779268, -60.0), 60.0)
    whole = np.floor(octaves)
    f = octaves - whole
    p = E0 + f * (E1 + f * (E2 + f * (E3 + f * (E4 + f * (E5 + f * (E6 + f * E7))))))
    e = p * np.int64((np.int64(whole) + 1023) << 52).view(np.float64)
    return float((e - 1.0) / (e + 1.0))


@kernel(AUDIO, INT, AUDIO, AUDIO, AUDIO, AUDIO, AUDIO, AUDIO, COUNTS)
def saturate(
    audio: Audio,
    n_samples: int,
    wet: Audio,
    phases: Audio,
    history: Audio,
    shaped_history: Audio,
    scratch: Audio,
    ramp: Audio,
    remaining: Counts,
) -> None:
    """Bend ``audio`` into ``wet`` (n_channels, n), both ends delayed alike; ``audio`` becomes the delayed input.

    Args:
        phases: (8, 41) from design_phases.
        history: (n_channels, 40) input before this block.
        shaped_history: (n_channels * 8, 40) bent signal before this block, per phase.
        scratch: (4, >= n + 40).
        ramp: (2, 4) targets and steps of drive, bias, output gain and mix; the last two are not used here.
    """
    keep = 40
    left = remaining[0]
    line = scratch[0]
    bent = scratch[1]
    drive = scratch[2]
    bias = scratch[3]
    for i in range(n_samples):
        to_go = max(0, left - i)
        drive[i] = ramp[0, DRIVE] - ramp[1, DRIVE] * to_go
        bias[i] = ramp[0, BIAS] - ramp[1, BIAS] * to_go
    for channel in range(audio.shape[0]):
        for i in range(keep):
            line[i] = history[channel, i]
        for i in range(n_samples):
            line[keep + i] = audio[channel, i]
        for i in range(keep):
            history[channel, i] = line[n_samples + i]
        row = wet[channel, :n_samples]
        row[:] = 0.0
        for phase in range(8):
            kept = shaped_history[8 * channel + phase]
            for i in range(keep):
                bent[i] = kept[i]
            fresh = bent[keep : keep + n_samples]
            fresh[:] = 0.0
            for t in range(41):
                weight = phases[phase, t]
                part = line[keep - t : keep - t + n_samples]
                for i in range(fresh.size):
                    fresh[i] += weight * part[i]
            for i in range(fresh.size):
                rest = tanh(bias[i])
                fresh[i] = (tanh(drive[i] * fresh[i] + bias[i]) - rest) / (drive[i] * (1.0 - rest * rest))
            for i in range(keep):
                kept[i] = bent[n_samples + i]
            for t in range(41):
                # Decimation takes the phases the other way round, one sample later for all but the first.
                weight = 0.125 * phases[(8 - phase) % 8, t]
                back = t if phase == 0 else t + 1
                if back <= keep:
                    part = bent[keep - back : keep - back + n_samples]
                    for i in range(row.size):
                        row[i] += weight * part[i]
        for i in range(n_samples):
            audio[channel, i] = line[i]


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
