"""How strip meters move: computed against sample time, whoever looks and how often.

Peak: rises at once, holds, then falls at a steady rate. RMS: one-pole mean of the square, plain RMS (a full-scale sine
reads -3.01 dBFS). Both choices are common practice, no source.
"""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio

HOLD_S = 1.5
FALL_DB_PER_S = 20.0
RMS_TIME_CONSTANT_S = 0.3
FLOOR_DB = -150.0

Levels = NDArray[np.float32]


class MeterBank:
    """Ballistics of many meters at once, shaped (n_strips, n_stages).

    State: ``_peak_db``, ``_hold_db`` and ``_hold_left_s`` of the peak; ``_mean_square`` of the RMS.
    """

    def __init__(self, n_strips: int, n_stages: int, sample_rate_hz: int) -> None:
        shape = (n_strips, n_stages)
        self.shape = shape
        self._sample_rate_hz = sample_rate_hz
        self._peak_db = np.full(shape, FLOOR_DB)
        self._hold_db = np.full(shape, FLOOR_DB)
        self._hold_left_s = np.zeros(shape)
        self._mean_square = np.zeros(shape)

    def advance(self, meters: Audio, n_samples: int) -> Levels:
        """Take in a block's (peak, sum of squares) and clear it.

        Args:
            meters: (n_strips, n_stages, n_channels, 2); the louder channel is shown.

        Returns:
            (n_strips, n_stages, 3): peak, held peak and RMS in dBFS, not below -150.
        """
        elapsed_s = n_samples / self._sample_rate_hz
        peak_db = _to_db(meters[..., 0].max(axis=-1), 20.0)
        mean_square = meters[..., 1].max(axis=-1) / n_samples
        meters[:] = 0.0
        self._peak_db = np.maximum(peak_db, self._peak_db - FALL_DB_PER_S * elapsed_s)
        renewed = peak_db >= self._hold_db
        self._hold_left_s = np.where(renewed, HOLD_S, self._hold_left_s - elapsed_s)
        falling = self._hold_left_s <= 0.0
        self._hold_db = np.where(
            renewed, peak_db, np.where(falling, self._hold_db - FALL_DB_PER_S * elapsed_s, self._hold_db)
        )
        feedback = np.exp(-elapsed_s / RMS_TIME_CONSTANT_S)
        self._mean_square = feedback * self._mean_square + (1.0 - feedback) * mean_square
        rms_db = _to_db(self._mean_square, 10.0)
        shown = np.stack([self._peak_db, self._hold_db, rms_db], axis=-1)
        levels: Levels = np.maximum(shown, FLOOR_DB).astype(np.float32)
        return levels


def _to_db(values: Audio, factor: float) -> Audio:
    decibels: Audio = factor * np.log10(np.maximum(values, 1e-15))
    return decibels
