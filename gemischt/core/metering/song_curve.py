"""How high a song reaches along its length."""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, Single
from gemischt.core.dsp.jit import INT, SINGLE_AUDIO, VECTOR, measuring_kernel
from gemischt.core.dsp.magnitude import highest_single


@measuring_kernel(SINGLE_AUDIO, INT, INT, INT, VECTOR)
def _raise_bins(audio: Single, n_samples: int, offset_samples: int, length_samples: int, peaks: Audio) -> None:
    n_bins = peaks.size
    i = 0
    while i < n_samples:
        place = min(n_bins - 1, (offset_samples + i) * n_bins // length_samples)
        # The first sample of the next bin; the last one takes what is left.
        next_bin = -(-(place + 1) * length_samples // n_bins) - offset_samples if place < n_bins - 1 else n_samples
        end = min(n_samples, next_bin)
        for channel in range(audio.shape[0]):
            peaks[place] = max(peaks[place], highest_single(audio[channel], i, end))
        i = end


class SongCurve:
    """Highest magnitude in each of so many equal parts of a song, (n_bins,): ``peaks``."""

    def __init__(self, length_samples: int, n_bins: int) -> None:
        self.peaks: NDArray[np.float64] = np.zeros(n_bins)
        self._length_samples = max(1, length_samples)
        self._samples = 0

    def process(self, audio: Single, n_samples: int) -> None:
        """Take in the next block, (n_channels, >= n_samples)."""
        _raise_bins(audio, n_samples, self._samples, self._length_samples, self.peaks)
        self._samples += n_samples
