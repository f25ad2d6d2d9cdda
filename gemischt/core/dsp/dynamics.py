"""Dynamics in stages over a block: detect, shape, apply.

Reference: Giannoulis, Massberg and Reiss, "Digital Dynamic Range Compressor Design", JAES 60(6), 2012: static curve
eq. 4, smoothing of the reduction in the logarithmic domain with separate attack and release (branching).

Levels and reductions have as many rows as there are channels. As long as all channels are turned down alike, only the
first row of reductions is worked out: ``streams`` (1,) says how many are.
"""

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.decibels import amplitude_to_db, db_to_amplitude
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, BOOL, COUNTS, FLOAT, INT, VECTOR, inline_kernel, kernel
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, rests, step_of
from gemischt.core.dsp.table import in_table

THRESHOLD, SLOPE, KNEE, RANGE, MAKEUP, MIX, ATTACK, RELEASE, LINK, RMS, HOLD = range(11)
"""Coefficients: attack and release as feedback, RMS as the share of it in the detector, hold in samples."""
N_COEFS = 11
_TINY = 1e-30
_ALIKE_DB = 1e-10


@inline_kernel
def _amplitudes(
    heard: Audio, row: Audio, gone: int, pieces: Counts, coefs: Audio, k: int, rms_feedback: float, power: float
) -> float:
    """Of one channel over a piece: peak, RMS, or between the two; returns the RMS detector's state."""
    n = row.size
    share, share_step = coefs[2 * k, RMS], step_of(pieces, coefs, k, RMS)
    if share == 0.0 and share_step == 0.0:
        for i in range(n):
            row[i] = abs(heard[i])
        return power
    for i in range(n):
        sample = heard[i]
        power = rms_feedback * power + (1.0 - rms_feedback) * sample * sample
        part = share + share_step * (gone + i)
        row[i] = part * power**0.5 + (1.0 - part) * abs(sample)
    return power if power > _TINY else 0.0


@inline_kernel
def _link_all(levels_db: Audio, first: int, last: int) -> None:
    """Amplitudes to levels, the loudest channel's for all."""
    n, n_channels = last - first, levels_db.shape[0]
    top = levels_db[0, first:last]
    for channel in range(1, n_channels):
        other = levels_db[channel, first:last]
        for i in range(n):
            top[i] = max(top[i], other[i])
    for i in range(n):
        top[i] = amplitude_to_db(top[i])
    for channel in range(1, n_channels):
        other = levels_db[channel, first:last]
        for i in range(n):
            other[i] = top[i]


@inline_kernel
def _link_partly(levels_db: Audio, first: int, last: int, begin: int, link: float, step: float) -> None:
    """Amplitudes to levels, each raised towards the loudest channel's by a share that may move."""
    for i in range(first, last):
        loudest = levels_db[0, i]
        for channel in range(1, levels_db.shape[0]):
            loudest = max(loudest, levels_db[channel, i])
        loudest = amplitude_to_db(loudest)
        share = link + step * (i - begin)
        for channel in range(levels_db.shape[0]):
            own = amplitude_to_db(levels_db[channel, i])
            levels_db[channel, i] = own + share * (loudest - own)


@in_table
@kernel(AUDIO, AUDIO, INT, PIECES, AUDIO, BOOL, FLOAT, VECTOR)
def detect_levels_db(
    detector: Audio,
    levels_db: Audio,
    n_samples: int,
    pieces: Counts,
    coefs: Audio,
    matching: bool,
    rms_feedback: float,
    mean_square: Audio,
) -> None:
    """Level of each sample in dB, (n_detected, >= n); linked channels share the loudest one's level.

    Args:
        matching: whether each channel of the detector is about one of what is turned down; if not, all are linked.
        rms_feedback: coefficient of the RMS detector.
        mean_square: (n_detected,) the RMS detector's one-pole state.
    """
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        gone = first - line_begin(pieces, k)
        for channel in range(detector.shape[0]):
            heard, row = detector[channel, first:last], levels_db[channel, first:last]
            mean_square[channel] = _amplitudes(heard, row, gone, pieces, coefs, k, rms_feedback, mean_square[channel])
        link, step = coefs[2 * k, LINK], step_of(pieces, coefs, k, LINK)
        if not matching or detector.shape[0] == 1 or (link >= 1.0 and step == 0.0):
            _link_all(levels_db, first, last)
        else:
            _link_partly(levels_db, first, last, line_begin(pieces, k), link, step)


@inline_kernel
def _curve_db(over: float, slope: float, half: float, knee: float, bend: float, most: float) -> float:
    """The quadratic knee of eq. 4 without branches: the part of the overshoot inside the knee enters squared, the part
    above it linearly."""
    inside = min(max(over + half, 0.0), knee)
    above = max(over - half, 0.0)
    return min(slope * (inside * inside * bend + above), most)


@in_table
@kernel(AUDIO, AUDIO, INT, PIECES, AUDIO, COUNTS)
def compute_reduction_db(
    levels_db: Audio, reduction_db: Audio, n_samples: int, pieces: Counts, coefs: Audio, streams: Counts
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
            levels, reduction = levels_db[stream, first:last], reduction_db[stream, first:last]
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


@in_table
@kernel(AUDIO, INT, PIECES, AUDIO, COUNTS, VECTOR, COUNTS)
def smooth_reduction(
    reduction_db: Audio,
    n_samples: int,
    pieces: Counts,
    coefs: Audio,
    streams: Counts,
    smoothed_db: Audio,
    held: Counts,
) -> None:
    """Attack when the reduction grows, then hold, then release. State: last reduction and hold left per channel."""
    for stream in range(streams[0]):
        last, hold = smoothed_db[stream], held[stream]
        for k in range(n_pieces(pieces)):
            first = piece_first(pieces, k)
            row = reduction_db[stream, first : piece_last(pieces, k, n_samples)]
            last, hold = _smooth(row, first - line_begin(pieces, k), pieces, coefs, k, last, hold)
        smoothed_db[stream] = last if last > _TINY else 0.0
        held[stream] = hold
    for stream in range(streams[0], smoothed_db.size):
        smoothed_db[stream] = smoothed_db[0]
        held[stream] = held[0]


@in_table
@kernel(PIECES, AUDIO, BOOL, COUNTS, VECTOR, COUNTS)
def count_streams(
    pieces: Counts, coefs: Audio, matching: bool, streams: Counts, smoothed_db: Audio, held: Counts
) -> None:
    """Channels are turned down alike once they are linked and what they did before has worn off."""
    alike = not matching or (pieces[0, 0] == 0 and coefs[0, LINK] >= 1.0)
    if matching and alike:
        for channel in range(1, smoothed_db.size):
            apart = abs(smoothed_db[channel] - smoothed_db[0]) >= _ALIKE_DB or held[channel] != held[0]
            alike = alike and not apart
    streams[0] = 1 if alike else smoothed_db.size


@in_table
@kernel(AUDIO, AUDIO, INT, PIECES, AUDIO, COUNTS)
def apply_reduction(
    audio: Audio, reduction_db: Audio, n_samples: int, pieces: Counts, coefs: Audio, streams: Counts
) -> None:
    """audio *= 1 - mix + mix * 10^((make-up - reduction) / 20)."""
    n_channels = audio.shape[0]
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        n, gone = last - first, first - line_begin(pieces, k)
        makeup, makeup_step = coefs[2 * k, MAKEUP], step_of(pieces, coefs, k, MAKEUP)
        mix, mix_step = coefs[2 * k, MIX], step_of(pieces, coefs, k, MIX)
        if makeup_step != 0.0 or mix_step != 0.0:
            for channel in range(n_channels):
                row, reduction = audio[channel, first:last], reduction_db[min(channel, streams[0] - 1), first:last]
                for i in range(n):
                    now = gone + i
                    wet = mix + mix_step * now
                    row[i] *= 1.0 - wet + wet * db_to_amplitude(makeup + makeup_step * now - reduction[i])
        elif streams[0] == 1 and n_channels == 2:
            left, right, reduction = audio[0, first:last], audio[1, first:last], reduction_db[0, first:last]
            for i in range(n):
                gain = fma(mix, db_to_amplitude(makeup - reduction[i]), 1.0 - mix)
                left[i] *= gain
                right[i] *= gain
        else:
            for channel in range(n_channels):
                row, reduction = audio[channel, first:last], reduction_db[min(channel, streams[0] - 1), first:last]
                for i in range(n):
                    row[i] *= fma(mix, db_to_amplitude(makeup - reduction[i]), 1.0 - mix)
