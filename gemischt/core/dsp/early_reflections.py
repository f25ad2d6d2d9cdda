"""The first reflections of a room: a few echoes of each side, most of them on its own side.

Times and gains are our own choice, not those of a measured room: unevenly spaced, so that they do not ring at one
pitch, each falling with its way as 1 / r, and crossing to the other side the more the later it comes.
"""

import numpy as np

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.jit import AUDIO, COUNTS, INT, kernel
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, step_of
from gemischt.core.dsp.table import in_table

TIMES_MS = (1.7, 4.9, 7.3, 10.1, 13.7, 16.9, 20.3, 24.1, 28.7, 33.1, 37.9, 43.3)
_DIRECT_MS = 5.0
"""The way that what is not reflected has gone already."""
_CROSSING = (0.1, 0.15, 0.2, 0.3, 0.3, 0.4, 0.45, 0.5, 0.55, 0.6, 0.65, 0.7)
"""How much of each comes from the other side."""


def early_gains() -> Audio:
    """What each echo is on its own side and on the other, (2, n); together they have the energy of what goes in."""
    fallen = _DIRECT_MS / (_DIRECT_MS + np.array(TIMES_MS)) * np.where(np.arange(len(TIMES_MS)) % 3 == 1, -1.0, 1.0)
    crossing = np.array(_CROSSING)
    gains = np.stack([fallen * np.sqrt(1.0 - crossing**2), fallen * crossing])
    return np.ascontiguousarray(gains / np.sqrt(np.sum(gains**2)))


@in_table
@kernel(AUDIO, AUDIO, INT, PIECES, AUDIO, AUDIO, COUNTS, COUNTS, AUDIO)
def add_early(
    source: Audio,
    out: Audio,
    n_samples: int,
    pieces: Counts,
    coefs: Audio,
    ring: Audio,
    write: Counts,
    delays: Counts,
    gains: Audio,
) -> None:
    """out += level * echoes of source, both (2, >= n).

    Args:
        coefs: (2 n_pieces, 1) the level.
        ring: (2, power of two) what has gone in, longer than the latest echo and a block.
        write: (1,) where the next sample goes.
        delays: (n,) samples of each echo.
        gains: from early_gains.
    """
    mask = ring.shape[1] - 1
    at = write[0]
    for channel in range(2):
        for i in range(n_samples):
            ring[channel, (at + i) & mask] = source[channel, i]
    write[0] = (at + n_samples) & mask
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        level, step = coefs[2 * k, 0], step_of(pieces, coefs, k, 0)
        if level == 0.0 and step == 0.0:
            continue
        gone = first - line_begin(pieces, k)
        for channel in range(2):
            near, far, row = ring[channel], ring[1 - channel], out[channel]
            for i in range(first, last):
                total = 0.0
                for echo in range(delays.size):
                    place = (at + i - delays[echo]) & mask
                    total += gains[0, echo] * near[place] + gains[1, echo] * far[place]
                row[i] += (level + step * (gone + i - first)) * total
