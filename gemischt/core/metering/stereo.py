"""What a pair of channels loses in mono, and how wide its lows are."""

from dataclasses import dataclass

import numpy as np

from gemischt.core.audio import Audio, Single
from gemischt.core.dsp import biquad
from gemischt.core.dsp.decibels import TRACE
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, INT, SINGLE_AUDIO, VECTOR, measuring_kernel
from gemischt.core.dsp.simd import N_LANES, lane, load, spread, store, swap_pairs, without_traces
from gemischt.core.units import SILENCE_DB, power_to_db

LOWS_HZ = 120.0
_PART_SAMPLES = 256


@dataclass(frozen=True)
class StereoLevels:
    """``mono_loss_db`` is what is lost when both channels are averaged: 0 for equal ones, 3.01 for unrelated ones.

    ``lows_width_db`` is the side's level over the middle's below 120 Hz, ``lows_rms_dbfs`` what there is of it.
    """

    mono_loss_db: float
    lows_width_db: float
    lows_rms_dbfs: float


@measuring_kernel(SINGLE_AUDIO, INT, AUDIO, AUDIO, VECTOR)
def _sum_up(audio: Single, n_samples: int, sections: Audio, kept: Audio, sums: Audio) -> None:
    # Lanes 0 and 1 hold middle and side in the first low-pass section, lanes 2 and 3 the same in the second. What
    # leaves the first goes into the second two samples later, so that neither waits for the other.
    b0, b1, b2 = load(sections[0], 0), load(sections[1], 0), load(sections[2], 0)
    a1, a2 = load(sections[3], 0), load(sections[4], 0)
    into_first, into_second = load(sections[5], 0), load(sections[6], 0)
    u, v, y, before = load(kept[0], 0), load(kept[1], 0), load(kept[2], 0), load(kept[3], 0)
    energy = spread(0.0)
    both = 0.0
    middles = 0.0
    pairs = np.zeros(2 * _PART_SAMPLES + N_LANES)
    for start in range(0, n_samples, _PART_SAMPLES):
        left = audio[0, start : min(n_samples, start + _PART_SAMPLES)]
        right = audio[1, start : min(n_samples, start + _PART_SAMPLES)]
        for i in range(left.size):
            a, b = float(left[i]), float(right[i])
            middle = 0.5 * (a + b)
            pairs[2 * i] = middle
            pairs[2 * i + 1] = 0.5 * (a - b)
            both += a * a + b * b
            middles += middle * middle
        for i in range(left.size):
            x = fma(into_second, swap_pairs(before), into_first * load(pairs, 2 * i))
            before = y
            y = fma(b0, x, u)
            u = fma(a1, y, fma(b1, x, v))
            v = fma(a2, y, b2 * x)
            energy = fma(y, y, energy)
    least = spread(TRACE)
    store(kept[0], 0, without_traces(u, least))
    store(kept[1], 0, without_traces(v, least))
    store(kept[2], 0, y)
    store(kept[3], 0, before)
    sums[0] += both
    sums[1] += middles
    sums[2] += lane(energy, 2)
    sums[3] += lane(energy, 3)


def _in_lanes(sections: list[biquad.Section]) -> Audio:
    """Two sections for middle and side each: their coefficients, what goes into the first, what into the second."""
    rows = np.zeros((7, N_LANES))
    for k, (b0, b1, b2, a1, a2) in enumerate(sections):
        rows[:5, 2 * k : 2 * k + 2] = np.array([[b0, b1, b2, -a1, -a2]]).T
        rows[5 + k, 2 * k : 2 * k + 2] = 1.0
    return rows


class StereoMeter:
    """Adds up blocks of two channels. State: two low-pass sections of middle and side, what is on its way
    between them, and four sums of squares."""

    def __init__(self, sample_rate_hz: int) -> None:
        self._sections = _in_lanes([biquad.low_pass(LOWS_HZ, q, sample_rate_hz) for q in biquad.butterworth_qs(4)])
        self._kept = np.zeros((4, N_LANES))
        self._sums = np.zeros(4)
        self._samples = 0

    def process(self, audio: Single, n_samples: int) -> None:
        """Take in the next block, (2, >= n_samples)."""
        _sum_up(audio, n_samples, self._sections, self._kept, self._sums)
        self._samples += n_samples

    def levels(self) -> StereoLevels:
        """What has been measured so far."""
        both, middle, low_middle, low_side = (float(value) for value in self._sums)
        loss = power_to_db(0.5 * both) - power_to_db(middle) if both > 0.0 else 0.0
        width = power_to_db(low_side) - power_to_db(low_middle) if low_side > 0.0 else SILENCE_DB
        n = max(1, self._samples)
        return StereoLevels(loss, width, power_to_db((low_middle + low_side) / n))
