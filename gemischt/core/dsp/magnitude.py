"""The highest magnitude or value of a stretch of samples, fast."""

import numpy as np

from gemischt.core.audio import Audio, Single
from gemischt.core.dsp.jit import AUDIO, FLOAT, INT, inline_kernel, kernel
from gemischt.core.dsp.simd import N_LANES, N_SINGLES, greater, greatest, load, magnitudes, spread

_MAGNITUDE = np.int64(0x7FFFFFFFFFFFFFFF)
_SILENCE = np.float32(0.0)


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
def highest_single(row: Single, first: int, end: int) -> float:
    """The same of a part of a row of single precision, many at once."""
    whole = end - (end - first) % (2 * N_SINGLES)
    highest, other = spread(_SILENCE), spread(_SILENCE)
    for i in range(first, whole, 2 * N_SINGLES):
        highest = greater(magnitudes(load(row, i)), highest)
        other = greater(magnitudes(load(row, i + N_SINGLES)), other)
    top = float(greatest(greater(highest, other)))
    for i in range(whole, end):
        top = max(top, float(abs(row[i])))
    return top


@inline_kernel
def highest_bend(row: Single, first: int, end: int) -> float:
    """Largest second difference around the samples of a part of a row, one before and one behind it included."""
    whole = end - (end - first) % N_SINGLES
    highest = spread(_SILENCE)
    for i in range(first, whole, N_SINGLES):
        middle = load(row, i)
        highest = greater(magnitudes(load(row, i - 1) - middle + load(row, i + 1) - middle), highest)
    top = float(greatest(highest))
    for i in range(whole, end):
        top = max(top, float(abs(row[i - 1] - row[i] + row[i + 1] - row[i])))
    return top


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
