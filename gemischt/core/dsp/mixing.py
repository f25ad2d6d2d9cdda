"""Moving signals: through gain matrices, into sums, through delays.

Gains ramp linearly. A ramp is an array of rows (target, step) and a count of samples that remain: the value ``i``
samples into a block is ``target - step * (remaining - i)``, so it does not depend on how blocks are cut.

What follows a ramp is looped over slices: indices that begin at zero need no wrap-around check, and vectorise.
"""

import numpy as np

from gemischt.core.audio import Audio, Counts, Single
from gemischt.core.dsp.jit import (
    AUDIO,
    BOOL,
    COUNTS,
    CUBE,
    INT,
    SINGLE_AUDIO,
    VECTOR,
    kernel,
    measuring_kernel,
)
from gemischt.core.dsp.magnitude import highest_magnitude


@kernel(AUDIO, INT, SINGLE_AUDIO)
def to_single(audio: Audio, n_samples: int, out: Single) -> None:
    """out = audio, (n_channels, >= n), for what only reads: single precision rounds 150 dB under the signal."""
    for channel in range(audio.shape[0]):
        row = audio[channel, :n_samples]
        out_row = out[channel, :n_samples]
        for i in range(row.size):
            out_row[i] = row[i]


@kernel(SINGLE_AUDIO, INT, INT, SINGLE_AUDIO)
def to_frames(audio: Single, first: int, last: int, frames: Single) -> None:
    """Samples [first, last) of one or two channels as files hold them, (last - first, n_channels)."""
    flat = frames.reshape(frames.size)
    if audio.shape[0] == 1:
        row = audio[0, first:last]
        for i in range(row.size):
            flat[i] = row[i]
    else:
        left = audio[0, first:last]
        right = audio[1, first:last]
        for i in range(left.size):
            flat[2 * i] = left[i]
            flat[2 * i + 1] = right[i]


@measuring_kernel(AUDIO, INT, AUDIO)
def measure_level(audio: Audio, n_samples: int, meter: Audio) -> None:
    """Raise peaks and add up squares: ``meter`` holds (peak, sum of squares) per channel."""
    for channel in range(audio.shape[0]):
        row = audio[channel, :n_samples]
        total = 0.0
        for i in range(row.size):
            total += row[i] * row[i]
        meter[channel, 0] = max(meter[channel, 0], highest_magnitude(row))
        meter[channel, 1] += total


@kernel(AUDIO, AUDIO, INT, CUBE, COUNTS, AUDIO, BOOL, AUDIO, BOOL)
def apply_matrix(
    source: Audio,
    out: Audio,
    n_samples: int,
    ramp: Audio,
    remaining: Counts,
    source_meter: Audio,
    meters_source: bool,
    out_meter: Audio,
    meters_out: bool,
) -> None:
    """out = matrix @ source; ``ramp`` (2, n_out, n_source) holds targets and steps. Measures both ends if asked."""
    ramped = min(n_samples, remaining[0])
    left = remaining[0]
    for channel in range(out.shape[0]):
        target_a = ramp[0, channel, 0]
        step_a = ramp[1, channel, 0]
        if source.shape[0] == 1:
            for i in range(ramped):
                out[channel, i] = (target_a - step_a * (left - i)) * source[0, i]
            rest_out = out[channel, ramped:n_samples]
            rest = source[0, ramped:n_samples]
            for i in range(rest_out.size):
                rest_out[i] = target_a * rest[i]
        else:
            target_b = ramp[0, channel, 1]
            step_b = ramp[1, channel, 1]
            for i in range(ramped):
                a = (target_a - step_a * (left - i)) * source[0, i]
                out[channel, i] = a + (target_b - step_b * (left - i)) * source[1, i]
            rest_out = out[channel, ramped:n_samples]
            rest_a = source[0, ramped:n_samples]
            rest_b = source[1, ramped:n_samples]
            for i in range(rest_out.size):
                rest_out[i] = target_a * rest_a[i] + target_b * rest_b[i]
    remaining[0] = left - ramped
    if meters_source:
        measure_level(source, n_samples, source_meter)
    if meters_out:
        measure_level(out, n_samples, out_meter)


@kernel(AUDIO, INT, CUBE, COUNTS)
def apply_matrix_in_place(audio: Audio, n_samples: int, ramp: Audio, remaining: Counts) -> None:
    """audio = matrix @ audio for one or two channels; ``ramp`` (2, n, n) holds targets and steps."""
    left = remaining[0]
    if audio.shape[0] == 1:
        for i in range(n_samples):
            audio[0, i] *= ramp[0, 0, 0] - ramp[1, 0, 0] * max(0, left - i)
    else:
        for i in range(n_samples):
            to_go = max(0, left - i)
            a = audio[0, i]
            b = audio[1, i]
            audio[0, i] = (ramp[0, 0, 0] - ramp[1, 0, 0] * to_go) * a + (ramp[0, 0, 1] - ramp[1, 0, 1] * to_go) * b
            audio[1, i] = (ramp[0, 1, 0] - ramp[1, 1, 0] * to_go) * a + (ramp[0, 1, 1] - ramp[1, 1, 1] * to_go) * b
    remaining[0] = max(0, left - n_samples)


@kernel(AUDIO, AUDIO, INT, AUDIO, COUNTS)
def blend_wet(audio: Audio, wet: Audio, n_samples: int, ramp: Audio, remaining: Counts) -> None:
    """audio = dry * audio + the wet signal with its middle and sides weighed apart.

    Args:
        audio: one or two channels; one takes the middle of the wet signal.
        wet: (2, >= n).
        ramp: (2, 3) targets and steps of the gains of dry, middle and sides.
    """
    left = remaining[0]
    for i in range(n_samples):
        to_go = max(0, left - i)
        dry = ramp[0, 0] - ramp[1, 0] * to_go
        middle = 0.5 * (ramp[0, 1] - ramp[1, 1] * to_go) * (wet[0, i] + wet[1, i])
        side = 0.5 * (ramp[0, 2] - ramp[1, 2] * to_go) * (wet[0, i] - wet[1, i])
        if audio.shape[0] == 1:
            audio[0, i] = dry * audio[0, i] + middle
        else:
            audio[0, i] = dry * audio[0, i] + middle + side
            audio[1, i] = dry * audio[1, i] + middle - side
    remaining[0] = max(0, left - n_samples)


@kernel(AUDIO, AUDIO, INT, VECTOR, COUNTS)
def mix_into(source: Audio, out: Audio, n_samples: int, ramp: Audio, remaining: Counts) -> None:
    """out += gain * source; one channel feeds all, two meet halved in one. ``ramp`` holds target and step."""
    left = remaining[0]
    ramped = min(n_samples, left)
    target = ramp[0]
    step = ramp[1]
    if out.shape[0] == 1 and source.shape[0] == 2:
        for i in range(n_samples):
            gain = target - step * max(0, left - i)
            out[0, i] += gain * 0.5 * (source[0, i] + source[1, i])
        remaining[0] = left - ramped
        return
    for channel in range(out.shape[0]):
        row = min(channel, source.shape[0] - 1)
        for i in range(ramped):
            out[channel, i] += (target - step * (left - i)) * source[row, i]
        rest_out = out[channel, ramped:n_samples]
        rest = source[row, ramped:n_samples]
        for i in range(rest_out.size):
            rest_out[i] += target * rest[i]
    remaining[0] = left - ramped


@kernel(AUDIO, INT, AUDIO, COUNTS)
def delay_in_place(audio: Audio, n_samples: int, ring: Audio, position: Counts) -> None:
    """Delay by the ring's length; ring[:, position] is the oldest sample."""
    length = ring.shape[1]
    at = position[0]
    for channel in range(audio.shape[0]):
        at = position[0]
        done = 0
        while done < n_samples:
            step = min(n_samples - done, length - at)
            kept = ring[channel, at : at + step]
            passing = audio[channel, done : done + step]
            for i in range(kept.size):
                oldest = kept[i]
                kept[i] = passing[i]
                passing[i] = oldest
            done += step
            at += step
            if at == length:
                at = 0
    position[0] = at


def start_ramp(ramp: Audio, remaining: Counts, target: Audio | float, n_samples: int) -> None:
    """Aim a ramp at a new target from wherever it is; ``n_samples`` 0 jumps."""
    current = ramp[0] - ramp[1] * remaining[0]
    ramp[0] = target
    ramp[1] = (np.asarray(target) - current) / n_samples if n_samples else 0.0
    remaining[0] = n_samples
