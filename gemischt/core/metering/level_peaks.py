"""Sample peak, true peak and overs of signals, and when they were.

Reference: ITU-R BS.1770-5, annex 2.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, Counts, Single
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, COUNT_ROWS, COUNTS, FLOAT, INT, SINGLE_AUDIO, inline_kernel, measuring_kernel
from gemischt.core.dsp.lanes import N_SINGLES, greater, greatest, load, magnitudes, spread
from gemischt.core.dsp.magnitude import highest_single
from gemischt.core.metering.true_peak import N_TAPS, PHASES

PEAK, TRUE_PEAK = range(2)
PEAK_AT, TRUE_PEAK_AT, OVERS, FIRST_OVER = range(4)
KEPT_SAMPLES = N_TAPS - 1
SINGLE_PHASES = PHASES.astype(np.float32)
_SEGMENT = 128
_SILENCE = np.float32(0.0)
_MOST_GAIN = float(np.abs(PHASES).sum(axis=1).max())


@inline_kernel
def _find(row: NDArray[Any], magnitude: float) -> int:
    """Where a magnitude that is known to be there is first."""
    for i in range(row.size):
        if abs(row[i]) == magnitude:
            return i
    return 0


@inline_kernel
def _interpolate(out: Single, other_out: Single, part: Single, taps: Single, other_taps: Single) -> None:
    """Two phases between the samples, which share their loads; ``part`` begins eleven samples early."""
    t = taps
    t0, t1, t2, t3, t4, t5 = t[0], t[1], t[2], t[3], t[4], t[5]
    t6, t7, t8, t9, t10, t11 = t[6], t[7], t[8], t[9], t[10], t[11]
    u = other_taps
    u0, u1, u2, u3, u4, u5 = u[0], u[1], u[2], u[3], u[4], u[5]
    u6, u7, u8, u9, u10, u11 = u[6], u[7], u[8], u[9], u[10], u[11]
    for i in range(out.size):
        p0, p1, p2, p3, p4, p5 = part[i], part[i + 1], part[i + 2], part[i + 3], part[i + 4], part[i + 5]
        p6, p7, p8, p9, p10, p11 = part[i + 6], part[i + 7], part[i + 8], part[i + 9], part[i + 10], part[i + 11]
        early = fma(t5, p5, fma(t4, p4, fma(t3, p3, fma(t2, p2, fma(t1, p1, t0 * p0)))))
        out[i] = early + fma(t11, p11, fma(t10, p10, fma(t9, p9, fma(t8, p8, fma(t7, p7, t6 * p6)))))
        early = fma(u5, p5, fma(u4, p4, fma(u3, p3, fma(u2, p2, fma(u1, p1, u0 * p0)))))
        other_out[i] = early + fma(u11, p11, fma(u10, p10, fma(u9, p9, fma(u8, p8, fma(u7, p7, u6 * p6)))))


@inline_kernel
def _highest_between(part: Single, n_samples: int, phases: Single) -> float:
    """The highest of all four phases; ``part`` begins eleven samples early, the samples are a multiple of sixteen."""
    highest = spread(_SILENCE)
    for i in range(0, n_samples, N_SINGLES):
        p0, p1, p2, p3 = load(part, i), load(part, i + 1), load(part, i + 2), load(part, i + 3)
        p4, p5, p6, p7 = load(part, i + 4), load(part, i + 5), load(part, i + 6), load(part, i + 7)
        p8, p9, p10, p11 = load(part, i + 8), load(part, i + 9), load(part, i + 10), load(part, i + 11)
        for phase in range(4):
            t = phases[phase]
            early = fma(spread(t[2]), p2, fma(spread(t[1]), p1, spread(t[0]) * p0))
            early = fma(spread(t[5]), p5, fma(spread(t[4]), p4, fma(spread(t[3]), p3, early)))
            late = fma(spread(t[8]), p8, fma(spread(t[7]), p7, spread(t[6]) * p6))
            late = fma(spread(t[11]), p11, fma(spread(t[10]), p10, fma(spread(t[9]), p9, late)))
            highest = greater(magnitudes(early + late), highest)
    return float(greatest(highest))


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
    between: Single, part: Single, n_samples: int, at_samples: int, phases: Single, state: Audio, counts: Counts
) -> None:
    """Raise the true peak; ``part`` begins eleven samples early, ``between`` (2, n) is scratch."""
    if n_samples % N_SINGLES == 0 and _highest_between(part, n_samples, phases) <= state[TRUE_PEAK]:
        return
    for pair in range(2):
        _interpolate(between[0, :n_samples], between[1, :n_samples], part, phases[2 * pair], phases[2 * pair + 1])
        for phase in range(2):
            top = highest_single(between[phase], 0, n_samples)
            if top > state[TRUE_PEAK]:
                state[TRUE_PEAK] = top
                counts[TRUE_PEAK_AT] = max(0, at_samples + _find(between[phase, :n_samples], top) - 6)


@inline_kernel
def _measure_signal(
    audio: Single,
    n_samples: int,
    offset_samples: int,
    phases: Single,
    history: Single,
    state: Audio,
    counts: Counts,
) -> None:
    # A place is looked for only when a segment raises the peak.
    keep = 11
    between = np.empty((2, _SEGMENT), np.float32)
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
            if loudest * _MOST_GAIN <= state[TRUE_PEAK] and peak <= 1.0:
                continue
            fresh = row[start:end]
            at_samples = offset_samples + start
            _raise_sample_peak(fresh, at_samples, peak, state, counts)
            if start == 0:
                for i in range(keep):
                    joint[i] = history[channel, i]
                for i in range(fresh.size):
                    joint[keep + i] = fresh[i]
                _look_between(between, joint, fresh.size, at_samples, phases, state, counts)
            else:
                _look_between(between, row[start - keep :], fresh.size, at_samples, phases, state, counts)
        kept = min(keep, n_samples)
        for i in range(keep - kept):
            history[channel, i] = history[channel, i + kept]
        for i in range(kept):
            history[channel, keep - kept + i] = row[n_samples - kept + i]


@measuring_kernel(SINGLE_AUDIO, INT, INT, COUNTS, SINGLE_AUDIO, SINGLE_AUDIO, AUDIO, COUNT_ROWS)
def measure_peaks(
    rows: Single,
    n_samples: int,
    offset_samples: int,
    first_rows: Counts,
    phases: Single,
    history: Single,
    peaks: Audio,
    counts: Counts,
) -> None:
    """Raise what has been highest so far.

    Args:
        rows: the channels of all signals, one after the other, (n_rows, >= n).
        offset_samples: where the block begins.
        first_rows: (n_signals + 1,) the first row of each signal, and the end of the last one.
        history: (n_rows, 11) the last samples before this block.
        peaks: (n_signals, 2) sample peak and true peak.
        counts: (n_signals, 4) where they were, overs, and where the first was or -1.
    """
    for signal in range(peaks.shape[0]):
        first, end = first_rows[signal], first_rows[signal + 1]
        _measure_signal(
            rows[first:end], n_samples, offset_samples, phases, history[first:end], peaks[signal], counts[signal]
        )


@measuring_kernel(SINGLE_AUDIO, INT, INT, FLOAT, COUNTS)
def count_overs(audio: Single, n_samples: int, offset_samples: int, gain: float, counts: Counts) -> None:
    """Count what a gain brings above full scale, (n_channels, >= n), into one row of ``counts``."""
    for channel in range(audio.shape[0]):
        _count(audio[channel, :n_samples], offset_samples, gain, counts)
