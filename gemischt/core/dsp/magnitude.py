"""The highest magnitude or value of a stretch of samples, fast."""

import numpy as np

from gemischt.core.audio import Audio, Single
from gemischt.core.dsp.jit import AUDIO, FLOAT, INT, inline_kernel, kernel
from gemischt.core.dsp.lanes import N_LANES, greater, greatest, load, spread

_MAGNITUDE = np.int64(0x7FFFFFFFFFFFFFFF)
_SINGLE_MAGNITUDE = np.int32(0x7FFFFFFF)


@inline_kernel
def highest_magnitude(row: Audio) -> float:
    """Of a one-dimensional stretch; 0 for an empty one.

    The bits of finite magnitudes order like integers, and a maximum of integers vectorises.
    """
    bits = row.view(np.int64)
    top = np.int64(0)
    for i in range(bits.size):
        top = max(top, bits[i] & _MAGNITUDE)
    return float(np.int64(top).view(np.float64))


@inline_kernel
def highest_single(row: Single) -> float:
    """The same of single precision."""
    bits = row.view(np.int32)
    top = np.int32(0)
    for i in range(bits.size):
        top = max(top, bits[i] & _SINGLE_MAGNITUDE)
    return float(np.int32(top).view(np.float32))


@kernel(AUDIO, INT, INT, INT, returns=FLOAT)
def highest_value(rows: Audio, n_rows: int, first: int, end: int) -> float:
    """Of a stretch of the first rows; minus infinity if there is nothing in it."""
    top = spread(-np.inf)
    for k in range(n_rows):
        row = rows[k, first:end]
        whole = row.size - row.size % N_LANES
        for i in range(0, whole, N_LANES):
            top = greater(load(row, i), top)
        for i in range(whole, row.size):
            top = greater(spread(row[i]), top)
    return float(greatest(top))
