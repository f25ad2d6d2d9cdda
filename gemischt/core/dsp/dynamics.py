"""Dynamics in stages over a block: detect, compute, smooth, apply.

Reference: Giannoulis, Massberg and Reiss, "Digital Dynamic Range Compressor Design", JAES 60(6), 2012: static curve
eq. 4, smoothing of the reduction in the logarithmic domain with separate attack and release (branching).
"""

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.decibels import amplitude_to_db, db_to_amplitude
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, BOOL, COUNTS, FLOAT, INT, VECTOR, inline_kernel, kernel
from gemischt.core.dsp.mixing import delay_in_place

# Columns of the ramped parameters; attack and release as feedback coefficients.
THRESHOLD, SLOPE, KNEE, RANGE, MAKEUP, MIX, ATTACK, RELEASE, LINK = range(9)
N_RAMPED = 9
_TINY = 1e-30
_ALIKE_DB = 1e-10


@inline_kernel
def _link(levels_db: Audio, i: int, link: float) -> None:
    """Two amplitudes to levels in dB, each raised towards the louder one's by a share."""
    a = amplitude_to_db(levels_db[0, i])
    b = amplitude_to_db(levels_db[1, i])
    louder = max(a, b)
    levels_db[0, i] = a + link * (louder - a)
    levels_db[1, i] = b + link * (louder - b)


@kernel(AUDIO, AUDIO, INT, BOOL, AUDIO, INT, BOOL, FLOAT, VECTOR)
def detect_levels_db(
    detector: Audio,
    levels_db: Audio,
    n_samples: int,
    matching: bool,
    ramp: Audio,
    remaining: int,
    rms: bool,
    rms_feedback: float,
    mean_square: Audio,
) -> None:
    """Level of each sample in dB, shape (n_detected, n); linked channels share the louder one's level.

    Channels that match none of what is compressed are always linked.

    ``mean_square`` (2,) is the RMS detector's one-pole state.
    """
    n_channels = detector.shape[0]
    if rms:
        for channel in range(n_channels):
            power = mean_square[channel]
            for i in range(n_samples):
                sample = detector[channel, i]
                power = rms_feedback * power + (1.0 - rms_feedback) * sample * sample
                levels_db[channel, i] = power**0.5
            mean_square[channel] = power if power > _TINY else 0.0
    else:
        for channel in range(n_channels):
            heard, level = detector[channel, :n_samples], levels_db[channel]
            for i in range(heard.size):
                level[i] = abs(heard[i])
    if n_channels == 2:
        ramped = min(n_samples, remaining) if matching else 0
        for i in range(ramped):
            _link(levels_db, i, ramp[0, LINK] - ramp[1, LINK] * (remaining - i))
        link = ramp[0, LINK]
        if link >= 1.0 or not matching:
            first, second = levels_db[0, ramped:n_samples], levels_db[1, ramped:n_samples]
            for i in range(first.size):
                level_db = amplitude_to_db(max(first[i], second[i]))
                first[i] = level_db
                second[i] = level_db
        else:
            for i in range(ramped, n_samples):
                _link(levels_db, i, link)
    else:
        for i in range(n_samples):
            levels_db[0, i] = amplitude_to_db(levels_db[0, i])


@kernel(AUDIO, AUDIO, INT, INT, AUDIO, INT)
def compute_reduction_db(
    levels_db: Audio, reduction_db: Audio, n_streams: int, n_samples: int, ramp: Audio, remaining: int
) -> None:
    """Reduction the static curve asks for, >= 0 dB.

    The quadratic knee of eq. 4 written without branches: the part of the overshoot inside the knee enters squared,
    the part above it linearly.
    """
    ramped = min(n_samples, remaining)
    for stream in range(n_streams):
        for i in range(ramped):
            to_go = remaining - i
            threshold = ramp[0, THRESHOLD] - ramp[1, THRESHOLD] * to_go
            slope = ramp[0, SLOPE] - ramp[1, SLOPE] * to_go
            knee = ramp[0, KNEE] - ramp[1, KNEE] * to_go
            most = ramp[0, RANGE] - ramp[1, RANGE] * to_go
            over = levels_db[stream, i] - threshold
            inside = min(max(over + 0.5 * knee, 0.0), knee)
            above = max(over - 0.5 * knee, 0.0)
            reduction_db[stream, i] = min(slope * (inside * inside / (2.0 * max(knee, 1e-9)) + above), most)
        threshold = ramp[0, THRESHOLD]
        slope = ramp[0, SLOPE]
        half = 0.5 * ramp[0, KNEE]
        knee = ramp[0, KNEE]
        bend = 1.0 / (2.0 * max(knee, 1e-9))
        most = ramp[0, RANGE]
        levels = levels_db[stream, ramped:n_samples]
        reduction = reduction_db[stream, ramped:n_samples]
        for i in range(levels.size):
            over = levels[i] - threshold
            inside = min(max(over + half, 0.0), knee)
            above = max(over - half, 0.0)
            reduction[i] = min(slope * (inside * inside * bend + above), most)


@inline_kernel
def _smooth(
    wanted_db: Audio, ramp: Audio, remaining: int, hold_samples: int, last: float, hold: int
) -> tuple[float, int]:
    """Smooth one stream in place; its last reduction and the hold that is left."""
    for i in range(wanted_db.size):
        to_go = max(0, remaining - i)
        wanted = wanted_db[i]
        if wanted >= last:
            attack = ramp[0, ATTACK] - ramp[1, ATTACK] * to_go
            last = wanted * (1.0 - attack) + attack * last
            hold = hold_samples
        elif hold > 0:
            hold -= 1
        else:
            release = ramp[0, RELEASE] - ramp[1, RELEASE] * to_go
            last = wanted * (1.0 - release) + release * last
        wanted_db[i] = last
    return last, hold


@kernel(AUDIO, INT, INT, AUDIO, INT, INT, VECTOR, COUNTS)
def smooth_reduction(
    reduction_db: Audio,
    n_streams: int,
    n_samples: int,
    ramp: Audio,
    remaining: int,
    hold_samples: int,
    smoothed_db: Audio,
    held: Counts,
) -> None:
    """Attack when the reduction grows, then hold, then release. State: last reduction and hold left per stream."""
    ramped = min(n_samples, remaining)
    attack = ramp[0, ATTACK]
    release = ramp[0, RELEASE]
    for stream in range(n_streams):
        last = smoothed_db[stream]
        hold = held[stream]
        last, hold = _smooth(reduction_db[stream, :ramped], ramp, remaining, hold_samples, last, hold)
        if hold_samples == 0 and hold == 0 and attack <= release:
            # Without hold the faster of both ways is the greater value while growing and while falling.
            row = reduction_db[stream, ramped:n_samples]
            for i in range(row.size):
                growing = fma(attack, last, row[i] * (1.0 - attack))
                falling = fma(release, last, row[i] * (1.0 - release))
                last = growing if growing > falling else falling
                row[i] = last
        else:
            last, hold = _smooth(reduction_db[stream, ramped:n_samples], ramp, 0, hold_samples, last, hold)
        smoothed_db[stream] = last if last > _TINY else 0.0
        held[stream] = hold
    if n_streams == 1:
        smoothed_db[1] = smoothed_db[0]
        held[1] = held[0]


@kernel(AUDIO, AUDIO, INT, INT, AUDIO, INT)
def apply_reduction(
    audio: Audio, reduction_db: Audio, n_streams: int, n_samples: int, ramp: Audio, remaining: int
) -> None:
    """audio *= 1 - mix + mix * 10^((make-up - reduction) / 20)."""
    ramped = min(n_samples, remaining)
    for channel in range(audio.shape[0]):
        stream = min(channel, n_streams - 1)
        for i in range(ramped):
            to_go = remaining - i
            makeup = ramp[0, MAKEUP] - ramp[1, MAKEUP] * to_go
            mix = ramp[0, MIX] - ramp[1, MIX] * to_go
            audio[channel, i] *= 1.0 - mix + mix * db_to_amplitude(makeup - reduction_db[stream, i])
    makeup = ramp[0, MAKEUP]
    mix = ramp[0, MIX]
    dry = 1.0 - mix
    if n_streams == 1 and audio.shape[0] == 2:
        left, right = audio[0, ramped:n_samples], audio[1, ramped:n_samples]
        reduction = reduction_db[0, ramped:n_samples]
        for i in range(left.size):
            gain = fma(mix, db_to_amplitude(makeup - reduction[i]), dry)
            left[i] *= gain
            right[i] *= gain
        return
    for channel in range(audio.shape[0]):
        rest = audio[channel, ramped:n_samples]
        reduction = reduction_db[channel, ramped:n_samples]
        for i in range(rest.size):
            rest[i] *= fma(mix, db_to_amplitude(makeup - reduction[i]), dry)


@kernel(
    AUDIO,
    AUDIO,
    AUDIO,
    AUDIO,
    INT,
    BOOL,
    BOOL,
    FLOAT,
    INT,
    VECTOR,
    AUDIO,
    COUNTS,
    VECTOR,
    COUNTS,
    AUDIO,
    COUNTS,
    returns=INT,
)
def compress_block(
    audio: Audio,
    detector: Audio,
    levels_db: Audio,
    reduction_db: Audio,
    n_samples: int,
    matching: bool,
    rms: bool,
    rms_feedback: float,
    hold_samples: int,
    mean_square: Audio,
    ramp: Audio,
    remaining: Counts,
    smoothed_db: Audio,
    held: Counts,
    ring: Audio,
    ring_position: Counts,
) -> int:
    """All stages in one call, ``audio`` compressed in place and delayed by the ring's length.

    Args:
        detector: what decides, one or two channels; may be ``audio`` itself.
        levels_db, reduction_db: (2, >= n), filled for each sample.
        matching: whether each channel of the detector is about one of the audio's.
        rms_feedback: coefficient of the RMS detector.

    Returns:
        How many streams of reduction there are: 1 if all channels are turned down alike.
    """
    left = remaining[0]
    # Linked channels are turned down alike once what they did before they were linked has worn off.
    apart_db = abs(smoothed_db[0] - smoothed_db[1])
    linked = left == 0 and ramp[0, LINK] >= 1.0 and apart_db < _ALIKE_DB and held[0] == held[1]
    n_streams = 1 if linked or not matching else 2
    detect_levels_db(detector, levels_db, n_samples, matching, ramp, left, rms, rms_feedback, mean_square)
    compute_reduction_db(levels_db, reduction_db, n_streams, n_samples, ramp, left)
    smooth_reduction(reduction_db, n_streams, n_samples, ramp, left, hold_samples, smoothed_db, held)
    if ring.shape[1] > 0:
        delay_in_place(audio, n_samples, ring, ring_position)
    apply_reduction(audio, reduction_db, n_streams, n_samples, ramp, left)
    remaining[0] = max(0, left - n_samples)
    return n_streams
