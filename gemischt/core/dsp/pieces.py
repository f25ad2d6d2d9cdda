"""Coefficients that move: straight lines across pieces of a block.

``pieces`` (1 + n, 3) holds how many there are, and of each where its line begins and ends, which may lie outside of the
block, and the sample at which the piece is over. None means that everything rests: the whole block is one piece.
``coefs`` (2 n, n_coefs) holds the values at each line's beginning and at its end. Values are those of the line wherever
the block has cut it, so that they do not depend on blocks.

What is looped over is sliced before: indices that begin at zero need no wrap-around check, and vectorise.
"""

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.jit import AUDIO, COUNT_ROWS, COUNTS, INT, inline_kernel, kernel
from gemischt.core.dsp.table import in_table

PIECES = COUNT_ROWS
BEGIN, END, LAST = range(3)


@inline_kernel
def n_pieces(pieces: Counts) -> int:
    """How many pieces there are."""
    return int(max(1, pieces[0, 0]))


@inline_kernel
def piece_first(pieces: Counts, k: int) -> int:
    """The first sample of a piece."""
    return pieces[k, LAST] if k > 0 else 0


@inline_kernel
def piece_last(pieces: Counts, k: int, n_samples: int) -> int:
    """The sample behind the last one of a piece."""
    return pieces[1 + k, LAST] if pieces[0, 0] > 0 else n_samples


@inline_kernel
def line_begin(pieces: Counts, k: int) -> int:
    """Where a piece's lines begin, before its first sample or at it: coef + step * (sample - begin)."""
    return pieces[1 + k, BEGIN] if pieces[0, 0] > 0 else 0


@inline_kernel
def step_of(pieces: Counts, coefs: Audio, k: int, j: int) -> float:
    """By how much a coefficient moves with each sample of a piece."""
    if pieces[0, 0] == 0:
        return 0.0
    return float((coefs[2 * k + 1, j] - coefs[2 * k, j]) / (pieces[1 + k, END] - pieces[1 + k, BEGIN]))


@inline_kernel
def rests(pieces: Counts, coefs: Audio, k: int) -> bool:
    """Whether nothing moves in a piece."""
    if pieces[0, 0] == 0:
        return True
    moving = 0
    for j in range(coefs.shape[1]):
        moving += coefs[2 * k, j] != coefs[2 * k + 1, j]
    return moving == 0


@in_table
@kernel(COUNT_ROWS, AUDIO, COUNTS, AUDIO, INT, INT, INT)
def lay_out_line(
    pieces: Counts, coefs: Audio, starts: Counts, rows: Audio, first_stepped: int, position_samples: int, n_samples: int
) -> None:
    """Lay out a block that lies within a stretch of a line; None of it moves if the line rests.

    Args:
        starts: (n,) samples, the first no later than the block, the last no earlier than its end.
        rows: (n, n_coefs) the coefficients at each.
        first_stepped: from this column on coefficients are those at a piece's beginning.
    """
    k, beyond = 0, starts.size - 1
    while beyond - k > 1:
        middle = (k + beyond) // 2
        if starts[middle] <= position_samples:
            k = middle
        else:
            beyond = middle
    most, count, done = pieces.shape[0] - 1, 0, 0
    while done < n_samples:
        last = min(n_samples, starts[k + 1] - position_samples)
        if count == most - 1:
            last = n_samples
        moving = 0
        for j in range(rows.shape[1]):
            coefs[2 * count, j] = rows[k, j]
            coefs[2 * count + 1, j] = rows[k + 1, j] if j < first_stepped else rows[k, j]
            moving += coefs[2 * count + 1, j] != coefs[2 * count, j]
        if count == 0 and last == n_samples and moving == 0:
            break
        count += 1
        pieces[count, BEGIN] = starts[k] - position_samples
        pieces[count, END] = starts[k + 1] - position_samples
        pieces[count, LAST] = last
        done = last
        k += 1
    pieces[0, 0] = count
