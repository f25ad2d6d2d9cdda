"""Coefficients that move: straight lines across pieces of a block.

``pieces`` (1 + n, 3) holds how many there are, and of each where its line begins and ends, which may lie outside of the
block, and the sample at which the piece is over. None means that everything rests: the whole block is one piece.
``coefs`` (2 n, n_coefs) holds the values at each line's beginning and at its end. Values are those of the line wherever
the block has cut it, so that they do not depend on blocks.

What is looped over is sliced before: indices that begin at zero need no wrap-around check, and vectorise.
"""

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.jit import COUNT_ROWS, inline_kernel

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
