"""Levels become reductions: a static curve, then attack, hold and release.

Reference: Giannoulis, Massberg and Reiss, "Digital Dynamic Range Compressor Design", JAES 60(6), 2012: static curve
eq. 4, smoothing of the reduction in the logarithmic domain with separate attack and release (branching). The release
that follows the signal: the same authors, "Parameter Automation in a Dynamic Range Compressor", JAES 61(10), 2013, from
memory: crest factor of one-pole peak and RMS detectors of one time, and a release of twice the longest over its square,
less the attack.

As long as all channels are turned down alike, only the first row of reductions is worked out: ``streams`` (1,) says
how many are.
"""

import math

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.decibels import db_to_amplitude
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, COUNTS, INT, VECTOR, inline_kernel, kernel
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, rests, step_of
from gemischt.core.dsp.table import in_table

THRESHOLD, SLOPE, KNEE, RANGE, ATTACK, RELEASE, CREST, HOLD, FOLLOWS = range(9)
"""Coefficients: attack, release and the crest factor's time as feedback, hold in samples, whether the release follows
the signal."""
N_COEFS = 9
PEAK, MEAN = range(2)
_TINY = 1e-30
_ALIKE_DB = 1e-10


@inline_kernel
def _curve_db(over: float, slope: float, half: float, knee: float, bend: float, most: float) -> float:
    """The quadratic knee of eq. 4 without branches: the part of the overshoot inside the knee enters squared, the part
    above it linearly."""
    inside = min(max(over + half, 0.0), knee)
    above = max(over - half, 0.0)
    return min(slope * (inside * inside * bend + above), most)


@in_table
@kernel(AUDIO, COUNTS, AUDIO, COUNTS, INT, PIECES, AUDIO)
def compute_reduction_db(
    levels_db: Audio,
    level_streams: Counts,
    reduction_db: Audio,
    streams: Counts,
    n_samples: int,
    pieces: Counts,
    coefs: Audio,
) -> None:
    """Reduction the static curve asks for, >= 0 dB."""
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        n, gone = last - first, first - line_begin(pieces, k)
        threshold, threshold_step = coefs[2 * k, THRESHOLD], step_of(pieces, coefs, k, THRESHOLD)
        slope, slope_step = coefs[2 * k, SLOPE], step_of(pieces, coefs, k, SLOPE)
        knee, knee_step = coefs[2 * k, KNEE], step_of(pieces, coefs, k, KNEE)
        most, most_step = coefs[2 * k, RANGE], step_of(pieces, coefs, k, RANGE)
        resting = rests(pieces, coefs, k)
        for stream in range(streams[0]):
            levels = levels_db[min(stream, level_streams[0] - 1), first:last]
            reduction = reduction_db[stream, first:last]
            if resting:
                half, bend = 0.5 * knee, 1.0 / (2.0 * max(knee, 1e-9))
                for i in range(n):
                    reduction[i] = _curve_db(levels[i] - threshold, slope, half, knee, bend, most)
            else:
                for i in range(n):
                    now = gone + i
                    wide = knee + knee_step * now
                    over = levels[i] - (threshold + threshold_step * now)
                    steep, limit = slope + slope_step * now, most + most_step * now
                    reduction[i] = _curve_db(over, steep, 0.5 * wide, wide, 1.0 / (2.0 * max(wide, 1e-9)), limit)


@inline_kernel
def _smooth(
    wanted_db: Audio, gone: int, pieces: Counts, coefs: Audio, k: int, last: float, hold: int
) -> tuple[float, int]:
    """Smooth one stream over a piece in place; its last reduction and the hold that is left."""
    n = wanted_db.size
    attack, attack_step = coefs[2 * k, ATTACK], step_of(pieces, coefs, k, ATTACK)
    release, release_step = coefs[2 * k, RELEASE], step_of(pieces, coefs, k, RELEASE)
    hold_samples = int(coefs[2 * k, HOLD])
    resting = attack_step == 0.0 and release_step == 0.0
    if resting and hold_samples == 0 and hold == 0 and attack <= release:
        # Without hold the faster of both ways is the greater value while growing and while falling.
        for i in range(n):
            growing = fma(attack, last, wanted_db[i] * (1.0 - attack))
            falling = fma(release, last, wanted_db[i] * (1.0 - release))
            last = growing if growing > falling else falling
            wanted_db[i] = last
        return last, hold
    for i in range(n):
        wanted = wanted_db[i]
        if wanted >= last:
            feedback = attack + attack_step * (gone + i)
            last = wanted * (1.0 - feedback) + feedback * last
            hold = hold_samples
        elif hold > 0:
            hold -= 1
        else:
            feedback = release + release_step * (gone + i)
            last = wanted * (1.0 - feedback) + feedback * last
        wanted_db[i] = last
    return last, hold


@inline_kernel
def _length(feedback: float) -> float:
    """Samples of a time constant."""
    return -1.0 / math.log(feedback) if feedback > 0.0 else 0.0


@inline_kernel
def _smooth_following(
    levels_db: Audio,
    wanted_db: Audio,
    gone: int,
    pieces: Counts,
    coefs: Audio,
    k: int,
    last: float,
    hold: int,
    squares: Audio,
) -> tuple[float, int]:
    """Like _smooth, the release following the crest factor of what was heard; ``squares`` are those of its peak and its
    mean."""
    attack, attack_step = coefs[2 * k, ATTACK], step_of(pieces, coefs, k, ATTACK)
    release, release_step = coefs[2 * k, RELEASE], step_of(pieces, coefs, k, RELEASE)
    kept, hold_samples = coefs[2 * k, CREST], int(coefs[2 * k, HOLD])
    peak, mean = squares[PEAK], squares[MEAN]
    for i in range(wanted_db.size):
        amplitude = db_to_amplitude(levels_db[i])
        square = amplitude * amplitude
        if mean == 0.0:
            # It begins to follow: as if it had been so loud before.
            peak = mean = square
        mean = kept * mean + (1.0 - kept) * square
        peak = max(square, kept * peak + (1.0 - kept) * square)
        wanted = wanted_db[i]
        growing = attack + attack_step * (gone + i)
        if wanted >= last:
            last = wanted * (1.0 - growing) + growing * last
            hold = hold_samples
        elif hold > 0:
            hold -= 1
        else:
            longest = _length(release + release_step * (gone + i))
            samples = 2.0 * longest * mean / max(peak, _TINY) - _length(growing)
            feedback = math.exp(-1.0 / samples) if samples > 1e-3 else 0.0
            last = wanted * (1.0 - feedback) + feedback * last
        wanted_db[i] = last
    squares[PEAK], squares[MEAN] = peak, mean
    return last, hold


@in_table
@kernel(AUDIO, COUNTS, AUDIO, COUNTS, INT, PIECES, AUDIO, VECTOR, COUNTS, AUDIO)
def smooth_reduction(
    levels_db: Audio,
    level_streams: Counts,
    reduction_db: Audio,
    streams: Counts,
    n_samples: int,
    pieces: Counts,
    coefs: Audio,
    smoothed_db: Audio,
    held: Counts,
    squares: Audio,
) -> None:
    """Attack when the reduction grows, then hold, then release. State: last reduction, hold left, and squares of the
    level's peak and mean, (n_channels, 2), per channel."""
    for stream in range(streams[0]):
        last, hold = smoothed_db[stream], held[stream]
        levels = levels_db[min(stream, level_streams[0] - 1)]
        for k in range(n_pieces(pieces)):
            first, end = piece_first(pieces, k), piece_last(pieces, k, n_samples)
            row, gone = reduction_db[stream, first:end], first - line_begin(pieces, k)
            if coefs[2 * k, FOLLOWS] != 0.0:
                heard = levels[first:end]
                last, hold = _smooth_following(heard, row, gone, pieces, coefs, k, last, hold, squares[stream])
            else:
                last, hold = _smooth(row, gone, pieces, coefs, k, last, hold)
                squares[stream, MEAN] = 0.0
        smoothed_db[stream] = last if last > _TINY else 0.0
        held[stream] = hold
    for stream in range(streams[0], smoothed_db.size):
        smoothed_db[stream] = smoothed_db[0]
        held[stream] = held[0]
        squares[stream, PEAK], squares[stream, MEAN] = squares[0, PEAK], squares[0, MEAN]


@in_table
@kernel(COUNTS, COUNTS, VECTOR, COUNTS)
def count_streams(level_streams: Counts, streams: Counts, smoothed_db: Audio, held: Counts) -> None:
    """Channels are turned down alike once their levels are and what they did before has worn off."""
    alike = level_streams[0] == 1
    for channel in range(1, smoothed_db.size):
        apart = abs(smoothed_db[channel] - smoothed_db[0]) >= _ALIKE_DB or held[channel] != held[0]
        alike = alike and not apart
    streams[0] = 1 if alike else smoothed_db.size
