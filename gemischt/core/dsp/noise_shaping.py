"""Rounding to integers with dither, whose noise is moved to where it is heard less.

The error of each sample is fed back into those that follow. The noise has the spectrum |1 - sum c_k z^-k|^2 times
that of dithered rounding.

Reference: Lipshitz, Vanderkooy, Wannamaker, Minimally audible noise shaping, JAES 39(11), 1991, the filter of five
coefficients (from memory).
"""

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.dsp.jit import AUDIO, VECTOR, kernel

SHAPING = np.array([2.033, -2.165, 1.959, -1.590, 0.6149])


@kernel(AUDIO, AUDIO, AUDIO, VECTOR)
def round_shaped(scaled: Audio, dither: Audio, errors: Audio, coefs: Audio) -> None:
    """Round in place, (n_channels, n), in steps of one.

    Args:
        dither: what is added before rounding, of the same shape.
        errors: the last errors of each channel, the newest first, (n_channels, n_coefs); taken over by the next block.
    """
    n_coefs = coefs.size
    for channel in range(scaled.shape[0]):
        row, last = scaled[channel], errors[channel]
        for i in range(row.size):
            wanted = row[i]
            for k in range(n_coefs):
                wanted -= coefs[k] * last[k]
            rounded = np.rint(wanted + dither[channel, i])
            for k in range(n_coefs - 1, 0, -1):
                last[k] = last[k - 1]
            last[0] = rounded - wanted
            row[i] = rounded
