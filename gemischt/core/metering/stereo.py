"""What a pair of channels loses in mono, and how wide its lows are."""

from dataclasses import dataclass

import numpy as np

from gemischt.core.audio import Audio, Single
from gemischt.core.dsp import biquad
from gemischt.core.dsp.decibels import flushed
from gemischt.core.dsp.jit import AUDIO, CUBE, INT, SINGLE_AUDIO, VECTOR, measuring_kernel
from gemischt.core.units import SILENCE_DB, power_to_db

LOWS_HZ = 120.0


@dataclass(frozen=True)
class StereoLevels:
    """``mono_loss_db`` is what is lost when both channels are averaged: 0 for equal ones, 3.01 for unrelated ones.

    ``lows_width_db`` is the side's level over the middle's below 120 Hz, ``lows_rms_dbfs`` what there is of it.
    """

    mono_loss_db: float
    lows_width_db: float
    lows_rms_dbfs: float


@measuring_kernel(SINGLE_AUDIO, INT, AUDIO, CUBE, VECTOR)
def _sum_up(audio: Single, n_samples: int, sections: Audio, state: Audio, sums: Audio) -> None:
    # Middle and side through two low-pass sections; sums of squares: both channels, middle, low middle, low side.
    b0, b1, b2, a1, a2 = sections[0, 0], sections[0, 1], sections[0, 2], sections[0, 3], sections[0, 4]
    c0, c1, c2, d1, d2 = sections[1, 0], sections[1, 1], sections[1, 2], sections[1, 3], sections[1, 4]
    mu, mv, mp, mq = state[0, 0, 0], state[0, 0, 1], state[0, 1, 0], state[0, 1, 1]
    su, sv, sp, sq = state[1, 0, 0], state[1, 0, 1], state[1, 1, 0], state[1, 1, 1]
    row_a = audio[0, :n_samples]
    row_b = audio[1, :n_samples]
    both = 0.0
    middles = 0.0
    low_middles = 0.0
    low_sides = 0.0
    for i in range(row_a.size):
        a, b = float(row_a[i]), float(row_b[i])
        middle = 0.5 * (a + b)
        side = 0.5 * (a - b)
        both += a * a + b * b
        middles += middle * middle
        y = b0 * middle + mu
        mu = b1 * middle + mv - a1 * y
        mv = b2 * middle - a2 * y
        z = c0 * y + mp
        mp = c1 * y + mq - d1 * z
        mq = c2 * y - d2 * z
        low_middles += z * z
        y = b0 * side + su
        su = b1 * side + sv - a1 * y
        sv = b2 * side - a2 * y
        z = c0 * y + sp
        sp = c1 * y + sq - d1 * z
        sq = c2 * y - d2 * z
        low_sides += z * z
    state[0, 0, 0], state[0, 0, 1], state[0, 1, 0], state[0, 1, 1] = flushed(mu), flushed(mv), flushed(mp), flushed(mq)
    state[1, 0, 0], state[1, 0, 1], state[1, 1, 0], state[1, 1, 1] = flushed(su), flushed(sv), flushed(sp), flushed(sq)
    sums[0] += both
    sums[1] += middles
    sums[2] += low_middles
    sums[3] += low_sides


class StereoMeter:
    """Adds up blocks of two channels. State: two low-pass sections of middle and side, and four sums of squares."""

    def __init__(self, sample_rate_hz: int) -> None:
        qs = biquad.butterworth_qs(4)
        self._sections = np.array([biquad.low_pass(LOWS_HZ, q, sample_rate_hz) for q in qs])
        self._state = np.zeros((2, 2, 2))
        self._sums = np.zeros(4)
        self._samples = 0

    def process(self, audio: Single, n_samples: int) -> None:
        """Take in the next block, (2, >= n_samples)."""
        _sum_up(audio, n_samples, self._sections, self._state, self._sums)
        self._samples += n_samples

    def levels(self) -> StereoLevels:
        """What has been measured so far."""
        both, middle, low_middle, low_side = (float(value) for value in self._sums)
        loss = power_to_db(0.5 * both) - power_to_db(middle) if both > 0.0 else 0.0
        width = power_to_db(low_side) - power_to_db(low_middle) if low_side > 0.0 else SILENCE_DB
        n = max(1, self._samples)
        return StereoLevels(loss, width, power_to_db((low_middle + low_side) / n))
