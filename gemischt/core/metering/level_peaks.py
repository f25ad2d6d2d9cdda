"""Sample peak, true peak and overs of signals, and when they were.

Reference: ITU-R BS.1770-5, annex 2, with a better interpolator than the one printed there.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, Counts, Single
from gemischt.core.dsp.interpolation import (
    FIRST,
    MOST_OVER_POINTS,
    SECOND,
    SLACK,
    find_points,
    kept_samples,
    lag_samples,
    most_bend,
    most_gain,
    top_at,
)
from gemischt.core.dsp.jit import (
    AUDIO,
    COUNT_ROWS,
    COUNTS,
    FLOAT,
    INT,
    SINGLE_AUDIO,
    SINGLE_VECTOR,
    inline_kernel,
    measuring_kernel,
)
from gemischt.core.dsp.magnitude import highest_bend, highest_single

PEAK, TRUE_PEAK = range(2)
PEAK_AT, TRUE_PEAK_AT, OVERS, FIRST_OVER = range(4)
KEPT_SAMPLES = kept_samples(FIRST)
FILTERS = (FIRST, SECOND)
_LAG = lag_samples(FIRST)
_MOST_GAIN = most_gain(FIRST)
_MOST_BEND = most_bend(FIRST)
_SEGMENT = 128


@inline_kernel
def _find(row: NDArray[Any], magnitude: float) -> int:
    """Where a magnitude that is known to be there is first."""
    for i in range(row.size):
        if abs(row[i]) == magnitude:
            return i
    return 0


@inline_kernel
def _count(fresh: Single, at_samples: int, gain: float, counts: Counts) -> None:
    """Count what a gain brings above full scale, and keep where the first of it was."""
    for i in range(fresh.size):
        if abs(gain * fresh[i]) > 1.0:
            counts[OVERS] += 1
            if counts[FIRST_OVER] < 0 or at_samples + i < counts[FIRST_OVER]:
                counts[FIRST_OVER] = at_samples + i


@inline_kernel
def _raise_sample_peak(fresh: Single, at_samples: int, peak: float, state: Audio, counts: Counts) -> None:
    """Take the peak of a segment that begins at a place, and count what is above full scale."""
    if peak > state[PEAK]:
        state[PEAK] = peak
        counts[PEAK_AT] = at_samples + _find(fresh, peak)
        if peak > state[TRUE_PEAK]:
            state[TRUE_PEAK] = peak
            counts[TRUE_PEAK_AT] = counts[PEAK_AT]
    if peak > 1.0:
        _count(fresh, at_samples, 1.0, counts)


@inline_kernel
def _look_between(
    scratch: Single,
    part: Single,
    n_samples: int,
    at_samples: int,
    first: Single,
    second: Single,
    state: Audio,
    counts: Counts,
) -> None:
    """Raise the true peak; ``part`` begins with the samples that are kept, ``scratch`` has two rows."""
    points = scratch[0]
    find_points(points, scratch[1], part, n_samples, first, second)
    highest = highest_single(points, 1, 4 * n_samples + 1)
    if highest * MOST_OVER_POINTS <= state[TRUE_PEAK]:
        return
    for i in range(1, 4 * n_samples + 1):
        if abs(points[i]) * MOST_OVER_POINTS > state[TRUE_PEAK]:
            top = top_at(points, i)
            if top > state[TRUE_PEAK]:
                state[TRUE_PEAK] = top
                counts[TRUE_PEAK_AT] = max(0, at_samples + (i - 1) // 4 - _LAG)


@inline_kernel
def _measure_signal(
    audio: Single,
    n_samples: int,
    offset_samples: int,
    first: Single,
    second: Single,
    history: Single,
    state: Audio,
    counts: Counts,
) -> None:
    # A place is looked for only when a segment raises the peak.
    keep = KEPT_SAMPLES
    scratch = np.empty((2, 4 * _SEGMENT + 4), np.float32)
    joint = np.empty(keep + _SEGMENT, np.float32)
    for channel in range(audio.shape[0]):
        row = audio[channel, :n_samples]
        before = highest_single(history[channel], 0, keep)
        for start in range(0, n_samples, _SEGMENT):
            end = min(n_samples, start + _SEGMENT)
            peak = highest_single(row, start, end)
            loudest = max(peak, before)
            before = peak
            # The interpolator's gain is bounded: what is far below the highest true peak so far cannot raise it.
            most = SLACK * loudest * _MOST_GAIN
            if most > state[TRUE_PEAK] and start > keep:
                most = min(most, SLACK * (loudest + _MOST_BEND * highest_bend(row, start - keep + 1, end - 1)))
            if most <= state[TRUE_PEAK] and peak <= min(1.0, state[PEAK]):
                continue
            fresh = row[start:end]
            at_samples = offset_samples + start
            _raise_sample_peak(fresh, at_samples, peak, state, counts)
            if start == 0:
                for i in range(keep):
                    joint[i] = history[channel, i]
                for i in range(fresh.size):
                    joint[keep + i] = fresh[i]
                _look_between(scratch, joint, fresh.size, at_samples, first, second, state, counts)
            elif most > state[TRUE_PEAK]:
                _look_between(scratch, row[start - keep :], fresh.size, at_samples, first, second, state, counts)
        kept = min(keep, n_samples)
        for i in range(keep - kept):
            history[channel, i] = history[channel, i + kept]
        for i in range(kept):
            history[channel, keep - kept + i] = row[n_samples - kept + i]


@measuring_kernel(SINGLE_AUDIO, INT, INT, COUNTS, SINGLE_VECTOR, SINGLE_VECTOR, SINGLE_AUDIO, AUDIO, COUNT_ROWS)
def measure_peaks(
    rows: Single,
    n_samples: int,
    offset_samples: int,
    first_rows: Counts,
    first: Single,
    second: Single,
    history: Single,
    peaks: Audio,
    counts: Counts,
) -> None:
    """Raise what has been highest so far.

    Args:
        rows: the channels of all signals, one after the other, (n_rows, >= n).
        offset_samples: where the block begins.
        first_rows: (n_signals + 1,) the first row of each signal, and the end of the last one.
        first, second: the interpolator's filters, FIRST and SECOND.
        history: (n_rows, KEPT_SAMPLES) the last samples before this block.
        peaks: (n_signals, 2) sample peak and true peak.
        counts: (n_signals, 4) where they were, overs, and where the first was or -1.
    """
    for signal in range(peaks.shape[0]):
        begin, end = first_rows[signal], first_rows[signal + 1]
        signal_rows, kept = rows[begin:end], history[begin:end]
        _measure_signal(signal_rows, n_samples, offset_samples, first, second, kept, peaks[signal], counts[signal])


@measuring_kernel(SINGLE_AUDIO, INT, INT, FLOAT, COUNTS)
def count_overs(audio: Single, n_samples: int, offset_samples: int, gain: float, counts: Counts) -> None:
    """Count what a gain brings above full scale, (n_channels, >= n), into one row of ``counts``."""
    for channel in range(audio.shape[0]):
        _count(audio[channel, :n_samples], offset_samples, gain, counts)
