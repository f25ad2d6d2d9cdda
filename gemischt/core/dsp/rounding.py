"""Rounding to the integers that files hold."""

import numpy as np

from gemischt.core.audio import Audio, Integers
from gemischt.core.dsp.jit import AUDIO, FLOAT, INT, INTEGER_FRAMES, kernel


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
            fits = min(max(wanted, -full_scale), full_scale - 1.0)
            clipped += wanted != fits
            frames[i, channel] = np.int32(np.rint(fits)) * np.int32(step)
    return clipped
