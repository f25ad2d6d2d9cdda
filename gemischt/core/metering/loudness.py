"""Loudness of a stereo or mono programme.

Reference: ITU-R BS.1770-5 Annex 1; EBU Tech 3341 (momentary, short-term, integrated) and Tech 3342 (range).
"""

import math

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.data import bs1770
from gemischt.core.dsp.jit import AUDIO, CUBE, FLOAT, INT, VECTOR, measuring_kernel
from gemischt.core.layout import Layout
from gemischt.core.units import SILENCE_DB

STEPS_PER_S = 100
"""Windows advance in steps of 10 ms: maxima need more than the 10 Hz a display does (Tech 3341 case 13)."""
_TINY = 1e-30


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


@measuring_kernel(AUDIO, INT, INT, AUDIO, CUBE, VECTOR, returns=FLOAT)
def _weighted_energy(audio: Audio, start: int, end: int, sections: Audio, state: Audio, weights: Audio) -> float:
    # Both sections in one pass; state (n_channels, 2 sections, 2 sums), weights (n_channels,).
    summed = 0.0
    b0, b1, b2, a1, a2 = sections[0, 0], sections[0, 1], sections[0, 2], sections[0, 3], sections[0, 4]
    c1, c2 = sections[1, 3], sections[1, 4]
    for channel in range(audio.shape[0]):
        total = 0.0
        u, v = state[channel, 0, 0], state[channel, 0, 1]
        m, n = state[channel, 1, 0], state[channel, 1, 1]
        row = audio[channel, start:end]
        for i in range(row.size):
            x = row[i]
            y = b0 * x + u
            u = b1 * x + v - a1 * y
            v = b2 * x - a2 * y
            z = y + m
            m = n - 2.0 * y - c1 * z
            n = y - c2 * z
            total += z * z
        state[channel, 0, 0], state[channel, 0, 1] = u, v
        state[channel, 1, 0], state[channel, 1, 1] = m, n
        for section in range(2):
            for j in range(2):
                if abs(state[channel, section, j]) < _TINY:
                    state[channel, section, j] = 0.0
        summed += weights[channel] * total
    return summed


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

    State: filters per channel; ``_step_energy`` the unfinished 10 ms step; ``_sums`` running totals of finished steps,
    so that any window's energy is a difference of two of them.
    """

    def __init__(self, sample_rate_hz: int, layout: Layout) -> None:
        self._sample_rate_hz = sample_rate_hz
        self._weights = layout.loudness_weights
        self._sections = k_weighting(sample_rate_hz)
        self._state = np.zeros((layout.n_channels, 2, 2))
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
        audio = np.ascontiguousarray(audio)
        done = 0
        while done < n_samples:
            boundary = (len(self._sums) * self._sample_rate_hz) // STEPS_PER_S
            end = min(n_samples, done + boundary - self._samples)
            self._step_energy += _weighted_energy(audio, done, end, self._sections, self._state, self._weights)
            self._samples += end - done
            done = end
            if self._samples == boundary:
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
