"""The song's beat: where a time lies in bars, beats and quarter notes, through every change of tempo and metre."""

import math
from bisect import bisect_right
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from gemischt.core.session.document import Tempo
from gemischt.core.units import note_to_quarters, note_to_s

Unit = Literal["bar", "beat"]
_CLOSE_BARS = 1e-6
"""A time that rounding has left just before a bar counts as the bar."""


@dataclass(frozen=True)
class _Stretch:
    """From one change of the tempo to the next."""

    at_s: float
    quarters: float
    bars: float
    quarter_s: float
    bar_s: float
    beats: int


class BeatGrid:
    """Bars and beats of a song. The first tempo says where the first bar begins; what lies before is counted back from
    there. A new tempo goes on inside its bar; a new metre begins a new one."""

    def __init__(self, tempo: tuple[Tempo, ...]) -> None:
        first, *_ = tempo
        stretches = [_stretch(first, 0.0, 0.0)]
        for before, change in pairwise(tempo):
            known = stretches[-1]
            passed_s = change.at_s - known.at_s
            bars = known.bars + passed_s / known.bar_s
            if change.metre != before.metre:
                bars = float(math.ceil(bars - _CLOSE_BARS))
            stretches.append(_stretch(change, known.quarters + passed_s / known.quarter_s, bars))
        self._stretches = stretches
        self._times_s = [stretch.at_s for stretch in stretches]
        self._bars = [stretch.bars for stretch in stretches]
        self._quarters = [stretch.quarters for stretch in stretches]

    @property
    def begins_s(self) -> float:
        """Where the first bar begins."""
        return self._times_s[0]

    def quarters_at(self, at_s: float) -> float:
        """Quarter notes since the first bar's beginning; negative before it."""
        stretch = self._at(self._times_s, at_s)
        return stretch.quarters + (at_s - stretch.at_s) / stretch.quarter_s

    def time_of_quarters(self, quarters: float) -> float:
        """The second at which so many quarter notes have passed."""
        stretch = self._at(self._quarters, quarters)
        return stretch.at_s + (quarters - stretch.quarters) * stretch.quarter_s

    def bars_at(self, at_s: float) -> float:
        """Bars since the first one's beginning, with the share of the bar that has passed; negative before it."""
        stretch = self._at(self._times_s, at_s)
        return stretch.bars + (at_s - stretch.at_s) / stretch.bar_s

    def time_of_bars(self, bars: float) -> float:
        """The second at which so many bars have passed."""
        place = max(0, bisect_right(self._bars, bars) - 1)
        stretch = self._stretches[place]
        at_s = stretch.at_s + (bars - stretch.bars) * stretch.bar_s
        # A metre that came in the middle of a bar cut it short.
        return min([at_s, *self._times_s[place + 1 : place + 2]])

    def snapped_s(self, at_s: float, unit: Unit) -> float:
        """The nearest bar's or beat's time, not before the song."""
        parts = 1 if unit == "bar" else self._at(self._times_s, at_s).beats
        place = self.bars_at(at_s) * parts
        before_s = self.time_of_bars(math.floor(place) / parts)
        behind_s = self.time_of_bars(math.ceil(place) / parts)
        return max(0.0, before_s if at_s - before_s < behind_s - at_s else behind_s)

    def place(self, at_s: float) -> str:
        """Bar and beat, both from 1.

        >>> BeatGrid((Tempo(bpm=120.0),)).place(3.5)
        '2|4'
        """
        bars = self.bars_at(at_s)
        bar = math.floor(bars + _CLOSE_BARS)
        beats = self._at(self._times_s, at_s).beats
        return f"{bar + 1}|{math.floor((bars - bar) * beats + _CLOSE_BARS * beats) + 1}"

    def _at(self, marks: list[float], value: float) -> _Stretch:
        return self._stretches[max(0, bisect_right(marks, value) - 1)]


def _stretch(tempo: Tempo, quarters: float, bars: float) -> _Stretch:
    return _Stretch(
        tempo.at_s,
        quarters,
        bars,
        note_to_s("1/4", bpm=tempo.bpm, beat=tempo.beat),
        note_to_quarters(tempo.metre) * note_to_s("1/4", bpm=tempo.bpm, beat=tempo.beat),
        int(tempo.metre.split("/")[0]),
    )
