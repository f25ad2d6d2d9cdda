"""Levels become reductions of what is quiet: a gate that opens at a threshold and closes some way below it.

Reference: U. Zölzer (ed.), DAFX, 2nd edition, 2011, section 4.2.3, for gates and expanders with hold and hysteresis;
smoothed as core.dsp.dynamics does, in the logarithmic domain.
"""

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.jit import AUDIO, COUNTS, INT, VECTOR, inline_kernel, kernel
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, step_of
from gemischt.core.dsp.table import in_table

THRESHOLD, SLOPE, RANGE, HYSTERESIS, ATTACK, RELEASE, HOLD = range(7)
"""Coefficients: reduction per dB below the threshold, attack and release as feedback, hold in samples."""
N_COEFS = 7
CLOSED = -1
"""What is held when it is closed."""
_TINY = 1e-30


@inline_kernel
def _gate(
    levels: Audio, reduction: Audio, gone: int, pieces: Counts, coefs: Audio, k: int, last: float, held: int
) -> tuple[float, int]:
    """One stream over a piece; its last reduction, and for how long it still stays open."""
    threshold, threshold_step = coefs[2 * k, THRESHOLD], step_of(pieces, coefs, k, THRESHOLD)
    slope, slope_step = coefs[2 * k, SLOPE], step_of(pieces, coefs, k, SLOPE)
    most, most_step = coefs[2 * k, RANGE], step_of(pieces, coefs, k, RANGE)
    wide, wide_step = coefs[2 * k, HYSTERESIS], step_of(pieces, coefs, k, HYSTERESIS)
    attack, attack_step = coefs[2 * k, ATTACK], step_of(pieces, coefs, k, ATTACK)
    release, release_step = coefs[2 * k, RELEASE], step_of(pieces, coefs, k, RELEASE)
    hold = int(coefs[2 * k, HOLD])
    for i in range(levels.size):
        now = gone + i
        under = threshold + threshold_step * now - levels[i]
        if under <= 0.0 or (held != CLOSED and under <= wide + wide_step * now):
            held = hold
        elif held != CLOSED:
            held -= 1
        wanted = 0.0
        if held == CLOSED:
            wanted = min(max(0.0, (slope + slope_step * now) * under), most + most_step * now)
        feedback = attack + attack_step * now if wanted < last else release + release_step * now
        last = wanted * (1.0 - feedback) + feedback * last
        reduction[i] = last
    return last, held


@in_table
@kernel(AUDIO, COUNTS, AUDIO, COUNTS, INT, PIECES, AUDIO, VECTOR, COUNTS)
def gate_reduction_db(
    levels_db: Audio,
    level_streams: Counts,
    reduction_db: Audio,
    streams: Counts,
    n_samples: int,
    pieces: Counts,
    coefs: Audio,
    smoothed_db: Audio,
    held: Counts,
) -> None:
    """Reduction of each sample, >= 0 dB. State: the last one, and for how long it stays open, per channel."""
    for stream in range(streams[0]):
        levels, last, open_for = levels_db[min(stream, level_streams[0] - 1)], smoothed_db[stream], held[stream]
        for k in range(n_pieces(pieces)):
            first, end = piece_first(pieces, k), piece_last(pieces, k, n_samples)
            gone = first - line_begin(pieces, k)
            row = reduction_db[stream, first:end]
            last, open_for = _gate(levels[first:end], row, gone, pieces, coefs, k, last, open_for)
        smoothed_db[stream] = last if last > _TINY else 0.0
        held[stream] = open_for
    for stream in range(streams[0], smoothed_db.size):
        smoothed_db[stream], held[stream] = smoothed_db[0], held[0]
