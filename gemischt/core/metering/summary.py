"""Everything about a stretch of audio at once."""

import math
from collections import deque
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from gemischt.core.audio import Audio, Single
from gemischt.core.dsp.mixing import pair_to_single
from gemischt.core.metering.stage_meter import StageMeters
from gemischt.core.space.layout import STEREO, Layout

_BLOCK_SAMPLES = 8192
_LONGEST_WAIT_SAMPLES = 1 << 18


@dataclass(frozen=True)
class Summary:
    """Levels are ``-inf`` for silence; a range or correlation that does not exist is None.

    ``rms_dbfs`` is the plain RMS of the louder channel.
    """

    sample_rate_hz: int
    channels: int
    duration_s: float
    sample_peak_dbfs: float
    true_peak_dbtp: float
    rms_dbfs: float
    integrated_lufs: float
    max_momentary_lufs: float
    max_short_term_lufs: float
    loudness_range_lu: float | None
    correlation: float | None


class Summarizers:
    """Measures several signals that come block by block, eight channels at once.

    They need not come at the same pace: what is ahead waits for the others. One that stays behind, or is still to go on
    when another ends, is measured by itself from there on.
    """

    def __init__(self, sample_rate_hz: int, layouts: Sequence[Layout]) -> None:
        self._meters = StageMeters(sample_rate_hz, layouts)
        self._rows = self._meters.new_rows(_BLOCK_SAMPLES)
        self._signals = {signal: _Signal(layout) for signal, layout in enumerate(layouts)}
        self._apart: dict[int, Summarizers] = {}

    def process(self, signal: int, block: Audio) -> None:
        """Take in the next block of a signal, (n_channels, n), which must stay as it is."""
        if signal in self._apart:
            self._apart[signal].process(0, block)
            return
        own = self._signals[signal]
        own.waiting.append(np.ascontiguousarray(block))
        own.n_waiting += block.shape[1]
        self._measure()
        if own.n_waiting > _LONGEST_WAIT_SAMPLES:
            self._part_from_those_behind(own)

    def finish(self, signal: int) -> Summary:
        """All that has come of a signal; it has ended."""
        if signal in self._apart:
            return self._apart.pop(signal).finish(0)
        own = self._signals[signal]
        if own.n_waiting:
            self._part_from_those_behind(own)
        summary = own.summary(self._meters, signal)
        self.drop(signal)
        return summary

    def drop(self, signal: int) -> None:
        """Nobody asks for a signal any more."""
        self._apart.pop(signal, None)
        if self._signals.pop(signal, None) is not None:
            self._rows[self._meters.rows_of(signal)] = 0.0
            self._measure()

    def _measure(self) -> None:
        """All that has come of every signal."""
        while n_samples := min((own.n_waiting for own in self._signals.values()), default=0):
            n_samples = min(n_samples, _BLOCK_SAMPLES)
            for signal, own in self._signals.items():
                own.take(n_samples, self._rows[self._meters.rows_of(signal)])
            self._meters.process(self._rows, n_samples)

    def _part_from_those_behind(self, ahead: "_Signal") -> None:
        for signal, own in list(self._signals.items()):
            if own.n_waiting < ahead.n_waiting:
                alone = self._alone(signal)
                self.drop(signal)
                self._apart[signal] = alone

    def _alone(self, signal: int) -> "Summarizers":
        alone = Summarizers(self._meters.sample_rate_hz, (self._signals[signal].layout,))
        alone._meters, alone._signals = self._meters.alone(signal), {0: self._signals[signal]}
        return alone


class _Signal:
    """State: blocks of a signal that wait to be measured, how much of the first of them was taken, and of two channels
    their squares and their products, summed."""

    def __init__(self, layout: Layout) -> None:
        self.layout = layout
        self.waiting: deque[Audio] = deque()
        self.n_waiting = 0
        self._n_taken = 0
        self._sums = np.zeros(3)

    def take(self, n_samples: int, rows: Single) -> None:
        """Put what has waited longest into rows."""
        self.n_waiting -= n_samples
        done = 0
        while done < n_samples:
            block, first = self.waiting[0], self._n_taken
            last = min(block.shape[1], first + n_samples - done)
            if self.layout == STEREO:
                pair_to_single(block, first, last, rows, done, self._sums)
            else:
                rows[:, done : done + last - first] = block[:, first:last]
            done += last - first
            self._n_taken = last
            if last == block.shape[1]:
                self.waiting.popleft()
                self._n_taken = 0

    def summary(self, meters: StageMeters, signal: int) -> Summary:
        """All that was taken."""
        levels = meters.levels(signal)
        lefts, rights, product = self._sums.tolist()
        both = math.sqrt(lefts * rights)
        return Summary(
            sample_rate_hz=meters.sample_rate_hz,
            channels=self.layout.n_channels,
            duration_s=meters.duration_s,
            sample_peak_dbfs=levels.sample_peak_dbfs,
            true_peak_dbtp=meters.final_true_peak_dbtp(signal),
            rms_dbfs=levels.rms_dbfs,
            integrated_lufs=levels.integrated_lufs,
            max_momentary_lufs=levels.max_momentary_lufs,
            max_short_term_lufs=levels.max_short_term_lufs,
            loudness_range_lu=levels.loudness_range_lu,
            correlation=product / both if both > 0.0 else None,
        )


def summarize(blocks: Iterable[Audio], *, sample_rate_hz: int, layout: Layout) -> Summary:
    """Measure consecutive blocks of any size, (n_channels, n)."""
    summarizers = Summarizers(sample_rate_hz, (layout,))
    for block in blocks:
        summarizers.process(0, block)
    return summarizers.finish(0)
