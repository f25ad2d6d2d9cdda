"""Looking ahead for true peaks.

Peaks are those of the interpolated wave. The gain each asks for is held as a running minimum over the lookahead and two
samples more, released exponentially, and averaged over the lookahead: the average of gains that are all low enough is
low enough.
"""

import numpy as np

from gemischt.core.audio import Audio, Counts, Single
from gemischt.core.dsp.interpolation import (
    LONG_FIRST,
    SECOND,
    find_points,
    kept_samples,
    lag_samples,
    top_at,
    tops_at,
)
from gemischt.core.dsp.jit import (
    AUDIO,
    COUNTS,
    INT,
    SINGLE_AUDIO,
    SINGLE_VECTOR,
    VECTOR,
    inline_kernel,
    kernel,
)
from gemischt.core.dsp.mixing import delay_in_place
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, step_of
from gemischt.core.dsp.simd import N_SINGLES, store
from gemischt.core.dsp.table import in_table

FILTERS = (LONG_FIRST, SECOND)
INTERPOLATOR_LAG_SAMPLES = lag_samples(LONG_FIRST)
KEPT_SAMPLES = kept_samples(LONG_FIRST)
CEILING, DRIVE, MIX, RELEASE = range(4)
AVERAGE_AT, HEAD, LENGTH, CLOCK = range(4)
RELEASED, SUM = range(2)
_SEGMENT = 256
_LOUDEST = 1e9
"""Far above this single precision could not add up."""


@inline_kernel
def _wrapped(at: int, size: int) -> int:
    return at - size if at >= size else at


@inline_kernel
def _find_peaks(peaks: Audio, audio: Audio, n_samples: int, first: Single, second: Single, history: Single) -> None:
    """Highest true peak of all channels at each sample, into (1, >= n)."""
    keep = KEPT_SAMPLES
    joint = np.empty(keep + _SEGMENT, np.float32)
    points, doubled = np.empty(4 * _SEGMENT + 4, np.float32), np.empty(4 * _SEGMENT, np.float32)
    tops = np.empty(4 * _SEGMENT, np.float32)
    for i in range(n_samples):
        peaks[0, i] = 0.0
    for channel in range(audio.shape[0]):
        for i in range(keep):
            joint[i] = history[channel, i]
        for start in range(0, n_samples, _SEGMENT):
            n = min(_SEGMENT, n_samples - start)
            for i in range(n):
                joint[keep + i] = min(max(audio[channel, start + i], -_LOUDEST), _LOUDEST)
            find_points(points, doubled, joint, n, first, second)
            whole = n - n % N_SINGLES
            for k in range(0, 4 * whole, N_SINGLES):
                store(tops, k, tops_at(points, 1 + k))
            for k in range(4 * whole, 4 * n):
                tops[k] = top_at(points, 1 + k)
            row = peaks[0, start : start + n]
            for i in range(n):
                highest = max(max(tops[4 * i], tops[4 * i + 1]), max(tops[4 * i + 2], tops[4 * i + 3]))
                row[i] = max(row[i], highest)
            for i in range(keep):
                joint[i] = joint[n + i]
        for i in range(keep):
            history[channel, i] = joint[i]


@inline_kernel
def _ask_for_gains(gains: Audio, n_samples: int, pieces: Counts, coefs: Audio) -> None:
    """Peaks become the gains that bring them under the ceiling."""
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        row, gone = gains[0, first:last], first - line_begin(pieces, k)
        ceilings, ceiling_step = coefs[2 * k, CEILING], step_of(pieces, coefs, k, CEILING)
        drives, drive_step = coefs[2 * k, DRIVE], step_of(pieces, coefs, k, DRIVE)
        for i in range(row.size):
            ceiling, drive = ceilings + ceiling_step * (gone + i), drives + drive_step * (gone + i)
            row[i] = ceiling / max(drive * row[i], ceiling)


@inline_kernel
def _follow_gains(
    gains: Audio,
    n_samples: int,
    pieces: Counts,
    coefs: Audio,
    queue: Audio,
    queue_clock: Counts,
    averaged: Audio,
    counts: Counts,
    state: Audio,
) -> None:
    """The lowest gain that is asked for soon, released and averaged."""
    window, n_averaged = queue.size, averaged.size
    average_at, head, length, clock = counts[AVERAGE_AT], counts[HEAD], counts[LENGTH], counts[CLOCK]
    released, total = state[RELEASED], state[SUM]
    share = 1.0 / n_averaged
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        row, gone = gains[0, first:last], first - line_begin(pieces, k)
        releases, release_step = coefs[2 * k, RELEASE], step_of(pieces, coefs, k, RELEASE)
        for i in range(row.size):
            needed = row[i]
            if length > 0 and queue_clock[head] <= clock - window:
                head = _wrapped(head + 1, window)
                length -= 1
            while length > 0 and queue[_wrapped(head + length - 1, window)] >= needed:
                length -= 1
            slot = _wrapped(head + length, window)
            queue[slot] = needed
            queue_clock[slot] = clock
            length += 1
            lowest = queue[head]
            released = min(lowest, lowest + (released - lowest) * (releases + release_step * (gone + i)))
            total += released - averaged[average_at]
            averaged[average_at] = released
            average_at = _wrapped(average_at + 1, n_averaged)
            clock += 1
            row[i] = min(1.0, share * total)
    counts[AVERAGE_AT], counts[HEAD], counts[LENGTH], counts[CLOCK] = average_at, head, length, clock
    state[RELEASED], state[SUM] = released, total


@inline_kernel
def _apply_gains(audio: Audio, gains: Audio, n_samples: int, pieces: Counts, coefs: Audio) -> None:
    """Turn the delayed audio, and keep in ``gains`` by how much, the drive left out."""
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        row, gone = gains[0, first:last], first - line_begin(pieces, k)
        mixes, mix_step = coefs[2 * k, MIX], step_of(pieces, coefs, k, MIX)
        drives, drive_step = coefs[2 * k, DRIVE], step_of(pieces, coefs, k, DRIVE)
        for i in range(row.size):
            mix = mixes + mix_step * (gone + i)
            row[i] = 1.0 - mix + mix * row[i]
        for channel in range(audio.shape[0]):
            turned = audio[channel, first:last]
            for i in range(row.size):
                turned[i] *= (drives + drive_step * (gone + i)) * row[i]


@in_table
@kernel(
    AUDIO,
    AUDIO,
    INT,
    PIECES,
    AUDIO,
    SINGLE_VECTOR,
    SINGLE_VECTOR,
    SINGLE_AUDIO,
    VECTOR,
    COUNTS,
    VECTOR,
    COUNTS,
    VECTOR,
    AUDIO,
    COUNTS,
)
def limit(
    audio: Audio,
    gains: Audio,
    n_samples: int,
    pieces: Counts,
    coefs: Audio,
    first: Single,
    second: Single,
    history: Single,
    queue: Audio,
    queue_clock: Counts,
    averaged: Audio,
    counts: Counts,
    state: Audio,
    ring: Audio,
    ring_at: Counts,
) -> None:
    """Limit in place, all channels by one gain, delayed by the ring's length.

    Args:
        gains: (1, >= n) receives the gain of each sample.
        coefs: (2 n_pieces, 4) ceiling, drive, mix and the release's feedback.
        first, second: the interpolator's filters, ``FILTERS``.
        history: (n_channels, KEPT_SAMPLES) the latest samples, oldest first.
        queue, queue_clock: (window,) rising candidates for the running minimum, the head being it, and their age.
        averaged: (lookahead,) ring of released gains.
        counts: (4,) place in that ring, queue's head and length, samples so far.
        state: (2,) released gain, sum of the averaging ring.
        ring, ring_at: (n_channels, latency) the audio that waits, and the place of its oldest sample.
    """
    # Until its gain is known, a sample's place holds its peak.
    _find_peaks(gains, audio, n_samples, first, second, history)
    _ask_for_gains(gains, n_samples, pieces, coefs)
    _follow_gains(gains, n_samples, pieces, coefs, queue, queue_clock, averaged, counts, state)
    delay_in_place(audio, n_samples, ring, ring_at)
    _apply_gains(audio, gains, n_samples, pieces, coefs)
