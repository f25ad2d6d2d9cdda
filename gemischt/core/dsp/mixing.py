"""Moving signals: through gain matrices, into sums, through delays. Gains are lines across core.dsp.pieces."""

from gemischt.core.audio import Audio, Counts, Single
from gemischt.core.dsp.jit import (
    AUDIO,
    BOOL,
    COUNTS,
    INT,
    SINGLE_AUDIO,
    VECTOR,
    inline_kernel,
    kernel,
    measuring_kernel,
)
from gemischt.core.dsp.magnitude import highest_magnitude
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, rests, step_of
from gemischt.core.dsp.table import in_table


@kernel(AUDIO, INT, SINGLE_AUDIO)
def to_single(audio: Audio, n_samples: int, out: Single) -> None:
    """out = audio, (n_channels, >= n), for what only reads: single precision rounds 150 dB under the signal."""
    for channel in range(audio.shape[0]):
        row = audio[channel, :n_samples]
        out_row = out[channel, :n_samples]
        for i in range(row.size):
            out_row[i] = row[i]


@measuring_kernel(AUDIO, INT, INT, SINGLE_AUDIO, INT, VECTOR)
def pair_to_single(pair: Audio, first: int, last: int, out: Single, at: int, sums: Audio) -> None:
    """out from ``at`` on = samples [first, last) of two channels; the squares of one, of the other, and their products
    are added to sums (3,)."""
    left, right = pair[0, first:last], pair[1, first:last]
    out_left, out_right = out[0, at : at + left.size], out[1, at : at + left.size]
    lefts, rights, both = 0.0, 0.0, 0.0
    for i in range(left.size):
        a, b = left[i], right[i]
        out_left[i] = a
        out_right[i] = b
        lefts += a * a
        rights += b * b
        both += a * b
    sums[0] += lefts
    sums[1] += rights
    sums[2] += both


@kernel(SINGLE_AUDIO, INT, INT, SINGLE_AUDIO)
def to_frames(audio: Single, first: int, last: int, frames: Single) -> None:
    """Samples [first, last) of every channel as files hold them, (last - first, n_channels)."""
    flat = frames.reshape(frames.size)
    n_channels = audio.shape[0]
    if n_channels == 2:
        left = audio[0, first:last]
        right = audio[1, first:last]
        for i in range(left.size):
            flat[2 * i] = left[i]
            flat[2 * i + 1] = right[i]
        return
    for channel in range(n_channels):
        row = audio[channel, first:last]
        for i in range(row.size):
            flat[n_channels * i + channel] = row[i]


@measuring_kernel(AUDIO, INT, AUDIO)
def measure_level(audio: Audio, n_samples: int, meter: Audio) -> None:
    """Raise peaks and add up squares: ``meter`` holds (peak, sum of squares) per channel."""
    for channel in range(audio.shape[0]):
        row = audio[channel, :n_samples]
        total = 0.0
        for i in range(row.size):
            total += row[i] * row[i]
        meter[channel, 0] = max(meter[channel, 0], highest_magnitude(row))
        meter[channel, 1] += total


@in_table
@kernel(AUDIO, INT)
def clear(audio: Audio, n_samples: int) -> None:
    """Silence."""
    for channel in range(audio.shape[0]):
        row = audio[channel, :n_samples]
        for i in range(row.size):
            row[i] = 0.0


@in_table
@kernel(AUDIO, AUDIO, INT)
def copy(source: Audio, out: Audio, n_samples: int) -> None:
    """out = source, (n_channels, >= n); one channel is copied to all."""
    for channel in range(out.shape[0]):
        row = source[min(channel, source.shape[0] - 1), :n_samples]
        out_row = out[channel, :n_samples]
        for i in range(row.size):
            out_row[i] = row[i]


@inline_kernel
def _weigh(
    out: Audio, source: Audio, first: int, pieces: Counts, weights: Audio, k: int, at: int, resting: bool
) -> None:
    """out = one row of a matrix applied to the source from a piece's first sample on; its weights begin at ``at``."""
    n, last = out.size, first + out.size
    if resting and source.shape[0] == 1:
        gain = weights[2 * k, at]
        only = source[0, first:last]
        for i in range(n):
            out[i] = gain * only[i]
    elif resting and source.shape[0] == 2:
        a, b = weights[2 * k, at], weights[2 * k, at + 1]
        left, right = source[0, first:last], source[1, first:last]
        for i in range(n):
            out[i] = a * left[i] + b * right[i]
    else:
        for i in range(n):
            out[i] = 0.0
        gone = first - line_begin(pieces, k)
        for channel in range(source.shape[0]):
            begin, step = weights[2 * k, at + channel], step_of(pieces, weights, k, at + channel)
            row = source[channel, first:last]
            for i in range(n):
                out[i] += (begin + step * (gone + i)) * row[i]


@in_table
@kernel(AUDIO, AUDIO, INT, PIECES, AUDIO, AUDIO, BOOL, AUDIO, BOOL)
def apply_matrix(
    source: Audio,
    out: Audio,
    n_samples: int,
    pieces: Counts,
    weights: Audio,
    source_meter: Audio,
    meters_source: bool,
    out_meter: Audio,
    meters_out: bool,
) -> None:
    """out = matrix @ source, not the same arrays; measures both ends if asked.

    Args:
        weights: the matrix row by row, (2 n_pieces, n_out * n_source).
    """
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        resting = rests(pieces, weights, k)
        for channel in range(out.shape[0]):
            row = out[channel, first:last]
            _weigh(row, source, first, pieces, weights, k, channel * source.shape[0], resting)
    if meters_source:
        measure_level(source, n_samples, source_meter)
    if meters_out:
        measure_level(out, n_samples, out_meter)


@in_table
@kernel(AUDIO, AUDIO, INT, PIECES, AUDIO)
def apply_matrix_in_place(audio: Audio, before: Audio, n_samples: int, pieces: Counts, weights: Audio) -> None:
    """audio = matrix @ audio; ``before`` (n_channels, >= n) receives what it was, ``weights`` as for apply_matrix."""
    copy(audio, before, n_samples)
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        resting = rests(pieces, weights, k)
        for channel in range(audio.shape[0]):
            row = audio[channel, first:last]
            _weigh(row, before, first, pieces, weights, k, channel * audio.shape[0], resting)


DRY, MIDDLE, SIDES = range(3)


@in_table
@kernel(AUDIO, AUDIO, INT, PIECES, AUDIO)
def blend_wet(audio: Audio, wet: Audio, n_samples: int, pieces: Counts, gains: Audio) -> None:
    """audio = dry * audio + the wet signal with its middle and sides weighed apart.

    Args:
        audio: one or two channels; one takes the middle of the wet signal.
        wet: (2, >= n).
        gains: (2 n_pieces, 3) of dry, middle and sides.
    """
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        n, gone = last - first, first - line_begin(pieces, k)
        dry, dry_step = gains[2 * k, DRY], step_of(pieces, gains, k, DRY)
        middles, middle_step = 0.5 * gains[2 * k, MIDDLE], 0.5 * step_of(pieces, gains, k, MIDDLE)
        sides, side_step = 0.5 * gains[2 * k, SIDES], 0.5 * step_of(pieces, gains, k, SIDES)
        wet_left, wet_right = wet[0, first:last], wet[1, first:last]
        left, right = audio[0, first:last], audio[audio.shape[0] - 1, first:last]
        if audio.shape[0] == 1:
            for i in range(n):
                middle = (middles + middle_step * (gone + i)) * (wet_left[i] + wet_right[i])
                left[i] = (dry + dry_step * (gone + i)) * left[i] + middle
        else:
            for i in range(n):
                middle = (middles + middle_step * (gone + i)) * (wet_left[i] + wet_right[i])
                side = (sides + side_step * (gone + i)) * (wet_left[i] - wet_right[i])
                left[i] = (dry + dry_step * (gone + i)) * left[i] + middle + side
                right[i] = (dry + dry_step * (gone + i)) * right[i] + middle - side


@in_table
@kernel(AUDIO, AUDIO, INT, PIECES, AUDIO)
def mix_into(source: Audio, out: Audio, n_samples: int, pieces: Counts, gains: Audio) -> None:
    """out += gain * source; one channel feeds all, two meet halved in one. ``gains`` (2 n_pieces, 1)."""
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        n, gone = last - first, first - line_begin(pieces, k)
        gain, step = gains[2 * k, 0], step_of(pieces, gains, k, 0)
        resting = rests(pieces, gains, k)
        if resting and gain == 0.0:
            continue
        if out.shape[0] == 1 and source.shape[0] == 2:
            left, right, only = source[0, first:last], source[1, first:last], out[0, first:last]
            for i in range(n):
                only[i] += (gain + step * (gone + i)) * 0.5 * (left[i] + right[i])
            continue
        for channel in range(out.shape[0]):
            row = out[channel, first:last]
            feeding = source[min(channel, source.shape[0] - 1), first:last]
            if resting:
                for i in range(n):
                    row[i] += gain * feeding[i]
            else:
                for i in range(n):
                    row[i] += (gain + step * (gone + i)) * feeding[i]


@in_table
@kernel(AUDIO, AUDIO, INT, PIECES, AUDIO, AUDIO)
def mix_through(source: Audio, out: Audio, n_samples: int, pieces: Counts, gains: Audio, matrix: Audio) -> None:
    """out += gain * matrix @ source; ``gains`` as for mix_into, ``matrix`` (n_out, n_source)."""
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        gone = first - line_begin(pieces, k)
        gain, step = gains[2 * k, 0], step_of(pieces, gains, k, 0)
        if gain == 0.0 and step == 0.0:
            continue
        for channel in range(out.shape[0]):
            row = out[channel, first:last]
            for j in range(source.shape[0]):
                weight, feeding = matrix[channel, j], source[j, first:last]
                if weight != 0.0:
                    for i in range(row.size):
                        row[i] += weight * (gain + step * (gone + i)) * feeding[i]


@in_table
@kernel(AUDIO, INT, AUDIO, COUNTS)
def delay_in_place(audio: Audio, n_samples: int, ring: Audio, position: Counts) -> None:
    """Delay by the ring's length; ring[:, position] is the oldest sample."""
    length = ring.shape[1]
    at = position[0]
    for channel in range(audio.shape[0]):
        at = position[0]
        done = 0
        while done < n_samples:
            step = min(n_samples - done, length - at)
            kept = ring[channel, at : at + step]
            passing = audio[channel, done : done + step]
            for i in range(kept.size):
                oldest = kept[i]
                kept[i] = passing[i]
                passing[i] = oldest
            done += step
            at += step
            if at == length:
                at = 0
    position[0] = at
