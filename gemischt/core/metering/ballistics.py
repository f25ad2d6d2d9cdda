"""How strip meters move: computed against sample time, whoever looks and how often.

Peak: rises at once, holds, then falls at a steady rate. RMS: one-pole mean of the square, plain RMS (a full-scale sine
reads -3.01 dBFS). Both choices are common practice, no source.
"""

import math

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.dsp.jit import AUDIO, CUBE, FLOAT, SINGLE_AUDIO, measuring_kernel

HOLD_S = 1.5
FALL_DB_PER_S = 20.0
RMS_TIME_CONSTANT_S = 0.3
FLOOR_DB = -150.0

Levels = NDArray[np.float32]


_PEAK_DB, _HOLD_DB, _HOLD_LEFT_S, _MEAN_SQUARE = range(4)


class MeterBank:
    """Ballistics of many meters at once, shaped (n_strips, n_stages).

    State: ``_kept`` (n_meters, 4) peak and held peak in dB, how long it is still held, and the mean of the square.
    """

    def __init__(self, n_strips: int, n_stages: int, sample_rate_hz: int) -> None:
        self.shape = (n_strips, n_stages)
        self._sample_rate_hz = sample_rate_hz
        self._kept = np.tile((FLOOR_DB, FLOOR_DB, 0.0, 0.0), (n_strips * n_stages, 1))

    def advance(self, meters: Audio, n_samples: int) -> Levels:
        """Take in a block's (peak, sum of squares) and clear it.

        Args:
            meters: (n_strips, n_stages, n_channels, 2); the louder channel is shown.

        Returns:
            (n_strips, n_stages, 3): peak, held peak and RMS in dBFS, not below -150.
        """
        shown: Levels = np.empty((len(self._kept), 3), np.float32)
        n_channels = meters.shape[2]
        _advance(meters.reshape(-1, n_channels, 2), n_samples, n_samples / self._sample_rate_hz, self._kept, shown)
        meters[:] = 0.0
        return shown.reshape(*self.shape, 3)


@measuring_kernel(CUBE, FLOAT, FLOAT, AUDIO, SINGLE_AUDIO)
def _advance(meters: Audio, n_samples: float, elapsed_s: float, kept: Audio, shown: Levels) -> None:
    fallen_db = FALL_DB_PER_S * elapsed_s
    feedback = math.exp(-elapsed_s / RMS_TIME_CONSTANT_S)
    for i in range(meters.shape[0]):
        peak, squares = 0.0, 0.0
        for channel in range(meters.shape[1]):
            peak = max(peak, meters[i, channel, 0])
            squares = max(squares, meters[i, channel, 1])
        state = kept[i]
        peak_db = 20.0 * math.log10(max(peak, 1e-15))
        state[_PEAK_DB] = max(peak_db, state[_PEAK_DB] - fallen_db)
        if peak_db >= state[_HOLD_DB]:
            state[_HOLD_DB], state[_HOLD_LEFT_S] = peak_db, HOLD_S
        else:
            state[_HOLD_LEFT_S] -= elapsed_s
            if state[_HOLD_LEFT_S] <= 0.0:
                state[_HOLD_DB] -= fallen_db
        state[_MEAN_SQUARE] = feedback * state[_MEAN_SQUARE] + (1.0 - feedback) * squares / n_samples
        shown[i, 0] = max(state[_PEAK_DB], FLOOR_DB)
        shown[i, 1] = max(state[_HOLD_DB], FLOOR_DB)
        shown[i, 2] = max(10.0 * math.log10(max(state[_MEAN_SQUARE], 1e-15)), FLOOR_DB)
