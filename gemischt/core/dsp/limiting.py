"""Looking ahead for true peaks.

Peaks are those of the interpolated wave. The gain each asks for is held as a running minimum over the lookahead and two
samples more, released exponentially, and averaged over the lookahead: the average of gains that are all low enough is
low enough.
"""

from typing import Any

import numpy as np

from gemischt.core.audio import Audio, Counts, Single
from gemischt.core.dsp.interpolation import (
    LONG_FIRST,
    SECOND,
    SHORTENED,
    SLACK,
    find_points,
    kept_samples,
    lag_samples,
    most_bend,
    most_gain,
    most_left_out,
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
from gemischt.core.dsp.magnitude import highest_bend, highest_single
from gemischt.core.dsp.mixing import delay_in_place
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, step_of
from gemischt.core.dsp.simd import N_SINGLES, every_even, every_odd, greater, store
from gemischt.core.dsp.table import in_table

FILTERS = (LONG_FIRST, SECOND)
INTERPOLATOR_LAG_SAMPLES = lag_samples(LONG_FIRST)
KEPT_SAMPLES = kept_samples(LONG_FIRST)
CEILING, DRIVE, MIX, RELEASE = range(4)
AVERAGE_AT, HEAD, LENGTH, CLOCK = range(4)
RELEASED, SUM = range(2)
_SEGMENT = 256
_MOST_GAIN, _MOST_BEND = most_gain(LONG_FIRST), most_bend(LONG_FIRST)
_MOST_LEFT_OUT = most_left_out(LONG_FIRST, SHORTENED)
_BESIDE = (LONG_FIRST.size - SHORTENED.size) // 2
_LOUDEST = 1e9
"""Far above this single precision could not add up."""
_AS_GOOD_AS_ONE = 1.0 - 1e-10
"""What is released comes no nearer to one than rounding lets it."""


@inline_kernel
def _wrapped(at: int, size: int) -> int:
    return at - size if at >= size else at


@inline_kernel
def _tops_of_sixteen(points: Single, at: int) -> Any:
    """The highest top of each of sixteen samples, whose four points each begin there."""
    first, second = tops_at(points, at), tops_at(points, at + 16)
    third, fourth = tops_at(points, at + 32), tops_at(points, at + 48)
    early = greater(every_even(first, second), every_odd(first, second))
    late = greater(every_even(third, fourth), every_odd(third, fourth))
    return greater(every_even(early, late), every_odd(early, late))


@inline_kernel
def _find_tops(tops: Single, points: Single, n_samples: int) -> None:
    """The highest top of each sample."""
    whole = n_samples - n_samples % N_SINGLES
    for i in range(0, whole, N_SINGLES):
        store(tops, i, _tops_of_sixteen(points, 1 + 4 * i))
    for i in range(whole, n_samples):
        at = 1 + 4 * i
        tops[i] = max(
            max(top_at(points, at), top_at(points, at + 1)), max(top_at(points, at + 2), top_at(points, at + 3))
        )


@inline_kernel
def _free_level(pieces: Counts, coefs: Audio) -> float:
    """Peaks up to here ask for no gain in the whole block."""
    ceiling, drive = coefs[0, CEILING], coefs[0, DRIVE]
    for edge in range(1, 2 * pieces[0, 0]):
        ceiling, drive = min(ceiling, coefs[edge, CEILING]), max(drive, coefs[edge, DRIVE])
    return float(ceiling / drive)


@inline_kernel
def _stays_below(level: float, joint: Single, n_samples: int, points: Single, doubled: Single, second: Single) -> bool:
    """Whether no top gets higher, seen from the samples, or from the points that a shortened filter finds."""
    size = KEPT_SAMPLES + n_samples
    highest = SLACK * highest_single(joint, 0, size)
    if highest * _MOST_GAIN <= level or highest + SLACK * _MOST_BEND * highest_bend(joint, 1, size - 1) <= level:
        return True
    if highest * (1.0 + _MOST_LEFT_OUT) > level:
        return False
    find_points(points, doubled, joint[_BESIDE : size - _BESIDE], n_samples, SHORTENED, second)
    end = 4 * n_samples + 1
    top = highest_single(points, 1, end) + 0.125 * highest_bend(points, 1, end)
    return bool(SLACK * top + highest * _MOST_LEFT_OUT <= level)


@inline_kernel
def _find_peaks(
    peaks: Audio, audio: Audio, n_samples: int, free_level: float, first: Single, second: Single, history: Single
) -> None:
    """Highest true peak of all channels at each sample, into (1, >= n); those up to the free level may be left out."""
    keep = KEPT_SAMPLES
    joint = np.empty(keep + _SEGMENT, np.float32)
    points, doubled = np.empty(4 * _SEGMENT + 4, np.float32), np.empty(4 * _SEGMENT, np.float32)
    tops = np.empty(_SEGMENT, np.float32)
    for i in range(n_samples):
        peaks[0, i] = 0.0
    for channel in range(audio.shape[0]):
        for i in range(keep):
            joint[i] = history[channel, i]
        for start in range(0, n_samples, _SEGMENT):
            n = min(_SEGMENT, n_samples - start)
            fresh, row = audio[channel, start : start + n], peaks[0, start : start + n]
            newest = joint[keep:]
            for i in range(n):
                held = fresh[i] if fresh[i] > -_LOUDEST else -_LOUDEST
                newest[i] = held if held < _LOUDEST else _LOUDEST
            if not _stays_below(free_level, joint, n, points, doubled, second):
                find_points(points, doubled, joint, n, first, second)
                _find_tops(tops, points, n)
                for i in range(n):
                    row[i] = tops[i] if tops[i] > row[i] else row[i]
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
def _lowest(row: Audio) -> float:
    """Of a stretch of gains; one for an empty one."""
    lowest = 1.0
    for i in range(row.size):
        lowest = row[i] if row[i] < lowest else lowest
    return lowest


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
    if _lowest(gains[0, :n_samples]) == 1.0 and _lowest(averaged) == 1.0:
        # The ring holds nothing but ones, wherever it begins, so that nobody can be waiting.
        counts[LENGTH] = 0
        for i in range(n_samples):
            gains[0, i] = min(1.0, share * total)
        return
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
            released = 1.0 if released > _AS_GOOD_AS_ONE else released
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
    _find_peaks(gains, audio, n_samples, _free_level(pieces, coefs), first, second, history)
    _ask_for_gains(gains, n_samples, pieces, coefs)
    _follow_gains(gains, n_samples, pieces, coefs, queue, queue_clock, averaged, counts, state)
    delay_in_place(audio, n_samples, ring, ring_at)
    _apply_gains(audio, gains, n_samples, pieces, coefs)
