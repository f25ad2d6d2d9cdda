"""Delays whose length may change while they sound: the old and the new length are crossfaded.

A line's state is (write position, length now, length next, samples of the fade left, samples of the whole fade).
"""

import numpy as np

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.jit import AUDIO, COUNTS, INT, inline_kernel, kernel
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, rests, step_of
from gemischt.core.dsp.table import in_table

WRITE, NOW, NEXT, FADE_LEFT, FADE_TOTAL = range(5)
FEEDBACK, PING_PONG, HIGH_CUT, LOW_CUT, LENGTH = range(5)
"""Coefficients of echoes; a plain delay has its length alone."""
_TINY = 1e-25
_LEAK = 5e-4


def ring_size(longest_samples: int) -> int:
    """The power of two that holds a delay of this length."""
    return 1 << int(longest_samples + 1).bit_length()


def new_line(fade_samples: int) -> Counts:
    """State of a line that has no length yet; it takes its first at once, and later ones in so many samples."""
    return np.array([0, -1, -1, 0, fade_samples], np.int64)


@inline_kernel
def _aim(line: Counts, length: int) -> None:
    """Begin to go to a length, unless the line is on its way to one: then it is asked again at the end of that."""
    if line[NOW] < 0:
        line[NOW] = line[NEXT] = length
    elif line[FADE_LEFT] == 0 and length != line[NEXT]:
        line[NEXT] = length
        line[FADE_LEFT] = line[FADE_TOTAL]


@inline_kernel
def _part_end(line: Counts, done: int, last: int) -> int:
    """The end of the part of a piece in which the line is on its way, or is not."""
    return min(last, done + line[FADE_LEFT]) if line[FADE_LEFT] > 0 else last


@inline_kernel
def _advance(line: Counts, n_samples: int, mask: int) -> None:
    line[WRITE] = (line[WRITE] + n_samples) & mask
    if line[FADE_LEFT] > 0:
        line[FADE_LEFT] -= n_samples
        if line[FADE_LEFT] == 0:
            line[NOW] = line[NEXT]


@inline_kernel
def _delay_at_rest(audio: Audio, first: int, last: int, ring: Audio, line: Counts) -> int:
    """Delay as much of a stretch as neither goes round the ring nor overwrites what is wanted; its end."""
    size, length, write = ring.shape[1], line[NEXT], line[WRITE]
    read = (write - length) & (size - 1)
    n = int(min(min(last - first, size - length), size - max(write, read)))
    for channel in range(audio.shape[0]):
        passing = audio[channel, first : first + n]
        kept, leaving = ring[channel, write : write + n], ring[channel, read : read + n]
        for i in range(n):
            kept[i] = passing[i]
        for i in range(n):
            passing[i] = leaving[i]
    return first + n


@in_table
@kernel(AUDIO, INT, PIECES, AUDIO, AUDIO, COUNTS)
def run_delay(audio: Audio, n_samples: int, pieces: Counts, lengths: Audio, ring: Audio, line: Counts) -> None:
    """Delay in place, by nothing at least. ``ring`` (n_channels, power of two), ``lengths`` (2 n_pieces, 1)."""
    mask = ring.shape[1] - 1
    for k in range(n_pieces(pieces)):
        done, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        while done < last:
            _aim(line, int(lengths[2 * k, 0]))
            end = _part_end(line, done, last)
            if line[FADE_LEFT] == 0:
                end = _delay_at_rest(audio, done, end, ring, line)
                _advance(line, end - done, mask)
                done = end
                continue
            for channel in range(audio.shape[0]):
                write = line[WRITE]
                fade_left = line[FADE_LEFT]
                for i in range(done, end):
                    ring[channel, write] = audio[channel, i]
                    out = ring[channel, (write - line[NEXT]) & mask]
                    before = fade_left / line[FADE_TOTAL]
                    out += before * (ring[channel, (write - line[NOW]) & mask] - out)
                    fade_left -= 1
                    audio[channel, i] = out
                    write = (write + 1) & mask
            _advance(line, end - done, mask)
            done = end


@inline_kernel
def _kept(value: float) -> float:
    return value if abs(value) > _TINY else 0.0


@inline_kernel
def _echo(
    audio: Audio,
    wet: Audio,
    first: int,
    last: int,
    pieces: Counts,
    coefs: Audio,
    k: int,
    ring: Audio,
    line: Counts,
    state: Audio,
) -> None:
    """The part [first, last) of a piece in which the line's lengths stay as they are."""
    begin = line_begin(pieces, k)
    mask = ring.shape[1] - 1
    left_in, right_in = audio[0], audio[audio.shape[0] - 1]
    write = line[WRITE]
    now, coming = line[NOW], line[NEXT]
    fade_left, fade_total = line[FADE_LEFT], line[FADE_TOTAL]
    feedbacks, feedback_step = coefs[2 * k, FEEDBACK], step_of(pieces, coefs, k, FEEDBACK)
    crossings, crossing_step = coefs[2 * k, PING_PONG], step_of(pieces, coefs, k, PING_PONG)
    highs, high_step = coefs[2 * k, HIGH_CUT], step_of(pieces, coefs, k, HIGH_CUT)
    lows, low_step = coefs[2 * k, LOW_CUT], step_of(pieces, coefs, k, LOW_CUT)
    dull_l, low_l = state[0, 0], state[0, 1]
    dull_r, low_r = state[1, 0], state[1, 1]
    for i in range(first, last):
        within = i - begin
        feedback = feedbacks + feedback_step * within
        crossed = crossings + crossing_step * within
        high = highs + high_step * within
        low = lows + low_step * within
        echo_l = ring[0, (write - coming) & mask]
        echo_r = ring[1, (write - coming) & mask]
        if fade_left > 0:
            before = fade_left / fade_total
            echo_l += before * (ring[0, (write - now) & mask] - echo_l)
            echo_r += before * (ring[1, (write - now) & mask] - echo_r)
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
        in_l = left_in[i]
        in_r = right_in[i]
        middle = 0.5 * (in_l + in_r)
        ring[0, write] = _kept((1.0 - crossed) * (in_l + feedback * echo_l) + crossed * (middle + feedback * echo_r))
        ring[1, write] = _kept((1.0 - crossed) * (in_r + feedback * echo_r) + crossed * feedback * echo_l)
        write = (write + 1) & mask
    state[0, 0], state[0, 1] = _kept(dull_l), _kept(low_l)
    state[1, 0], state[1, 1] = _kept(dull_r), _kept(low_r)
    _advance(line, last - first, mask)


@inline_kernel
def _echo_at_rest(
    audio: Audio, wet: Audio, first: int, last: int, row: Audio, ring: Audio, line: Counts, state: Audio
) -> None:
    """Like _echo where nothing moves: one stretch after the other that neither hears itself nor goes round the ring."""
    mask = ring.shape[1] - 1
    length, done = line[NEXT], first
    feedback, crossed, high, low = row[FEEDBACK], row[PING_PONG], row[HIGH_CUT], row[LOW_CUT]
    keep = 1.0 if low > 0.0 else 1.0 - _LEAK
    dull_l, low_l = state[0, 0], state[0, 1]
    dull_r, low_r = state[1, 0], state[1, 1]
    while done < last:
        write = line[WRITE]
        read = (write - length) & mask
        n = min(min(last - done, length), mask + 1 - max(write, read))
        echo_l, echo_r = ring[0, read : read + n], ring[1, read : read + n]
        wet_l, wet_r = wet[0, done : done + n], wet[1, done : done + n]
        for i in range(n):
            dull_l += high * (echo_l[i] - dull_l)
            dull_r += high * (echo_r[i] - dull_r)
            low_l = keep * low_l + low * (dull_l - low_l)
            low_r = keep * low_r + low * (dull_r - low_r)
            wet_l[i] = dull_l - low_l
            wet_r[i] = dull_r - low_r
        fed_l, fed_r = ring[0, write : write + n], ring[1, write : write + n]
        in_l, in_r = audio[0, done : done + n], audio[audio.shape[0] - 1, done : done + n]
        for i in range(n):
            middle = 0.5 * (in_l[i] + in_r[i])
            straight_l, straight_r = in_l[i] + feedback * wet_l[i], in_r[i] + feedback * wet_r[i]
            fed_l[i] = _kept((1.0 - crossed) * straight_l + crossed * (middle + feedback * wet_r[i]))
            fed_r[i] = _kept((1.0 - crossed) * straight_r + crossed * feedback * wet_l[i])
        line[WRITE] = (write + n) & mask
        done += n
    state[0, 0], state[0, 1] = _kept(dull_l), _kept(low_l)
    state[1, 0], state[1, 1] = _kept(dull_r), _kept(low_r)


@in_table
@kernel(AUDIO, AUDIO, INT, PIECES, AUDIO, AUDIO, COUNTS, AUDIO)
def run_echoes(
    audio: Audio, wet: Audio, n_samples: int, pieces: Counts, coefs: Audio, ring: Audio, line: Counts, state: Audio
) -> None:
    """Repeats of ``audio`` alone into ``wet`` (2, n): delayed, filtered, fed back.

    Args:
        audio: one or two channels; left unchanged.
        coefs: (2 n_pieces, 5) feedback, ping-pong (0 or 1), the one-pole cuts' coefficients, and the length in
            samples, which is crossfaded.
        ring: (2, power of two).
        state: (2, 2) per channel the low-pass and the low-cut's low-pass.
    """
    for k in range(n_pieces(pieces)):
        done, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        while done < last:
            _aim(line, int(coefs[2 * k, LENGTH]))
            end = _part_end(line, done, last)
            if line[FADE_LEFT] == 0 and line[NEXT] > 0 and rests(pieces, coefs, k):
                _echo_at_rest(audio, wet, done, end, coefs[2 * k], ring, line, state)
            else:
                _echo(audio, wet, done, end, pieces, coefs, k, ring, line, state)
            done = end
