"""Followers: a level becomes a share of the way, and the share moves coefficients.

A parameter's coefficients are known at many of its values; an equaliser's bands are designed as they sound. While
something follows, coefficients go straight across pieces of 64 samples, on a grid that is fixed to the song: from where
the share has led them at the grid point before to where it leads them at this one. So they are 64 samples late at most.
"""

import math
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp import band_design
from gemischt.core.dsp.curves import bent_share
from gemischt.core.dsp.jit import AUDIO, BOOL, COUNTS, CUBE, FLOAT, INT, VECTOR, inline_kernel, kernel
from gemischt.core.dsp.pieces import BEGIN, END, LAST, PIECES, line_begin, n_pieces, piece_first, piece_last, step_of
from gemischt.core.dsp.table import in_table

FLOOR, CEILING, BENT, ATTACK, RELEASE, ON = range(6)
"""Coefficients: levels in dB, by how much the share bends, attack and release as feedback, 1 if it is on."""
N_COEFS = 6
GRID_SAMPLES = 64
TO, PULL_ON = range(2)
N_FIELDS = 4
"""Of a band: on, frequency, gain and Q, in the order of core.dsp.band_design."""
_ON_COLUMN = band_design.ON
_LOGARITHMIC_FIELDS = band_design.FREQUENCY_HZ - band_design.ON, band_design.Q - band_design.ON
_design_bands = band_design.design_bands
Cube: TypeAlias = NDArray[np.float64]
_TINY = 1e-30


@in_table
@kernel(AUDIO, AUDIO, INT, PIECES, AUDIO, VECTOR)
def follow_level(levels_db: Audio, share: Audio, n_samples: int, pieces: Counts, coefs: Audio, state: Audio) -> None:
    """The share of each sample, 0 to 1, (1, >= n), of the first row of levels. State: (1,) the last one, on or off."""
    last = state[0]
    for k in range(n_pieces(pieces)):
        first, end = piece_first(pieces, k), piece_last(pieces, k, n_samples)
        gone = first - line_begin(pieces, k)
        floor, floor_step = coefs[2 * k, FLOOR], step_of(pieces, coefs, k, FLOOR)
        ceiling, ceiling_step = coefs[2 * k, CEILING], step_of(pieces, coefs, k, CEILING)
        bend, bend_step = coefs[2 * k, BENT], step_of(pieces, coefs, k, BENT)
        attack, attack_step = coefs[2 * k, ATTACK], step_of(pieces, coefs, k, ATTACK)
        release, release_step = coefs[2 * k, RELEASE], step_of(pieces, coefs, k, RELEASE)
        on, on_step = coefs[2 * k, ON], step_of(pieces, coefs, k, ON)
        for i in range(end - first):
            now = gone + i
            low = floor + floor_step * now
            span = max(1e-3, ceiling + ceiling_step * now - low)
            wanted = min(1.0, max(0.0, (levels_db[0, first + i] - low) / span))
            k_bend = bend + bend_step * now
            if k_bend != 0.0:
                wanted = bent_share(wanted, k_bend)
            feedback = attack + attack_step * now if wanted > last else release + release_step * now
            last = wanted + feedback * (last - wanted)
            share[0, first + i] = (on + on_step * now) * last
    state[0] = last if last > _TINY else 0.0


@in_table
@kernel(AUDIO, AUDIO, INT, VECTOR, BOOL)
def add_pull(share: Audio, pulled: Audio, n_samples: int, pull: Audio, begins: bool) -> None:
    """Add what one follower does to a parameter: its share times where to, and its share, (2, >= n).

    Args:
        pull: where to, in the parameter's own scale, and 1 if that is on.
        begins: whether it is the first, so that what was there is forgotten.
    """
    for i in range(n_samples):
        own = pull[PULL_ON] * share[0, i]
        if begins:
            pulled[0, i], pulled[1, i] = 0.0, 0.0
        pulled[0, i] += own * pull[TO]
        pulled[1, i] += own


@inline_kernel
def _on_line(pieces: Counts, coefs: Audio, j: int, at: int) -> float:
    """A coefficient at a sample of the block, or near it."""
    if pieces[0, 0] == 0:
        return float(coefs[0, j])
    k = 0
    while k + 1 < pieces[0, 0] and pieces[1 + k, LAST] <= at:
        k += 1
    begin, end = pieces[1 + k, BEGIN], pieces[1 + k, END]
    share = min(1.0, max(0.0, (at - begin) / (end - begin)))
    return float(coefs[2 * k, j] + share * (coefs[2 * k + 1, j] - coefs[2 * k, j]))


@inline_kernel
def _in_table(table: Audio, j: int, place: float) -> float:
    """A coefficient between two rows of a table."""
    k = min(int(place), table.shape[0] - 2)
    return float(table[k, j] + (place - k) * (table[k + 1, j] - table[k, j]))


@inline_kernel
def _lay_out_base(
    base_pieces: Counts, base_coefs: Audio, cell: int, at: int, count: int, first_stepped: int, coefs: Audio
) -> None:
    """What is there without followers, from one grid point to the next; counts are those at the piece's beginning."""
    for j in range(coefs.shape[1]):
        coefs[2 * count, j] = _on_line(base_pieces, base_coefs, j, cell)
        coefs[2 * count + 1, j] = _on_line(base_pieces, base_coefs, j, cell + GRID_SAMPLES)
        if j >= first_stepped:
            coefs[2 * count, j] = _on_line(base_pieces, base_coefs, j, at)
            coefs[2 * count + 1, j] = coefs[2 * count, j]


@inline_kernel
def _add_led(deltas: Audio, cell: int, last: int, count: int, pieces: Counts, coefs: Audio) -> bool:
    """What followers add to a piece that is laid out; whether it stands still where the first one began."""
    still = True
    for j in range(coefs.shape[1]):
        coefs[2 * count, j] += deltas[0, j]
        coefs[2 * count + 1, j] += deltas[1, j]
        still = still and deltas[0, j] == deltas[1, j] and coefs[2 * count, j] == coefs[0, j]
    pieces[1 + count, BEGIN], pieces[1 + count, END] = cell, cell + GRID_SAMPLES
    pieces[1 + count, LAST] = last
    return still


@in_table
@kernel(INT, INT, INT, PIECES, AUDIO, PIECES, AUDIO, AUDIO, AUDIO, VECTOR, INT, BOOL, BOOL, PIECES, AUDIO, AUDIO)
def lead_coefs(
    n_samples: int,
    position_samples: int,
    lag_samples: int,
    base_pieces: Counts,
    base_coefs: Audio,
    value_pieces: Counts,
    value_coefs: Audio,
    pulled: Audio,
    table: Audio,
    ends: Audio,
    first_stepped: int,
    begins: bool,
    rests: bool,
    pieces: Counts,
    coefs: Audio,
    deltas: Audio,
) -> None:
    """Lay out coefficients: those of the document and its moves, and what followers of one parameter add.

    Args:
        lag_samples: how late what they are applied to is behind the song.
        base_pieces, base_coefs: without followers.
        value_pieces, value_coefs: the parameter without followers, in its own scale.
        pulled: see add_pull.
        table: (n, n_coefs) coefficients at n values from ends[0] to ends[1].
        begins: whether it is the first parameter that is followed; others add to what it has laid out.
        rests: whether coefficients that do not move may be laid out as such.
        pieces, coefs: are written.
        deltas: (2, n_coefs) state: what was added at the last grid points.
    """
    low, high = ends[0], ends[1]
    scale = (table.shape[0] - 1) / (high - low) if high > low else 0.0
    cell = -((position_samples - lag_samples) % GRID_SAMPLES)
    still = rests and base_pieces[0, 0] == 0
    count, at = 0, 0
    while at < n_samples:
        if cell >= 0:
            value = _on_line(value_pieces, value_coefs, 0, at)
            led = min(high, max(low, value + pulled[0, at] - pulled[1, at] * value))
            from_place, to_place = (min(high, max(low, value)) - low) * scale, (led - low) * scale
            for j in range(first_stepped):
                deltas[0, j] = deltas[1, j]
                deltas[1, j] = _in_table(table, j, to_place) - _in_table(table, j, from_place)
        last = min(n_samples, cell + GRID_SAMPLES)
        if begins:
            _lay_out_base(base_pieces, base_coefs, cell, at, count, first_stepped, coefs)
        still = _add_led(deltas, cell, last, count, pieces, coefs) and still
        count += 1
        at = last
        cell += GRID_SAMPLES
    pieces[0, 0] = 0 if still else count


@inline_kernel
def _take_bands(value_pieces: Counts, value_coefs: Audio, pulled: Audio, limits: Audio, at: int, bands: Cube) -> None:
    """Bands as moves have them, and as followers have them: bands[0] and bands[1]."""
    on = _on_line(value_pieces, value_coefs, value_coefs.shape[1] - 1, at)
    for band in range(bands.shape[1]):
        for field in range(N_FIELDS):
            j = N_FIELDS * band + field
            value = _on_line(value_pieces, value_coefs, j, at)
            led = min(
                limits[1, field], max(limits[0, field], value + pulled[2 * j, at] - pulled[2 * j + 1, at] * value)
            )
            if field in _LOGARITHMIC_FIELDS:
                value, led = math.exp(value), math.exp(led)
            bands[0, band, _ON_COLUMN + field] = value
            bands[1, band, _ON_COLUMN + field] = led
        bands[0, band, _ON_COLUMN] *= on
        bands[1, band, _ON_COLUMN] *= on


@in_table
@kernel(INT, INT, INT, PIECES, AUDIO, PIECES, AUDIO, AUDIO, CUBE, COUNTS, AUDIO, FLOAT, INT, CUBE, PIECES, AUDIO, AUDIO)
def lead_bands(
    n_samples: int,
    position_samples: int,
    lag_samples: int,
    base_pieces: Counts,
    base_coefs: Audio,
    value_pieces: Counts,
    value_coefs: Audio,
    pulled: Audio,
    bands: Cube,
    places: Counts,
    limits: Audio,
    sample_rate_hz: float,
    sections_per_band: int,
    sections: Cube,
    pieces: Counts,
    coefs: Audio,
    deltas: Audio,
) -> None:
    """Lay out an equaliser's coefficients: those of the document and its moves, and what followers of some bands add,
    which are designed at each grid point.

    Args:
        lag_samples: how late what they are applied to is behind the song.
        base_pieces, base_coefs: without followers.
        value_pieces, value_coefs: of each led band on, frequency, gain and Q without followers, frequency and Q as
            logarithms; behind them whether the equaliser is on.
        pulled: of each value two rows, see add_pull.
        bands: (2, n_bands, N_COLUMNS) the led bands, see core.dsp.band_design; what may be led is written.
        places: (n_bands,) which band of the equaliser each is.
        limits: (2, N_FIELDS) lowest and highest of each field.
        sections: (2, n_bands * sections_per_band, 5) room to design in.
        pieces, coefs: are written.
        deltas: (2, n_coefs) state: what was added at the last grid points.
    """
    cell = -((position_samples - lag_samples) % GRID_SAMPLES)
    still = base_pieces[0, 0] == 0
    per_band = 5 * sections_per_band
    count, at = 0, 0
    while at < n_samples:
        if cell >= 0:
            _take_bands(value_pieces, value_coefs, pulled, limits, at, bands)
            _design_bands(bands, sample_rate_hz, sections_per_band, sections)
            for band in range(places.size):
                for k in range(per_band):
                    j, section, number = per_band * places[band] + k, sections_per_band * band + k // 5, k % 5
                    deltas[0, j] = deltas[1, j]
                    deltas[1, j] = sections[1, section, number] - sections[0, section, number]
        last = min(n_samples, cell + GRID_SAMPLES)
        _lay_out_base(base_pieces, base_coefs, cell, at, count, coefs.shape[1], coefs)
        still = _add_led(deltas, cell, last, count, pieces, coefs) and still
        count += 1
        at = last
        cell += GRID_SAMPLES
    pieces[0, 0] = 0 if still else count
