"""Middle and side of two channels, each through sections of its own."""

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.decibels import flushed
from gemischt.core.dsp.jit import AUDIO, INT, inline_kernel, kernel
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, step_of
from gemischt.core.dsp.table import in_table

MIDDLE, SIDE_FIRST, SIDE_SECOND = range(3)


@inline_kernel
def _through(x: float, section: int, now: int, coefs: Audio, steps: Audio, k: int, state: Audio) -> float:
    """One sample through a section in transposed direct form II, its coefficients where their lines are."""
    j = 5 * section
    b0 = coefs[2 * k, j] + steps[0, j] * now
    b1 = coefs[2 * k, j + 1] + steps[0, j + 1] * now
    b2 = coefs[2 * k, j + 2] + steps[0, j + 2] * now
    a1 = coefs[2 * k, j + 3] + steps[0, j + 3] * now
    a2 = coefs[2 * k, j + 4] + steps[0, j + 4] * now
    y = b0 * x + state[section, 0]
    state[section, 0] = b1 * x - a1 * y + state[section, 1]
    state[section, 1] = b2 * x - a2 * y
    return float(y)


@in_table
@kernel(AUDIO, INT, PIECES, AUDIO, AUDIO, AUDIO)
def filter_sides(audio: Audio, n_samples: int, pieces: Counts, coefs: Audio, steps: Audio, state: Audio) -> None:
    """The middle through its section, the side through two, in place; one channel is a middle.

    Args:
        coefs: (2 n_pieces, 15) of the middle's section and the side's two.
        steps: (1, 15) room for how fast each moves.
        state: (3, 2) the delayed sums of each section.
    """
    n_channels = audio.shape[0]
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        gone = first - line_begin(pieces, k)
        for j in range(coefs.shape[1]):
            steps[0, j] = step_of(pieces, coefs, k, j)
        for i in range(first, last):
            now = gone + i - first
            left, right = audio[0, i], audio[n_channels - 1, i]
            middle = _through(0.5 * (left + right), MIDDLE, now, coefs, steps, k, state)
            side = _through(0.5 * (left - right), SIDE_FIRST, now, coefs, steps, k, state)
            side = _through(side, SIDE_SECOND, now, coefs, steps, k, state)
            audio[n_channels - 1, i] = middle - side
            audio[0, i] = middle + side
    for section in range(state.shape[0]):
        state[section, 0], state[section, 1] = flushed(state[section, 0]), flushed(state[section, 1])
