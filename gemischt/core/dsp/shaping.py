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


def gathering_phases(phases: NDArray[np.float64]) -> NDArray[np.float64]:
    """The filter as decimation takes it: phases the other way round, all but the first a sample later; (8, 41)."""
    gathering = np.zeros_like(phases)
    gathering[0] = phases[0] / FACTOR
    gathering[1:, 1:] = phases[:0:-1, :-1] / FACTOR
    return np.ascontiguousarray(gathering)


@inline_kernel
def tanh(x: float) -> float:
    """Hyperbolic tangent to 1e-8, without a branch."""
    octaves = min(max(x * 2.8853900817779268, -60.0), 60.0)
    whole = np.floor(octaves)
    f = octaves - whole
    p = E0 + f * (E1 + f * (E2 + f * (E3 + f * (E4 + f * (E5 + f * (E6 + f * E7))))))
    e = p * np.int64((np.int64(whole) + 1023) << 52).view(np.float64)
    return float((e - 1.0) / (e + 1.0))


@inline_kernel
def _add_filtered(out: Audio, signal: Audio, taps: Audio, start: int) -> None:
    """out[i] += sum of taps[t] * signal[start + i - t], four taps a pass so that sums stay in registers."""
    n = out.size
    for t in range(0, 40, 4):
        w0, w1, w2, w3 = taps[t], taps[t + 1], taps[t + 2], taps[t + 3]
        p0 = signal[start - t : start - t + n]
        p1 = signal[start - t - 1 : start - t - 1 + n]
        p2 = signal[start - t - 2 : start - t - 2 + n]
        p3 = signal[start - t - 3 : start - t - 3 + n]
        for i in range(n):
            out[i] += (w0 * p0[i] + w1 * p1[i]) + (w2 * p2[i] + w3 * p3[i])
    last = taps[40]
    p0 = signal[start - 40 : start - 40 + n]
    for i in range(n):
        out[i] += last * p0[i]


@kernel(AUDIO, INT, AUDIO, AUDIO, AUDIO, AUDIO, AUDIO, AUDIO, AUDIO, COUNTS)
def saturate(
    audio: Audio,
    n_samples: int,
    wet: Audio,
    phases: Audio,
    gathering: Audio,
    history: Audio,
    shaped_history: Audio,
    scratch: Audio,
    ramp: Audio,
    remaining: Counts,
) -> None:
    """Bend ``audio`` into ``wet`` (n_channels, n), both ends delayed alike; ``audio`` becomes the delayed input.

    Args:
        phases: (8, 41) from design_phases.
        gathering: (8, 41) the same filter as decimation takes it, see gathering_phases.
        history: (n_channels, 40) input before this block.
        shaped_history: (n_channels * 8, 40) bent signal before this block, per phase.
        scratch: (6, >= n + 40).
        ramp: (2, 4) targets and steps of drive, bias, output gain and mix; the last two are not used here.
    """
    keep = 40
    left = remaining[0]
    line = scratch[0]
    bent = scratch[1]
    drive = scratch[2, :n_samples]
    bias = scratch[3, :n_samples]
    rest = scratch[4, :n_samples]
    scale = scratch[5, :n_samples]
    for i in range(n_samples):
        to_go = max(0, left - i)
        drive[i] = ramp[0, DRIVE] - ramp[1, DRIVE] * to_go
        bias[i] = ramp[0, BIAS] - ramp[1, BIAS] * to_go
        rest[i] = tanh(bias[i])
        scale[i] = 1.0 / (drive[i] * (1.0 - rest[i] * rest[i]))
    for channel in range(audio.shape[0]):
        line[:keep] = history[channel]
        line[keep : keep + n_samples] = audio[channel, :n_samples]
        history[channel] = line[n_samples : n_samples + keep]
        row = wet[channel, :n_samples]
        row[:] = 0.0
        for phase in range(8):
            kept = shaped_history[8 * channel + phase]
            bent[:keep] = kept
            fresh = bent[keep : keep + n_samples]
            fresh[:] = 0.0
            _add_filtered(fresh, line, phases[phase], keep)
            for i in range(fresh.size):
                fresh[i] = (tanh(drive[i] * fresh[i] + bias[i]) - rest[i]) * scale[i]
            kept[:] = bent[n_samples : n_samples + keep]
            _add_filtered(row, bent, gathering[phase], keep)
        audio[channel, :n_samples] = line[:n_samples]


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
