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
from gemischt.core.dsp.jit import AUDIO, COUNTS, INT, VECTOR, kernel

N_LINES = 16
N_DIFFUSERS = 4
N_TURNS = 8
_EXACT_EVERY = 64
"""Samples after which a turning angle is computed anew instead of step by step."""
_TINY = 1e-25


@kernel(AUDIO, INT, AUDIO, COUNTS, COUNTS, VECTOR, COUNTS)
def diffuse(
    audio: Audio, n_samples: int, rings: Audio, lengths: Counts, write: Counts, ramp: Audio, remaining: Counts
) -> None:
    """Four all-passes in series per channel, in place.

    Args:
        audio: (2, >= n).
        rings: (8, power of two), four of the left channel, then four of the right.
        lengths: (8,) samples.
        write: (1,) position shared by all rings.
        ramp: (2,) coefficient's target and step.
    """
    mask = rings.shape[1] - 1
    left = remaining[0]
    for channel in range(2):
        for stage in range(4):
            row = 4 * channel + stage
            length = lengths[row]
            at = write[0]
            for i in range(n_samples):
                coefficient = ramp[0] - ramp[1] * max(0, left - i)
                delayed = rings[row, (at - length) & mask]
                fed = audio[channel, i] - coefficient * delayed
                rings[row, at] = fed if abs(fed) > _TINY else 0.0
                audio[channel, i] = delayed + coefficient * fed
                at = (at + 1) & mask
    write[0] = (write[0] + n_samples) & mask
    remaining[0] = max(0, left - n_samples)


@kernel(AUDIO, INT, AUDIO, AUDIO, COUNTS, AUDIO, COUNTS, VECTOR, AUDIO)
def run_network(
    audio: Audio,
    n_samples: int,
    ring: Audio,
    taps: Audio,
    line: Counts,
    ramp: Audio,
    remaining: Counts,
    state: Audio,
    turns: Audio,
) -> None:
    """What enters (2, n) is replaced by what the network answers.

    Args:
        ring: (power of two, 16): one row a sample, so that one store writes all lines.
        taps: (2, 16) lengths now and next, samples as floats.
        line: write position, samples of the fade between both lengths that are left, samples of the whole fade,
            samples so far.
        ramp: (2, 33) targets and steps: sixteen gains, sixteen poles of the absorption, the output gain.
        state: (16,) absorption.
        turns: (3, 8) cosine and sine of each pair's angle, and how far it turns each sample, radians.
    """
    mask = ring.shape[0] - 1
    clock = line[3]
    step_c = np.cos(turns[2])
    step_s = np.sin(turns[2])
    cosine = turns[0]
    sine = turns[1]
    left = remaining[0]
    write = line[0]
    fade_left = line[1]
    y = np.empty(16)
    z = np.empty(16)
    now = np.empty(16, np.int64)
    following = np.empty(16, np.int64)
    for k in range(16):
        now[k] = np.int64(taps[0, k])
        following[k] = np.int64(taps[1, k])
    for i in range(n_samples):
        to_go = max(0, left - i)
        for k in range(16):
            y[k] = ring[(write - following[k]) & mask, k]
        if fade_left > 0:
            before = fade_left / line[2]
            for k in range(16):
                y[k] += before * (ring[(write - now[k]) & mask, k] - y[k])
            fade_left -= 1
        if to_go > 0:
            for k in range(16):
                gain = ramp[0, k] - ramp[1, k] * to_go
                pole = ramp[0, 16 + k] - ramp[1, 16 + k] * to_go
                state[k] = gain * (1.0 - pole) * y[k] + pole * state[k]
        else:
            for k in range(16):
                state[k] = ramp[0, k] * (1.0 - ramp[0, 16 + k]) * y[k] + ramp[0, 16 + k] * state[k]
        for k in range(8):
            z[2 * k] = state[k] + state[k + 8]
            z[2 * k + 1] = state[k] - state[k + 8]
        for k in range(8):
            y[2 * k] = z[k] + z[k + 8]
            y[2 * k + 1] = z[k] - z[k + 8]
        for k in range(8):
            z[2 * k] = y[k] + y[k + 8]
            z[2 * k + 1] = y[k] - y[k + 8]
        for k in range(8):
            y[2 * k] = z[k] + z[k + 8]
            y[2 * k + 1] = z[k] - z[k + 8]
        if clock % _EXACT_EVERY == 0:
            for k in range(8):
                cosine[k] = np.cos(clock * turns[2, k])
                sine[k] = np.sin(clock * turns[2, k])
        for k in range(8):
            a = y[k]
            b = y[k + 8]
            y[k] = cosine[k] * a - sine[k] * b
            y[k + 8] = sine[k] * a + cosine[k] * b
            turned = cosine[k] * step_c[k] - sine[k] * step_s[k]
            sine[k] = sine[k] * step_c[k] + cosine[k] * step_s[k]
            cosine[k] = turned
        clock += 1
        in_l = audio[0, i]
        in_r = audio[1, i]
        for k in range(8):
            value = 0.25 * y[k] + in_l
            ring[write, k] = value if abs(value) > _TINY else 0.0
        for k in range(8, 16):
            value = 0.25 * y[k] + in_r
            ring[write, k] = value if abs(value) > _TINY else 0.0
        out_l = 0.0
        out_r = 0.0
        for k in range(0, 16, 4):
            out_l += state[k] - state[k + 1] + state[k + 2] - state[k + 3]
            out_r += state[k] + state[k + 1] - state[k + 2] - state[k + 3]
        gain = ramp[0, 32] - ramp[1, 32] * to_go
        audio[0, i] = gain * out_l
        audio[1, i] = gain * out_r
        write = (write + 1) & mask
    for k in range(16):
        if abs(state[k]) < _TINY:
            state[k] = 0.0
    remaining[0] = max(0, left - n_samples)
    line[0] = write
    line[3] = clock
    if line[1] > 0:
        line[1] = fade_left
        if fade_left == 0:
            for k in range(16):
                taps[0, k] = taps[1, k]
