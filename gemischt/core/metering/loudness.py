"""Loudness of a stereo or mono programme.

Reference: ITU-R BS.1770-5 Annex 1; EBU Tech 3341 (momentary, short-term, integrated) and Tech 3342 (range).
"""

import math

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.data import bs1770
from gemischt.core.dsp.mixing import to_single
from gemischt.core.dsp.simd import N_LANES
from gemischt.core.metering import level_steps
from gemischt.core.space.layout import Layout
from gemischt.core.units import SILENCE_DB

STEPS_PER_S = 100
"""Windows advance in steps of 10 ms: maxima need more than the 10 Hz a display does (Tech 3341 case 13)."""


_NO_NEEDLE = np.zeros(5)


def k_weighting(sample_rate_hz: float) -> NDArray[np.float64]:
    """The two sections of the K-weighting at any rate, shape (2, 5): (b0, b1, b2, a1, a2)."""
    k = math.tan(math.pi * bs1770.SHELF_HZ / sample_rate_hz)
    high = 10.0 ** (bs1770.SHELF_DB / 20.0)
    band = high**bs1770.SHELF_BAND_EXPONENT
    a0 = 1.0 + k / bs1770.SHELF_Q + k * k
    shelf = (
        (high + band * k / bs1770.SHELF_Q + k * k) / a0,
        2.0 * (k * k - high) / a0,
        (high - band * k / bs1770.SHELF_Q + k * k) / a0,
        2.0 * (k * k - 1.0) / a0,
        (1.0 - k / bs1770.SHELF_Q + k * k) / a0,
    )
    k = math.tan(math.pi * bs1770.HIGH_PASS_HZ / sample_rate_hz)
    a0 = 1.0 + k / bs1770.HIGH_PASS_Q + k * k
    high_pass = (1.0, -2.0, 1.0, 2.0 * (k * k - 1.0) / a0, (1.0 - k / bs1770.HIGH_PASS_Q + k * k) / a0)
    return np.array([shelf, high_pass])


def power_to_lufs(mean_square: float) -> float:
    """Loudness of the channels' summed weighted mean square."""
    return bs1770.OFFSET_LU + 10.0 * math.log10(mean_square) if mean_square > 0.0 else SILENCE_DB


def lufs_to_powers(levels_lufs: NDArray[np.float64] | float) -> NDArray[np.float64]:
    """Summed weighted mean squares of one loudness or many."""
    return np.asarray(10.0 ** ((levels_lufs - bs1770.OFFSET_LU) / 10.0))


def powers_to_lufs(mean_squares: NDArray[np.float64]) -> NDArray[np.float64]:
    """Loudness of many."""
    with np.errstate(divide="ignore"):
        return np.asarray(bs1770.OFFSET_LU + 10.0 * np.log10(mean_squares))


class LoudnessMeter:
    """Reads loudness from blocks of any size.

    State: ``_kept`` what the weighting remembers of each channel; ``_step_energy`` the unfinished 10 ms step; ``_sums``
    running totals of finished steps, so that any window's energy is a difference of two of them.
    """

    def __init__(self, sample_rate_hz: int, layout: Layout) -> None:
        self._sample_rate_hz = sample_rate_hz
        self._weights = layout.loudness_weights
        self._sections = k_weighting(sample_rate_hz)
        self._step_samples = sample_rate_hz // STEPS_PER_S
        n_groups = -(-layout.n_channels // N_LANES)
        self._kept = np.zeros((n_groups, level_steps.N_KEPT, N_LANES))
        self._rows = np.zeros((n_groups * N_LANES, 0), np.float32)
        self._sums: list[float] = [0.0]
        self._step_energy = 0.0
        self._samples = 0
        self.max_momentary_lufs = SILENCE_DB
        self.max_short_term_lufs = SILENCE_DB
        self._gating_powers: list[float] = []
        # The reading and how many gating blocks it was made of.
        self._integrated_lufs = SILENCE_DB
        self._integrated_of = 0

    def process(self, audio: Audio, n_samples: int) -> None:
        """Take in the next block, (n_channels, >= n_samples)."""
        if self._rows.shape[1] < n_samples + level_steps.SPARE_SAMPLES:
            self._rows = np.zeros((len(self._rows), n_samples + level_steps.SPARE_SAMPLES), np.float32)
        to_single(np.ascontiguousarray(audio), n_samples, self._rows)
        first = self._samples // self._step_samples
        touched = -(-(self._samples + n_samples) // self._step_samples) - first
        energies, unread = np.zeros((2, touched, len(self._rows)))
        level_steps.measure_steps(
            self._rows,
            n_samples,
            self._samples,
            self._step_samples,
            level_steps.hop_samples(self._step_samples),
            self._sections,
            _NO_NEEDLE,
            self._kept,
            energies,
            unread,
        )
        self._samples += n_samples
        whole = self._samples // self._step_samples - first
        for step, energy in enumerate(energies[:, : len(self._weights)] @ self._weights):
            self._step_energy += float(energy)
            if step < whole:
                self._finish_step()

    def reset_integration(self) -> None:
        """Begin integrated loudness and maxima anew; the windows run on."""
        self._gating_powers.clear()
        self._integrated_lufs, self._integrated_of = SILENCE_DB, 0
        self.max_momentary_lufs = self.max_short_term_lufs = SILENCE_DB

    @property
    def momentary_lufs(self) -> float:
        """Loudness of the last 400 ms."""
        return power_to_lufs(self._window_power(bs1770.MOMENTARY_S))

    @property
    def short_term_lufs(self) -> float:
        """Loudness of the last 3 s."""
        return power_to_lufs(self._window_power(bs1770.SHORT_TERM_S))

    @property
    def integrated_lufs(self) -> float:
        """Gated loudness of all blocks so far; -inf while none passes the gates."""
        if self._integrated_of != len(self._gating_powers):
            self._integrated_of = len(self._gating_powers)
            self._integrated_lufs = gated_lufs(np.array(self._gating_powers))
        return self._integrated_lufs

    @property
    def loudness_range_lu(self) -> float | None:
        """Range by Tech 3342, or None while nothing passes its gates."""
        window = round(bs1770.SHORT_TERM_S * STEPS_PER_S)
        sums = np.array(self._sums)
        if len(sums) <= window:
            return None
        step = round(bs1770.GATING_STEP_S * STEPS_PER_S)
        powers = ((sums[window:] - sums[:-window]) / (bs1770.SHORT_TERM_S * self._sample_rate_hz))[::step]
        return range_lu(powers)

    def _finish_step(self) -> None:
        self._sums.append(self._sums[-1] + self._step_energy)
        self._step_energy = 0.0
        n_steps = len(self._sums) - 1
        if n_steps >= bs1770.MOMENTARY_S * STEPS_PER_S:
            self.max_momentary_lufs = max(self.max_momentary_lufs, self.momentary_lufs)
            if n_steps % round(bs1770.GATING_STEP_S * STEPS_PER_S) == 0:
                self._gating_powers.append(self._window_power(bs1770.GATING_BLOCK_S))
        if n_steps >= bs1770.SHORT_TERM_S * STEPS_PER_S:
            self.max_short_term_lufs = max(self.max_short_term_lufs, self.short_term_lufs)

    def _window_power(self, window_s: float) -> float:
        steps = min(round(window_s * STEPS_PER_S), len(self._sums) - 1)
        # A difference of running totals can miss zero by a rounding error; 1e-15 lies below -150 LUFS.
        energy = self._sums[-1] - self._sums[-1 - steps]
        power = energy / (window_s * self._sample_rate_hz)
        return power if power > 1e-15 else 0.0


def range_lu(powers: NDArray[np.float64]) -> float | None:
    """Loudness range (Tech 3342) of short-term powers taken every 100 ms, or None while nothing passes the gates."""
    powers = powers[powers > lufs_to_powers(bs1770.ABSOLUTE_GATE_LUFS)]
    if powers.size == 0:
        return None
    powers = powers[powers > powers.mean() * 10.0 ** (bs1770.RANGE_RELATIVE_GATE_LU / 10.0)]
    low, high = np.percentile(powers, [bs1770.RANGE_LOW_PERCENTILE, bs1770.RANGE_HIGH_PERCENTILE], method="nearest")
    return power_to_lufs(float(high)) - power_to_lufs(float(low))


def integrated_and_range(hop_powers: NDArray[np.float64]) -> tuple[float, float | None]:
    """Integrated loudness and range of what has these weighted mean squares, channels added up, in each 100 ms.

    Neither just follows a gain: their absolute gates let through more or less of a signal that is turned.
    """
    blocks = _means(hop_powers, bs1770.GATING_BLOCK_S)
    return gated_lufs(blocks), range_lu(_means(hop_powers, bs1770.SHORT_TERM_S))


def _means(hop_powers: NDArray[np.float64], window_s: float) -> NDArray[np.float64]:
    """Of each window that begins with a hop and is whole."""
    n_hops = round(window_s / bs1770.GATING_STEP_S)
    sums = np.concatenate([[0.0], np.cumsum(hop_powers)])
    return (sums[n_hops:] - sums[:-n_hops]) / n_hops if len(sums) > n_hops else np.zeros(0)


def hops_of_steps(step_powers: NDArray[np.float64]) -> NDArray[np.float64]:
    """Mean squares in each whole 100 ms from those in each 10 ms."""
    in_hop = round(bs1770.GATING_STEP_S * STEPS_PER_S)
    whole = len(step_powers) // in_hop * in_hop
    means: NDArray[np.float64] = step_powers[:whole].reshape(-1, in_hop).mean(axis=1)
    return means


def gated_lufs(powers: NDArray[np.float64]) -> float:
    """Integrated loudness of the powers of all gating blocks; -inf while none passes the gates."""
    powers = powers[powers > lufs_to_powers(bs1770.ABSOLUTE_GATE_LUFS)]
    if powers.size == 0:
        return SILENCE_DB
    gate = float(powers.mean()) * 10.0 ** (bs1770.RELATIVE_GATE_LU / 10.0)
    return power_to_lufs(float(powers[powers > gate].mean()))
