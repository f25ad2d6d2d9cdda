"""Rounding to the integers that files hold."""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, Integers
from gemischt.core.dsp.jit import AUDIO, BYTE_FRAMES, FLOAT, INT, INTEGER_FRAMES, inline_kernel, kernel

_BYTES = 3


@inline_kernel
def _fitting(wanted: float, full_scale: float) -> float:
    return min(max(wanted, -full_scale), full_scale - 1.0)


@kernel(AUDIO, FLOAT, INT, INTEGER_FRAMES, returns=INT)
def round_to_frames(audio: Audio, full_scale: float, step: int, frames: Integers) -> int:
    """Round (n_channels, n) in steps of 1 / ``full_scale`` into frames (n, n_channels), each step written as ``step``.

    Returns:
        how many did not fit and were clipped.
    """
    clipped = 0
    for channel in range(audio.shape[0]):
        row = audio[channel]
        for i in range(row.size):
            wanted = full_scale * row[i]
            fits = _fitting(wanted, full_scale)
            clipped += wanted != fits
            frames[i, channel] = np.int32(np.rint(fits)) * np.int32(step)
    return clipped


@kernel(AUDIO, BYTE_FRAMES, returns=INT)
def pack_24_bits(audio: Audio, frames: NDArray[np.uint8]) -> int:
    """Round (n_channels, n) to 24 bits and write them, the lowest byte first, into frames (n, n_channels * 3).

    Returns:
        how many did not fit and were clipped.
    """
    clipped = 0
    full_scale = 2.0**23
    for channel in range(audio.shape[0]):
        row = audio[channel]
        at = _BYTES * channel
        for i in range(row.size):
            wanted = full_scale * row[i]
            fits = _fitting(wanted, full_scale)
            clipped += wanted != fits
            whole = np.int32(np.rint(fits))
            frames[i, at] = whole & 0xFF
            frames[i, at + 1] = (whole >> 8) & 0xFF
            frames[i, at + 2] = (whole >> 16) & 0xFF
    return clipped
