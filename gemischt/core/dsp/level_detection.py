"""Levels of a signal, sample by sample: what decides how much is turned down, and by what else moves.

As long as all channels count alike, all have the level in the first row: ``streams`` (1,) says how many rows there are.
"""

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.decibels import amplitude_to_db
from gemischt.core.dsp.jit import AUDIO, BOOL, COUNTS, INT, VECTOR, inline_kernel, kernel
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, step_of
from gemischt.core.dsp.table import in_table

RMS, LINK, FEEDBACK = range(3)
"""Coefficients: the share of RMS in the detector, how far each channel follows the loudest one, and the feedback of the
RMS detector, which sets its time."""
N_COEFS = 3
_TINY = 1e-30


@inline_kernel
def _amplitudes(heard: Audio, row: Audio, gone: int, pieces: Counts, coefs: Audio, k: int, power: float) -> float:
    """Of one channel over a piece: peak, RMS, or between the two; returns the RMS detector's state."""
    n = row.size
    share, share_step = coefs[2 * k, RMS], step_of(pieces, coefs, k, RMS)
    if share == 0.0 and share_step == 0.0:
        for i in range(n):
            row[i] = abs(heard[i])
        return power
    feedback, feedback_step = coefs[2 * k, FEEDBACK], step_of(pieces, coefs, k, FEEDBACK)
    for i in range(n):
        sample, kept = heard[i], feedback + feedback_step * (gone + i)
        power = kept * power + (1.0 - kept) * sample * sample
        part = share + share_step * (gone + i)
        row[i] = part * power**0.5 + (1.0 - part) * abs(sample)
    return power if power > _TINY else 0.0


@inline_kernel
def _link_all(levels_db: Audio, first: int, last: int, streams: int) -> None:
    """Amplitudes to levels, the loudest channel's for all streams."""
    n, n_channels = last - first, levels_db.shape[0]
    top = levels_db[0, first:last]
    for channel in range(1, n_channels):
        other = levels_db[channel, first:last]
        for i in range(n):
            top[i] = max(top[i], other[i])
    for i in range(n):
        top[i] = amplitude_to_db(top[i])
    for channel in range(1, streams):
        other = levels_db[channel, first:last]
        for i in range(n):
            other[i] = top[i]


@inline_kernel
def _link_partly(levels_db: Audio, first: int, last: int, begin: int, link: float, step: float) -> None:
    """Amplitudes to levels, each raised towards the loudest channel's by a share that may move."""
    for i in range(first, last):
        loudest = levels_db[0, i]
        for channel in range(1, levels_db.shape[0]):
            loudest = max(loudest, levels_db[channel, i])
        loudest = amplitude_to_db(loudest)
        share = link + step * (i - begin)
        for channel in range(levels_db.shape[0]):
            own = amplitude_to_db(levels_db[channel, i])
            levels_db[channel, i] = own + share * (loudest - own)


@in_table
@kernel(AUDIO, AUDIO, COUNTS, INT, PIECES, AUDIO, BOOL, VECTOR)
def detect_levels_db(
    heard: Audio,
    levels_db: Audio,
    streams: Counts,
    n_samples: int,
    pieces: Counts,
    coefs: Audio,
    pairs: bool,
    mean_square: Audio,
) -> None:
    """Level of each sample in dB, (n_channels, >= n); linked channels share the loudest one's level.

    Args:
        pairs: whether each channel is about one of what is turned down; if not, all are linked.
        mean_square: (n_channels,) the RMS detector's one-pole state.
    """
    n_channels = heard.shape[0]
    alike = not pairs or n_channels == 1 or (pieces[0, 0] == 0 and coefs[0, LINK] >= 1.0)
    streams[0] = 1 if alike else n_channels
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        gone = first - line_begin(pieces, k)
        for channel in range(n_channels):
            signal, row = heard[channel, first:last], levels_db[channel, first:last]
            mean_square[channel] = _amplitudes(signal, row, gone, pieces, coefs, k, mean_square[channel])
        link, step = coefs[2 * k, LINK], step_of(pieces, coefs, k, LINK)
        if alike or (link >= 1.0 and step == 0.0):
            _link_all(levels_db, first, last, streams[0])
        else:
            _link_partly(levels_db, first, last, line_begin(pieces, k), link, step)
