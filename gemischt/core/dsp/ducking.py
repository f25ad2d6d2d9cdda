"""Drawn ducks: ticks of a clock start a curve that turns audio down, all of it or one side of a crossover.

How open a duck is goes from 0, down, to 1, open, sample by sample; 1 before the first tick, and after the curve's end
what its last node says. A tick starts the curve again at once: the way there is a half cosine of one millisecond, so
that it does not click.

Crossover: S. P. Lipshitz and J. Vanderkooy, "A Family of Linear-Phase Crossover Networks of High Slope Derived by Time
Delay", JAES 31(1/2), 1983, names the fourth-order network of S. Linkwitz and R. Riley (JAES 24(1), 1976) that is used
here: two Butterworth sections in series on each side, whose sum has the magnitude of a wire.
"""

import math

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.curves import bent_share
from gemischt.core.dsp.decibels import db_to_amplitude, flushed
from gemischt.core.dsp.jit import AUDIO, COUNT_ROWS, COUNTS, CUBE, INT, VECTOR, inline_kernel, kernel
from gemischt.core.dsp.pieces import PIECES, line_begin, n_pieces, piece_first, piece_last, rests, step_of
from gemischt.core.dsp.table import in_table

SINCE, LENGTH, NEXT, JUMPED, VERSION, WAY_LEFT = range(6)
"""State of a clock and its curve: samples since the last tick (less than 0: none yet), the length of that tick's curve,
the sample of the song that is expected next, whether the song has jumped there, which curve was drawn last, and what is
left of the way to a curve that has begun anew."""
N_STATE = 6
UNKNOWN = -(1 << 62)
AT, OPEN, BENT = range(3)
"""Rows of a curve's nodes: share of its length, how open, and by how much the way to the next node bends."""
FROM, LAST = range(2)
"""Where the way has begun, and how open it was last."""
THRESHOLD, REARM = range(2)


@in_table
@kernel(COUNTS, COUNTS, INT, INT, INT, COUNT_ROWS, COUNTS)
def find_ticks(
    ticks: Counts,
    lengths: Counts,
    lag_samples: int,
    position_samples: int,
    n_samples: int,
    found: Counts,
    state: Counts,
) -> None:
    """Ticks of the song in the next block of a signal that lags behind it.

    Args:
        ticks: (n,) samples of the song in order, no two alike.
        lengths: (n,) of each tick's curve.
        found: (1 + n_samples, 2) receives how many there are, then of each its place in the block and its length.
        state: (N_STATE,).
    """
    here = position_samples - lag_samples
    k, beyond = 0, ticks.size
    while k < beyond:
        middle = (k + beyond) // 2
        if ticks[middle] < here:
            k = middle + 1
        else:
            beyond = middle
    state[JUMPED] = 1 if state[NEXT] != here and state[NEXT] != UNKNOWN else 0
    if state[NEXT] != here:
        state[SINCE] = here - ticks[k - 1] if k > 0 else -1
        state[LENGTH] = lengths[k - 1] if k > 0 else 1
    state[NEXT] = here + n_samples
    count = 0
    while k < ticks.size and ticks[k] < here + n_samples:
        count += 1
        found[count, 0], found[count, 1] = ticks[k] - here, lengths[k]
        k += 1
    found[0, 0] = count


@in_table
@kernel(AUDIO, COUNTS, COUNTS, VECTOR, INT, INT, INT, COUNT_ROWS, COUNTS, COUNTS)
def find_hits(
    levels_db: Audio,
    changes: Counts,
    lengths: Counts,
    settings: Audio,
    lag_samples: int,
    position_samples: int,
    n_samples: int,
    found: Counts,
    quiet: Counts,
    state: Counts,
) -> None:
    """Ticks where the first row of levels reaches the threshold after it has been below it long enough.

    Args:
        changes: (n,) samples of the song from which each of ``lengths`` counts, in order.
        settings: threshold in dB and re-arm time in samples.
        found: as for find_ticks.
        quiet: (1,) for how many samples it has been below the threshold.
    """
    row = levels_db[0, :n_samples]
    threshold_db, rearm = settings[THRESHOLD], int(settings[REARM])
    count, below = 0, quiet[0]
    for i in range(n_samples):
        if row[i] < threshold_db:
            below += 1
            continue
        if below >= rearm:
            k = 0
            while k + 1 < changes.size and changes[k + 1] <= position_samples - lag_samples + i:
                k += 1
            count += 1
            found[count, 0], found[count, 1] = i, lengths[k]
        below = 0
    quiet[0] = min(below, 1 << 40)
    state[JUMPED] = 0
    found[0, 0] = count


@inline_kernel
def _open_at(nodes: Audio, n_nodes: int, share: float, k: int) -> float:
    """The curve in its segment that begins at node k."""
    if share <= nodes[AT, 0]:
        return float(nodes[OPEN, 0])
    if k >= n_nodes - 1:
        return float(nodes[OPEN, n_nodes - 1])
    span = nodes[AT, k + 1] - nodes[AT, k]
    part = bent_share((share - nodes[AT, k]) / span, nodes[BENT, k])
    return float(nodes[OPEN, k] + part * (nodes[OPEN, k + 1] - nodes[OPEN, k]))


@in_table
@kernel(AUDIO, COUNTS, INT, INT, COUNT_ROWS, COUNTS, VECTOR, AUDIO)
def open_along_curve(
    nodes: Audio,
    shape: Counts,
    way_samples: int,
    n_samples: int,
    found: Counts,
    state: Counts,
    way: Audio,
    openness: Audio,
) -> None:
    """How open a duck is over a block.

    Args:
        nodes: (3, most) of which the first shape[0] count, shares of the length in order, no two alike.
        shape: how many nodes, and which curve this is: a changed one is gone to as after a tick.
        way_samples: how long the way to a curve is that begins anew.
        found: the block's ticks, see find_ticks.
        way: (2,) state, see FROM and LAST.
        openness: (1, >= n) is written.
    """
    row, n_nodes = openness[0], shape[0]
    last, since, length = way[LAST], state[SINCE], state[LENGTH]
    begins = state[VERSION] >= 0 and (state[JUMPED] == 1 or state[VERSION] != shape[1])
    way_left, start = (way_samples, last) if begins else (state[WAY_LEFT], way[FROM])
    state[VERSION] = shape[1]
    tick, n_ticks, k = 1, found[0, 0], 0
    for i in range(n_samples):
        if tick <= n_ticks and found[tick, 0] == i:
            since, length, k = 0, found[tick, 1], 0
            way_left, start = way_samples, last
            tick += 1
        wanted = 1.0
        if since >= 0:
            share = since / length
            while k + 1 < n_nodes and nodes[AT, k + 1] <= share:
                k += 1
            wanted = _open_at(nodes, n_nodes, share, k)
            since += 1
        if way_left > 0:
            gone = 0.5 - 0.5 * math.cos(math.pi * (way_samples - way_left) / way_samples)
            wanted = start + gone * (wanted - start)
            way_left -= 1
        row[i] = last = wanted
    way[LAST], way[FROM] = last, start
    state[SINCE], state[LENGTH], state[WAY_LEFT] = since, length, way_left


DEPTH, SILENT, ON, LOW0, LOW1, LOW2, HIGH0, HIGH1, HIGH2, FEED1, FEED2 = range(11)
"""Coefficients: depth in dB, 1 if it goes down to silence instead, 1 if it is on, and the Butterworth sections of a
crossover, low and high, which share their feedback."""
N_COEFS = 11
ALL, BELOW, ABOVE = range(3)


@inline_kernel
def _all_open(openness: Audio, n_samples: int) -> bool:
    row, i = openness[0, :n_samples], 0
    while i < n_samples and row[i] == 1.0:
        i += 1
    return i == n_samples


@inline_kernel
def _find_gains(openness: Audio, gains: Audio, n_samples: int, pieces: Counts, coefs: Audio) -> None:
    """Gain of each sample. What rests is told apart, so that it vectorises."""
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        gone, n = first - line_begin(pieces, k), last - first
        depth, silent, on = coefs[2 * k, DEPTH], coefs[2 * k, SILENT], coefs[2 * k, ON]
        opens, turned = openness[0, first:last], gains[first:last]
        if not rests(pieces, coefs, k):
            depth_step, silent_step = step_of(pieces, coefs, k, DEPTH), step_of(pieces, coefs, k, SILENT)
            on_step = step_of(pieces, coefs, k, ON)
            for i in range(n):
                now = gone + i
                gain = db_to_amplitude((depth + depth_step * now) * (1.0 - opens[i]))
                gain += (silent + silent_step * now) * (opens[i] - gain)
                turned[i] = 1.0 + (on + on_step * now) * (gain - 1.0)
        elif silent == 1.0:
            for i in range(n):
                turned[i] = 1.0 + on * (opens[i] - 1.0)
        else:
            for i in range(n):
                gain = db_to_amplitude(depth * (1.0 - opens[i]))
                gain += silent * (opens[i] - gain)
                turned[i] = 1.0 + on * (gain - 1.0)


@inline_kernel
def _section(x: float, b0: float, b1: float, b2: float, a1: float, a2: float, state: Audio) -> float:
    """One sample through a section, transposed direct form II; ``state`` (2,)."""
    y = float(b0 * x + state[0])
    state[0] = b1 * x - a1 * y + state[1]
    state[1] = b2 * x - a2 * y
    return y


@in_table
@kernel(AUDIO, AUDIO, INT, INT, PIECES, AUDIO, VECTOR, CUBE)
def turn_by_openness(
    audio: Audio, openness: Audio, band: int, n_samples: int, pieces: Counts, coefs: Audio, gains: Audio, state: Audio
) -> None:
    """Turn audio, (n_channels, >= n), by how open a duck is.

    Args:
        band: all of it, or what is below or above the crossover.
        gains: (>= n,) is written.
        state: (n_channels, 4, 2) of the crossover's sections: low, low, high, high.
    """
    opened = _all_open(openness, n_samples)
    if opened:
        for i in range(n_samples):
            gains[i] = 1.0
    else:
        _find_gains(openness, gains, n_samples, pieces, coefs)
    if band == ALL:
        turned = gains[:n_samples]
        for channel in range(0 if opened else audio.shape[0]):
            row = audio[channel, :n_samples]
            for i in range(row.size):
                row[i] *= turned[i]
        return
    for k in range(n_pieces(pieces)):
        first, last = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        c = coefs[2 * k]
        l0, l1, l2, h0, h1, h2 = c[LOW0], c[LOW1], c[LOW2], c[HIGH0], c[HIGH1], c[HIGH2]
        a1, a2 = c[FEED1], c[FEED2]
        for channel in range(audio.shape[0]):
            row, own = audio[channel], state[channel]
            for i in range(first, last):
                low = _section(_section(row[i], l0, l1, l2, a1, a2, own[0]), l0, l1, l2, a1, a2, own[1])
                high = _section(_section(row[i], h0, h1, h2, a1, a2, own[2]), h0, h1, h2, a1, a2, own[3])
                row[i] = gains[i] * low + high if band == BELOW else low + gains[i] * high
    for channel in range(audio.shape[0]):
        for section in range(4):
            for m in range(2):
                state[channel, section, m] = flushed(state[channel, section, m])


@in_table
@kernel(AUDIO, INT, INT, COUNTS, VECTOR, VECTOR)
def add_clicks(
    out: Audio, n_samples: int, position_samples: int, starts: Counts, velocities: Audio, click: Audio
) -> None:
    """out += a click at each start, as loud as its velocity says; all channels alike.

    Args:
        starts: (n,) samples of the song in order.
        velocities: (n,).
        click: (m,) samples.
    """
    k, beyond = 0, starts.size
    while k < beyond:
        middle = (k + beyond) // 2
        if starts[middle] + click.size <= position_samples:
            k = middle + 1
        else:
            beyond = middle
    while k < starts.size and starts[k] < position_samples + n_samples:
        begin = starts[k] - position_samples
        for channel in range(out.shape[0]):
            for i in range(max(0, begin), min(n_samples, begin + click.size)):
                out[channel, i] += velocities[k] * click[i - begin]
        k += 1
