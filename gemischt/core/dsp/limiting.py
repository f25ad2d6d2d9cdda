"""Looking ahead for true peaks.

Peaks are interpolated at four times the rate (ITU-R BS.1770-5, Annex 2). The gain each asks for is held as a running
minimum over the lookahead and two samples more, released exponentially, and averaged over the lookahead: the average of
gains that are all low enough is low enough.
"""

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.jit import AUDIO, COUNTS, FLOAT, INT, VECTOR, kernel

INTERPOLATOR_LAG_SAMPLES = 6
CEILING, DRIVE, MIX = range(3)
AVERAGE_AT, HEAD, LENGTH, CLOCK, RING_AT = range(5)
RELEASED, SUM = range(2)


@kernel(AUDIO, AUDIO, INT, AUDIO, AUDIO, VECTOR, COUNTS, VECTOR, COUNTS, VECTOR, FLOAT, AUDIO, AUDIO, COUNTS)
def limit(
    audio: Audio,
    gains: Audio,
    n_samples: int,
    phases: Audio,
    history: Audio,
    queue: Audio,
    queue_clock: Counts,
    averaged: Audio,
    counts: Counts,
    state: Audio,
    release: float,
    ring: Audio,
    ramp: Audio,
    remaining: Counts,
) -> None:
    """Limit in place, all channels by one gain, delayed by the ring's length.

    Args:
        gains: (1, >= n) receives the gain of each sample.
        phases: (4, 12) interpolator, oldest sample first.
        history: (n_channels, 12) the latest samples, oldest first.
        queue, queue_clock: (window,) rising candidates for the running minimum, the head being it, and their age.
        averaged: (lookahead,) ring of released gains.
        counts: (5,) place in that ring, queue's head and length, samples so far, place in the audio ring.
        state: (2,) released gain, sum of the averaging ring.
        ring: (n_channels, latency).
        ramp: (2, 3) targets and steps of ceiling, drive and mix.
    """
    left = remaining[0]
    n_channels = audio.shape[0]
    window = queue.size
    for i in range(n_samples):
        to_go = max(0, left - i)
        ceiling = ramp[0, CEILING] - ramp[1, CEILING] * to_go
        drive = ramp[0, DRIVE] - ramp[1, DRIVE] * to_go
        mix = ramp[0, MIX] - ramp[1, MIX] * to_go
        peak = 0.0
        for channel in range(n_channels):
            for k in range(11):
                history[channel, k] = history[channel, k + 1]
            history[channel, 11] = audio[channel, i]
            peak = max(peak, abs(history[channel, 5]))
            for phase in range(4):
                value = 0.0
                for k in range(12):
                    value += phases[phase, k] * history[channel, k]
                peak = max(peak, abs(value))
        needed = ceiling / max(drive * peak, ceiling)
        clock = counts[CLOCK]
        if counts[LENGTH] > 0 and queue_clock[counts[HEAD]] <= clock - window:
            counts[HEAD] = (counts[HEAD] + 1) % window
            counts[LENGTH] -= 1
        while counts[LENGTH] > 0 and queue[(counts[HEAD] + counts[LENGTH] - 1) % window] >= needed:
            counts[LENGTH] -= 1
        slot = (counts[HEAD] + counts[LENGTH]) % window
        queue[slot] = needed
        queue_clock[slot] = clock
        counts[LENGTH] += 1
        lowest = queue[counts[HEAD]]
        released = min(lowest, lowest + (state[RELEASED] - lowest) * release)
        state[RELEASED] = released
        state[SUM] += released - averaged[counts[AVERAGE_AT]]
        averaged[counts[AVERAGE_AT]] = released
        counts[AVERAGE_AT] = (counts[AVERAGE_AT] + 1) % averaged.size
        counts[CLOCK] = clock + 1
        gain = 1.0 - mix + mix * min(1.0, state[SUM] / averaged.size)
        gains[0, i] = gain
        at = counts[RING_AT]
        for channel in range(n_channels):
            oldest = ring[channel, at]
            ring[channel, at] = audio[channel, i]
            audio[channel, i] = oldest * drive * gain
        counts[RING_AT] = (at + 1) % ring.shape[1]
    remaining[0] = max(0, left - n_samples)
