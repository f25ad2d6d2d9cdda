"""How fast a recording is: an estimate to offer, with how sure it is.

Beats are found by dynamic programming over onset strength (Ellis 2007, as librosa has it) and refined here: a straight
line through the beginnings that lie nearest to them, which is exact where the tempo is steady.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

RATE_HZ = 22050
"""What the signal is brought to first: beats are heard in its lows and mids."""
_HOP_SAMPLES = 128
_REACH = 0.12
"""How far from a beat, in beats, its onset is looked for."""
_NEAR = 0.05
"""How far from the line, in beats, an onset is on the beat."""
_CLEAR = 2.0
"""So many times the mean is an onset's strength at least."""
_DOUBLED = 0.75
"""Onsets between the beats that are as strong as this share of those on them: it is twice as fast."""
_FASTEST_BPM = 215.0
_LEAST_BEATS = 4
_LEAST_CONFIDENCE = 0.25
_LATE_S = 0.0076
"""So long behind its beginning an onset's strength is at its summit: measured on clicks."""
_LEAD_S = 0.1
_SILENT = 1e-6

Line = NDArray[np.float64]


@dataclass(frozen=True)
class TempoEstimate:
    """A tempo that counts what is tapped to; ``confidence`` is the share of its beats at which something begins."""

    bpm: float
    confidence: float
    first_beat_s: float


def estimate_tempo(mono: Line, sample_rate_hz: int) -> TempoEstimate | None:
    """The tempo of a signal, shape (n_samples,) at RATE_HZ; None where nothing begins often enough.

    Args:
        sample_rate_hz: must be RATE_HZ.
    """
    # Takes seconds to load, and is needed nowhere else.
    import librosa

    assert sample_rate_hz == RATE_HZ
    if len(mono) < RATE_HZ or float(np.abs(mono).max()) < _SILENT:
        return None
    # What begins with the song has to begin somewhere.
    heard = np.concatenate([np.zeros(round(_LEAD_S * RATE_HZ)), mono])
    strength: Line = librosa.onset.onset_strength(y=heard, sr=RATE_HZ, hop_length=_HOP_SAMPLES).astype(np.float64)
    _, beats = librosa.beat.beat_track(
        onset_envelope=strength, sr=RATE_HZ, hop_length=_HOP_SAMPLES, units="frames", trim=False
    )
    if len(beats) < _LEAST_BEATS or strength.mean() <= 0.0:
        return None
    period = float(np.median(np.diff(beats)))
    if _between(strength, beats) > _DOUBLED and 60.0 / (0.5 * period * _HOP_SAMPLES / RATE_HZ) <= _FASTEST_BPM:
        middles = (beats[:-1] + beats[1:]) // 2
        beats = np.sort(np.concatenate([beats, middles]))
        period *= 0.5
    return _through(strength, beats, period)


def _between(strength: Line, beats: NDArray[np.int64]) -> float:
    """How strong the onsets halfway between beats are, as a share of those on them."""
    on = _peaks(strength, beats, 3)[1].mean()
    return float(_peaks(strength, (beats[:-1] + beats[1:]) // 2, 3)[1].mean() / on) if on > 0.0 else 0.0


def _peaks(strength: Line, frames: NDArray[np.int64], reach: int) -> tuple[Line, Line]:
    """The strongest place near each of some frames, between the frames, and its strength."""
    places, heights = np.empty(len(frames)), np.empty(len(frames))
    for index, frame in enumerate(frames):
        low = max(0, int(frame) - reach)
        top = low + int(np.argmax(strength[low : int(frame) + reach + 1]))
        places[index], heights[index] = _summit(strength, top), strength[top]
    return places, heights


def _summit(strength: Line, top: int) -> float:
    """A peak between frames: the summit of the parabola through three of them."""
    if not 0 < top < len(strength) - 1:
        return float(top)
    before, at, after = strength[top - 1 : top + 2]
    curved = before - 2.0 * at + after
    return top + (0.5 * (before - after) / curved if curved < 0.0 else 0.0)


def _through(strength: Line, beats: NDArray[np.int64], period: float) -> TempoEstimate | None:
    """A straight line through the onsets near the beats, without those that lie astray."""
    places, heights = _peaks(strength, beats, max(1, round(_REACH * period)))
    places = places[heights >= _CLEAR * strength.mean()]
    if len(places) < _LEAST_BEATS:
        return None
    # Counted from one to the next: over the song, the least error of the period would add up.
    numbers = np.concatenate([[0.0], np.cumsum(np.round(np.diff(places) / period))])
    kept = np.ones(len(places), bool)
    for _ in range(4):
        period, begin = np.polyfit(numbers[kept], places[kept], 1)
        if not period > 0.0:
            return None
        numbers = np.round((places - begin) / period)
        kept = np.abs(places - begin - numbers * period) <= _NEAR * period
        if kept.sum() < _LEAST_BEATS:
            return None
    n_beats = int(numbers[kept].max() - numbers[kept].min()) + 1
    confidence = min(1.0, float(kept.sum()) / n_beats)
    if confidence < _LEAST_CONFIDENCE:
        return None
    s_per_frame = _HOP_SAMPLES / RATE_HZ
    first_s = _first(strength, float(begin), float(period)) * s_per_frame - _LATE_S - _LEAD_S
    return TempoEstimate(
        bpm=round(60.0 / float(period * s_per_frame), 2),
        confidence=round(confidence, 3),
        first_beat_s=max(0.0, round(first_s, 4)),
    )


def _first(strength: Line, begin: float, period: float) -> float:
    """The first of all beats on the line at which something begins."""
    on_line = begin + period * np.arange(math.ceil(-begin / period), (len(strength) - begin) / period)
    places, heights = _peaks(strength, np.round(on_line).astype(np.int64), max(1, round(_REACH * period)))
    begun = (heights >= _CLEAR * strength.mean()) & (np.abs(places - on_line) <= _NEAR * period)
    return float(on_line[int(np.argmax(begun))])
