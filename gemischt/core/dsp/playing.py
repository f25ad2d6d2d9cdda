"""Clips of any number of files, played into one sum.

A block is worked on piece by piece, all clips in each, so that the sum stays where it is fast.
"""

import math
from typing import Any, cast

import numba
import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic

from gemischt.core.audio import Audio, Counts, MediaSamples, Single
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, BOOL, COUNT_ROWS, CUBE, INT, inline_kernel, kernel
from gemischt.core.dsp.table import in_table

ADDRESS, N_MEDIA, N_CHANNELS, START, LENGTH, OFFSET, FADE_IN, IN_POWER, FADE_OUT, OUT_POWER, BACKWARDS = range(11)
"""What a row of the table of clips says: where the file's samples lie in memory, how many and how many channels; where
the clip begins in the song, how long it is, where in the file it begins, its fades, in samples, whether each is one of
equal power, and its direction."""
_PIECE_SAMPLES = 4096


_SAMPLES = cast(Any, types).CPointer(types.float32)


@intrinsic
def _samples_at(_context: Any, address: Any) -> Any:
    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return builder.inttoptr(arguments[0], ir.FloatType().as_pointer())

    return _SAMPLES(types.int64), generate


_pointer = cast(Any, _samples_at)
_array = cast(Any, numba).carray


def clip_row(
    media: MediaSamples,
    start_samples: int,
    length_samples: int,
    offset_samples: int,
    fade_in: tuple[int, bool] = (0, False),
    fade_out: tuple[int, bool] = (0, False),
    backwards: bool = False,
) -> Counts:
    """A row of the table of clips. It points at the file's samples: the caller keeps them.

    Fades are samples, and whether they are of equal power.

    Raises:
        ValueError: the clip reaches beyond the file.
    """
    if offset_samples < 0 or offset_samples + length_samples > len(media):
        raise ValueError(f"a clip of {length_samples} samples from {offset_samples} on in a file of {len(media)}")
    if media.dtype != np.float32 or not media.flags.c_contiguous:
        raise ValueError("a file's samples must lie in one piece, in single precision")
    ends = (*fade_in, *fade_out, backwards)
    row = (media.ctypes.data, *media.shape, start_samples, length_samples, offset_samples, *ends)
    return np.array(row, np.int64)


@inline_kernel
def _add_steady(out: Audio, first: int, last: int, flat: Single, at: int, n_media: int, gains: Audio) -> None:
    """out += gains @ a file, one or two channels of each, every sample read once; ``at`` is its place in the file."""
    left = out[0, first:last]
    if n_media == 1:
        a, c = gains[0, 0], gains[out.shape[0] - 1, 0]
        mono = flat[at : at + left.size]
        if out.shape[0] == 1:
            for i in range(left.size):
                left[i] = fma(a, mono[i], left[i])
        else:
            right = out[1, first:last]
            for i in range(left.size):
                left[i] = fma(a, mono[i], left[i])
                right[i] = fma(c, mono[i], right[i])
    else:
        a, b = gains[0, 0], gains[0, 1]
        pairs = flat[2 * at : 2 * (at + left.size)]
        if out.shape[0] == 1:
            for i in range(left.size):
                left[i] = fma(a, pairs[2 * i], fma(b, pairs[2 * i + 1], left[i]))
        else:
            right = out[1, first:last]
            c, d = gains[1, 0], gains[1, 1]
            for i in range(left.size):
                p, q = pairs[2 * i], pairs[2 * i + 1]
                left[i] = fma(a, p, fma(b, q, left[i]))
                right[i] = fma(c, p, fma(d, q, right[i]))


@inline_kernel
def _add_wide(out: Audio, first: int, last: int, flat: Single, at: int, n_media: int, gains: Audio) -> None:
    """The same of any number of channels."""
    frames = flat[n_media * at : n_media * (at + last - first)]
    for channel in range(out.shape[0]):
        row = out[channel, first:last]
        for source in range(n_media):
            gain = gains[channel, source]
            if gain != 0.0:
                for i in range(row.size):
                    row[i] = fma(gain, frames[n_media * i + source], row[i])


@inline_kernel
def _fade_gain(share: float, equal_power: int) -> float:
    """Gain at a share of a fade. Two that cross add up to one: straight ones in amplitude, the others in power."""
    return math.sin(0.5 * math.pi * share) if equal_power else share


@inline_kernel
def _add_fading(out: Audio, first: int, last: int, position: int, flat: Single, clip: Counts, gains: Audio) -> None:
    """The same sample by sample, with fades, in either direction, of a file of any number of channels."""
    n_channels = clip[N_CHANNELS]
    for i in range(first, last):
        played = position + i - clip[START]
        left = clip[LENGTH] - 1 - played
        level = 1.0
        if played < clip[FADE_IN]:
            level *= _fade_gain((played + 0.5) / clip[FADE_IN], clip[IN_POWER])
        if left < clip[FADE_OUT]:
            level *= _fade_gain((left + 0.5) / clip[FADE_OUT], clip[OUT_POWER])
        at = n_channels * (clip[OFFSET] + (left if clip[BACKWARDS] else played))
        for channel in range(out.shape[0]):
            for source in range(n_channels):
                out[channel, i] += gains[channel, source] * level * flat[at + source]


@inline_kernel
def _add_clip(out: Audio, first: int, last: int, position: int, clip: Counts, gains: Audio) -> None:
    """The part of a clip that falls into a piece of the block."""
    start, end = clip[START] - position, clip[START] + clip[LENGTH] - position
    first, last = max(first, start), min(last, end)
    if last <= first:
        return
    flat = _array(_pointer(clip[ADDRESS]), clip[N_MEDIA] * clip[N_CHANNELS])
    steady = min(last, max(first, start + clip[FADE_IN]))
    fading = max(steady, min(last, end - clip[FADE_OUT]))
    if clip[BACKWARDS]:
        steady = fading = last
    _add_fading(out, first, steady, position, flat, clip, gains)
    at, n_media = clip[OFFSET] + steady - start, clip[N_CHANNELS]
    if n_media <= 2 and out.shape[0] <= 2:
        _add_steady(out, steady, fading, flat, at, n_media, gains)
    else:
        _add_wide(out, steady, fading, flat, at, n_media, gains)
    _add_fading(out, fading, last, position, flat, clip, gains)


@in_table
@kernel(AUDIO, INT, INT, BOOL, COUNT_ROWS, CUBE)
def play_clips(out: Audio, n_samples: int, position_samples: int, adds: bool, clips: Counts, gains: Audio) -> None:
    """out = the sum of what falls into [position, position + n) of each clip, through its gains.

    Args:
        adds: whether what is there already is kept.
        clips: (n_clips, 11), rows of ``clip_row``.
        gains: (n_clips, n_channels, n_widest) of each file's channels.
    """
    for first in range(0, n_samples, _PIECE_SAMPLES):
        last = min(n_samples, first + _PIECE_SAMPLES)
        if not adds:
            for channel in range(out.shape[0]):
                for i in range(first, last):
                    out[channel, i] = 0.0
        for k in range(clips.shape[0]):
            _add_clip(out, first, last, position_samples, clips[k], gains[k])
