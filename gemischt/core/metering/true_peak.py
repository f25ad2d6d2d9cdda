"""Peak of the wave between the samples, as it is played.

Reference: ITU-R BS.1770-5 Annex 2, with a better interpolator than the one printed there.
"""

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.dsp.mixing import to_single
from gemischt.core.metering import level_peaks
from gemischt.core.units import gain_to_db


class TruePeakMeter:
    """Highest true peak of blocks of any size; never below the sample peak.

    State: ``_history`` (n_channels, KEPT_SAMPLES) the samples before the next block; ``_peaks`` (1, 2) the highest.
    """

    def __init__(self, n_channels: int, *, max_block: int) -> None:
        self._rows = np.zeros((n_channels, max_block), np.float32)
        self._first_rows = np.array([0, n_channels], np.int64)
        self._history = np.zeros((n_channels, level_peaks.KEPT_SAMPLES), np.float32)
        self._peaks = np.zeros((1, 2))
        self._counts = np.zeros((1, 4), np.int64)

    def process(self, audio: Audio, n_samples: int) -> None:
        """Take in the next block, n_samples <= max_block."""
        to_single(np.ascontiguousarray(audio), n_samples, self._rows)
        level_peaks.measure_peaks(
            self._rows,
            n_samples,
            0,
            self._first_rows,
            *level_peaks.FILTERS,
            self._history,
            self._peaks,
            self._counts,
        )

    @property
    def max_dbtp(self) -> float:
        """Highest true peak of any channel so far."""
        return gain_to_db(float(self._peaks[0, level_peaks.TRUE_PEAK]))

    def reset(self) -> None:
        """Forget the highest peak; the filter runs on."""
        self._peaks[:] = 0.0
