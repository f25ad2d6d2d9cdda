"""Reductions turn audio down."""

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.decibels import db_to_amplitude
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, COUNTS, INT, kernel
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, step_of
from gemischt.core.dsp.table import in_table

MAKEUP, MIX = range(2)
"""Coefficients: dB, and the share of what has been turned down."""
N_COEFS = 2


@in_table
@kernel(AUDIO, AUDIO, COUNTS, INT, PIECES, AUDIO)
def apply_reduction(
    audio: Audio, reduction_db: Audio, streams: Counts, n_samples: int, pieces: Counts, coefs: Audio
) -> None:
    """audio *= 1 - mix + mix * 10^((make-up - reduction) / 20)."""
    n_channels = audio.shape[0]
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        n, gone = last - first, first - line_begin(pieces, k)
        makeup, makeup_step = coefs[2 * k, MAKEUP], step_of(pieces, coefs, k, MAKEUP)
        mix, mix_step = coefs[2 * k, MIX], step_of(pieces, coefs, k, MIX)
        if makeup_step != 0.0 or mix_step != 0.0:
            for channel in range(n_channels):
                row, reduction = audio[channel, first:last], reduction_db[min(channel, streams[0] - 1), first:last]
                for i in range(n):
                    now = gone + i
                    wet = mix + mix_step * now
                    row[i] *= 1.0 - wet + wet * db_to_amplitude(makeup + makeup_step * now - reduction[i])
        elif streams[0] == 1 and n_channels == 2:
            left, right, reduction = audio[0, first:last], audio[1, first:last], reduction_db[0, first:last]
            for i in range(n):
                gain = fma(mix, db_to_amplitude(makeup - reduction[i]), 1.0 - mix)
                left[i] *= gain
                right[i] *= gain
        else:
            for channel in range(n_channels):
                row, reduction = audio[channel, first:last], reduction_db[min(channel, streams[0] - 1), first:last]
                for i in range(n):
                    row[i] *= fma(mix, db_to_amplitude(makeup - reduction[i]), 1.0 - mix)
