"""Everything the gain ladder says of signals, in one pass.

Reference: ITU-R BS.1770-5 (loudness, true peak), EBU Tech 3341 and 3342 (maxima, range), IEC 60268-17 (VU: 99 % of a
steady tone in 300 ms, overshoot 1 to 1.5 %; as a second-order low-pass on the rectified signal with the damping and
frequency below, which reach 99 % after 300 ms with 1.25 %).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Counts, Single
from gemischt.core.data import bs1770
from gemischt.core.dsp.simd import N_LANES
from gemischt.core.metering import level_peaks, level_steps
from gemischt.core.metering.loudness import (
    STEPS_PER_S,
    hops_of_steps,
    integrated_and_range,
    k_weighting,
    power_to_lufs,
    powers_to_lufs,
)
from gemischt.core.space.layout import Layout
from gemischt.core.units import SILENCE_DB, gain_to_db, power_to_db

VU_DAMPING, VU_HZ = 0.8127, 2.1505
SINE_OVER_MEAN = math.pi / 2.0
"""Peak of a sine over the mean of its magnitude: VU meters are calibrated with sines."""


@dataclass(frozen=True)
class StageLevels:
    """Levels of a signal over a stretch; silence is ``-inf``, times are seconds from the start of the stretch.

    ``rms_dbfs`` is the plain RMS of the louder channel (a full-scale sine reads -3.01); ``vu_dbfs`` the highest VU
    reading as the peak level of the sine that reads the same; ``dc`` the larger mean of a channel, linear; ``overs``
    samples above full scale, any channel. Loudness of one channel is that of one front speaker.
    """

    sample_peak_dbfs: float
    sample_peak_at_s: float
    true_peak_dbtp: float
    true_peak_at_s: float
    rms_dbfs: float
    vu_dbfs: float
    integrated_lufs: float
    max_short_term_lufs: float
    max_momentary_lufs: float
    loudness_range_lu: float | None
    crest_db: float
    dc: float
    overs: int
    first_over_s: float | None

    @property
    def silent(self) -> bool:
        """Whether nothing at all was there."""
        return self.sample_peak_dbfs == SILENCE_DB


class StageMeters:
    """Measures blocks of any size of several signals.

    Of a signal that is another one through a gain only the overs have to be counted: ``turned`` are such pairs of a
    signal and a gain.

    State: ``_kept`` what the steps remember of each channel, ``_history`` the last samples of each, ``_peaks`` and
    ``_counts`` of each signal, and for stretches of finished and touched 10 ms steps in ``_steps`` the energies of
    each channel, (2, n_steps, n_rows), K-weighted and plain.
    """

    def __init__(
        self, sample_rate_hz: int, layouts: Sequence[Layout], turned: Sequence[tuple[int, float]] = ()
    ) -> None:
        n_channels = [layout.n_channels for layout in layouts]
        self.sample_rate_hz = sample_rate_hz
        self._layouts = layouts
        self._turned = turned
        self._turned_counts = _no_counts(len(turned))
        self._first_rows = np.concatenate([[0], np.cumsum(n_channels)]).astype(np.int64)
        n_groups = max(1, -(-int(self._first_rows[-1]) // N_LANES))
        self.n_rows = n_groups * N_LANES
        self._step_samples = sample_rate_hz // STEPS_PER_S
        self._hop_samples = level_steps.hop_samples(self._step_samples)
        self._sections = k_weighting(sample_rate_hz)
        self._vu = needle_section(sample_rate_hz / self._hop_samples)
        self._kept = np.zeros((n_groups, level_steps.N_KEPT, N_LANES))
        self._history = np.zeros((self.n_rows, level_peaks.KEPT_SAMPLES), np.float32)
        self._peaks = np.zeros((len(n_channels), 2))
        self._counts = _no_counts(len(n_channels))
        self._steps: list[NDArray[np.float64]] = [np.zeros((2, 0, self.n_rows))]
        self._samples = 0

    @property
    def duration_s(self) -> float:
        """How much has been measured."""
        return self._samples / self.sample_rate_hz

    def new_rows(self, max_block: int) -> Single:
        """Where blocks are put to be measured, silent: the channels of all signals, one after the other.

        Single precision rounds 150 dB under the signal.
        """
        return np.zeros((self.n_rows, max_block + level_steps.SPARE_SAMPLES), np.float32)

    def rows_of(self, signal: int) -> slice:
        """Which rows are a signal's."""
        return slice(int(self._first_rows[signal]), int(self._first_rows[signal + 1]))

    def process(self, rows: Single, n_samples: int) -> None:
        """Take in the next block, which ``new_rows`` has room for."""
        if n_samples == 0:
            return
        first = self._samples // self._step_samples
        touched = (self._samples + n_samples - 1) // self._step_samples - first + 1
        steps = np.zeros((2, touched, self.n_rows))
        level_steps.measure_steps(
            rows,
            n_samples,
            self._samples,
            self._step_samples,
            self._hop_samples,
            self._sections,
            self._vu,
            self._kept,
            *steps,
        )
        level_peaks.measure_peaks(
            rows,
            n_samples,
            self._samples,
            self._first_rows,
            *level_peaks.FILTERS,
            self._history,
            self._peaks,
            self._counts,
        )
        for (signal, gain), counts in zip(self._turned, self._turned_counts, strict=True):
            # What has never been so loud has nothing over in this block either.
            if self._peaks[signal, level_peaks.PEAK] * gain > 1.0:
                level_peaks.count_overs(rows[self.rows_of(signal)], n_samples, self._samples, gain, counts)
        if self._samples % self._step_samples:
            self._steps[-1][:, -1] += steps[:, 0]
            steps = steps[:, 1:]
        if steps.shape[1]:
            self._steps.append(steps)
        self._samples += n_samples

    def alone(self, signal: int) -> "StageMeters":
        """Meters of one of the signals, which go on where these are."""
        layout, rows = self._layouts[signal], self.rows_of(signal)
        meters = StageMeters(self.sample_rate_hz, (layout,))
        own = meters.rows_of(0)
        for row in range(layout.n_channels):
            group, lane = divmod(rows.start + row, N_LANES)
            meters._kept[row // N_LANES, :, row % N_LANES] = self._kept[group, :, lane]
        meters._history[own] = self._history[rows]
        meters._peaks[0], meters._counts[0] = self._peaks[signal], self._counts[signal]
        energies = self._energies()
        meters._steps = [np.zeros((2, energies.shape[1], meters.n_rows))]
        meters._steps[0][:, :, own] = energies[:, :, rows]
        meters._samples = self._samples
        return meters

    def step_powers(self, signal: int) -> NDArray[np.float64]:
        """Mean square of the louder channel in each 10 ms, (n_steps,)."""
        squares = self._energies()[1][:, self.rows_of(signal)]
        steps: NDArray[np.float64] = squares.max(axis=1) / self._step_samples
        return steps

    def weighted_powers(self, signal: int) -> NDArray[np.float64]:
        """Mean K-weighted square in each finished 10 ms, its channels added up, (n_steps,)."""
        return self._weighted_energies(signal) / self._step_samples

    def hop_powers(self, signal: int) -> NDArray[np.float64]:
        """The same in each whole 100 ms."""
        return hops_of_steps(self.weighted_powers(signal))

    def short_term_lufs(self, signal: int) -> NDArray[np.float64]:
        """Short-term loudness at the end of each 10 ms, growing windows at the start, ``-inf`` for silence."""
        return powers_to_lufs(self._window_powers(signal, bs1770.SHORT_TERM_S, partial=True))

    def final_true_peak_dbtp(self, signal: int) -> float:
        """True peak with the silence that follows the last sample; the meter stays as it is."""
        peaks = self._peaks.copy()
        quiet = np.zeros((self.n_rows, level_peaks.KEPT_SAMPLES), np.float32)
        level_peaks.measure_peaks(
            quiet,
            level_peaks.KEPT_SAMPLES,
            self._samples,
            self._first_rows,
            *level_peaks.FILTERS,
            self._history.copy(),
            peaks,
            self._counts.copy(),
        )
        return gain_to_db(float(peaks[signal, level_peaks.TRUE_PEAK]))

    def levels(self, signal: int) -> StageLevels:
        """What has been measured of a signal so far."""
        n = max(1, self._samples)
        rows = self.rows_of(signal)
        kept = self._kept.transpose(0, 2, 1).reshape(self.n_rows, level_steps.N_KEPT)[rows]
        squares = self._energies()[1][:, rows].sum(axis=0) / n
        peak, true_peak = (float(value) for value in self._peaks[signal])
        peak_at, true_peak_at, overs, first_over = (int(value) for value in self._counts[signal])
        peak_db = gain_to_db(peak)
        rms_db = power_to_db(float(squares.max()))
        momentary = self._window_powers(signal, bs1770.MOMENTARY_S)
        short_term = self._window_powers(signal, bs1770.SHORT_TERM_S)
        integrated_lufs, loudness_range_lu = integrated_and_range(self.hop_powers(signal))
        rate = self.sample_rate_hz
        return StageLevels(
            sample_peak_dbfs=peak_db,
            sample_peak_at_s=peak_at / rate,
            true_peak_dbtp=gain_to_db(true_peak),
            true_peak_at_s=true_peak_at / rate,
            rms_dbfs=rms_db,
            vu_dbfs=gain_to_db(SINE_OVER_MEAN * float(kept[:, level_steps.HIGHEST_VU].max())),
            integrated_lufs=integrated_lufs,
            max_short_term_lufs=power_to_lufs(float(short_term.max())) if len(short_term) else SILENCE_DB,
            max_momentary_lufs=power_to_lufs(float(momentary.max())) if len(momentary) else SILENCE_DB,
            loudness_range_lu=loudness_range_lu,
            crest_db=peak_db - rms_db if rms_db > SILENCE_DB else 0.0,
            dc=float(np.abs(kept[:, level_steps.TOTAL]).max()) / n,
            overs=overs,
            first_over_s=first_over / rate if overs else None,
        )

    def turned_overs(self, pair: int) -> tuple[int, float | None]:
        """Samples of a turned signal above full scale, and when the first was."""
        overs, first = (int(count) for count in self._turned_counts[pair, level_peaks.OVERS :])
        return overs, first / self.sample_rate_hz if overs else None

    def _energies(self) -> NDArray[np.float64]:
        """Of all steps so far, (2, n_steps, n_rows)."""
        if len(self._steps) > 1:
            self._steps = [np.concatenate(self._steps, axis=1)]
        return self._steps[0]

    def _weighted_energies(self, signal: int) -> NDArray[np.float64]:
        """Of each finished step, its channels added up, each by its weight."""
        whole = self._samples // self._step_samples
        by_channel = self._energies()[0][:whole, self.rows_of(signal)].T
        energies: NDArray[np.float64] = np.zeros(whole)
        for weight, energy in zip(self._layouts[signal].loudness_weights, by_channel, strict=True):
            energies += weight * energy
        return energies

    def _window_powers(self, signal: int, window_s: float, *, partial: bool = False) -> NDArray[np.float64]:
        """Mean weighted power of each window that ends on a finished step."""
        energies = self._weighted_energies(signal)
        window = round(window_s * STEPS_PER_S)
        sums = np.concatenate([[0.0], np.cumsum(energies)])
        if partial:
            starts = np.maximum(np.arange(1, len(sums)) - window, 0)
            spans = sums[1:] - sums[starts]
        else:
            spans = sums[window:] - sums[:-window] if len(sums) > window else np.zeros(0)
        # A difference of running totals can miss zero by a rounding error; 1e-15 lies below -150 LUFS.
        powers = spans / (window * self._step_samples)
        return np.where(powers > 1e-15, powers, 0.0)


def _no_counts(n_signals: int) -> Counts:
    return np.tile(np.array([0, 0, 0, -1], np.int64), (n_signals, 1))


def needle_section(sample_rate_hz: float) -> NDArray[np.float64]:
    """The VU needle as one low-pass section, (5,): (b0, b1, b2, a1, a2), bilinear with its own frequency kept."""
    k = math.tan(math.pi * VU_HZ / sample_rate_hz)
    a0 = 1.0 + 2.0 * VU_DAMPING * k + k * k
    return np.array(
        [k * k / a0, 2.0 * k * k / a0, k * k / a0, 2.0 * (k * k - 1.0) / a0, (1.0 - 2.0 * VU_DAMPING * k + k * k) / a0]
    )
