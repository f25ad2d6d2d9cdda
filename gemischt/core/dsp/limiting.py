"""Looking ahead for true peaks.

Peaks are those of the interpolated wave. The gain each asks for is held as a running minimum over the lookahead and two
samples more, released exponentially, and averaged over the lookahead: the average of gains that are all low enough is
low enough.
"""

import numpy as np

from gemischt.core.audio import Audio, Counts, Single
from gemischt.core.dsp.interpolation import LONG_FIRST, SECOND, find_points, kept_samples, lag_samples, top_at
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
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, step_of
from gemischt.core.dsp.table import in_table

FILTERS = (LONG_FIRST, SECOND)
INTERPOLATOR_LAG_SAMPLES = lag_samples(LONG_FIRST)
KEPT_SAMPLES = kept_samples(LONG_FIRST)
CEILING, DRIVE, MIX, RELEASE = range(4)
AVERAGE_AT, HEAD, LENGTH, CLOCK, RING_AT = range(5)
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
    scratch = np.empty((4, 4 * _SEGMENT + 4), np.float32)
    points = scratch[0]
    peaks[0, :n_samples] = 0.0
    for channel in range(audio.shape[0]):
        for i in range(keep):
            joint[i] = history[channel, i]
        for start in range(0, n_samples, _SEGMENT):
            n = min(_SEGMENT, n_samples - start)
            for i in range(n):
                joint[keep + i] = min(max(audio[channel, start + i], -_LOUDEST), _LOUDEST)
            find_points(points, scratch[1], scratch[2:], joint, n, first, second)
            for i in range(n):
                at = 4 * i + 1
                highest = max(max(abs(points[at]), abs(points[at + 1])), max(abs(points[at + 2]), abs(points[at + 3])))
                if highest > 0.0:
                    for k in range(at, at + 4):
                        highest = max(highest, top_at(points, k))
                peaks[0, start + i] = max(peaks[0, start + i], highest)
            for i in range(keep):
                joint[i] = joint[n + i]
        for i in range(keep):
            history[channel, i] = joint[i]


@inline_kernel
def _limit_piece(
    audio: Audio,
    gains: Audio,
    first: int,
    last: int,
    pieces: Counts,
    coefs: Audio,
    k: int,
    queue: Audio,
    queue_clock: Counts,
    averaged: Audio,
    counts: Counts,
    state: Audio,
    ring: Audio,
) -> None:
    begin = line_begin(pieces, k)
    window = queue.size
    ceiling_step, drive_step = step_of(pieces, coefs, k, CEILING), step_of(pieces, coefs, k, DRIVE)
    mix_step, release_step = step_of(pieces, coefs, k, MIX), step_of(pieces, coefs, k, RELEASE)
    for i in range(first, last):
        within = i - begin
        ceiling = coefs[2 * k, CEILING] + ceiling_step * within
        drive = coefs[2 * k, DRIVE] + drive_step * within
        mix = coefs[2 * k, MIX] + mix_step * within
        release = coefs[2 * k, RELEASE] + release_step * within
        peak = gains[0, i]
        needed = ceiling / max(drive * peak, ceiling)
        clock = counts[CLOCK]
        if counts[LENGTH] > 0 and queue_clock[counts[HEAD]] <= clock - window:
            counts[HEAD] = _wrapped(counts[HEAD] + 1, window)
            counts[LENGTH] -= 1
        while counts[LENGTH] > 0 and queue[_wrapped(counts[HEAD] + counts[LENGTH] - 1, window)] >= needed:
            counts[LENGTH] -= 1
        slot = _wrapped(counts[HEAD] + counts[LENGTH], window)
        queue[slot] = needed
        queue_clock[slot] = clock
        counts[LENGTH] += 1
        lowest = queue[counts[HEAD]]
        released = min(lowest, lowest + (state[RELEASED] - lowest) * release)
        state[RELEASED] = released
        state[SUM] += released - averaged[counts[AVERAGE_AT]]
        averaged[counts[AVERAGE_AT]] = released
        counts[AVERAGE_AT] = _wrapped(counts[AVERAGE_AT] + 1, averaged.size)
        counts[CLOCK] = clock + 1
        gain = 1.0 - mix + mix * min(1.0, state[SUM] / averaged.size)
        gains[0, i] = gain
        at = counts[RING_AT]
        for channel in range(audio.shape[0]):
            oldest = ring[channel, at]
            ring[channel, at] = audio[channel, i]
            audio[channel, i] = oldest * drive * gain
        counts[RING_AT] = _wrapped(at + 1, ring.shape[1])


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
) -> None:
    """Limit in place, all channels by one gain, delayed by the ring's length.

    Args:
        gains: (1, >= n) receives the gain of each sample.
        coefs: (2 n_pieces, 4) ceiling, drive, mix and the release's feedback.
        first, second: the interpolator's filters, ``FILTERS``.
        history: (n_channels, KEPT_SAMPLES) the latest samples, oldest first.
        queue, queue_clock: (window,) rising candidates for the running minimum, the head being it, and their age.
        averaged: (lookahead,) ring of released gains.
        counts: (5,) place in that ring, queue's head and length, samples so far, place in the audio ring.
        state: (2,) released gain, sum of the averaging ring.
        ring: (n_channels, latency).
    """
    # Until its gain is known, a sample's place holds its peak.
    _find_peaks(gains, audio, n_samples, first, second, history)
    for k in range(n_pieces(pieces)):
        start, end = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        _limit_piece(audio, gains, start, end, pieces, coefs, k, queue, queue_clock, averaged, counts, state, ring)
