"""Delays whose length may change while they sound: the old and the new length are crossfaded.

A line's state is (write position, length now, length next, samples of the fade left, samples of the whole fade, length
wanted after this fade or -1).
"""

import numpy as np

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.jit import AUDIO, COUNTS, INT, kernel

WRITE, NOW, NEXT, FADE_LEFT, FADE_TOTAL, WANTED = range(6)
FEEDBACK, PING_PONG, HIGH_CUT, LOW_CUT = range(4)
_TINY = 1e-25
_LEAK = 5e-4


def ring_size(longest_samples: int) -> int:
    """The power of two that holds a delay of this length."""
    return 1 << int(longest_samples + 1).bit_length()


def new_line() -> Counts:
    """State of a line that has no length yet."""
    return np.array([0, -1, -1, 0, 1, -1], np.int64)


def aim_line(line: Counts, length_samples: int, fade_samples: int) -> None:
    """Ask for a length; a line that has none takes it at once, one in the middle of a fade takes it after that."""
    if line[NOW] < 0 or fade_samples == 0:
        line[NOW] = line[NEXT] = length_samples
        line[FADE_LEFT] = 0
        line[WANTED] = -1
    elif line[FADE_LEFT] > 0:
        line[WANTED] = length_samples
    elif length_samples != line[NEXT]:
        line[NEXT] = length_samples
        line[FADE_LEFT] = line[FADE_TOTAL] = fade_samples


@kernel(AUDIO, INT, AUDIO, COUNTS)
def run_delay(audio: Audio, n_samples: int, ring: Audio, line: Counts) -> None:
    """Delay in place by the line's length, 0 included. ``ring`` (n_channels, power of two)."""
    mask = ring.shape[1] - 1
    for channel in range(audio.shape[0]):
        write = line[WRITE]
        fade_left = line[FADE_LEFT]
        for i in range(n_samples):
            ring[channel, write] = audio[channel, i]
            out = ring[channel, (write - line[NEXT]) & mask]
            if fade_left > 0:
                before = fade_left / line[FADE_TOTAL]
                out += before * (ring[channel, (write - line[NOW]) & mask] - out)
                fade_left -= 1
            audio[channel, i] = out
            write = (write + 1) & mask
    _advance(line, n_samples, mask)


@kernel(AUDIO, AUDIO, INT, AUDIO, COUNTS, AUDIO, COUNTS, AUDIO)
def run_echoes(
    audio: Audio,
    wet: Audio,
    n_samples: int,
    ring: Audio,
    line: Counts,
    ramp: Audio,
    remaining: Counts,
    state: Audio,
) -> None:
    """Repeats of ``audio`` alone into ``wet`` (2, n): delayed, filtered, fed back.

    Args:
        audio: one or two channels; left unchanged.
        ring: (2, power of two).
        ramp: (2, 4) targets and steps of feedback, ping-pong (0 or 1), and the one-pole cuts' coefficients.
        state: (2, 2) per channel the low-pass and the low-cut's low-pass.
    """
    mask = ring.shape[1] - 1
    last = audio.shape[0] - 1
    left = remaining[0]
    write = line[WRITE]
    fade_left = line[FADE_LEFT]
    dull_l, low_l = state[0, 0], state[0, 1]
    dull_r, low_r = state[1, 0], state[1, 1]
    for i in range(n_samples):
        to_go = max(0, left - i)
        feedback = ramp[0, FEEDBACK] - ramp[1, FEEDBACK] * to_go
        crossed = ramp[0, PING_PONG] - ramp[1, PING_PONG] * to_go
        high = ramp[0, HIGH_CUT] - ramp[1, HIGH_CUT] * to_go
        low = ramp[0, LOW_CUT] - ramp[1, LOW_CUT] * to_go
        echo_l = ring[0, (write - line[NEXT]) & mask]
        echo_r = ring[1, (write - line[NEXT]) & mask]
        if fade_left > 0:
            before = fade_left / line[FADE_TOTAL]
            echo_l += before * (ring[0, (write - line[NOW]) & mask] - echo_l)
            echo_r += before * (ring[1, (write - line[NOW]) & mask] - echo_r)
            fade_left -= 1
        dull_l += high * (echo_l - dull_l)
        dull_r += high * (echo_r - dull_r)
        # An open low cut lets what it had stored leak away instead of keeping it as an offset.
        keep = 1.0 if low > 0.0 else 1.0 - _LEAK
        low_l = keep * low_l + low * (dull_l - low_l)
        low_r = keep * low_r + low * (dull_r - low_r)
        echo_l = dull_l - low_l
        echo_r = dull_r - low_r
        wet[0, i] = echo_l
        wet[1, i] = echo_r
        in_l = audio[0, i]
        in_r = audio[last, i]
        middle = 0.5 * (in_l + in_r)
        next_l = (1.0 - crossed) * (in_l + feedback * echo_l) + crossed * (middle + feedback * echo_r)
        next_r = (1.0 - crossed) * (in_r + feedback * echo_r) + crossed * feedback * echo_l
        ring[0, write] = next_l if abs(next_l) > _TINY else 0.0
        ring[1, write] = next_r if abs(next_r) > _TINY else 0.0
        write = (write + 1) & mask
    state[0, 0], state[0, 1] = dull_l if abs(dull_l) > _TINY else 0.0, low_l if abs(low_l) > _TINY else 0.0
    state[1, 0], state[1, 1] = dull_r if abs(dull_r) > _TINY else 0.0, low_r if abs(low_r) > _TINY else 0.0
    remaining[0] = max(0, left - n_samples)
    _advance(line, n_samples, mask)


@kernel(COUNTS, INT, INT)
def _advance(line: Counts, n_samples: int, mask: int) -> None:
    line[WRITE] = (line[WRITE] + n_samples) & mask
    if line[FADE_LEFT] > 0:
        line[FADE_LEFT] = max(0, line[FADE_LEFT] - n_samples)
        if line[FADE_LEFT] == 0:
            line[NOW] = line[NEXT]
            if line[WANTED] >= 0 and line[WANTED] != line[NEXT]:
                line[NEXT] = line[WANTED]
                line[FADE_LEFT] = line[FADE_TOTAL]
            line[WANTED] = -1
