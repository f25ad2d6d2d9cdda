"""Clocks in samples: when ducks start their curves and ghosts click, and how long a curve lasts."""

import math
from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.session.beat_grid import BeatGrid
from gemischt.core.session.document import Tempo
from gemischt.core.session.ducks import Click, LengthMs, Repeat, Steps
from gemischt.core.session.steps import Opening
from gemischt.core.terms import Note
from gemischt.core.units import db_to_gain, ms_to_samples, note_to_quarters, note_to_s, s_to_samples

Samples = NDArray[np.int64]
_CLICK_HZ = 1000.0


def ticks_of(opening: Opening, sample_rate_hz: int, until_samples: int) -> tuple[Samples, Samples]:
    """Samples of the song at which a clock of the song ticks, and how long each tick's curve is.

    Args:
        until_samples: ticks from here on are left out.
    """
    clock = opening.clock
    if isinstance(clock, Repeat):
        times_s = repeats_s(opening.tempo, clock.note, clock.offset_s, until_samples / sample_rate_hz)
    else:
        assert clock.kind == "notes"
        times_s = np.array([note.at_s for note in clock.notes])
    ticks = np.unique(_in_samples(times_s, sample_rate_hz))
    ticks = ticks[(ticks >= 0) & (ticks < until_samples)]
    return ticks, _lengths_at(opening, ticks, sample_rate_hz)


def lengths_by_tempo(opening: Opening, sample_rate_hz: int) -> tuple[Samples, Samples]:
    """From which sample of the song on a curve is how long, where nobody knows when it will begin."""
    if isinstance(opening.length, LengthMs):
        length = max(1, ms_to_samples(opening.length.ms, sample_rate_hz))
        return np.zeros(1, np.int64), np.array([length])
    changes = [s_to_samples(tempo.at_s, sample_rate_hz) for tempo in opening.tempo]
    lengths_s = [note_to_s(opening.length, bpm=tempo.bpm, beat=tempo.beat) for tempo in opening.tempo]
    lengths = [max(1, s_to_samples(length_s, sample_rate_hz)) for length_s in lengths_s]
    return np.array(changes, np.int64), np.array(lengths, np.int64)


def _lengths_at(opening: Opening, ticks: Samples, sample_rate_hz: int) -> Samples:
    if isinstance(opening.length, LengthMs):
        return np.full(len(ticks), max(1, ms_to_samples(opening.length.ms, sample_rate_hz)), np.int64)
    # A curve ends where its note value does, also where the tempo changes meanwhile.
    quarters = note_to_quarters(opening.length)
    grid = _Quarters(opening.tempo)
    begins_s = ticks.astype(np.float64) / sample_rate_hz
    ends_s = grid.times_s(grid.quarters(begins_s) + quarters)
    return np.maximum(1, np.rint((ends_s - begins_s) * sample_rate_hz)).astype(np.int64)


class _Quarters:
    """A beat grid's quarter notes for many times at once."""

    def __init__(self, tempo: Sequence[Tempo]) -> None:
        grid = BeatGrid(tuple(tempo))
        self._times_s = np.array([change.at_s for change in tempo])
        self._begins = np.array([grid.quarters_at(change.at_s) for change in tempo])
        self._quarter_s = np.array([note_to_s("1/4", bpm=change.bpm, beat=change.beat) for change in tempo])

    def quarters(self, times_s: Any) -> NDArray[np.float64]:
        k = np.maximum(0, np.searchsorted(self._times_s, times_s, side="right") - 1)
        found: NDArray[np.float64] = self._begins[k] + (times_s - self._times_s[k]) / self._quarter_s[k]
        return found

    def times_s(self, quarters: Any) -> NDArray[np.float64]:
        k = np.maximum(0, np.searchsorted(self._begins, quarters, side="right") - 1)
        found: NDArray[np.float64] = self._times_s[k] + (quarters - self._begins[k]) * self._quarter_s[k]
        return found


@lru_cache(maxsize=64)
def repeats_s(tempo: tuple[Tempo, ...], note: str, offset_s: float, until_s: float) -> NDArray[np.float64]:
    """Times at which a note value begins, counted from the first bar, those before it and before the song included."""
    grid, quarters = BeatGrid(tempo), note_to_quarters(note)
    first = math.floor((grid.quarters_at(0.0) - 1.0) / quarters) - math.ceil(abs(offset_s))
    last = math.ceil(grid.quarters_at(until_s + abs(offset_s)) / quarters)
    times_s = _Quarters(tempo).times_s(quarters * np.arange(first, last + 1)) + offset_s
    times_s.flags.writeable = False
    return times_s


def clicks_of(
    pattern: Steps | Sequence[Note], tempo: tuple[Tempo, ...], sample_rate_hz: int, until_samples: int
) -> tuple[Samples, NDArray[np.float64]]:
    """Samples of the song at which a ghost clicks, and how loud."""
    if isinstance(pattern, Steps):
        quarters = note_to_quarters(pattern.note)
        times_s = repeats_s(tempo, pattern.note, pattern.offset_s, until_samples / sample_rate_hz)
        numbers = np.rint(_Quarters(tempo).quarters(times_s - pattern.offset_s) / quarters).astype(np.int64)
        velocities = np.array(pattern.steps)[numbers % len(pattern.steps)]
    else:
        times_s = np.array([note.at_s for note in pattern])
        velocities = np.array([note.velocity for note in pattern])
    starts = _in_samples(times_s, sample_rate_hz)
    kept = (starts >= 0) & (starts < until_samples) & (velocities > 0.0)
    return starts[kept], velocities[kept]


def click_wave(click: Click, sample_rate_hz: int) -> NDArray[np.float64]:
    """A short tone that is loudest at once and dies away: what hits can be found in to the sample."""
    n_samples = max(1, ms_to_samples(click.length_ms, sample_rate_hz))
    n = np.arange(n_samples)
    fading = 0.5 + 0.5 * np.cos(np.pi * n / n_samples)
    wave: NDArray[np.float64] = (
        db_to_gain(click.level_db) * fading * np.cos(2.0 * np.pi * _CLICK_HZ * n / sample_rate_hz)
    )
    return wave


def _in_samples(times_s: NDArray[np.float64], sample_rate_hz: int) -> Samples:
    """As s_to_samples does."""
    return np.floor(times_s * sample_rate_hz + 0.5 + 1e-6).astype(np.int64)
